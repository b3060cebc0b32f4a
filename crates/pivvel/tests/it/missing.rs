//! Programs that some tests need. Where one is not installed, the test says so past the harness, which keeps what a
//! test that passes prints to itself, and is left out; under `PIVVEL_REQUIRE_ALL=1` it fails.

use std::io::Write;

pub(crate) fn skipped(program: &str) {
    assert!(std::env::var_os("PIVVEL_REQUIRE_ALL").is_none(), "{program} is not installed");
    let test = std::thread::current().name().unwrap_or("a test").to_string();
    let _ = writeln!(std::io::stderr(), "\n!! {test} is SKIPPED: {program} is not installed");
}
