//! What quotes cost: CSV with every field in quotes beside the same lines without any, and lines of
//! sixteen columns with one quoted text each beside the `csv` crate's split. Every result is checked.
//!
//! `cargo bench -p pivvel --all-features --bench quoted` takes 3,000,000 lines; `PIVVEL_BENCH_LINES=20000`
//! only checks that it runs. After `--` one part can be named that alone is run: `every` or `one`.

mod rounds;

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::Duration;

use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, Build, Decimal};
use rounds::{RUNS, rounds};

type Outcome = Result<(), Box<dyn std::error::Error>>;

fn main() -> Outcome {
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(3_000_000), |text| text.parse())?;
    println!("{lines} lines, medians of {RUNS} runs, 2 threads\n");
    let folder = tempfile::tempdir()?;
    let only = |part: &str| std::env::args().any(|argument| argument == part);
    if !only("one") {
        every_field(folder.path(), lines)?;
    }
    if only("every") { Ok(()) } else { one_field(folder.path(), lines) }
}

/// Agents by quarter, of lines with every field in quotes and with none.
fn every_field(folder: &Path, lines: u64) -> Outcome {
    let mut text = Vec::new();
    let totals = pivvel_demo::write_large(&mut text, lines, pivvel_demo::SEED)?;
    let (bare, quoted) = (folder.join("bare.csv"), folder.join("quoted.csv"));
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_slice());
    let mut writers = [
        csv::WriterBuilder::new().quote_style(csv::QuoteStyle::Never).from_path(&bare)?,
        csv::WriterBuilder::new().quote_style(csv::QuoteStyle::Always).from_path(&quoted)?,
    ];
    let mut record = csv::StringRecord::new();
    while reader.read_record(&mut record)? {
        // A comma in a text is what some lines are quoted for.
        let record: csv::StringRecord = record.iter().map(|field| field.replace(',', "")).collect();
        writers.iter_mut().try_for_each(|writer| writer.write_record(&record))?;
    }
    writers.iter_mut().try_for_each(|writer| writer.flush())?;
    let brief = Brief::new()
        .rows(["coast", "harbour", "agent"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"));
    let wanted = [Decimal::new(totals.amount, 2), Decimal::new(totals.quantity, 0), totals.lines.into()];
    let times = rounds([
        &mut || check(&bare, &brief, &["sales", "pieces", "lines"], &wanted),
        &mut || check(&quoted, &brief, &["sales", "pieces", "lines"], &wanted),
        &mut || split(&quoted, lines),
    ]);
    row("no field in quotes", times.median(0));
    row("every field in quotes", times.median(1));
    row("  these split with the csv crate, 1 thread", times.median(2));
    println!("    of the time without quotes: {:.2} (floor 1.5, aim 1.15)", times.ratio(1, 0));
    println!("    of the time to split them: {:.2}", times.ratio(1, 2));
    Ok(())
}

/// Three short texts by quarter, of lines of sixteen columns that end with a quoted remark.
fn one_field(folder: &Path, lines: u64) -> Outcome {
    let path = folder.join("remarks.csv");
    let mut out = BufWriter::new(File::create(&path)?);
    let ways = ["BARGE", "CART", "FERRY", "MULE", "RAFT", "SLEDGE", "WAGON"];
    writeln!(
        out,
        "order,article,maker,line,quantity,price,rebate,tax,returned,state,\
         sent_on,due_on,arrived_on,instruction,way,remark"
    )?;
    let mut total = 0;
    for line in 0..lines {
        // A step of a generator by D. Lehmer, with the factor of S. Park and K. Miller.
        let draw = (line + 1).wrapping_mul(48_271).wrapping_mul(16_807) % 2_147_483_647;
        let (quantity, cents) = (1 + draw % 50, 90_000 + draw % 9_999_999);
        let month = 1 + draw % 12;
        total += i128::from(cents);
        writeln!(
            out,
            "{},{},{},{},{quantity},{}.{:02},0.0{},0.0{},{},{},{}-{month:02}-{:02},{}-{month:02}-11,{}-{month:02}-21,\
             DELIVER IN PERSON,{},\"carefully, the last of {} even crates sleeps\"",
            line / 4,
            draw % 200_000,
            draw % 10_000,
            line % 4 + 1,
            cents / 100,
            cents % 100,
            draw % 10,
            draw % 9,
            ["A", "N", "R"][(draw % 3) as usize],
            ["F", "O"][(draw / 3 % 2) as usize],
            2_019 + draw % 7,
            1 + draw % 28,
            2_019 + draw % 7,
            2_019 + draw % 7,
            ways[(draw / 7 % 7) as usize],
            draw % 997,
        )?;
    }
    out.flush()?;
    let brief = Brief::new()
        .rows(["returned", "state", "way"])
        .columns(["sent_on.quarter"])
        .measure(("value", "sum(price)"));
    let times = rounds([&mut || check(&path, &brief, &["value"], &[Decimal::new(total, 2)]), &mut || {
        split(&path, lines)
    }]);
    row("one quoted field of sixteen, to three dimensions by quarter", times.median(0));
    row("  these split with the csv crate, 1 thread", times.median(1));
    println!("    of the time to split them: {:.2} (floor 0.35, aim 0.22)", times.ratio(0, 1));
    Ok(())
}

fn check(path: &Path, brief: &Brief, measures: &[&str], wanted: &[Decimal]) {
    let mut source = TextSource::open(path, &ReadOptions::default()).expect("the file was just written");
    let crosstab = Build::new().threads(2).run(brief, &mut source).expect("the brief fits");
    for (measure, wanted) in measures.iter().zip(wanted) {
        let value = crosstab.value(&[], &[], measure).map(|value| value.to_string());
        assert_eq!(value, Some(wanted.to_string()), "{measure}");
    }
}

fn split(path: &Path, lines: u64) {
    let mut reader = csv::Reader::from_path(path).expect("the file was just written");
    let mut record = csv::ByteRecord::new();
    let mut met = 0;
    while reader.read_byte_record(&mut record).expect("it is CSV") {
        met += u64::from(std::hint::black_box(record.len()) > 0);
    }
    assert_eq!(met, lines);
}

fn row(name: &str, time: Duration) {
    println!("{name:<60} {:>9.1} ms", time.as_secs_f64() * 1e3);
}
