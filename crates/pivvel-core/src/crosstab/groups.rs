//! Leaf groups that are kept, so that lines are scanned once and a year is built from its months.

use std::collections::HashMap;
use std::panic::catch_unwind;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, ListArray, RecordBatch, StructArray, new_empty_array};
use arrow_buffer::OffsetBuffer;
use arrow_ipc::reader::StreamReader;
use arrow_ipc::writer::StreamWriter;
use arrow_schema::{ArrowError, DataType, Field, Schema, SchemaRef};

use super::jobs::Job;
use crate::brief::Brief;
use crate::error::{Error, Result};
use crate::grouping::Scan;
use crate::lines::{LineSource, Tally};
use crate::model::Kind;

/// The version of how groups are kept. Groups of another one are refused.
const VERSION: &str = "3";

/// What stands behind the stream of kept groups, before the checksum of all that comes before. No reader of streams
/// looks there.
const TRAILER: &[u8; 8] = b"pivvel-2";

/// The leaf groups of a brief's lines with their states, which can be saved and merged later.
///
/// As a record batch they are one row: a list of groups for the brief and for each of its views, and an
/// empty list whose type tells the columns of the lines.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::result::Groups;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, Build};
///
/// let month = |pieces: i64| {
///     let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell"]));
///     let pieces: ArrayRef = Arc::new(Int64Array::from(vec![pieces]));
///     let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)]).unwrap();
///     Batches::new(batch.schema(), [batch])
/// };
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
/// let may = Build::new().groups(&brief, &mut month(3))?;
/// let june = Build::new().groups(&brief, &mut month(4))?;
/// // They can be sent to another machine.
/// let june = Groups::from_bytes("june", &june.to_bytes()?)?;
/// let crosstab = Build::new().from_groups(&brief, &[may, june])?;
/// assert_eq!(crosstab.value(&["Fell"], &[], "pieces").unwrap().to_string(), "7");
/// # Ok::<(), pivvel::Error>(())
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

    /// As bytes that can be sent to another machine or kept: an Arrow IPC stream, and behind it a checksum.
    ///
    /// # Errors
    /// A name of a group that is too long for the stream.
    pub fn to_bytes(&self) -> Result<Vec<u8>> {
        let failed = |e: ArrowError| Error::caused(&self.name, e);
        let mut bytes = Vec::new();
        let mut writer = StreamWriter::try_new(&mut bytes, &self.batch.schema()).map_err(failed)?;
        writer.write(&self.batch).and_then(|()| writer.finish()).map_err(failed)?;
        bytes.extend(TRAILER);
        bytes.extend(crc32fast::hash(&bytes).to_le_bytes());
        Ok(bytes)
    }

    /// The groups of such bytes. The name is for messages. Nothing of the bytes is believed before their checksum
    /// is right.
    ///
    /// # Errors
    /// Bytes that are no groups, or are damaged; groups that another version has kept.
    pub fn from_bytes(name: impl Into<String>, bytes: &[u8]) -> Result<Groups> {
        let name = name.into();
        let wrong = |message: &str| Error::data(&name, message);
        let damaged = || wrong("these are no kept groups, or they are damaged; keep them anew");
        let (stream, sum) = bytes.split_last_chunk::<4>().ok_or_else(damaged)?;
        if !stream.ends_with(TRAILER) || crc32fast::hash(stream).to_le_bytes() != *sum {
            return Err(match bytes.starts_with(b"ARROW1") {
                true => wrong(
                    "this is an Arrow file and no kept groups of this version, which have a checksum; keep them anew",
                ),
                false => damaged(),
            });
        }
        // Only who makes a checksum for them can give the reader bytes that it panics at.
        let read = || StreamReader::try_new(stream, None)?.next().transpose();
        let batch = catch_unwind(read).map_err(|_| damaged())?.map_err(|e| Error::caused(&name, e))?;
        Groups::from_record_batch(&name, batch.ok_or_else(damaged)?)
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
        let batch =
            RecordBatch::try_new(Arc::new(schema), arrays).map_err(|e| Error::caused("kept groups", e))?;
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

/// The jobs of a brief, for the lines that groups were kept of.
pub(super) fn jobs_of(brief: &Brief, kept: &[Groups]) -> Result<(Vec<Job>, Unread)> {
    let Some(first) = kept.first() else {
        return Err(Error::request("groups", "there are none to build from"));
    };
    let mut unread = Unread { name: first.name.clone(), schema: first.lines()? };
    let jobs = Job::all(brief, &mut unread)?;
    kept.iter().try_for_each(|groups| groups.check(&jobs, first))?;
    unread.name = match kept {
        [first, .., last] => {
            format!("{} … {} ({} kept)", first.metadata("source"), last.metadata("source"), kept.len())
        }
        _ => first.metadata("source"),
    };
    Ok((jobs, unread))
}

/// The merged groups of kept ones, with the report of their lines.
pub(super) fn merged<'j>(jobs: &'j [Job], kept: &[Groups]) -> Result<(Vec<Scan<'j>>, Tally)> {
    let mut all = Vec::with_capacity(jobs.len());
    for (place, job) in jobs.iter().enumerate() {
        let mut scan = Scan::new(&job.plan.grouping);
        for groups in kept {
            scan.take_kept(&groups.table(place)?).map_err(|e| e.within(&groups.name))?;
            scan.report.read += groups.number("read", place);
            scan.report.excluded += groups.number("excluded", place);
            scan.report.undecided += groups.number("undecided", place);
            scan.report.zero_divisions += groups.number("zero_divisions", place);
            scan.report.not_finite += groups.number("not_finite", place);
        }
        all.push(scan);
    }
    let mut tally = Tally::default();
    for groups in kept {
        tally.empty_lines += groups.number("empty_lines", 0);
        tally.blanked += groups.number("blanked", 0);
    }
    Ok((all, tally))
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
        .map_err(|e| Error::caused("kept groups", e))
}

/// Columns without lines.
pub(super) struct Unread {
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
