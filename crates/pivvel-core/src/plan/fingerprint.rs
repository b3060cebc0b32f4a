//! What fingerprints are made of: texts that say all that decides a result and stay the same from version to
//! version. Whoever changes them changes the versions of kept groups and of tables.

use super::model::{Dimension, Pick, Plan, PlannedItem, PlannedTier};
use crate::brief::{Template, TopBrief};
use crate::formula::Formula;

/// The formula as it is printed, however it was written.
fn printed(formula: &Formula) -> String {
    formula.expr().map_or_else(|| formula.to_string(), ToString::to_string)
}

impl Plan {
    /// All that decides what the leaf groups are.
    pub(crate) fn grouped(&self) -> String {
        format!("reads {:?}\n{}", self.needed_names, self.grouping.canonical())
    }

    /// All that decides which cells there are and what their values are.
    pub(crate) fn computed(&self) -> String {
        let mut text = String::from("cross-tab 1\n");
        for (axis, dimensions) in [("row", &self.rows), ("column", &self.columns)] {
            dimensions.iter().for_each(|d| text += &format!("{axis} {}\n", dimension(d)));
        }
        for measure in &self.measures {
            text += &format!("measure {:?} = {}\n", measure.name, printed(&measure.formula));
            for (level, formula) in &measure.level_specs {
                let formula = formula.as_ref().map_or("none".to_string(), printed);
                text += &format!("at {:?} {formula}\n", level.to_string());
            }
        }
        if !self.fills.is_empty() {
            self.fills.iter().for_each(|fill| text += &format!("fill {:?}\n", fill.spec));
            let without = self.measures.iter().map(|measure| measure.without_lines);
            text += &format!("without lines {:?}\n", without.collect::<Vec<_>>());
        }
        self.items.iter().for_each(|i| text += &item(i));
        self.tiers.iter().for_each(|t| text += &tier(t));
        self.assumptions.0.iter().for_each(|(name, value)| text += &format!("assumes {name:?} = {value}\n"));
        text + &self.grouped()
    }
}

fn dimension(dimension: &Dimension) -> String {
    let Dimension {
        name,
        label: _,
        order,
        labels: _,
        colours: _,
        family: _,
        kind: _,
        part: _,
        pick,
        order_by: _,
    } = dimension;
    let Pick { only, except, having, top, lowest, totals_of, condition: _, by: _, count: _ } = pick;
    let having = having.as_ref().map_or(String::new(), |having| format!(" having {}", printed(having)));
    let top = top.as_ref().map_or(String::new(), |TopBrief { count, by, overall, others }| {
        let end = if *lowest { "lowest" } else { "highest" };
        format!(
            " {end} {count} by {} overall {overall} others {:?}",
            printed(by),
            others.as_ref().map(Template::as_str)
        )
    });
    format!("{name:?} by {} only {only:?} except {except:?}{having}{top} totals of {totals_of}", order)
}

fn item(item: &PlannedItem) -> String {
    let PlannedItem { dimension, name, formula, before_measures, hidden, .. } = item;
    let formula = printed(formula);
    format!("item {dimension:?} {name:?} = {formula} before {before_measures} hidden {hidden}\n")
}

fn tier(tier: &PlannedTier) -> String {
    let PlannedTier { name, of, by, within, labels, cuts, quantiles, by_formula: _ } = tier;
    let cuts: Vec<String> = cuts.iter().map(ToString::to_string).collect();
    let by = printed(by);
    format!("tier {name:?} of {of:?} by {by} within {within:?} {labels:?} at {cuts:?} shares {quantiles}\n")
}
