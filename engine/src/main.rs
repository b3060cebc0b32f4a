//! The same work by Pivvel and by a vectorised SQL engine, in one run: lines to the cells of every
//! grain, from CSV and from Parquet, and distinct counts and means of sums at every grain. Results are
//! checked against the generator's totals, or those of both against each other.
//!
//! `cargo run --release [LINES]` takes 10,000,000 lines where no number is said.

use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::{Duration, Instant};

use datafusion::arrow::datatypes::{DataType, Field, Schema};
use datafusion::prelude::{CsvReadOptions, ParquetReadOptions, SessionContext};
use pivvel::source::{ReadOptions, open};
use pivvel::{Brief, CrossTab};
use pivvel_demo::Totals;

const RUNS: usize = 3;

type Fallible<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Fallible<()> {
    let lines = std::env::args().nth(1).map_or(Ok(10_000_000), |text| text.parse())?;
    let folder = tempfile::tempdir()?;
    let (csv, parquet) = (folder.path().join("lines.csv"), folder.path().join("lines.parquet"));
    let mut out = BufWriter::new(std::fs::File::create(&csv)?);
    let totals = pivvel_demo::write_large(&mut out, lines, pivvel_demo::SEED)?;
    out.flush()?;
    drop(out);
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    runtime.block_on(to_parquet(&csv, &parquet))?;
    println!("{lines} lines, medians of {RUNS} runs\n");
    let row = |name: &str, ours: Duration, theirs: Duration| {
        let (a, b) = (ours.as_secs_f64(), theirs.as_secs_f64());
        println!("{name:<52} {a:>8.3} s, the engine {b:>8.3} s: {:>6.1} x faster", b / a);
    };
    for (form, path) in [("CSV", &csv), ("Parquet", &parquet)] {
        let ours = time(|| Ok(check(&build(path, &work())?, totals)))?;
        let theirs = time(|| runtime.block_on(engine(path, LEAVES, totals)))?;
        row(&format!("{form} to every grain"), ours, theirs);
    }
    let ours = time(|| build(&parquet, &distinct()).map(drop))?;
    let theirs = time(|| runtime.block_on(engine_distinct(&parquet)))?;
    row("distinct yards at every grain, from Parquet", ours, theirs);
    let mut means = (0.0, 0.0);
    let ours = time(|| {
        let crosstab = build(&parquet, &nested())?;
        means.0 = crosstab.value(&[], &[], "mean").map_or(0.0, |mean| mean.as_f64());
        Ok(())
    })?;
    let theirs = time(|| {
        means.1 = runtime.block_on(engine_nested(&parquet))?;
        Ok(())
    })?;
    assert!((means.0 - means.1).abs() < 0.001, "{means:?}");
    row("mean of the yards' sums at every grain, from Parquet", ours, theirs);
    Ok(())
}

fn time(mut work: impl FnMut() -> Fallible<()>) -> Fallible<Duration> {
    work()?;
    let mut times = Vec::new();
    for _ in 0..RUNS {
        let start = Instant::now();
        work()?;
        times.push(start.elapsed());
    }
    times.sort_unstable();
    Ok(times[RUNS / 2])
}

fn work() -> Brief {
    Brief::new()
        .rows(["coast", "harbour", "agent"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"))
}

fn distinct() -> Brief {
    Brief::new().rows(["coast"]).columns(["sold_on.quarter"]).measure(("yards", "distinct(yard)"))
}

fn nested() -> Brief {
    let mean = ("mean", "mean(sum(amount) per yard)");
    Brief::new().rows(["coast"]).columns(["sold_on.quarter"]).measure(mean)
}

fn build(path: &Path, brief: &Brief) -> Fallible<CrossTab> {
    let mut source = open(&path.to_string_lossy(), &ReadOptions::default())?;
    Ok(CrossTab::build(brief, source.as_mut())?)
}

fn check(crosstab: &CrossTab, totals: Totals) {
    let value = |measure| crosstab.value(&[], &[], measure).map(|value| value.to_string());
    assert_eq!(value("sales"), Some(pivvel::Decimal::new(totals.amount, 2).to_string()));
    assert_eq!(value("pieces"), Some(totals.quantity.to_string()));
    assert_eq!(value("lines"), Some(totals.lines.to_string()));
}

/// The leaf groups, and every grain from them: the plan that is fastest there.
const LEAVES: &str = "select coast, harbour, agent, y, q, sum(s) as s, sum(p) as p, sum(n) as n from (\
    select coast, harbour, agent, date_part('year', sold_on) as y, date_part('quarter', sold_on) as q, \
    sum(amount) as s, sum(quantity) as p, count(*) as n from lines group by 1, 2, 3, 4, 5) \
    group by grouping sets ((), (y), (y, q), (coast), (coast, y), (coast, y, q), (coast, harbour), \
    (coast, harbour, y), (coast, harbour, y, q), (coast, harbour, agent), (coast, harbour, agent, y), \
    (coast, harbour, agent, y, q))";

async fn session(path: &Path) -> Fallible<SessionContext> {
    let session = SessionContext::new();
    let place = path.to_string_lossy();
    if path.extension().is_some_and(|ending| ending == "csv") {
        let text = |name| Field::new(name, DataType::Utf8View, true);
        let schema = Schema::new(vec![
            Field::new("order", DataType::Int64, true),
            Field::new("sold_on", DataType::Date32, true),
            text("coast"),
            text("harbour"),
            text("agent"),
            text("yard"),
            text("range"),
            text("article"),
            text("channel"),
            Field::new("quantity", DataType::Int64, true),
            Field::new("unit_price", DataType::Decimal128(18, 2), true),
            Field::new("amount", DataType::Decimal128(18, 2), true),
        ]);
        session.register_csv("lines", &place, CsvReadOptions::new().schema(&schema)).await?;
    } else {
        session.register_parquet("lines", &place, ParquetReadOptions::default()).await?;
    }
    Ok(session)
}

async fn to_parquet(csv: &Path, parquet: &Path) -> Fallible<()> {
    let lines = session(csv).await?.table("lines").await?;
    lines.write_parquet(&parquet.to_string_lossy(), Default::default(), None).await?;
    Ok(())
}

async fn engine(path: &Path, sql: &str, totals: Totals) -> Fallible<()> {
    use datafusion::arrow::array::{Array, AsArray};
    use datafusion::arrow::datatypes::Int64Type;
    let batches = session(path).await?.sql(sql).await?.collect().await?;
    let mut found = None;
    for batch in &batches {
        for row in 0..batch.num_rows() {
            if (0..5).all(|column| batch.column(column).is_null(row)) {
                found = Some(batch.column(7).as_primitive::<Int64Type>().value(row));
            }
        }
    }
    assert_eq!(found, Some(totals.lines as i64));
    Ok(())
}

async fn engine_distinct(path: &Path) -> Fallible<()> {
    // Distinct pairs first, and every grain from them: the plan that is fastest there.
    let sql = "select coast, q, count(distinct y) from (select coast, date_part('year', sold_on) * 4 + \
               date_part('quarter', sold_on) as q, yard as y from lines group by 1, 2, 3) group by grouping sets \
               ((), (coast), (q), (coast, q))";
    let batches = session(path).await?.sql(sql).await?.collect().await?;
    // 12 coasts and 12 quarters, each with their totals.
    assert_eq!(batches.iter().map(|batch| batch.num_rows()).sum::<usize>(), 13 * 13);
    Ok(())
}

/// The mean over all yards of their sums, in the total.
async fn engine_nested(path: &Path) -> Fallible<f64> {
    use datafusion::arrow::array::{Array, AsArray};
    use datafusion::arrow::datatypes::Float64Type;
    // The sums of yards in the leaf groups first, from these the yards' sums at every grain, and then their means.
    let sql = "select coast, q, cast(avg(s) as double) from (select coast, q, y, sum(s) as s from (\
               select coast, date_part('year', sold_on) * 4 + date_part('quarter', sold_on) as q, yard as y, \
               sum(amount) as s from lines group by 1, 2, 3) \
               group by grouping sets ((y), (coast, y), (q, y), (coast, q, y))) group by coast, q";
    let batches = session(path).await?.sql(sql).await?.collect().await?;
    assert_eq!(batches.iter().map(|batch| batch.num_rows()).sum::<usize>(), 13 * 13);
    let rows = batches.iter().flat_map(|batch| (0..batch.num_rows()).map(move |row| (batch, row)));
    let mut totals = rows.filter(|(batch, row)| (0..2).all(|column| batch.column(column).is_null(*row)));
    let (batch, row) = totals.next().ok_or("there is no total")?;
    Ok(batch.column(2).as_primitive::<Float64Type>().value(row))
}
