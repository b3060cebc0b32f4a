//! Briefs as TOML files. docs/brief.md says what each key means.

mod read;
mod write;

pub use read::brief_from_toml;
pub use write::brief_to_toml;

/// Every key of a brief, by the table that it stands in.
mod keys {
    pub(super) const TOP: [&str; 12] = [
        "title",
        "source",
        "rows",
        "columns",
        "where",
        "measures",
        "dimensions",
        "kinds",
        "totals",
        "emphasis",
        "bad_values",
        "to",
    ];
    pub(super) const MEASURE: [&str; 4] = ["formula", "label", "format", "totals"];
    pub(super) const FORMAT: [&str; 9] =
        ["like", "decimals", "in", "marks", "point", "before", "after", "negative", "blank"];
    pub(super) const DIMENSION: [&str; 2] = ["label", "order"];
    pub(super) const EMPHASIS: [&str; 3] = ["on", "as", "levels"];
    pub(super) const UNITS: [&str; 4] = ["ones", "thousands", "millions", "percent"];
    pub(super) const NEGATIVES: [&str; 2] = ["minus", "brackets"];
    pub(super) const FORMS: [&str; 1] = ["tint"];
    pub(super) const BAD_VALUES: [&str; 2] = ["stop", "blank"];
}
