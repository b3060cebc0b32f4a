//! Where one number comes from, in sentences.

use pivvel::source::{LineSource, ReadOptions, TextSource};
use pivvel::{Brief, Build, draw};

fn main() -> pivvel::Result<()> {
    // The lines may be read more than once.
    let mut lines = || -> pivvel::Result<Box<dyn LineSource>> {
        let text = pivvel_demo::CSV.as_bytes();
        Ok(Box::new(TextSource::from_reader("lines.csv", text, &ReadOptions::default())?))
    };
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .filter("scenario = 'actual'")
        .measure(("sales", "sum(amount)"))
        .measure(("share", "sales / sales at parent"))
        .tint("sales");
    let address = "coast='Skerry Coast', harbour='Kittick'".parse()?;
    let story = Build::new().explain(&brief, &mut lines, &address, "share")?;
    print!("{}", draw::report(&draw::report_story(&story), &draw::TerminalOptions::default()));
    Ok(())
}
