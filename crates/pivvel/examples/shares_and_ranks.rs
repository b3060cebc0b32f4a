//! Shares of the total above and ranks among siblings, with formulas that are built in Rust.

use pivvel::formula::{Place, col, sum};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};

fn main() -> pivvel::Result<()> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .filter(col("scenario").is("actual"))
        .measure(("sales", sum(col("amount"))))
        .measure(("share", col("sales") / col("sales").at(Place::Parent)))
        .measure(("place", "rank(sales among siblings)"));
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    for cell in crosstab.level("harbour", "total")? {
        let share = cell.get("share")?.and_then(|share| share.to_decimal(3));
        println!(
            "{} / {}: {} of its coast, place {}",
            cell.label("coast")?.unwrap_or_default(),
            cell.label("harbour")?.unwrap_or_default(),
            share.map_or("blank".into(), |share| share.to_string()),
            cell.get("place")?.map_or("blank".into(), |place| place.to_string()),
        );
    }
    Ok(())
}
