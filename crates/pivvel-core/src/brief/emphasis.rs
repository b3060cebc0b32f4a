//! Emphasis as it is asked for: what stands out, how, by what, among which peers and by which rules.

use crate::error::{Error, Result, unknown_message};
use crate::formula::Group;

/// The names of the palettes. What they look like is a matter of views.
pub const PALETTE_NAMES: [&str; 9] =
    ["water", "sand", "heather", "kelp", "rust", "slate", "shore", "dusk", "moor"];

/// The names of the sets of symbols.
pub const SYMBOL_NAMES: [&str; 3] = ["tide", "slope", "pips"];

/// The names of the tones that rules show.
pub const TONE_NAMES: [&str; 6] = ["gain", "loss", "watch", "calm", "strong", "faint"];

/// What makes a measure's cells stand out.
///
/// ```
/// use pivvel_core::{Brief, EmphasisBrief, Form, PeersOf, RuleBrief};
///
/// let within = EmphasisBrief { peers: PeersOf::Siblings, ..EmphasisBrief::new("sales", Form::Bar) };
/// let loss = RuleBrief { name: Some("loss".into()), below: Some("0".into()), ..RuleBrief::default() };
/// let ruled = EmphasisBrief { rules: vec![loss], ..EmphasisBrief::new("profit", Form::Ink) };
/// let brief = Brief::new().rows(["coast", "harbour"]).emphasize(within).emphasize(ruled);
/// assert_eq!(brief.emphasis.len(), 2);
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
pub struct EmphasisBrief {
    /// The measure whose cells stand out; for a link a dimension may be named, whose members link.
    pub on: String,
    /// How they do.
    pub form: Form,
    /// What decides, where it is not the measure itself: another measure, or a formula over cells.
    pub by: Option<String>,
    /// The condition that cells must meet, as in `coast = 'Fell Coast' and range = 'Rope'`.
    pub only: Option<String>,
    /// The levels that it is for (default: all but the grand totals).
    pub levels: Vec<String>,
    /// Whether the whole row stands out rather than the cell; its value in the total of the columns
    /// decides then.
    pub whole_row: bool,
    /// The cells that are scaled together.
    pub peers: PeersOf,
    /// Which of them the yardstick measures.
    pub yardstick: YardstickOf,
    /// Whether places are by rank rather than by value.
    pub by_rank: bool,
    /// The middle that positions are about: a number, `mean`, or a formula over cells.
    pub about: Option<String>,
    /// The shares of the peers at which the scale ends, as `5%` and `95%`.
    pub clip: Option<(String, String)>,
    /// A fixed low end, in true units.
    pub low: Option<String>,
    /// A fixed high end, in true units.
    pub high: Option<String>,
    /// In how many steps it shows, where not continuously.
    pub steps: Option<u8>,
    /// The rules: the first that matches decides. Without rules the scale does.
    pub rules: Vec<RuleBrief>,
    /// Which direction is good, if either is.
    pub good: Option<Side>,
    /// The palette's name; views know the palettes.
    pub palette: Option<String>,
    /// The name of the set of symbols; views know the sets.
    pub symbols: Option<String>,
    /// Whether the figure stands nowhere.
    pub hide_figure: bool,
    /// The periods that a trend goes along.
    pub along: Option<String>,
    /// What a link leads to, with `{dimension}` for the label of the cell's member.
    pub link: Option<String>,
}

/// One rule of an emphasis. All that it says must hold.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RuleBrief {
    /// What the legend calls it.
    pub name: Option<String>,
    /// How it shows: the name of a tone or a symbol (default: by its place among the rules).
    pub show: Option<String>,
    /// The lowest value that matches: a number, a position such as `25%`, a date or an assumption.
    pub from: Option<String>,
    /// The lowest value that no longer matches.
    pub below: Option<String>,
    /// The only value that matches.
    pub is: Option<String>,
    /// So many, or such a share, of the highest of its peers.
    pub top: Option<String>,
    /// So many, or such a share, of the lowest of its peers.
    pub bottom: Option<String>,
    /// Above or below the mean of its peers.
    pub mean: Option<Side>,
    /// Whether it is for cells without a value.
    pub blank: bool,
    /// A condition over the cell.
    pub when: Option<String>,
    /// What a percentage among the bounds means.
    pub unit: Unit,
}

/// How an emphasis shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum Form {
    /// A background colour.
    #[default]
    Tint,
    /// A colour of the figure.
    Ink,
    /// A bar within the cell, from a zero line that all its peers share.
    Bar,
    /// A small drawn sign beside the figure.
    Symbol,
    /// A small line over periods, one in each row.
    Trend,
    /// A link from the member or the figure.
    Link,
}

/// The cells that are scaled together: of one measure, and of one class (plain members, the others,
/// each calculated item).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum PeersOf {
    /// All of one grain.
    #[default]
    Level,
    /// Those of one row parent, in one column.
    Siblings,
    /// Those of one column parent, in one row.
    ColumnSiblings,
    /// Those of one row, at one level of the columns.
    Row,
    /// Those of one column, at one level of the rows.
    Column,
    /// Those of one grain within one member of the outermost row dimension.
    Branch,
    /// Those of every level that stands out, totals with their parts.
    All,
}

/// Which cells a yardstick measures.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum YardstickOf {
    /// Those that are shown.
    #[default]
    Shown,
    /// All that there are before members are picked.
    All,
    /// Those of an earlier run, whose yardsticks a file keeps.
    Kept(String),
}

/// One of two sides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Side {
    /// High values, or above.
    High,
    /// Low values, or below.
    Low,
}

/// What a percentage among a rule's bounds means.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Unit {
    /// A position on the scale.
    #[default]
    Position,
    /// A share in true units: 25% is 0.25.
    Share,
}

impl Form {
    /// The forms by name.
    pub const NAMES: [(&'static str, Form); 6] = [
        ("tint", Form::Tint),
        ("ink", Form::Ink),
        ("bar", Form::Bar),
        ("symbol", Form::Symbol),
        ("trend", Form::Trend),
        ("link", Form::Link),
    ];

    /// The name of this form.
    pub fn name(self) -> &'static str {
        name_of(&Form::NAMES, &self)
    }
}

impl PeersOf {
    /// The groups of peers by name.
    pub const NAMES: [(&'static str, PeersOf); 7] = [
        ("level", PeersOf::Level),
        ("siblings", PeersOf::Siblings),
        ("column siblings", PeersOf::ColumnSiblings),
        ("row", PeersOf::Row),
        ("column", PeersOf::Column),
        ("branch", PeersOf::Branch),
        ("all", PeersOf::All),
    ];

    /// The name of this group.
    pub fn name(self) -> &'static str {
        name_of(&PeersOf::NAMES, &self)
    }

    /// The peers of this name.
    ///
    /// # Errors
    /// A name that is none of [`PeersOf::NAMES`].
    pub fn named(name: &str) -> Result<PeersOf> {
        let known = PeersOf::NAMES.iter().find(|(known, _)| *known == name);
        let names = PeersOf::NAMES.iter().map(|(name, _)| *name);
        known
            .map(|(_, peers)| *peers)
            .ok_or_else(|| Error::request("", unknown_message("group of peers", name, names)))
    }

    /// The same within one grain.
    pub(crate) fn group(self) -> Group {
        match self {
            PeersOf::Level | PeersOf::All => Group::Level,
            PeersOf::Siblings => Group::Siblings,
            PeersOf::ColumnSiblings => Group::ColumnSiblings,
            PeersOf::Row => Group::Row,
            PeersOf::Column => Group::Column,
            PeersOf::Branch => Group::Branch,
        }
    }
}

fn name_of<T: PartialEq>(names: &[(&'static str, T)], wanted: &T) -> &'static str {
    names.iter().find(|(_, known)| known == wanted).map_or("", |(name, _)| name)
}

impl EmphasisBrief {
    /// An emphasis of this form on a measure, by the measure itself, each level on its own scale.
    pub fn new(on: impl Into<String>, form: Form) -> EmphasisBrief {
        EmphasisBrief { on: on.into(), form, ..EmphasisBrief::default() }
    }
}
