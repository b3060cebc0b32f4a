//! What a cell is split into: the cells one level deeper along its row and along its column.

use super::story::{PartStory, PartsStory};
use super::trace::Trace;
use crate::model::{Decimal, Grain, Value};
use crate::rollup::{Axis, ColumnEntry, Entry, EntryKind, MemberRef, OfAxis, RowEntry};

/// A measure, by its place in the plan, in a cell.
pub(super) struct Whole<'a> {
    pub(super) trace: &'a Trace,
    pub(super) place: usize,
    pub(super) row: RowEntry,
    pub(super) column: ColumnEntry,
}

impl Whole<'_> {
    /// What it is split into along its row, and along its column, where there is a deeper level.
    pub(super) fn parts(&self) -> Vec<PartsStory> {
        let (row, column) = (self.row, self.column);
        let crosstab = &self.trace.crosstab;
        let rows = self.along(crosstab.rows(), row, &|row| self.value(row, column));
        let columns = self.along(crosstab.columns(), column, &|column| self.value(row, column));
        let story = |(level, parts): (String, Vec<PartStory>)| PartsStory {
            level,
            adds_up: self.is_sum_of(&parts),
            parts,
        };
        [rows, columns].into_iter().flatten().map(story).collect()
    }

    fn value(&self, row: RowEntry, column: ColumnEntry) -> Option<Value> {
        let grain = Grain::new(row.level(), column.level());
        let Trace { inside, .. } = self.trace;
        let cell = inside.frame.grains[grain].pairs.find(row.node, column.node)?;
        inside.measures[self.place][grain].get(cell as usize)
    }

    /// The shown members under an entry with their values, and the name of their level; nothing where none
    /// has a value. An item is no part of what it stands under.
    fn along<S: OfAxis>(
        &self,
        axis: &Axis<S>,
        whole: Entry<S>,
        of: &dyn Fn(Entry<S>) -> Option<Value>,
    ) -> Option<(String, Vec<PartStory>)> {
        let is_item = |entry| axis.kind(entry) == EntryKind::Calculated;
        let under = axis.entries().iter().copied().filter(|entry| axis.parent(*entry) == Some(whole));
        let part = |entry| {
            let member = axis.path(entry).last().map(MemberRef::shown).unwrap_or_default().to_string();
            PartStory { member, value: of(entry) }
        };
        let parts = under.filter(|entry| is_item(whole) || !is_item(*entry)).map(part);
        let parts: Vec<PartStory> = parts.collect();
        let has_values = parts.iter().any(|part| part.value.is_some());
        has_values.then(|| (axis.level_name(whole.level() + 1).to_string(), parts))
    }

    /// Whether the parts add up to it exactly: none is hidden or left out, and it is a sum.
    fn is_sum_of(&self, parts: &[PartStory]) -> bool {
        let exact = |value: Value| value.exact();
        let mut values = parts.iter().filter_map(|part| part.value).map(exact);
        let sum = values.try_fold(Decimal::from(0), |sum, value| sum.checked_add(value?));
        sum.is_some() && sum == self.value(self.row, self.column).and_then(exact)
    }
}
