//! The same lines however they come: whole or cut into batches, as slices of larger arrays, in any order of
//! batches, with keys of any width, by one dictionary or by many, to one thread or to several, or kept part by
//! part. The tidy result must not tell.

use std::sync::Arc;

use arrow_array::types::*;
use arrow_array::*;
use arrow_schema::Schema;
use pivvel_core::result::Groups;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build};
use proptest::prelude::*;

use crate::support;
use crate::support::{days, decimals};

/// Coast, yard and day of a line, and what it is worth in hundredths.
type Line = (usize, usize, i32, i64);

/// How the texts come.
#[derive(Debug, Clone, Copy)]
enum Texts {
    Plain,
    Large,
    Views,
    /// By keys of 8, 16, 32 or 64 bits.
    Keys(usize),
}

/// How the amounts come, always the same ones.
#[derive(Debug, Clone, Copy)]
enum Amounts {
    Narrow,
    Wide,
}

#[derive(Debug, Clone)]
struct Delivery {
    texts: Texts,
    amounts: Amounts,
    /// Where batches end, in shares of 1,000 lines; the same one twice gives a batch of nothing.
    cuts: Vec<usize>,
    /// Batches are slices of arrays of all lines.
    sliced: bool,
    backwards: bool,
    threads: usize,
}

fn any_delivery() -> impl Strategy<Value = Delivery> {
    let texts = prop_oneof![
        Just(Texts::Plain),
        Just(Texts::Large),
        Just(Texts::Views),
        (0..4usize).prop_map(Texts::Keys),
    ];
    let amounts = prop_oneof![Just(Amounts::Narrow), Just(Amounts::Wide)];
    let cuts = proptest::collection::vec(0..=1_000usize, 0..12);
    (texts, amounts, cuts, any::<(bool, bool)>(), 1..4usize).prop_map(
        |(texts, amounts, mut cuts, (sliced, backwards), threads)| {
            cuts.sort_unstable();
            Delivery { texts, amounts, cuts, sliced, backwards, threads }
        },
    )
}

fn array_of_texts(texts: Vec<String>, form: Texts) -> ArrayRef {
    let each = texts.iter().map(|text| Some(text.as_str()));
    match form {
        Texts::Plain => support::texts(each),
        Texts::Large => Arc::new(each.collect::<LargeStringArray>()),
        Texts::Views => Arc::new(each.collect::<StringViewArray>()),
        Texts::Keys(0) => Arc::new(each.collect::<DictionaryArray<Int8Type>>()),
        Texts::Keys(1) => Arc::new(each.collect::<DictionaryArray<UInt16Type>>()),
        Texts::Keys(2) => Arc::new(each.collect::<DictionaryArray<UInt32Type>>()),
        Texts::Keys(_) => Arc::new(each.collect::<DictionaryArray<Int64Type>>()),
    }
}

fn batch_of(lines: &[Line], Delivery { texts, amounts, .. }: &Delivery) -> RecordBatch {
    let text = |text: &dyn Fn(&Line) -> String| array_of_texts(lines.iter().map(text).collect(), *texts);
    let amounts: ArrayRef = match amounts {
        Amounts::Narrow => {
            let amounts = lines.iter().map(|line| Some(line.3)).collect::<Decimal64Array>();
            Arc::new(amounts.with_precision_and_scale(18, 2).unwrap())
        }
        Amounts::Wide => decimals(2, lines.iter().map(|line| Some(line.3.into()))),
    };
    let columns: [(&str, ArrayRef); 4] = [
        ("coast", text(&|line| format!("Coast {}", line.0))),
        ("yard", text(&|line| format!("Yard of some name {}", line.1))),
        ("sold_on", days(lines.iter().map(|line| Some(line.2)))),
        ("amount", amounts),
    ];
    support::batch(columns)
}

fn batches_of(lines: &[Line], delivery: &Delivery) -> Vec<RecordBatch> {
    let end = |share: &usize| share * lines.len() / 1_000;
    let ends = delivery.cuts.iter().map(end).chain([lines.len()]);
    let whole = batch_of(lines, delivery);
    let mut first = 0;
    let batch = |end: usize| {
        let own = first..end;
        first = end;
        match delivery.sliced {
            true => whole.slice(own.start, own.len()),
            false => batch_of(&lines[own], delivery),
        }
    };
    let mut batches: Vec<RecordBatch> = ends.map(batch).collect();
    if delivery.backwards {
        batches.reverse();
    }
    batches
}

fn brief(columns: &[&str]) -> Brief {
    Brief::new()
        .rows(["coast", "yard"])
        .columns(columns.iter().copied())
        .measure(("sales", "sum(amount)"))
        .measure(("lines", "count()"))
        .measure(("yards", "distinct(yard)"))
        .measure(("middle", "median(amount)"))
        .measure(("spread", "max(amount) - min(amount)"))
}

fn tidy(lines: &[Line], delivery: &Delivery, columns: &[&str]) -> RecordBatch {
    let batches = batches_of(lines, delivery);
    let schema: Arc<Schema> = batches[0].schema();
    let mut source = Batches::new(schema, batches);
    Build::new().threads(delivery.threads).run(&brief(columns), &mut source).unwrap().to_record_batch()
}

/// The same from groups that every batch was kept as.
fn tidy_of_kept(lines: &[Line], delivery: &Delivery, columns: &[&str]) -> RecordBatch {
    let run = Build::new().threads(delivery.threads);
    let keep = |batch: RecordBatch| {
        let mut source = Batches::new(batch.schema(), [batch]);
        run.keep(&brief(columns), &mut source).unwrap().1
    };
    let kept: Vec<Groups> = batches_of(lines, delivery).into_iter().map(keep).collect();
    run.from_groups(&brief(columns), &kept).unwrap().to_record_batch()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn the_tidy_result_does_not_tell_how_lines_came(
        lines in proptest::collection::vec((0..4usize, 0..25usize, 18_000..18_400i32, -90_000..90_000i64), 1..600),
        (nested, in_time) in any::<(bool, bool)>(),
        delivery in any_delivery(),
        columns in prop_oneof![
            Just(&["sold_on.year", "sold_on.quarter"][..]),
            Just(&["sold_on.weekday"][..]),
            Just(&["sold_on"][..]),
            Just(&[][..]),
        ],
    ) {
        let mut lines: Vec<Line> = lines;
        if nested {
            lines.iter_mut().for_each(|line| line.0 = line.1 % 4);
        }
        if in_time {
            lines.sort_by_key(|line| line.2);
        }
        let plain = Delivery {
            texts: Texts::Views,
            amounts: Amounts::Narrow,
            cuts: Vec::new(),
            sliced: false,
            backwards: false,
            threads: 1,
        };
        let expected = tidy(&lines, &plain, columns);
        prop_assert_eq!(&tidy(&lines, &delivery, columns), &expected);
        // Its source has another name.
        let of_kept = tidy_of_kept(&lines, &delivery, columns);
        prop_assert_eq!(of_kept.columns(), expected.columns(), "kept");
    }
}
