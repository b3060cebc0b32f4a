//! The tidy result: one row a cell and measure, each with its level, its members and its place
//! among its peers. The columns are a contract; docs/tidy-result.md says what each one means.

use std::io::Write;
use std::ops::Range;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use arrow_array::types::{Float64Type, UInt64Type};
use arrow_array::{ArrayRef, RecordBatch, StringArray, UInt64Array};
use arrow_buffer::{NullBufferBuilder, OffsetBuffer};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::coded::{AxisCodes, Coded, batch_of};
use super::column::{Holds, numbers};
use super::decisions::{Decisions, decided_forms, decision_fields, decision_texts};
use super::dimension::{LABEL, Location, fields, held, pools_of};
use super::figures::RowFigures;
use super::pools::Pools;
use super::spec::{Levels, Texts, exact_field, metadata};
use crate::brief::Form;
use crate::crosstab::{Cell, CrossTab};
use crate::emphasis::Mark;
use crate::model::{ByGrain, Grain, Value, both, threads_for};
use crate::peers::Yardstick;
use crate::rollup::{Axis, Columns, Entry, EntryKind, OfAxis, Rows};

/// The columns after those of the dimensions.
pub const TIDY_COLUMNS: [&str; 14] = [
    "row_level",
    "column_level",
    "row_kind",
    "column_kind",
    "measure",
    "value",
    "lines",
    "peers",
    "peer_count",
    "peer_low",
    "peer_high",
    "peer_mean",
    "position",
    "rank",
];

/// The column that holds a value's digits where `value` is binary floating point.
pub(crate) const EXACT_COLUMN: &str = "exact";

/// One row of the tidy result.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::table::tidy;
///
/// let crosstab = crosstab();
/// let fell = tidy(&crosstab).find(|row| row.members() == [Some("Fell"), None]).unwrap();
/// assert_eq!((fell.levels(), fell.kinds().map(|kind| kind.name())), (["coast", "total"], ["member", "total"]));
/// assert_eq!((fell.value(), fell.rank()), (Some(8.into()), Some(1)));
/// ```
#[derive(Debug, Clone, Copy)]
pub struct TidyRow<'a> {
    cell: Cell<'a>,
    measure: u32,
}

/// Every row of the tidy result: rows in display order, then columns, then measures.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::table::tidy;
///
/// let crosstab = crosstab();
/// let coasts: Vec<_> = tidy(&crosstab).filter(|row| row.levels()[0] == "coast").map(|row| row.value()).collect();
/// assert_eq!(coasts, [Some(8.into()), Some(4.into())]);
/// ```
pub fn tidy(crosstab: &CrossTab) -> impl Iterator<Item = TidyRow<'_>> {
    let measures: Vec<usize> = (0..crosstab.measures().len()).collect();
    TidyRows::new(crosstab, crosstab.cells(), &measures)
}

/// The rows of cells.
pub(super) struct TidyRows<'a, C> {
    cells: C,
    /// The measures that are shown at each grain.
    shown: ByGrain<Vec<u32>>,
    /// The cell whose rows come next, and how many of them came.
    current: Option<(Cell<'a>, usize)>,
}

impl<'a, C: Iterator<Item = Cell<'a>>> TidyRows<'a, C> {
    /// Of these measures, as far as they are shown.
    pub(super) fn new(crosstab: &'a CrossTab, cells: C, measures: &[usize]) -> TidyRows<'a, C> {
        let shown = |grain: Grain| {
            let shown = measures.iter().filter(|measure| crosstab.measures()[**measure].shows_at(grain));
            shown.map(|measure| *measure as u32).collect()
        };
        TidyRows { cells, shown: ByGrain::new(crosstab.deepest(), shown), current: None }
    }
}

impl<'a, C: Iterator<Item = Cell<'a>>> Iterator for TidyRows<'a, C> {
    type Item = TidyRow<'a>;

    fn next(&mut self) -> Option<TidyRow<'a>> {
        loop {
            if let Some((cell, came)) = &mut self.current
                && let Some(measure) = self.shown[cell.grain()].get(*came)
            {
                *came += 1;
                return Some(TidyRow { cell: *cell, measure: *measure });
            }
            self.current = Some((self.cells.next()?, 0));
        }
    }
}

/// The names of the dimensions' columns, rows first. A dimension that is called like another
/// column of the result gets `_member` after its name.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::table::tidy_dimensions;
///
/// assert_eq!(tidy_dimensions(&crosstab()), ["coast", "harbour"]);
/// ```
pub fn tidy_dimensions(crosstab: &CrossTab) -> Vec<String> {
    let dimensions = || crosstab.rows().dimensions().iter().chain(crosstab.columns().dimensions());
    let is_label =
        |name: &str| name.strip_suffix(LABEL).is_some_and(|of| dimensions().any(|other| other.name == of));
    let is_taken = |name: &str| TIDY_COLUMNS.contains(&name) || name == EXACT_COLUMN || is_label(name);
    let name = |name: &String| if is_taken(name) { format!("{name}_member") } else { name.clone() };
    dimensions().map(|d| name(&d.name)).collect()
}

impl<'a> TidyRow<'a> {
    /// The label of each dimension, rows first; `None` where it is rolled up, empty for a blank
    /// member.
    pub fn members(&self) -> Vec<Option<&'a str>> {
        fn labels<S: OfAxis>(axis: &Axis<S>, entry: Entry<S>) -> impl Iterator<Item = Option<&str>> {
            (1..=axis.depth()).map(move |level| axis.label_at(entry, level))
        }
        let (rows, columns) = self.axes();
        labels(rows, self.cell.row()).chain(labels(columns, self.cell.column())).collect()
    }

    /// The names of the row level and the column level.
    pub fn levels(&self) -> [&'a str; 2] {
        let (rows, columns) = self.axes();
        [rows.level_name(self.cell.row().level()), columns.level_name(self.cell.column().level())]
    }

    /// The kinds of the row and the column.
    pub fn kinds(&self) -> [EntryKind; 2] {
        let (rows, columns) = self.axes();
        [rows.kind(self.cell.row()), columns.kind(self.cell.column())]
    }

    pub(super) fn measure_place(&self) -> usize {
        self.measure as usize
    }

    /// The measure's name.
    pub fn measure(&self) -> &'a str {
        &self.cell.crosstab().measures()[self.measure_place()].name
    }

    /// The value; `None` where it is blank.
    pub fn value(&self) -> Option<Value> {
        self.cell.value(self.measure_place())
    }

    /// How many lines are behind it.
    pub fn lines(&self) -> u64 {
        self.cell.lines()
    }

    /// What its group of peers is called: the measure, the row level and the column level; where
    /// members are scaled apart, with the label of what they are or are under; where not all cells of
    /// a grain are peers, with the members that they are in.
    pub fn peers(&self) -> &'a str {
        self.cell.peers(self.measure_place()).unwrap_or_default()
    }

    /// The yardstick of its peers; `None` where none of them has a value.
    pub fn yardstick(&self) -> Option<&'a Yardstick> {
        self.cell.yardstick(self.measure_place())
    }

    /// Its position among its peers; see [`Cell::position`].
    pub fn position(&self) -> Option<f64> {
        self.cell.position(self.measure_place())
    }

    /// Its rank among its peers; see [`Cell::rank`].
    pub fn rank(&self) -> Option<u32> {
        self.cell.rank(self.measure_place())
    }

    /// What makes it stand out; see [`Cell::marks`].
    pub fn marks(&self) -> Vec<Mark> {
        self.cell.marks(self.measure_place())
    }

    fn axes(&self) -> (&'a Axis<Rows>, &'a Axis<Columns>) {
        (self.cell.crosstab().rows(), self.cell.crosstab().columns())
    }
}

/// By the names of its columns, with numbers as in the text forms: exact ones with all their digits, as texts.
impl serde::Serialize for TidyRow<'_> {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        use serde::ser::SerializeMap;
        let mut map = serializer.serialize_map(None)?;
        for (name, label) in tidy_dimensions(self.cell.crosstab()).iter().zip(self.members()) {
            map.serialize_entry(name, &label)?;
        }
        let ([row_level, column_level], [row_kind, column_kind]) =
            (self.levels(), self.kinds().map(EntryKind::name));
        let texts = [
            ("row_level", row_level),
            ("column_level", column_level),
            ("row_kind", row_kind),
            ("column_kind", column_kind),
            ("measure", self.measure()),
        ];
        texts.iter().try_for_each(|(name, text)| map.serialize_entry(name, text))?;
        map.serialize_entry("value", &self.value())?;
        map.serialize_entry("lines", &self.lines())?;
        map.serialize_entry("peers", self.peers())?;
        let yardstick = self.yardstick();
        map.serialize_entry("peer_count", &yardstick.map_or(0, |y| y.count))?;
        map.serialize_entry("peer_low", &yardstick.map(|y| y.low))?;
        map.serialize_entry("peer_high", &yardstick.map(|y| y.high))?;
        map.serialize_entry("peer_mean", &yardstick.and_then(|y| y.mean))?;
        map.serialize_entry("position", &self.position())?;
        map.serialize_entry("rank", &self.rank())?;
        map.end()
    }
}

impl CrossTab {
    /// The tidy result as an Arrow record batch. `value`, `peer_low` and `peer_high` are binary
    /// floating point; the text column `exact` after `value` holds the value to the last digit. A dimension of days,
    /// periods (by their first day) or numbers has a column of that type, and a column of labels after it.
    pub fn to_record_batch(&self) -> RecordBatch {
        let rows: Vec<TidyRow<'_>> = tidy(self).collect();
        TidyShape::new(self, false, false).batch(&rows, Texts::OfTable, threads_for(rows.len(), self.threads))
    }
}

/// The columns of the tidy result, where exact numbers stand as text or beside binary ones.
pub(super) struct TidyShape<'a> {
    pub(super) schema: SchemaRef,
    crosstab: &'a CrossTab,
    /// What the dimensions of rows and columns hold.
    held: [Vec<Option<Holds>>; 2],
    exact: bool,
    /// The forms whose decisions it has.
    decisions: Vec<Form>,
    pools: Pools,
}

impl<'a> TidyShape<'a> {
    pub(super) fn new(crosstab: &'a CrossTab, exact: bool, with_decisions: bool) -> TidyShape<'a> {
        let names = tidy_dimensions(crosstab);
        let held = [held(crosstab.rows(), exact), held(crosstab.columns(), exact)];
        let text = |name: &str| Field::new(name, DataType::Utf8, true);
        let of_dimension =
            |(name, holds): (&String, &Option<Holds>)| fields(name, &format!("{name}{LABEL}"), *holds);
        let mut fields: Vec<Field> = names.iter().zip(held.iter().flatten()).flat_map(of_dimension).collect();
        for name in TIDY_COLUMNS {
            match name {
                "value" if exact => fields.push(exact_field(name)),
                "peer_low" | "peer_high" if exact => fields.push(exact_field(name)),
                "value" => {
                    fields.extend([Field::new(name, DataType::Float64, true), exact_field(EXACT_COLUMN)]);
                }
                "lines" | "peer_count" | "rank" => fields.push(Field::new(name, DataType::UInt64, true)),
                "peer_low" | "peer_high" | "peer_mean" | "position" => {
                    fields.push(Field::new(name, DataType::Float64, true));
                }
                _ => fields.push(text(name)),
            }
        }
        let decisions = if with_decisions { decided_forms(crosstab) } else { Vec::new() };
        fields.extend(decisions.iter().flat_map(|form| decision_fields(*form)));
        let schema = Schema::new(fields).with_metadata(metadata(crosstab));
        TidyShape { schema: Arc::new(schema), crosstab, held, exact, decisions, pools: Pools::default() }
    }

    /// The same with dictionaries of the texts that the rows of some levels and measures have.
    pub(super) fn with_dictionaries(mut self, kept: &Levels, measures: &[usize]) -> TidyShape<'a> {
        let crosstab = self.crosstab;
        let (rows, columns) = kept.with_cells(crosstab);
        let of_columns = pools_of(crosstab.columns(), columns, &self.held[1]);
        self.pools = Pools::new(pools_of(crosstab.rows(), rows, &self.held[0]).with(of_columns));
        // The last one of a name: a dimension may be called like a column of decisions.
        let place = |name: &str| self.schema.fields().iter().rposition(|field| field.name() == name);
        let names = measures.iter().map(|measure| crosstab.measures()[*measure].name.as_str());
        place("measure").into_iter().for_each(|place| self.pools.set(place, names.clone()));
        let of_peers = |grain| measures.iter().flat_map(move |measure| crosstab.peers_names(*measure, grain));
        place("peers").into_iter().for_each(|place| self.pools.set(place, kept.grains().flat_map(of_peers)));
        for (name, texts) in self.decisions.iter().flat_map(|form| decision_texts(crosstab, *form)) {
            let texts = texts.iter().map(String::as_str);
            place(&name).into_iter().for_each(|place| self.pools.set(place, texts.clone()));
        }
        self.schema = self.pools.typed(&self.schema);
        self
    }

    /// The rows as a batch, whose columns are built by so many threads.
    pub(super) fn batch(&self, rows: &[TidyRow<'a>], form: Texts, threads: usize) -> RecordBatch {
        // Several columns need these.
        let axes = || {
            let of_rows = AxisCodes::of_runs(self.crosstab.rows(), rows.iter().map(|row| row.cell.row()));
            (of_rows, AxisCodes::new(self.crosstab.columns(), rows.iter().map(|row| row.cell.column())))
        };
        let figures =
            || RowFigures::new(self.crosstab, rows.iter().map(|row| (row.cell, row.measure_place())));
        let ((of_rows, of_columns), figures) = both(threads, axes, figures);
        let figures = &figures;
        let measures: Vec<u32> = rows.iter().map(|row| row.measure).collect();
        let all = self.crosstab.measures();

        // A measure that no row has may be hidden: its name stays out, too.
        let names = (0..).zip(all.iter().map(|measure| measure.name.as_str()));
        let measure_names = names.map(|(place, name)| measures.contains(&place).then_some(name));
        let mut texts = of_rows.located(&self.held[0]).with(of_columns.located(&self.held[1]));
        texts.push(Location::Text(Coded::new(&measures, measure_names)));
        let mut columns: Vec<BuildColumn<'_>> = Vec::with_capacity(self.schema.fields().len());
        for (place, text) in texts.into_iter().enumerate() {
            columns.push(Box::new(move || text.array(form, self.pools.get(place))));
        }
        if !self.exact {
            columns.push(Box::new(|| floats(figures.values.iter().map(|value| value.and_then(number)))));
        }
        columns.push(Box::new(|| digits(figures.values.iter().copied())));
        columns.push(Box::new(|| counts(figures.lines.iter().copied())));
        let of_peers = self.pools.get(columns.len());
        columns.push(Box::new(|| figures.names().array(form, of_peers)));
        columns.push(Box::new(|| counts(figures.of_yardsticks(|y| y.map_or(0, |y| y.count)))));
        let ends: [fn(&Yardstick) -> Value; 2] = [|y| y.low, |y| y.high];
        for end in ends {
            columns.push(match self.exact {
                true => Box::new(move || figures.digits_of(end, form)),
                false => Box::new(move || floats(figures.of_yardsticks(|y| y.map(end).and_then(number)))),
            });
        }
        columns.push(Box::new(|| floats(figures.of_yardsticks(|y| y?.mean))));
        columns.push(Box::new(|| floats(figures.positions())));
        columns.push(Box::new(|| numbers::<UInt64Type>(figures.ranks.iter().copied())));
        let decisions = Decisions::new(
            self.crosstab,
            &self.decisions,
            rows.iter().map(|row| (row.cell, row.measure_place())),
        );
        let mut columns = build_all(columns, threads);
        let first = columns.len();
        columns.extend(decisions.arrays(|place| self.pools.get(first + place)));
        batch_of(&self.schema, columns)
    }
}

/// Builds a column.
type BuildColumn<'a> = Box<dyn FnOnce() -> ArrayRef + Send + 'a>;

/// Builds columns by so many threads.
fn build_all(columns: Vec<BuildColumn<'_>>, threads: usize) -> Vec<ArrayRef> {
    if threads < 2 {
        return columns.into_iter().map(|build| build()).collect();
    }
    let arrays: Vec<OnceLock<ArrayRef>> = columns.iter().map(|_| OnceLock::new()).collect();
    let left = Mutex::new(columns.into_iter().zip(&arrays));
    let work = || {
        let next = || left.lock().unwrap_or_else(PoisonError::into_inner).next();
        while let Some((build, array)) = next() {
            array.get_or_init(build);
        }
    };
    std::thread::scope(|scope| {
        (1..threads).for_each(|_| drop(scope.spawn(work)));
        work();
    });
    arrays.into_iter().filter_map(OnceLock::into_inner).collect()
}

/// A date has no number; it is a text in the column `exact`.
fn number(value: Value) -> Option<f64> {
    (!matches!(value, Value::Date(_))).then(|| value.as_f64())
}

/// Values with all their digits. Neighbours often have the same ones.
fn digits(values: impl ExactSizeIterator<Item = Option<Value>>) -> ArrayRef {
    let (mut bytes, mut lengths) = (Vec::with_capacity(values.len() * 12), Vec::with_capacity(values.len()));
    let mut nulls = NullBufferBuilder::new(values.len());
    // 1.5 and 1.50 are equal, and are not written alike.
    let alike = |a: Value, b: Value| match (a, b) {
        (Value::Exact(a), Value::Exact(b)) => (a.digits(), a.scale()) == (b.digits(), b.scale()),
        (a, b) => a == b,
    };
    let mut last: Option<(Value, Range<usize>)> = None;
    for value in values {
        let begin = bytes.len();
        match (value, &last) {
            (Some(value), Some((same, text))) if alike(value, *same) => {
                bytes.extend_from_within(text.clone())
            }
            (Some(value), _) => {
                match value {
                    Value::Exact(number) => number.push_to(&mut bytes),
                    // Writing into memory cannot fail.
                    _ => drop(write!(bytes, "{value}")),
                }
                last = Some((value, begin..bytes.len()));
            }
            (None, _) => {}
        }
        lengths.push(bytes.len() - begin);
        nulls.append(value.is_some());
    }
    let texts = StringArray::try_new(OffsetBuffer::from_lengths(lengths), bytes.into(), nulls.finish());
    Arc::new(texts.unwrap_or_else(|e| unreachable!("numbers and dates are written in ASCII: {e}")))
}

fn floats(all: impl Iterator<Item = Option<f64>>) -> ArrayRef {
    numbers::<Float64Type>(all)
}

fn counts(all: impl Iterator<Item = u64>) -> ArrayRef {
    Arc::new(UInt64Array::from_iter_values(all))
}
