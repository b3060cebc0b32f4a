//! The three best harbours of each coast, and all others as one member.

use pivvel::brief::TopBrief;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab, draw};

fn main() -> pivvel::Result<()> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .filter("scenario = 'actual'")
        .measure(("sales", "sum(amount)"))
        .sort("harbour", "sales desc")
        .top("harbour", TopBrief::new(1, "sales").others("All other harbours"))
        .bar("sales");
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    print!("{}", draw::terminal(&draw::Layout::new(&crosstab), &draw::TerminalOptions::default()));
    Ok(())
}
