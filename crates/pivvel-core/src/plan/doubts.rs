//! What the author of a brief most likely did not mean, as far as the plan tells it.

use super::model::{Plan, PlannedEmphasis, PlannedItem};
use crate::brief::{Brief, Placement};
use crate::formula::{CellFormula, CellLeaf, Operator, Step, all_leaves};
use crate::grouping::Aggregate;
use crate::model::{AxisSide, Notice, NoticeCode};

impl Plan {
    /// What the analyst most likely did not mean.
    pub(super) fn doubts(&self, brief: &Brief) -> Vec<Notice> {
        let mut doubts = Vec::new();
        let mut used = vec![false; self.measures.len()];
        let mut note = |formula: &CellFormula| {
            all_leaves(formula, &mut |leaf| {
                if let CellLeaf::Measure(i) = leaf {
                    used[*i] = true;
                }
            });
        };
        for measure in &self.measures {
            note(&measure.cell);
            measure.levels.iter().filter_map(|(_, f)| f.as_ref()).for_each(&mut note);
        }
        for dimension in self.rows.iter().chain(&self.columns) {
            dimension
                .order_by
                .iter()
                .chain(&dimension.pick.condition)
                .chain(&dimension.pick.by)
                .for_each(&mut note);
        }
        self.tiers.iter().filter_map(|tier| tier.by_formula.as_ref()).for_each(&mut note);
        self.emphasis.iter().flat_map(PlannedEmphasis::formulas).for_each(&mut note);
        // What views show and build on is used there.
        let views = (0..brief.views.len()).filter_map(|view| brief.of_view(view).ok());
        let shown_by_views: Vec<String> = views.flat_map(|view| view.measures).map(|m| m.name).collect();
        for (measure, used) in self.measures.iter().zip(used) {
            if measure.hidden && !used && !shown_by_views.contains(&measure.name) {
                let message = format!("measure {} is hidden, and nothing uses it", measure.name);
                doubts.push(Notice::author(NoticeCode::UnusedMeasure, message));
            }
            if self.blank_grains(measure).len() == self.deepest().all().count() {
                let message = format!("measure {} is blank everywhere in this layout", measure.name);
                doubts.push(Notice::author(NoticeCode::BlankMeasure, message));
            }
        }
        let first = |(i, item): &(usize, &PlannedItem)| {
            self.items[..*i].iter().all(|earlier| earlier.spot != item.spot)
        };
        let items = self.items.iter().enumerate().filter(first);
        let mixed = items.filter_map(|(_, item)| self.doubtful_total(item));
        doubts.extend(mixed.map(|mixed| Notice::author(NoticeCode::MixedTotal, mixed)));
        let ratio = self.measures.iter().find(|m| !m.hidden && !self.is_additive(&m.cell));
        for item in self.items.iter().filter(|item| !item.before_measures && item.adds_up()) {
            let Some(ratio) = ratio else { break };
            let message = format!(
                "item {} adds up measure {}, which is no sum; apply = \"before measures\" computes it anew",
                item.name, ratio.name
            );
            doubts.push(Notice::author(NoticeCode::ItemAddsUp, message));
        }
        doubts
    }

    /// Whether the values of several members add up to that of all of them: sums and counts, and what is
    /// added or taken from them.
    pub(super) fn is_additive(&self, formula: &CellFormula) -> bool {
        match &formula.step {
            Step::Leaf(CellLeaf::Aggregate(place)) => match &self.aggregates[*place] {
                Aggregate::Lines => true,
                Aggregate::Of { function, .. } => function.adds_up,
                _ => false,
            },
            Step::Leaf(CellLeaf::Measure(place)) => self.is_additive(&self.measures[*place].cell),
            Step::Arithmetic(Operator::Add | Operator::Subtract, _, a, b) => {
                self.is_additive(a) && self.is_additive(b)
            }
            Step::Negate(a) | Step::Convert(a) => self.is_additive(a),
            _ => false,
        }
    }

    /// A total that adds up what an item sets against each other, as actual and plan.
    fn doubtful_total(&self, item: &PlannedItem) -> Option<String> {
        let (side, level) = (item.spot.side, item.spot.level);
        let totals = side.pick(&self.row_totals, &self.column_totals);
        if !item.sets_against() || totals.get(level - 1) == Some(&Placement::Off) {
            return None;
        }
        let total = match (level, side) {
            (1, AxisSide::Rows) => "column total",
            (1, AxisSide::Columns) => "row total",
            (level, _) => &self.axis(side)[level - 2].name,
        };
        Some(format!(
            "{total} adds up members of {} that item {} sets against each other ({}); leave it out with totals: \"{total}\" = \"off\"",
            item.dimension,
            item.name,
            item.operands.join(", ")
        ))
    }
}
