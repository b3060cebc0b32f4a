//! Lines in an order: kept while they are read, and no more of them than are wanted.

use std::cmp::Ordering;

use arrow_array::{ArrayRef, RecordBatch, make_array};
use arrow_data::transform::MutableArrayData;
use arrow_schema::ArrowError;

use crate::error::{Error, Result};
use crate::model::Value;

/// What a line is sorted by; blanks come last.
#[derive(Debug, Clone)]
pub(super) enum SortKey {
    Number(Value),
    Text(Box<str>),
}

/// The keys of one line, in the order in which they count.
pub(super) type Keys = Vec<Option<SortKey>>;

/// Lines that are to be sorted.
#[derive(Debug)]
pub(super) struct Sorted {
    /// For each key, whether the highest comes first.
    descending: Vec<bool>,
    limit: usize,
    batches: Vec<RecordBatch>,
    /// The keys of every line, and where it is.
    lines: Vec<(Keys, (usize, usize))>,
}

/// Lines beyond those wanted that are kept before they are dropped together.
const SLACK: usize = 65_536;

impl Sorted {
    pub(super) fn new(descending: Vec<bool>, limit: Option<usize>) -> Sorted {
        Sorted { descending, limit: limit.unwrap_or(usize::MAX), batches: Vec::new(), lines: Vec::new() }
    }

    /// Takes a batch with the keys of its lines.
    pub(super) fn push(&mut self, batch: RecordBatch, keys: Vec<Keys>) -> Result<()> {
        let at = self.batches.len();
        self.lines.extend(keys.into_iter().enumerate().map(|(line, keys)| (keys, (at, line))));
        self.batches.push(batch);
        if self.lines.len() > self.limit.saturating_mul(2).saturating_add(SLACK) {
            let kept = self.gathered()?;
            self.batches = kept.into_iter().collect();
            self.lines.iter_mut().enumerate().for_each(|(line, (_, at))| *at = (0, line));
        }
        Ok(())
    }

    /// The lines in order, if there are any.
    pub(super) fn finish(mut self) -> Result<Option<RecordBatch>> {
        self.gathered()
    }

    fn gathered(&mut self) -> Result<Option<RecordBatch>> {
        let descending = &self.descending;
        // Lines of equal keys stay in the order in which they were read.
        self.lines.sort_by(|(a, _), (b, _)| order(a, b, descending));
        self.lines.truncate(self.limit);
        let Some(first) = self.batches.first() else { return Ok(None) };
        let column = |place: usize| -> Result<ArrayRef, ArrowError> {
            let parts: Vec<_> = self.batches.iter().map(|batch| batch.column(place).to_data()).collect();
            let mut all = MutableArrayData::new(parts.iter().collect(), true, self.lines.len());
            self.lines.iter().try_for_each(|(_, (batch, line))| all.try_extend(*batch, *line, line + 1))?;
            Ok(make_array(all.freeze()))
        };
        let columns: Result<Vec<ArrayRef>, ArrowError> = (0..first.num_columns()).map(column).collect();
        let batch = columns.and_then(|columns| RecordBatch::try_new(first.schema(), columns));
        batch.map(Some).map_err(|e| Error::caused("lines", e))
    }
}

fn order(a: &[Option<SortKey>], b: &[Option<SortKey>], descending: &[bool]) -> Ordering {
    let pairs = a.iter().zip(b).zip(descending);
    let one = |((a, b), descending): ((&Option<SortKey>, &Option<SortKey>), &bool)| {
        let (Some(x), Some(y)) = (a, b) else { return a.is_none().cmp(&b.is_none()) };
        let natural = match (x, y) {
            (SortKey::Number(x), SortKey::Number(y)) => x.order(y),
            (SortKey::Text(x), SortKey::Text(y)) => x.cmp(y),
            _ => Ordering::Equal,
        };
        if *descending { natural.reverse() } else { natural }
    };
    pairs.map(one).find(|ordering| ordering.is_ne()).unwrap_or(Ordering::Equal)
}
