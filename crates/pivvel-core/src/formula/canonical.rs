//! A formula as a text that says all that decides what it gives, and that stays the same from version to version:
//! what fingerprints are made of. Whoever changes what is written here changes the version of what is kept.

use super::check::{Blanks, Step, TypedExpr};
use super::line::{LineFormula, LineLeaf};
use crate::model::Type;

impl Type {
    fn canonical(self) -> String {
        match self {
            Type::Exact { scale } => format!("decimal({scale})"),
            Type::Float => "float".into(),
            Type::Day => "date".into(),
            Type::Period(part) => part.name().into(),
            Type::Text => "text".into(),
            Type::Condition => "condition".into(),
            Type::Nothing => "blank".into(),
        }
    }
}

/// A formula over lines: `(step operands…):type`, with columns by their slots.
pub(crate) fn canonical(formula: &LineFormula) -> String {
    format!("({}):{}", step(formula), formula.ty.canonical())
}

fn step(formula: &LineFormula) -> String {
    let all = |word: &str, parts: &[&TypedExpr<LineLeaf>]| {
        let parts: Vec<String> = parts.iter().map(|part| canonical(part)).collect();
        format!("{word} {}", parts.join(" "))
    };
    match &formula.step {
        Step::Leaf(leaf) => match leaf {
            LineLeaf::Column(slot) => format!("column {slot}"),
            LineLeaf::Part(slot, part) => format!("part {slot} {}", part.name()),
            LineLeaf::PartOf(of, part) => all(&format!("part-of {}", part.name()), &[of]),
            LineLeaf::Presence(of) => all("presence", &[of]),
            LineLeaf::Hash(of) => all("hash", &[of]),
            LineLeaf::Where(of, condition) => all("where", &[of, condition]),
        },
        Step::Digits(digits) => digits.to_string(),
        Step::Word(word) => format!("'{}'", word.replace('\'', "''")),
        Step::Nothing => "blank".into(),
        Step::Negate(of) => all("negate", &[of]),
        Step::Not(of) => all("not", &[of]),
        Step::Arithmetic(operator, blanks, a, b) => {
            let blanks = if *blanks == Blanks::AsNothing { "?" } else { "" };
            all(&format!("{}{blanks}", operator.symbol()), &[a, b])
        }
        Step::Compare(operator, a, b) | Step::Logical(operator, a, b) => all(operator.symbol(), &[a, b]),
        Step::IsBlank(of) => all("is-blank", &[of]),
        Step::Case(branches, otherwise) => {
            let parts = branches.iter().flat_map(|(when, then)| [when, then]);
            all("case", &parts.chain([&**otherwise]).collect::<Vec<_>>())
        }
        Step::Apply(call, values) => all(&call.canonical(), &values.iter().collect::<Vec<_>>()),
        Step::Convert(of) => all("convert", &[of]),
    }
}
