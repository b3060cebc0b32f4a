//! Batches of lines given to one or more takers: each of them once, until one fails.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use arrow_array::cast::AsArray;
use arrow_array::types::Int64Type;
use arrow_array::*;
use pivvel_core::source::{Batches, LineSource, Taker};
use pivvel_core::{Brief, Build, CrossTab, Error};
use proptest::prelude::*;

use crate::support;
use crate::support::{numbers, texts};

/// Batches of consecutive numbers, of so many lines each, beside a column that is not asked for.
fn numbered(sizes: &[usize]) -> Vec<RecordBatch> {
    let mut next = 0..;
    let numbered = |size: &usize| {
        let numbers = numbers(next.by_ref().take(*size).map(Some));
        let texts = texts((0..*size).map(|i| Some(i.to_string())));
        support::batch([("text", texts), ("number", numbers)])
    };
    sizes.iter().map(numbered).collect()
}

fn source(batches: Vec<RecordBatch>) -> Batches<std::vec::IntoIter<RecordBatch>> {
    support::source(batches).named("numbers")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Every line comes to one of the takers, with just the columns that are asked for.
    #[test]
    fn every_line_is_taken_once(
        sizes in proptest::collection::vec(prop_oneof![3 => 0..40usize, 1 => 0..30_000usize], 1..40),
        takers in 1..5usize,
    ) {
        let mut taken: Vec<Vec<i64>> = vec![Vec::new(); takers];
        let taker = |taken| -> Taker<'_> {
            let taken: &mut Vec<i64> = taken;
            Box::new(|batch: RecordBatch| {
                assert_eq!(batch.num_columns(), 1);
                taken.extend(batch.column(0).as_primitive::<Int64Type>().values());
                Ok(())
            })
        };
        let mut all: Vec<Taker<'_>> = taken.iter_mut().map(taker).collect();
        source(numbered(&sizes)).scan_shared(&[1], &mut all).unwrap();
        drop(all);
        let mut taken = taken.concat();
        taken.sort_unstable();
        prop_assert_eq!(taken, (0..sizes.iter().sum::<usize>() as i64).collect::<Vec<_>>());
    }
}

/// Where a taker fails, its error is told, and what was not read by then is not read.
#[test]
fn a_failing_taker_stops_the_reader() {
    for count in 1..4 {
        let read = AtomicUsize::new(0);
        let batches = numbered(&[20_000; 4]);
        let endless = batches.iter().cycle().cloned().inspect(|_| {
            read.fetch_add(1, Ordering::Relaxed);
        });
        let met = AtomicUsize::new(0);
        let fail = |_| match met.fetch_add(1, Ordering::Relaxed) {
            5 => Err(Error::data("a taker", "it is full")),
            _ => Ok(()),
        };
        let mut all: Vec<Taker<'_>> = (0..count).map(|_| Box::new(fail) as Taker<'_>).collect();
        let error = Batches::new(batches[0].schema(), endless).scan_shared(&[1], &mut all).unwrap_err();
        assert_eq!(error.to_string(), Error::data("a taker", "it is full").to_string());
        assert!(read.into_inner() >= 6);
    }
}

/// Takers that panic do so in the thread that reads, which does not wait for them for ever.
#[test]
fn a_panic_is_passed_on() {
    for count in 1..4 {
        let batches = numbered(&[20_000; 4]);
        let mut source = Batches::new(batches[0].schema(), batches.iter().cycle().cloned());
        let taker = |_| -> Taker<'_> { Box::new(|_| panic!("this taker panics, and is meant to")) };
        let mut all: Vec<Taker<'_>> = (0..count).map(taker).collect();
        let scan = std::panic::AssertUnwindSafe(|| source.scan_shared(&[1], &mut all).map(|_| ()));
        assert!(std::panic::catch_unwind(scan).is_err());
    }
}

/// A batch with other columns than the first one is refused by the source's name.
#[test]
fn batches_of_other_columns_are_refused() {
    let one = numbered(&[3]).remove(0);
    let fewer = one.project(&[1]).unwrap();
    let turned = one.project(&[1, 0]).unwrap();
    for other in [fewer, turned] {
        for threads in [1, 2] {
            let brief = Brief::new().measure(("numbers", "sum(number)"));
            let mut source = source(vec![one.clone(), other.clone()]);
            let error = Build::new().threads(threads).run(&brief, &mut source).unwrap_err().to_string();
            assert!(error.starts_with("numbers: a batch is not as announced: column "), "{error}");
        }
    }
}

/// No batches are no lines, and neither are empty ones.
#[test]
fn nothing_is_read_from_nothing() {
    let brief = Brief::new().rows(["text"]).measure(("numbers", "sum(number)"));
    let empty = numbered(&[0]);
    for batches in [vec![], empty.clone(), numbered(&[0, 0, 0])] {
        let mut source = Batches::new(empty[0].schema(), batches);
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        assert_eq!((crosstab.report().read(), crosstab.cells().count()), (0, 0));
    }
}

/// A source that gives what it was made to give, whatever is asked of it.
struct Careless {
    schema: arrow_schema::SchemaRef,
    gives: RecordBatch,
}

impl LineSource for Careless {
    fn name(&self) -> &str {
        "careless"
    }

    fn schema(&self) -> arrow_schema::SchemaRef {
        self.schema.clone()
    }

    fn scan(
        &mut self,
        _: &[usize],
        take: &mut dyn FnMut(RecordBatch) -> pivvel_core::Result<()>,
    ) -> pivvel_core::Result<pivvel_core::source::Tally> {
        take(self.gives.clone())?;
        Ok(pivvel_core::source::Tally::default())
    }
}

/// Batches that are not as their source announced them are refused; nothing is computed of them.
#[test]
fn batches_are_checked_against_what_was_announced() {
    let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry"]));
    let money = |scale: i8| -> ArrayRef {
        Arc::new(Decimal128Array::from(vec![1050, 995]).with_precision_and_scale(9, scale).unwrap())
    };
    let batch = |columns: Vec<(&str, ArrayRef)>| RecordBatch::try_from_iter(columns).unwrap();
    let announced = batch(vec![("coast", coast.clone()), ("amount", money(2))]).schema();
    let cases = [
        (batch(vec![("coast", coast.clone()), ("amount", money(2))]), None),
        (
            batch(vec![("coast", coast.clone()), ("amount", money(3))]),
            Some("column amount: expected numbers of 2 decimals, found numbers of 3 decimals"),
        ),
        (
            batch(vec![("amount", money(2)), ("coast", coast.clone())]),
            Some("column coast: expected text, found column amount in its place"),
        ),
        (
            batch(vec![("coast", coast.clone())]),
            Some("column amount: expected numbers of 2 decimals, found no such column"),
        ),
    ];
    for (gives, wrong) in cases {
        let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
        let built = CrossTab::build(&brief, &mut Careless { schema: announced.clone(), gives });
        match wrong {
            None => assert_eq!(built.unwrap().value(&[], &[], "sales").unwrap().to_string(), "20.45"),
            Some(wrong) => {
                let error = built.unwrap_err().to_string();
                assert!(error.starts_with("careless: ") && error.contains(wrong), "{error}");
            }
        }
    }
}

#[test]
fn batches_are_read_once_and_what_is_no_number_is_counted() {
    let brief = Brief::new().measure(("sum", "sum(x)"));
    let x: ArrayRef = Arc::new(Float64Array::from(vec![1.5, f64::NAN, f64::INFINITY, 2.0]));
    let batch = RecordBatch::try_from_iter([("x", x)]).unwrap();
    let mut once = source(vec![batch]);
    let (crosstab, kept) = Build::new().keep(&brief, &mut once).unwrap();
    let merged = Build::new().from_groups(&brief, &[kept]).unwrap();
    for crosstab in [crosstab, merged] {
        let sum = crosstab.value(&[], &[], "sum").unwrap().as_f64();
        assert_eq!((sum, crosstab.report().not_finite()), (3.5, 2));
    }
    let error = CrossTab::build(&brief, &mut once).unwrap_err().to_string();
    assert!(error.contains("can be read only once"), "{error}");
}
