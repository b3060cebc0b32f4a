//! Aggregates that are made of others, an entry each.

use std::ops::Range;
use std::sync::{PoisonError, RwLock};

use super::expr::{Clause, Expr, Node, Operator};
use crate::aggregates::Function;

/// An aggregate that stands for a formula of others.
struct Composed {
    name: &'static str,
    usage: &'static str,
    make: Make,
}

/// The formula, for what is aggregated and how.
#[derive(Clone, Copy)]
enum Make {
    By(fn(&Expr, &[Clause], &Range<usize>) -> Expr),
    /// A formula in which `x` stands for what is aggregated.
    Of(&'static Expr),
}

/// Those that were registered.
static OWN: RwLock<Vec<&'static Composed>> = RwLock::new(Vec::new());

/// Adds one for every formula of the process.
pub(super) fn add([name, usage]: [&'static str; 2], formula: Expr) {
    let make = Make::Of(Box::leak(Box::new(formula)));
    let all = &mut OWN.write().unwrap_or_else(PoisonError::into_inner);
    all.push(Box::leak(Box::new(Composed { name, usage, make })));
}

fn all() -> impl Iterator<Item = &'static Composed> {
    let own = OWN.read().unwrap_or_else(PoisonError::into_inner).clone();
    COMPOSED.iter().chain(own)
}

static COMPOSED: [Composed; 1] =
    [Composed { name: "geometric_mean", usage: "geometric_mean(growth)", make: Make::By(geometric_mean) }];

/// The names of these aggregates.
pub(crate) fn composed_names() -> impl Iterator<Item = &'static str> {
    all().map(|composed| composed.name)
}

/// The formula that a call stands for, if it is one of these; how it is written where it is not written so.
pub(crate) fn composed(
    function: &str,
    arguments: &[Expr],
    clauses: &[Clause],
    span: &Range<usize>,
) -> Option<Result<Expr, String>> {
    let composed = all().find(|composed| composed.name == function)?;
    Some(match arguments {
        [value] => Ok(match composed.make {
            Make::By(make) => make(value, clauses, span),
            Make::Of(formula) => applied(formula.clone(), value, clauses, span),
        }),
        _ => Err(format!("write it like {}", composed.usage)),
    })
}

/// A formula with what is aggregated in the place of `x`, and with clauses for each of its aggregates.
fn applied(mut formula: Expr, value: &Expr, clauses: &[Clause], span: &Range<usize>) -> Expr {
    if matches!(&formula.node, Node::Name(name) if name.whole() == PARAMETER) {
        return value.clone();
    }
    formula.span = span.clone();
    formula.each_part(&mut |part| {
        *part = applied(std::mem::replace(part, Node::Blank.into()), value, clauses, span);
    });
    if let Node::Call { function, clauses: own, .. } = &mut formula.node
        && (Function::named(function).is_some() || composed_names().any(|name| name == function))
    {
        own.extend(clauses.iter().cloned());
        own.sort_by_key(Clause::place);
    }
    formula
}

/// What stands for the values that are aggregated.
const PARAMETER: &str = "x";

/// The mean of logarithms, raised again, as in `case when min(x) > 0 then exp(mean(ln(x))) end`: there is none of
/// values that are not above zero.
fn geometric_mean(value: &Expr, clauses: &[Clause], span: &Range<usize>) -> Expr {
    let expr = |node| Expr { node, span: span.clone() };
    let call = |function: &str, argument: Expr, clauses: &[Clause]| {
        expr(Node::Call { function: function.into(), arguments: vec![argument], clauses: clauses.to_vec() })
    };
    let zero = expr(Node::Number(0.into()));
    let least = call("min", value.clone(), clauses);
    let positive = expr(Node::Binary(Operator::Greater, Box::new(least), Box::new(zero)));
    let logarithms = call("mean", call("ln", value.clone(), &[]), clauses);
    expr(Node::Case { branches: vec![(positive, call("exp", logarithms, &[]))], otherwise: None })
}
