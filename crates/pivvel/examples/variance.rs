//! A calculated item: what stands between actual and plan, as a member beside both.

use pivvel::brief::{EmphasisBrief, Form, RuleBrief, Tone};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab, draw};

fn main() -> pivvel::Result<()> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let short = RuleBrief::new().named("short of plan").below(0).show(Tone::Loss);
    let brief = Brief::new()
        .rows(["coast"])
        .columns(["scenario"])
        .measure(("sales", "sum(amount)"))
        .item("scenario", "variance", "actual - plan")
        .emphasize(EmphasisBrief::new("sales", Form::Ink).only("scenario = 'variance'").rule(short));
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    print!("{}", draw::terminal(&draw::Layout::new(&crosstab), &draw::TerminalOptions::default()));
    Ok(())
}
