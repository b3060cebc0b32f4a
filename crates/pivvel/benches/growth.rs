//! How time and memory grow with the lines, and with the groups: from a CSV file to a cross-tab, and on to its tidy
//! result in a file, each in a process of its own, the quickest of three, and each time beside that of the first row.
//!
//! `cargo bench -p pivvel --features parquet --bench growth` goes to 2,000,000 lines; `PIVVEL_BENCH_LINES=100000000`
//! to as many as that (11 GB of disk), and 20000 only checks that it runs.

use std::hint::black_box;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::Instant;

use pivvel::result::Grain;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::Target;
use pivvel::{Brief, Build};

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
/// What is made of a cross-tab: nothing, or its tidy result in a file of this ending.
const FORMS: [Option<&str>; 3] = [None, Some("csv"), Some("parquet")];

fn main() -> Fallible<()> {
    let arguments: Vec<String> = std::env::args().collect();
    if let Some(place) = arguments.iter().position(|argument| argument == "--measure") {
        let out = arguments.get(place + 3).filter(|argument| argument.contains("tidy."));
        let figures = measure(Path::new(&arguments[place + 1]), arguments[place + 2].parse()?, out)?;
        println!("{} {} {}", figures.groups, figures.seconds, figures.peak);
        return Ok(());
    }
    let most: u64 = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(2_000_000), |text| text.parse())?;
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("lines.csv");
    println!("{:<48}   to a cross-tab    to tidy CSV   to tidy Parquet", "");
    print!("{:<18} {:>11} {:>10} {:>5}", "", "lines", "groups", "");
    FORMS.iter().for_each(|_| print!("  {:>6} {:>8}", "s", "MiB"));
    println!();
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

/// What a run took: its leaf groups, its seconds, and the most memory that was taken at once, in MiB.
struct Figures {
    groups: u64,
    seconds: f64,
    peak: u64,
}

/// Runs a layout to each form, and prints what each took, the first time beside that of the first row.
fn row(path: &Path, lines: u64, layout: usize, first: &mut Option<f64>) -> Fallible<()> {
    for form in FORMS {
        let mut quickest: Option<Figures> = None;
        for _ in 0..RUNS {
            let figures = in_own_process(path, layout, form)?;
            if quickest.as_ref().is_none_or(|least| figures.seconds < least.seconds) {
                quickest = Some(figures);
            }
        }
        let Some(Figures { groups, seconds, peak }) = quickest else { return Ok(()) };
        if form.is_none() {
            let times = seconds / *first.get_or_insert(seconds);
            print!("{:<18} {lines:>11} {groups:>10} {times:>4.1}x", LAYOUTS[layout].0);
        }
        print!("  {seconds:>6.2} {peak:>8}");
        std::io::stdout().flush()?;
    }
    println!();
    Ok(())
}

fn in_own_process(path: &Path, layout: usize, form: Option<&str>) -> Fallible<Figures> {
    let mut command = std::process::Command::new(std::env::current_exe()?);
    command.arg("--measure").arg(path).arg(layout.to_string());
    command.args(form.map(|form| path.with_file_name(format!("tidy.{form}"))));
    let output = command.output()?;
    let text = String::from_utf8(output.stdout)?;
    let figures: Vec<&str> = text.split_whitespace().collect();
    let [groups, seconds, peak] = figures[..] else {
        return Err(format!("no figures: {text}{}", String::from_utf8_lossy(&output.stderr)).into());
    };
    Ok(Figures { groups: groups.parse()?, seconds: seconds.parse()?, peak: peak.parse()? })
}

/// One run, in this process.
fn measure(path: &Path, layout: usize, out: Option<&String>) -> Fallible<Figures> {
    let (_, rows, columns) = LAYOUTS[layout];
    let brief = Brief::new()
        .rows(rows.iter().copied())
        .columns(columns.iter().copied())
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"));
    let start = Instant::now();
    let mut source = TextSource::open(path, &ReadOptions::default())?;
    let crosstab = black_box(Build::new().run(&brief, &mut source)?);
    if let Some(out) = out {
        Target::new(Path::new(out))?.write(&crosstab)?;
    }
    let seconds = start.elapsed().as_secs_f64();
    let groups = crosstab.cell_count(Grain::new(rows.len(), columns.len())) as u64;
    // As Linux has it.
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:")?.trim().strip_suffix(" kB"));
    let kibibytes: u64 = peak.map_or(Ok(0), |text| text.trim().parse())?;
    Ok(Figures { groups, seconds, peak: kibibytes / 1024 })
}
