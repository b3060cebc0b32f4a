//! Members that a plan names: only the lines can tell whether they are there.

use super::model::Plan;
use crate::formula::{CellFormula, CellLeaf, Relation, Spot, all_leaves};
use crate::model::AxisSide;

impl Plan {
    /// Members that formulas and picks name, each with who names it and where it should be found: only
    /// the lines can tell whether they are there.
    pub(crate) fn named_members(&self) -> Vec<(String, Spot, String)> {
        let mut named = Vec::new();
        for item in &self.items {
            let of = |label: &String| (format!("item {}", item.name), item.spot, label.clone());
            named.extend(item.operands.iter().map(of));
        }
        let mut places = Vec::new();
        let mut read = |place: &str, formula: &CellFormula| {
            all_leaves(formula, &mut |leaf| {
                if let CellLeaf::At(_, Relation::Member(spot, label)) = leaf {
                    places.push((place.to_string(), *spot, label.clone()));
                }
            });
        };
        for measure in &self.measures {
            let all = measure.levels.iter().filter_map(|(_, f)| f.as_ref()).chain([&measure.cell]);
            all.for_each(|formula| read(&format!("measure {}", measure.name), formula));
        }
        for side in AxisSide::BOTH {
            for (i, dimension) in self.axis(side).iter().enumerate() {
                let place = format!("dimension {}", dimension.name);
                let formulas =
                    dimension.order_by.iter().chain(&dimension.pick.condition).chain(&dimension.pick.by);
                formulas.for_each(|formula| read(&place, formula));
                let spot = Spot { side, level: i + 1 };
                let labels =
                    dimension.pick.only.iter().chain(&dimension.pick.except).chain(dimension.order.members());
                named.extend(labels.map(|label| (place.clone(), spot, label.clone())));
            }
        }
        for emphasis in &self.emphasis {
            emphasis.formulas().for_each(|formula| read(&emphasis.place, formula));
            named.extend(emphasis.compared_members());
        }
        named.extend(places);
        named
    }

    /// Whether it names members, which only the lines can tell to be there.
    pub fn names_members(&self) -> bool {
        !self.named_members().is_empty()
    }
}
