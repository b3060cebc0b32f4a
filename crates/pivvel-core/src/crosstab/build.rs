//! A brief and lines in, a cross-tab out, by one pass over the lines with all cores.

use std::num::NonZero;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::thread::available_parallelism;

use arrow_array::RecordBatch;
use arrow_schema::{DataType, Field, SchemaRef};

use super::assemble::{BuildContext, assemble};
use super::groups::{Groups, jobs_of, merged};
use super::jobs::Job;
use super::table::CrossTab;
use crate::brief::Brief;
use crate::error::{Error, ErrorKind, Result};
use crate::formula::{Extent, extents};
use crate::grouping::{Crowd, Scan};
use crate::lines::{Bound, LineSource, LookedAt, ReadProgress, SqlTable, Statement, Taker, Tally};
use crate::model::{Kind, with_thousands};
use crate::peers::Yardsticks;
use crate::plan::check_opened;
use crate::pushdown::{answer, condition, counts, push};
use crate::watch::{Cancel, Progress, Watch};

/// How lines become a cross-tab, where that is not to be left to what suits the machine. The result
/// is the same, whatever is set here.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, Build};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
/// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 4]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)])?;
/// let mut source = Batches::new(batch.schema(), [batch]);
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
/// let crosstab = Build::new().threads(2).memory(64 << 20).run(&brief, &mut source)?;
/// assert_eq!(crosstab.value(&["Fell"], &[], "pieces").unwrap().to_string(), "5");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, Default)]
pub struct Build<'a> {
    threads: Option<usize>,
    memory: Option<usize>,
    reads_lines: bool,
    /// Whether the groups of lines are to be found again once all lines were grouped.
    finds_again: bool,
    yardsticks: &'a [(String, Yardsticks)],
    watch: Watch<'a>,
}

impl<'a> Build<'a> {
    /// With as many threads as the machine has cores, and no bound on memory.
    pub fn new() -> Build<'a> {
        Build::default()
    }

    /// With so many threads, up to 512.
    pub fn threads(mut self, threads: usize) -> Build<'a> {
        self.threads = Some(threads.clamp(1, 512));
        self
    }

    /// Stops when the groups take more than so many bytes, and says which dimension is to blame.
    pub fn memory(mut self, bytes: usize) -> Build<'a> {
        self.memory = Some(bytes);
        self
    }

    /// Reads the lines of a database rather than letting it group them.
    pub fn reading_lines(mut self) -> Build<'a> {
        self.reads_lines = true;
        self
    }

    /// So that the scans can tell the groups of lines once more, after they have grouped them all.
    pub(crate) fn finding_again(self) -> Build<'a> {
        Build { finds_again: true, ..self }
    }

    /// With the yardsticks of earlier runs, by the name that the brief has for them.
    pub fn yardsticks(mut self, kept: &'a [(String, Yardsticks)]) -> Build<'a> {
        self.yardsticks = kept;
        self
    }

    /// Stops with [`ErrorKind::Cancelled`] once this is cancelled, in whatever phase it is.
    pub fn cancel(mut self, cancel: &'a Cancel) -> Build<'a> {
        self.watch.cancel = Some(cancel);
        self
    }

    /// Says how far it has come: after each batch of lines, by the thread that took it, and at the start of each
    /// later phase. What is given here should be quick.
    ///
    /// ```
    /// use std::sync::atomic::{AtomicU64, Ordering};
    /// use arrow_array::RecordBatch;
    /// # use pivvel_core as pivvel;
    /// use pivvel::result::Phase;
    /// use pivvel::source::{Batches, Schema};
    /// use pivvel::{Brief, Build};
    ///
    /// let later = AtomicU64::new(0);
    /// let count = |progress: pivvel::result::Progress| {
    ///     later.fetch_add(u64::from(progress.phase() > Phase::Reading), Ordering::Relaxed);
    /// };
    /// let brief = Brief::new().measure(("lines", "count()"));
    /// let mut lines = Batches::new(Schema::empty().into(), Vec::<RecordBatch>::new());
    /// Build::new().on_progress(&count).run(&brief, &mut lines)?;
    /// assert_eq!(later.into_inner(), 3);
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    pub fn on_progress(mut self, report: &'a (dyn Fn(Progress) + Sync)) -> Build<'a> {
        self.watch.on_progress = Some(report);
        self
    }

    /// Checks a brief against a source, reads its lines once and builds the cross-tab.
    ///
    /// Where a later line needs a wider kind than the first ones led to believe, and the source
    /// can be read again, it is.
    ///
    /// # Errors
    /// What [`Plan::new`](crate::plan::Plan::new) and the source find wrong; yardsticks that the brief names
    /// and that are not given; groups that take more memory than allowed.
    pub fn run(&self, brief: &Brief, source: &mut dyn LineSource) -> Result<CrossTab> {
        self.run_and(brief, source, |_, _, _, _| Ok(())).map(|(crosstab, ())| crosstab)
    }

    /// The same, with the leaf groups to be kept.
    ///
    /// # Errors
    /// As for [`Build::run`].
    pub fn keep(&self, brief: &Brief, source: &mut dyn LineSource) -> Result<(CrossTab, Groups)> {
        self.run_and(brief, source, Groups::new)
    }

    /// Groups the lines and builds no cross-tab: what one of several workers does, whose groups are merged by
    /// [`Build::from_groups`].
    ///
    /// # Errors
    /// As for [`Build::run`].
    pub fn groups(&self, brief: &Brief, source: &mut dyn LineSource) -> Result<Groups> {
        self.grouped(brief, source, |jobs, scans, source, tally| Groups::new(jobs, &scans, source, tally))
    }

    /// Builds the cross-tab of groups that were kept for the same brief, without reading a line.
    ///
    /// # Errors
    /// Groups that were kept for another brief, or for lines whose columns hold other kinds.
    pub fn from_groups(&self, brief: &Brief, kept: &[Groups]) -> Result<CrossTab> {
        let (jobs, lines) = jobs_of(brief, kept)?;
        let (scans, tally) = merged(&jobs, kept)?;
        let context = self.context();
        let groups = scans.into_iter().map(|scan| scan.finish(context.threads)).collect();
        assemble(&brief.views, &jobs, groups, (lines.name(), &tally), context)
    }

    /// Merges groups that were kept for the same brief, so that they can be kept or sent as one.
    ///
    /// # Errors
    /// As for [`Build::from_groups`].
    pub fn merge(&self, brief: &Brief, kept: &[Groups]) -> Result<Groups> {
        let (jobs, lines) = jobs_of(brief, kept)?;
        let (scans, tally) = merged(&jobs, kept)?;
        Groups::new(&jobs, &scans, &lines, &tally)
    }

    fn run_and<K>(
        &self,
        brief: &Brief,
        source: &mut dyn LineSource,
        keep: impl Fn(&[Job], &[Scan<'_>], &dyn LineSource, &Tally) -> Result<K>,
    ) -> Result<(CrossTab, K)> {
        self.grouped(brief, source, |jobs, scans, source, tally| {
            let kept = keep(jobs, &scans, source, tally)?;
            let context = self.context();
            let groups = scans.into_iter().map(|scan| scan.finish(context.threads)).collect();
            let crosstab = assemble(&brief.views, jobs, groups, (source.name(), tally), context)?;
            Ok((crosstab, kept))
        })
    }

    /// What cross-tabs are computed with.
    pub(crate) fn context(&self) -> BuildContext<'a> {
        let threads = self.threads.unwrap_or_else(|| available_parallelism().map_or(1, NonZero::get));
        BuildContext { kept: self.yardsticks, threads, watch: self.watch }
    }

    /// Groups the lines of every job, and makes something of the groups.
    pub(crate) fn grouped<K>(
        &self,
        brief: &Brief,
        source: &mut dyn LineSource,
        make: impl Fn(&[Job], Vec<Scan<'_>>, &dyn LineSource, &Tally) -> Result<K>,
    ) -> Result<K> {
        let jobs = |source: &mut dyn LineSource| Ok((Job::all(brief, source)?, ()));
        self.grouped_for(brief, source, jobs, |jobs, (), scans, source, tally| {
            make(jobs, scans, source, tally)
        })
    }

    /// The same for jobs that are made otherwise, with what else is made along with them.
    pub(super) fn grouped_for<J, K>(
        &self,
        brief: &Brief,
        source: &mut dyn LineSource,
        jobs_of: impl Fn(&mut dyn LineSource) -> Result<(Vec<Job>, J)>,
        make: impl Fn(&[Job], J, Vec<Scan<'_>>, &dyn LineSource, &Tally) -> Result<K>,
    ) -> Result<K> {
        let mut looked_at = LookedAt::default();
        loop {
            check_opened(brief, &source.schema())?;
            let (jobs, beside) = jobs_of(source)?;
            let scans = match self.ask(&jobs, source)? {
                Some(scans) => Ok((scans, Tally::default())),
                None => self.scan(&jobs, source),
            };
            match scans {
                Ok((scans, tally)) => return make(&jobs, beside, scans, source, &tally),
                Err(error) => looked_at.read_otherwise(error, source)?,
            }
        }
    }

    /// The table of the lines, where a database has them and may be asked.
    fn table_of(&self, source: &mut dyn LineSource) -> Option<SqlTable> {
        if self.reads_lines { None } else { source.pushdown().and_then(|database| database.sql_table()) }
    }

    /// The leaf groups of every job, where a database has the lines and can make all of them.
    fn ask<'j>(&self, jobs: &'j [Job], source: &mut dyn LineSource) -> Result<Option<Vec<Scan<'j>>>> {
        let Some(table) = self.table_of(source) else { return Ok(None) };
        let pushed = jobs.iter().map(|job| push(&job.plan.grouping, job.plan.needed(), &table));
        let Ok(pushed) = pushed.collect::<Result<Vec<_>, _>>() else { return Ok(None) };
        let mut all = Vec::with_capacity(jobs.len());
        for (job, pushed) in jobs.iter().zip(&pushed) {
            let Some(database) = source.pushdown() else { return Ok(None) };
            let mut ask = |statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>| {
                database.ask(statement, &mut |row| self.watch.check_cancelled().and_then(|()| take(row)))
            };
            let fits = |scan: &Scan<'_>| match scan.bytes() <= self.memory.unwrap_or(usize::MAX) {
                true => Ok(()),
                false => Err(too_many(&scan.crowd(), self.memory.unwrap_or(usize::MAX))),
            };
            let grouped = match answer(&job.plan.grouping, pushed, table.dialect, &mut ask, &fits) {
                // A sum there may outgrow 64 bits, and not the digits that there are here.
                Err(error) if !table.dialect.has_decimals() && is_no_limit(&error) => return Ok(None),
                grouped => grouped?,
            };
            match grouped {
                Some(scan) => all.push(scan),
                None => return Ok(None),
            }
        }
        Ok(Some(all))
    }

    /// Lets a source leave out lines that no job wants: how many a database does, and how many of these for
    /// want of a decision.
    pub(crate) fn narrow(&self, jobs: &[Job], source: &mut dyn LineSource) -> Result<(u64, u64)> {
        let left_out = self.leave_out(jobs, source)?;
        source.narrow(&bounds(jobs));
        Ok(left_out)
    }

    /// Lets a database leave out the lines that no job wants: how many, and how many of these for want of
    /// a decision.
    fn leave_out(&self, jobs: &[Job], source: &mut dyn LineSource) -> Result<(u64, u64)> {
        if let Some(database) = source.pushdown() {
            database.keep_only(None);
        }
        let Some(table) = self.table_of(source) else { return Ok((0, 0)) };
        let pushed = |job: &Job| condition(&job.plan.grouping, job.plan.needed(), &table);
        let Some(first) = pushed(&jobs[0]) else { return Ok((0, 0)) };
        if jobs.iter().any(|job| pushed(job).as_ref() != Some(&first)) {
            return Ok((0, 0));
        }
        let Ok(counting) = counts(&jobs[0].plan.grouping, jobs[0].plan.needed(), &table) else {
            return Ok((0, 0));
        };
        let mut counted: Vec<u64> = Vec::new();
        let Some(database) = source.pushdown() else { return Ok((0, 0)) };
        database.ask(&counting, &mut |row| {
            counted = row.iter().map(|text| text.parse().unwrap_or(0)).collect();
            Ok(())
        })?;
        match &counted[..] {
            [read, kept, undecided, guards @ ..] if guards.iter().all(|met| *met == 0) => {
                database.keep_only(Some(first));
                Ok((read - kept, *undecided))
            }
            _ => Ok((0, 0)),
        }
    }

    /// Fills the leaf groups of every job in one pass.
    fn scan<'j>(&self, jobs: &'j [Job], source: &mut dyn LineSource) -> Result<(Vec<Scan<'j>>, Tally)> {
        let mut needed: Vec<usize> = jobs.iter().flat_map(|job| job.plan.needed().iter().copied()).collect();
        needed.sort_unstable();
        needed.dedup();
        if let [only] = jobs {
            // One plan says in which order it wants its columns.
            needed = only.plan.needed().to_vec();
        }
        let place = |column: &usize| needed.iter().position(|known| known == column).unwrap_or(0);
        let wants: Vec<Vec<usize>> =
            jobs.iter().map(|job| job.plan.needed().iter().map(place).collect()).collect();
        let threads = self.context().threads;
        let room = Room { allowed: self.memory.unwrap_or(usize::MAX), taken: AtomicUsize::new(0) };
        let mut workers: Vec<Vec<Scan<'_>>> =
            (0..threads).map(|_| jobs.iter().map(|job| Scan::new(&job.plan.grouping)).collect()).collect();
        let (left_out, undecided) = self.narrow(jobs, source)?;
        let schema = source.schema();
        let reading = Reading { watch: self.watch, of: source.progress(), lines: AtomicU64::new(0) };
        let announced = Announced {
            name: source.name().to_string(),
            fields: needed.iter().map(|i| schema.field(*i).clone()).collect(),
        };
        let takers = workers.iter_mut().map(|scans| taker(scans, &wants, (&room, &announced, &reading)));
        let tally = source.scan_shared(&needed, &mut takers.collect::<Vec<_>>())?;
        let mut workers = workers.into_iter();
        let Some(mut all) = workers.next() else { unreachable!("there is one thread at least") };
        while let Some(scans) = workers.next() {
            let is_last = workers.len() == 0 && !self.finds_again;
            let last = is_last.then_some(threads);
            for (mine, theirs) in all.iter_mut().zip(scans) {
                self.watch.check_cancelled()?;
                mine.absorb(theirs, last)?;
            }
        }
        for scan in &mut all {
            scan.report.read += left_out + tally.left_out;
            scan.report.excluded += left_out + tally.left_out;
            scan.report.undecided += undecided;
            scan.report.not_finite += tally.not_finite;
            // A line that was not read may hold a text that no other line has.
            scan.looked &= left_out + tally.left_out == 0;
        }
        Ok((all, tally))
    }
}

/// What every job wants of single columns.
fn bounds(jobs: &[Job]) -> Vec<Bound> {
    let of = |job: &Job| -> Vec<Bound> {
        let own = job.plan.grouping.filter.as_ref().map(extents).unwrap_or_default();
        let bound = |Extent { slot, low, high }| Bound { column: job.plan.needed()[slot], low, high };
        own.into_iter().map(bound).collect()
    };
    let mut wanted = of(&jobs[0]);
    for job in &jobs[1..] {
        let own = of(job);
        wanted.retain(|bound| own.contains(bound));
    }
    wanted
}

/// What the groups of all threads may take and do take.
struct Room {
    allowed: usize,
    taken: AtomicUsize,
}

/// How far all threads have come with the lines.
struct Reading<'a> {
    watch: Watch<'a>,
    of: Option<Arc<ReadProgress>>,
    lines: AtomicU64,
}

impl Reading<'_> {
    fn report(&self, more: usize) -> Result<()> {
        let lines = self.lines.fetch_add(more as u64, Ordering::Relaxed) + more as u64;
        let part = |of: &ReadProgress| of.total().map(|total| (of.done() as f64 / total as f64).min(1.0));
        self.watch.report(|| Progress::reading(lines, self.of.as_deref().and_then(part)))
    }
}

/// Whether an error is none of the limits that were set.
fn is_no_limit(error: &Error) -> bool {
    !matches!(error.kind(), ErrorKind::Memory | ErrorKind::Cancelled)
}

/// The columns that a source was asked for, as it announced them.
struct Announced {
    name: String,
    fields: Vec<Field>,
}

impl Announced {
    /// That a batch has just these columns, in this order and of these kinds.
    fn check(&self, batch: &RecordBatch) -> Result<()> {
        let fields = batch.schema_ref().fields();
        let kind = |data_type: &DataType| match data_type {
            DataType::BinaryView => Some(Kind::Text),
            other => Kind::of(other),
        };
        let words = |field: &Field| kind(field.data_type()).map_or("something else".into(), Kind::plural);
        for (place, announced) in self.fields.iter().enumerate() {
            let wrong =
                |found: String| Err(Error::schema(&self.name, announced.name(), words(announced), found));
            match fields.get(place) {
                None => return wrong("no such column".into()),
                Some(found) if found.name() != announced.name() => {
                    return wrong(format!("column {} in its place", found.name()));
                }
                Some(found) if kind(found.data_type()) != kind(announced.data_type()) => {
                    return wrong(words(found));
                }
                Some(_) => {}
            }
        }
        match fields.get(self.fields.len()) {
            Some(more) => Err(Error::schema(&self.name, more.name(), "no such column", "one")),
            None => Ok(()),
        }
    }
}

/// What one thread does with a batch.
fn taker<'a>(
    scans: &'a mut [Scan<'_>],
    wants: &'a [Vec<usize>],
    (room, announced, reading): (&'a Room, &'a Announced, &'a Reading<'_>),
) -> Taker<'a> {
    let mut own = 0;
    let mut checked: Option<SchemaRef> = None;
    Box::new(move |batch| {
        // Most sources give all of their batches one schema.
        if !checked.as_ref().is_some_and(|known| Arc::ptr_eq(known, batch.schema_ref())) {
            announced.check(&batch)?;
            checked = Some(batch.schema());
        }
        reading.report(batch.num_rows())?;
        for (scan, wants) in scans.iter_mut().zip(wants) {
            if wants.iter().copied().eq(0..batch.num_columns()) {
                scan.push(&batch)?;
                continue;
            }
            let part = batch.project(wants).map_err(|e| Error::caused("lines", e))?;
            scan.push(&part)?;
        }
        let now: usize = scans.iter().map(Scan::bytes).sum();
        // A table that turns to another form may take less than before.
        let more = now.wrapping_sub(own);
        let taken = room.taken.fetch_add(more, Ordering::Relaxed).wrapping_add(more);
        own = now;
        if taken <= room.allowed {
            return Ok(());
        }
        let largest = scans.iter().map(Scan::crowd).max_by_key(|crowd| crowd.groups);
        Err(largest.map_or_else(|| Error::overflow("the groups"), |crowd| too_many(&crowd, room.allowed)))
    })
}

/// That groups do not fit, and whose fault it is.
fn too_many(crowd: &Crowd, allowed: usize) -> Error {
    let count = |n: usize| with_thousands(n as u64);
    let size = match allowed >> 20 {
        0 => format!("{} KiB", allowed.div_ceil(1 << 10)),
        size => format!("{} MiB", count(size)),
    };
    let Crowd { groups, lines, dimension, members } = crowd;
    let message = format!(
        "the groups do not fit in {size}: after {} lines there are {}, and {dimension} alone has {} members; take a \
         coarser dimension or a condition, or allow more memory",
        count(*lines),
        count(*groups),
        count(*members),
    );
    Error::memory(message)
}

impl CrossTab {
    /// Checks a brief against a source, reads its lines once and builds the cross-tab, with what suits
    /// the machine: see [`Build`].
    ///
    /// # Errors
    /// As for [`Build::run`].
    pub fn build(brief: &Brief, source: &mut dyn LineSource) -> Result<CrossTab> {
        Build::new().run(brief, source)
    }
}
