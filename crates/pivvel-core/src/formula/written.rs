//! A formula as it was written, together with the tree that it is.

use std::convert::Infallible;
use std::fmt;
use std::ops::Range;
use std::str::FromStr;

use super::construct::Call;
use super::expr::Checked;
use super::expr::{Expr, Node, Operator};
use super::parse::read;
use crate::error::Remark;
use crate::error::{Error, Result};

/// A formula: its text and its tree. The text is read once, when the formula is made; what is wrong with it is
/// reported when the tree is asked for, so that a brief can be built without a check at every step.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::formula::Formula;
///
/// let sum = Formula::from("sum(price * quantity)");
/// assert_eq!(sum.tree("measure sales")?.to_string(), "sum(price * quantity)");
/// assert_eq!(sum, Formula::from("sum( price*quantity )"));
/// assert!(Formula::from("sum(price").tree("measure sales").is_err());
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Formula {
    text: String,
    tree: Checked<Expr>,
}

impl Formula {
    /// The text, as it was written; of a formula that was built as a tree, as it is printed.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The tree. `place` says where the formula stands, for the error.
    ///
    /// # Errors
    /// A text that is no formula, with the spot marked.
    pub fn tree(&self, place: &str) -> Result<&Expr> {
        self.tree.as_ref().map_err(|(span, message)| self.error(place, span.clone(), message.clone()))
    }

    /// The tree, where the text is a formula.
    pub(crate) fn expr(&self) -> Option<&Expr> {
        self.tree.as_ref().ok()
    }

    /// The formula that a name is by itself.
    pub(crate) fn named(name: &str) -> Formula {
        Formula::from(super::print::quote_name(name))
    }

    /// Whether it is a name by itself, and this one.
    pub(crate) fn is_named(&self, name: &str) -> bool {
        matches!(self.expr().map(|expr| &expr.node), Some(Node::Name(own)) if own.whole() == name)
    }

    /// The condition that this one and another one hold.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::formula::Formula;
    ///
    /// let both = Formula::from("amount > 0").and(&"channel = 'web'".into());
    /// assert_eq!(both.as_str(), "(amount > 0) and (channel = 'web')");
    /// ```
    pub fn and(&self, other: &Formula) -> Formula {
        let text = format!("({self}) and ({other})");
        let part = |formula: &Formula, at: usize| {
            let moved = |span: &Range<usize>| span.start + at..span.end + at;
            match &formula.tree {
                Ok(expr) => Ok(expr.clone().with_spans(&moved)),
                Err((span, message)) => Err((moved(span), message.clone())),
            }
        };
        let joined = |a: Expr, b: Expr| Expr {
            node: Node::Binary(Operator::And, Box::new(a), Box::new(b)),
            span: 0..text.len(),
        };
        let right = self.text.len() + ") and (".len() + 1;
        let tree = part(self, 1).and_then(|a| Ok(joined(a, part(other, right)?)));
        Formula { text, tree }
    }

    /// What is wrong with a part of it.
    pub(crate) fn error(&self, place: &str, span: Range<usize>, message: impl Into<Remark>) -> Error {
        Error::formula(place, &self.text, span, message)
    }

    /// What is wrong with all of it.
    pub(crate) fn error_as_a_whole(&self, place: &str, message: impl Into<Remark>) -> Error {
        self.error(place, 0..self.text.len(), message)
    }
}

/// Formulas are equal when they mean the same; those that cannot be read, when they are the same text.
impl PartialEq for Formula {
    fn eq(&self, other: &Formula) -> bool {
        match (&self.tree, &other.tree) {
            (Ok(a), Ok(b)) => a == b,
            _ => self.text == other.text,
        }
    }
}

/// The formula without text, which cannot be read.
impl Default for Formula {
    fn default() -> Formula {
        Formula::from("")
    }
}

impl fmt::Display for Formula {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl From<&str> for Formula {
    fn from(text: &str) -> Formula {
        Formula::from(text.to_string())
    }
}

impl From<String> for Formula {
    fn from(text: String) -> Formula {
        let tree = read(&text);
        Formula { text, tree }
    }
}

impl From<Expr> for Formula {
    fn from(expr: Expr) -> Formula {
        // The tree of its text is the same, and knows where each part stands.
        let written = Formula::from(expr.to_string());
        match written.expr() == Some(&expr) {
            true => written,
            false => Formula { tree: Ok(expr), ..written },
        }
    }
}

impl From<Call> for Formula {
    fn from(call: Call) -> Formula {
        Formula::from(Expr::from(call))
    }
}

impl FromStr for Formula {
    type Err = Infallible;

    fn from_str(text: &str) -> std::result::Result<Formula, Infallible> {
        Ok(Formula::from(text))
    }
}
