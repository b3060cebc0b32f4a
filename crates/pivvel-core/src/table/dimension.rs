//! Columns of dimensions: labels, and beside them members that are days, periods or numbers as what they are.

use std::borrow::Cow;

use arrow_array::ArrayRef;
use arrow_schema::{DataType, Field};

use super::coded::{AxisCodes, Coded};
use super::column::Holds;
use super::pools::Pool;
use super::spec::Texts;
use crate::lines::{Member, MemberId};
use crate::model::Value;
use crate::rollup::{Axis, Entry, OfAxis};

/// What stands after the name of a dimension, in the name of the column of its labels.
pub(crate) const LABEL: &str = "_label";

/// What the dimensions of an axis hold beside their labels, outermost first; nothing for one of texts, or in a table
/// whose numbers are texts.
pub(super) fn held<S: OfAxis>(axis: &Axis<S>, exact: bool) -> Vec<Option<Holds>> {
    (0..axis.depth()).map(|dimension| if exact { None } else { held_by(axis, dimension) }).collect()
}

fn held_by<S: OfAxis>(axis: &Axis<S>, dimension: usize) -> Option<Holds> {
    let members = axis.members(dimension);
    // There may be millions.
    if let Some(scale) = members.scale_of_numbers() {
        return Some(if scale == 0 { Holds::Whole } else { Holds::Exact(scale) });
    }
    let own = |member: &Cow<'_, Member>| {
        !matches!(**member, Member::Blank | Member::Others(_) | Member::Calculated(..))
    };
    let all = (0..members.len()).map(|place| members.member(MemberId(place as u32)));
    let mut are_values = true;
    let values = all.filter(own).map_while(|member| {
        let value = value(&member);
        are_values = value.is_some();
        value
    });
    Some(Holds::of(values)).filter(|holds| are_values && *holds != Holds::Nothing)
}

/// A member as a value: a number, a day, or the first day of a period.
fn value(member: &Member) -> Option<Value> {
    match member {
        Member::Number(number) => Some(Value::Exact(*number)),
        Member::Float(bits) => Some(Value::Float(f64::from_bits(*bits))),
        Member::Period(period) => Some(Value::Date(period.ends()?.0)),
        _ => None,
    }
}

/// The fields of a dimension.
pub(super) fn fields(name: &str, label: &str, holds: Option<Holds>) -> Vec<Field> {
    // Members may be null although the first rows hold none, so every column may.
    match holds {
        None => vec![Field::new(name, DataType::Utf8, true)],
        Some(holds) => {
            vec![Field::new(name, holds.data_type(), true), Field::new(label, DataType::Utf8, true)]
        }
    }
}

/// A column that says where rows stand.
pub(super) enum Location<'r, 'a> {
    Text(Coded<'r, 'a>),
    Typed { holds: Holds, codes: &'r [u32], values: Vec<Option<Value>> },
}

impl Location<'_, '_> {
    /// As a column that has a pool, or none.
    pub(super) fn array(&self, form: Texts, pool: Option<&Pool>) -> ArrayRef {
        match self {
            Location::Text(coded) => coded.array(form, pool),
            Location::Typed { holds, codes, values } => {
                holds.array(codes.iter().map(|code| values[*code as usize]))
            }
        }
    }
}

/// The columns that say where rows stand on an axis: its dimensions, its level and the kind of its entry.
pub(super) struct Located<T> {
    dimensions: Vec<T>,
    level: T,
    kind: T,
}

impl<T> Located<T> {
    /// The columns of one axis.
    pub(super) fn in_order(self) -> Vec<T> {
        let Located { dimensions, level, kind } = self;
        dimensions.into_iter().chain([level, kind]).collect()
    }

    /// The columns of both axes: dimensions, levels and kinds, each of the rows first.
    pub(super) fn with(self, columns: Located<T>) -> Vec<T> {
        let last = [self.level, columns.level, self.kind, columns.kind];
        self.dimensions.into_iter().chain(columns.dimensions).chain(last).collect()
    }
}

impl<'a, S: OfAxis> AxisCodes<'a, S> {
    /// Where rows stand on an axis whose dimensions hold this.
    pub(super) fn located<'s>(&'s self, held: &[Option<Holds>]) -> Located<Location<'s, 'a>> {
        self.columns(held, Location::Text, |level, members, holds| {
            let all = self.axis.members(level - 1);
            let of = |id: MemberId| match all.exact(id) {
                Some(number) => Some(Value::Exact(number)),
                None => value(&all.member(id)),
            };
            let values = members.iter().map(|id| id.and_then(of)).collect();
            Location::Typed { holds, codes: &self.codes, values }
        })
    }

    /// What is made of each column of texts, and of each column of values that the dimension of a level holds beside them.
    fn columns<'s, T>(
        &'s self,
        held: &[Option<Holds>],
        of_texts: impl Fn(Coded<'s, 'a>) -> T,
        of_values: impl Fn(usize, &[Option<MemberId>], Holds) -> T,
    ) -> Located<T> {
        let mut dimensions = Vec::new();
        for (level, holds) in (1..).zip(held) {
            let members = self.members(level);
            dimensions.extend(holds.map(|holds| of_values(level, &members, holds)));
            dimensions.push(of_texts(self.labels(level, &members)));
        }
        Located { dimensions, level: of_texts(self.levels()), kind: of_texts(self.kinds()) }
    }
}

/// The pools of the columns that say where rows stand on an axis, which are some of its entries.
pub(super) fn pools_of<S: OfAxis>(
    axis: &Axis<S>,
    entries: Vec<Entry<S>>,
    held: &[Option<Holds>],
) -> Located<Option<Pool>> {
    let codes = AxisCodes::of_runs(axis, entries.into_iter());
    codes.columns(held, |coded| Pool::new(coded.texts().flatten()), |_, _, _| None)
}
