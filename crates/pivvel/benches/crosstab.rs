//! How fast lines become a cross-tab, as ratios to baselines in the same run. Every result is
//! checked against the generator's totals.
//!
//! `cargo bench -p pivvel` takes 2,000,000 lines; `PIVVEL_BENCH_LINES=20000` only checks that it runs.

use std::hint::black_box;
use std::io::{BufWriter, Read, Write};
use std::path::Path;
use std::time::{Duration, Instant};

use arrow_array::RecordBatch;
use pivvel::{Batches, Brief, CrossTab, LineSource, ReadOptions, TextSource};
use pivvel_demo::Totals;

const RUNS: usize = 5;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(2_000_000), |text| text.parse())?;
    let file = tempfile::NamedTempFile::with_suffix(".csv")?;
    let mut out = BufWriter::new(&file);
    let totals = pivvel_demo::write_lines(&mut out, lines, pivvel_demo::SEED)?;
    out.flush()?;
    drop(out);
    let path = file.path();
    println!("{lines} lines, {:.0} MB of CSV, medians of {RUNS} runs\n", path.metadata()?.len() as f64 / 1e6);

    let read = time(|| read_bytes(path));
    let split = time(|| split_fields(path, lines));
    let whole = time(|| from_csv(path, totals));
    let batches = batches(path)?;
    let memory = time(|| from_batches(&batches, totals));
    let amounts: Vec<i64> = (0..lines as i64).map(|i| i * 37 % 100_000 - 3_000).collect();
    let sum = time(|| {
        black_box(black_box(&amounts).iter().map(|v| i128::from(*v)).sum::<i128>());
    });

    let rate = |time: Duration| lines as f64 / time.as_secs_f64() / 1e6;
    let row = |name: &str, time: Duration| {
        println!("{name:<44} {:>9.1} ms {:>8.2} M lines/s", time.as_secs_f64() * 1e3, rate(time));
    };
    row("(a) read the file's bytes", read);
    row("(b) split it with the csv crate, 1 thread", split);
    row("(c) sum an array of as many amounts", sum);
    row("CSV to cross-tab", whole);
    row("record batches in memory to cross-tab", memory);
    let ratio = |a: Duration, b: Duration| a.as_secs_f64() / b.as_secs_f64();
    println!("\nCSV to cross-tab takes {:.2} x (a), {:.2} x (b)", ratio(whole, read), ratio(whole, split));
    println!("batches to cross-tab take {:.1} x (c), {:.2} x (b)", ratio(memory, sum), ratio(memory, split));
    Ok(())
}

/// The median of several runs, after one that is not counted.
fn time(mut work: impl FnMut()) -> Duration {
    work();
    let mut times: Vec<Duration> = (0..RUNS)
        .map(|_| {
            let start = Instant::now();
            work();
            start.elapsed()
        })
        .collect();
    times.sort_unstable();
    times[RUNS / 2]
}

fn brief() -> Brief {
    Brief::new()
        .rows(["coast", "harbour", "yard"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"))
}

fn check(crosstab: &CrossTab, totals: Totals) {
    let value = |measure| crosstab.value(&[], &[], measure).map(|value| value.to_string());
    let amount = format!("{}.{:02}", totals.amount / 100, totals.amount % 100);
    assert_eq!(value("sales"), Some(amount));
    assert_eq!(value("pieces"), Some(totals.quantity.to_string()));
    assert_eq!(value("lines"), Some(totals.lines.to_string()));
}

fn read_bytes(path: &Path) {
    let mut file = std::fs::File::open(path).expect("the file was just written");
    let mut buffer = vec![0; 256 << 10];
    while file.read(&mut buffer).expect("it can be read") > 0 {
        black_box(&buffer);
    }
}

fn split_fields(path: &Path, lines: u64) {
    let mut reader = csv::Reader::from_path(path).expect("the file was just written");
    let mut record = csv::ByteRecord::new();
    let mut met = 0;
    while reader.read_byte_record(&mut record).expect("it is CSV") {
        met += u64::from(black_box(record.len()) == 15);
    }
    assert_eq!(met, lines + 1);
}

fn from_csv(path: &Path, totals: Totals) {
    let mut source = TextSource::open(path, &ReadOptions::default()).expect("the file was just written");
    check(&CrossTab::build(&brief(), &mut source).expect("the brief fits"), totals);
}

/// The columns that the brief needs and no other, as batches.
fn batches(path: &Path) -> pivvel::Result<(TextSource, Vec<RecordBatch>)> {
    let mut source = TextSource::open(path, &ReadOptions::default())?;
    let schema = source.schema();
    let columns = ["sold_on", "coast", "harbour", "yard", "quantity", "amount"];
    let columns: Vec<usize> = columns.iter().filter_map(|name| schema.index_of(name).ok()).collect();
    let mut batches = Vec::new();
    source.scan(&columns, &mut |batch| {
        batches.push(batch);
        Ok(())
    })?;
    Ok((source, batches))
}

fn from_batches((_, batches): &(TextSource, Vec<RecordBatch>), totals: Totals) {
    let mut source = Batches::new(batches[0].schema(), batches.iter().cloned());
    // The row at the end of the file holds nothing, and was left out of the batches.
    check(&CrossTab::build(&brief(), &mut source).expect("the brief fits"), totals);
}
