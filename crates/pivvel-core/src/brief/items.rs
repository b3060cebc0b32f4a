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
use crate::notice::{Notice, NoticeCode};

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
    /// Whether it takes members together as one: their lines are aggregated anew.
    pub is_group: bool,
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
    notices: &mut Vec<Notice>,
) -> Result<Vec<PlannedItem>> {
    let mut items: Vec<PlannedItem> = Vec::new();
    let ordered = brief
        .items
        .iter()
        .filter(|item| goes_first(item, &brief.items))
        .chain(brief.items.iter().filter(|item| !goes_first(item, &brief.items)));
    for item in ordered {
        let before_measures = goes_first(item, &brief.items);
        let ItemBrief { dimension, name, formula, format, hidden, .. } = item.clone();
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
            let message = format!("{place} is of {dimension}, which is not in the layout; kept and not used");
            notices.push(Notice::author(NoticeCode::NotInLayout, message));
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
        // Items of the same dimension come before those that use them.
        let sibling = |other: &&ItemBrief| other.dimension == dimension && operands.contains(&other.name);
        for other in brief.items.iter().filter(sibling).filter(|other| other.name != name) {
            if items.iter().any(|known| known.spot == spot && known.name == other.name) {
                continue;
            }
            let message = match before_measures && !goes_first(other, &brief.items) {
                true => format!(
                    "it goes before measures and uses {}, which goes after them; let both say the same apply",
                    other.name
                ),
                false if names(&other.formula).contains(&name) => {
                    format!(
                        "it uses {}, and {} uses it; items cannot build on each other in a circle",
                        other.name, other.name
                    )
                }
                false => format!("it uses {}, which comes after it; write {} first", other.name, other.name),
            };
            return Err(Error::request(place, message));
        }
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
            is_group: before_measures && takes_together(&expr),
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

/// The names in a formula.
fn names(formula: &str) -> Vec<String> {
    let mut names = Vec::new();
    if let Ok(expr) = parse("", formula) {
        expr.walk(&mut |part| {
            if let Node::Name(name) = &part.node {
                names.push(name.whole());
            }
        });
    }
    names
}

/// Whether an item goes before formula measures: as it says; where it does not say it, a sum of members
/// does, so that a ratio of all of them is computed anew and not added up.
fn goes_first(item: &ItemBrief, all: &[ItemBrief]) -> bool {
    fn first(item: &ItemBrief, all: &[ItemBrief], depth: usize) -> bool {
        let is_sum = || {
            let Ok(expr) = parse("", &item.formula) else { return false };
            let mut uses_later = false;
            expr.walk(&mut |part| {
                let Node::Name(name) = &part.node else { return };
                let whole = name.whole();
                let other = all.iter().find(|o| o.dimension == item.dimension && o.name == whole);
                // Items that use one another in a circle are refused elsewhere.
                uses_later |= other.is_some_and(|other| depth == 0 || !first(other, all, depth - 1));
            });
            takes_together(&expr) && !uses_later
        };
        item.before_measures.unwrap_or_else(is_sum)
    }
    first(item, all, 6)
}

/// Whether a formula adds up members, each once, and does nothing else.
fn takes_together(expr: &Expr) -> bool {
    fn names(expr: &Expr, found: &mut Vec<String>) -> bool {
        match &expr.node {
            Node::Name(name) => {
                let name = name.whole();
                let new = !found.contains(&name);
                found.push(name);
                new
            }
            Node::Binary(Operator::Add, a, b) => names(a, found) && names(b, found),
            _ => false,
        }
    }
    let mut found = Vec::new();
    names(expr, &mut found) && found.len() > 1
}

impl PlannedItem {
    /// Whether it adds up members, whatever else it does.
    pub(super) fn adds_up(&self) -> bool {
        let mut adds = false;
        self.expr.walk(&mut |e| adds |= matches!(e.node, Node::Binary(Operator::Add, ..)));
        adds && self.operands.len() > 1
    }

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
