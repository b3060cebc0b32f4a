//! A member of a dimension: what it is, and its label.

use std::io::Write;

use crate::model::{Decimal, Period};

/// A member of one dimension, by the number that it was given when first seen.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// let crosstab = crosstab();
/// let coasts = crosstab.rows().members(0);
/// let by_id: Vec<&str> = coasts.in_order().map(|id| coasts.label(id)).collect();
/// assert_eq!(by_id, ["Fell", "Skerry"]);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct MemberId(pub(crate) u32);

impl MemberId {
    /// The number itself, gap-free from 0 within the dimension.
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// What a member is.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::result::Member;
///
/// let crosstab = CrossTab::build(&brief().rows(["sold_on.year"]), &mut lines())?;
/// let years = crosstab.rows().members(0);
/// let first = years.member(years.in_order().next().unwrap());
/// assert!(matches!(&*first, Member::Period(year) if year.to_string() == "2024"));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Member {
    /// The lines that hold nothing in this dimension.
    Blank,
    /// A text.
    Text(Box<str>),
    /// A period of the calendar.
    Period(Period),
    /// An exact number.
    Number(Decimal),
    /// A floating-point number, by its bits.
    Float(u64),
    /// Yes or no.
    YesNo(bool),
    /// A tier, by its place from the lowest.
    Tier(u32, Box<str>),
    /// The members that were not picked, taken together.
    Others(Box<str>),
    /// A member that is computed from its siblings, by its place in the brief.
    Calculated(u32, Box<str>),
}

impl Member {
    /// The member's label, empty for the blank one.
    pub fn label(&self) -> String {
        let mut label = Vec::new();
        self.write_label(&mut label);
        text_of(label)
    }

    pub(super) fn write_label(&self, out: &mut Vec<u8>) {
        // Writing into memory cannot fail.
        let _ = match self {
            Member::Blank => Ok(()),
            Member::Text(text)
            | Member::Tier(_, text)
            | Member::Others(text)
            | Member::Calculated(_, text) => out.write_all(text.as_bytes()),
            Member::Period(period) => write!(out, "{period}"),
            Member::Number(number) => {
                number.push_to(out);
                Ok(())
            }
            Member::Float(bits) => write!(out, "{}", f64::from_bits(*bits)),
            Member::YesNo(yes) => out.write_all(if *yes { b"yes" } else { b"no" }),
        };
    }
}

/// Labels, which were texts and numbers before they were bytes.
pub(super) fn text_of(labels: Vec<u8>) -> String {
    String::from_utf8(labels).unwrap_or_else(|error| String::from_utf8_lossy(error.as_bytes()).into())
}
