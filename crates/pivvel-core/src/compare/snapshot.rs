//! One result as it is compared: the values of a tidy result by the members that they are of.

use std::collections::HashMap;

use crate::crosstab::CrossTab;
use crate::error::{Error, Result};
use crate::model::Value;
use crate::rollup::EntryKind;
use crate::table::{EXACT_COLUMN, LABEL, TIDY_COLUMNS, is_decision, tidy, tidy_dimensions};

/// The cells of one result, from a cross-tab or from a tidy table of one.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::compare::{Comparison, Snapshot};
///
/// let may = Snapshot::of("May", &crosstab());
/// assert!(Comparison::new(&may, &may, &[])?.changes().iter().all(|change| change.earlier() == change.later()));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Snapshot {
    pub(super) name: String,
    pub(super) dimensions: Vec<String>,
    pub(super) cells: Vec<SnapshotRow>,
    places: HashMap<RowKey, usize>,
}

/// A cell and a measure.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct RowKey {
    /// The label in each dimension; nothing where it is rolled up.
    pub(super) members: Vec<Option<String>>,
    pub(super) row_level: String,
    pub(super) column_level: String,
    pub(super) measure: String,
}

/// One row: a cell and a measure, with its values.
#[derive(Debug, Clone)]
pub(super) struct SnapshotRow {
    pub(super) key: RowKey,
    pub(super) kinds: [EntryKind; 2],
    pub(super) value: Option<Value>,
    pub(super) lines: u64,
    pub(super) rank: Option<u32>,
}

impl Snapshot {
    /// The cells of a cross-tab.
    pub fn of(name: impl Into<String>, crosstab: &CrossTab) -> Snapshot {
        let cells = tidy(crosstab).map(|row| {
            let text = |label: Option<&str>| label.map(str::to_string);
            SnapshotRow {
                key: RowKey {
                    members: row.members().into_iter().map(text).collect(),
                    row_level: row.levels()[0].to_string(),
                    column_level: row.levels()[1].to_string(),
                    measure: row.measure().to_string(),
                },
                kinds: row.kinds(),
                value: row.value(),
                lines: row.lines(),
                rank: row.rank(),
            }
        });
        Snapshot::new(name.into(), tidy_dimensions(crosstab), cells.collect())
    }

    fn new(name: String, dimensions: Vec<String>, cells: Vec<SnapshotRow>) -> Snapshot {
        let places = cells.iter().enumerate().map(|(place, cell)| (cell.key.clone(), place)).collect();
        Snapshot { name, dimensions, cells, places }
    }

    /// In a table a label that is rolled up and a blank one are both empty: the levels tell them apart.
    fn roll_up(&mut self) {
        let depths = self.axes().map(|axis| axis.len());
        for cell in &mut self.cells {
            // A dimension that is called like a column, or like the total, has a longer name in one of both.
            let short = |name: &str| name.trim_end_matches("_member").to_string();
            let place = |level: &str| {
                let is = |d: &String| level != "total" && short(level) == short(d);
                self.dimensions.iter().position(is)
            };
            let row = place(&cell.key.row_level).map_or(0, |place| place + 1);
            let column = place(&cell.key.column_level).map_or(0, |place| place + 1 - depths[0]);
            for (i, member) in cell.key.members.iter_mut().enumerate() {
                let used = if i < depths[0] { i < row } else { i - depths[0] < column };
                *member = used.then(|| member.take().unwrap_or_default());
            }
        }
        self.places = self.cells.iter().enumerate().map(|(i, cell)| (cell.key.clone(), i)).collect();
    }

    /// The dimensions on the rows and on the columns.
    pub(super) fn axes(&self) -> [Vec<String>; 2] {
        let is_row = |d: &&String| {
            let name = d.trim_end_matches("_member");
            self.cells.iter().any(|cell| cell.key.row_level == name || cell.key.row_level == **d)
        };
        let rows = self.dimensions.iter().rposition(|d| is_row(&d)).map_or(0, |place| place + 1);
        [self.dimensions[..rows].to_vec(), self.dimensions[rows..].to_vec()]
    }

    pub(super) fn get(&self, key: &RowKey) -> Option<&SnapshotRow> {
        self.places.get(key).map(|place| &self.cells[*place])
    }

    /// The measures in their order.
    pub(super) fn measures(&self) -> Vec<&str> {
        let mut found: Vec<&str> = Vec::new();
        for cell in &self.cells {
            if !found.contains(&cell.key.measure.as_str()) {
                found.push(&cell.key.measure);
            }
        }
        found
    }
}

/// Takes the rows of a tidy table one by one, as texts.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::compare::SnapshotReader;
///
/// let columns = "coast,row_level,column_level,row_kind,column_kind,measure,value,lines,rank".split(',');
/// let columns: Vec<String> = columns.map(String::from).collect();
/// let mut reader = SnapshotReader::new("sales.csv", &columns)?;
/// reader.push(&["Fell", "coast", "total", "member", "total", "sales", "12.55", "2", "1"])?;
/// let snapshot = reader.finish();
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug)]
pub struct SnapshotReader {
    name: String,
    dimensions: Vec<String>,
    /// The places of the dimensions in a row.
    members: Vec<usize>,
    places: Places,
    cells: Vec<SnapshotRow>,
}

/// The places of the other columns in a row.
#[derive(Debug)]
struct Places {
    levels: [usize; 2],
    kinds: [usize; 2],
    measure: usize,
    value: usize,
    lines: usize,
    rank: usize,
}

impl SnapshotReader {
    /// For a table of that name with these columns.
    ///
    /// # Errors
    /// A column of the tidy result that is not there.
    pub fn new(name: impl Into<String>, columns: &[String]) -> Result<SnapshotReader> {
        let name = name.into();
        let place = |wanted: &str| columns.iter().position(|column| column == wanted);
        let needed = |wanted: &str| {
            let message =
                format!("it is no tidy result: it has no column {wanted}; a brief can be compared, too");
            place(wanted).ok_or_else(|| Error::data(&name, message))
        };
        let places = Places {
            levels: [needed("row_level")?, needed("column_level")?],
            kinds: [needed("row_kind")?, needed("column_kind")?],
            measure: needed("measure")?,
            value: needed("value")?,
            lines: needed("lines")?,
            rank: needed("rank")?,
        };
        let places = Places { value: place(EXACT_COLUMN).unwrap_or(places.value), ..places };
        let is_dimension = |(_, name): &(usize, &String)| {
            !TIDY_COLUMNS.contains(&name.as_str()) && *name != EXACT_COLUMN && !is_decision(name)
        };
        // Typed dimensions have their labels in the column after their own.
        let label_of = |name: &str| place(&format!("{name}{LABEL}"));
        let is_label = |name: &str| {
            name.strip_suffix(LABEL).is_some_and(|of| place(of).is_some() && !TIDY_COLUMNS.contains(&of))
        };
        let (members, dimensions) = columns
            .iter()
            .enumerate()
            .filter(|column| is_dimension(column) && !is_label(column.1))
            .map(|(place, name)| (label_of(name).unwrap_or(place), name.clone()))
            .unzip();
        Ok(SnapshotReader { name, dimensions, members, places, cells: Vec::new() })
    }

    /// Takes a row: a text for each column, empty where it is blank.
    ///
    /// # Errors
    /// A value that is no number and no date.
    pub fn push(&mut self, row: &[&str]) -> Result<()> {
        let text = |place: usize| row.get(place).copied().unwrap_or_default();
        let filled = |place: usize| Some(text(place)).filter(|text| !text.is_empty());
        let value = filled(self.places.value).map(|written| {
            Value::read(written).ok_or_else(|| {
                let row = self.cells.len() + 1;
                let message = format!("row {row}, column value: {written} is no number and no date");
                Error::data(&self.name, message)
            })
        });
        let kind = |axis: usize| {
            let place = self.places.kinds[axis];
            text(place).parse::<EntryKind>().map_err(|error| {
                let row = self.cells.len() + 1;
                Error::data(&self.name, format!("row {row}: {}", error.message())).with_cause(error)
            })
        };
        let [row_level, column_level] = self.places.levels.map(|place| text(place).to_string());
        let cell = SnapshotRow {
            key: RowKey {
                members: self.members.iter().map(|place| filled(*place).map(str::to_string)).collect(),
                row_level,
                column_level,
                measure: text(self.places.measure).to_string(),
            },
            kinds: [kind(0)?, kind(1)?],
            value: value.transpose()?,
            lines: text(self.places.lines).parse().unwrap_or(0),
            rank: filled(self.places.rank).and_then(|rank| rank.parse().ok()),
        };
        self.cells.push(cell);
        Ok(())
    }

    /// What was taken.
    pub fn finish(self) -> Snapshot {
        let mut snapshot = Snapshot::new(self.name, self.dimensions, self.cells);
        snapshot.roll_up();
        snapshot
    }
}
