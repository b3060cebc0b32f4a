//! Levels, cells and values by name and by index: what is not known is an error, what is not there is `None`.

use pivvel_core::brief::{EmphasisBrief, Form, RuleBrief, TierBrief, TopBrief};
use pivvel_core::formula::{Clause, Expr, Formula, Group, Place, call, col, count, mean, parse, sum};
use pivvel_core::result::Grain;
use pivvel_core::{Brief, CrossTab, Decimal, ErrorKind};
use proptest::prelude::*;

use crate::support::{batch, decimals, numbers, source, texts};

fn crosstab() -> CrossTab {
    let lines = batch([
        ("coast", texts([Some("Fell"), Some("Fell"), Some("Skerry"), Some("Skerry"), None])),
        ("harbour", texts([Some("Quay"), Some("Haven"), Some("Quay"), Some("Holm"), Some("Holm")])),
        ("year", numbers([Some(2024), Some(2025), Some(2024), Some(2025), Some(2024)])),
        ("amount", decimals(2, [Some(1050), Some(205), Some(995), None, Some(100)])),
    ]);
    let brief = Brief::new().rows(["coast", "harbour"]).columns(["year"]).measure(("sales", "sum(amount)"));
    CrossTab::build(&brief, &mut source(vec![lines])).unwrap()
}

/// Every pair of levels gives the cells that a walk over all cells finds of it, in their order.
#[test]
fn a_level_has_the_cells_of_its_grain() {
    let crosstab = crosstab();
    let mut met = 0;
    for (row, level) in ["total", "coast", "harbour"].iter().zip(0..) {
        for (column, across) in ["total", "year"].iter().zip(0..) {
            let found: Vec<_> = crosstab.level(row, column).unwrap().map(|c| (c.row(), c.column())).collect();
            let mut wanted: Vec<_> = crosstab
                .cells()
                .filter(|cell| (cell.row().level(), cell.column().level()) == (level, across))
                .map(|c| (c.row(), c.column()))
                .collect();
            met += found.len();
            // A total may stand before or after its parts; within a level the order is the same.
            wanted.sort_by_key(|wanted| found.iter().position(|found| found == wanted));
            assert_eq!(found, wanted, "{row} by {column}");
        }
    }
    assert_eq!(met, crosstab.cells().count());
}

/// Two paths, the label that is not known, and the one that is near.
type Wrong<'a> = (&'a [&'a str], &'a [&'a str], &'a str, Option<&'a str>);

#[test]
fn what_is_not_known_is_an_error_and_what_is_not_there_is_none() {
    let crosstab = crosstab();
    let value = |row: &[&str], column: &[&str]| {
        let cell = crosstab.find(row, column)?;
        cell.map(|cell| cell.get("sales")).transpose().map(Option::flatten)
    };
    let text = |row: &[&str], column: &[&str]| value(row, column).unwrap().map(|value| value.to_string());
    assert_eq!(text(&["Fell", "Quay"], &["2024"]).as_deref(), Some("10.50"));
    // The same label under another parent is another member.
    assert_eq!(text(&["Skerry", "Quay"], &["2024"]).as_deref(), Some("9.95"));
    assert_eq!(text(&[], &[]).as_deref(), Some("23.50"));
    // No line falls into it; and a line, but no amount.
    assert!(crosstab.find(&["Fell", "Quay"], &["2025"]).unwrap().is_none());
    assert!(crosstab.find(&["Skerry", "Holm"], &["2025"]).unwrap().is_some());
    assert_eq!(text(&["Skerry", "Holm"], &["2025"]), None);
    let cases: [Wrong<'_>; 4] = [
        (&["Fel"], &[], "Fel", Some("Fell")),
        (&["Fell", "Holm"], &[], "Holm", None),
        (&["Skerry", "Hulm"], &[], "Hulm", Some("Holm")),
        (&[], &["2023"], "2023", None),
    ];
    for (row, column, wrong, near) in cases {
        let error = value(row, column).unwrap_err();
        match error.kind() {
            ErrorKind::UnknownName { name, nearest } => {
                assert_eq!((name.as_str(), nearest.as_deref().filter(|_| near.is_some())), (wrong, near));
            }
            kind => panic!("{kind:?}"),
        }
    }
    assert!(matches!(value(&["Fell", "Quay", "more"], &[]).unwrap_err().kind(), ErrorKind::Request));
    let names = [
        crosstab.level("harbor", "total").map(|_| ()).unwrap_err(),
        crosstab.measure("sale").unwrap_err(),
        crosstab.cells().next().unwrap().label("yaer").unwrap_err(),
    ];
    for (error, near) in names.iter().zip(["harbour", "sales", "year"]) {
        let kind = error.kind();
        let is_near =
            matches!(kind, ErrorKind::UnknownName { nearest: Some(nearest), .. } if nearest == near);
        assert!(is_near, "{error}");
    }
}

/// Whatever index is asked for, there is no panic.
#[test]
fn no_index_panics() {
    let (crosstab, deeper) = (crosstab(), crosstab());
    let small = CrossTab::build(
        &Brief::new().measure(("lines", "count()")),
        &mut source(vec![batch([("x", numbers([Some(1)]))])]),
    )
    .unwrap();
    let cell = crosstab.cells().next().unwrap();
    for measure in [0, 1, 99, usize::MAX] {
        let known = measure == 0;
        assert_eq!(cell.value(measure).is_some(), known);
        assert_eq!(cell.shows(measure), known);
        assert!(known || (cell.rank(measure), cell.position(measure)) == (None, None));
        assert_eq!(cell.yardstick(measure).is_some(), known);
        assert_eq!(crosstab.peers(measure, Grain::TOTAL).is_some(), known);
        crosstab.format(cell.row(), cell.column(), measure);
    }
    for cell in deeper.cells() {
        let (row, column) = (cell.row(), cell.column());
        assert_eq!(small.cell(row, column).is_some(), row.is_total() && column.is_total());
        assert!(small.rows().path(row).is_empty() && small.columns().path(column).is_empty());
        assert_eq!((small.rows().parent(row), small.columns().parent(column)), (None, None));
        small.rows().kind(row);
        small.columns().kind(column);
        small.format(row, column, 0);
    }
    assert_eq!(small.cell_count(Grain::new(7, 7)), 0);
    assert_eq!(small.rows().level_name(9), "");
    assert!(small.rows().members(9).is_empty());
    for id in crosstab.rows().members(1).in_order() {
        assert_eq!(small.rows().members(0).label(id), "");
    }
}

/// What is built in Rust is the tree that its text is, and the text is read as that tree.
#[test]
fn formulas_in_rust_are_those_of_texts() {
    let sales = || sum(col("amount"));
    let cases: Vec<(Expr, &str)> = vec![
        ((sales() - sum(col("cost"))) / sales(), "(sum(amount) - sum(cost)) / sum(amount)"),
        (sales() - (sum(col("cost")) - 1), "sum(amount) - (sum(cost) - 1)"),
        (-sales() * Decimal::new(-25, 1), "-sum(amount) * -2.5"),
        (col("sold_on.quarter").is("2025-Q1"), "sold_on.quarter = '2025-Q1'"),
        (
            col("unit price").is_at_least(3).and(!col("channel").is("web")),
            "\"unit price\" >= 3 and not channel = 'web'",
        ),
        (col("a").is_in(["x", "it's"]).or(col("b").is_blank()), "a in ('x', 'it''s') or b is blank"),
        (col("n").is_between(1, 9).and(col("n").is_not(4)), "n between 1 and 9 and n <> 4"),
        (
            col("n").is_below(1).or(col("n").is_above(2)).or(col("n").is_at_most(3)),
            "n < 1 or n > 2 or n <= 3",
        ),
        (col("sales") / col("sales").at(Place::Parent), "sales / sales at parent"),
        (count().of_lines(col("channel").is("web")).into(), "count(where channel = 'web')"),
        (
            call("rank", [col("sales")])
                .with(Clause::LowestFirst)
                .with(Clause::Among(Group::Siblings))
                .into(),
            "rank(sales among siblings lowest first)",
        ),
        (mean(sales()) + 0, "mean(sum(amount)) + 0"),
    ];
    for (built, text) in cases {
        let read = parse("formula", text).unwrap();
        assert_eq!(built, read, "{built} is not {text}");
        assert_eq!(Formula::from(built.clone()), Formula::from(text));
        assert_eq!(parse("formula", &built.to_string()).unwrap(), built);
    }
}

/// A name in a formula that is not known stands at the span of the error, and what is near it can be put there. The
/// text is marked in a formula that was built in Rust, too.
#[test]
fn a_name_in_a_formula_comes_with_the_nearest() {
    let built = (sum(col("amount")) - sum(col("cots"))).to_string();
    let cases = [
        (built.as_str(), "cots", Some("cost")),
        ("sum(amuont)", "amuont", Some("amount")),
        ("sum(amount) / cots", "cots", Some("coast")),
        ("medain(amount)", "medain(amount)", Some("median")),
        ("median(abbs(amount))", "abbs(amount)", Some("abs")),
        ("sum(amount) at level cosat", "sum(amount) at level cosat", Some("coast")),
        ("rank(sum(amount) among siblngs)", "siblngs", Some("siblings")),
        ("rank(sum(amount) ties meen)", "meen", Some("mean")),
        ("sum(amount wher cost > 1)", "wher", Some("where")),
        ("mean(sum(amount) per coats)", "mean(sum(amount) per coats)", Some("coast")),
        ("sum(amount) + zebra", "zebra", None),
        ("sum(amount", "(", None),
    ];
    for (text, at, near) in cases {
        let lines = batch([
            ("coast", texts([Some("Fell")])),
            ("amount", numbers([Some(1)])),
            ("cost", numbers([Some(1)])),
        ]);
        let brief = Brief::new().rows(["coast"]).measure(("own", text));
        let error = CrossTab::build(&brief, &mut source(vec![lines])).unwrap_err();
        match error.kind() {
            ErrorKind::Formula { text: found, span, nearest } => {
                let spot = found.get(span.clone()).unwrap_or_default();
                assert_eq!((spot, nearest.as_deref()), (at, near), "{error}");
            }
            kind => panic!("{text}: {kind:?}"),
        }
    }
    let dimension = CrossTab::build(
        &Brief::new().rows(["coats"]),
        &mut source(vec![batch([("coast", texts([Some("Fell")]))])]),
    );
    let kind = dimension.unwrap_err();
    assert!(matches!(kind.kind(), ErrorKind::UnknownName { nearest: Some(near), .. } if near == "coast"));
}

/// Setters give the same brief as its parts written out.
#[test]
fn setters_set_what_they_are_called_after() {
    let top = TopBrief::new(5, "sales").others("All other").overall(true);
    assert_eq!((top.get_others().unwrap().as_str(), top.get_overall()), ("All other", true));
    let rule = RuleBrief::new().named("low").below(0).at_least("-10%").top(3);
    let emphasis = EmphasisBrief::new("sales", Form::Ink).levels(["harbour"]).steps(4).rule(rule.clone());
    assert_eq!(
        (emphasis.get_rules(), emphasis.get_steps(), emphasis.get_levels().len()),
        (&[rule.clone()][..], Some(4), 1)
    );
    assert_eq!((rule.get_below(), rule.get_from()), (Some(&0.into()), Some(&"-10%".into())));
    let tier = TierBrief::new("size", "client", "sum(amount)").quantiles(["50%"]).labels(["low", "high"]);
    assert_eq!((tier.get_labels().len(), tier.get_cuts().len(), tier.get_quantiles().len()), (2, 0, 1));
}

proptest! {
    /// Rounding is that of the decimal's text, half away from zero.
    #[test]
    fn decimals_are_rounded_half_away_from_zero(digits in -1_000_000_i64..1_000_000, scale in 0..5_u8, to in 0..6_u8) {
        let rounded = Decimal::new(digits.into(), scale).rounded(to).unwrap();
        prop_assert_eq!(rounded.scale(), to);
        let unit = 10_i128.pow(u32::from(scale.saturating_sub(to)));
        let wide = i128::from(digits) * 10_i128.pow(u32::from(to.saturating_sub(scale)));
        let away = (wide.abs() + unit / 2) / unit * wide.signum();
        prop_assert_eq!(rounded.digits(), away);
    }
}

/// A name with `_` is that of the only column that has spaces or marks there; the column's own name goes before.
#[test]
fn spaces_and_marks_may_be_written_as_underscores() {
    let one = |name, value| (name, numbers([Some(value)]));
    let built = |columns: Vec<(&'static str, arrow_array::ArrayRef)>, formula: &str| {
        let brief = Brief::new().measure(("m", formula));
        CrossTab::build(&brief, &mut source(vec![batch(columns)]))
            .map(|crosstab| crosstab.value(&[], &[], "m").unwrap().to_string())
            .map_err(|error| error.to_string())
    };
    assert_eq!(built(vec![one("unit price", 7)], "sum(unit_price)").unwrap(), "7");
    assert_eq!(built(vec![one("price/unit (net)", 7)], "sum(price_unit__net_)").unwrap(), "7");
    assert_eq!(built(vec![one("unit price", 7), one("unit_price", 8)], "sum(unit_price)").unwrap(), "8");
    let two = built(vec![one("unit price", 7), one("unit-price", 8)], "sum(unit_price)").unwrap_err();
    assert!(two.contains("unknown column \"unit_price\"; did you mean"), "{two}");
    assert!(built(vec![one("unit price", 7)], "sum(Unit_price)").is_err());
    // It is no name that is taken.
    let brief = Brief::new().derive("unit_price", "2 * \"unit price\"").measure(("m", "sum(unit_price)"));
    let crosstab = CrossTab::build(&brief, &mut source(vec![batch([one("unit price", 7)])])).unwrap();
    assert_eq!(crosstab.value(&[], &[], "m").unwrap().to_string(), "14");
    // It can be a dimension, which is called as it is written.
    let brief = Brief::new().rows(["unit_price"]).measure(("m", "count()"));
    let crosstab = CrossTab::build(&brief, &mut source(vec![batch([one("unit price", 7)])])).unwrap();
    assert_eq!(crosstab.level("unit_price", "total").unwrap().count(), 1);
}
