//! When more than one thread pays.

/// So many groups, cells or rows keep a thread busy for longer than it takes to start one.
const MANY: usize = 50_000;

/// With how many threads so many items are worked on, if at most so many may be used.
pub(crate) fn threads_for(items: usize, threads: usize) -> usize {
    if items < MANY { 1 } else { threads.max(1) }
}
