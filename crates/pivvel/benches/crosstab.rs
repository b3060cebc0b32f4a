//! How fast lines become a cross-tab, as ratios to baselines in the same run. Every result is checked
//! against the generator's totals.
//!
//! `cargo bench -p pivvel --all-features --bench crosstab` takes 2,000,000 lines;
//! `PIVVEL_BENCH_LINES=10000000` takes ten million, and 20000 only check that it runs. After `--` parts
//! can be named that alone are run: `csv`, `parquet`, `memory`, `groups`, `finer`, `numbers`, `conditions`, `derived`,
//! `estimates`, `kept`, `peak`.

mod rounds;

use std::cell::Cell;
use std::hint::black_box;
use std::io::{BufWriter, Read, Write};
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Decimal64Type, Decimal128Type, Int64Type, UInt32Type};
use arrow_array::{Array, ArrayRef, DictionaryArray, RecordBatch, StringArray, UInt32Array};
use arrow_schema::{Field, FieldRef, Schema};
use pivvel::result::Grain;
use pivvel::source::{Batches, LineSource, ReadOptions, Taker, Tally, TextSource};
use pivvel::{Brief, Build, CrossTab};
use pivvel_demo::Totals;
use rounds::{RUNS, Rounds, rounds};

const CORES: usize = 2;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let arguments: Vec<String> = std::env::args().collect();
    if let Some(place) = arguments.iter().position(|argument| argument == "--peak") {
        return peak(&arguments[place + 1]);
    }
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(2_000_000), |text| text.parse())?;
    let folder = tempfile::tempdir()?;
    let csv = folder.path().join("lines.csv");
    let mut out = BufWriter::new(std::fs::File::create(&csv)?);
    let totals = pivvel_demo::write_large(&mut out, lines, pivvel_demo::SEED)?;
    out.flush()?;
    drop(out);
    println!("{lines} lines, {:.0} MB of CSV, medians of {RUNS} runs\n", csv.metadata()?.len() as f64 / 1e6);
    let report = Report { lines };
    let parts = [
        "csv",
        "parquet",
        "memory",
        "groups",
        "finer",
        "numbers",
        "conditions",
        "derived",
        "estimates",
        "kept",
        "peak",
    ];
    let named: Vec<&str> = parts.into_iter().filter(|part| arguments.iter().any(|a| a == part)).collect();
    let coded = coded(&csv)?;
    for part in if named.is_empty() { &parts[..] } else { &named } {
        match *part {
            "csv" => from_csv(&report, &csv, totals),
            "parquet" => from_parquet(&report, folder.path(), &coded, totals)?,
            "memory" => from_memory(&report, &coded, totals),
            "groups" => many_groups(&report, &coded, totals),
            "finer" => finer(&report, &coded),
            "numbers" => numbers(&report, &coded, totals),
            "conditions" => conditions(&report, &coded, totals),
            "derived" => derived(&report, &coded, totals),
            "estimates" => estimates(&report, &coded, totals),
            "kept" => kept(&report, &coded, totals),
            _ => println!("\npeak memory of one run from CSV: {} MiB", peak_of(&csv)?),
        }
    }
    Ok(())
}

struct Report {
    lines: u64,
}

impl Report {
    fn row(&self, name: &str, time: Duration) -> f64 {
        let seconds = time.as_secs_f64();
        println!("{name:<58} {:>9.1} ms {:>8.1} M lines/s", seconds * 1e3, self.lines as f64 / seconds / 1e6);
        seconds
    }

    fn rows<const N: usize>(&self, times: &Rounds<N>, names: [&str; N]) {
        names.iter().enumerate().for_each(|(work, name)| {
            self.row(name, times.median(work));
        });
    }

    fn ratio(&self, name: &str, ratio: f64, floor: f64, aim: f64) {
        println!("    {name}: {ratio:.2} (floor {floor}, aim {aim})");
    }
}

fn brief() -> Brief {
    Brief::new()
        .rows(["coast", "harbour", "agent"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"))
}

fn check(crosstab: &CrossTab, totals: Totals) {
    let value = |measure| crosstab.value(&[], &[], measure).map(|value| value.to_string());
    assert_eq!(value("sales"), Some(pivvel::Decimal::new(totals.amount, 2).to_string()));
    assert_eq!(value("pieces"), Some(totals.quantity.to_string()));
    assert_eq!(value("lines"), Some(totals.lines.to_string()));
}

fn from_csv(report: &Report, path: &Path, totals: Totals) {
    let mut read = || {
        let mut file = std::fs::File::open(path).expect("the file was just written");
        let mut buffer = vec![0; 256 << 10];
        while file.read(&mut buffer).expect("it can be read") > 0 {
            black_box(&buffer);
        }
    };
    let mut split = || {
        let mut reader = csv::Reader::from_path(path).expect("the file was just written");
        let mut record = csv::ByteRecord::new();
        let mut met = 0;
        while reader.read_byte_record(&mut record).expect("it is CSV") {
            met += u64::from(black_box(record.len()) == 12);
        }
        assert_eq!(met, report.lines);
    };
    let whole = |threads: usize| {
        let mut source = TextSource::open(path, &ReadOptions::default()).expect("the file was just written");
        let crosstab = Build::new().threads(threads).run(&brief(), &mut source);
        check(&crosstab.expect("the brief fits"), totals);
    };
    let times = rounds([&mut read, &mut split, &mut || whole(1), &mut || whole(CORES)]);
    report.rows(
        &times,
        [
            "read the file's bytes",
            "split it with the csv crate, 1 thread",
            "CSV to cross-tab, 1 thread",
            "CSV to cross-tab, 2 threads",
        ],
    );
    report.ratio("of the time to split it", times.ratio(3, 1), 0.35, 0.22);
    report.ratio("times faster by the second core", times.ratio(2, 3), 1.7, 1.9);
}

/// The columns that the brief needs, texts by dictionary, in memory.
fn coded(path: &Path) -> pivvel::Result<Vec<RecordBatch>> {
    let mut source = TextSource::open(path, &ReadOptions::default())?;
    let schema = source.schema();
    let columns = ["coast", "harbour", "agent", "sold_on", "quantity", "amount", "yard", "order"];
    let columns: Vec<usize> = columns.iter().filter_map(|name| schema.index_of(name).ok()).collect();
    let mut known: Vec<(std::collections::HashMap<String, u32>, Vec<String>)> =
        vec![Default::default(); columns.len()];
    let mut parts: Vec<(Vec<Option<Vec<u32>>>, RecordBatch)> = Vec::new();
    source.scan(&columns, &mut |batch| {
        let mut codes = Vec::new();
        for (array, (numbers, texts)) in batch.columns().iter().zip(&mut known) {
            codes.push(array.as_string_view_opt().map(|array| {
                let number = |text: &str| {
                    *numbers.entry(text.to_string()).or_insert_with(|| {
                        texts.push(text.to_string());
                        texts.len() as u32 - 1
                    })
                };
                array.iter().map(|text| text.unwrap_or("")).map(number).collect()
            }));
        }
        parts.push((codes, batch));
        Ok(())
    })?;
    let values: Vec<ArrayRef> =
        known.iter().map(|(_, texts)| Arc::new(StringArray::from(texts.clone())) as ArrayRef).collect();
    let mut schema = None;
    let batch = |(codes, batch): &(Vec<Option<Vec<u32>>>, RecordBatch)| {
        let array = |(i, codes): (usize, &Option<Vec<u32>>)| -> ArrayRef {
            match codes {
                Some(codes) => {
                    let keys = UInt32Array::from(codes.clone());
                    Arc::new(DictionaryArray::new(keys, values[i].clone()))
                }
                None => batch.column(i).clone(),
            }
        };
        let arrays: Vec<ArrayRef> = codes.iter().enumerate().map(array).collect();
        let schema = schema.get_or_insert_with(|| {
            let fields = batch.schema().fields().iter().zip(&arrays).map(field_of).collect::<Vec<_>>();
            Arc::new(Schema::new(fields))
        });
        RecordBatch::try_new(schema.clone(), arrays).expect("columns of one length")
    };
    Ok(parts.iter().map(batch).collect())
}

fn field_of((field, array): (&FieldRef, &ArrayRef)) -> Field {
    Field::new(field.name(), array.data_type().clone(), true)
}

fn schema(batches: &[RecordBatch]) -> Arc<Schema> {
    batches[0].schema()
}

fn build(batches: &[RecordBatch], brief: &Brief, threads: usize) -> CrossTab {
    build_from(batches.to_vec(), brief, threads)
}

fn build_from(batches: Vec<RecordBatch>, brief: &Brief, threads: usize) -> CrossTab {
    let mut source = Batches::new(schema(&batches), batches);
    Build::new().threads(threads).run(brief, &mut source).expect("the brief fits")
}

fn from_memory(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let shuffled = shuffled(batches);
    // A source owns its batches; that they are there for every round is no part of the work.
    let ready = |batches: &[RecordBatch]| vec![batches.to_vec(); RUNS + 1];
    let (mut one, mut both, mut mixed) = (ready(batches), ready(batches), ready(&shuffled));
    let whole = |ready: &mut Vec<Vec<RecordBatch>>, threads| {
        let batches = ready.pop().expect("one for each round");
        check(&build_from(batches, &brief(), threads), totals);
    };
    let times = rounds([
        &mut || dense(batches, totals),
        &mut || whole(&mut one, 1),
        &mut || whole(&mut both, CORES),
        &mut || whole(&mut mixed, CORES),
    ]);
    report.rows(
        &times,
        [
            "codes to dense cells by hand, 1 thread",
            "batches in memory to cross-tab, 1 thread",
            "batches in memory to cross-tab, 2 threads",
            "the same lines shuffled, 2 threads",
        ],
    );
    report.ratio("of the time by hand", times.ratio(1, 0), 2.0, 1.3);
    report.ratio("of it when shuffled", times.ratio(3, 2), 1.3, 1.3);
}

/// What the leaf groups of the brief come to where codes are given and cells lie in one table.
fn dense(batches: &[RecordBatch], totals: Totals) {
    let mut cells = vec![(0u64, 0i64, 0i64); 600 * 16];
    let quarters: Vec<u8> = (0..1_200).map(|day| (day / 92).min(15) as u8).collect();
    for batch in batches {
        let agents = batch.column(2).as_dictionary::<UInt32Type>().keys().values();
        let days = batch.column(3).as_primitive::<Date32Type>().values();
        let pieces = batch.column(4).as_primitive::<Int64Type>().values();
        let amounts = batch.column(5).as_primitive::<Decimal64Type>().values();
        for (((agent, day), pieces), amount) in agents.iter().zip(days).zip(pieces).zip(amounts) {
            let cell = &mut cells[*agent as usize * 16 + quarters[(*day - 19_358) as usize] as usize];
            *cell = (cell.0 + 1, cell.1 + pieces, cell.2 + amount);
        }
    }
    assert_eq!(cells.iter().map(|cell| cell.0).sum::<u64>(), totals.lines);
    assert_eq!(cells.iter().map(|cell| i128::from(cell.2)).sum::<i128>(), totals.amount);
}

/// The same lines in no order at all, in batches of the same sizes.
fn shuffled(batches: &[RecordBatch]) -> Vec<RecordBatch> {
    let mut places: Vec<(usize, usize)> = Vec::new();
    for (number, batch) in batches.iter().enumerate() {
        places.extend((0..batch.num_rows()).map(|row| (number, row)));
    }
    // The generator SplitMix64 (G. Steele, D. Lea, C. Flood), and the shuffle of R. Fisher and F. Yates.
    let mut state = pivvel_demo::SEED;
    let mut random = move || {
        state = state.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mixed = (state ^ (state >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        mixed ^ (mixed >> 31)
    };
    (1..places.len()).rev().for_each(|last| places.swap(last, (random() % (last as u64 + 1)) as usize));
    let array = |column: usize| {
        let data: Vec<_> = batches.iter().map(|batch| batch.column(column).to_data()).collect();
        let mut copy =
            arrow_data::transform::MutableArrayData::new(data.iter().collect(), false, places.len());
        places.iter().for_each(|(from, row)| copy.try_extend(*from, *row, *row + 1).expect("a row of it"));
        arrow_array::make_array(copy.freeze())
    };
    let all = (0..batches[0].num_columns()).map(array).collect();
    let all = RecordBatch::try_new(schema(batches), all).expect("the same columns");
    let mut first = 0;
    let batch = |batch: &RecordBatch| {
        let part = all.slice(first, batch.num_rows());
        first += batch.num_rows();
        part
    };
    batches.iter().map(batch).collect()
}

fn many_groups(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let brief = Brief::new()
        .rows(["coast", "harbour", "yard"])
        .columns(["sold_on.month"])
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"));
    let first = build(batches, &brief, CORES);
    let grains = (0..4).flat_map(|row| [Grain::new(row, 0), Grain::new(row, 1)]);
    let cells: usize = grains.map(|grain| first.cell_count(grain)).sum();
    let scanned = Cell::new(Duration::ZERO);
    let mut scans: Vec<Duration> = Vec::new();
    let times = rounds([&mut || {
        let batches = Batches::new(schema(batches), batches.iter().cloned());
        let mut source = Timed { batches, scanned: &scanned };
        check(&Build::new().threads(CORES).run(&brief, &mut source).expect("the brief fits"), totals);
        scans.push(scanned.get());
    }]);
    scans.sort_unstable();
    let scan = scans[scans.len() / 2];
    report.row("groups of yard and month to cross-tab, 2 threads", times.median(0));
    report.row("the scan of these, without what comes after", scan);
    println!("    {} leaf groups, {cells} cells", first.cell_count(Grain::new(3, 1)));
    report.ratio("M lines/s to leaf groups", report.lines as f64 / scan.as_secs_f64() / 1e6, 15.0, 30.0);
    let after = times.median(0).saturating_sub(scan).as_secs_f64();
    report.ratio("M cells/s of all that comes after", cells as f64 / after / 1e6, 5.0, 8.0);
}

/// A source that keeps how long its scan took.
struct Timed<'a, S> {
    batches: S,
    scanned: &'a Cell<Duration>,
}

impl<S: LineSource> LineSource for Timed<'_, S> {
    fn name(&self) -> &str {
        self.batches.name()
    }

    fn schema(&self) -> Arc<Schema> {
        self.batches.schema()
    }

    fn scan(
        &mut self,
        columns: &[usize],
        take: &mut dyn FnMut(RecordBatch) -> pivvel::Result<()>,
    ) -> pivvel::Result<Tally> {
        self.batches.scan(columns, take)
    }

    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> pivvel::Result<Tally> {
        let start = Instant::now();
        let tally = self.batches.scan_shared(columns, takers);
        self.scanned.set(start.elapsed());
        tally
    }
}

fn keep(batches: &[RecordBatch], brief: &Brief) -> (CrossTab, pivvel::result::Groups) {
    let mut source = Batches::new(schema(batches), batches.iter().cloned());
    Build::new().keep(brief, &mut source).expect("the brief fits")
}

/// What is made of the yards of a cell, which stand in no layout.
fn finer(report: &Report, batches: &[RecordBatch]) {
    let brief = |formula: &str| {
        Brief::new().rows(["coast"]).columns(["sold_on.quarter"]).measure(("measure", formula))
    };
    let (sums, distinct) = (brief("sum(amount)"), brief("distinct(yard)"));
    let (nested, shuffled) = (brief("mean(sum(amount) per yard)"), shuffled(batches));
    let orders = brief("mean(sum(amount) per order)");
    let measure = |batches: &[RecordBatch], brief: &Brief| {
        build(batches, brief, CORES).value(&[], &[], "measure").map_or(f64::NAN, |value| value.as_f64())
    };
    let (sales, yards) = (measure(batches, &sums), measure(batches, &distinct));
    let mean = |batches: &[RecordBatch]| {
        assert!((measure(batches, &nested) * yards / sales - 1.0).abs() < 1e-9);
    };
    let times = rounds([
        &mut || assert_eq!(measure(batches, &sums), sales),
        &mut || assert_eq!(measure(batches, &distinct), yards),
        &mut || mean(batches),
        &mut || mean(&shuffled),
        &mut || {
            let of_all = sales / report.lines as f64;
            assert!((measure(batches, &orders) / of_all - 1.0).abs() < 1e-9);
        },
    ]);
    report.rows(
        &times,
        [
            "sums by coast and quarter, 2 threads",
            "distinct yards at every grain",
            "means of the yards' sums at every grain",
            "the same of shuffled lines",
            "means of the orders' sums, each of one line",
        ],
    );
    println!("    distinct yards: {:.1} times the sums", times.ratio(1, 0));
    println!("    means: {:.1} times the sums, {:.1} when shuffled", times.ratio(2, 0), times.ratio(3, 0));
    println!("    means per order: {:.1} times the sums", times.ratio(4, 0));
}

fn by_harbour(formula: &str) -> Brief {
    let brief = Brief::new().rows(["coast", "harbour"]).columns(["sold_on.year"]);
    brief.measure(("measure", formula))
}

fn digits(crosstab: &CrossTab, row: &[&str]) -> Option<i128> {
    crosstab.value(row, &[], "measure").and_then(|value| value.exact()).map(|value| value.digits())
}

/// Amounts of 64 bits, the same in a column of 128, and formulas and functions over lines.
fn numbers(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let (sums, formula) = (by_harbour("sum(amount)"), by_harbour("sum(3 * amount - 2 * quantity)"));
    let wide: Vec<RecordBatch> = batches.iter().map(with_wide_amounts).collect();
    let is = |batches: &[RecordBatch], brief: &Brief, wanted: i128| {
        assert_eq!(digits(&build(batches, brief, CORES), &[]), Some(wanted));
    };
    // Whole amounts and what is left are all; so are the lesser and the greater of two numbers, and amounts above 500 and all others.
    let both = |formula: &str, other: &str| [by_harbour(formula), by_harbour(other)];
    let pairs = [
        (both("sum(round(amount))", "sum(amount - round(amount))"), totals.amount),
        (
            both("sum(least(amount, 100))", "sum(greatest(amount, 100))"),
            totals.amount + i128::from(totals.lines) * 10_000,
        ),
        (
            both(
                "sum(case when amount > 500 then amount end)",
                "sum(case when amount <= 500 then amount end)",
            ),
            totals.amount,
        ),
    ];
    let wanted = pairs.each_ref().map(|([_, other], all)| {
        let other =
            build(batches, other, CORES).value(&[], &[], "measure").and_then(|value| value.to_decimal(2));
        all - other.map_or(0, |other| other.digits())
    });
    let run = |place: usize| {
        let found = build(batches, &pairs[place].0[0], CORES).value(&[], &[], "measure");
        assert_eq!(
            found.and_then(|value| value.to_decimal(2)).map(|found| found.digits()),
            Some(wanted[place])
        );
    };
    let times = rounds([
        &mut || is(batches, &sums, totals.amount),
        &mut || is(&wide, &sums, totals.amount),
        &mut || is(batches, &formula, 3 * totals.amount - 200 * totals.quantity),
        &mut || run(0),
        &mut || run(1),
        &mut || run(2),
    ]);
    report.rows(
        &times,
        [
            "sums of amounts of 64 bits, 2 threads",
            "the same in a column of 128 bits",
            "sums of a formula over two columns",
            "sums of amounts rounded to whole ones",
            "sums of the lesser of each amount and 100",
            "sums of amounts above 500, by case",
        ],
    );
    println!(
        "    128 bits: {:.1} times 64 bits; the formula: {:.1}; rounded: {:.1}; the lesser: {:.1}; case: {:.1}",
        times.ratio(1, 0),
        times.ratio(2, 0),
        times.ratio(3, 0),
        times.ratio(4, 0),
        times.ratio(5, 0)
    );
}

/// Dimensions that are made of texts and of numbers by a formula.
fn derived(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let by = |formula: &str| {
        let quarters = Brief::new().derive("derived", formula).rows(["derived"]).columns(["sold_on.quarter"]);
        quarters.measure(("measure", "sum(amount)"))
    };
    let briefs = [
        by("coast"),
        by("upper(coast)"),
        by("case when coast in ('Coast 03', 'Coast 07') then 'two' else coast end"),
        by("case when amount > 500 then 'large' when amount > 0 then 'small' else 'returned' end"),
    ];
    let rows = [12, 12, 11, 3];
    let run = |place: usize| {
        let crosstab = build(batches, &briefs[place], CORES);
        assert_eq!(digits(&crosstab, &[]), Some(totals.amount));
        // The grand total is one more.
        assert_eq!(crosstab.rows().entries().len(), rows[place] + 1);
    };
    let times = rounds([&mut || run(0), &mut || run(1), &mut || run(2), &mut || run(3)]);
    report.rows(
        &times,
        [
            "sums by coast and quarter, 2 threads",
            "by the coast in capital letters",
            "by two coasts together, by case",
            "by three sizes of amounts, by case",
        ],
    );
    let ratios = [1, 2, 3].map(|work| times.ratio(work, 0));
    println!("    by formula: {:.1}, {:.1}, {:.1} times by the column", ratios[0], ratios[1], ratios[2]);
}

/// What is counted and picked exactly, and about.
fn estimates(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let by = |formula: &str| {
        Brief::new().rows(["coast"]).columns(["sold_on.quarter"]).measure(("measure", formula))
    };
    let all = [
        "sum(amount)",
        "distinct(yard)",
        "distinct_estimate(yard)",
        "median(amount)",
        "median_estimate(amount)",
    ];
    let briefs = all.map(by);
    let value = |place: usize| {
        let value = build(batches, &briefs[place], CORES).value(&[], &[], "measure");
        value.map_or(0.0, |value| value.as_f64())
    };
    let (yards, median) = (value(1), value(3));
    // Four standard errors of the one, and half a step of the other on either side.
    let near = |found: f64, wanted: f64, by: f64| {
        assert!((found - wanted).abs() <= by * wanted, "{found}, {wanted}")
    };
    let times = rounds([
        &mut || near(value(0), totals.amount as f64 / 100.0, 0.0),
        &mut || near(value(1), yards, 0.0),
        &mut || near(value(2), yards, 0.065),
        &mut || near(value(3), median, 0.0),
        &mut || near(value(4), median, 0.004),
    ]);
    report.rows(
        &times,
        [
            "sums by coast and quarter, 2 threads",
            "distinct yards",
            "distinct yards, about",
            "medians of the amounts",
            "medians of the amounts, about",
        ],
    );
    println!(
        "    of sums: distinct {:.1}, about {:.1}; medians {:.1}, about {:.1}",
        times.ratio(1, 0),
        times.ratio(2, 0),
        times.ratio(3, 0),
        times.ratio(4, 0)
    );
}

/// Some of the lines: those of two coasts, and in a measure those of amounts above zero.
fn conditions(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let sums = by_harbour("sum(amount)");
    let coasts = sums.clone().filter("coast in ('Coast 03', 'Coast 07')");
    let (up, down) =
        (by_harbour("sum(amount where amount > 0)"), by_harbour("sum(amount where amount <= 0)"));
    let all = build(batches, &sums, CORES);
    let of_coasts = ["Coast 03", "Coast 07"].map(|coast| digits(&all, &[coast])).into_iter().flatten().sum();
    let below = digits(&build(batches, &down, CORES), &[]).unwrap_or(0);
    let is = |brief: &Brief, wanted: i128| {
        assert_eq!(digits(&build(batches, brief, CORES), &[]).unwrap_or(0), wanted);
    };
    let times = rounds([&mut || is(&sums, totals.amount), &mut || is(&coasts, of_coasts), &mut || {
        is(&up, totals.amount - below)
    }]);
    report.rows(
        &times,
        ["sums of all lines, 2 threads", "sums of the lines of two coasts", "sums of the amounts above zero"],
    );
    println!(
        "    two coasts: {:.1} times all lines; above zero: {:.1}",
        times.ratio(1, 0),
        times.ratio(2, 0)
    );
}

fn with_wide_amounts(batch: &RecordBatch) -> RecordBatch {
    let (mut fields, mut columns) = (batch.schema().fields().to_vec(), batch.columns().to_vec());
    let place = batch.schema().index_of("amount").expect("there are amounts");
    let digits = columns[place].as_primitive::<Decimal64Type>().unary::<_, Decimal128Type>(i128::from);
    columns[place] = Arc::new(digits.with_precision_and_scale(38, 2).expect("so many digits fit"));
    fields[place] = Arc::new(Field::new("amount", columns[place].data_type().clone(), true));
    RecordBatch::try_new(Arc::new(Schema::new(fields)), columns).expect("the same columns")
}

/// A year from twelve kept parts of it.
fn kept(report: &Report, batches: &[RecordBatch], totals: Totals) {
    let parts = batches.chunks(batches.len().div_ceil(12));
    let parts: Vec<pivvel::result::Groups> = parts.map(|part| keep(part, &brief()).1).collect();
    let times =
        rounds([&mut || check(&Build::new().from_groups(&brief(), &parts).expect("one brief"), totals)]);
    report.row("twelve kept parts to cross-tab", times.median(0));
}

#[cfg(feature = "parquet")]
fn from_parquet(
    report: &Report,
    folder: &Path,
    batches: &[RecordBatch],
    totals: Totals,
) -> Result<(), Box<dyn std::error::Error>> {
    use parquet::arrow::arrow_reader::{
        ArrowReaderMetadata, ArrowReaderOptions, ParquetRecordBatchReaderBuilder,
    };
    use parquet::basic::Compression;
    let path = folder.join("lines.parquet");
    let properties = parquet::file::properties::WriterProperties::builder()
        .set_compression(Compression::SNAPPY)
        .set_max_row_group_row_count(Some(1 << 18))
        .build();
    let file = std::fs::File::create(&path)?;
    let mut writer = parquet::arrow::ArrowWriter::try_new(file, schema(batches), Some(properties))?;
    batches.iter().try_for_each(|batch| writer.write(batch))?;
    writer.close()?;
    let mut decode = || {
        let file = std::fs::File::open(&path).expect("the file was just written");
        // The schema that was written keeps the dictionaries.
        let metadata = ArrowReaderMetadata::load(&file, ArrowReaderOptions::new()).expect("it is Parquet");
        let mask = parquet::arrow::ProjectionMask::roots(metadata.parquet_schema(), 0..6);
        let reader = ParquetRecordBatchReaderBuilder::new_with_metadata(file, metadata)
            .with_projection(mask)
            .with_batch_size(8_192)
            .build()
            .expect("it is Parquet");
        let rows: usize = reader.map(|batch| black_box(batch.expect("a batch")).num_rows()).sum();
        assert_eq!(rows as u64, report.lines);
    };
    let whole = |threads: usize| {
        let mut source =
            pivvel::source::open(&path.to_string_lossy(), &ReadOptions::default()).expect("it is Parquet");
        let crosstab = Build::new().threads(threads).run(&brief(), source.as_mut());
        check(&crosstab.expect("the brief fits"), totals);
    };
    let times = rounds([&mut decode, &mut || whole(1), &mut || whole(CORES)]);
    report.rows(
        &times,
        [
            "decode the six columns of Parquet, 1 thread",
            "Parquet to cross-tab, 1 thread",
            "Parquet to cross-tab, 2 threads",
        ],
    );
    report.ratio("of the time to decode it", times.ratio(1, 0), 1.8, 1.4);
    report.ratio("times faster by the second core", times.ratio(1, 2), 1.7, 1.9);
    println!("    peak memory of one run: {} MiB", peak_of(&path)?);
    Ok(())
}

#[cfg(not(feature = "parquet"))]
fn from_parquet(
    _: &Report,
    _: &Path,
    _: &[RecordBatch],
    _: Totals,
) -> Result<(), Box<dyn std::error::Error>> {
    println!("Parquet is left out: say --all-features");
    Ok(())
}

/// The most memory that a process of its own has taken at once, in MiB, as Linux tells it.
fn peak_of(path: &Path) -> Result<String, Box<dyn std::error::Error>> {
    let output = std::process::Command::new(std::env::current_exe()?).arg("--peak").arg(path).output()?;
    Ok(String::from_utf8(output.stdout)?.trim().to_string())
}

fn peak(path: &str) -> Result<(), Box<dyn std::error::Error>> {
    let mut source = pivvel::source::open(path, &ReadOptions::default())?;
    black_box(Build::new().threads(CORES).run(&brief(), source.as_mut())?);
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:")?.trim().strip_suffix(" kB"));
    let kibibytes: Option<u64> = peak.and_then(|text| text.trim().parse().ok());
    println!("{}", kibibytes.map_or("?".into(), |kib| (kib / 1024).to_string()));
    Ok(())
}
