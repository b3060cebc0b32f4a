//! Parquet files as a source: a row group at a time in as many threads as there are, only the
//! columns that are asked for, and only the row groups that may hold lines that are wanted.

use std::fs::File;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use arrow_array::RecordBatch;
use arrow_schema::{DECIMAL64_MAX_PRECISION, DataType, Field, Schema, SchemaRef};
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::{
    ArrowReaderMetadata, ArrowReaderOptions, ParquetRecordBatchReaderBuilder,
};
use parquet::basic::Type as PhysicalType;
use parquet::file::metadata::{ParquetMetaData, RowGroupMetaData};
use parquet::file::statistics::Statistics;
use pivvel_core::source::{Bound, Kind, Limit, LineSource, ReadProgress, Taker, Tally};
use pivvel_core::{Decimal, Error, Result};

use crate::source::{ReadOptions, Source};
use crate::text::{Chunk, Column, Troubles};
use crate::typed::{TypedColumns, TypedTrouble, read_texts};

/// Lines that are decoded at once: they stay in a core's cache.
const BATCH: usize = 8_192;

/// A Parquet file.
pub(crate) struct ParquetSource {
    name: String,
    path: PathBuf,
    metadata: ArrowReaderMetadata,
    columns: TypedColumns,
    bounds: Vec<Bound>,
    progress: Arc<ReadProgress>,
}

/// A file that begins like Parquet.
pub(crate) fn open(path: PathBuf, name: String, options: &ReadOptions) -> Result<ParquetSource> {
    let file = File::open(&path).map_err(|e| Error::io(path.display().to_string(), e))?;
    let broken = |e| broken(&name, e);
    let as_written = ArrowReaderMetadata::load(&file, ArrowReaderOptions::new()).map_err(broken)?;
    let schema = as_it_is_kept(as_written.schema(), as_written.metadata());
    let options_ = ArrowReaderOptions::new().with_schema(schema);
    let metadata = ArrowReaderMetadata::try_new(as_written.metadata().clone(), options_).map_err(broken)?;
    let columns = TypedColumns::new(metadata.schema(), &options.kinds, options.bad_values)?;
    let total = file.metadata().map_or(0, |file| file.len());
    Ok(ParquetSource {
        name,
        path,
        metadata,
        columns,
        bounds: Vec::new(),
        progress: Arc::new(ReadProgress::of(total)),
    })
}

fn broken(name: &str, error: parquet::errors::ParquetError) -> Error {
    Error::data(name, format!("this Parquet file cannot be read: {error}")).with_cause(error)
}

/// Columns are given on as the file keeps them: texts by dictionary where it does, and decimals of 64 bits as such.
fn as_it_is_kept(schema: &Schema, metadata: &ParquetMetaData) -> SchemaRef {
    let columns = metadata.file_metadata().schema_descr();
    let leaf = |name: &str| columns.columns().iter().position(|column| column.path().parts() == [name]);
    let by_dictionary = |leaf: usize| {
        metadata.row_groups().iter().all(|group| group.column(leaf).dictionary_page_offset().is_some())
    };
    let is_narrow = |leaf: usize| match columns.column(leaf).physical_type() {
        PhysicalType::INT32 | PhysicalType::INT64 => true,
        PhysicalType::FIXED_LEN_BYTE_ARRAY => columns.column(leaf).type_length() as usize <= size_of::<i64>(),
        _ => false,
    };
    let kept_as = |field: &Field| match field.data_type() {
        DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View => {
            let text = || DataType::Dictionary(Box::new(DataType::UInt32), Box::new(DataType::Utf8));
            leaf(field.name()).filter(|leaf| by_dictionary(*leaf)).map(|_| text())
        }
        DataType::Decimal128(precision, scale) if *precision <= DECIMAL64_MAX_PRECISION => {
            let narrow = || DataType::Decimal64(*precision, *scale);
            leaf(field.name()).filter(|leaf| is_narrow(*leaf)).map(|_| narrow())
        }
        _ => None,
    };
    let fields = schema.fields().iter().map(|field| match kept_as(field) {
        Some(kept) => Arc::new(Field::new(field.name(), kept, field.is_nullable())),
        None => field.clone(),
    });
    Arc::new(Schema::new(fields.collect::<Vec<_>>()))
}

/// What the threads of a scan share.
struct Shared<'a> {
    source: &'a ParquetSource,
    wanted: &'a [usize],
    /// The row groups to read, of which the next is at `next`.
    groups: Vec<usize>,
    next: AtomicUsize,
    troubles: Troubles,
}

impl Shared<'_> {
    fn work(&self, take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let mut tally = Tally::default();
        while !self.troubles.is_enough() {
            let Some(group) = self.groups.get(self.next.fetch_add(1, Ordering::Relaxed)) else { break };
            self.group(*group, take, &mut tally)?;
        }
        Ok(tally)
    }

    fn group(
        &self,
        group: usize,
        take: &mut dyn FnMut(RecordBatch) -> Result<()>,
        tally: &mut Tally,
    ) -> Result<()> {
        let ParquetSource { name, path, metadata, columns, progress, .. } = self.source;
        // Threads must not share a file's position.
        let file = File::open(path).map_err(|e| Error::io(path.display().to_string(), e))?;
        let mask = ProjectionMask::roots(metadata.parquet_schema(), self.wanted.iter().copied());
        let reader = ParquetRecordBatchReaderBuilder::new_with_metadata(file, metadata.clone())
            .with_row_groups(vec![group])
            .with_projection(mask)
            .with_batch_size(BATCH)
            .build()
            .map_err(|e| broken(name, e))?;
        let mut sorted = self.wanted.to_vec();
        sorted.sort_unstable();
        sorted.dedup();
        let place = |column: &usize| sorted.iter().position(|known| known == column).unwrap_or(0);
        let places: Vec<usize> = self.wanted.iter().map(place).collect();
        for (number, batch) in reader.enumerate() {
            let batch =
                batch.map_err(|e| Error::data(name, format!("this Parquet file cannot be read: {e}")))?;
            let chunk = (group as u64) << 32 | number as u64;
            let rows = batch.num_rows();
            self.troubles.read(chunk, rows as u64);
            // Its share of the file, by lines.
            let all = metadata.metadata().file_metadata().num_rows().max(1) as f64;
            progress.add((progress.total().unwrap_or(0) as f64 * rows as f64 / all) as u64);
            let arrays: Vec<_> = places.iter().map(|i| batch.column(*i).clone()).collect();
            match columns.batch(name, &arrays, self.wanted, rows) {
                Ok((batch, blanked)) => {
                    tally.count_blanked(blanked);
                    take(batch)?;
                }
                Err(TypedTrouble::Values(trouble)) => self.troubles.meet(chunk, trouble),
                Err(TypedTrouble::Other(error)) => return Err(error),
            }
            if self.troubles.is_enough() {
                break;
            }
        }
        Ok(())
    }
}

impl ParquetSource {
    fn shared<'a>(&'a self, wanted: &'a [usize]) -> Shared<'a> {
        let groups = self.metadata.metadata().row_groups().iter().enumerate();
        let groups = groups.filter(|(_, group)| self.may_hold(group)).map(|(i, _)| i).collect();
        Shared { source: self, wanted, groups, next: AtomicUsize::new(0), troubles: Troubles::default() }
    }

    /// Lines of the row groups that are not read.
    fn left_out(&self) -> u64 {
        let groups = self.metadata.metadata().row_groups().iter();
        groups.filter(|group| !self.may_hold(group)).map(|group| group.num_rows().unsigned_abs()).sum()
    }

    /// Whether a row group may hold a line within all bounds, by what it says of its columns.
    fn may_hold(&self, group: &RowGroupMetaData) -> bool {
        self.bounds.iter().all(|bound| {
            let Some((low, high)) = self.extent(group, bound.column()) else { return true };
            let below = bound.low().is_some_and(|wanted| wanted.is_above(&high));
            let above = bound.high().is_some_and(|wanted| low.is_above(wanted));
            !below && !above
        })
    }

    /// The lowest and the highest value of a column in a row group, where the file has them and none is
    /// blank.
    fn extent(&self, group: &RowGroupMetaData, column: usize) -> Option<(Limit, Limit)> {
        let own = &self.columns.columns[column];
        if self.columns.is_retyped(column) {
            return None;
        }
        let leaf = group.columns().iter().find(|leaf| leaf.column_path().parts() == [own.name.as_str()])?;
        let statistics = leaf.statistics().filter(|statistics| statistics.null_count_opt() == Some(0))?;
        let scale = match own.kind.kind {
            Kind::Whole | Kind::Date => 0,
            Kind::Decimal { scale } => scale,
            Kind::Text => 0,
            Kind::Float | Kind::YesNo => return None,
        };
        let exact = |low: i128, high: i128| {
            (Limit::Exact(Decimal::new(low, scale)), Limit::Exact(Decimal::new(high, scale)))
        };
        let text = |bytes: &[u8]| std::str::from_utf8(bytes).ok().map(|text| Limit::Text(text.into()));
        match (statistics, own.kind.kind) {
            (Statistics::Int32(statistics), Kind::Whole | Kind::Date | Kind::Decimal { .. }) => {
                Some(exact((*statistics.min_opt()?).into(), (*statistics.max_opt()?).into()))
            }
            // A moment is no day, and an unsigned number may be out of order.
            (Statistics::Int64(statistics), Kind::Whole | Kind::Decimal { .. }) => {
                Some(exact((*statistics.min_opt()?).into(), (*statistics.max_opt()?).into()))
            }
            (Statistics::FixedLenByteArray(statistics), Kind::Decimal { .. }) => Some(exact(
                big_endian(statistics.min_opt()?.data())?,
                big_endian(statistics.max_opt()?.data())?,
            )),
            (Statistics::ByteArray(statistics), Kind::Text) => {
                Some((text(statistics.min_opt()?.data())?, text(statistics.max_opt()?.data())?))
            }
            _ => None,
        }
        .filter(|_| {
            !matches!(self.metadata.schema().field(column).data_type(), DataType::UInt32 | DataType::UInt64)
        })
    }
}

/// A number of any length in two's complement, its highest byte first.
fn big_endian(bytes: &[u8]) -> Option<i128> {
    let negative = *bytes.first()? >= 0x80;
    let mut all = [if negative { 0xff } else { 0 }; 16];
    all.get_mut(16usize.checked_sub(bytes.len())?..)?.copy_from_slice(bytes);
    Some(i128::from_be_bytes(all))
}

impl LineSource for ParquetSource {
    fn name(&self) -> &str {
        &self.name
    }

    fn schema(&self) -> SchemaRef {
        self.columns.schema.clone()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let shared = self.shared(columns);
        let mut tally = shared.work(take)?;
        shared.troubles.finish(&self.name, 1)?;
        tally.count_left_out(self.left_out());
        Ok(tally)
    }

    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> Result<Tally> {
        let shared = self.shared(columns);
        let work = |taker: &mut Taker<'_>| {
            let done = shared.work(taker);
            if done.is_err() {
                shared.troubles.stop();
            }
            done
        };
        let mut tally = crate::text::side_by_side(takers, work)?;
        shared.troubles.finish(&self.name, 1)?;
        tally.count_left_out(self.left_out());
        Ok(tally)
    }

    fn narrow(&mut self, bounds: &[Bound]) {
        self.bounds = bounds.to_vec();
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        Some(self.progress.clone())
    }
}

impl Source for ParquetSource {
    fn columns(&self) -> &[Column] {
        &self.columns.columns
    }

    fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally> {
        self.bounds.clear();
        read_texts(self.columns.columns.len(), take, |all, each| self.scan(all, each))
    }
}
