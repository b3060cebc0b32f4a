//! How much of the machine a run takes, and how far it has come.

use std::sync::mpsc::{RecvTimeoutError, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use indicatif::{HumanBytes, HumanDuration, ProgressBar, ProgressDrawTarget, ProgressStyle};
use pivvel::result::{Phase, Progress};
use pivvel::source::{ReadOptions, ReadProgress};
use pivvel::{Build, Error, Result};

use crate::arguments::Effort;

impl Effort {
    /// How cross-tabs are built.
    pub(crate) fn build(&self) -> Result<Build<'static>> {
        let mut build = Build::new().memory(self.bytes()?).on_progress(&note);
        if let Some(threads) = self.threads {
            build = build.threads(threads);
        }
        Ok(if self.read_lines { build.reading_lines() } else { build })
    }

    /// How lines are read.
    pub(crate) fn reading(&self, delimiter: Option<u8>) -> Result<ReadOptions> {
        Ok(ReadOptions::default().delimiter(delimiter).sheet_bytes(self.bytes()?))
    }

    fn bytes(&self) -> Result<usize> {
        let Some(size) = &self.memory else { return Ok(free_memory() / 4 * 3) };
        let digits = size.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(size.len());
        let (number, unit) = size.split_at(digits);
        let no_size = || Error::request("--memory", format!("{size} is no size: write it as 2GiB"));
        let number: f64 = number.parse().map_err(|_| no_size())?;
        let unit: usize = match unit.trim().to_lowercase().as_str() {
            "" | "b" => 1,
            "kib" | "k" | "kb" => 1 << 10,
            "mib" | "m" | "mb" => 1 << 20,
            "gib" | "g" | "gb" => 1 << 30,
            "tib" | "t" | "tb" => 1 << 40,
            other => {
                return Err(Error::unknown("--memory", "unit", other, ["KiB", "MiB", "GiB", "TiB"]));
            }
        };
        Ok((number * unit as f64) as usize)
    }
}

fn free_memory() -> usize {
    let Ok(mut system) = sysinfo::System::new() else { return usize::MAX };
    system.refresh_memory();
    match system.available_memory() {
        0 => usize::MAX,
        bytes => usize::try_from(bytes).unwrap_or(usize::MAX),
    }
}

/// What a build does at the moment, once its lines are read.
static PHASE: Mutex<Option<Phase>> = Mutex::new(None);

/// Notes what a build does.
fn note(progress: Progress) {
    *PHASE.lock().unwrap_or_else(PoisonError::into_inner) = Some(progress.phase());
}

/// Does some work and shows how far reading has come, on a terminal and if it takes long.
pub(crate) fn watched<T>(progress: Option<Arc<ReadProgress>>, work: impl FnOnce() -> T) -> T {
    let Some(progress) = progress else { return work() };
    let (done, is_done) = channel::<()>();
    let start = Instant::now();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            let long = Duration::from_millis(500);
            if is_done.recv_timeout(long) != Err(RecvTimeoutError::Timeout) {
                return;
            }
            let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr());
            bar.set_style(
                ProgressStyle::with_template("{msg}").unwrap_or_else(|_| ProgressStyle::default_bar()),
            );
            loop {
                bar.set_message(progress_message(&progress, start.elapsed()));
                bar.tick();
                if is_done.recv_timeout(Duration::from_millis(100)) != Err(RecvTimeoutError::Timeout) {
                    break;
                }
            }
            bar.finish_and_clear();
        });
        let outcome = work();
        drop(done);
        outcome
    })
}

/// How far reading has come, at which rate, and what is left: `1.2 GiB of 4.0 GiB, 812 MiB/s, 3 s left`.
fn progress_message(progress: &ReadProgress, elapsed: Duration) -> String {
    let done = progress.done();
    let rate = done as f64 / elapsed.as_secs_f64();
    let read = format!("{}, {}/s", HumanBytes(done), HumanBytes(rate as u64));
    match progress.total() {
        // Reading is done, and what comes after has no end that is known.
        Some(total) if done >= total => {
            let phase = PHASE.lock().unwrap_or_else(PoisonError::into_inner);
            let phase = phase.filter(|phase| *phase > Phase::Reading).unwrap_or(Phase::Totals);
            format!("{}, {phase}, {} s", HumanBytes(total), elapsed.as_secs())
        }
        Some(total) if done > 0 => {
            let left = Duration::from_secs_f64((total - done) as f64 / rate);
            let of = format!(" of {}, {}/s", HumanBytes(total), HumanBytes(rate as u64));
            format!("{}{of}, {} left", HumanBytes(done), HumanDuration(left))
        }
        _ => read,
    }
}
