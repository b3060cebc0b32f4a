//! Leaf groups with their states as Arrow arrays, and back: what is saved of lines that were scanned,
//! so that they need not be scanned again.
//!
//! A group is a row of a table: a column for each key, the count of its lines, and for each value the
//! count of those in which it is blank and its states. Finer groups are a list in the row of the group
//! that they are part of.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::{Decimal128Type, Decimal256Type, Float64Type, Int32Type, UInt64Type};
use arrow_array::{
    Array, ArrayRef, BinaryArray, BooleanArray, Decimal128Array, Decimal256Array, Float64Array, Int32Array,
    ListArray, StringArray, StructArray, UInt64Array,
};
use arrow_buffer::OffsetBuffer;
use arrow_data::transform::MutableArrayData;
use arrow_schema::{DataType, Field, Fields};

use super::finer::FinerScan;
use super::finer_table::GroupPaths;
use super::keys::KeyScan;
use super::leaf::Scan;
use super::spec::LineValue;
use super::states::{Extremes, States, Sums, ValueStates};
use super::totals::Totals;
use crate::aggregates::{Distinct, ExactFloat, Moments, QuantileSketch};
use crate::error::{Error, Result};

use crate::lines::Member;
use crate::model::{Decimal, Kind, Type, Value};

/// Named columns of a table, in order.
type KeptColumns = Vec<(String, ArrayRef)>;

impl Scan<'_> {
    /// The groups as a table.
    pub(crate) fn kept(&self) -> Result<StructArray> {
        let pairs = self.groups.pairs();
        let (rows, columns): (Vec<u32>, Vec<u32>) = pairs.iter().copied().unzip();
        let mut table = self.rows.kept("row", &rows);
        table.extend(self.columns.kept("column", &columns));
        let order = in_order(&table, &vec![0; pairs.len()]);
        table.extend(self.states.kept(pairs.len()));
        for (i, finer) in self.finer.iter().enumerate() {
            let (each, states) = finer.each(GroupPaths::new(&self.groups, &self.rows, &self.columns));
            table.push((format!("finer {}", i + 1), Arc::new(finer.kept(&each, &states, pairs.len())?)));
        }
        moved(structs(table, pairs.len())?, &order)
    }

    /// Takes the groups of a table, as if their lines had been read.
    pub(crate) fn take_kept(&mut self, table: &StructArray) -> Result<()> {
        let mut from = Taken(table);
        let rows = (0..self.rows.len()).map(|i| from.column(&format!("row {}", i + 1)));
        let rows = rows.collect::<Result<Vec<_>>>()?;
        let columns = (0..self.columns.len()).map(|i| from.column(&format!("column {}", i + 1)));
        let columns = columns.collect::<Result<Vec<_>>>()?;
        let states = States::of_kept(&self.grouping.values, &mut from)?;
        self.absorb_rows(&rows, &columns, &states)?;
        let groups = self.group_of_line.clone();
        for (i, finer) in self.finer.iter_mut().enumerate() {
            let paths = GroupPaths::new(&self.groups, &self.rows, &self.columns);
            finer.take_kept(&from.column(&format!("finer {}", i + 1))?, paths, &groups)?;
        }
        Ok(())
    }
}

impl FinerScan {
    /// The finer groups of so many groups, as a list for each, from the group and key of every one, and their states.
    fn kept(&self, each: &[(u32, u32)], states: &States, groups: usize) -> Result<ListArray> {
        // In the order of the groups that they are part of.
        let mut order: Vec<usize> = (0..each.len()).collect();
        order.sort_by_key(|i| each[*i].0);
        let mut lengths = vec![0; groups];
        each.iter().for_each(|(group, _)| lengths[*group as usize] += 1);
        let keys: Vec<u32> = order.iter().map(|i| each[*i].1).collect();
        let mut into = vec![0; order.len()];
        order.iter().enumerate().for_each(|(place, i)| into[*i] = place as u32);
        let overflow = |_| Error::overflow("a sum over the lines");
        let states = states.merged(&into, order.len()).map_err(overflow)?;
        let mut table = self.keys.kept("key", &keys);
        let of: Vec<u32> = order.iter().map(|i| each[*i].0).collect();
        let by_key = in_order(&table, &of);
        table.extend(states.kept(order.len()));
        for (i, finer) in self.finer.iter().enumerate() {
            let (mut each, states) = finer.each(self.table.paths());
            each.iter_mut().for_each(|(group, _)| *group = into[*group as usize]);
            table.push((format!("finer {}", i + 1), Arc::new(finer.kept(&each, &states, order.len())?)));
        }
        let table = moved(structs(table, order.len())?, &by_key)?;
        let field = Arc::new(Field::new("group", table.data_type().clone(), false));
        ListArray::try_new(field, OffsetBuffer::from_lengths(lengths), Arc::new(table), None).map_err(failed)
    }

    /// Takes lists of finer groups, one for each group that is named.
    fn take_kept(&mut self, lists: &ArrayRef, paths: GroupPaths<'_>, groups: &[u32]) -> Result<()> {
        let Some(lists) = lists.as_list_opt::<i32>() else { return Err(wrong("finer groups")) };
        let table = lists.values().as_struct_opt().ok_or_else(|| wrong("finer groups"))?;
        let mut of = Vec::with_capacity(table.len());
        for (group, length) in groups.iter().zip(lists.offsets().lengths()) {
            of.extend(std::iter::repeat_n(*group, length));
        }
        let mut from = Taken(table);
        let keys = (0..self.keys.len()).map(|i| from.column(&format!("key {}", i + 1)));
        let keys = keys.collect::<Result<Vec<_>>>()?;
        let states = States::of_kept(&self.values, &mut from)?;
        self.absorb_rows(paths, &of, &[], &keys, &states)?;
        let numbers = self.numbers.clone();
        for (i, finer) in self.finer.iter_mut().enumerate() {
            let deeper = from.column(&format!("finer {}", i + 1))?;
            finer.take_kept(&deeper, self.table.paths(), &numbers)?;
        }
        Ok(())
    }
}

impl KeyScan {
    /// The members of paths, a column for each key.
    fn kept(&self, lead: &str, paths: &[u32]) -> KeptColumns {
        let mut columns = Vec::with_capacity(self.levels.len());
        let mut paths = paths.to_vec();
        for (i, level) in self.levels.iter().enumerate().rev() {
            let pairs = level.pairs();
            let coder = &self.coders[i];
            let members: Vec<Cow<'_, Member>> =
                paths.iter().map(|p| coder.member(pairs[*p as usize].1)).collect();
            columns.push((format!("{lead} {}", i + 1), array_of(coder.kind(), &members)));
            paths.iter_mut().for_each(|path| *path = pairs[*path as usize].0);
        }
        columns.reverse();
        columns
    }
}

/// Members as an array from which they are coded again.
fn array_of(kind: Kind, members: &[Cow<'_, Member>]) -> ArrayRef {
    let digits = |member: &Cow<'_, Member>| match &**member {
        Member::Number(number) => Some(number.digits),
        _ => None,
    };
    let period = |member: &Cow<'_, Member>| {
        if let Member::Period(period) = &**member { Some(period.number()) } else { None }
    };
    let float = |member: &Cow<'_, Member>| match &**member {
        Member::Float(bits) => Some(f64::from_bits(*bits)),
        _ => None,
    };
    let yes = |member: &Cow<'_, Member>| if let Member::YesNo(yes) = &**member { Some(*yes) } else { None };
    let text = |member: &Cow<'_, Member>| match &**member {
        Member::Text(text) => Some(text.to_string()),
        _ => None,
    };
    match kind {
        Kind::Text => Arc::new(members.iter().map(text).collect::<StringArray>()),
        Kind::Date => Arc::new(members.iter().map(period).collect::<Int32Array>()),
        Kind::Float => Arc::new(members.iter().map(float).collect::<Float64Array>()),
        Kind::YesNo => Arc::new(members.iter().map(yes).collect::<BooleanArray>()),
        Kind::Whole | Kind::Decimal { .. } => {
            Arc::new(members.iter().map(digits).collect::<Decimal128Array>())
        }
    }
}

/// More lines than any source has; so many can be added up thousands of times.
const MOST_LINES: u128 = 1 << 50;

impl States {
    fn kept(&self, groups: usize) -> KeptColumns {
        let mut columns: KeptColumns = vec![("lines".into(), counts(self.all_lines()))];
        for (i, value) in self.values.iter().enumerate() {
            columns.extend(
                value
                    .kept(groups, &self.totals)
                    .into_iter()
                    .map(|(name, array)| (format!("{name} {}", i + 1), array)),
            );
        }
        columns
    }

    fn of_kept(values: &[LineValue], from: &mut Taken<'_>) -> Result<States> {
        let mut states = States::new(values);
        let lines = from.counts("lines")?;
        if lines.iter().map(|lines| u128::from(*lines)).sum::<u128>() > MOST_LINES {
            return Err(wrong("lines"));
        }
        states.resize(lines.len());
        states.totals.set_lines(&lines);
        for (i, value) in states.values.iter_mut().enumerate() {
            let column = |name: &str| from.column(&format!("{name} {}", i + 1));
            value.take_kept(&column, &mut states.totals)?;
            if lines.iter().zip(&value.blank).any(|(lines, blank)| blank > lines) {
                return Err(wrong("blank"));
            }
            let present = |group: usize| lines[group] - value.blank.get(group).copied().unwrap_or(0);
            let mut groups = 0..lines.len();
            if value.needs.list && groups.any(|group| value.lists.len(group) as u64 != present(group)) {
                return Err(wrong("list"));
            }
        }
        Ok(states)
    }
}

impl ValueStates {
    fn kept(&self, groups: usize, totals: &Totals) -> KeptColumns {
        let needs = self.needs;
        let blank = (0..groups).map(|group| self.blank.get(group).copied().unwrap_or(0));
        let mut columns: KeptColumns = vec![("blank".into(), counts(blank))];
        let mut keep = |name: &str, array: ArrayRef| columns.push((name.into(), array));
        match &self.sums {
            Sums::Exact(place) => {
                let sums: Vec<i128> = (0..groups).map(|group| totals.sum(*place, group)).collect();
                keep("sum", wide(&sums));
            }
            Sums::Float(sums) => {
                let sums = sums.iter().map(ExactFloat::to_bytes);
                keep("sum", Arc::new(BinaryArray::from_iter_values(sums)));
            }
            Sums::Unasked => {}
        }
        for (needed, name, extremes) in [(needs.low, "low", &self.lows), (needs.high, "high", &self.highs)] {
            if needed {
                keep(
                    name,
                    match extremes {
                        Extremes::Exact(all) => wide(all),
                        Extremes::Float(all) => Arc::new(Float64Array::from(all.clone())),
                    },
                );
            }
        }
        if needs.squares {
            let exact = self.squares.iter().map(|moments| moments.exact).collect::<Vec<_>>();
            keep("squares", Arc::new(Decimal256Array::from(exact)));
            let floats = self.squares.iter().map(|moments| moments.float.to_bytes());
            keep("float squares", Arc::new(BinaryArray::from_iter_values(floats)));
        }
        self.keep_values(groups, &mut columns);
        columns
    }

    /// The states that hold values, or what was made of them.
    fn keep_values(&self, groups: usize, columns: &mut KeptColumns) {
        let needs = self.needs;
        let mut keep = |name: &str, array: ArrayRef| columns.push((name.into(), array));
        for (needed, name, places) in
            [(needs.first, "first", &self.firsts), (needs.last, "last", &self.lasts)]
        {
            if needed {
                let by = places.iter().map(|place| place.map(|(by, _)| by));
                keep(&format!("{name} by"), Arc::new(by.collect::<Decimal128Array>()));
                keep(name, self.values(places.iter().map(|place| place.map(|(_, value)| value))));
            }
        }
        if needs.distinct {
            let all = self.distincts.iter().map(Distinct::to_bytes);
            keep("distinct", Arc::new(BinaryArray::from_iter_values(all)));
        }
        if needs.spread {
            keep(
                "spread",
                Arc::new(BinaryArray::from_iter_values(self.sketches.iter().map(QuantileSketch::to_bytes))),
            );
        }
        if needs.list {
            let lengths = (0..groups).map(|group| self.lists.len(group));
            let in_order = |group: usize| self.lists.sorted(group, self.ty);
            let values = self.values((0..groups).flat_map(in_order).map(Some));
            let field = Arc::new(Field::new("value", values.data_type().clone(), true));
            let offsets = OffsetBuffer::from_lengths(lengths);
            // As many values as the lengths say.
            if let Ok(lists) = ListArray::try_new(field, offsets, values, None) {
                keep("list", Arc::new(lists));
            }
        }
    }

    fn values(&self, values: impl Iterator<Item = Option<Value>>) -> ArrayRef {
        match self.ty {
            Type::Float => {
                Arc::new(values.map(|value| value.map(|value| value.as_f64())).collect::<Float64Array>())
            }
            _ => {
                let digits = |value: Value| match value {
                    Value::Exact(number) => number.digits,
                    Value::Date(day) => day.into(),
                    Value::Float(_) => 0,
                };
                Arc::new(values.map(|value| value.map(digits)).collect::<Decimal128Array>())
            }
        }
    }

    fn take_kept(&mut self, column: &dyn Fn(&str) -> Result<ArrayRef>, totals: &mut Totals) -> Result<()> {
        let needs = self.needs;
        let digits = |name: &str| digits(column, name);
        let floats = |name: &str| -> Result<Float64Array> {
            column(name)?.as_primitive_opt::<Float64Type>().cloned().ok_or_else(|| wrong(name))
        };
        let sums = |name: &str| -> Result<Vec<ExactFloat>> {
            let array = column(name)?;
            let bytes = array.as_binary_opt::<i32>().ok_or_else(|| wrong(name))?;
            bytes.iter().map(|one| one.and_then(ExactFloat::of_bytes).ok_or_else(|| wrong(name))).collect()
        };
        let blank = column("blank")?;
        let blank = blank.as_primitive_opt::<UInt64Type>().ok_or_else(|| wrong("blank"))?;
        self.set_blank(blank.values().to_vec());
        match &mut self.sums {
            Sums::Exact(place) => totals.set_sums(*place, digits("sum")?.values()),
            Sums::Float(own) => *own = sums("sum")?,
            Sums::Unasked => {}
        }
        for (needed, name, extremes) in
            [(needs.low, "low", &mut self.lows), (needs.high, "high", &mut self.highs)]
        {
            match extremes {
                _ if !needed => {}
                Extremes::Exact(own) => *own = digits(name)?.values().to_vec(),
                Extremes::Float(own) => *own = floats(name)?.values().to_vec(),
            }
        }
        if needs.squares {
            let array = column("squares")?;
            let exact = array.as_primitive_opt::<Decimal256Type>().ok_or_else(|| wrong("squares"))?;
            let floats = sums("float squares")?;
            let both = exact.values().iter().zip(floats);
            self.squares = both.map(|(exact, float)| Moments { exact: *exact, float }).collect();
        }
        self.take_values(column)
    }

    /// As [`ValueStates::keep_values`].
    fn take_values(&mut self, column: &dyn Fn(&str) -> Result<ArrayRef>) -> Result<()> {
        let needs = self.needs;
        let ty = self.ty;
        let values = |array: &ArrayRef, name: &str| -> Result<Vec<Option<Value>>> {
            Ok(match ty {
                Type::Float => {
                    let floats = array.as_primitive_opt::<Float64Type>().ok_or_else(|| wrong(name))?;
                    floats.iter().map(|value| value.map(Value::Float)).collect()
                }
                _ => {
                    let digits = array.as_primitive_opt::<Decimal128Type>().ok_or_else(|| wrong(name))?;
                    let value = |digits: i128| match ty {
                        Type::Day => Value::Date(digits as i32),
                        ty => Value::Exact(Decimal::new(digits, ty.scale())),
                    };
                    digits.iter().map(|digits| digits.map(value)).collect()
                }
            })
        };
        for (needed, name, places) in
            [(needs.first, "first", &mut self.firsts), (needs.last, "last", &mut self.lasts)]
        {
            if needed {
                let by = digits(column, &format!("{name} by"))?;
                let own = values(&column(name)?, name)?;
                *places = by.iter().zip(own).map(|(by, value)| Some((by?, value?))).collect();
            }
        }
        let bytes = |name: &str| -> Result<BinaryArray> {
            column(name)?.as_binary_opt::<i32>().cloned().ok_or_else(|| wrong(name))
        };
        if needs.distinct {
            let all = bytes("distinct")?;
            let all = all.iter().map(|one| one.and_then(Distinct::of_bytes)).collect::<Option<_>>();
            self.distincts = all.ok_or_else(|| wrong("distinct"))?;
        }
        if needs.spread {
            let all = bytes("spread")?;
            let all = all.iter().map(|one| one.and_then(QuantileSketch::of_bytes)).collect::<Option<_>>();
            self.sketches = all.ok_or_else(|| wrong("spread"))?;
        }
        if needs.list {
            let array = column("list")?;
            let lists = array.as_list_opt::<i32>().ok_or_else(|| wrong("list"))?;
            let mut all = values(lists.values(), "list")?.into_iter().flatten();
            self.lists.take(|take| {
                for (group, length) in lists.offsets().lengths().enumerate() {
                    all.by_ref().take(length).for_each(|value| take(group, value));
                }
            });
        }
        Ok(())
    }
}

fn digits(column: &dyn Fn(&str) -> Result<ArrayRef>, name: &str) -> Result<Decimal128Array> {
    column(name)?.as_primitive_opt::<Decimal128Type>().cloned().ok_or_else(|| wrong(name))
}

/// The columns of a table that is taken.
struct Taken<'a>(&'a StructArray);

impl Taken<'_> {
    fn column(&self, name: &str) -> Result<ArrayRef> {
        self.0.column_by_name(name).cloned().ok_or_else(|| wrong(name))
    }

    fn counts(&mut self, name: &str) -> Result<Vec<u64>> {
        let column = self.column(name)?;
        Ok(column.as_primitive_opt::<UInt64Type>().ok_or_else(|| wrong(name))?.values().to_vec())
    }
}

fn wrong(name: &str) -> Error {
    Error::data("kept groups", format!("their {name} cannot be read"))
}

fn failed(error: arrow_schema::ArrowError) -> Error {
    Error::caused("kept groups", error)
}

fn counts(counts: impl Iterator<Item = u64>) -> ArrayRef {
    Arc::new(UInt64Array::from_iter_values(counts))
}

fn wide(digits: &[i128]) -> ArrayRef {
    Arc::new(Decimal128Array::from(digits.to_vec()))
}

/// The order of rows by what they are part of and then by their keys: the same lines are kept in the same bytes,
/// whichever of them was read first.
fn in_order(keys: &KeptColumns, part_of: &[u32]) -> Vec<usize> {
    let by_key = |array: &ArrayRef, a: usize, b: usize| -> Ordering {
        let blank = |i: usize| array.is_null(i);
        if blank(a) || blank(b) {
            return blank(a).cmp(&blank(b));
        }
        match array.data_type() {
            DataType::Utf8 => {
                let texts = array.as_string::<i32>();
                texts.value(a).cmp(texts.value(b))
            }
            DataType::Int32 => {
                let periods = array.as_primitive::<Int32Type>();
                periods.value(a).cmp(&periods.value(b))
            }
            DataType::Float64 => {
                let floats = array.as_primitive::<Float64Type>();
                floats.value(a).total_cmp(&floats.value(b))
            }
            DataType::Boolean => {
                let yes = array.as_boolean();
                yes.value(a).cmp(&yes.value(b))
            }
            _ => {
                let digits = array.as_primitive::<Decimal128Type>();
                digits.value(a).cmp(&digits.value(b))
            }
        }
    };
    let mut order: Vec<usize> = (0..part_of.len()).collect();
    order.sort_by(|a, b| {
        let own = || keys.iter().map(|(_, array)| by_key(array, *a, *b)).find(|order| order.is_ne());
        part_of[*a].cmp(&part_of[*b]).then_with(|| own().unwrap_or(Ordering::Equal))
    });
    order
}

/// The rows of a table in another order.
fn moved(table: StructArray, order: &[usize]) -> Result<StructArray> {
    if order.is_sorted() {
        return Ok(table);
    }
    let data = table.to_data();
    let mut rows = MutableArrayData::new(vec![&data], false, order.len());
    order.iter().try_for_each(|row| rows.try_extend(0, *row, row + 1)).map_err(failed)?;
    Ok(StructArray::from(rows.freeze()))
}

fn structs(columns: KeptColumns, rows: usize) -> Result<StructArray> {
    let field = |(name, array): &(String, ArrayRef)| {
        let own: DataType = array.data_type().clone();
        Arc::new(Field::new(name, own, true))
    };
    let fields: Fields = columns.iter().map(field).collect();
    let arrays = columns.into_iter().map(|(_, array)| array).collect();
    StructArray::try_new_with_length(fields, arrays, None, rows).map_err(failed)
}
