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
    let ends = share_ends(items, threads, |_| true);
    let begins = std::iter::once(0).chain(ends.iter().copied());
    in_each(begins.zip(ends.iter().copied()).collect(), |(begin, end)| work(begin..end))
}

/// Where the shares of so many items end, one for each thread and at most so many: each where the next one may begin.
pub(crate) fn share_ends(items: usize, threads: usize, may_begin: impl Fn(usize) -> bool) -> Vec<usize> {
    let threads = threads_for(items, threads);
    let end = |place| (items * place / threads..items).find(|item| may_begin(*item)).unwrap_or(items);
    (1..=threads).map(end).collect()
}

/// Splits things where shares end; each share with the place where it begins.
pub(crate) fn split_at_ends<'a, T>(mut all: &'a mut [T], ends: &[usize]) -> Vec<(usize, &'a mut [T])> {
    let mut begin = 0;
    let share = |end: &usize| {
        let (own, rest) = std::mem::take(&mut all).split_at_mut(end - begin);
        all = rest;
        (std::mem::replace(&mut begin, *end), own)
    };
    ends.iter().map(share).collect()
}

/// Does each of some jobs in a thread of its own, and gives the results in the order of the jobs.
pub(crate) fn in_each<J: Send, T: Send>(jobs: Vec<J>, work: impl Fn(J) -> T + Sync) -> Vec<T> {
    let mut jobs = jobs.into_iter();
    let Some(first) = jobs.next() else { return Vec::new() };
    std::thread::scope(|scope| {
        let work = &work;
        let others: Vec<_> = jobs.map(|job| scope.spawn(move || work(job))).collect();
        let mut done = vec![work(first)];
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
    if threads_for(items, threads) < 2 {
        return (0..items).map(make).collect();
    }
    let mut all = vec![T::default(); items];
    let ends = share_ends(items, threads, |_| true);
    in_each(split_at_ends(&mut all, &ends), |(begin, own)| {
        own.iter_mut().zip(begin..).for_each(|(thing, place)| *thing = make(place));
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
