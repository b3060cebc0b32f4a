//! Writes made-up sales lines: `cargo run -p pivvel-demo --example write_lines [LINES] > lines.csv`. With
//! `large` behind the number they are the plain lines that benchmarks measure with.

use std::io::{BufWriter, Write, stdout};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let lines = std::env::args().nth(1).map_or(Ok(pivvel_demo::LINES), |text| text.parse())?;
    let mut out = BufWriter::new(stdout().lock());
    match std::env::args().nth(2).as_deref() {
        Some("large") => pivvel_demo::write_large(&mut out, lines, pivvel_demo::SEED)?,
        _ => pivvel_demo::write_lines(&mut out, lines, pivvel_demo::SEED)?,
    };
    out.flush()?;
    Ok(())
}
