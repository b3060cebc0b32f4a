//! Formulas over lines against a plain reading of them: exact sums, differences and products, blanks, conditions
//! that may be blank, and cases.

use std::cmp::Ordering;
use std::sync::Arc;

use arrow_array::{ArrayRef, Decimal128Array, Int64Array, RecordBatch};
use arrow_buffer::NullBuffer;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, CrossTab, Decimal, Value};
use proptest::prelude::*;

use crate::support;
use crate::support::{decimals, numbers};

/// A formula that gives a number.
#[derive(Debug, Clone)]
enum Number {
    Column(usize),
    Constant(i64, u32),
    Negative(Box<Number>),
    Sum(Box<Number>, Box<Number>),
    Difference(Box<Number>, Box<Number>),
    Product(Box<Number>, Box<Number>),
    Case(Box<Truth>, Box<Number>, Option<Box<Number>>),
}

/// A formula that holds or does not.
#[derive(Debug, Clone)]
enum Truth {
    Compare(&'static str, Number, Number),
    Between(Number, Number, Number),
    In(Number, Vec<i64>),
    IsBlank(Number),
    And(Box<Truth>, Box<Truth>),
    Or(Box<Truth>, Box<Truth>),
    Not(Box<Truth>),
}

const COLUMNS: [(&str, u32); 4] = [("a", 1), ("b", 0), ("c", 2), ("d", 1)];

/// Digits and how many of them stand behind the point.
type Exact = (i128, u32);

fn aligned(a: Exact, b: Exact) -> (i128, i128, u32) {
    let scale = a.1.max(b.1);
    (a.0 * 10i128.pow(scale - a.1), b.0 * 10i128.pow(scale - b.1), scale)
}

fn compared(a: Exact, b: Exact) -> Ordering {
    let (a, b, _) = aligned(a, b);
    a.cmp(&b)
}

impl Number {
    fn text(&self) -> String {
        match self {
            Number::Column(column) => COLUMNS[*column].0.to_string(),
            Number::Constant(digits, scale) => Decimal::new((*digits).into(), *scale as u8).to_string(),
            Number::Negative(of) => format!("(-{})", of.text()),
            Number::Sum(a, b) => format!("({} + {})", a.text(), b.text()),
            Number::Difference(a, b) => format!("({} - {})", a.text(), b.text()),
            Number::Product(a, b) => format!("({} * {})", a.text(), b.text()),
            Number::Case(when, then, other) => {
                let other = other.as_ref().map(|other| format!(" else {}", other.text())).unwrap_or_default();
                format!("(case when {} then {}{other} end)", when.text(), then.text())
            }
        }
    }

    fn has_column(&self) -> bool {
        match self {
            Number::Column(_) => true,
            Number::Constant(..) => false,
            Number::Negative(of) => of.has_column(),
            Number::Sum(a, b) | Number::Difference(a, b) | Number::Product(a, b) => {
                a.has_column() || b.has_column()
            }
            Number::Case(when, then, other) => {
                when.has_column()
                    || then.has_column()
                    || other.as_ref().is_some_and(|other| other.has_column())
            }
        }
    }

    fn value(&self, line: &[Option<i64>]) -> Option<Exact> {
        match self {
            Number::Column(column) => line[*column].map(|digits| (digits.into(), COLUMNS[*column].1)),
            Number::Constant(digits, scale) => Some(((*digits).into(), *scale)),
            Number::Negative(of) => of.value(line).map(|(digits, scale)| (-digits, scale)),
            Number::Sum(a, b) => beside(a, b, line, |a, b| a + b),
            Number::Difference(a, b) => beside(a, b, line, |a, b| a - b),
            Number::Product(a, b) => {
                let (a, b) = (a.value(line)?, b.value(line)?);
                Some((a.0 * b.0, a.1 + b.1))
            }
            Number::Case(when, then, other) => match when.holds(line) {
                Some(true) => then.value(line),
                _ => other.as_ref()?.value(line),
            },
        }
    }
}

/// A blank counts as nothing beside a value of the lines, and beside a constant it makes the whole blank.
fn beside(a: &Number, b: &Number, line: &[Option<i64>], of: impl Fn(i128, i128) -> i128) -> Option<Exact> {
    let both = match (a.value(line), b.value(line)) {
        (Some(x), Some(y)) => (x, y),
        (Some(x), None) if a.has_column() => (x, (0, 0)),
        (None, Some(y)) if b.has_column() => ((0, 0), y),
        _ => return None,
    };
    let (x, y, scale) = aligned(both.0, both.1);
    Some((of(x, y), scale))
}

impl Truth {
    fn text(&self) -> String {
        match self {
            Truth::Compare(sign, a, b) => format!("({} {sign} {})", a.text(), b.text()),
            Truth::Between(of, low, high) => {
                format!("({} between {} and {})", of.text(), low.text(), high.text())
            }
            Truth::In(of, list) => {
                let list: Vec<String> = list.iter().map(i64::to_string).collect();
                format!("({} in ({}))", of.text(), list.join(", "))
            }
            Truth::IsBlank(of) => format!("({} is blank)", of.text()),
            Truth::And(a, b) => format!("({} and {})", a.text(), b.text()),
            Truth::Or(a, b) => format!("({} or {})", a.text(), b.text()),
            Truth::Not(of) => format!("(not {})", of.text()),
        }
    }

    fn has_column(&self) -> bool {
        match self {
            Truth::Compare(_, a, b) => a.has_column() || b.has_column(),
            Truth::Between(of, low, high) => of.has_column() || low.has_column() || high.has_column(),
            Truth::In(of, _) | Truth::IsBlank(of) => of.has_column(),
            Truth::And(a, b) | Truth::Or(a, b) => a.has_column() || b.has_column(),
            Truth::Not(of) => of.has_column(),
        }
    }

    /// Yes, no, or nothing where that is blank.
    fn holds(&self, line: &[Option<i64>]) -> Option<bool> {
        let compare = |a: &Number, b: &Number| Some(compared(a.value(line)?, b.value(line)?));
        match self {
            Truth::Compare(sign, a, b) => compare(a, b).map(|found| match *sign {
                "=" => found.is_eq(),
                "<>" => found.is_ne(),
                "<" => found.is_lt(),
                "<=" => found.is_le(),
                ">" => found.is_gt(),
                _ => found.is_ge(),
            }),
            Truth::Between(of, low, high) => {
                and(compare(of, low).map(Ordering::is_ge), compare(of, high).map(Ordering::is_le))
            }
            Truth::In(of, list) => {
                let value = of.value(line)?;
                Some(list.iter().any(|one| compared(value, ((*one).into(), 0)).is_eq()))
            }
            Truth::IsBlank(of) => Some(of.value(line).is_none()),
            Truth::And(a, b) => and(a.holds(line), b.holds(line)),
            Truth::Or(a, b) => {
                and(a.holds(line).map(|a| !a), b.holds(line).map(|b| !b)).map(|neither| !neither)
            }
            Truth::Not(of) => of.holds(line).map(|holds| !holds),
        }
    }
}

/// No if either is no, else nothing if either is blank.
fn and(a: Option<bool>, b: Option<bool>) -> Option<bool> {
    match (a, b) {
        (Some(false), _) | (_, Some(false)) => Some(false),
        (Some(true), Some(true)) => Some(true),
        _ => None,
    }
}

fn leaf() -> impl Strategy<Value = Number> {
    prop_oneof![
        4 => (0..COLUMNS.len()).prop_map(Number::Column),
        1 => (-99..99i64, 0..2u32).prop_map(|(digits, scale)| Number::Constant(digits, scale)),
    ]
}

fn truth(number: BoxedStrategy<Number>) -> BoxedStrategy<Truth> {
    let sign = prop::sample::select(vec!["=", "<>", "<", "<=", ">", ">="]);
    let plain = prop_oneof![
        3 => (sign, number.clone(), number.clone()).prop_map(|(sign, a, b)| Truth::Compare(sign, a, b)),
        1 => (number.clone(), number.clone(), number.clone()).prop_map(|(of, a, b)| Truth::Between(of, a, b)),
        1 => (number.clone(), prop::collection::vec(-9..9i64, 1..4)).prop_map(|(of, list)| Truth::In(of, list)),
        1 => number.prop_map(Truth::IsBlank),
    ];
    plain
        .prop_recursive(2, 6, 2, |inner| {
            prop_oneof![
                (inner.clone(), inner.clone()).prop_map(|(a, b)| Truth::And(a.into(), b.into())),
                (inner.clone(), inner.clone()).prop_map(|(a, b)| Truth::Or(a.into(), b.into())),
                inner.prop_map(|of| Truth::Not(of.into())),
            ]
        })
        .boxed()
}

fn number() -> BoxedStrategy<Number> {
    leaf()
        .prop_recursive(3, 10, 3, |inner| {
            let two = (inner.clone(), inner.clone());
            prop_oneof![
                two.clone().prop_map(|(a, b)| Number::Sum(a.into(), b.into())),
                two.clone().prop_map(|(a, b)| Number::Difference(a.into(), b.into())),
                two.prop_map(|(a, b)| Number::Product(a.into(), b.into())),
                inner.clone().prop_map(|of| Number::Negative(of.into())),
                (truth(inner.clone().boxed()), inner.clone(), prop::option::of(inner)).prop_map(
                    |(when, then, other)| Number::Case(when.into(), then.into(), other.map(Box::new))
                ),
            ]
        })
        .boxed()
}

fn lines() -> impl Strategy<Value = Vec<Vec<Option<i64>>>> {
    let digits = prop::option::weighted(0.8, prop_oneof![-99..99i64, Just(0), -3..3i64]);
    prop::collection::vec(prop::collection::vec(digits, COLUMNS.len()), 1..12)
}

fn batch(lines: &[Vec<Option<i64>>]) -> RecordBatch {
    let of = |(i, (name, scale)): (usize, (&'static str, u32))| {
        let digits = lines.iter().map(|line| line[i]);
        let array = match scale {
            0 => numbers(digits),
            scale => decimals(scale as i8, digits.map(|digits| digits.map(i128::from))),
        };
        (name, array)
    };
    let ids = numbers((0..lines.len() as i64).map(Some));
    support::batch([("id", ids)].into_iter().chain(COLUMNS.into_iter().enumerate().map(of)))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// A number is written with all its digits, of which so many stand after the point, and read as it was.
    #[test]
    fn numbers_are_written_with_all_digits(
        digits in (1..=38u32).prop_flat_map(|length| {
            let end = 10i128.pow(length);
            prop_oneof![1 - end..end, Just(end - 1), Just(-end / 10), i128::from(i64::MIN)..=i64::MAX.into()]
        }),
        scale in 0..=38u8,
    ) {
        let text = Decimal::new(digits, scale).to_string();
        let (whole, fraction) = text.trim_start_matches('-').split_once('.').unwrap_or((&text, ""));
        prop_assert!(fraction.len() == usize::from(scale) && (whole.len() == 1 || !whole.starts_with('0')), "{text}");
        let read: Decimal = text.parse().unwrap();
        prop_assert_eq!((read.digits(), read.scale()), (digits, scale));
    }

    #[test]
    fn formulas_over_lines(
        number in number().prop_filter("of the lines", Number::has_column),
        condition in truth(leaf().boxed()).prop_filter("of the lines", Truth::has_column),
        lines in lines(),
    ) {
        let (formula, when) = (number.text(), condition.text());
        let batch = batch(&lines);
        let brief = Brief::new()
            .rows(["id"])
            .measure(("m", format!("sum({formula})").as_str()))
            .measure(("n", format!("count(where {when})").as_str()));
        let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch.clone()]));
        let crosstab = crosstab.unwrap_or_else(|e| panic!("{formula}: {e}"));
        let mut held = 0;
        for (id, line) in lines.iter().enumerate() {
            let id = id.to_string();
            let found = crosstab.value(&[&id], &[], "m").map(|value| match value {
                Value::Exact(number) => (number.digits(), u32::from(number.scale())),
                other => panic!("{formula} gives {other:?}"),
            });
            let wanted = number.value(line);
            let equal = match (found, wanted) {
                (Some(found), Some(wanted)) => compared(found, wanted).is_eq(),
                (found, wanted) => found.is_none() && wanted.is_none(),
            };
            prop_assert!(equal, "{formula} of {line:?}: {found:?}, wanted {wanted:?}");
            let holds = u32::from(condition.holds(line) == Some(true));
            held += holds;
            let found = crosstab.value(&[&id], &[], "n").map(|value| value.to_string());
            prop_assert_eq!(found, Some(holds.to_string()), "{} of {:?}", when, line);
        }
        // As the brief's condition the same lines are left.
        let mut narrowed = Brief::new().measure(("n", "count()"));
        narrowed = narrowed.filter(when.as_str());
        let crosstab = CrossTab::build(&narrowed, &mut Batches::new(batch.schema(), [batch])).unwrap();
        let left = crosstab.value(&[], &[], "n").map_or(0, |value| value.as_f64() as u32);
        prop_assert_eq!(left, held, "{}", when);
        let report = crosstab.report();
        prop_assert_eq!(report.read() - report.excluded(), u64::from(held));
        let undecided = lines.iter().filter(|line| condition.holds(line).is_none()).count() as u64;
        prop_assert_eq!(report.undecided(), undecided, "{}", when);
    }
}

/// Formulas of three columns, with what they give of the digits of the first two: the first column has two of them behind the
/// point, as have all results, and the last one is the second one, but small.
type Exactly = (&'static str, fn(i128, i128) -> i128);

const EXACTLY: [Exactly; 9] = [
    ("a + b", |a, b| a + 100 * b),
    ("a - b", |a, b| a - 100 * b),
    ("b - a", |a, b| 100 * b - a),
    ("a * c", |a, b| a * small(b)),
    ("c * c", |_, b| 100 * small(b) * small(b)),
    ("-a", |a, _| -a),
    ("-b + a * 0", |_, b| -100 * b),
    ("b * 3.25", |_, b| b * 325),
    ("case when b > 0 then a else b end", |a, b| if b > 0 { a } else { 100 * b }),
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Digits may be of 64 bits or of more in any batch, and become more by a formula; what stands under a blank is anything.
    #[test]
    fn narrow_and_wide_numbers(
        lines in prop::collection::vec((digits(20), digits(18), any::<bool>()), 1..30),
        part in 1..9usize,
    ) {
        let batches = lines.chunks(part).map(|lines| {
            let there = || NullBuffer::from_iter(lines.iter().map(|(.., there)| *there));
            let wide = lines.iter().map(|(a, ..)| *a).collect::<Vec<i128>>();
            let wide = Decimal128Array::new(wide.into(), Some(there())).with_precision_and_scale(38, 2);
            let narrow = lines.iter().map(|(_, b, _)| *b as i64).collect::<Vec<i64>>();
            let narrow = Int64Array::new(narrow.into(), Some(there()));
            let last = numbers(lines.iter().map(|(_, b, there)| there.then_some(small(*b) as i64)));
            support::batch([("a", Arc::new(wide.unwrap()) as ArrayRef), ("b", Arc::new(narrow)), ("c", last)])
        });
        let name = |of: &str| of.replace(' ', "_");
        let brief = EXACTLY.iter().fold(Brief::new(), |brief, (formula, _)| {
            brief.measure((name(formula).as_str(), format!("sum({formula})").as_str()))
        });
        let crosstab = CrossTab::build(&brief, &mut support::source(batches.collect())).unwrap();
        for (formula, exactly) in EXACTLY {
            let there = lines.iter().filter(|(.., there)| *there);
            let wanted = there.map(|(a, b, _)| exactly(*a, *b)).reduce(|sum, more| sum + more);
            let found = crosstab.value(&[], &[], &name(formula)).and_then(|value| value.exact());
            let found = found.map(|found| found.rescale(2).unwrap().digits());
            prop_assert_eq!(found, wanted, "{}", formula);
        }
    }
}

/// A function of two numbers as a formula, and its result for the first one's hundredths and the second one; a result that is
/// exact is in hundredths, too.
type OfNumbers = (&'static str, fn(Option<i128>, Option<i128>) -> Option<i128>);
type OfFloats = (&'static str, fn(f64, f64) -> f64);

const EXACT: [OfNumbers; 12] = [
    ("abs(A)", |a, _| a.map(i128::abs)),
    ("abs(B)", |_, b| Some(100 * b?.abs())),
    ("round(A)", |a, _| Some(away(a?, 100))),
    ("round(A, 1)", |a, _| Some(away(a?, 10))),
    ("round(A, 5)", |a, _| a),
    ("floor(A)", |a, _| Some(a?.div_euclid(100) * 100)),
    ("ceiling(A)", |a, _| Some(-(-a?).div_euclid(100) * 100)),
    ("floor(B) + ceiling(B) - round(B)", |_, b| Some(100 * b?)),
    ("coalesce(A, B)", |a, b| a.or(b.map(|b| 100 * b))),
    ("coalesce(B, 7)", |_, b| Some(100 * b.unwrap_or(7))),
    ("least(B, A)", |a, b| [a, b.map(|b| 100 * b)].into_iter().flatten().min()),
    ("greatest(A, B, -1.5)", |a, b| [a, b.map(|b| 100 * b), Some(-150)].into_iter().flatten().max()),
];

const FLOATING: [OfFloats; 7] = [
    ("sqrt(A)", |a, _| a.sqrt()),
    ("exp(A)", |a, _| a.exp()),
    ("ln(abs(B))", |_, b| b.abs().ln()),
    ("power(A, 3)", |a, _| a.powf(3.0)),
    ("power(B, A / A)", |a, b| if a == 0.0 { f64::NAN } else { b }),
    ("round(A / B, 2)", |a, b| (a / b * 100.0).round() / 100.0),
    ("floor(A / B) - ceiling(abs(A / B))", |a, b| (a / b).floor() - (a / b).abs().ceil()),
];

/// Rounded to whole units, halves away from zero.
fn away(number: i128, unit: i128) -> i128 {
    (2 * number.abs() + unit) / (2 * unit) * unit * number.signum()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// A function gives the same for a line and for a cell, wide or narrow, blank or not.
    #[test]
    fn functions_of_lines_and_of_cells(
        lines in prop::collection::vec((prop::option::weighted(0.8, digits(20)), prop::option::weighted(0.8, digits(18))), 1..20),
        part in 1..9usize,
    ) {
        let batches = lines.chunks(part).enumerate().map(|(place, lines)| {
            let ids = numbers((0..lines.len()).map(|i| Some((place * part + i) as i64)));
            let a = decimals(2, lines.iter().map(|(a, _)| *a));
            let b = numbers(lines.iter().map(|(_, b)| b.map(|b| b as i64)));
            support::batch([("id", ids), ("a", a), ("b", b)])
        });
        let mut brief = Brief::new().rows(["id"]).measure(("sa", "sum(a)")).measure(("sb", "sum(b)"));
        let formulas: Vec<&str> = EXACT.iter().map(|f| f.0).chain(FLOATING.iter().map(|f| f.0)).collect();
        for (place, formula) in formulas.iter().enumerate() {
            let of_lines = format!("sum({})", formula.replace('A', "a").replace('B', "b"));
            let of_cells = formula.replace('A', "sa").replace('B', "sb");
            brief = brief.measure((format!("lines{place}").as_str(), of_lines.as_str()));
            brief = brief.measure((format!("cells{place}").as_str(), of_cells.as_str()));
        }
        let crosstab = CrossTab::build(&brief, &mut support::source(batches.collect())).unwrap();
        for (id, (a, b)) in lines.iter().enumerate() {
            let id = id.to_string();
            for place in 0..formulas.len() {
                for kind in ["lines", "cells"] {
                    let found = crosstab.value(&[&id], &[], &format!("{kind}{place}"));
                    let what = format!("{} of {a:?}, {b:?} over {kind}: {found:?}", formulas[place]);
                    if let Some((_, of)) = EXACT.get(place) {
                        let found = found.map(|found| found.exact().unwrap().rescale(2).unwrap().digits());
                        prop_assert_eq!(found, of(*a, *b), "{}", what);
                    } else {
                        let (_, of) = FLOATING[place - EXACT.len()];
                        let takes = |name| formulas[place].contains(name);
                        let given = (a.is_some() || !takes('A')) && (b.is_some() || !takes('B'));
                        let of = of(a.unwrap_or(0) as f64 / 100.0, b.unwrap_or(0) as f64);
                        let wanted = Some(of).filter(|of| given && of.is_finite());
                        prop_assert_eq!(found.map(|found| found.as_f64()), wanted, "{}", what);
                    }
                }
            }
        }
    }
}

/// Divisions by zero count where what they give is used.
#[test]
fn divisions_by_zero_in_lines_that_use_them() {
    let numbers =
        [("a", [1, 1, 1, 1]), ("b", [0, 2, 0, 4])].map(|(name, all)| (name, numbers(all.map(Some))));
    let batch = support::batch(numbers);
    for (formula, wanted) in [
        ("sum(a / b)", 2),
        ("count(where a / b > 0)", 2),
        ("sum(a / b where b > 0)", 0),
        ("sum(round(a / b) where b <= 2)", 2),
        ("sum(case when b > 0 then a / b else 7 end)", 0),
        ("sum(case when b > 0 then 7 else a / b end)", 2),
        ("sum(case when b = 0 then 7 when a / b > 0 then 1 end)", 0),
        ("sum(case when a / b > 0.3 then 1 when b = 0 then a / b end)", 4),
        ("sum(case when b = 4 then 1 else a / b end where b > 0)", 0),
        (
            "sum(case when (case when b = 0 then 'none' when a / b > 0 then 'some' end) = 'some' then a end)",
            0,
        ),
        ("sum(case when (case when a / b > 0 then 'some' else 'none' end) = 'some' then a end)", 2),
        ("sum(case when b >= 0 then (case when b > 0 then 1 else a / b end) else a / b end)", 2),
    ] {
        let brief = Brief::new().measure(("m", formula));
        let crosstab = CrossTab::build(&brief, &mut support::source(vec![batch.clone()])).unwrap();
        assert_eq!(crosstab.report().zero_divisions(), wanted, "{formula}");
    }
    // So they do in a dimension, and in cells.
    let case = |a: &str, b: &str| format!("case when {b} = 0 then 'none' when {a} / {b} > 0 then 'some' end");
    let by_case = Brief::new().derive("size", case("a", "b")).rows(["size"]).measure(("n", "count()"));
    let of_cells = Brief::new().rows(["b"]).measure(("sa", "sum(a)")).measure(("sb", "sum(b)"));
    let of_cells =
        of_cells.measure(("m", format!("case when ({}) = 'some' then 1 end", case("sa", "sb")).as_str()));
    for brief in [by_case, of_cells] {
        let crosstab = CrossTab::build(&brief, &mut support::source(vec![batch.clone()])).unwrap();
        let report = crosstab.report();
        assert_eq!((report.zero_divisions(), report.zero_cells()), (0, 0), "{brief:?}");
    }
}

/// A number of at most ten digits.
fn small(number: i128) -> i128 {
    number % 10_000_000_000
}

/// Small numbers, those at the ends of 64 bits, and some of so many digits.
fn digits(most: u32) -> impl Strategy<Value = i128> {
    let end = 10i128.pow(most - 1);
    prop_oneof![
        6 => -10_000..10_000i128,
        1 => prop::sample::select(vec![i64::MAX.into(), i64::MIN.into(), i128::from(i64::MIN) + 1]),
        1 => -end..end,
    ]
}
