//! What holds for any lines and any layout.

use std::collections::BTreeMap;

use pivvel::result::EntryKind;
use pivvel::table::{TidyRow, tidy};
use pivvel::{Brief, CrossTab, Decimal, Value};
use proptest::prelude::*;

use crate::lines::{Line, any_lines, build, tidy_csv};
use crate::naive::{self, Address};

const LAYOUTS: [(&[&str], &[&str]); 7] = [
    (&["coast", "harbour"], &["channel"]),
    (&["coast", "harbour", "channel"], &["sold_on.year", "sold_on.month", "sold_on"]),
    (&["sold_on.week"], &["coast", "harbour"]),
    (&[], &["coast", "sold_on.weekday"]),
    (&["harbour"], &[]),
    (&[], &[]),
    (&["channel", "sold_on.day"], &["harbour", "coast"]),
];

fn brief(layout: usize) -> Brief {
    let (rows, columns) = LAYOUTS[layout];
    Brief::new()
        .rows(rows.iter().copied())
        .columns(columns.iter().copied())
        .measure(("lines", "count()"))
        .measure(("filled", "count(amount)"))
        .measure(("sales", "sum(amount)"))
        .measure(("mean", "mean(amount)"))
        .measure(("low", "min(amount)"))
        .measure(("high", "max(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("net", "sum(amount - quantity * 0.10)"))
}

/// Everything at once: whatever is computed, the order of lines must not matter.
fn rich_brief(layout: usize) -> Brief {
    let mut brief = brief(layout)
        .derive(
            "band",
            "case when quantity > 40 then 'many' when amount is blank then 'unknown' else 'few' end",
        )
        .measure(("bands", "distinct(band)"))
        .measure(("days", "distinct(sold_on where amount > 0)"))
        .measure(("middle", "median(amount)"))
        .measure(("spread", "stddev(amount / 3)"))
        .measure(("first", "first(amount by sold_on)"))
        .measure(("last", "last(quantity by sold_on)"))
        .measure(("price", "mean(amount weighted by quantity)"))
        .measure(("per_band", "mean(sum(amount / 7) per band, harbour)"))
        .measure(("share", "sales / sales at grand total"))
        .measure(("rank", "rank(sales among level ties order)"))
        .measure(("among", "stddev(mean among column)"))
        .measure(("margin", "case when lines > 2 then net / sales else -1 end"));
    let (rows, columns) = LAYOUTS[layout];
    for dimension in rows.iter().chain(columns) {
        let top = pivvel::brief::TopBrief::new("60%", "sales").others("rest");
        brief = brief.top(dimension, top).sort(dimension, "margin desc");
    }
    if let Some(dimension) = rows.iter().chain(columns).find(|name| **name == "coast") {
        brief = brief.item(dimension, "apart", "Fell - total").item(dimension, "twice", "apart * 2 + member");
    }
    brief
}

fn address(crosstab: &CrossTab, row: &TidyRow<'_>) -> Address {
    let members = row.members();
    let (rows, columns) = members.split_at(crosstab.rows().depth());
    let labels = |part: &[Option<&str>]| part.iter().flatten().map(|label| label.to_string()).collect();
    (labels(rows), labels(columns))
}

fn hundredths(value: Option<Value>) -> Option<i128> {
    match value {
        None => None,
        Some(Value::Exact(number)) if number.scale() == 2 => Some(number.digits()),
        Some(other) => panic!("{other:?} is not in hundredths"),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 160, ..ProptestConfig::default() })]

    /// Every cell of every grain, and no other, is what a nested loop over the lines finds.
    #[test]
    fn cells_equal_a_nested_loop(lines in any_lines(), layout in 0..LAYOUTS.len()) {
        let (rows, columns) = LAYOUTS[layout];
        let crosstab = build(&brief(layout), &lines, None);
        let reference = naive::cells(&lines, rows, columns);
        let mut met = BTreeMap::new();
        for row in tidy(&crosstab) {
            let at = address(&crosstab, &row);
            let cell = reference.get(&at).unwrap_or_else(|| panic!("{at:?} should not be there"));
            prop_assert_eq!(row.lines(), cell.lines);
            let sum: i128 = cell.amounts.iter().map(|a| i128::from(*a)).sum();
            let some = !cell.amounts.is_empty();
            match row.measure() {
                "lines" => prop_assert_eq!(row.value().unwrap().to_string(), cell.lines.to_string()),
                "filled" => prop_assert_eq!(row.value().unwrap().to_string(), cell.amounts.len().to_string()),
                "sales" => prop_assert_eq!(hundredths(row.value()), some.then_some(sum)),
                "low" => prop_assert_eq!(hundredths(row.value()), cell.amounts.iter().min().map(|v| i128::from(*v))),
                "high" => prop_assert_eq!(hundredths(row.value()), cell.amounts.iter().max().map(|v| i128::from(*v))),
                "mean" => {
                    let mean = some.then(|| sum as f64 / (cell.amounts.len() as f64 * 100.0));
                    prop_assert_eq!(row.value().map(|v| v.as_f64()), mean);
                }
                "pieces" => prop_assert_eq!(row.value().unwrap().to_string(), cell.quantity.to_string()),
                // Beside a value, a blank counts as nothing in a difference.
                _ => prop_assert_eq!(hundredths(row.value()), Some(sum - 10 * i128::from(cell.quantity))),
            }
            *met.entry(at).or_insert(0) += 1;
        }
        prop_assert_eq!(met.len(), reference.len());
        prop_assert!(met.values().all(|measures| *measures == 8));
    }

    /// Neither the order of lines nor the size of chunks changes a byte of the result.
    #[test]
    fn order_and_chunks_do_not_matter(
        lines in any_lines().prop_flat_map(|lines| (Just(lines.clone()), Just(lines).prop_shuffle())),
        layout in 0..LAYOUTS.len(),
        chunk in 1..40usize,
    ) {
        let (lines, shuffled) = lines;
        let brief = rich_brief(layout);
        let whole = tidy_csv(&build(&brief, &lines, None));
        prop_assert_eq!(&whole, &tidy_csv(&build(&brief, &lines, Some(chunk))));
        prop_assert_eq!(&whole, &tidy_csv(&build(&brief, &shuffled, Some(chunk))));
    }

    /// Gathering members moves lines and loses none: totals are what they were, and parts add up to them.
    #[test]
    fn totals_hold_whatever_is_gathered(lines in any_lines(), count in 1..4u32, bottom: bool, overall: bool) {
        let mut brief = brief(0);
        let whole = build(&brief, &lines, None);
        let top = pivvel::brief::TopBrief::new(count.to_string(), "pieces").overall(overall).others("rest");
        for name in ["harbour", "coast"] {
            let top = top.clone();
            brief = if bottom { brief.bottom(name, top) } else { brief.top(name, top) };
        }
        let gathered = build(&brief, &lines, None);
        let totals = |crosstab: &CrossTab| {
            let all = tidy(crosstab).filter(|row| row.levels()[0] == "total");
            all.map(|row| (row.measure().to_string(), row.members().iter().map(|m| m.map(str::to_string)).collect::<Vec<_>>(), row.value()))
                .collect::<Vec<_>>()
        };
        prop_assert_eq!(totals(&whole), totals(&gathered));
        let mut sums: BTreeMap<(Vec<String>, bool), i128> = BTreeMap::new();
        for row in tidy(&gathered).filter(|row| row.measure() == "sales" && row.levels()[1] == "total") {
            let (rows, _) = address(&gathered, &row);
            let Some(digits) = row.value().and_then(|value| value.exact()).map(Decimal::digits) else { continue };
            let of = |level: usize| rows[..level.min(rows.len())].to_vec();
            *sums.entry((of(rows.len()), true)).or_default() += digits;
            if let Some(above) = rows.len().checked_sub(1) {
                *sums.entry((of(above), false)).or_default() += digits;
            }
        }
        for ((at, own), sum) in &sums {
            if *own && at.len() < 2 {
                prop_assert_eq!(sums.get(&(at.clone(), false)), Some(sum), "{:?}", at);
            }
        }
    }

    /// Shares of the parent add up to one, ranks without gaps count the cells, and a calculated item is
    /// what its formula says of its siblings.
    #[test]
    fn derived_measures_keep_their_promise(lines in any_lines()) {
        let brief = Brief::new().rows(["coast", "harbour"]).columns(["channel"])
            .measure(("pieces", "sum(quantity)"))
            .measure(("share", "pieces / pieces at parent"))
            .measure(("place", "rank(pieces ties order)"))
            .measure(("so_far", "running(pieces along harbour)"))
            .item("channel", "gap", "web - \"0\"");
        let crosstab = build(&brief, &lines, None);
        let cell = |row: pivvel::result::RowEntry, column: pivvel::result::ColumnEntry, m: usize| crosstab.cell(row, column).and_then(|c| c.value(m));
        for column in crosstab.columns().entries() {
            let calculated = crosstab.columns().kind(*column) == EntryKind::Calculated;
            for parent in crosstab.rows().entries().iter().filter(|entry| entry.level() < 2) {
                let children: Vec<pivvel::result::RowEntry> = crosstab.rows().entries().iter().copied()
                    .filter(|entry| crosstab.rows().parent(*entry) == Some(*parent)).collect();
                let number = |m: usize| children.iter().filter_map(|row| cell(*row, *column, m)).map(|v| v.as_f64()).collect::<Vec<_>>();
                if let Some(whole) = cell(*parent, *column, 0).filter(|v| v.as_f64() != 0.0 && !calculated) {
                    prop_assert!((number(1).iter().sum::<f64>() - 1.0).abs() < 1e-9);
                    prop_assert_eq!(number(0).iter().sum::<f64>(), whole.as_f64());
                }
                if calculated {
                    continue;
                }
                let mut places = number(2);
                places.sort_by(f64::total_cmp);
                prop_assert_eq!(places, (1..=number(0).len()).map(|n| n as f64).collect::<Vec<_>>());
                if parent.level() == 1 && !number(0).is_empty() {
                    prop_assert_eq!(number(3).last().copied(), Some(number(0).iter().sum()));
                }
            }
        }
        let find = |label: &str| crosstab.columns().find(&[label]);
        if let Some(gap) = find("gap") {
            for row in crosstab.rows().entries() {
                let of = |label: &str| find(label).and_then(|column| cell(*row, column, 0)).map(|v| v.as_f64());
                let expected = match (of("web"), of("0")) {
                    (None, None) => None,
                    (a, b) => Some(a.unwrap_or(0.0) - b.unwrap_or(0.0)),
                };
                prop_assert_eq!(cell(*row, gap, 0).map(|v| v.as_f64()), expected);
            }
        }
    }

    /// The parts of an additive measure add up to their total, to the last digit, on either axis.
    #[test]
    fn parts_add_up(lines in any_lines(), layout in 0..LAYOUTS.len()) {
        let crosstab = build(&brief(layout), &lines, None);
        for measure in ["lines", "filled", "sales", "pieces", "net"] {
            let mut sums: BTreeMap<(bool, Address), i128> = BTreeMap::new();
            let mut totals: BTreeMap<Address, i128> = BTreeMap::new();
            for row in tidy(&crosstab).filter(|row| row.measure() == measure) {
                let Some(digits) = row.value().and_then(|value| value.exact()).map(Decimal::digits) else { continue };
                let (rows, columns) = address(&crosstab, &row);
                if let Some((_, parent)) = rows.split_last() {
                    *sums.entry((true, (parent.to_vec(), columns.clone()))).or_default() += digits;
                }
                if let Some((_, parent)) = columns.split_last() {
                    *sums.entry((false, (rows.clone(), parent.to_vec()))).or_default() += digits;
                }
                totals.insert((rows, columns), digits);
            }
            for ((_, at), sum) in sums {
                prop_assert_eq!(totals.get(&at), Some(&sum), "{} at {:?}", measure, at);
            }
        }
    }

    /// A yardstick holds the cells of its own grain and no other; position and rank follow from it.
    #[test]
    fn yardsticks_are_of_one_grain(mut lines in any_lines(), layout in 0..LAYOUTS.len()) {
        // Floats can tell the values of this test apart.
        lines.iter_mut().for_each(|line| line.amount = line.amount.map(|a| a % 10_000_000_000));
        let crosstab = build(&brief(layout), &lines, None);
        let mut grains: BTreeMap<String, Vec<f64>> = BTreeMap::new();
        let grain = |row: &TidyRow<'_>| {
            let (rows, columns) = address(&crosstab, row);
            format!("{} {} {}", row.measure(), rows.len(), columns.len())
        };
        for row in tidy(&crosstab) {
            grains.entry(grain(&row)).or_default().extend(row.value().map(|v| v.as_f64()));
        }
        for row in tidy(&crosstab) {
            let peers = &grains[&grain(&row)];
            let Some(value) = row.value().map(|v| v.as_f64()) else {
                prop_assert_eq!((row.position(), row.rank()), (None, None));
                continue;
            };
            let yardstick = row.yardstick().unwrap();
            let (low, high) = peers.iter().fold((f64::MAX, f64::MIN), |(l, h), v| (l.min(*v), h.max(*v)));
            prop_assert_eq!(yardstick.count() as usize, peers.len());
            prop_assert_eq!((yardstick.low().as_f64(), yardstick.high().as_f64()), (low, high));
            let mean = peers.iter().sum::<f64>() / peers.len() as f64;
            prop_assert!((yardstick.mean().unwrap() - mean).abs() <= 1e-9 * mean.abs().max(high - low).max(1.0));
            match row.position() {
                // A lone cell, and cells that are all equal, have no place on a scale.
                None => prop_assert!(low == high),
                Some(position) => {
                    prop_assert!(peers.len() > 1 && (0.0..=1.0).contains(&position));
                    prop_assert!((position - (value - low) / (high - low)).abs() < 1e-9);
                }
            }
            let above = peers.iter().filter(|peer| **peer > value).count();
            prop_assert_eq!(row.rank().map(|rank| rank as usize), Some(above + 1));
        }
    }

    /// A condition keeps the lines that it holds for, and the rest is counted.
    #[test]
    fn conditions_keep_what_they_say(lines in any_lines(), quantity in -9..99i32) {
        let condition = format!("quantity > {quantity} and (channel = 'web' or sold_on.year = 2025) and not coast = ''");
        let kept: Vec<Line> = lines.iter()
            .filter(|l| l.quantity > quantity && (l.channel == Some(0) || l.day > 3) && l.coast.is_some())
            .cloned().collect();
        let crosstab = build(&brief(0).filter(condition), &lines, None);
        prop_assert_eq!(crosstab.report().read() as usize, lines.len());
        prop_assert_eq!(crosstab.report().excluded() as usize, lines.len() - kept.len());
        let strip = |crosstab: &CrossTab| tidy_csv(crosstab);
        if !kept.is_empty() {
            prop_assert_eq!(strip(&crosstab), strip(&build(&brief(0), &kept, None)));
        }
        prop_assert_eq!(crosstab.is_empty(), kept.is_empty());
    }
}
