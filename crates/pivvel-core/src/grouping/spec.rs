//! What a scan is to do: keys to group by, and values whose states are kept.

use crate::aggregates::{Function, Needs};
use crate::formula::{LineFormula, TypedExpr, canonical};
use crate::model::{DatePart, Kind, Type};

/// Everything that a scan needs to know.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Grouping {
    pub(crate) filter: Option<LineFormula>,
    pub(crate) rows: Vec<Key>,
    pub(crate) columns: Vec<Key>,
    pub(crate) values: Vec<LineValue>,
    pub(crate) finer: Vec<Finer>,
}

/// What lines are grouped by.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Key {
    pub(crate) name: String,
    pub(crate) formula: LineFormula,
}

/// Groups that are finer than the cells: by further keys, with values of their own.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Finer {
    pub(crate) keys: Vec<Key>,
    /// The condition that their lines must meet.
    pub(crate) filter: Option<LineFormula>,
    pub(crate) values: Vec<LineValue>,
    /// Groups that are finer still.
    pub(crate) finer: Vec<Finer>,
    /// Whether anything is made of the groups but their number.
    pub(crate) more_than_counted: bool,
}

impl Finer {
    /// Whether groups are counted and nothing else.
    pub(crate) fn is_counted(&self) -> bool {
        !self.more_than_counted && self.values.is_empty() && self.finer.is_empty()
    }
}

/// A formula over lines whose states are kept.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct LineValue {
    /// The formula as text, for messages.
    pub(crate) name: String,
    pub(crate) formula: LineFormula,
    /// What decides which line is first or last.
    pub(crate) by: Option<LineFormula>,
    pub(crate) needs: Needs,
}

/// An aggregate of lines.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Aggregate {
    /// How many lines there are.
    Lines,
    /// Of a value, by its place.
    Of { function: Function, value: usize },
    /// How many different keys there are, blank ones left out.
    Distinct { finer: usize },
    /// One aggregate over another, blank where that is zero: a weighted mean.
    Ratio(Box<Aggregate>, Box<Aggregate>),
    /// An aggregate of what a formula gives in each finer group.
    Nested { function: Function, finer: usize, inner: Box<TypedExpr<Aggregate>> },
}

impl Grouping {
    /// All that decides what the groups are, as a text that stays the same from version to version.
    pub(crate) fn canonical(&self) -> String {
        let Grouping { filter, rows, columns, values, finer } = self;
        format!(
            "where {}\nrows {}\ncolumns {}\n{}",
            condition(filter),
            keys(rows),
            keys(columns),
            states(values, finer)
        )
    }
}

fn condition(filter: &Option<LineFormula>) -> String {
    filter.as_ref().map_or("all".to_string(), canonical)
}

fn keys(keys: &[Key]) -> String {
    let one = |Key { name, formula }: &Key| format!("{name:?} {}", canonical(formula));
    keys.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn states(values: &[LineValue], finer: &[Finer]) -> String {
    // What a value is called is for messages.
    let value = |LineValue { name: _, formula, by, needs }: &LineValue| {
        format!("value {} by {} keeps {}\n", canonical(formula), condition(by), needed(*needs))
    };
    let group = |Finer { keys: own, filter, values, finer, more_than_counted }: &Finer| {
        let counted = if *more_than_counted { "" } else { " counted" };
        format!("per {} where {}{counted}\n{}end\n", keys(own), condition(filter), states(values, finer))
    };
    values.iter().map(value).chain(finer.iter().map(group)).collect()
}

/// States by name.
fn needed(needs: Needs) -> String {
    let Needs { sum, low, high, squares, first, last, list, distinct, spread } = needs;
    let all = [
        (sum, "sum"),
        (low, "low"),
        (high, "high"),
        (squares, "squares"),
        (first, "first"),
        (last, "last"),
        (list, "list"),
        (distinct, "distinct"),
        (spread, "spread"),
    ];
    all.iter().filter(|(kept, _)| *kept).map(|(_, word)| *word).collect::<Vec<_>>().join(" ")
}

impl Key {
    /// What the keys are, as members.
    pub(crate) fn kind(&self) -> (Kind, Option<DatePart>) {
        match self.formula.ty {
            Type::Exact { scale: 0 } => (Kind::Whole, None),
            Type::Exact { scale } => (Kind::Decimal { scale }, None),
            Type::Float => (Kind::Float, None),
            Type::Day => (Kind::Date, None),
            Type::Period(part) => (Kind::Date, Some(part)),
            Type::Condition => (Kind::YesNo, None),
            Type::Text | Type::Nothing => (Kind::Text, None),
        }
    }
}

/// The place of a value among those kept; the same one is kept once.
pub(crate) fn keep_value(
    values: &mut Vec<LineValue>,
    name: String,
    formula: LineFormula,
    by: Option<LineFormula>,
    function: Function,
) -> usize {
    let place = values.iter().position(|v| v.formula == formula && v.by == by).unwrap_or_else(|| {
        values.push(LineValue { name, formula, by, needs: Needs::default() });
        values.len() - 1
    });
    values[place].needs.add(function.needs);
    place
}
