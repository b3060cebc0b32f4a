//! Files that are damaged: what reads their forms may panic on what it finds there, and a user is told that
//! the file is damaged.

use std::panic::{AssertUnwindSafe, catch_unwind, set_hook, take_hook};
use std::sync::Once;
use std::sync::atomic::{AtomicUsize, Ordering};

use pivvel_core::{Error, Result};

/// How many files are being read that may be damaged.
static READING: AtomicUsize = AtomicUsize::new(0);
static HOOK: Once = Once::new();

/// Reads what may be damaged. A panic while doing so is an error, and nothing is printed of it.
///
/// # Errors
/// What `read` finds wrong, or that it panicked.
pub(crate) fn guarded<T>(name: &str, read: impl FnOnce() -> Result<T>) -> Result<T> {
    HOOK.call_once(|| {
        let told = take_hook();
        set_hook(Box::new(move |panic| {
            if READING.load(Ordering::Relaxed) == 0 {
                told(panic);
            }
        }));
    });
    READING.fetch_add(1, Ordering::Relaxed);
    // What was read by halves is given up with the source.
    let read = catch_unwind(AssertUnwindSafe(read));
    READING.fetch_sub(1, Ordering::Relaxed);
    read.unwrap_or_else(|_| Err(Error::data(name, "this file is damaged and cannot be read")))
}
