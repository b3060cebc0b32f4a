//! Everything that a brief names, says or computes, one part after the other. Whoever asks what a brief mentions,
//! or replaces something in all of it, goes this way. Each type of the brief gives its own parts, with every key named,
//! so that none that is added can be overlooked.

use super::amount::Amount;
use super::level::Level;
use super::order::Order;
use super::template::Template;
use crate::formula::Formula;

/// A part of a brief.
pub(crate) enum Part<'a> {
    /// The name of a measure, a dimension, a level or a member.
    Name(&'a mut String),
    /// The name of a level.
    Level(&'a mut Level),
    /// What members are sorted by, where that is a formula.
    Order(&'a mut Order),
    /// A text that readers see, with assumptions in braces.
    Text(&'a mut Template),
    /// A formula.
    Formula(&'a mut Formula),
    /// A number, or the name of an assumption.
    Amount(&'a mut Amount),
}

pub(super) type Visit<'v> = dyn FnMut(Part<'_>) + 'v;

pub(super) fn names<'a>(all: impl IntoIterator<Item = &'a mut String>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|name| visit(Part::Name(name)));
}

pub(super) fn texts<'a>(all: impl IntoIterator<Item = &'a mut Template>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|text| visit(Part::Text(text)));
}

pub(super) fn formulas<'a>(all: impl IntoIterator<Item = &'a mut Formula>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|formula| visit(Part::Formula(formula)));
}

pub(super) fn amounts<'a>(all: impl IntoIterator<Item = &'a mut Amount>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|amount| visit(Part::Amount(amount)));
}

/// Gives every level to `visit`.
pub(super) fn levels<'a>(all: impl IntoIterator<Item = &'a mut Level>, visit: &mut Visit<'_>) {
    all.into_iter().for_each(|level| visit(Part::Level(level)));
}
