//! Formulas and items over so many cells that several threads compute them block by block, against one thread and
//! against plain loops.

use std::collections::HashMap;

use pivvel_core::result::Grain;
use pivvel_core::{Brief, Build, CrossTab};

use crate::support::{batch, close, days, labels, numbers, source, texts};

const YARDS: usize = 600;
const MONTHS: usize = 120;
/// The yards before this one have no amounts, so that whole blocks of cells are blank.
const BLANK_YARDS: usize = 90;

fn coast(yard: usize) -> String {
    format!("coast {}", yard / 150)
}

/// The amount of a yard in a month; nothing for some, zero for some.
fn amount(yard: usize, month: usize) -> Option<i64> {
    let amount = (yard * 7 + month * 13) % 1_000;
    (yard >= BLANK_YARDS && amount % 11 != 3).then_some(amount as i64 - 400)
}

/// A line for each yard in each of the months from January 2015 on, which are not met in their order.
fn crosstab(threads: usize, brief: &Brief) -> CrossTab {
    let lines = (0..YARDS).flat_map(|yard| (0..MONTHS).map(move |month| (yard, month * 49 % MONTHS)));
    let lines: Vec<(usize, usize)> = lines.collect();
    let day =
        |month: usize| chrono::NaiveDate::from_ymd_opt(2015 + month as i32 / 12, month as u32 % 12 + 1, 9);
    let columns = [
        ("coast", texts(lines.iter().map(|(yard, _)| Some(coast(*yard))))),
        ("yard", texts(lines.iter().map(|(yard, _)| Some(format!("yard {yard:03}"))))),
        ("day", days(lines.iter().map(|(_, month)| Some(day(*month).unwrap().to_epoch_days())))),
        ("amount", numbers(lines.iter().map(|(yard, month)| amount(*yard, *month)))),
    ];
    Build::new().threads(threads).run(brief, &mut source(vec![batch(columns)])).unwrap()
}

fn brief() -> Brief {
    Brief::new().rows(["coast", "yard"]).columns(["day.year", "day.month"]).measure(("sales", "sum(amount)"))
}

#[test]
fn many_cells_are_computed_alike_by_any_number_of_threads() {
    let brief = brief()
        .measure(("share", "sales / sales at parent"))
        .measure(("change", "sales - sales at previous month"))
        .measure(("so_far", "running(sales along month)"))
        .measure(("moving", "moving(sum sales over 3 along month)"))
        .measure(("place", "rank(sales)"))
        .measure(("kind", "case when coast = 'coast 1' and sales > 0 then 1 when sales is blank then 0.5 else sales * 2 end"))
        .measure(("over", "1000 / sales"))
        .item("day.year", "change", "\"2017\" - \"2016\"")
        .item("day.year", "ratio", "\"2017\" / \"2016\"")
        .item("coast", "both", "\"coast 0\" + \"coast 2\"");
    let alone = crosstab(1, &brief);
    assert!(alone.cells().count() > 100_000);
    assert!(alone.report().zero_cells() > 0);
    let notices =
        |crosstab: &CrossTab| crosstab.notices().iter().map(|n| n.text().to_string()).collect::<Vec<_>>();
    for threads in [2, 3] {
        let together = crosstab(threads, &brief);
        assert_eq!(alone.to_record_batch(), together.to_record_batch(), "{threads} threads");
        assert_eq!(notices(&alone), notices(&together));
        assert_eq!(alone.report().zero_cells(), together.report().zero_cells());
    }
}

#[test]
fn many_cells_are_those_of_plain_loops() {
    let brief = brief()
        .measure(("share", "sales / sales at parent"))
        .measure(("so_far", "running(sales along month)"))
        .item("day.year", "change", "\"2017\" - \"2016\"")
        .item("day.year", "ratio", "\"2017\" / \"2016\"");
    let crosstab = crosstab(2, &brief);
    let mut of_coasts: HashMap<(String, usize), i64> = HashMap::new();
    for (yard, month) in (0..YARDS).flat_map(|yard| (0..MONTHS).map(move |month| (yard, month))) {
        *of_coasts.entry((coast(yard), month)).or_default() += amount(yard, month).unwrap_or(0);
    }
    let (mut met, mut of_items) = (0, 0);
    for cell in crosstab.cells() {
        let (rows, columns) =
            (labels(crosstab.rows().path(cell.row())), labels(crosstab.columns().path(cell.column())));
        let [_, yard] = &rows[..] else { continue };
        let yard: usize = yard["yard ".len()..].parse().unwrap();
        let year = |year: usize| {
            (0..12).filter_map(move |month| amount(yard, (year - 2015) * 12 + month)).reduce(|a, b| a + b)
        };
        match &columns[..] {
            [item] if item == "change" => {
                let wanted = year(2017).zip(year(2016)).map(|(a, b)| (a - b) as f64);
                assert_eq!(cell.value(0).map(|value| value.as_f64()), wanted, "{rows:?}");
            }
            [item] if item == "ratio" => {
                let wanted = year(2017).zip(year(2016)).filter(|(_, under)| *under != 0);
                let wanted = wanted.map(|(a, b)| a as f64 / b as f64);
                assert!(close(cell.value(0).map(|value| value.as_f64()), wanted), "{rows:?}");
            }
            // A month is of one of the years alone.
            [item, month] if item == "change" => {
                let (year, of_year) = (month[..4].parse::<usize>().unwrap(), &month[5..]);
                let own = amount(yard, (year - 2015) * 12 + of_year.parse::<usize>().unwrap() - 1);
                let wanted = own.map(|own| if year == 2016 { -own } else { own } as f64);
                assert_eq!(cell.value(0).map(|value| value.as_f64()), wanted, "{rows:?} {month}");
                assert_eq!(cell.lines(), 1);
                of_items += 1;
            }
            [item, _] if item == "ratio" => assert_eq!(cell.value(0), None),
            [_, month] => {
                let month = (month[..4].parse::<usize>().unwrap() - 2015) * 12
                    + month[5..].parse::<usize>().unwrap()
                    - 1;
                let own = amount(yard, month);
                assert_eq!(cell.value(0).map(|value| value.as_f64()), own.map(|own| own as f64));
                let whole = of_coasts[&(coast(yard), month)];
                let share = own.filter(|_| whole != 0).map(|own| own as f64 / whole as f64);
                assert!(close(cell.value(1).map(|value| value.as_f64()), share), "{rows:?} {columns:?}");
                let so_far =
                    (month - month % 12..=month).filter_map(|month| amount(yard, month)).reduce(|a, b| a + b);
                assert_eq!(cell.value(2).map(|value| value.as_f64()), so_far.map(|sum| sum as f64));
                met += 1;
            }
            _ => {}
        }
    }
    assert_eq!((met, of_items), (YARDS * MONTHS, YARDS * 24));
}

/// Sums along few rows of many columns, where every share of the cells is in order by itself and all together are not.
#[test]
fn sums_along_few_rows() {
    const ORDERS: usize = 30_000;
    let amount = |month: usize, order: usize| (order % 89 + 100 * month) as i64;
    for months in [2, 3] {
        let lines: Vec<(usize, usize)> =
            (0..months).flat_map(|month| (0..ORDERS).map(move |order| (month, order))).collect();
        let columns = [
            ("month", numbers(lines.iter().map(|(month, _)| Some(*month as i64)))),
            ("order", numbers(lines.iter().map(|(_, order)| Some(*order as i64)))),
            ("amount", numbers(lines.iter().map(|(month, order)| Some(amount(*month, *order))))),
        ];
        let brief = Brief::new()
            .rows(["month"])
            .columns(["order"])
            .measure(("sales", "sum(amount)"))
            .measure(("so_far", "running(sales along month)"));
        let crosstab = Build::new().threads(months).run(&brief, &mut source(vec![batch(columns)])).unwrap();
        for order in (0..ORDERS).step_by(997) {
            let so_far: i64 = (0..months).map(|month| amount(month, order)).sum();
            let (row, column) = ((months - 1).to_string(), order.to_string());
            let found = crosstab.value(&[row.as_str()], &[column.as_str()], "so_far");
            assert_eq!(
                found.map(|value| value.to_string()),
                Some(so_far.to_string()),
                "{months} months, {order}"
            );
        }
    }
}

/// Cells that lie so far apart that no table has a place for each of them: items have theirs as in a small layout, with what
/// they are made of, and so has an item of an item.
#[test]
fn items_of_cells_that_lie_far_apart() {
    const ORDERS: usize = 5_000;
    let scenarios = ["actual", "plan", "budget"];
    // An order is delivered on a day of its own; every third one has no plan.
    let lines = (0..ORDERS).flat_map(|order| (0..3).map(move |scenario| (order, scenario)));
    let lines: Vec<(usize, usize)> = lines.filter(|(order, s)| *s != 1 || order % 3 > 0).collect();
    let amount = |order: usize, scenario: usize| (order % 97 + scenario * 10) as i64;
    let columns = [
        ("order", numbers(lines.iter().map(|(order, _)| Some(*order as i64)))),
        ("scenario", texts(lines.iter().map(|(_, scenario)| Some(scenarios[*scenario])))),
        ("delivery", numbers(lines.iter().map(|(order, _)| Some((order * 7 % ORDERS) as i64)))),
        ("amount", numbers(lines.iter().map(|(order, scenario)| Some(amount(*order, *scenario))))),
    ];
    let brief = Brief::new()
        .rows(["order"])
        .columns(["scenario", "delivery"])
        .measure(("sales", "sum(amount)"))
        .item("scenario", "variance", "actual - plan")
        .item("scenario", "beyond", "variance + budget");
    let crosstab = Build::new().threads(2).run(&brief, &mut source(vec![batch(columns)])).unwrap();
    for order in 0..ORDERS {
        let (row, delivery) = (order.to_string(), (order * 7 % ORDERS).to_string());
        let planned = order % 3 > 0;
        let plan = if planned { amount(order, 1) } else { 0 };
        let variance = amount(order, 0) - plan;
        for (item, value, lines) in [
            ("variance", variance, 1 + u64::from(planned)),
            ("beyond", variance + amount(order, 2), 2 + u64::from(planned)),
        ] {
            for column in [vec![item], vec![item, delivery.as_str()]] {
                let cell = crosstab.find(&[row.as_str()], &column).unwrap().unwrap();
                let found = (cell.value(0).map(|value| value.to_string()), cell.lines());
                assert_eq!(found, (Some(value.to_string()), lines), "{row} {column:?}");
            }
        }
    }
    assert_eq!(crosstab.cell_count(Grain::new(1, 2)), lines.len() + 2 * ORDERS);
}
