//! Statements that run on servers, so that a program that is about to end can stop them there, too.

use std::sync::{Mutex, PoisonError};

use postgres::{CancelToken, NoTls};

static RUNNING: Mutex<Vec<CancelToken>> = Mutex::new(Vec::new());

/// Sessions that are known at most; those that ended are not told apart.
const KNOWN: usize = 64;

/// Notes a session in which statements may run.
pub(crate) fn know(token: CancelToken) {
    let mut running = RUNNING.lock().unwrap_or_else(PoisonError::into_inner);
    if running.len() == KNOWN {
        running.remove(0);
    }
    running.push(token);
}

/// Stops whatever runs on servers for this program.
pub(crate) fn cancel() {
    let running = std::mem::take(&mut *RUNNING.lock().unwrap_or_else(PoisonError::into_inner));
    // A session that ended is told to stop in vain.
    running.iter().for_each(|token| drop(token.cancel_query(NoTls)));
}
