//! A heat map in which every level is on a scale of its own, as a picture.

use pivvel::brief::{EmphasisBrief, Form};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab, draw};

fn main() -> pivvel::Result<()> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.quarter_of_year"])
        .measure(("sales", "sum(amount)"))
        .filter("scenario = 'actual'")
        .emphasize(EmphasisBrief::new("sales", Form::Tint).levels(["coast", "harbour"]));
    let crosstab = CrossTab::build(&brief, &mut lines)?;

    // The scale of each level ends at its own lowest and highest cell.
    for level in ["coast", "harbour"] {
        let cells = || crosstab.level(level, "sold_on.quarter_of_year");
        let lowest = cells()?.find(|cell| cell.position(0) == Some(0.0));
        let highest = cells()?.find(|cell| cell.position(0) == Some(1.0));
        for cell in lowest.into_iter().chain(highest) {
            println!(
                "{level}: {:?} {:?}",
                cell.label(level)?,
                cell.get("sales")?.map(|value| value.to_string())
            );
        }
    }
    let picture = draw::svg(&crosstab, None);
    println!("a picture of {} cells", picture.matches("<rect").count());
    Ok(())
}
