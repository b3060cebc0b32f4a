//! What comes after the scan: a finished cross-tab as a table in a file, as ratios to the Arrow writers on a finished
//! batch in the same run. Every result is read back or counted.
//!
//! `cargo bench -p pivvel --all-features --bench after` takes 3,000,000 lines, which make about a million rows;
//! `PIVVEL_BENCH_LINES=20000` only checks that it runs. After `--` parts can be named that alone are run: `csv`, `jsonl`,
//! `parquet`, `arrow`, `batch`, `median`, `orders`.

mod rounds;

use std::collections::HashMap;
use std::fmt::Write as _;
use std::fs::File;
use std::io::BufWriter;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use arrow_array::builder::StringBuilder;
use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Float64Type, UInt64Type};
use arrow_array::{Array, ArrayRef, Date32Array, Float64Array, RecordBatch, StringArray, UInt64Array};
use parquet::file::reader::{FileReader, SerializedFileReader};
use pivvel::result::Grain;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::Target;
use pivvel::{Brief, Build, CrossTab};
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
    if named("orders") {
        return orders(&csv);
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
        ("jsonl", 0.7, 0.4, by_arrow_json),
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
        let flat: Vec<FlatColumn> = batch.columns().iter().map(FlatColumn::of).collect::<Result<_, _>>()?;
        assert!(by_hand(&batch, &flat)? == batch, "the same by hand");
        let (own_time, other_time, ratio) = compare(
            &mut || {
                drop(std::hint::black_box(crosstab.to_record_batch()));
                Ok(())
            },
            &mut || by_hand(&batch, &flat).map(|batch| drop(std::hint::black_box(batch))),
        )?;
        row("to_record_batch", own_time);
        row("  the same columns by hand, 1 thread", other_time);
        println!("    ratio: {ratio:.2} (floor 4, aim 2)");
    }
    if any { Ok(()) } else { medians(&csv).and_then(|()| orders(&csv)) }
}

/// As many leaf groups as there are lines, from CSV to a tidy Parquet file.
fn orders(csv: &Path) -> Outcome {
    let brief = Brief::new().rows(["order"]).measure(("sales", "sum(amount)"));
    let build = || -> Result<CrossTab, Box<dyn std::error::Error>> {
        let mut source = TextSource::open(csv, &ReadOptions::default())?;
        Ok(Build::new().run(&brief, &mut source)?)
    };
    let crosstab = build()?;
    let (groups, batch) = (crosstab.cell_count(Grain::new(1, 0)), crosstab.to_record_batch());
    drop(crosstab);
    let own = csv.with_file_name("orders.parquet");
    let other = csv.with_file_name("other.parquet");
    let target = Target::new(&own)?;
    let (own_time, other_time, ratio) =
        compare(&mut || Ok(target.write(&build()?)?), &mut || by_arrow_parquet(&other, &batch))?;
    let rows = SerializedFileReader::new(File::open(&own)?)?.metadata().file_metadata().num_rows();
    assert_eq!(rows, groups as i64 + 1, "the orders and their total");
    row(&format!("{groups} orders from CSV to tidy Parquet"), own_time);
    println!("    {:.2} M groups/s (floor 1.5, aim 3)", groups as f64 / own_time.as_secs_f64() / 1e6);
    row("  parquet of a finished batch by the Arrow writer", other_time);
    println!("    ratio: {ratio:.2}");
    Ok(())
}

fn built(brief: &Brief, csv: &Path) -> Result<CrossTab, Box<dyn std::error::Error>> {
    let mut source = TextSource::from_reader("lines.csv", File::open(csv)?, &ReadOptions::default())?;
    Ok(Build::new().run(brief, &mut source)?)
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

/// What a column is built from by hand: texts by the code of each row, numbers side by side.
enum FlatColumn {
    Texts(Vec<u32>, Vec<Option<String>>),
    Cents(Vec<i64>),
    Floats(Vec<Option<f64>>),
    Counts(Vec<Option<u64>>),
    Days(Vec<Option<i32>>),
}

impl FlatColumn {
    fn of(column: &ArrayRef) -> Result<FlatColumn, Box<dyn std::error::Error>> {
        if let Some(texts) = column.as_string_opt::<i32>() {
            let mut known: HashMap<Option<&str>, u32> = HashMap::new();
            let mut code = |text| {
                let next = known.len() as u32;
                *known.entry(text).or_insert(next)
            };
            let codes: Vec<u32> = texts.iter().map(&mut code).collect();
            // The column of digits is the one with so many different texts.
            if known.len() > 200_000.min(texts.len() / 2) {
                let cents = texts.iter().map(|text| text.unwrap_or_default().replacen('.', "", 1).parse());
                return Ok(FlatColumn::Cents(cents.collect::<Result<_, _>>()?));
            }
            let mut texts = vec![None; known.len()];
            known.into_iter().for_each(|(text, code)| texts[code as usize] = text.map(str::to_string));
            return Ok(FlatColumn::Texts(codes, texts));
        }
        if let Some(floats) = column.as_primitive_opt::<Float64Type>() {
            return Ok(FlatColumn::Floats(floats.iter().collect()));
        }
        if let Some(days) = column.as_primitive_opt::<Date32Type>() {
            return Ok(FlatColumn::Days(days.iter().collect()));
        }
        let counts = column.as_primitive_opt::<UInt64Type>().ok_or("a column of another type")?;
        Ok(FlatColumn::Counts(counts.iter().collect()))
    }
}

/// A batch like another one, from its flat columns.
fn by_hand(like: &RecordBatch, columns: &[FlatColumn]) -> Result<RecordBatch, Box<dyn std::error::Error>> {
    let array = |column: &FlatColumn| -> ArrayRef {
        match column {
            FlatColumn::Texts(codes, texts) => {
                let text = |code: &u32| texts[*code as usize].as_deref();
                Arc::new(codes.iter().map(text).collect::<StringArray>())
            }
            FlatColumn::Cents(all) => {
                let (mut builder, mut text) = (StringBuilder::new(), String::new());
                for cents in all {
                    text.clear();
                    let (sign, cents) = (if *cents < 0 { "-" } else { "" }, cents.unsigned_abs());
                    let _ = write!(text, "{sign}{}.{:02}", cents / 100, cents % 100);
                    builder.append_value(&text);
                }
                Arc::new(builder.finish())
            }
            FlatColumn::Floats(all) => Arc::new(all.iter().copied().collect::<Float64Array>()),
            FlatColumn::Days(all) => Arc::new(all.iter().copied().collect::<Date32Array>()),
            FlatColumn::Counts(all) => Arc::new(all.iter().copied().collect::<UInt64Array>()),
        }
    };
    Ok(RecordBatch::try_new(like.schema(), columns.iter().map(array).collect())?)
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
