//! Where a measure can have no value, whatever the lines: known from its formula alone.

use super::model::{Dimension, Measure, Plan};
use crate::formula::{Blanks, CellFormula, CellLeaf, Relation, Shift, Spot, Step};
use crate::model::AxisSide;

impl Plan {
    /// The grains (row level, column level) at which a measure is blank whatever the lines.
    pub(crate) fn blank_grains(&self, measure: &Measure) -> Vec<(usize, usize)> {
        let across = self.columns.len() + 1;
        let all = (0..=self.rows.len()).flat_map(|r| (0..across).map(move |c| (r, c)));
        all.filter(|(r, c)| match measure.formula_at(r * across + c) {
            Some(formula) => self.is_blank(formula, (*r, *c)),
            None => true,
        })
        .collect()
    }

    /// The levels at which a measure is blank whatever the lines, in words; empty where there are none.
    pub fn blank_levels(&self, measure: &Measure) -> Vec<String> {
        let blank = self.blank_grains(measure);
        let (k, l) = (self.rows.len(), self.columns.len());
        let row = |r: usize| if r == 0 { "column total".to_string() } else { self.rows[r - 1].name.clone() };
        let column =
            |c: usize| if c == 0 { "row total".to_string() } else { self.columns[c - 1].name.clone() };
        let whole_row = |r: usize| (0..=l).all(|c| blank.contains(&(r, c)));
        let whole_column = |c: usize| (0..=k).all(|r| blank.contains(&(r, c)));
        let mut words: Vec<String> = (0..=k).filter(|r| whole_row(*r)).map(row).collect();
        words.extend((0..=l).filter(|c| whole_column(*c) && l > 0).map(column));
        let rest = blank.iter().filter(|(r, c)| !whole_row(*r) && !whole_column(*c));
        words.extend(rest.map(|(r, c)| format!("{} by {}", row(*r), column(*c))));
        words
    }

    fn is_blank(&self, formula: &CellFormula, grain: (usize, usize)) -> bool {
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

    fn is_leaf_blank(&self, leaf: &CellLeaf, (r, c): (usize, usize)) -> bool {
        let level = |spot: &Spot| spot.side.pick(r, c);
        let above = |spot: &Spot| level(spot) < spot.level;
        match leaf {
            CellLeaf::Aggregate(_) => false,
            CellLeaf::Label(spot) => above(spot),
            CellLeaf::Measure(i) => {
                let measure = &self.measures[*i];
                match measure.formula_at(r * (self.columns.len() + 1) + c) {
                    Some(formula) => self.is_blank(formula, (r, c)),
                    None => true,
                }
            }
            CellLeaf::Among(_, inner, _) | CellLeaf::Rank(inner, _) => self.is_blank(inner, (r, c)),
            CellLeaf::Running(inner, way) | CellLeaf::Moving(_, inner, way, _) => {
                above(&way.spot) || self.is_blank(inner, (r, c))
            }
            CellLeaf::At(inner, relation) => {
                let on = |side: AxisSide, level: usize| side.pick((level, c), (r, level));
                let target = match relation {
                    Relation::Parent { side } => {
                        let own = side.pick(r, c);
                        own.checked_sub(1).map(|above| on(*side, above))
                    }
                    Relation::Total { side } => Some(on(*side, 0)),
                    Relation::GrandTotal => Some((0, 0)),
                    Relation::Level(spot) => (!above(spot)).then(|| on(spot.side, spot.level)),
                    Relation::Member(spot, _) => Some(on(spot.side, level(spot).max(spot.level))),
                    Relation::End { spot, .. } => (!above(spot)).then_some((r, c)),
                    Relation::Shift(shift) => self.has_period(shift, level(&shift.spot)).then_some((r, c)),
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
