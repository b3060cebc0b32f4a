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
/// assert_eq!((story.value(), story.lines()), (Some(8.into()), 2));
/// assert_eq!((story.formula(), story.row().level()), ("sum(pieces)", "coast"));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Story {
    #[serde(rename = "cell")]
    pub(crate) address: Address,
    pub(crate) row: EntryStory,
    pub(crate) column: EntryStory,
    pub(crate) measure: String,
    pub(crate) value: Option<Value>,
    #[serde(skip)]
    pub(crate) format: NumberFormat,
    pub(crate) formula: String,
    #[serde(skip)]
    pub(crate) is_aggregate: bool,
    pub(crate) operands: Vec<Operand>,
    pub(crate) item: Option<ItemStory>,
    pub(crate) lines: u64,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) filled: Option<Filled>,
    pub(crate) dates: Vec<DateSpan>,
    #[serde(rename = "where")]
    pub(crate) condition: Option<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(crate) parts: Vec<PartsStory>,
    pub(crate) peers: Option<PeersStory>,
    #[serde(rename = "emphasis")]
    pub(crate) emphases: Vec<EmphasisStory>,
    #[serde(serialize_with = "by_name")]
    pub(crate) assumptions: Vec<(String, String)>,
    #[serde(rename = "added_up")]
    pub(crate) tied: Vec<TiedPart>,
}

crate::getters! {
    Story {
        /// The cell.
        address: &Address,
        /// Its row.
        row: &EntryStory,
        /// Its column.
        column: &EntryStory,
        /// The measure's name.
        measure: &str,
        /// The number; `None` where it is blank.
        value: Option<Value>,
        /// How the cell shows it: as the measure does, or as an item with a format of its own.
        format: &NumberFormat,
        /// How it is computed here.
        formula: &str,
        /// Whether that is an aggregate of the lines and nothing else.
        is_aggregate: bool,
        /// What the formula reads, with values.
        operands: &[Operand],
        /// The calculated item that makes the cell, where one does.
        item: Option<&ItemStory>,
        /// How many lines are behind it.
        lines: u64,
        /// What the measure has in a cell without lines, where this is one.
        filled: Option<Filled>,
        /// The first and the last day of these lines, by date column.
        dates: &[DateSpan],
        /// The condition that lines had to meet.
        condition: Option<&str>,
        /// The cells that it is split into, along its row and along its column.
        parts: &[PartsStory],
        /// The cells that it is compared with.
        peers: Option<&PeersStory>,
        /// What could make it stand out, in the order in which it is tried.
        emphases: &[EmphasisStory],
        /// Assumptions in force, with their values.
        assumptions: &[(String, String)],
        /// What the lines add up to, shown beside what the cell has.
        tied: &[TiedPart],
    }
}

/// A row or a column of a cell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct EntryStory {
    pub(crate) level: String,
    pub(crate) kind: EntryKind,
}

crate::getters! {
    EntryStory {
        /// The name of its level.
        level: &str,
        /// `member`, `total`, `calculated` or `others`.
        kind: EntryKind,
    }
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
/// let operands: Vec<_> = story.operands().iter().map(|operand| (operand.text(), operand.value())).collect();
/// assert_eq!(operands, [("pieces", Some(12.into())), ("count()", Some(3.into()))]);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Operand {
    pub(crate) text: String,
    pub(crate) value: Option<Value>,
    #[serde(skip)]
    pub(crate) format: Option<NumberFormat>,
    pub(crate) formula: Option<String>,
    pub(crate) at: Option<Address>,
    pub(crate) window: Vec<WindowPart>,
    pub(crate) operands: Vec<Operand>,
}

crate::getters! {
    Operand {
        /// As it is written.
        text: &str,
        /// Its value here; `None` where it is blank.
        value: Option<Value>,
        /// How it is shown, where it is a measure.
        format: Option<&NumberFormat>,
        /// Its own formula, where it is a measure.
        formula: Option<&str>,
        /// The cell that it is read from, where that is another one.
        at: Option<&Address>,
        /// The periods of a moving window, the earliest first; nothing where it is no window.
        window: &[WindowPart],
        /// What it is made of in turn; nothing where the story has it already.
        operands: &[Operand],
    }
}

/// One period of a moving window.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct WindowPart {
    pub(crate) member: String,
    pub(crate) has_lines: bool,
    pub(crate) value: Option<Value>,
}

crate::getters! {
    WindowPart {
        /// What it is called.
        member: &str,
        /// Whether there are lines in it.
        has_lines: bool,
        /// What the window takes from it; `None` where that is blank.
        value: Option<Value>,
    }
}

/// A calculated item, and the cells that its formula reads.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ItemStory {
    pub(crate) dimension: String,
    pub(crate) name: String,
    pub(crate) formula: String,
    pub(crate) applied: Apply,
    #[serde(skip)]
    pub(crate) format: NumberFormat,
    pub(crate) operands: Vec<ItemOperand>,
}

crate::getters! {
    ItemStory {
        /// Its dimension and its name.
        dimension: &str,
        /// Its name.
        name: &str,
        /// Its formula.
        formula: &str,
        /// What it is applied to.
        applied: Apply,
        /// How the measure shows the values of these members; the item may have a format of its own.
        format: &NumberFormat,
        /// The members that its formula names, with the measure's values there.
        operands: &[ItemOperand],
    }
}

/// A member that an item's formula names.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ItemOperand {
    pub(crate) member: String,
    pub(crate) value: Option<Value>,
}

crate::getters! {
    ItemOperand {
        /// The member.
        member: &str,
        /// The measure's value there; `None` where that is blank, or where the item goes before the measure.
        value: Option<Value>,
    }
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
/// let story = Build::new().explain(&brief(), &mut open, &Address::new(), "pieces")?;
/// let parts = story.parts();
/// assert_eq!((parts[0].level(), parts[0].adds_up()), ("coast", true));
/// assert_eq!((parts[0].parts()[0].member(), parts[0].parts()[0].value()), ("Fell", Some(8.into())));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PartsStory {
    pub(crate) level: String,
    pub(crate) adds_up: bool,
    pub(crate) parts: Vec<PartStory>,
}

crate::getters! {
    PartsStory {
        /// The name of their level.
        level: &str,
        /// Whether they add up to the number exactly. A ratio or a distinct count does not, nor what is shown only in part.
        adds_up: bool,
        /// One for each member.
        parts: &[PartStory],
    }
}

/// One member of what a number is split into.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PartStory {
    pub(crate) member: String,
    pub(crate) value: Option<Value>,
}

crate::getters! {
    PartStory {
        /// What it is called; empty for the blank member.
        member: &str,
        /// The measure's value there; `None` where that is blank.
        value: Option<Value>,
    }
}

/// The days that lines are of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct DateSpan {
    pub(crate) column: String,
    pub(crate) first: String,
    pub(crate) last: String,
}

crate::getters! {
    DateSpan {
        /// The column.
        column: &str,
        /// The first day.
        first: &str,
        /// The last day.
        last: &str,
    }
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
/// let story = Build::new().explain(&brief(), &mut open, &fell, "pieces")?;
/// let peers = story.peers().unwrap();
/// assert_eq!((peers.rank(), peers.position(), peers.yardstick().count()), (Some(1), Some(1.0), 2));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PeersStory {
    pub(crate) name: String,
    #[serde(flatten)]
    pub(crate) yardstick: Yardstick,
    pub(crate) position: Option<f64>,
    pub(crate) rank: Option<u32>,
    #[serde(skip)]
    pub(crate) values: Vec<f64>,
}

crate::getters! {
    PeersStory {
        /// What they are called.
        name: &str,
        /// Their reference numbers.
        yardstick: Yardstick,
        /// From 0 for the lowest to 1 for the highest.
        position: Option<f64>,
        /// 1 for the highest.
        rank: Option<u32>,
        /// The values of all of them, of this grain, the lowest first.
        values: &[f64],
    }
}

/// One emphasis, as far as it concerns a cell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct EmphasisStory {
    pub(crate) place: String,
    pub(crate) form: Form,
    pub(crate) decides: bool,
    pub(crate) position: Option<f64>,
    pub(crate) rules: Vec<RuleStory>,
}

crate::getters! {
    EmphasisStory {
        /// What it is called.
        place: &str,
        /// Its form.
        form: Form,
        /// Whether it makes the cell stand out.
        decides: bool,
        /// The position on its scale, where it has one.
        position: Option<f64>,
        /// Its rules, with what became of each.
        rules: &[RuleStory],
    }
}

/// One rule, as far as it concerns a cell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct RuleStory {
    pub(crate) rule: String,
    pub(crate) matched: Option<bool>,
}

crate::getters! {
    RuleStory {
        /// The rule in words.
        rule: &str,
        /// Whether it matched; `None` for one that was not tried, because an earlier one had matched.
        matched: Option<bool>,
    }
}

fn by_name<S: serde::Serializer>(
    pairs: &[(String, String)],
    serializer: S,
) -> std::result::Result<S::Ok, S::Error> {
    serializer.collect_map(pairs.iter().map(|(name, value)| (name, value)))
}
