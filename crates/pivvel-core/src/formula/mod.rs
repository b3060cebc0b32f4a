//! The formula language: text to tree, tree to text.
//!
//! A formula is a tree of [`Expr`] nodes, each with the span of the text that it came from. The
//! same tree stands for formulas over lines, for measures and for conditions; what a name means
//! and which nodes are allowed is decided where the formula is used.

mod columns;
mod evaluate;
mod line;
mod parse;
mod print;

pub(crate) use columns::Columns;
pub(crate) use evaluate::{Data, Evaluation, Numbers};
pub(crate) use line::{LineFormula, LineType};
pub use parse::parse;
pub use print::quote_name;

use std::ops::Range;

/// A formula, or a part of one.
#[derive(Debug, Clone)]
pub struct Expr {
    /// What this part is.
    pub node: Node,
    /// Where it stands in the formula's text, in bytes; empty for trees built without text.
    pub span: Range<usize>,
}

/// Two trees are equal when they mean the same; where they stood in a text does not count.
impl PartialEq for Expr {
    fn eq(&self, other: &Self) -> bool {
        self.node == other.node
    }
}

/// The parts that formulas are made of.
#[derive(Debug, Clone, PartialEq)]
pub enum Node {
    /// A number, exactly as written: `12.50` is 1250 at scale 2, and `25%` is 25 at scale 2.
    Number {
        /// The digits.
        digits: i128,
        /// How many of them stand after the decimal point.
        scale: u8,
    },
    /// A text in single quotes.
    Text(String),
    /// The name of a column or a measure, with the part of a date that is meant, if any.
    Name {
        /// The name itself.
        base: String,
        /// The part after the dot, as in `sold_on.quarter`.
        part: Option<String>,
    },
    /// `-x`.
    Negate(Box<Expr>),
    /// `not x`.
    Not(Box<Expr>),
    /// Two parts and what is done with them.
    Binary(Operator, Box<Expr>, Box<Expr>),
    /// `function(argument)`.
    Call {
        /// The function's name.
        function: String,
        /// What it is given.
        arguments: Vec<Expr>,
    },
}

/// What stands between two parts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Operator {
    Add,
    Subtract,
    Multiply,
    Divide,
    Equal,
    NotEqual,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
    And,
    Or,
}

impl Operator {
    /// The operator as it is written.
    pub fn symbol(self) -> &'static str {
        use Operator::*;
        match self {
            Add => "+",
            Subtract => "-",
            Multiply => "*",
            Divide => "/",
            Equal => "=",
            NotEqual => "<>",
            Less => "<",
            LessOrEqual => "<=",
            Greater => ">",
            GreaterOrEqual => ">=",
            And => "and",
            Or => "or",
        }
    }

    /// How tightly it binds; a higher number binds first.
    fn strength(self) -> u8 {
        use Operator::*;
        match self {
            Or => 1,
            And => 2,
            Equal | NotEqual | Less | LessOrEqual | Greater | GreaterOrEqual => 4,
            Add | Subtract => 5,
            Multiply | Divide => 6,
        }
    }
}

impl From<Node> for Expr {
    fn from(node: Node) -> Expr {
        Expr { node, span: 0..0 }
    }
}
