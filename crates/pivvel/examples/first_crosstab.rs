//! The main job: lines in, cross-tab out, drawn for a terminal.

use pivvel::{Brief, CrossTab, CsvOptions, CsvSource, Sheet, TerminalOptions, draw_terminal};

fn main() -> pivvel::Result<()> {
    let mut lines = CsvSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), CsvOptions::default())?;
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year"])
        .measure(("sales", "sum(amount)"))
        .filter("scenario = 'actual'")
        .sort("harbour", "sales desc")
        .tint("sales");
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    print!("{}", draw_terminal(&Sheet::new(&crosstab), &TerminalOptions::default()));
    Ok(())
}
