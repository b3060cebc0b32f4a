//! One result as it is compared: the values of a tidy result by the members that they are of.

use std::collections::HashMap;

use arrow_array::cast::AsArray;
use arrow_array::{Array, RecordBatch};

use crate::crosstab::CrossTab;
use crate::error::{Error, Result};
use crate::model::Value;
use crate::table::{TIDY_COLUMNS, tidy, tidy_dimensions};

/// The cells of one result, from a cross-tab or from a tidy table of one.
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
    pub(super) kinds: [String; 2],
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
                kinds: row.kinds().map(str::to_string),
                value: row.value(),
                lines: row.lines(),
                rank: row.rank(),
            }
        });
        Snapshot::new(name.into(), tidy_dimensions(crosstab), cells.collect())
    }

    /// The cells of a tidy table, whose columns are texts by now.
    ///
    /// # Errors
    /// A column of the tidy result that is not there, or a value that is none.
    pub fn from_texts(name: impl Into<String>, batches: &[RecordBatch]) -> Result<Snapshot> {
        let name = name.into();
        let Some(first) = batches.first() else {
            return Err(Error::data(name, "it holds no rows of a tidy result"));
        };
        let schema = first.schema();
        let names: Vec<&str> = schema.fields().iter().map(|field| field.name().as_str()).collect();
        let wanted =
            ["row_level", "column_level", "row_kind", "column_kind", "measure", "value", "lines", "rank"];
        if let Some(missing) = wanted.iter().find(|column| !names.contains(*column)) {
            let message =
                format!("it is no tidy result: it has no column {missing}; a brief can be compared, too");
            return Err(Error::data(name, message));
        }
        let known = |column: &&&str| !TIDY_COLUMNS.contains(column) && **column != "exact";
        let dimensions: Vec<String> = names.iter().filter(known).map(|name| name.to_string()).collect();
        let mut cells = Vec::new();
        for batch in batches {
            cells.extend(read(&name, batch, &dimensions)?);
        }
        let mut snapshot = Snapshot::new(name, dimensions, cells);
        snapshot.roll_up();
        Ok(snapshot)
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

fn read(name: &str, batch: &RecordBatch, dimensions: &[String]) -> Result<Vec<SnapshotRow>> {
    let schema = batch.schema();
    let text = |column: &str, row: usize| -> Option<String> {
        let array = batch.column(schema.index_of(column).ok()?).as_string_opt::<i32>()?;
        array.is_valid(row).then(|| array.value(row).to_string())
    };
    let exact = schema.index_of("exact").is_ok();
    let cell = |row: usize| {
        let cell_text = |column: &str| text(column, row).unwrap_or_default();
        let written = if exact { text("exact", row) } else { text("value", row) };
        let value = written.map(|written| {
            Value::read(&written).ok_or_else(|| {
                Error::data(
                    name,
                    format!("row {}, column value: {written} is no number and no date", row + 1),
                )
            })
        });
        Ok(SnapshotRow {
            key: RowKey {
                members: dimensions.iter().map(|d| text(d, row)).collect(),
                row_level: cell_text("row_level"),
                column_level: cell_text("column_level"),
                measure: cell_text("measure"),
            },
            kinds: [cell_text("row_kind"), cell_text("column_kind")],
            value: value.transpose()?,
            lines: cell_text("lines").parse().unwrap_or(0),
            rank: text("rank", row).and_then(|rank| rank.parse().ok()),
        })
    };
    (0..batch.num_rows()).map(cell).collect()
}
