//! A service that is built on the crate alone: batches in, typed cells out, errors as status codes, limits, workers.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use pivvel::arrow::RecordBatch;
use pivvel::arrow::array::types::Int8Type;
use pivvel::arrow::array::{
    ArrayRef, Date32Array, Decimal128Array, DictionaryArray, RecordBatchIterator, StringArray,
    TimestampMillisecondArray,
};
use pivvel::brief::{EmphasisBrief, Form, RuleBrief, TierBrief, Tone, TopBrief};
use pivvel::formula::{Place, col, sum};
use pivvel::result::{Groups, Progress};
use pivvel::source::Batches;
use pivvel::{Brief, Build, Cancel, CrossTab, ErrorKind, draw};

/// Lines of three days, in the types that a service gets them in.
fn batch(from: usize, to: usize) -> RecordBatch {
    let rows = from..to;
    let coast: DictionaryArray<Int8Type> = rows.clone().map(|i| ["Fell", "Skerry"][i % 2]).collect();
    let harbours = ["Quay", "Haven", "Holm", "Sound"];
    let harbour: StringArray = rows.clone().map(|i| Some(harbours[i % 8 / 2])).collect();
    let scenario: StringArray = rows.clone().map(|i| Some(["actual", "plan"][i / 8 % 2])).collect();
    let sold_on: Date32Array = rows.clone().map(|i| Some(20_000 + (i % 400) as i32)).collect();
    let sold_at: TimestampMillisecondArray = rows.clone().map(|i| Some(i as i64 * 86_399_999)).collect();
    let amount = Decimal128Array::from_iter_values(rows.map(|i| (i * 37 % 1_000) as i128 * 25))
        .with_precision_and_scale(12, 2)
        .unwrap();
    let columns: [(&str, ArrayRef); 6] = [
        ("coast", Arc::new(coast)),
        ("harbour", Arc::new(harbour)),
        ("scenario", Arc::new(scenario)),
        ("sold_on", Arc::new(sold_on)),
        ("sold_at", Arc::new(sold_at.with_timezone("UTC"))),
        ("amount", Arc::new(amount)),
    ];
    RecordBatch::try_from_iter(columns).unwrap()
}

/// What the service is asked for: three dimensions by two, a ratio, a share, a rank, an item, tiers, a top with
/// others, rules.
fn brief() -> Brief {
    Brief::new()
        .rows(["size", "coast", "harbour"])
        .columns(["scenario", "sold_on.year"])
        .tier(TierBrief::new("size", "harbour", "sum(amount)").cuts([3_000]).labels(["small", "large"]))
        .measure(("sales", sum(col("amount"))))
        .measure(("share", col("sales") / col("sales").at(Place::Parent)))
        .measure(("place", "rank(sales among siblings)"))
        .item("scenario", "variance", col("actual") - col("plan"))
        .top("harbour", TopBrief::new(1, "sales").others("other harbours"))
        .emphasize(
            EmphasisBrief::new("sales", Form::Ink)
                .rule(RuleBrief::new().named("loss").below(0).show(Tone::Loss)),
        )
}

fn lines() -> impl Iterator<Item = RecordBatch> {
    (0..20).map(|part| batch(part * 50, part * 50 + 50))
}

fn built() -> CrossTab {
    CrossTab::build(&brief(), &mut Batches::new(batch(0, 1).schema(), lines())).unwrap()
}

#[test]
fn cells_are_typed_and_named() {
    let crosstab = built();
    let mut sums = 0;
    for cell in crosstab.level("harbour", "scenario").unwrap() {
        let sales = cell.get("sales").unwrap();
        let path =
            [cell.label("size").unwrap(), cell.label("coast").unwrap(), cell.label("harbour").unwrap()];
        assert!(path.iter().all(Option::is_some) && cell.label("sold_on.year").unwrap().is_none());
        let loss = cell.marks(0).iter().any(|mark| mark.rule().is_some());
        let amount = sales.and_then(|sales| sales.to_decimal(2)).unwrap();
        assert_eq!(loss, amount < 0.into(), "{path:?}");
        let is_own = cell.label("scenario").unwrap() != Some("variance");
        sums += if is_own { amount.digits() } else { 0 };
    }
    // The level is whole: what stands in it adds up to the grand total.
    let total = crosstab.find(&[], &[]).unwrap().unwrap().get("sales").unwrap().unwrap();
    assert_eq!(total.to_decimal(2).unwrap().digits(), sums);
}

#[test]
fn readers_stream_and_may_fail() {
    let schema = batch(0, 1).schema();
    let reader = RecordBatchIterator::new(lines().map(Ok), schema.clone());
    let streamed = CrossTab::build(&brief(), &mut Batches::from_reader(reader)).unwrap();
    assert_eq!(streamed.to_record_batch().columns(), built().to_record_batch().columns());
    let broken = lines().map(Ok).chain([Err(std::io::Error::other("the connection was reset"))]);
    let error = CrossTab::build(&brief(), &mut Batches::new(schema, broken)).unwrap_err();
    assert_eq!(error.kind(), &ErrorKind::Io(std::io::ErrorKind::Other));
}

fn status(error: &pivvel::Error) -> u16 {
    match error.kind() {
        ErrorKind::UnknownName { .. } | ErrorKind::Formula { .. } | ErrorKind::Request => 400,
        ErrorKind::Memory => 413,
        ErrorKind::Cancelled => 503,
        _ => 500,
    }
}

#[test]
fn errors_are_status_codes() {
    let cancel = Cancel::new();
    cancel.cancel();
    let build = |brief: Brief, build: Build<'_>| {
        status(&build.run(&brief, &mut Batches::new(batch(0, 1).schema(), lines())).unwrap_err())
    };
    assert_eq!(build(brief().measure(("x", col("amuont") - 1)), Build::new()), 400);
    assert_eq!(build(brief().measure(("x", "sum(amount")), Build::new()), 400);
    assert_eq!(build(brief().rows(["harbor"]), Build::new()), 400);
    assert_eq!(build(brief(), Build::new().memory(1_000)), 413);
    assert_eq!(build(brief(), Build::new().cancel(&cancel)), 503);
    let short = batch(0, 1).project(&[0]).unwrap();
    let mut lying = Batches::new(batch(0, 1).schema(), [short]);
    assert_eq!(status(&CrossTab::build(&brief(), &mut lying).unwrap_err()), 500);
}

/// Many requests side by side, each with its own limit and its own progress.
#[test]
fn requests_run_side_by_side() {
    let wanted = built().to_record_batch();
    std::thread::scope(|scope| {
        for _ in 0..8 {
            scope.spawn(|| {
                let read = AtomicU64::new(0);
                let on_progress = |progress: Progress| {
                    read.fetch_max(progress.lines(), Ordering::Relaxed);
                };
                let build = Build::new().threads(2).memory(64 << 20).on_progress(&on_progress);
                let built = build.run(&brief(), &mut Batches::new(batch(0, 1).schema(), lines())).unwrap();
                assert_eq!(built.to_record_batch().columns(), wanted.columns());
                assert_eq!(read.into_inner(), 1_000);
            });
        }
    });
}

/// Eight workers scan a part each and send bytes; one merges them and draws the page.
#[test]
fn workers_send_bytes() {
    let part = |i: usize| batch(i * 125, i * 125 + 125);
    let sent = (0..8).map(|i| {
        let groups = Build::new().groups(&brief(), &mut Batches::new(part(i).schema(), [part(i)])).unwrap();
        Groups::from_bytes(format!("worker {i}"), &groups.to_bytes().unwrap()).unwrap()
    });
    let merged = Build::new().from_groups(&brief(), &sent.collect::<Vec<_>>()).unwrap();
    assert_eq!(merged.to_record_batch().columns(), built().to_record_batch().columns());
    assert!(draw::page(&merged).contains("variance") && draw::svg(&merged, None).contains("<svg"));
}
