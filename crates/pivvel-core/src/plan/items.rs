//! Calculated items: formulas over the siblings of a member.

use std::ops::Range;

use super::model::{Assumptions, Plan, PlannedItem};
use crate::brief::{Apply, Brief, ItemBrief};
use crate::error::{Error, Result, unknown_function};
use crate::formula::{
    Checked, Clause, Columns, Expr, Name, Node, Operator, Place, Scope, Spot, TypedExpr, check,
    check_formula, function_names,
};
use crate::model::{AxisSide, Notice, NoticeCode, Type};

/// Checks the items of a brief, and brings them into the order in which they are applied: those
/// that go before formula measures first, then in the order of the brief.
pub(super) fn plan_items(
    brief: &Brief,
    plan: &Plan,
    assumptions: &Assumptions,
    columns: &mut Columns,
    notices: &mut Vec<Notice>,
) -> Result<Vec<PlannedItem>> {
    let mut items: Vec<PlannedItem> = Vec::new();
    let before = before_measures(&brief.items);
    let mut ordered: Vec<(&ItemBrief, bool)> = brief.items.iter().zip(before.iter().copied()).collect();
    ordered.sort_by_key(|(_, before_measures)| !before_measures);
    for (item, before_measures) in ordered.iter().copied() {
        let ItemBrief { dimension, name, formula, format, hidden, apply: _ } = item.clone();
        let place = format!("item {name}");
        if name.is_empty() {
            return Err(Error::request("item", "an item needs a name, as in name = \"variance\""));
        }
        let expr = formula.tree(&place)?;
        let Some(spot) = spot_of(&dimension, plan) else {
            if columns.dimension(&dimension).is_err() {
                let known = plan.rows.iter().chain(&plan.columns).map(|d| d.name.as_str());
                return Err(Error::unknown(place, "dimension of the layout", &dimension, known));
            }
            let message = format!("{place} is of {dimension}, which is not in the layout; kept and not used");
            notices.push(Notice::author(NoticeCode::NotInLayout, message));
            continue;
        };
        if items.iter().any(|known| known.spot == spot && known.name == name) {
            return Err(Error::request(place, format!("{dimension} has another item of this name")));
        }
        let mut scope = Siblings { names: Vec::new(), ty: Type::Float, assumptions };
        let checked = check_formula(&place, &formula, &mut scope)?;
        if !checked.ty.is_number() {
            let message = format!("an item gives a number, and this gives {}", checked.ty.words());
            return Err(formula.error_as_a_whole(&place, message));
        }
        let operands = scope.names;
        let known = |name: &String| items.iter().any(|known| known.spot == spot && known.name == *name);
        if let Some(wrong) = wrong_operands((item, before_measures), &operands, &ordered, &known) {
            return Err(Error::request(place, wrong));
        }
        let is_group = before_measures && is_sum_of_members(expr);
        items.push(PlannedItem {
            dimension,
            name,
            formula,
            format,
            hidden,
            before_measures,
            is_group,
            operands,
            spot,
        });
    }
    if items.len() > usize::from(u16::MAX) / 2 {
        return Err(Error::request("items", "there are more items than a cross-tab can hold"));
    }
    Ok(items)
}

/// Where a dimension stands in the layout.
fn spot_of(dimension: &str, plan: &Plan) -> Option<Spot> {
    let on = |side: AxisSide| {
        let level = plan.axis(side).iter().position(|d| d.name == dimension)?;
        Some(Spot { side, level: level + 1 })
    };
    on(AxisSide::Rows).or_else(|| on(AxisSide::Columns))
}

/// What is wrong with the members that an item names: items of its dimension come before those that use them.
fn wrong_operands(
    (item, before_measures): (&ItemBrief, bool),
    operands: &[String],
    ordered: &[(&ItemBrief, bool)],
    is_known: &dyn Fn(&String) -> bool,
) -> Option<String> {
    let ItemBrief { dimension, name, .. } = item;
    let is_later = |(other, _): &(&ItemBrief, bool)| {
        other.dimension == *dimension
            && operands.contains(&other.name)
            && other.name != *name
            && !is_known(&other.name)
    };
    if let Some((later, later_before)) = ordered.iter().copied().find(is_later) {
        return Some(uses_later(item, later, before_measures && !later_before));
    }
    match operands {
        operands if operands.contains(name) => Some(format!("{name} builds on itself")),
        [] => Some(format!("it names no member of {dimension}, as in actual - plan")),
        _ => None,
    }
}

/// Why an item cannot use one that is applied after it.
fn uses_later(item: &ItemBrief, later: &ItemBrief, after_measures: bool) -> String {
    let later_uses = later.formula.expr().map(Expr::names).unwrap_or_default();
    let later = &later.name;
    if after_measures {
        format!("it goes before measures and uses {later}, which goes after them; give both the same apply")
    } else if later_uses.contains(&item.name) {
        format!("it uses {later}, and {later} uses it; items cannot build on each other in a circle")
    } else {
        format!("it uses {later}, which comes after it; write {later} first")
    }
}

/// Whether each item goes before formula measures: as its `apply` says. The default for a sum of members is
/// that it does, so that a ratio of all of them is computed anew and not added up, unless it uses an item that
/// goes after them.
fn before_measures(items: &[ItemBrief]) -> Vec<bool> {
    let sums: Vec<Option<Vec<String>>> = items
        .iter()
        .map(|item| item.formula.expr().filter(|expr| is_sum_of_members(expr)).map(Expr::names))
        .collect();
    let first = |(item, sum): (&ItemBrief, &Option<Vec<String>>)| {
        item.apply.map_or(sum.is_some(), |apply| apply == Apply::BeforeMeasures)
    };
    let mut before: Vec<bool> = items.iter().zip(&sums).map(first).collect();
    // What uses an item that goes after measures does so, too, and so does what uses that one.
    for _ in 0..items.len() {
        for i in (0..items.len()).filter(|i| items[*i].apply.is_none()) {
            let Some(names) = &sums[i] else { continue };
            let uses_after = items.iter().zip(&before).any(|(other, before)| {
                !before && other.dimension == items[i].dimension && names.contains(&other.name)
            });
            before[i] &= !uses_after;
        }
    }
    before
}

/// Whether a formula adds up members, each once, and does nothing else.
fn is_sum_of_members(expr: &Expr) -> bool {
    fn is_sum(expr: &Expr) -> bool {
        match &expr.node {
            Node::Name(_) => true,
            Node::Binary(Operator::Add, a, b) => is_sum(a) && is_sum(b),
            _ => false,
        }
    }
    let mut names = expr.names();
    let all = names.len();
    names.sort();
    names.dedup();
    is_sum(expr) && all > 1 && names.len() == all
}

impl PlannedItem {
    /// Whether it adds up members, whatever else it does.
    pub(super) fn adds_up(&self) -> bool {
        let mut adds = false;
        let add = |e: &Expr| matches!(e.node, Node::Binary(Operator::Add, ..));
        self.formula.expr().into_iter().for_each(|expr| expr.walk(&mut |e| adds |= add(e)));
        adds && self.operands.len() > 1
    }

    /// Whether it takes members from each other or divides them by each other.
    pub(super) fn sets_against(&self) -> bool {
        let mut against = false;
        let apart = |e: &Expr| matches!(e.node, Node::Binary(Operator::Subtract | Operator::Divide, ..));
        self.formula.expr().into_iter().for_each(|expr| expr.walk(&mut |e| against |= apart(e)));
        against && self.operands.len() > 1
    }

    /// The formula for values of a type; `None` where it has no meaning for them, as for dates.
    pub(crate) fn typed(&self, ty: Type, assumptions: &Assumptions) -> Option<TypedExpr<usize>> {
        let mut scope = Siblings { names: self.operands.clone(), ty, assumptions };
        check(self.formula.expr()?, &mut scope).ok()
    }
}

/// Names are siblings, numbered in the order in which they first stand in the formula.
struct Siblings<'a> {
    names: Vec<String>,
    ty: Type,
    assumptions: &'a Assumptions,
}

impl Scope for Siblings<'_> {
    type Leaf = usize;

    fn name(&mut self, name: &Name, _: &Range<usize>) -> Checked<TypedExpr<usize>> {
        let whole = name.whole();
        if let Some(formula) = self.assumptions.formula(&whole) {
            return Ok(formula);
        }
        let place = self.names.iter().position(|known| *known == whole).unwrap_or_else(|| {
            self.names.push(whole);
            self.names.len() - 1
        });
        Ok(TypedExpr::leaf(place, self.ty))
    }

    fn call(
        &mut self,
        function: &str,
        _: &[Expr],
        _: &[Clause],
        span: &Range<usize>,
    ) -> Checked<TypedExpr<usize>> {
        Err((span.clone(), unknown_function("function of members", function, function_names())))
    }

    fn at(&mut self, _: &Expr, _: &Place, span: &Range<usize>) -> Checked<TypedExpr<usize>> {
        Err((span.clone(), "at cannot stand in an item's formula; its names are siblings already".into()))
    }
}
