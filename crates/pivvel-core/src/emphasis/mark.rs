//! An emphasis with what it decided, and the decision about one cell.

use super::scale::{Scale, Span, step};
use crate::brief::Form;
use crate::formula::Values;
use crate::model::{ByGrain, Grain};
use crate::peers::Peers;
use crate::plan::{PlannedEmphasis, PlannedRule};

/// An emphasis with what it came to: its scales, and a decision for every cell.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
///
/// let crosstab = CrossTab::build(&brief().tint("pieces"), &mut lines())?;
///
/// let emphasis = &crosstab.emphases()[0];
/// // One scale for coasts, one for harbours.
/// assert_eq!(emphasis.scales().len(), 2);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Emphasis {
    pub(crate) planned: PlannedEmphasis,
    pub(super) scales: Vec<Scale>,
    /// By grain, where it decides there.
    pub(super) grains: ByGrain<Option<Decided>>,
}

/// The decisions at one grain.
#[derive(Debug, Clone)]
pub(super) struct Decided {
    pub(super) values: Values,
    pub(super) peers: Peers,
    /// The scale of each group of peers.
    pub(super) scale_of: Vec<Option<usize>>,
    /// The cells that meet the condition, where there is one.
    pub(super) applies: Option<Vec<bool>>,
    /// The rule that matched first, by cell, where there are rules.
    pub(super) winners: Option<Vec<Option<u16>>>,
}

/// What one emphasis decided about one cell.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
///
/// let crosstab = CrossTab::build(&brief().tint("pieces"), &mut lines())?;
/// let fell = crosstab.find(&["Fell"], &[])?.unwrap();
///
/// let marks = crosstab.marks(fell.row(), fell.column(), 0);
/// assert_eq!(marks[0].position(), Some(1.0));
/// // The grand total has no peers, so nothing is shaded there.
/// let total = crosstab.find(&[], &[])?.unwrap();
/// assert!(crosstab.marks(total.row(), total.column(), 0).is_empty());
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Mark {
    pub(crate) emphasis: usize,
    pub(crate) form: Form,
    pub(crate) scale: Option<usize>,
    pub(crate) position: Option<f64>,
    pub(crate) step: Option<(u8, u8)>,
    pub(crate) span: Option<Span>,
    pub(crate) rule: Option<usize>,
}

crate::getters! {
    Mark {
        /// The place of the emphasis among those of the cross-tab.
        emphasis: usize,
        /// Its form.
        form: Form,
        /// The place of its scale among [`Emphasis::scales`].
        scale: Option<usize>,
        /// From 0 for the low end to 1 for the high end; from −1 to 1 about a middle. Beyond these where
        /// the ends are clipped, fixed or kept.
        position: Option<f64>,
        /// Which of so many steps, from 0, and how many there are.
        step: Option<(u8, u8)>,
        /// From where to where a bar reaches.
        span: Option<Span>,
        /// The place of the rule that matched.
        rule: Option<usize>,
    }
}

impl Emphasis {
    /// What was asked for, and where it applies.
    pub fn planned(&self) -> &PlannedEmphasis {
        &self.planned
    }

    /// The rules, in the order in which they are tried.
    pub fn rules(&self) -> &[PlannedRule] {
        &self.planned.rules
    }

    /// Every scale on which some cell has a place, the finest grain first.
    pub fn scales(&self) -> &[Scale] {
        &self.scales
    }

    /// The cells that it scales together at a grain, where it decides there.
    pub(crate) fn peers(&self, grain: Grain) -> Option<&Peers> {
        self.grains[grain].as_ref().map(|decided| &decided.peers)
    }

    /// Whether it is for a measure's cells at a grain.
    pub(crate) fn covers(&self, grain: Grain, measure: usize) -> bool {
        (self.planned.spec.is_whole_row() || self.planned.measure == Some(measure))
            && self.planned.grains.contains(&grain)
    }

    /// The decision about a cell of a grain, if it is one to stand out.
    pub(crate) fn mark(&self, place: usize, grain: Grain, cell: usize) -> Option<Mark> {
        let decided = self.grains[grain].as_ref().filter(|_| self.planned.has_scale())?;
        if decided.applies.as_ref().is_some_and(|applies| !applies[cell]) {
            return None;
        }
        let (spec, form) = (&self.planned.spec, self.planned.spec.form);
        let rule = decided.winners.as_ref().and_then(|winners| winners[cell]).map(usize::from);
        let scale = decided.peers.group(cell).and_then(|group| decided.scale_of[group]);
        let value = decided.values.get(cell);
        let on = scale.zip(value).map(|(scale, value)| (&self.scales[scale], value));
        let rank = decided.peers.rank(cell);
        let position = on.and_then(|(scale, value)| scale.position(&value, rank));
        let span = on.filter(|_| form == Form::Bar).and_then(|(scale, value)| scale.span(&value, rank));
        let steps = spec.scale_steps().filter(|_| spec.rules.is_empty());
        let step = steps
            .zip(position)
            .and_then(|(steps, p)| Some((step(p, steps, self.planned.is_diverging())?, steps)));
        let decides = match form {
            Form::Bar => span.is_some(),
            _ if !spec.rules.is_empty() => rule.is_some(),
            _ => position.is_some(),
        };
        decides.then_some(Mark { emphasis: place, form, scale, position, step, span, rule })
    }
}
