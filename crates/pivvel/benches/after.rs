//! What comes after the scan: a finished cross-tab as a table in a file, as ratios to the Arrow writers on a finished
//! batch in the same run. Every result is read back or counted.
//!
//! `cargo bench -p pivvel --all-features --bench after` takes 3,000,000 lines, which make about a million rows;
//! `PIVVEL_BENCH_LINES=20000` only checks that it runs. After `--` parts can be named that alone are run: `csv`, `json`,
//! `parquet`, `arrow`, `batch`.

use std::fs::File;
use std::io::BufWriter;
use std::path::Path;
use std::time::{Duration, Instant};

use arrow_array::RecordBatch;
use pivvel::{Brief, CrossTab, ReadOptions, Run, Target, TextSource};

const RUNS: usize = 5;

type Outcome = Result<(), Box<dyn std::error::Error>>;

fn main() -> Outcome {
    let arguments: Vec<String> = std::env::args().collect();
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(3_000_000), |text| text.parse())?;
    let folder = tempfile::tempdir()?;
    let csv = folder.path().join("lines.csv");
    let mut out = BufWriter::new(File::create(&csv)?);
    pivvel_demo::write_large(&mut out, lines, pivvel_demo::SEED)?;
    drop(out);
    let mut source = TextSource::from_reader(
        "lines.csv",
        BufWriter::new(File::open(&csv)?).into_inner()?,
        &ReadOptions::default(),
    )?;
    let brief = Brief::new()
        .rows(["coast", "harbour", "yard"])
        .columns(["sold_on.year", "sold_on.month"])
        .measure(("sales", "sum(amount)"));
    let crosstab = Run::new().build(&brief, &mut source)?;
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
    let named = |part: &str| arguments.iter().any(|argument| argument == part);
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

/// Runs two works in turn, a round not counted before: the median of each, and of the ratios of single rounds.
fn compare(
    own: &mut dyn FnMut() -> Outcome,
    baseline: &mut dyn FnMut() -> Outcome,
) -> Result<(Duration, Duration, f64), Box<dyn std::error::Error>> {
    let mut rounds = Vec::new();
    for round in 0..=RUNS {
        let start = Instant::now();
        own()?;
        let between = start.elapsed();
        baseline()?;
        let both = start.elapsed();
        if round > 0 {
            rounds.push((between, both - between));
        }
    }
    let median = |of: &dyn Fn(&(Duration, Duration)) -> f64| {
        let mut all: Vec<f64> = rounds.iter().map(of).collect();
        all.sort_by(f64::total_cmp);
        all[all.len() / 2]
    };
    let ratio = median(&|(own, other)| own.as_secs_f64() / other.as_secs_f64());
    let of = |seconds: f64| Duration::from_secs_f64(seconds);
    Ok((of(median(&|r| r.0.as_secs_f64())), of(median(&|r| r.1.as_secs_f64())), ratio))
}

fn row(name: &str, time: Duration) {
    println!("{name:<58} {:>9.1} ms", time.as_secs_f64() * 1e3);
}
