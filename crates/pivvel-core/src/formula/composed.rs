//! Aggregates that are made of others, an entry each.

use std::ops::Range;

use super::expr::{Clause, Expr, Node, Operator};

/// An aggregate that stands for a formula of others.
struct Composed {
    name: &'static str,
    usage: &'static str,
    /// The formula, for what is aggregated and how.
    make: fn(&Expr, &[Clause], &Range<usize>) -> Expr,
}

static COMPOSED: [Composed; 1] =
    [Composed { name: "geometric_mean", usage: "geometric_mean(growth)", make: geometric_mean }];

/// The names of these aggregates.
pub(crate) fn composed_names() -> impl Iterator<Item = &'static str> {
    COMPOSED.iter().map(|composed| composed.name)
}

/// The formula that a call stands for, if it is one of these; how it is written where it is not written so.
pub(crate) fn composed(
    function: &str,
    arguments: &[Expr],
    clauses: &[Clause],
    span: &Range<usize>,
) -> Option<Result<Expr, String>> {
    let composed = COMPOSED.iter().find(|composed| composed.name == function)?;
    Some(match arguments {
        [value] => Ok((composed.make)(value, clauses, span)),
        _ => Err(format!("write it like {}", composed.usage)),
    })
}

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
