//! Measures that are ratios of two others, as a brief says.

use crate::brief::{Brief, MeasureBrief};
use crate::formula::{Expr, Node, Operator};

/// A measure that is one measure over another.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Ratio {
    pub(crate) measure: String,
    pub(crate) above: String,
    pub(crate) below: String,
    pub(crate) helpers: Vec<String>,
}

crate::getters! {
    Ratio {
        /// The ratio.
        measure: &str,
        /// What stands above.
        above: &str,
        /// What stands below.
        below: &str,
        /// Those of the two that are there for the ratio alone, and are not compared themselves.
        helpers: &[String],
    }
}

/// The ratios of a brief, and the brief with both parts of each among its measures.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::compare::with_ratios;
///
/// let brief = Brief::new().rows(["coast"]).measure(("price", "sum(amount) / sum(pieces)"));
/// let (with, ratios) = with_ratios(&brief);
/// assert_eq!(with.get_measures().len(), 3);
/// assert_eq!((ratios[0].measure(), ratios[0].helpers().len()), ("price", 2));
/// ```
pub fn with_ratios(brief: &Brief) -> (Brief, Vec<Ratio>) {
    let mut with = brief.clone();
    let mut ratios = Vec::new();
    for measure in brief.measures.iter().filter(|measure| !measure.hidden) {
        let Some(expr) = measure.formula.expr() else { continue };
        let Node::Binary(Operator::Divide, above, below) = &expr.node else { continue };
        let mut helpers = Vec::new();
        let mut part = |expr: &Expr, with: &mut Brief| match &expr.node {
            Node::Name(name) if brief.measures.iter().any(|m| m.name == name.whole() && !m.hidden) => {
                Some(name.whole())
            }
            // A ratio to another cell is not one that members of this cell have a part in.
            Node::Name(_) | Node::Call { .. } => {
                let name = format!("{expr} of {}", measure.name);
                with.measures.push(MeasureBrief::new(name.clone(), expr.clone()));
                helpers.push(name.clone());
                Some(name)
            }
            _ => None,
        };
        let (Some(above), Some(below)) = (part(above, &mut with), part(below, &mut with)) else { continue };
        ratios.push(Ratio { measure: measure.name.clone(), above, below, helpers });
    }
    (with, ratios)
}
