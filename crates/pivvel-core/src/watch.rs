//! Watching work from outside: how far it has come, and stopping it.

use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use crate::error::{Error, Result};

/// Stops work from another thread. Clones stop the same work.
///
/// ```
/// use arrow_array::RecordBatch;
/// # use pivvel_core as pivvel;
/// use pivvel::source::{Batches, Schema};
/// use pivvel::{Brief, Build, Cancel, ErrorKind};
///
/// let cancel = Cancel::new();
/// // From a signal handler, a request that was closed, a time limit:
/// cancel.clone().cancel();
///
/// let mut lines = Batches::new(Schema::empty().into(), Vec::<RecordBatch>::new());
/// let brief = Brief::new().measure(("lines", "count()"));
/// let error = Build::new().cancel(&cancel).run(&brief, &mut lines).unwrap_err();
/// assert_eq!(error.kind(), &ErrorKind::Cancelled);
/// ```
#[derive(Debug, Clone, Default)]
pub struct Cancel(Arc<AtomicBool>);

impl Cancel {
    /// Stops nothing yet.
    pub fn new() -> Cancel {
        Cancel::default()
    }

    /// Stops the work that was given this: it ends with
    /// [`ErrorKind::Cancelled`](crate::ErrorKind::Cancelled), before its next batch of lines, grain or phase.
    pub fn cancel(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether [`Cancel::cancel`] was called.
    pub fn is_cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// What a build does at the moment.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::Build;
/// use pivvel::result::{Phase, Progress};
///
/// let show = |progress: Progress| match progress.phase() {
///     Phase::Reading => eprintln!("{:.0} %", progress.part().unwrap_or_default() * 100.0),
///     phase => eprintln!("{phase}"),
/// };
/// Build::new().on_progress(&show).run(&brief(), &mut lines())?;
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Phase {
    /// It reads lines, or has a database group them.
    Reading,
    /// It rolls leaf groups up into every grain.
    Totals,
    /// It computes measures, items, orders and picks.
    Formulas,
    /// It finds yardsticks, and decides what stands out.
    Emphasis,
}

impl fmt::Display for Phase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Phase::Reading => "reading",
            Phase::Totals => "computing totals",
            Phase::Formulas => "computing measures",
            Phase::Emphasis => "computing emphasis",
        })
    }
}

/// How far a build has come.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::Build;
/// use pivvel::result::Progress;
///
/// let show = |progress: Progress| eprint!("\r{}: {} lines", progress.phase(), progress.lines());
/// Build::new().on_progress(&show).run(&brief(), &mut lines())?;
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Progress {
    phase: Phase,
    lines: u64,
    part: Option<f64>,
}

impl Progress {
    pub(crate) fn reading(lines: u64, part: Option<f64>) -> Progress {
        Progress { phase: Phase::Reading, lines, part }
    }

    /// What is done at the moment. The phases of the views of a brief come one after the other.
    pub fn phase(&self) -> Phase {
        self.phase
    }

    /// How many lines were read so far.
    pub fn lines(&self) -> u64 {
        self.lines
    }

    /// How much of the reading is done, from 0 to 1, where the source knows how much there is.
    pub fn part(&self) -> Option<f64> {
        self.part
    }
}

/// Who watches a build.
#[derive(Clone, Copy, Default)]
pub(crate) struct Watch<'a> {
    pub(crate) cancel: Option<&'a Cancel>,
    pub(crate) on_progress: Option<&'a (dyn Fn(Progress) + Sync)>,
}

impl Watch<'_> {
    /// That the work was not cancelled.
    ///
    /// # Errors
    /// That it was.
    pub(crate) fn check_cancelled(&self) -> Result<()> {
        match self.cancel {
            Some(cancel) if cancel.is_cancelled() => Err(Error::cancelled()),
            _ => Ok(()),
        }
    }

    /// The same, with how far the work has come.
    pub(crate) fn report(&self, progress: impl FnOnce() -> Progress) -> Result<()> {
        if let Some(on_progress) = self.on_progress {
            on_progress(progress());
        }
        self.check_cancelled()
    }

    /// The same at the start of a phase after the reading.
    pub(crate) fn enter(&self, phase: Phase, lines: u64) -> Result<()> {
        self.report(|| Progress { phase, lines, part: None })
    }
}

impl fmt::Debug for Watch<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Watch { cancel, on_progress } = self;
        f.debug_struct("Watch").field("cancel", cancel).field("reports", &on_progress.is_some()).finish()
    }
}
