//! Tree to text, with as few brackets as the meaning allows. Reading the text again gives the
//! same tree.

use std::fmt;

use super::{Expr, Node};

impl fmt::Display for Expr {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.node {
            Node::Number { digits, scale } => f.write_str(&crate::lines::decimal_text(*digits, *scale)),
            Node::Text(text) => write!(f, "'{}'", text.replace('\'', "''")),
            Node::Name { base, part } => {
                f.write_str(&quote_name(base))?;
                part.iter().try_for_each(|part| write!(f, ".{part}"))
            }
            Node::Negate(inner) => match strength(inner) > 6 {
                true => write!(f, "-{inner}"),
                false => write!(f, "-({inner})"),
            },
            Node::Not(inner) => match strength(inner) > 2 {
                true => write!(f, "not {inner}"),
                false => write!(f, "not ({inner})"),
            },
            Node::Binary(operator, left, right) => {
                // A comparison takes no comparison as a part, on either side.
                let own = operator.strength();
                let left_floor = if own == 4 { 5 } else { own };
                side(f, left, strength(left) >= left_floor)?;
                write!(f, " {} ", operator.symbol())?;
                side(f, right, strength(right) > own)
            }
            Node::Call { function, arguments } => {
                write!(f, "{function}(")?;
                for (i, argument) in arguments.iter().enumerate() {
                    let comma = if i > 0 { ", " } else { "" };
                    write!(f, "{comma}{argument}")?;
                }
                f.write_str(")")
            }
        }
    }
}

/// A name as a formula writes it: bare where it can be, else in double quotes.
pub fn quote_name(name: &str) -> String {
    let bare = name.chars().all(|c| c.is_alphanumeric() || c == '_')
        && name.chars().next().is_some_and(|c| c.is_alphabetic() || c == '_')
        && !matches!(name, "and" | "or" | "not");
    if bare { name.to_string() } else { format!("\"{}\"", name.replace('"', "\"\"")) }
}

fn side(f: &mut fmt::Formatter<'_>, part: &Expr, bare: bool) -> fmt::Result {
    if bare { write!(f, "{part}") } else { write!(f, "({part})") }
}

fn strength(expr: &Expr) -> u8 {
    match &expr.node {
        Node::Binary(operator, ..) => operator.strength(),
        Node::Not(_) => 3,
        _ => 7,
    }
}
