//! How time and memory grow with the lines, and with the groups: from a CSV file to a cross-tab in a
//! process of its own, the quickest of three, and each figure beside that of the first row.
//!
//! `cargo bench -p pivvel --bench growth` goes to 2,000,000 lines; `PIVVEL_BENCH_LINES=100000000` to
//! as many as that (11 GB of disk), and 20000 only checks that it runs.

use std::hint::black_box;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::Instant;

use pivvel::{Brief, Grain, ReadOptions, Run, TextSource};

type Fallible<T> = Result<T, Box<dyn std::error::Error>>;

/// Rows and columns, from few leaf groups to as many as there are lines.
const LAYOUTS: [(&str, &[&str], &[&str]); 7] = [
    ("coast", &["coast"], &[]),
    ("agent", &["coast", "harbour", "agent"], &[]),
    ("agent by quarter", &["coast", "harbour", "agent"], &["sold_on.year", "sold_on.quarter"]),
    ("yard", &["coast", "harbour", "yard"], &[]),
    ("yard by quarter", &["coast", "harbour", "yard"], &["sold_on.quarter"]),
    ("yard by month", &["coast", "harbour", "yard"], &["sold_on.month"]),
    ("order", &["order"], &[]),
];
const RUNS: usize = 3;
/// The layout by which the growth with the lines is measured.
const BY_QUARTER: usize = 2;

fn main() -> Fallible<()> {
    let arguments: Vec<String> = std::env::args().collect();
    if let Some(place) = arguments.iter().position(|argument| argument == "--measure") {
        return measure(Path::new(&arguments[place + 1]), arguments[place + 2].parse()?);
    }
    let most: u64 = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(2_000_000), |text| text.parse())?;
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("lines.csv");
    println!("{:<28} {:>12} {:>9} {:>8} {:>8} {:>9}", "", "lines", "groups", "s", "x", "peak MiB");
    let steps = [100, 10, 3, 1].map(|part| most / part);
    let mut first = None;
    for lines in steps.into_iter().filter(|lines| *lines > 0) {
        write(&path, lines)?;
        row(&path, lines, BY_QUARTER, &mut first)?;
    }
    println!();
    let lines = most.min(10_000_000);
    write(&path, lines)?;
    let mut first = None;
    (0..LAYOUTS.len()).try_for_each(|layout| row(&path, lines, layout, &mut first))
}

fn write(path: &Path, lines: u64) -> Fallible<()> {
    let mut out = BufWriter::new(std::fs::File::create(path)?);
    pivvel_demo::write_large(&mut out, lines, pivvel_demo::SEED)?;
    Ok(out.flush()?)
}

/// Runs a layout, and prints what it took beside the first one.
fn row(path: &Path, lines: u64, layout: usize, first: &mut Option<f64>) -> Fallible<()> {
    let mut quickest: Option<(f64, String, String)> = None;
    for _ in 0..RUNS {
        let mut command = std::process::Command::new(std::env::current_exe()?);
        let output = command.arg("--measure").arg(path).arg(layout.to_string()).output()?;
        let text = String::from_utf8(output.stdout)?;
        let figures: Vec<&str> = text.split_whitespace().collect();
        let [groups, seconds, peak] = figures[..] else {
            return Err(format!("no figures: {text}{}", String::from_utf8_lossy(&output.stderr)).into());
        };
        let seconds: f64 = seconds.parse()?;
        if quickest.as_ref().is_none_or(|(least, ..)| seconds < *least) {
            quickest = Some((seconds, groups.to_string(), peak.to_string()));
        }
    }
    let Some((seconds, groups, peak)) = quickest else { return Ok(()) };
    let times = seconds / *first.get_or_insert(seconds);
    let name = LAYOUTS[layout].0;
    println!("{name:<28} {lines:>12} {groups:>9} {seconds:>8.2} {times:>8.1} {peak:>9}");
    Ok(())
}

/// One run: its leaf groups, its seconds, and the most memory that was taken at once in MiB, as Linux
/// tells it.
fn measure(path: &Path, layout: usize) -> Fallible<()> {
    let (_, rows, columns) = LAYOUTS[layout];
    let brief = Brief::new()
        .rows(rows.iter().copied())
        .columns(columns.iter().copied())
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"));
    let start = Instant::now();
    let mut source = TextSource::open(path, &ReadOptions::default())?;
    let crosstab = black_box(Run::new().build(&brief, &mut source)?);
    let seconds = start.elapsed().as_secs_f64();
    let groups = crosstab.cell_count(Grain::new(rows.len(), columns.len()));
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:")?.trim().strip_suffix(" kB"));
    let kibibytes: Option<u64> = peak.and_then(|text| text.trim().parse().ok());
    println!("{groups} {seconds} {}", kibibytes.map_or("?".into(), |kib| (kib / 1024).to_string()));
    Ok(())
}
