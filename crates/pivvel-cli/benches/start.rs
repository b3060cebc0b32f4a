//! How long it takes from the start of the command to the first byte of a cross-tab of 5,000 lines, beside
//! what the command takes to tell its version.
//!
//! `cargo bench -p pivvel-cli --bench start`

use std::io::{BufWriter, Read, Write};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

const RUNS: usize = 41;
const LINES: u64 = 5_000;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("lines.csv");
    let mut out = BufWriter::new(std::fs::File::create(&path)?);
    pivvel_demo::write_large(&mut out, LINES, pivvel_demo::SEED)?;
    out.flush()?;
    let mut build = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    build.arg("build").arg(&path).args([
        "--rows",
        "coast,harbour",
        "--columns",
        "sold_on.year,sold_on.quarter",
    ]);
    build.args(["--measure", "sales = sum(amount)"]);
    let mut version = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    version.arg("--version");
    // In turns: a machine that is slow for a while is so for both.
    let (mut builds, mut versions) = (Vec::new(), Vec::new());
    for _ in 0..RUNS {
        builds.push(first_byte(&mut build)?);
        versions.push(first_byte(&mut version)?);
    }
    println!("{:<52} {:>7.1} ms (floor 15, aim 10)", "start to the first byte, 5,000 lines", median(builds));
    println!("{:<52} {:>7.1} ms", "the same of --version", median(versions));
    Ok(())
}

/// The time until a command writes something.
fn first_byte(command: &mut Command) -> Result<Duration, Box<dyn std::error::Error>> {
    let start = Instant::now();
    let mut child = command.stdout(Stdio::piped()).stderr(Stdio::null()).spawn()?;
    let mut out = child.stdout.take().ok_or("no output")?;
    out.read_exact(&mut [0])?;
    let time = start.elapsed();
    std::io::copy(&mut out, &mut std::io::sink())?;
    match child.wait()?.success() {
        true => Ok(time),
        false => Err("the command failed".into()),
    }
}

fn median(mut times: Vec<Duration>) -> f64 {
    times.sort_unstable();
    times[times.len() / 2].as_secs_f64() * 1e3
}
