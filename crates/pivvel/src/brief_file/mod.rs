//! Briefs as TOML files. docs/brief.md says what each key means.

mod read;
mod read_emphasis;
mod rewrite;
mod write;
mod write_emphasis;

pub use read::brief_from_toml;
pub use rewrite::rewrite_brief;
pub use write::brief_to_toml;

/// The JSON Schema (draft 2020-12) of a brief, for editors that complete and check TOML by one.
///
/// ```
/// assert!(pivvel::BRIEF_SCHEMA.contains("\"title\": \"A brief for Pivvel\""));
/// ```
pub const BRIEF_SCHEMA: &str = include_str!("../../schema/brief.schema.json");

/// Every key of a brief, by the table that it stands in.
mod keys {
    pub(super) const TOP: [&str; 18] = [
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
        "views",
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
    pub(super) const EMPHASIS: [&str; 21] = [
        "on",
        "as",
        "by",
        "where",
        "levels",
        "reach",
        "peers",
        "yardstick",
        "scale",
        "about",
        "clip",
        "low",
        "high",
        "steps",
        "rules",
        "good",
        "palette",
        "symbols",
        "figure",
        "along",
        "link",
    ];
    pub(super) const RULE: [&str; 11] =
        ["name", "show", "from", "below", "is", "top", "bottom", "mean", "blank", "when", "unit"];
    pub(super) const VIEW: [&str; 10] =
        ["title", "as", "rows", "columns", "where", "measures", "per", "scale", "along", "grid"];
    pub(super) const REACH: [&str; 2] = ["cell", "row"];
    pub(super) const SCALE: [&str; 2] = ["linear", "rank"];
    pub(super) const SIDES: [&str; 2] = ["high", "low"];
    pub(super) const MEANS: [&str; 2] = ["above", "below"];
    pub(super) const UNITS_OF_PERCENT: [&str; 2] = ["position", "share"];
    pub(super) const FIGURE: [&str; 2] = ["shown", "hidden"];
    pub(super) const SCALES_OF: [&str; 2] = ["shared", "own"];
    pub(super) const UNITS: [&str; 4] = ["ones", "thousands", "millions", "percent"];
    pub(super) const NEGATIVES: [&str; 2] = ["minus", "brackets"];
    pub(super) const BAD_VALUES: [&str; 2] = ["stop", "blank"];
}
