//! Parts that are made side by side and taken in their order.

use std::io::{Error, Result};
use std::sync::{Condvar, Mutex, PoisonError};

/// Where parts wait for their turn: whose turn it is, what takes it, and what went wrong.
struct Queue<'a, T> {
    turn: u64,
    take: &'a mut (dyn FnMut(T) -> Result<()> + Send),
    /// An error, or a thread that ended early, which ends all others.
    ended: Option<Result<()>>,
}

/// Makes something of every part, by several threads, and gives it to `take` in the order of the parts. At most one a
/// thread is waiting. After each part, its thread calls `help`; several threads may do so at once.
pub(super) fn in_order<P: Send, T: Send>(
    parts: &mut (dyn Iterator<Item = P> + Send),
    threads: usize,
    make: &(dyn Fn(P) -> Result<T> + Sync),
    take: &mut (dyn FnMut(T) -> Result<()> + Send),
    help: &(dyn Fn() -> Result<()> + Sync),
) -> Result<()> {
    if threads < 2 {
        for part in parts {
            take(make(part)?)?;
            help()?;
        }
        return Ok(());
    }
    let parts = Mutex::new((0..).zip(parts));
    let all = Mutex::new(Queue { turn: 0, take, ended: None });
    let moved = Condvar::new();
    let work = || {
        let _guard = EndOnPanic { queue: &all, moved: &moved };
        loop {
            let next = parts.lock().unwrap_or_else(PoisonError::into_inner).next();
            let Some((number, part)) = next else { return };
            let made = make(part);
            let queue = all.lock().unwrap_or_else(PoisonError::into_inner);
            let own_turn = |queue: &mut Queue<'_, T>| queue.turn != number && queue.ended.is_none();
            let mut queue = moved.wait_while(queue, own_turn).unwrap_or_else(PoisonError::into_inner);
            if queue.ended.is_some() {
                return;
            }
            match made.and_then(|made| (queue.take)(made)) {
                Ok(()) => queue.turn += 1,
                Err(error) => queue.ended = Some(Err(error)),
            }
            drop(queue);
            moved.notify_all();
            if let Err(error) = help() {
                all.lock().unwrap_or_else(PoisonError::into_inner).ended.get_or_insert(Err(error));
                moved.notify_all();
            }
        }
    };
    std::thread::scope(|scope| {
        (1..threads).for_each(|_| drop(scope.spawn(work)));
        work();
    });
    all.into_inner().unwrap_or_else(PoisonError::into_inner).ended.unwrap_or(Ok(()))
}

/// Ends the others where one thread panics, so that none waits for it for ever.
struct EndOnPanic<'a, 'l, T> {
    queue: &'a Mutex<Queue<'l, T>>,
    moved: &'a Condvar,
}

impl<T> Drop for EndOnPanic<'_, '_, T> {
    fn drop(&mut self) {
        if std::thread::panicking() {
            let mut queue = self.queue.lock().unwrap_or_else(PoisonError::into_inner);
            queue.ended = Some(Err(Error::other("a thread ended early")));
            self.moved.notify_all();
        }
    }
}
