//! Sizes and shapes at the edge of what is sensible.

use std::sync::Arc;

use arrow_array::{ArrayRef, Decimal128Array, Float64Array, Int64Array, RecordBatch, StringArray};
use pivvel::draw::{Layout, TerminalOptions};
use pivvel::result::NoticeCode;
use pivvel::source::{Batches, ReadOptions, TextSource, open_source};
use pivvel::{Brief, CrossTab, Result, draw};

use crate::lines::tidy_csv;

fn build(brief: &Brief, text: String) -> Result<CrossTab> {
    let mut source = TextSource::from_reader(
        "lines.csv",
        std::io::Cursor::new(text.into_bytes()),
        &ReadOptions::default(),
    )?;
    CrossTab::build(brief, &mut source)
}

#[test]
fn two_thousand_columns_of_file_and_of_cross_tab() {
    let names: Vec<String> = (0..2_000).map(|i| format!("c{i}")).collect();
    let line = |n: i32| (0..2_000).map(|i| (n * i).to_string()).collect::<Vec<_>>().join(",");
    let text = format!("{}\n{}\n{}\n", names.join(","), line(1), line(3));
    let crosstab = build(&Brief::new().measure(("m", "sum(c1999)")), text).unwrap();
    assert_eq!(crosstab.value(&[], &[], "m").unwrap().to_string(), "7996");

    let lines: String = (0..2_000).map(|i| format!("k{i:04},{i}\n")).collect();
    let crosstab =
        build(&Brief::new().columns(["k"]).measure(("m", "sum(v)")), format!("k,v\n{lines}")).unwrap();
    assert_eq!(crosstab.columns().entries().len(), 2_001);
    let options = TerminalOptions::default().width(100);
    let drawn = draw::terminal(&Layout::new(&crosstab), &options);
    assert!(drawn.lines().all(|line| line.chars().count() <= 100), "{drawn}");
    assert!(drawn.contains("of 2,001 columns left out here; see all: --to page.html"), "{drawn}");
}

#[test]
fn a_long_member_is_cut_on_the_terminal_and_whole_in_data() {
    let long = "x".repeat(60);
    let crosstab =
        build(&Brief::new().rows(["k"]).measure(("m", "sum(v)")), format!("k,v\n{long},1\ny,2")).unwrap();
    let options = TerminalOptions::default().width(60);
    let drawn = draw::terminal(&Layout::new(&crosstab), &options);
    assert!(drawn.contains(&format!("{}…", "x".repeat(19))), "{drawn}");
    assert!(tidy_csv(&crosstab).contains(&format!("\n{long},k,total,")));
}

/// Sums stay exact up to 38 digits, and beyond them the work stops.
#[test]
fn what_outgrows_38_digits_is_an_error() {
    let digits = 10i128.pow(38) - 1;
    let build = |digits: Vec<i128>| {
        let amounts = Decimal128Array::from(digits).with_precision_and_scale(38, 2).unwrap();
        let batch = RecordBatch::try_from_iter([("amount", Arc::new(amounts) as ArrayRef)]).unwrap();
        let brief = Brief::new().measure(("sales", "sum(amount)"));
        CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))
    };
    let sum = build(vec![digits, -digits, digits]).unwrap();
    assert_eq!(sum.value(&[], &[], "sales").unwrap().to_string(), format!("{}.99", "9".repeat(36)));
    let error = build(vec![digits, digits]).unwrap_err();
    assert_eq!(
        error.to_string(),
        "amount: a number has more than 38 digits, or is larger than floating-point numbers can be"
    );
}

/// Floats are summed so that their order does not matter, and what is no number is blank.
#[test]
fn floats_do_not_depend_on_order() {
    let names = StringArray::from(vec!["a"; 5]);
    let sum = |floats: Vec<f64>| {
        let columns =
            [("k", Arc::new(names.clone()) as ArrayRef), ("v", Arc::new(Float64Array::from(floats)) as _)];
        let batch = RecordBatch::try_from_iter(columns).unwrap();
        let brief = Brief::new().rows(["k"]).measure(("v", "sum(v)")).measure(("n", "count(v)"));
        tidy_csv(&CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch])).unwrap())
    };
    let forward = sum(vec![1e16, 1.0, -1e16, 0.1, f64::NAN]);
    assert_eq!(forward, sum(vec![f64::INFINITY, 0.1, 1.0, -1e16, 1e16]));
    assert!(forward.contains("a,k,total,member,total,v,1.1,5,"), "{forward}");
    assert!(forward.contains("a,k,total,member,total,n,4,5,"), "{forward}");
}

/// A batch that is not what the schema says is refused rather than misread.
#[test]
fn batches_of_another_schema_are_refused() {
    let batch = |values: ArrayRef| RecordBatch::try_from_iter([("v", values)]).unwrap();
    let numbers = batch(Arc::new(Int64Array::from(vec![1])));
    let texts = batch(Arc::new(StringArray::from(vec!["1"])));
    let mut source = Batches::new(numbers.schema(), [numbers, texts]);
    let error = CrossTab::build(&Brief::new().measure(("v", "sum(v)")), &mut source).unwrap_err();
    let told = "batches: a batch is not as announced: column v: expected v (Int64), found Utf8";
    assert_eq!(error.to_string(), told);
}

/// A column in which no value was met may be of any kind: a file of headings alone gives an empty result, a column that
/// is blank everywhere a blank, and one that is blank in its first lines is looked at to its end.
#[test]
fn columns_without_a_value() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("lines.csv");
    let built = |lines: &str, brief: &Brief| {
        std::fs::write(&path, lines).unwrap();
        open_source(&path, brief, &ReadOptions::default())
            .and_then(|mut source| CrossTab::build(brief, source.as_mut()))
    };
    let brief = Brief::new()
        .rows(["d.year", "coast"])
        .filter("coast <> 'x' and d > '2024-01-01'")
        .measure(("sales", "sum(amount - cost)"))
        .measure(("costs", "sum(cost)"))
        .measure(("so_far", "running(sales along year)"));
    let nothing = built("d,coast,amount,cost\n", &brief).unwrap();
    assert!(nothing.is_empty());
    assert!(nothing.notices().iter().any(|notice| notice.code() == NoticeCode::EmptyResult));
    let no_costs = built("d,coast,amount,cost\n2024-05-01,Fell,7,\n2024-06-01,Skerry,5,\n", &brief).unwrap();
    assert_eq!(no_costs.value(&[], &[], "sales").unwrap().to_string(), "12");
    assert_eq!(no_costs.value(&[], &[], "costs"), None);
    let late =
        format!("d,coast,amount,cost\n{}2024-06-01,Skerry,5,0.25\n", "2024-05-01,Fell,7,\n".repeat(30_000));
    assert_eq!(built(&late, &brief).unwrap().value(&[], &[], "costs").unwrap().to_string(), "0.25");
    // What is wrong without the lines stays wrong.
    let wrong = built("coast,amount\n", &Brief::new().rows(["coast"]).measure(("s", "sum(lower(amount))")));
    assert!(wrong.unwrap_err().to_string().contains("sum wants numbers"));
}
