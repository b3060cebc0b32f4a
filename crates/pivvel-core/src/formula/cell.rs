//! Formulas over cells: what their leaves are once every name is resolved.

use super::check::TypedExpr;
use super::expr::{Group, Ties};
use crate::aggregates::Function;
use crate::model::{AxisSide, DatePart};

/// A formula over cells, ready to run.
pub(crate) type CellFormula = TypedExpr<CellLeaf>;

/// What a formula over cells reads.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum CellLeaf {
    /// An aggregate of the cell's lines, by its place in the plan.
    Aggregate(usize),
    /// Another measure, by its place in the plan.
    Measure(usize),
    /// The label of the cell's member in a dimension.
    Label(Spot),
    /// The same at a related cell.
    At(Box<CellFormula>, Relation),
    /// An aggregate of a value over a group of cells.
    Among(Function, Box<CellFormula>, Group),
    /// The cell's rank in a group of cells.
    Rank(Box<CellFormula>, Ranking),
    /// The sum of a value from the first cell along a dimension to this one.
    Running(Box<CellFormula>, Way),
    /// An aggregate of a value over so many cells along a dimension, up to this one.
    Moving(Function, Box<CellFormula>, Way, u32),
}

/// A dimension of the layout, by its axis and its level there, from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct Spot {
    pub(crate) side: AxisSide,
    pub(crate) level: usize,
}

/// How a cell is related to another one.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) enum Relation {
    Parent {
        side: AxisSide,
    },
    /// The total of one axis.
    Total {
        side: AxisSide,
    },
    GrandTotal,
    Level(Spot),
    Member(Spot, String),
    /// So many steps of a part of a date away.
    Shift(Shift),
    End {
        spot: Spot,
        last: bool,
        of_all: bool,
    },
}

/// How cells are ranked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Ranking {
    pub(crate) group: Group,
    pub(crate) lowest_first: bool,
    pub(crate) ties: Ties,
    /// As a share of the cells, from 0 to 1, rather than a number.
    pub(crate) percent: bool,
}

/// Along which dimension, and whether over the bounds of its parents.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct Way {
    pub(crate) spot: Spot,
    pub(crate) throughout: bool,
}

/// So many periods away by the calendar.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct Shift {
    /// The outermost dimension that moves.
    pub(crate) spot: Spot,
    /// The period that is named. What is coarser has none of its own, and leads nowhere.
    pub(crate) named: DatePart,
    /// The period to move by, which is another one in `same quarter previous year`.
    pub(crate) unit: DatePart,
    /// How many of them, backward if negative.
    pub(crate) by: i32,
}

/// Gives every leaf of a formula, and of those that it reads other cells by, to `visit`.
pub(crate) fn all_leaves(formula: &CellFormula, visit: &mut dyn FnMut(&CellLeaf)) {
    formula.leaves(&mut |leaf| {
        visit(leaf);
        match leaf {
            CellLeaf::At(inner, _)
            | CellLeaf::Among(_, inner, _)
            | CellLeaf::Rank(inner, _)
            | CellLeaf::Running(inner, _)
            | CellLeaf::Moving(_, inner, ..) => all_leaves(inner, visit),
            CellLeaf::Aggregate(_) | CellLeaf::Measure(_) | CellLeaf::Label(_) => {}
        }
    });
}
