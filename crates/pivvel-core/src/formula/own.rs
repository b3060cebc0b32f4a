//! Functions of one's own, which stand in formulas once they are registered.

use std::fmt;
use std::sync::{Mutex, PoisonError};

use super::check::function_names;
use super::composed::{self, composed_names};
use super::expr::{Expr, Node, RESERVED};
use super::scalar::{self, Eval, OfNumbers, ScalarFunction, Takes};
use super::written::Formula;
use crate::aggregates::{self, Function, OfSorted};
use crate::error::{Error, Result};

/// Functions over cells, which are no entries of a table.
const OF_CELLS: [&str; 4] = ["rank", "percent_rank", "running", "moving"];

/// A function of one's own. Once it is registered, every formula of the process may use it, in briefs of any form.
///
/// Lines that a database could group are read where a formula uses one. Groups that are kept know a function by its
/// name: whoever merges them must have registered the same.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch};
/// # use pivvel_core as pivvel;
/// use pivvel::formula::OwnFunction;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, CrossTab};
///
/// OwnFunction::of_number("logistic", |x| Some(1.0 / (1.0 + (-x).exp()))).register()?;
/// OwnFunction::of_aggregates("range", "max(x) - min(x)").register()?;
/// let gap = |sorted: &[f64]| sorted.windows(2).map(|two| two[1] - two[0]).reduce(f64::max);
/// OwnFunction::of_values("gap", gap).register()?;
///
/// let x: ArrayRef = Arc::new(Int64Array::from(vec![3, 11, 4]));
/// let batch = RecordBatch::try_from_iter([("x", x)])?;
/// let brief = Brief::new()
///     .measure(("range", "range(x)"))
///     .measure(("gap", "gap(x where x > 2)"))
///     .measure(("odds", "logistic(sum(x) - 18)"));
/// let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
/// let value = |measure| crosstab.value(&[], &[], measure).unwrap().to_string();
/// assert_eq!([value("range"), value("gap"), value("odds")], ["8", "7", "0.5"]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct OwnFunction {
    name: String,
    about: String,
    how: How,
}

enum How {
    Scalar(Takes, Eval),
    Composed(Formula),
    Values(OfSorted),
}

impl OwnFunction {
    fn new(name: &str, how: How) -> OwnFunction {
        OwnFunction { name: name.into(), about: "a function of one's own".into(), how }
    }

    /// A function of one number of a line or a cell. It gives a blank for a blank, and where it gives `None` or what
    /// is no number.
    pub fn of_number(name: &str, of: impl Fn(f64) -> Option<f64> + Send + Sync + 'static) -> OwnFunction {
        let of: OfNumbers = Box::leak(Box::new(move |numbers: &[f64]| of(*numbers.first()?)));
        OwnFunction::new(name, How::Scalar(Takes::Number, Eval::Own(of)))
    }

    /// The same of two numbers.
    pub fn of_two_numbers(
        name: &str,
        of: impl Fn(f64, f64) -> Option<f64> + Send + Sync + 'static,
    ) -> OwnFunction {
        let of = move |numbers: &[f64]| if let [x, y] = *numbers { of(x, y) } else { None };
        OwnFunction::new(name, How::Scalar(Takes::TwoNumbers, Eval::Own(Box::leak(Box::new(of)))))
    }

    /// A function of a text of a line or a cell.
    pub fn of_text(name: &str, of: impl Fn(&str) -> String + Send + Sync + 'static) -> OwnFunction {
        OwnFunction::new(name, How::Scalar(Takes::Text, Eval::Text(Box::leak(Box::new(of)))))
    }

    /// An aggregate that is a formula of others, in which `x` stands for what is aggregated, as
    /// `sum(x * x) / sum(x)`. It is as exact, as small and as easily merged as those are; its clauses are theirs.
    pub fn of_aggregates(name: &str, formula: impl Into<Formula>) -> OwnFunction {
        OwnFunction::new(name, How::Composed(formula.into()))
    }

    /// An aggregate of all values of a group, which it gets in ascending order; there is at least one. They are kept,
    /// as for a median, so that groups merge.
    pub fn of_values(name: &str, of: impl Fn(&[f64]) -> Option<f64> + Send + Sync + 'static) -> OwnFunction {
        OwnFunction::new(name, How::Values(Box::leak(Box::new(of))))
    }

    /// The same with a sentence, without its end, for those who look a function of one line or cell up.
    pub fn about(mut self, about: impl Into<String>) -> OwnFunction {
        self.about = about.into();
        self
    }

    /// Lets every formula of this process use it from now on.
    ///
    /// # Errors
    /// A name that another function has, or that is none; a formula that cannot be read, or that calls a function
    /// that is not known.
    pub fn register(self) -> Result<()> {
        // One after the other, so that a name is not given twice.
        static ONE: Mutex<()> = Mutex::new(());
        let _one = ONE.lock().unwrap_or_else(PoisonError::into_inner);
        let OwnFunction { name, about, how } = self;
        let place = format!("function {name}");
        if !is_word(&name) {
            return Err(Error::request(place, "the name of a function consists of letters, digits and _"));
        }
        if is_known(&name) {
            return Err(Error::request(place, "another function has this name"));
        }
        let usage = format!("{name}({})", if how.takes_two() { "x, y" } else { "x" });
        let [name, usage, about] = [name, usage, about].map(|text| &*Box::leak(text.into_boxed_str()));
        match how {
            How::Scalar(takes, eval) => scalar::add(ScalarFunction::own([name, usage, about], takes, eval)),
            How::Composed(formula) => composed::add([name, usage], checked(&formula, &place)?.clone()),
            How::Values(of) => aggregates::add(name, usage, of),
        }
        Ok(())
    }
}

fn is_word(name: &str) -> bool {
    name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && name.starts_with(|c: char| c.is_ascii_alphabetic())
        && !RESERVED.contains(&name)
}

fn is_known(name: &str) -> bool {
    let aggregates = Function::names().chain(composed_names());
    aggregates.chain(function_names()).chain(OF_CELLS).any(|known| known == name)
}

/// The tree of a formula that calls only what there is, and so not itself.
fn checked<'f>(formula: &'f Formula, place: &str) -> Result<&'f Expr> {
    let tree = formula.tree(place)?;
    let mut unknown = None;
    tree.walk(&mut |part| {
        if let Node::Call { function, .. } = &part.node
            && !is_known(function)
        {
            unknown.get_or_insert((part.span.clone(), function.clone()));
        }
    });
    match unknown {
        Some((span, function)) => Err(formula.error(place, span, format!("unknown function {function}"))),
        None => Ok(tree),
    }
}

impl How {
    fn takes_two(&self) -> bool {
        matches!(self, How::Scalar(Takes::TwoNumbers, _))
    }
}

impl fmt::Debug for How {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            How::Scalar(..) => "of one line or cell",
            How::Composed(_) => "of aggregates",
            How::Values(_) => "of values",
        })
    }
}
