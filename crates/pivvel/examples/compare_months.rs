//! Two months side by side: what moved most, each level on a scale of its own.

use pivvel::compare::{Comparison, Snapshot};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};

fn main() -> pivvel::Result<()> {
    let month = |month: &str| -> pivvel::Result<Snapshot> {
        let mut lines =
            TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
        let brief = Brief::new()
            .rows(["coast"])
            .measure(("sales", "sum(amount)"))
            .filter(format!("scenario = 'actual' and sold_on.month = '{month}'"));
        Ok(Snapshot::of(month, &CrossTab::build(&brief, &mut lines)?))
    };
    let compared = Comparison::new(&month("2025-04")?, &month("2025-05")?, &[])?;
    for change in compared.changes() {
        println!(
            "{}: {} (rank {:?})",
            change.members()[0].as_deref().unwrap_or("total"),
            change.change().map_or("blank".into(), |by| by.to_string()),
            change.rank()
        );
    }
    Ok(())
}
