//! Calculated items: formulas over the siblings of a member.

use std::ops::Range;

use super::assume::Assumptions;
use super::format::NumberFormat;
use super::plan::Plan;
use super::spec::{Brief, ItemBrief};
use crate::error::{Error, Result, unknown_message};
use crate::formula::{
    Checked, Clause, Columns, Expr, Name, Node, Operator, Place, Scope, Spot, Type, Typed, check,
    function_names, parse,
};

/// A member that is computed from its siblings.
#[derive(Debug, Clone)]
pub struct PlannedItem {
    /// The dimension that it is a member of.
    pub dimension: String,
    /// Its label.
    pub name: String,
    /// Its formula, as it was written.
    pub formula: String,
    /// How its numbers are shown, where not as the measure's.
    pub format: Option<NumberFormat>,
    /// Whether it is computed for others only.
    pub hidden: bool,
    /// Whether it is applied to aggregates, before formula measures.
    pub before_measures: bool,
    /// The siblings that its formula names.
    pub operands: Vec<String>,
    pub(crate) spot: Spot,
    expr: Expr,
}

/// Checks the items of a brief, and brings them into the order in which they are applied: those
/// that go before formula measures first, then in the order of the brief.
pub(super) fn plan_items(
    brief: &Brief,
    plan: &Plan,
    assumptions: &Assumptions,
    columns: &mut Columns,
    warnings: &mut Vec<String>,
) -> Result<Vec<PlannedItem>> {
    let mut items: Vec<PlannedItem> = Vec::new();
    let ordered = brief
        .items
        .iter()
        .filter(|i| i.before_measures)
        .chain(brief.items.iter().filter(|i| !i.before_measures));
    for item in ordered {
        let ItemBrief { dimension, name, formula, format, hidden, before_measures } = item.clone();
        let place = format!("item {name}");
        if name.is_empty() {
            return Err(Error::request("item", "an item needs a name, as in name = \"variance\""));
        }
        let on = |on_rows: bool| {
            let level = plan.axis(on_rows).iter().position(|d| d.name == dimension)?;
            Some(Spot { on_rows, level: level + 1 })
        };
        let expr = parse(&place, &formula)?;
        let Some(spot) = on(true).or_else(|| on(false)) else {
            if columns.dimension(&dimension).is_err() {
                let known = plan.rows.iter().chain(&plan.columns).map(|d| d.name.as_str());
                return Err(Error::unknown(place, "dimension in the layout", &dimension, known));
            }
            warnings
                .push(format!("{place} is of {dimension}, which is not in the layout; kept and not used"));
            continue;
        };
        if items.iter().any(|known| known.spot == spot && known.name == name) {
            return Err(Error::request(place, format!("{dimension} has another item of this name")));
        }
        let mut scope = Siblings { names: Vec::new(), gives: Type::Float, assumptions };
        let checked = check(&expr, &mut scope)
            .map_err(|(span, message)| Error::formula(&place, &formula, span, message))?;
        if !checked.gives.is_number() {
            let message = format!("an item gives a number, and this gives {}", checked.gives.words());
            return Err(Error::formula(place, &formula, 0..formula.len(), message));
        }
        let operands = scope.names;
        if operands.contains(&name) {
            return Err(Error::request(place, format!("{name} builds on itself")));
        }
        if operands.is_empty() {
            let message = format!("it names no member of {dimension}, as in actual - plan");
            return Err(Error::request(place, message));
        }
        items.push(PlannedItem {
            dimension,
            name,
            formula,
            format,
            hidden,
            before_measures,
            operands,
            spot,
            expr,
        });
    }
    if items.len() > usize::from(u16::MAX) / 2 {
        return Err(Error::request("items", "there are more items than a cross-tab can hold"));
    }
    Ok(items)
}

impl PlannedItem {
    /// Whether it takes members from each other or divides them by each other.
    pub(super) fn sets_against(&self) -> bool {
        let mut against = false;
        let apart = |e: &Expr| matches!(e.node, Node::Binary(Operator::Subtract | Operator::Divide, ..));
        self.expr.walk(&mut |e| against |= apart(e));
        against && self.operands.len() > 1
    }

    /// The formula for values of a type; `None` where it has no meaning for them, as for dates.
    pub(crate) fn typed(&self, gives: Type, assumptions: &Assumptions) -> Option<Typed<usize>> {
        let mut scope = Siblings { names: self.operands.clone(), gives, assumptions };
        check(&self.expr, &mut scope).ok()
    }
}

/// Names are siblings, numbered in the order in which they first stand in the formula.
struct Siblings<'a> {
    names: Vec<String>,
    gives: Type,
    assumptions: &'a Assumptions,
}

impl Scope for Siblings<'_> {
    type Leaf = usize;

    fn name(&mut self, name: &Name, _: &Range<usize>) -> Checked<Typed<usize>> {
        let whole = name.whole();
        if let Some(formula) = self.assumptions.formula(&whole) {
            return Ok(formula);
        }
        let place = self.names.iter().position(|known| *known == whole).unwrap_or_else(|| {
            self.names.push(whole);
            self.names.len() - 1
        });
        Ok(Typed::leaf(place, self.gives))
    }

    fn call(
        &mut self,
        function: &str,
        _: &[Expr],
        _: &[Clause],
        span: &Range<usize>,
    ) -> Checked<Typed<usize>> {
        Err((span.clone(), unknown_message("function of members", function, function_names())))
    }

    fn at(&mut self, _: &Expr, _: &Place, span: &Range<usize>) -> Checked<Typed<usize>> {
        Err((span.clone(), "at cannot stand in an item's formula; its names are siblings already".into()))
    }
}
