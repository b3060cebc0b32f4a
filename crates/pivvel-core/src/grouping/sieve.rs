//! A second pass over lines: which of them are behind some cells.

use arrow_array::RecordBatch;

use super::keys::KeyScan;
use super::leaf::{Moved, Scan};
use super::pairs::NOWHERE;
use super::spec::Grouping;
use crate::error::{Error, Result};
use crate::formula::{Evaluation, LineFormula};

/// Tells the lines of a scan apart by the paths that the scan found for them.
#[derive(Debug, Clone)]
pub(crate) struct Sieve {
    filter: Option<LineFormula>,
    rows: KeyScan,
    columns: KeyScan,
}

/// For every path of a scan, which of the wanted nodes it is under; [`NOWHERE`] where it is
/// under none of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct WantedPaths {
    pub(crate) rows: Vec<u32>,
    pub(crate) columns: Vec<u32>,
}

impl Sieve {
    /// The sieve of a scan that has met all lines.
    pub(crate) fn new(scan: &Scan<'_>, grouping: &Grouping) -> Sieve {
        Sieve { filter: grouping.filter.clone(), rows: scan.rows.clone(), columns: scan.columns.clone() }
    }

    /// What is wanted of the scan's paths, where each axis says of the paths that these became which of
    /// its wanted nodes they are under.
    pub(crate) fn wanted(&self, moved: &Moved, rows: &[u32], columns: &[u32]) -> WantedPaths {
        let of = |paths: usize, moved: &Option<Vec<u32>>, under: &[u32]| -> Vec<u32> {
            let now = |path: u32| moved.as_ref().map_or(path, |moved| moved[path as usize]);
            let under = |path: u32| if path == NOWHERE { path } else { under[path as usize] };
            (0..paths as u32).map(|path| under(now(path))).collect()
        };
        WantedPaths {
            rows: of(self.rows.paths(), &moved.rows, rows),
            columns: of(self.columns.paths(), &moved.columns, columns),
        }
    }

    /// For every line of a batch the row and the column among the wanted ones that it is behind.
    ///
    /// # Errors
    /// A number that outgrows 38 digits.
    pub(crate) fn sift(
        &mut self,
        batch: &RecordBatch,
        wanted: &WantedPaths,
    ) -> Result<Vec<Option<(u32, u32)>>> {
        let mut evaluation = Evaluation::new(batch);
        let holds = match &self.filter {
            Some(condition) => Some(evaluation.holds(condition).map_err(|_| Error::overflow("where"))?.0),
            None => None,
        };
        self.rows.follow(&mut evaluation, batch.num_rows())?;
        self.columns.follow(&mut evaluation, batch.num_rows())?;
        // A path that the scan has not met is one of a line that came later.
        let spot =
            |wanted: &[u32], path: u32| wanted.get(path as usize).copied().filter(|spot| *spot != NOWHERE);
        let line = |i: usize| {
            if holds.as_ref().is_some_and(|holds| !holds.value(i)) {
                return None;
            }
            Some((spot(&wanted.rows, self.rows.path()[i])?, spot(&wanted.columns, self.columns.path()[i])?))
        };
        Ok((0..batch.num_rows()).map(line).collect())
    }
}
