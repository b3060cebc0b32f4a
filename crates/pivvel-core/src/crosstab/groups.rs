//! Leaf groups that are kept, so that lines are scanned once and a year is built from its months.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, ListArray, RecordBatch, StructArray, new_empty_array};
use arrow_buffer::OffsetBuffer;
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::jobs::Job;
use crate::brief::Brief;
use crate::error::{Error, Result};
use crate::grouping::{LeafGroups, Scan};
use crate::lines::{LineSource, Tally};
use crate::model::Kind;

/// The version of how groups are kept. Groups of another one are refused.
const VERSION: &str = "3";

/// The leaf groups of a brief's lines with their states, which can be saved and merged later.
///
/// As a record batch they are one row: a list of groups for the brief and for each of its views, and an
/// empty list whose type tells the columns of the lines.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// use pivvel_core::{Batches, Brief, Groups, Run};
///
/// let month = |pieces: i64| {
///     let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell"]));
///     let pieces: ArrayRef = Arc::new(Int64Array::from(vec![pieces]));
///     let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)]).unwrap();
///     Batches::new(batch.schema(), [batch])
/// };
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
/// let may = Run::new().keep(&brief, &mut month(3))?.1;
/// let june = Run::new().keep(&brief, &mut month(4))?.1;
/// let june = Groups::from_record_batch("june", june.to_record_batch().clone())?;
/// let crosstab = Run::new().build_from(&brief, &[may, june])?;
/// assert_eq!(crosstab.value(&["Fell"], &[], "pieces").unwrap().to_string(), "7");
/// # Ok::<(), pivvel_core::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Groups {
    name: String,
    batch: RecordBatch,
}

impl Groups {
    /// As a record batch of one row.
    pub fn to_record_batch(&self) -> &RecordBatch {
        &self.batch
    }

    /// The groups of such a record batch. The name is for messages.
    ///
    /// # Errors
    /// A batch that holds no groups, or that another version has kept.
    pub fn from_record_batch(name: impl Into<String>, batch: RecordBatch) -> Result<Groups> {
        let name = name.into();
        let version = batch.schema().metadata().get("pivvel:version").cloned();
        match version.as_deref() {
            Some(VERSION) if batch.num_rows() == 1 => Ok(Groups { name, batch }),
            Some(VERSION) | None => Err(Error::data(name, "these are no kept groups")),
            Some(other) => {
                let message = format!(
                    "these groups are kept in form {other}, and form {VERSION} is read; keep them anew"
                );
                Err(Error::data(name, message))
            }
        }
    }

    pub(super) fn new(
        jobs: &[Job],
        scans: &[Scan<'_>],
        source: &dyn LineSource,
        tally: &Tally,
    ) -> Result<Groups> {
        let mut metadata = HashMap::new();
        let mut say = |key: &str, value: String| metadata.insert(format!("pivvel:{key}"), value);
        say("version", VERSION.into());
        say("fingerprint", fingerprint(jobs));
        say("source", source.name().into());
        say("empty_lines", tally.empty_lines.to_string());
        say("blanked", tally.blanked.to_string());
        let list = |number: fn(&Scan<'_>) -> u64| {
            scans.iter().map(|scan| number(scan).to_string()).collect::<Vec<_>>().join(" ")
        };
        say("read", list(|scan| scan.report.read));
        say("excluded", list(|scan| scan.report.excluded));
        say("undecided", list(|scan| scan.report.undecided));
        say("zero_divisions", list(|scan| scan.report.zero_divisions));
        say("not_finite", list(|scan| scan.report.not_finite));
        let mut columns: Vec<(String, ArrayRef)> = Vec::new();
        for (i, scan) in scans.iter().enumerate() {
            columns.push((format!("groups {}", i + 1), Arc::new(one_list(scan.kept()?)?)));
        }
        let lines = DataType::Struct(source.schema().fields().clone());
        columns.push(("lines".into(), Arc::new(one_list(new_empty_array(&lines).as_struct().clone())?)));
        let fields = columns.iter().map(|(name, array)| Field::new(name, array.data_type().clone(), false));
        let schema = Schema::new(fields.collect::<Vec<_>>()).with_metadata(metadata);
        let arrays = columns.into_iter().map(|(_, array)| array).collect();
        let batch = RecordBatch::try_new(Arc::new(schema), arrays)
            .map_err(|e| Error::data("kept groups", e.to_string()))?;
        Ok(Groups { name: source.name().into(), batch })
    }

    fn metadata(&self, key: &str) -> String {
        self.batch.schema().metadata().get(&format!("pivvel:{key}")).cloned().unwrap_or_default()
    }

    /// The columns of the lines.
    fn lines(&self) -> Result<SchemaRef> {
        let list = self.batch.column_by_name("lines").and_then(|column| column.as_list_opt::<i32>());
        match list.map(|list| list.values().data_type().clone()) {
            Some(DataType::Struct(fields)) => Ok(Arc::new(Schema::new(fields))),
            _ => Err(Error::data(&self.name, "these are no kept groups")),
        }
    }

    /// The groups of one job.
    fn table(&self, job: usize) -> Result<StructArray> {
        let list = self.batch.column_by_name(&format!("groups {}", job + 1));
        let list = list.and_then(|column| column.as_list_opt::<i32>());
        let table = list.and_then(|list| list.values().as_struct_opt());
        table.cloned().ok_or_else(|| Error::data(&self.name, "these are no kept groups"))
    }

    fn number(&self, key: &str, job: usize) -> u64 {
        self.metadata(key).split(' ').nth(job).and_then(|text| text.parse().ok()).unwrap_or(0)
    }

    /// That these groups were made for a brief's jobs.
    fn check(&self, jobs: &[Job], first: &Groups) -> Result<()> {
        if self.metadata("fingerprint") == fingerprint(jobs) {
            return Ok(());
        }
        let (own, theirs) = (self.lines()?, first.lines()?);
        let needed = jobs.iter().flat_map(|job| job.plan.needed_names());
        let kind = |schema: &Schema, name: &str| {
            schema.field_with_name(name).ok().and_then(|field| Kind::of(field.data_type()))
        };
        for name in needed {
            if let (Some(a), Some(b)) = (kind(&own, name), kind(&theirs, name))
                && a != b
            {
                let message = format!(
                    "column {name} holds {} here and {} in {}; give it one kind in the brief and keep both anew",
                    a.plural(),
                    b.plural(),
                    first.name
                );
                return Err(Error::data(&self.name, message));
            }
        }
        let message = "these groups were kept for another brief: dimensions, measures or conditions differ";
        Err(Error::data(&self.name, message))
    }
}

/// The merged groups of kept ones, with the report of their lines.
pub(super) fn merged(brief: &Brief, kept: &[Groups]) -> Result<(Vec<Job>, Vec<LeafGroups>, String, Tally)> {
    let Some(first) = kept.first() else {
        return Err(Error::request("groups", "there are none to build from"));
    };
    let unread = Unread { name: first.name.clone(), schema: first.lines()? };
    let jobs = Job::all(brief, &unread)?;
    kept.iter().try_for_each(|groups| groups.check(&jobs, first))?;
    let mut all = Vec::with_capacity(jobs.len());
    for (place, job) in jobs.iter().enumerate() {
        let mut scan = Scan::new(&job.plan.grouping);
        for groups in kept {
            scan.take_kept(&groups.table(place)?).map_err(|e| Error::data(&groups.name, e.to_string()))?;
            scan.report.read += groups.number("read", place);
            scan.report.excluded += groups.number("excluded", place);
            scan.report.undecided += groups.number("undecided", place);
            scan.report.zero_divisions += groups.number("zero_divisions", place);
            scan.report.not_finite += groups.number("not_finite", place);
        }
        all.push(scan.finish());
    }
    let mut tally = Tally::default();
    for groups in kept {
        tally.empty_lines += groups.number("empty_lines", 0);
        tally.blanked += groups.number("blanked", 0);
    }
    let source = match kept {
        [only] => only.metadata("source"),
        [first, .., last] => {
            format!("{} … {} ({} kept)", first.metadata("source"), last.metadata("source"), kept.len())
        }
        [] => String::new(),
    };
    Ok((jobs, all, source, tally))
}

/// What the groups are made by.
fn fingerprint(jobs: &[Job]) -> String {
    hashed(&jobs.iter().map(|job| job.plan.grouped()).collect::<String>())
}

/// A text as a number in hexadecimal digits (FNV-1a).
pub(super) fn hashed(text: &str) -> String {
    let step = |hash: u64, byte: u8| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
    format!("{:016x}", text.bytes().fold(0xcbf2_9ce4_8422_2325u64, step))
}

fn one_list(table: StructArray) -> Result<ListArray> {
    let field = Arc::new(Field::new("group", table.data_type().clone(), false));
    ListArray::try_new(field, OffsetBuffer::from_lengths([table.len()]), Arc::new(table), None)
        .map_err(|e| Error::data("kept groups", e.to_string()))
}

/// Columns without lines.
struct Unread {
    name: String,
    schema: SchemaRef,
}

impl LineSource for Unread {
    fn name(&self) -> &str {
        &self.name
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn scan(&mut self, _: &[usize], _: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        Ok(Tally::default())
    }
}
