//! The formula language: text to tree, tree to text, tree to something that runs.
//!
//! A formula is a tree of [`Expr`] nodes, each with the span of the text that it came from. The
//! same tree stands for formulas over lines, over cells, over members and for conditions; what a
//! name means and which nodes are allowed is decided where the formula is used.

mod apply;
mod bounds;
mod by_entry;
mod canonical;
mod cell;
mod check;
mod columns;
mod composed;
mod conditions;
mod construct;
mod elementwise;
mod entries;
mod evaluate;
mod expr;
mod line;
mod numbers;
mod own;
mod parse;
mod print;
mod scalar;
mod texts;
mod values;
mod written;

pub(crate) use bounds::{Extent, extents};
pub(crate) use canonical::canonical;
pub(crate) use cell::{CellFormula, CellLeaf, Ranking, Relation, Shift, Spot, Way, all_leaves};
pub(crate) use check::{
    Blanks, Scope, Step, TypedExpr, check, check_condition, check_formula, check_number, check_truth,
    function_names,
};
pub(crate) use columns::{Columns, with_quotes_hint};
pub(crate) use composed::{composed, composed_names};
pub use construct::{Call, call, col, count, distinct, max, mean, median, min, sum};
pub(crate) use entries::Entries;
pub(crate) use evaluate::Evaluation;
pub(crate) use expr::Checked;
pub use expr::{Clause, Expr, Group, Name, Node, Operator, Place, Ties};
pub(crate) use line::{LineFormula, LineLeaf};
pub(crate) use numbers::{Data, Numbers, floats};
pub use own::OwnFunction;
pub use parse::parse;
pub use print::quote_name;
pub use scalar::{ScalarFunction, scalar_functions};
pub(crate) use texts::column_texts;
pub(crate) use values::{Evaluate, Texts, Values, arithmetic, evaluate, holds};
pub use written::Formula;
