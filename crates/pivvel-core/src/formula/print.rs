//! Tree to text, with as few brackets as the meaning allows. Reading the text again gives the
//! same tree.

use std::fmt;

use super::expr::{COMPARISON, Clause, Expr, Name, Node, Place, RESERVED};

impl fmt::Display for Expr {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.node {
            Node::Number(number) => number.fmt(f),
            Node::Text(text) => write!(f, "'{}'", text.replace('\'', "''")),
            Node::Blank => f.write_str("blank"),
            Node::Name(name) => write!(f, "{name}"),
            Node::Negate(inner) => match strength(inner) > BINDS_NEGATED {
                true => write!(f, "-{inner}"),
                false => write!(f, "-({inner})"),
            },
            Node::Not(inner) => match strength(inner) >= COMPARISON - 1 {
                true => write!(f, "not {inner}"),
                false => write!(f, "not ({inner})"),
            },
            Node::Binary(operator, left, right) => {
                // A comparison takes no comparison as a part, on either side.
                let own = operator.strength();
                let left_floor = if own == COMPARISON { own + 1 } else { own };
                side(f, left, strength(left) >= left_floor)?;
                write!(f, " {} ", operator.symbol())?;
                side(f, right, strength(right) > own)
            }
            Node::Between(value, low, high) => {
                side(f, value, strength(value) > COMPARISON)?;
                f.write_str(" between ")?;
                side(f, low, strength(low) > COMPARISON)?;
                f.write_str(" and ")?;
                side(f, high, strength(high) > COMPARISON)
            }
            Node::In(value, list) => {
                side(f, value, strength(value) > COMPARISON)?;
                f.write_str(" in (")?;
                separated(f, list)?;
                f.write_str(")")
            }
            Node::IsBlank(value) => {
                side(f, value, strength(value) > COMPARISON)?;
                f.write_str(" is blank")
            }
            Node::Case { branches, otherwise } => {
                f.write_str("case")?;
                for (condition, value) in branches {
                    write!(f, " when {condition} then {value}")?;
                }
                otherwise.iter().try_for_each(|value| write!(f, " else {value}"))?;
                f.write_str(" end")
            }
            Node::Call { function, arguments, clauses } => call(f, function, arguments, clauses),
            Node::At(value, place) => {
                side(f, value, strength(value) > BINDS_NEGATED && !matches!(value.node, Node::Negate(_)))?;
                write!(f, " at {place}")
            }
        }
    }
}

/// What is negated, or read at a place, needs no brackets when it binds more tightly than this.
const BINDS_NEGATED: u8 = 6;

fn separated(f: &mut fmt::Formatter<'_>, list: &[Expr]) -> fmt::Result {
    for (i, item) in list.iter().enumerate() {
        let comma = if i > 0 { ", " } else { "" };
        write!(f, "{comma}{item}")?;
    }
    Ok(())
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&quote_name(&self.base))?;
        self.part.iter().try_for_each(|part| write!(f, ".{part}"))
    }
}

impl fmt::Display for Clause {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Clause::Where(condition) => write!(f, "where {condition}"),
            Clause::WeightedBy(weight) => write!(f, "weighted by {weight}"),
            Clause::By(day) => write!(f, "by {day}"),
            Clause::Per(names) => {
                let names: Vec<String> = names.iter().map(Name::to_string).collect();
                write!(f, "per {}", names.join(", "))
            }
            Clause::Over(periods) => write!(f, "over {periods}"),
            Clause::Along(name, throughout) => {
                write!(f, "along {name}{}", if *throughout { " throughout" } else { "" })
            }
            Clause::Among(group) => write!(f, "among {}", group.name()),
            Clause::LowestFirst => f.write_str("lowest first"),
            Clause::Ties(ties) => write!(f, "ties {}", ties.name()),
        }
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Place::Parent => f.write_str("parent"),
            Place::ColumnParent => f.write_str("column parent"),
            Place::RowTotal => f.write_str("row total"),
            Place::ColumnTotal => f.write_str("column total"),
            Place::GrandTotal => f.write_str("grand total"),
            Place::Level(name) => write!(f, "level {name}"),
            Place::Member(name, label) => write!(f, "{name} '{}'", label.replace('\'', "''")),
            Place::Shifted(name, by) => write!(f, "{} {name}", if *by < 0 { "previous" } else { "next" }),
            Place::YearBefore(name) => write!(f, "same {name} previous year"),
            Place::End { along, last, of_all } => {
                let end = if *last { "last" } else { "first" };
                write!(f, "{end} {along}{}", if *of_all { " of all" } else { "" })
            }
        }
    }
}

/// A name as a formula writes it: bare where it can be, else in double quotes.
pub fn quote_name(name: &str) -> String {
    let bare = name.chars().all(|c| c.is_alphanumeric() || c == '_')
        && name.chars().next().is_some_and(|c| c.is_alphabetic() || c == '_')
        && !RESERVED.contains(&name);
    if bare { name.to_string() } else { format!("\"{}\"", name.replace('"', "\"\"")) }
}

fn call(f: &mut fmt::Formatter<'_>, function: &str, arguments: &[Expr], clauses: &[Clause]) -> fmt::Result {
    write!(f, "{function}(")?;
    match arguments {
        [aggregate, value] if function == "moving" => write!(f, "{aggregate} {value}")?,
        arguments => separated(f, arguments)?,
    }
    for (i, clause) in clauses.iter().enumerate() {
        let space = if i > 0 || !arguments.is_empty() { " " } else { "" };
        write!(f, "{space}{clause}")?;
    }
    f.write_str(")")
}

fn side(f: &mut fmt::Formatter<'_>, part: &Expr, bare: bool) -> fmt::Result {
    if bare { write!(f, "{part}") } else { write!(f, "({part})") }
}

fn strength(expr: &Expr) -> u8 {
    match &expr.node {
        Node::Binary(operator, ..) => operator.strength(),
        Node::Not(_) => COMPARISON - 1,
        Node::Between(..) | Node::In(..) | Node::IsBlank(_) => COMPARISON,
        _ => BINDS_NEGATED + 1,
    }
}
