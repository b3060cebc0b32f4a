//! Where a measure can have no value, whatever the lines: known from its formula alone.

use super::model::{Dimension, Measure, Plan};
use crate::formula::{Blanks, CellFormula, CellLeaf, Relation, Shift, Spot, Step};
use crate::model::Grain;

impl Plan {
    /// The grains at which a measure is blank whatever the lines.
    pub(crate) fn blank_grains(&self, measure: &Measure) -> Vec<Grain> {
        let blank =
            |grain: &Grain| measure.formula_at(*grain).is_none_or(|formula| self.is_blank(formula, *grain));
        self.deepest().all().filter(blank).collect()
    }

    /// The levels at which a measure is blank whatever the lines, in words; empty where there are none.
    pub fn blank_levels(&self, measure: &Measure) -> Vec<String> {
        let blank = self.blank_grains(measure);
        let (k, l) = (self.rows.len(), self.columns.len());
        let row = |r: usize| if r == 0 { "column total".to_string() } else { self.rows[r - 1].name.clone() };
        let column =
            |c: usize| if c == 0 { "row total".to_string() } else { self.columns[c - 1].name.clone() };
        let whole_row = |r: usize| (0..=l).all(|c| blank.contains(&Grain::new(r, c)));
        let whole_column = |c: usize| (0..=k).all(|r| blank.contains(&Grain::new(r, c)));
        let mut words: Vec<String> = (0..=k).filter(|r| whole_row(*r)).map(row).collect();
        words.extend((0..=l).filter(|c| whole_column(*c) && l > 0).map(column));
        let rest = blank.iter().filter(|grain| !whole_row(grain.row) && !whole_column(grain.column));
        words.extend(rest.map(|grain| format!("{} by {}", row(grain.row), column(grain.column))));
        words
    }

    fn is_blank(&self, formula: &CellFormula, grain: Grain) -> bool {
        let of = |inner: &CellFormula| self.is_blank(inner, grain);
        match &formula.step {
            Step::Leaf(leaf) => self.is_leaf_blank(leaf, grain),
            Step::Nothing => true,
            Step::Digits(_) | Step::Word(_) | Step::IsBlank(_) => false,
            Step::Negate(a) | Step::Not(a) | Step::Convert(a) => of(a),
            Step::Arithmetic(_, Blanks::AsNothing, a, b) | Step::Logical(_, a, b) => of(a) && of(b),
            Step::Arithmetic(_, Blanks::Propagate, a, b) | Step::Compare(_, a, b) => of(a) || of(b),
            Step::Case(branches, otherwise) => {
                branches.iter().all(|(condition, value)| of(condition) || of(value)) && of(otherwise)
            }
            Step::Apply(_, values) => values.iter().all(of),
        }
    }

    fn is_leaf_blank(&self, leaf: &CellLeaf, grain: Grain) -> bool {
        let level = |spot: &Spot| grain.level(spot.side);
        let above = |spot: &Spot| level(spot) < spot.level;
        match leaf {
            CellLeaf::Aggregate(_) => false,
            CellLeaf::Label(spot) => above(spot),
            CellLeaf::Measure(i) => {
                let formula = self.measures[*i].formula_at(grain);
                formula.is_none_or(|formula| self.is_blank(formula, grain))
            }
            CellLeaf::Among(_, inner, _) | CellLeaf::Rank(inner, _) => self.is_blank(inner, grain),
            CellLeaf::Running(inner, way) | CellLeaf::Moving(_, inner, way, _) => {
                above(&way.spot) || self.is_blank(inner, grain)
            }
            CellLeaf::At(inner, relation) => {
                let target = match relation {
                    Relation::Parent { side } => {
                        grain.level(*side).checked_sub(1).map(|above| grain.at(*side, above))
                    }
                    Relation::Total { side } => Some(grain.at(*side, 0)),
                    Relation::GrandTotal => Some(Grain::TOTAL),
                    Relation::Level(spot) => (!above(spot)).then(|| grain.at(spot.side, spot.level)),
                    Relation::Member(spot, _) => Some(grain.at(spot.side, level(spot).max(spot.level))),
                    Relation::End { spot, .. } => (!above(spot)).then_some(grain),
                    Relation::Shift(shift) => self.has_period(shift, level(&shift.spot)).then_some(grain),
                };
                target.is_none_or(|grain| self.is_blank(inner, grain))
            }
        }
    }

    /// Whether a level of an axis has a period that is as fine as the one that is named.
    fn has_period(&self, shift: &Shift, level: usize) -> bool {
        let dimensions = self.axis(shift.spot.side);
        let column = dimensions[shift.spot.level - 1].date_column();
        let moves = |d: &&Dimension| {
            let part = d.period().filter(|part| !part.is_cyclic() && d.date_column() == column);
            part.is_some_and(|part| part.fineness() >= shift.named.fineness())
        };
        level >= shift.spot.level && dimensions[..level].iter().any(|d| moves(&d))
    }
}
