//! Writes made-up sales lines: `cargo run -p pivvel-demo --example write_lines [LINES] > lines.csv`.

use std::io::{BufWriter, Write, stdout};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let lines = std::env::args().nth(1).map_or(Ok(pivvel_demo::LINES), |text| text.parse())?;
    let mut out = BufWriter::new(stdout().lock());
    pivvel_demo::write_lines(&mut out, lines, pivvel_demo::SEED)?;
    out.flush()?;
    Ok(())
}
