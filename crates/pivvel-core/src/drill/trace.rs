//! A cross-tab that can be asked where its numbers come from.

use arrow_schema::SchemaRef;

use crate::brief::Brief;
use crate::crosstab::{Build, CrossTab, Inside, opened};
use crate::error::Result;
use crate::grouping::Sieve;
use crate::lines::LineSource;
use crate::model::Kind;
use crate::plan::Plan;

/// A cross-tab with what it was computed in: the way from each cell back to its lines.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::drill::LinesBehind;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, Build};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
/// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 4]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)])?;
/// let lines = || Batches::new(batch.schema(), [batch.clone()]);
///
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
/// let trace = Build::new().trace(&brief, &mut lines())?;
/// let mut found = Vec::new();
/// let tied = trace.lines(&LinesBehind::of("coast=Fell".parse()?), &mut lines(), &mut |batch| {
///     found.push(batch);
///     Ok(())
/// })?;
/// assert_eq!(found[0].num_rows(), 2);
/// assert!(tied.holds());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct Trace {
    pub(super) crosstab: CrossTab,
    pub(super) brief: Brief,
    pub(super) plan: Plan,
    pub(super) schema: SchemaRef,
    pub(super) inside: Inside,
    pub(super) sieve: Sieve,
}

impl Trace {
    /// The cross-tab, without the brief's views.
    pub fn crosstab(&self) -> &CrossTab {
        &self.crosstab
    }

    /// The columns of the lines: first those that the brief reads, then the others, each as the lines have
    /// them. What no formula can use is left out.
    pub fn columns_first(&self) -> Vec<String> {
        let usable = self.schema.fields().iter().filter(|field| Kind::of(field.data_type()).is_some());
        let names: Vec<&String> = usable.map(|field| field.name()).collect();
        let (read, rest): (Vec<_>, Vec<_>) =
            names.into_iter().partition(|name| self.plan.needed_names().contains(name));
        read.into_iter().chain(rest).cloned().collect()
    }
}

impl Build<'_> {
    /// Builds the cross-tab of a brief without its views, and keeps what tells where its numbers come
    /// from.
    ///
    /// # Errors
    /// As for [`Build::run`].
    pub fn trace(&self, brief: &Brief, source: &mut dyn LineSource) -> Result<Trace> {
        let brief = Brief { views: Vec::new(), ..brief.clone() };
        self.finding_again().grouped(&brief, source, |jobs, scans, source, tally| {
            let (plan, schema) = (jobs[0].plan.clone(), source.schema());
            let Some(scan) = scans.into_iter().next() else { unreachable!("a brief has one job at least") };
            let sieve = Sieve::new(&scan, &plan.grouping);
            let scanned = (source.name(), tally);
            let context = self.context();
            let (crosstab, inside) = opened(&plan, scan.finish(context.threads), scanned, context)?;
            Ok(Trace { crosstab, brief: brief.clone(), plan, schema, inside, sieve })
        })
    }
}
