//! The tree that a formula is.

use std::ops::Range;

use crate::error::Remark;
use crate::model::Decimal;

/// What comes of reading or checking a formula, or what is wrong and with which part of the text.
pub(crate) type Checked<T> = std::result::Result<T, (Range<usize>, Remark)>;

/// A formula, or a part of one.
#[derive(Debug, Clone)]
pub struct Expr {
    pub(crate) node: Node,
    pub(crate) span: Range<usize>,
}

crate::getters! {
    Expr {
        /// What this part is.
        node: &Node,
        /// Where it stands in the formula's text, in bytes; empty for trees built without text.
        span: &Range<usize>,
    }
}

/// Two trees are equal when they mean the same; where they stood in a text does not count.
impl PartialEq for Expr {
    fn eq(&self, other: &Self) -> bool {
        self.node == other.node
    }
}

/// The parts that formulas are made of.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Node {
    /// A number, exactly as written: `12.50` is 1250 at scale 2, and `25%` is 25 at scale 2.
    Number(Decimal),
    /// A text in single quotes.
    Text(String),
    /// `blank`: no value.
    Blank,
    /// The name of a column, a measure, a member or an assumption.
    Name(Name),
    /// `-x`.
    Negate(Box<Expr>),
    /// `not x`.
    Not(Box<Expr>),
    /// Two parts and what is done with them.
    Binary(Operator, Box<Expr>, Box<Expr>),
    /// `x between low and high`, both ends included.
    Between(Box<Expr>, Box<Expr>, Box<Expr>),
    /// `x in (a, b)`.
    In(Box<Expr>, Vec<Expr>),
    /// `x is blank`.
    IsBlank(Box<Expr>),
    /// `case when c then x … else y end`: the first condition that holds decides.
    Case {
        /// Conditions with what they give, in order.
        branches: Vec<(Expr, Expr)>,
        /// What is given if none holds (default: blank).
        otherwise: Option<Box<Expr>>,
    },
    /// `function(argument, …  clauses)`.
    Call {
        /// The function's name.
        function: String,
        /// What it is given.
        arguments: Vec<Expr>,
        /// Its clauses, in the order of [`Clause`]'s variants.
        clauses: Vec<Clause>,
    },
    /// `x at place`: the same at a related cell.
    At(Box<Expr>, Place),
}

/// A name, with the part of a date that is meant, if any.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Name {
    pub(crate) base: String,
    pub(crate) part: Option<String>,
}

crate::getters! {
    Name {
        /// The name itself.
        base: &str,
        /// The part after the dot, as in `sold_on.quarter`.
        part: Option<&str>,
    }
}

impl Name {
    /// A name, and a part after the dot.
    pub fn new(base: impl Into<String>, part: Option<String>) -> Name {
        Name { base: base.into(), part }
    }

    /// The name as a layout writes it.
    pub fn whole(&self) -> String {
        match &self.part {
            Some(part) => format!("{}.{part}", self.base),
            None => self.base.clone(),
        }
    }
}

/// What can stand within a call's brackets after its arguments.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Clause {
    /// `where condition`: of the lines that meet it only.
    Where(Box<Expr>),
    /// `weighted by x`.
    WeightedBy(Box<Expr>),
    /// `by day`: what decides which line is first or last.
    By(Box<Expr>),
    /// `per client, order`: an aggregate of aggregates.
    Per(Vec<Name>),
    /// `over 3`: how many periods a moving window takes in.
    Over(u32),
    /// `along month`, or `along month throughout`: the dimension to go along, and whether to go on
    /// over the bounds of its parents.
    Along(Name, bool),
    /// `among siblings`.
    Among(Group),
    /// `lowest first` rather than highest first.
    LowestFirst,
    /// `ties low`.
    Ties(Ties),
}

/// The cells that are taken together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Group {
    /// The cells under the same row parent, in the same column.
    Siblings,
    /// The cells under the same column parent, in the same row.
    ColumnSiblings,
    /// All cells of the same grain.
    Level,
    /// The cells of the same grain in the same row.
    Row,
    /// The cells of the same grain in the same column.
    Column,
    /// The cells of the same grain within the same member of the outermost row dimension.
    Branch,
}

/// What cells of equal value get as their rank.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Ties {
    /// The lowest of the ranks that they take up: 1 2 2 4.
    Low,
    /// The highest of them: 1 3 3 4.
    High,
    /// The mean of them: 1 2.5 2.5 4.
    Mean,
    /// The next number, without a gap after it: 1 2 2 3.
    Dense,
    /// Each one of its own, in display order: 1 2 3 4.
    Order,
}

/// A cell that is related to the one where a formula stands.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Place {
    /// `parent`: the row above that this row is part of, in the same column.
    Parent,
    /// `column parent`: the column that this column is part of, in the same row.
    ColumnParent,
    /// `row total`: the total of this row, which stands in the total column.
    RowTotal,
    /// `column total`: the total of this column, which stands in the total row.
    ColumnTotal,
    /// `grand total`.
    GrandTotal,
    /// `level coast`: the member of that level that this cell is part of.
    Level(Name),
    /// `scenario 'plan'`: the cell with another member in that dimension.
    Member(Name, String),
    /// `previous quarter`, `next quarter`: so many periods away, by the calendar.
    Shifted(Name, i32),
    /// `same quarter previous year`.
    YearBefore(Name),
    /// `first month`, `last month`; with `of all` whatever the parent.
    End {
        /// The dimension along which.
        along: Name,
        /// Whether the last rather than the first.
        last: bool,
        /// Whether of all periods rather than of those under the same parent.
        of_all: bool,
    },
}

/// What stands between two parts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
#[non_exhaustive]
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
    pub(super) fn strength(self) -> u8 {
        use Operator::*;
        match self {
            Or => 1,
            And => 2,
            Equal | NotEqual | Less | LessOrEqual | Greater | GreaterOrEqual => COMPARISON,
            Add | Subtract => 5,
            Multiply | Divide => 6,
        }
    }

    /// Whether two values in this order compare as the operator says.
    pub(crate) fn holds(self, order: std::cmp::Ordering) -> bool {
        match self {
            Operator::Equal => order.is_eq(),
            Operator::NotEqual => order.is_ne(),
            Operator::Less => order.is_lt(),
            Operator::LessOrEqual => order.is_le(),
            Operator::Greater => order.is_gt(),
            _ => order.is_ge(),
        }
    }
}

/// How tightly comparisons bind, `between`, `in` and `is blank` among them.
pub(super) const COMPARISON: u8 = 4;

/// Words that have a meaning of their own where a value may stand, so that a column of this name
/// goes in double quotes.
pub(super) const RESERVED: [&str; 13] =
    ["and", "or", "not", "case", "when", "then", "else", "end", "in", "between", "is", "blank", "where"];

impl Expr {
    /// Gives this part and all within it to `each`, outermost first.
    pub fn walk(&self, each: &mut dyn FnMut(&Expr)) {
        each(self);
        match &self.node {
            Node::Negate(a) | Node::Not(a) | Node::IsBlank(a) | Node::At(a, _) => a.walk(each),
            Node::Binary(_, a, b) => [a, b].into_iter().for_each(|e| e.walk(each)),
            Node::Between(a, b, c) => [a, b, c].into_iter().for_each(|e| e.walk(each)),
            Node::In(a, list) => std::iter::once(&**a).chain(list).for_each(|e| e.walk(each)),
            Node::Case { branches, otherwise } => {
                let values = branches.iter().flat_map(|(a, b)| [a, b]).chain(otherwise.as_deref());
                values.for_each(|e| e.walk(each));
            }
            Node::Call { arguments, .. } => arguments.iter().for_each(|e| e.walk(each)),
            Node::Number(_) | Node::Text(_) | Node::Blank | Node::Name(_) => {}
        }
    }

    /// The same tree with every span changed.
    pub(super) fn with_spans(mut self, change: &dyn Fn(&Range<usize>) -> Range<usize>) -> Expr {
        self.span = change(&self.span);
        self.each_part(&mut |part| *part = std::mem::replace(part, Node::Blank.into()).with_spans(change));
        self
    }

    /// Gives each of the formulas that this one is made of to `each`, those in clauses too.
    pub(super) fn each_part(&mut self, each: &mut dyn FnMut(&mut Expr)) {
        match &mut self.node {
            Node::Negate(a) | Node::Not(a) | Node::IsBlank(a) | Node::At(a, _) => each(a),
            Node::Binary(_, a, b) => [a, b].into_iter().for_each(|e| each(e)),
            Node::Between(a, b, c) => [a, b, c].into_iter().for_each(|e| each(e)),
            Node::In(a, list) => std::iter::once(&mut **a).chain(list).for_each(each),
            Node::Case { branches, otherwise } => {
                let values = branches.iter_mut().flat_map(|(a, b)| [a, b]).chain(otherwise.as_deref_mut());
                values.for_each(each);
            }
            Node::Call { function: _, arguments, clauses } => {
                arguments.iter_mut().for_each(&mut *each);
                for clause in clauses {
                    match clause {
                        Clause::Where(a) | Clause::WeightedBy(a) | Clause::By(a) => each(a),
                        Clause::Per(_)
                        | Clause::Over(_)
                        | Clause::Along(..)
                        | Clause::Among(_)
                        | Clause::LowestFirst
                        | Clause::Ties(_) => {}
                    }
                }
            }
            Node::Number(_) | Node::Text(_) | Node::Blank | Node::Name(_) => {}
        }
    }

    /// Whether a function is called in it.
    pub(crate) fn has_call(&self) -> bool {
        let mut found = false;
        self.walk(&mut |part| found |= matches!(part.node, Node::Call { .. }));
        found
    }

    /// The number that it is, where it is one that is written down.
    pub(crate) fn constant(&self) -> Option<Decimal> {
        match &self.node {
            Node::Number(number) => Some(*number),
            Node::Negate(inner) => inner.constant()?.checked_neg(),
            _ => None,
        }
    }

    /// The names in it, outermost first, each as often as it stands there.
    pub fn names(&self) -> Vec<String> {
        let mut names = Vec::new();
        self.walk(&mut |part| {
            if let Node::Name(name) = &part.node {
                names.push(name.whole());
            }
        });
        names
    }
}

impl From<Node> for Expr {
    fn from(node: Node) -> Expr {
        Expr { node, span: 0..0 }
    }
}

impl Group {
    /// The groups by their names in formulas.
    pub const NAMES: [(&'static str, Group); 7] = [
        ("siblings", Group::Siblings),
        ("column siblings", Group::ColumnSiblings),
        ("level", Group::Level),
        ("peers", Group::Level),
        ("row", Group::Row),
        ("column", Group::Column),
        ("branch", Group::Branch),
    ];

    /// The name in formulas.
    pub fn name(self) -> &'static str {
        Group::NAMES.iter().find(|(_, group)| *group == self).map_or("", |(name, _)| name)
    }
}

impl Ties {
    /// The ways by their names in formulas.
    pub const NAMES: [(&'static str, Ties); 5] = [
        ("low", Ties::Low),
        ("high", Ties::High),
        ("mean", Ties::Mean),
        ("dense", Ties::Dense),
        ("order", Ties::Order),
    ];

    /// The name in formulas.
    pub fn name(self) -> &'static str {
        Ties::NAMES.iter().find(|(_, ties)| *ties == self).map_or("", |(name, _)| name)
    }
}
