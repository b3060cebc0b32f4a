//! Statements that run on servers, so that a program that is about to end can cancel them there, too.

use std::sync::{Mutex, PoisonError};

use postgres::{CancelToken, NoTls};

static RUNNING: Mutex<Vec<CancelToken>> = Mutex::new(Vec::new());

/// The most sessions that are kept. Sessions that ended are among them.
const KNOWN: usize = 64;

/// Registers a session in which statements may run.
pub(crate) fn register(token: CancelToken) {
    let mut running = RUNNING.lock().unwrap_or_else(PoisonError::into_inner);
    if running.len() == KNOWN {
        running.remove(0);
    }
    running.push(token);
}

/// Cancels the statements of all registered sessions.
pub(crate) fn cancel() {
    let running = std::mem::take(&mut *RUNNING.lock().unwrap_or_else(PoisonError::into_inner));
    // For a session that ended this does nothing.
    running.iter().for_each(|token| drop(token.cancel_query(NoTls)));
}
