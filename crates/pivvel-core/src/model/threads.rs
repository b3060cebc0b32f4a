//! When more than one thread pays, and work that several share.

use std::ops::Range;

/// So many groups, cells or rows keep a thread busy for longer than it takes to start one.
const MANY: usize = 50_000;

/// With how many threads so many items are worked on, if at most so many may be used.
pub(crate) fn threads_for(items: usize, threads: usize) -> usize {
    if items < MANY { 1 } else { threads.max(1) }
}

/// Splits so many items into a share for each thread, at most so many, and gives the results in the order of the shares.
pub(crate) fn in_shares<T: Send>(
    items: usize,
    threads: usize,
    work: impl Fn(Range<usize>) -> T + Sync,
) -> Vec<T> {
    let threads = threads_for(items, threads);
    let share = |place: usize| items * place / threads..items * (place + 1) / threads;
    std::thread::scope(|scope| {
        let work = &work;
        let others: Vec<_> = (1..threads).map(|place| scope.spawn(move || work(share(place)))).collect();
        let mut done = vec![work(share(0))];
        for other in others {
            done.push(other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
        }
        done
    })
}

/// Runs two functions, side by side if there is more than one thread.
pub(crate) fn both<A, B: Send>(
    threads: usize,
    first: impl FnOnce() -> A,
    second: impl FnOnce() -> B + Send,
) -> (A, B) {
    if threads < 2 {
        return (first(), second());
    }
    std::thread::scope(|scope| {
        let second = scope.spawn(second);
        let first = first();
        (first, second.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    })
}
