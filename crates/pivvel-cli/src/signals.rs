//! Signals that end the program: it ends at once, and takes with it what was half done. What whoever started
//! it lets it ignore, as `nohup` does, is ignored.

use std::sync::atomic::{AtomicBool, Ordering};

/// Whether a signal is ending the program.
static ENDING: AtomicBool = AtomicBool::new(false);

/// Leaves the end to the signal that came, if one did: work that was cancelled for it fails, and that is no error to
/// report.
pub(crate) fn wait_if_ending() {
    while ENDING.load(Ordering::SeqCst) {
        std::thread::park();
    }
}

/// Lets the program end cleanly when a signal ends it.
///
/// # Errors
/// What the system finds wrong.
#[cfg(unix)]
pub(crate) fn end_cleanly() -> std::io::Result<()> {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    use signal_hook::iterator::Signals;

    let ignored = ignored();
    let heard = [SIGHUP, SIGINT, SIGTERM].into_iter().filter(|signal| ignored & 1 << (signal - 1) == 0);
    let mut signals = Signals::new(heard)?;
    std::thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            ENDING.store(true, Ordering::SeqCst);
            pivvel::table::abandon_writing();
            // The exit code of shells for a program that a signal ended.
            std::process::exit(128 + signal);
        }
    });
    Ok(())
}

/// The signals that are ignored, a bit each, the first one lowest; none where the system does not say it.
#[cfg(unix)]
fn ignored() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    mask.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).unwrap_or(0)
}

/// Lets the program end cleanly when a signal ends it.
///
/// # Errors
/// What the system finds wrong.
#[cfg(not(unix))]
pub(crate) fn end_cleanly() -> Result<(), ctrlc::Error> {
    ctrlc::set_handler(|| {
        ENDING.store(true, Ordering::SeqCst);
        pivvel::table::abandon_writing();
        std::process::exit(130);
    })
}
