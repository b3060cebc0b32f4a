//! Damaged files: a reader that panics on one becomes an error.

use std::panic::{AssertUnwindSafe, catch_unwind, set_hook, take_hook};
use std::sync::Once;
use std::sync::atomic::{AtomicUsize, Ordering};

use pivvel_core::{Error, Result};

/// How many guarded reads run now.
static READING: AtomicUsize = AtomicUsize::new(0);
static HOOK: Once = Once::new();

/// Reads what may be damaged. A panic of the reader is an error, and no panic message is printed.
///
/// # Errors
/// What `read` finds wrong, or that it panicked.
pub(crate) fn guarded<T>(name: &str, read: impl FnOnce() -> Result<T>) -> Result<T> {
    HOOK.call_once(|| {
        let earlier_hook = take_hook();
        set_hook(Box::new(move |panic| {
            if READING.load(Ordering::Relaxed) == 0 {
                earlier_hook(panic);
            }
        }));
    });
    READING.fetch_add(1, Ordering::Relaxed);
    // What was read by halves is given up with the source.
    let read = catch_unwind(AssertUnwindSafe(read));
    READING.fetch_sub(1, Ordering::Relaxed);
    read.unwrap_or_else(|_| Err(Error::data(name, "this file is damaged and cannot be read")))
}
