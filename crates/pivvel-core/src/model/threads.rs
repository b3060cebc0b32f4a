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
    in_each(threads, |place| work(items * place / threads..items * (place + 1) / threads))
}

/// Gives so many threads work by their places, and the results in the order of these.
pub(crate) fn in_each<T: Send>(threads: usize, work: impl Fn(usize) -> T + Sync) -> Vec<T> {
    std::thread::scope(|scope| {
        let work = &work;
        let others: Vec<_> = (1..threads).map(|place| scope.spawn(move || work(place))).collect();
        let mut done = vec![work(0)];
        for other in others {
            done.push(other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
        }
        done
    })
}

/// So many things, each made from its place, by at most so many threads.
pub(crate) fn filled<T: Copy + Default + Send>(
    items: usize,
    threads: usize,
    make: impl Fn(usize) -> T + Sync,
) -> Vec<T> {
    let threads = threads_for(items, threads);
    if threads < 2 {
        return (0..items).map(make).collect();
    }
    let mut all = vec![T::default(); items];
    let share = items.div_ceil(threads);
    std::thread::scope(|scope| {
        let make = &make;
        for (number, own) in all.chunks_mut(share).enumerate() {
            let places = number * share..;
            scope.spawn(move || own.iter_mut().zip(places).for_each(|(thing, place)| *thing = make(place)));
        }
    });
    all
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
