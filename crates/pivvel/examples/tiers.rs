//! Classes of clients by what they buy, used like a column.

use pivvel::brief::TierBrief;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};

fn main() -> pivvel::Result<()> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let size = TierBrief::new("size", "yard", "sum(amount)")
        .cuts([20_000, 60_000])
        .labels(["small", "medium", "large"]);
    let brief = Brief::new()
        .rows(["size"])
        .tier(size)
        .filter("scenario = 'actual'")
        .measure(("yards", "distinct(yard)"))
        .measure(("sales", "sum(amount)"));
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    for cell in crosstab.cells() {
        let size = cell.label("size")?.unwrap_or("total");
        println!(
            "{size}: {} yards, {}",
            cell.value(0).unwrap_or_else(none),
            cell.value(1).unwrap_or_else(none)
        );
    }
    Ok(())
}

fn none() -> pivvel::Value {
    pivvel::Value::Exact(0.into())
}
