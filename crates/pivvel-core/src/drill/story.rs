//! The story of one number: plain data, which serde writes as JSON. Exact numbers are texts there, so that no
//! reader rounds them.

use serde::Serialize;

use super::address::Address;
use super::lines::TiedPart;
use crate::brief::{Apply, Filled, Form, NumberFormat};
use crate::model::Value;
use crate::peers::Yardstick;
use crate::rollup::EntryKind;

/// Where one number comes from.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::Address;
/// use pivvel::source::LineSource;
/// use pivvel::Build;
///
/// let mut open = || Ok(Box::new(lines()) as Box<dyn LineSource>);
/// let fell = Address::new().with("coast", "Fell");
/// let story = Build::new().explain(&brief(), &mut open, &fell, "pieces")?;
/// assert_eq!((story.value, story.lines), (Some(8.into()), 2));
/// assert_eq!((story.formula.as_str(), story.row.level.as_str()), ("sum(pieces)", "coast"));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Story {
    /// The cell.
    #[serde(rename = "cell")]
    pub address: Address,
    /// Its row.
    pub row: EntryStory,
    /// Its column.
    pub column: EntryStory,
    /// The measure's name.
    pub measure: String,
    /// The number; `None` where it is blank.
    pub value: Option<Value>,
    /// How the cell shows it: as the measure does, or as an item with a format of its own.
    #[serde(skip)]
    pub format: NumberFormat,
    /// How it is computed here.
    pub formula: String,
    /// Whether that is an aggregate of the lines and nothing else.
    #[serde(skip)]
    pub is_aggregate: bool,
    /// What the formula reads, with values.
    pub operands: Vec<Operand>,
    /// The calculated item that makes the cell, where one does.
    pub item: Option<ItemStory>,
    /// How many lines are behind it.
    pub lines: u64,
    /// What the measure has in a cell without lines, where this is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub filled: Option<Filled>,
    /// The first and the last day of these lines, by date column.
    pub dates: Vec<DateSpan>,
    /// The condition that lines had to meet.
    #[serde(rename = "where")]
    pub condition: Option<String>,
    /// The cells that it is split into, along its row and along its column.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub parts: Vec<PartsStory>,
    /// The cells that it is compared with.
    pub peers: Option<PeersStory>,
    /// What could make it stand out, in the order in which it is tried.
    #[serde(rename = "emphasis")]
    pub emphases: Vec<EmphasisStory>,
    /// Assumptions in force, with their values.
    #[serde(serialize_with = "by_name")]
    pub assumptions: Vec<(String, String)>,
    /// What the lines add up to, shown beside what the cell has.
    #[serde(rename = "added_up")]
    pub tied: Vec<TiedPart>,
}

/// A row or a column of a cell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct EntryStory {
    /// The name of its level.
    pub level: String,
    /// `member`, `total`, `calculated` or `others`.
    pub kind: EntryKind,
}

/// A part of a formula that has a value of its own.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::Address;
/// use pivvel::source::LineSource;
/// use pivvel::Build;
///
/// let mut open = || Ok(Box::new(lines()) as Box<dyn LineSource>);
/// let brief = brief().measure(("size", "pieces / count()"));
/// let story = Build::new().explain(&brief, &mut open, &Address::new(), "size")?;
/// let operands: Vec<_> = story.operands.iter().map(|operand| (operand.text.as_str(), operand.value)).collect();
/// assert_eq!(operands, [("pieces", Some(12.into())), ("count()", Some(3.into()))]);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Operand {
    /// As it is written.
    pub text: String,
    /// Its value here; `None` where it is blank.
    pub value: Option<Value>,
    /// How it is shown, where it is a measure.
    #[serde(skip)]
    pub format: Option<NumberFormat>,
    /// Its own formula, where it is a measure.
    pub formula: Option<String>,
    /// The cell that it is read from, where that is another one.
    pub at: Option<Address>,
    /// The periods of a moving window, the earliest first; nothing where it is no window.
    pub window: Vec<WindowPart>,
    /// What it is made of in turn; nothing where the story has it already.
    pub operands: Vec<Operand>,
}

/// One period of a moving window.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct WindowPart {
    /// What it is called.
    pub member: String,
    /// Whether there are lines in it.
    pub has_lines: bool,
    /// What the window takes from it; `None` where that is blank.
    pub value: Option<Value>,
}

/// A calculated item, and the cells that its formula reads.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ItemStory {
    /// Its dimension and its name.
    pub dimension: String,
    /// Its name.
    pub name: String,
    /// Its formula.
    pub formula: String,
    /// What it is applied to.
    pub applied: Apply,
    /// How the measure shows the values of these members; the item may have a format of its own.
    #[serde(skip)]
    pub format: NumberFormat,
    /// The members that its formula names, with the measure's values there.
    pub operands: Vec<ItemOperand>,
}

/// A member that an item's formula names.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ItemOperand {
    /// The member.
    pub member: String,
    /// The measure's value there; `None` where that is blank, or where the item goes before the measure.
    pub value: Option<Value>,
}

/// The members of the next level that a number is split into, in the order in which they are shown.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::Address;
/// use pivvel::source::LineSource;
/// use pivvel::Build;
///
/// let mut open = || Ok(Box::new(lines()) as Box<dyn LineSource>);
/// let parts = Build::new().explain(&brief(), &mut open, &Address::new(), "pieces")?.parts;
/// assert_eq!((parts[0].level.as_str(), parts[0].adds_up), ("coast", true));
/// assert_eq!((parts[0].parts[0].member.as_str(), parts[0].parts[0].value), ("Fell", Some(8.into())));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PartsStory {
    /// The name of their level.
    pub level: String,
    /// Whether they add up to the number exactly. A ratio or a distinct count does not, nor what is shown only in part.
    pub adds_up: bool,
    /// One for each member.
    pub parts: Vec<PartStory>,
}

/// One member of what a number is split into.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PartStory {
    /// What it is called; empty for the blank member.
    pub member: String,
    /// The measure's value there; `None` where that is blank.
    pub value: Option<Value>,
}

/// The days that lines are of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct DateSpan {
    /// The column.
    pub column: String,
    /// The first day.
    pub first: String,
    /// The last day.
    pub last: String,
}

/// The cells that a number is compared with, and where it stands among them.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::Address;
/// use pivvel::source::LineSource;
/// use pivvel::Build;
///
/// let mut open = || Ok(Box::new(lines()) as Box<dyn LineSource>);
/// let fell = Address::new().with("coast", "Fell");
/// let peers = Build::new().explain(&brief(), &mut open, &fell, "pieces")?.peers.unwrap();
/// assert_eq!((peers.rank, peers.position, peers.yardstick.count), (Some(1), Some(1.0), 2));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PeersStory {
    /// What they are called.
    pub name: String,
    /// Their reference numbers.
    #[serde(flatten)]
    pub yardstick: Yardstick,
    /// From 0 for the lowest to 1 for the highest.
    pub position: Option<f64>,
    /// 1 for the highest.
    pub rank: Option<u32>,
    /// The values of all of them, of this grain, the lowest first.
    #[serde(skip)]
    pub values: Vec<f64>,
}

/// One emphasis, as far as it concerns a cell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct EmphasisStory {
    /// What it is called.
    pub place: String,
    /// Its form.
    pub form: Form,
    /// Whether it makes the cell stand out.
    pub decides: bool,
    /// The position on its scale, where it has one.
    pub position: Option<f64>,
    /// Its rules, with what became of each.
    pub rules: Vec<RuleStory>,
}

/// One rule, as far as it concerns a cell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct RuleStory {
    /// The rule in words.
    pub rule: String,
    /// Whether it matched; `None` for one that was not tried, because an earlier one had matched.
    pub matched: Option<bool>,
}

fn by_name<S: serde::Serializer>(
    pairs: &[(String, String)],
    serializer: S,
) -> std::result::Result<S::Ok, S::Error> {
    serializer.collect_map(pairs.iter().map(|(name, value)| (name, value)))
}
