//! What stands beside a cross-tab: the values of a row along periods, as places on a scale of the row's level,
//! and what other columns say of members.

use std::collections::HashMap;

use crate::model::Value;
use crate::rollup::{Class, Entry, OfAxis, RowEntry};

/// A small line for each row, on a scale of the row's level.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::brief::{EmphasisBrief, Form};
///
/// let line = EmphasisBrief::new("pieces", Form::Trend).along("sold_on.month");
/// let crosstab = CrossTab::build(&brief().emphasize(line), &mut lines())?;
/// let fell = crosstab.find(&["Fell"], &[])?.unwrap().row();
/// // May 2024, June 2024, May 2025: Fell sold nothing in June.
/// assert_eq!(crosstab.trends()[0].values(fell).unwrap(), [Some(3.into()), None, Some(5.into())]);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Trend {
    pub(crate) emphasis: usize,
    pub(crate) measure: usize,
    pub(crate) periods: Vec<String>,
    pub(crate) places: Vec<f64>,
    /// By row level and class: the lowest and the highest value of all its rows.
    pub(super) ends: HashMap<(usize, Class), (f64, f64)>,
    /// The values of each row, one a period.
    pub(super) rows: HashMap<RowEntry, Vec<Option<Value>>>,
    pub(super) classes: HashMap<RowEntry, Class>,
}

crate::getters! {
    Trend {
        /// The place of the emphasis among [`CrossTab::emphases`](super::CrossTab::emphases).
        emphasis: usize,
        /// The measure's place.
        measure: usize,
        /// The periods' labels, in the calendar's order.
        periods: &[String],
        /// Where each period stands from the first to the last, from 0 to 1.
        places: &[f64],
    }
}

impl Trend {
    /// The values of a row, one a period; `None` for a row without a trend.
    pub fn values(&self, row: RowEntry) -> Option<&[Option<Value>]> {
        self.rows.get(&row).map(Vec::as_slice)
    }

    /// The lowest and the highest value of all rows of a row's level.
    pub fn ends(&self, row: RowEntry) -> Option<(f64, f64)> {
        self.ends.get(&(row.level(), *self.classes.get(&row)?)).copied()
    }

    /// The places of a row's values between its level's lowest and highest, from 0 to 1; the middle
    /// where these are the same.
    pub fn points(&self, row: RowEntry) -> Option<Vec<Option<f64>>> {
        let (low, high) = self.ends(row)?;
        let place = |value: &Option<Value>| {
            value.map(|value| if high > low { (value.as_f64() - low) / (high - low) } else { 0.5 })
        };
        Some(self.rows.get(&row)?.iter().map(place).collect())
    }
}

/// What a column of the lines that is not in the layout says of each member of a dimension, where it
/// says one thing only.
#[derive(Debug, Clone)]
pub(super) struct Labels {
    /// The place of the emphasis.
    pub(crate) emphasis: usize,
    pub(crate) column: String,
    /// By the level and the node of the axis of its dimension.
    pub(super) by_entry: HashMap<(usize, u32), String>,
    /// Members of which it says several things, and the first of them.
    pub(super) unsettled: (usize, String),
}

impl Labels {
    pub(crate) fn of<S: OfAxis>(&self, entry: Entry<S>) -> Option<(String, String)> {
        Some((self.column.clone(), self.by_entry.get(&(entry.level(), entry.node))?.clone()))
    }
}
