//! The operands of formulas: the parts that have a value of their own, each given a measure that is not
//! shown, so that one run computes them all.

use arrow_schema::Schema;

use crate::brief::{Brief, MeasureBrief};
use crate::formula::{Clause, Expr, Formula, Node};
use crate::plan::Plan;

/// The parts of a formula that have a value of their own, outermost only, each once.
pub(super) fn operands(expr: &Expr) -> Vec<Expr> {
    let mut found = Vec::new();
    gather(expr, &mut found);
    found
}

fn gather(expr: &Expr, found: &mut Vec<Expr>) {
    let mut all = |parts: &[&Expr]| parts.iter().for_each(|part| gather(part, found));
    match &expr.node {
        Node::Name(_) | Node::At(..) => add(expr, found),
        // A function of one value is seen through; an aggregate, a rank and their kin are not.
        Node::Call { function, arguments, clauses } => match clauses.is_empty() && is_of_one_cell(function) {
            true => arguments.iter().for_each(|part| gather(part, found)),
            false => add(expr, found),
        },
        Node::Negate(a) | Node::Not(a) | Node::IsBlank(a) => all(&[a]),
        Node::Binary(_, a, b) => all(&[a, b]),
        Node::Between(a, b, c) => all(&[a, b, c]),
        Node::In(a, list) => {
            gather(a, found);
            list.iter().for_each(|part| gather(part, found));
        }
        Node::Case { branches, otherwise } => {
            let parts = branches.iter().flat_map(|(when, then)| [when, then]);
            parts.chain(otherwise.as_deref()).for_each(|part| gather(part, found));
        }
        Node::Number(_) | Node::Text(_) | Node::Blank => {}
    }
}

fn add(expr: &Expr, found: &mut Vec<Expr>) {
    if !found.contains(expr) {
        found.push(expr.clone());
    }
}

fn is_of_one_cell(function: &str) -> bool {
    crate::formula::function_names().any(|name| name == function)
}

/// Whether a formula is an aggregate of lines and nothing else.
pub(super) fn is_aggregate(expr: &Expr) -> bool {
    let Node::Call { function, clauses, .. } = &expr.node else { return false };
    let of_cells = |clause: &Clause| matches!(clause, Clause::Among(_) | Clause::Along(..));
    crate::aggregates::Function::named(function).is_some() && !clauses.iter().any(of_cells)
}

/// What stands within an operand that has a value of its own too: what is ranked, or added up along a
/// dimension, or looked up elsewhere. What a window moves over is one part, whatever it is made of.
pub(super) fn within(expr: &Expr) -> Vec<Expr> {
    match &expr.node {
        Node::Call { arguments, clauses, .. } if clauses.iter().any(|c| matches!(c, Clause::Over(_))) => {
            // The aggregate comes before it.
            arguments.last().cloned().into_iter().collect()
        }
        Node::Call { arguments, .. } if !is_aggregate(expr) => arguments.iter().flat_map(operands).collect(),
        _ => Vec::new(),
    }
}

/// A brief with a hidden measure for each operand of its measures, and these with the names that they got.
pub(super) fn with_operands(brief: &Brief, schema: &Schema) -> (Brief, Vec<(Expr, String)>) {
    let mut brief = brief.clone();
    if brief.measures.is_empty() {
        brief.measures.push(MeasureBrief::new("lines", "count()"));
    }
    let mut parts = Vec::new();
    for measure in &brief.measures {
        let levels = measure.levels.iter().filter_map(|(_, formula)| formula.as_ref());
        for expr in levels.chain([&measure.formula]).filter_map(Formula::expr) {
            let mut next = operands(expr);
            while let Some(part) = next.pop() {
                next.extend(within(&part));
                parts.push(part);
            }
        }
    }
    let mut named: Vec<(Expr, String)> = Vec::new();
    for part in parts {
        let is_measure = |name: &str| brief.measures.iter().any(|measure| measure.name == name);
        let known = matches!(&part.node, Node::Name(name) if is_measure(&name.whole()));
        if known || named.iter().any(|(had, _)| *had == part) {
            continue;
        }
        let name = format!("operand {} of {part}", named.len() + 1);
        let measure = MeasureBrief { hidden: true, ..MeasureBrief::new(name.clone(), part.clone()) };
        brief.measures.push(measure);
        // What is no number, as a label, has no value to show.
        match Plan::new(&brief, schema) {
            Ok(_) => named.push((part, name)),
            Err(_) => drop(brief.measures.pop()),
        }
    }
    (brief, named)
}
