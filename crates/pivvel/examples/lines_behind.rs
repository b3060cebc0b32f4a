//! The lines behind a cell, which add up to it.

use pivvel::arrow::RecordBatch;
use pivvel::drill::LinesBehind;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, Build};

fn main() -> pivvel::Result<()> {
    let lines = || TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default());
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.month"])
        .filter("scenario = 'actual'")
        .measure(("sales", "sum(amount)"));
    let trace = Build::new().trace(&brief, &mut lines()?)?;

    let wanted =
        LinesBehind::of("coast='Isle of Tarrow', harbour='Sarn Cove', sold_on.month=2024-03".parse()?);
    let mut found: Vec<RecordBatch> = Vec::new();
    let tied = trace.lines(&wanted, &mut lines()?, &mut |batch| {
        found.push(batch);
        Ok(())
    })?;
    println!("{} lines", found.iter().map(RecordBatch::num_rows).sum::<usize>());
    println!("they add up to the cell: {}", tied.holds());
    for name in found[0].schema_ref().fields().iter().take(6) {
        println!("  {}", name.name());
    }
    Ok(())
}
