//! What benchmarks have in common: works that run in turn, and the medians of their times.

#![allow(dead_code, reason = "no benchmark uses all of it")]

use std::time::{Duration, Instant};

/// How many rounds count.
pub(crate) const RUNS: usize = 5;

/// The times of each kind of work in every round.
pub(crate) struct Rounds<const N: usize>(Vec<[Duration; N]>);

/// Runs several kinds of work in turn, round after round: a machine that is slow for a while is so for
/// all of them. The first round is not counted.
pub(crate) fn rounds<const N: usize>(works: [&mut dyn FnMut(); N]) -> Rounds<N> {
    rounds_of(RUNS, works)
}

/// So many rounds, for what is the small difference of long times.
pub(crate) fn rounds_of<const N: usize>(runs: usize, mut works: [&mut dyn FnMut(); N]) -> Rounds<N> {
    let mut round = || {
        let time = |work: &mut &mut dyn FnMut()| {
            let start = Instant::now();
            work();
            start.elapsed()
        };
        let times: Vec<Duration> = works.iter_mut().map(time).collect();
        std::array::from_fn(|i| times[i])
    };
    round();
    Rounds((0..runs).map(|_| round()).collect())
}

impl<const N: usize> Rounds<N> {
    /// The median time of a work.
    pub(crate) fn median(&self, work: usize) -> Duration {
        Duration::from_secs_f64(self.median_of(|round| round[work].as_secs_f64()))
    }

    /// The median of the ratios of single rounds.
    pub(crate) fn ratio(&self, work: usize, baseline: usize) -> f64 {
        self.median_of(|round| round[work].as_secs_f64() / round[baseline].as_secs_f64())
    }

    /// The median of what is made of each round.
    pub(crate) fn median_of(&self, of: impl Fn(&[Duration; N]) -> f64) -> f64 {
        let mut all: Vec<f64> = self.0.iter().map(of).collect();
        all.sort_unstable_by(f64::total_cmp);
        all[all.len() / 2]
    }
}
