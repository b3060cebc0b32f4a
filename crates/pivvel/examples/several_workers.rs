//! Several workers scan a part of the lines each and send what they found as bytes; one merges them.

use pivvel::result::Groups;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, Build};

fn brief() -> Brief {
    Brief::new()
        .rows(["coast"])
        .filter("scenario = 'actual'")
        .measure(("sales", "sum(amount)"))
        .measure(("yards", "distinct(yard)"))
        .measure(("middle", "median(amount)"))
}

/// What a worker does: it needs the brief and its part of the lines.
fn work(part: String) -> pivvel::Result<Vec<u8>> {
    let part = std::io::Cursor::new(part.into_bytes());
    let mut lines = TextSource::from_reader("part", part, &ReadOptions::default())?;
    Build::new().groups(&brief(), &mut lines)?.to_bytes()
}

fn main() -> pivvel::Result<()> {
    let (heading, lines) = pivvel_demo::CSV.split_once('\n').expect("a heading");
    let lines: Vec<&str> = lines.lines().collect();
    let parts = lines.chunks(lines.len().div_ceil(8)).map(|part| format!("{heading}\n{}\n", part.join("\n")));
    let sent: Vec<Vec<u8>> = std::thread::scope(|scope| {
        let workers: Vec<_> = parts.map(|part| scope.spawn(move || work(part))).collect();
        workers.into_iter().map(|worker| worker.join().expect("no panic")).collect::<pivvel::Result<_>>()
    })?;

    let received = sent.iter().enumerate().map(|(i, bytes)| Groups::from_bytes(format!("worker {i}"), bytes));
    let crosstab = Build::new().from_groups(&brief(), &received.collect::<pivvel::Result<Vec<_>>>()?)?;
    for cell in crosstab.cells() {
        let get = |name| cell.get(name).map(|value| value.map_or("blank".into(), |value| value.to_string()));
        let coast = cell.label("coast")?.unwrap_or("total");
        println!(
            "{coast}: {}, {} yards, half of the lines below {}",
            get("sales")?,
            get("yards")?,
            get("middle")?
        );
    }
    Ok(())
}
