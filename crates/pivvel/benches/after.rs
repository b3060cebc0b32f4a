//! What comes after the scan: a finished cross-tab as a table in a file, as ratios to the Arrow writers on a finished
//! batch in the same run. Every result is read back or counted.
//!
//! `cargo bench -p pivvel --all-features --bench after` takes 3,000,000 lines, which make about a million rows;
//! `PIVVEL_BENCH_LINES=20000` only checks that it runs. After `--` parts can be named that alone are run: `csv`, `json`,
//! `parquet`, `arrow`, `batch`, `median`.

mod rounds;

use std::fs::File;
use std::io::BufWriter;
use std::path::Path;
use std::time::Duration;

use arrow_array::RecordBatch;
use pivvel::{Brief, CrossTab, ReadOptions, Run, Target, TextSource};
use rounds::{RUNS, rounds};

type Outcome = Result<(), Box<dyn std::error::Error>>;

fn main() -> Outcome {
    let arguments: Vec<String> = std::env::args().collect();
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(3_000_000), |text| text.parse())?;
    let folder = tempfile::tempdir()?;
    let csv = folder.path().join("lines.csv");
    let mut out = BufWriter::new(File::create(&csv)?);
    pivvel_demo::write_large(&mut out, lines, pivvel_demo::SEED)?;
    drop(out);
    let named = |part: &str| arguments.iter().any(|argument| argument == part);
    if named("median") {
        return medians(&csv);
    }
    let brief = Brief::new()
        .rows(["coast", "harbour", "yard"])
        .columns(["sold_on.year", "sold_on.month"])
        .measure(("sales", "sum(amount)"));
    let crosstab = built(&brief, &csv)?;
    let batch = crosstab.to_record_batch();
    println!(
        "{lines} lines, {} rows of {} columns, medians of {RUNS} runs\n",
        batch.num_rows(),
        batch.num_columns()
    );
    let parts: [(&str, f64, f64, Writer); 4] = [
        ("csv", 0.5, 0.25, by_arrow_csv),
        ("json", 0.7, 0.4, by_arrow_json),
        ("parquet", 1.2, 0.8, by_arrow_parquet),
        ("arrow", 1.5, 1.1, by_arrow_ipc),
    ];
    let any = parts.iter().any(|(part, ..)| named(part)) || named("batch");
    for (form, floor, aim, baseline) in parts.into_iter().filter(|(part, ..)| !any || named(part)) {
        let own = folder.path().join(format!("own.{form}"));
        let other = folder.path().join(format!("other.{form}"));
        let target = Target::new(&own)?;
        let (own_time, other_time, ratio) =
            compare(&mut || Ok(target.write(&crosstab)?), &mut || baseline(&other, &batch))?;
        assert!(own.metadata()?.len() > batch.num_rows() as u64, "every row is written");
        row(&format!("tidy result as {form}"), own_time);
        row(&format!("  {form} of a finished batch by the Arrow writer"), other_time);
        println!("    ratio: {ratio:.2} (floor {floor}, aim {aim})");
    }
    if !any || named("batch") {
        let mut made = 0;
        let (own_time, other_time, ratio) = compare(
            &mut || {
                made = crosstab.to_record_batch().num_rows();
                Ok(())
            },
            &mut || by_hand(&crosstab),
        )?;
        assert_eq!(made, batch.num_rows());
        row("to_record_batch", own_time);
        row("  the values of the same cells, by hand", other_time);
        println!("    ratio: {ratio:.2}");
    }
    if any { Ok(()) } else { medians(&csv) }
}

fn built(brief: &Brief, csv: &Path) -> Result<CrossTab, Box<dyn std::error::Error>> {
    let mut source = TextSource::from_reader("lines.csv", File::open(csv)?, &ReadOptions::default())?;
    Ok(Run::new().build(brief, &mut source)?)
}

/// Medians at all grains of 600 agents by quarter, beside a selection by hand on numbers that lie side by side.
fn medians(csv: &Path) -> Outcome {
    let layout =
        Brief::new().rows(["coast", "harbour", "agent"]).columns(["sold_on.year", "sold_on.quarter"]);
    let median = layout.clone().measure(("middle", "median(amount)"));
    let sum = layout.measure(("sales", "sum(amount)"));
    let mut numbers: Vec<i64> = Vec::new();
    for line in std::fs::read_to_string(csv)?.lines().skip(1) {
        let cents = line.rsplit(',').next().unwrap_or_default().replace('.', "");
        numbers.push(cents.parse()?);
    }
    let mut middle = None;
    let (own, hand, ratio) = compare(
        &mut || {
            middle = built(&median, csv)?.value(&[], &[], "middle");
            Ok(())
        },
        &mut || {
            for groups in [1, 12, 240, 600].into_iter().flat_map(|rows| [rows, rows * 3, rows * 12]) {
                let mut own = numbers.clone();
                for group in own.chunks_mut((numbers.len() / groups).max(1)) {
                    let place = group.len() / 2;
                    std::hint::black_box(group.select_nth_unstable(place));
                }
            }
            Ok(())
        },
    )?;
    numbers.sort_unstable();
    let (low, high) = (numbers[(numbers.len() - 1) / 2], numbers[numbers.len() / 2]);
    assert_eq!(middle.map(|value| value.as_f64()), Some((low + high) as f64 / 200.0), "the median of all");
    let (sums, ..) = compare(&mut || built(&sum, csv).map(drop), &mut || Ok(()))?;
    row("CSV to medians at all grains", own);
    row("  CSV to sums of the same layout", sums);
    row("  medians by hand, at as many groups of 12 grains", hand);
    println!("    ratio to medians by hand: {ratio:.1} (floor 4, aim 2)");
    Ok(())
}

type Writer = fn(&Path, &RecordBatch) -> Outcome;

fn by_arrow_csv(path: &Path, batch: &RecordBatch) -> Outcome {
    Ok(arrow_csv::Writer::new(BufWriter::new(File::create(path)?)).write(batch)?)
}

fn by_arrow_json(path: &Path, batch: &RecordBatch) -> Outcome {
    let mut writer = arrow_json::LineDelimitedWriter::new(BufWriter::new(File::create(path)?));
    writer.write(batch)?;
    Ok(writer.finish()?)
}

fn by_arrow_parquet(path: &Path, batch: &RecordBatch) -> Outcome {
    let mut writer = parquet::arrow::ArrowWriter::try_new(File::create(path)?, batch.schema(), None)?;
    writer.write(batch)?;
    writer.close()?;
    Ok(())
}

fn by_arrow_ipc(path: &Path, batch: &RecordBatch) -> Outcome {
    let mut writer =
        arrow_ipc::writer::FileWriter::try_new(BufWriter::new(File::create(path)?), &batch.schema())?;
    writer.write(batch)?;
    Ok(writer.finish()?)
}

/// A pass over all cells that reads their values alone.
fn by_hand(crosstab: &CrossTab) -> Outcome {
    let sum: f64 = crosstab.cells().filter_map(|cell| cell.value(0)).map(|value| value.as_f64()).sum();
    std::hint::black_box(sum);
    Ok(())
}

/// Runs two works in turn: the median time of each, and of the ratios of single rounds.
fn compare(
    own: &mut dyn FnMut() -> Outcome,
    baseline: &mut dyn FnMut() -> Outcome,
) -> Result<(Duration, Duration, f64), Box<dyn std::error::Error>> {
    let (mut own_failed, mut baseline_failed) = (Ok(()), Ok(()));
    let times = rounds([
        &mut || own_failed = std::mem::replace(&mut own_failed, Ok(())).and_then(|()| own()),
        &mut || baseline_failed = std::mem::replace(&mut baseline_failed, Ok(())).and_then(|()| baseline()),
    ]);
    own_failed.and(baseline_failed)?;
    Ok((times.median(0), times.median(1), times.ratio(0, 1)))
}

fn row(name: &str, time: Duration) {
    println!("{name:<58} {:>9.1} ms", time.as_secs_f64() * 1e3);
}
