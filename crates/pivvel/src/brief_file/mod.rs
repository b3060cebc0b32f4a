//! Briefs as TOML files. docs/brief.md says what each key means.

mod read;
mod write;

pub use read::brief_from_toml;
pub use write::brief_to_toml;

/// Every key of a brief, by the table that it stands in.
mod keys {
    pub(super) const TOP: [&str; 17] = [
        "title",
        "source",
        "rows",
        "columns",
        "where",
        "derived",
        "related",
        "assumptions",
        "tiers",
        "measures",
        "items",
        "dimensions",
        "kinds",
        "totals",
        "emphasis",
        "bad_values",
        "to",
    ];
    pub(super) const MEASURE: [&str; 6] = ["formula", "label", "format", "totals", "hidden", "levels"];
    pub(super) const ITEM: [&str; 6] = ["dimension", "name", "formula", "format", "hidden", "apply"];
    pub(super) const APPLY: [&str; 2] = ["after measures", "before measures"];
    pub(super) const TIER: [&str; 6] = ["of", "by", "cuts", "quantiles", "labels", "within"];
    pub(super) const ASSUMPTION: [&str; 4] = ["value", "low", "high", "choices"];
    pub(super) const RELATED: [&str; 2] = ["source", "key"];
    pub(super) const TOP_N: [&str; 4] = ["count", "by", "overall", "others"];
    pub(super) const TOTALS_OF: [&str; 2] = ["all", "shown"];
    pub(super) const FORMAT: [&str; 9] =
        ["like", "decimals", "in", "marks", "point", "before", "after", "negative", "blank"];
    pub(super) const DIMENSION: [&str; 9] =
        ["label", "order", "top", "bottom", "having", "only", "except", "totals_of", "labels"];
    pub(super) const EMPHASIS: [&str; 3] = ["on", "as", "levels"];
    pub(super) const UNITS: [&str; 4] = ["ones", "thousands", "millions", "percent"];
    pub(super) const NEGATIVES: [&str; 2] = ["minus", "brackets"];
    pub(super) const FORMS: [&str; 1] = ["tint"];
    pub(super) const BAD_VALUES: [&str; 2] = ["stop", "blank"];
}
