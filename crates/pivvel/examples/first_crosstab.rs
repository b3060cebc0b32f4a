//! The main job: lines in, cross-tab out, drawn for a terminal.

use pivvel::draw::{Layout, TerminalOptions};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab, draw};

fn main() -> pivvel::Result<()> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year"])
        .measure(("sales", "sum(amount)"))
        .filter("scenario = 'actual'")
        .sort("harbour", "sales desc")
        .tint("sales");
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    print!("{}", draw::terminal(&Layout::new(&crosstab), &TerminalOptions::default()));
    Ok(())
}
