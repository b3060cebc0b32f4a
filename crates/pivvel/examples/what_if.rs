//! The same brief with other values of an assumption.

use pivvel::brief::AssumptionBrief;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};

fn with(brief: &Brief, uplift: &str) -> pivvel::Result<CrossTab> {
    let mut brief = brief.clone();
    brief.assume("uplift", uplift.into())?;
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    CrossTab::build(&brief, &mut lines)
}

fn main() -> pivvel::Result<()> {
    let brief = Brief::new()
        .rows(["coast"])
        .filter("scenario = 'actual'")
        .assumption(AssumptionBrief::new("uplift", "4%").low(0).high("20%"))
        .measure(("next_year", "sum(amount) * (1 + uplift)"));
    for uplift in ["4%", "10%"] {
        for cell in with(&brief, uplift)?.cells() {
            let value = cell.get("next_year")?.and_then(|value| value.to_decimal(2));
            let coast = cell.label("coast")?.unwrap_or("total");
            println!("{uplift}: {coast} {}", value.map_or("blank".into(), |value| value.to_string()));
        }
    }
    // What makes no sense is an error that says so.
    for uplift in ["80%", "much"] {
        if let Err(error) = with(&brief, uplift) {
            println!("{error}");
        }
    }
    Ok(())
}
