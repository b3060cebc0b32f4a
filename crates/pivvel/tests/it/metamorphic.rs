//! What must stay the same when a brief or its lines change in a way that has no meaning for it; and group
//! functions against plain loops over the values that they are made of, whatever kinds these have.

use std::collections::{BTreeMap, BTreeSet};

use pivvel::brief::{MeasureBrief, Placement, TotalsOf};
use pivvel::table::tidy;
use pivvel::{Brief, CrossTab};
use proptest::prelude::*;

use crate::lines::{Line, any_lines, build, tidy_csv};

/// Measures whose values mix digits after the point, and exact numbers with floating-point ones: where an amount
/// is blank, one side of a difference is.
const MIXED: [(&str, &str); 2] =
    [("v", "sum(quantity) - sum(amount) * 105%"), ("q", "mean(amount) - sum(quantity)")];

type Cells = BTreeMap<(Vec<Option<String>>, String), Option<f64>>;

fn cells(crosstab: &CrossTab) -> Cells {
    let key = |row: &pivvel::table::TidyRow<'_>| {
        (row.members().into_iter().map(|m| m.map(str::to_string)).collect(), row.measure().to_string())
    };
    tidy(crosstab).map(|row| (key(&row), row.value().map(|value| value.as_f64()))).collect()
}

fn near(a: Option<f64>, b: Option<f64>) -> bool {
    match (a, b) {
        (Some(a), Some(b)) => (a - b).abs() <= 1e-9 * a.abs().max(b.abs()).max(1e6),
        (a, b) => a.is_none() && b.is_none(),
    }
}

/// Amounts that floats can tell apart.
fn modest(mut lines: Vec<Line>) -> Vec<Line> {
    lines.iter_mut().for_each(|line| line.amount = line.amount.map(|amount| amount % 1_000_000));
    lines
}

fn mixed_brief() -> Brief {
    MIXED.iter().fold(Brief::new().rows(["coast", "harbour"]), |brief, (name, formula)| {
        brief
            .measure((*name, *formula))
            .measure(MeasureBrief::new(format!("{name}_run"), format!("running({name} along harbour)")))
            .measure(MeasureBrief::new(
                format!("{name}_move"),
                format!("moving(sum {name} over 2 along harbour)"),
            ))
            .measure(MeasureBrief::new(format!("{name}_sum"), format!("sum({name} among siblings)")))
            .measure(MeasureBrief::new(format!("{name}_mean"), format!("mean({name} among level)")))
            .measure(MeasureBrief::new(format!("{name}_max"), format!("max({name} among level)")))
            .measure(MeasureBrief::new(format!("{name}_nest"), format!("sum({formula} per harbour)")))
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 100, ..ProptestConfig::default() })]

    #[test]
    fn values_of_cells_are_added_as_values(lines in any_lines().prop_map(modest)) {
        let found = cells(&build(&mixed_brief(), &lines, None));
        for (name, _) in MIXED {
            let at = |path: &[Option<String>], what: &str| found[&(path.to_vec(), format!("{name}{what}"))];
            let leaves: Vec<Vec<Option<String>>> =
                found.keys().filter(|(path, measure)| measure == name && path.iter().all(Option::is_some)).map(|(path, _)| path.clone()).collect();
            let level: Vec<f64> = leaves.iter().filter_map(|path| at(path, "")).collect();
            let coasts: BTreeSet<Option<String>> = leaves.iter().map(|path| path[0].clone()).collect();
            for coast in coasts {
                // In display order, which is that of labels: no harbour is blank.
                let mut siblings: Vec<&Vec<Option<String>>> = leaves.iter().filter(|path| path[0] == coast).collect();
                siblings.sort_by_key(|path| path[1].clone().map(|label| label.to_lowercase()));
                let mut so_far: Vec<f64> = Vec::new();
                let whole: Vec<f64> = siblings.iter().filter_map(|path| at(path, "")).collect();
                for (i, path) in siblings.iter().enumerate() {
                    so_far.extend(at(path, ""));
                    let sum = |values: &[f64]| (!values.is_empty()).then(|| values.iter().sum::<f64>());
                    prop_assert!(near(at(path, "_run"), sum(&so_far)), "{name} {path:?}: {:?} {so_far:?}", at(path, "_run"));
                    let window: Vec<f64> = siblings[i.saturating_sub(1)..=i].iter().filter_map(|path| at(path, "")).collect();
                    prop_assert!(near(at(path, "_move"), sum(&window).filter(|_| i > 0)), "{name} {path:?}");
                    let own = at(path, "");
                    prop_assert!(near(at(path, "_sum"), sum(&whole).filter(|_| own.is_some())), "{name} {path:?}");
                    let mean = sum(&level).map(|sum| sum / level.len() as f64).filter(|_| own.is_some());
                    prop_assert!(near(at(path, "_mean"), mean), "{name} {path:?}: {:?} {mean:?}", at(path, "_mean"));
                    let max = level.iter().copied().reduce(f64::max).filter(|_| own.is_some());
                    prop_assert!(near(at(path, "_max"), max), "{name} {path:?}");
                    prop_assert!(near(at(path, "_nest"), own), "{name} {path:?}: one harbour is its own sum");
                }
                let coast = [coast, None];
                prop_assert!(near(at(&coast, "_nest"), (!whole.is_empty()).then(|| whole.iter().sum())), "{name} {coast:?}");
            }
        }
    }

    #[test]
    fn ten_times_the_amounts_are_ten_times_the_sums(lines in any_lines().prop_map(modest)) {
        let brief = Brief::new()
            .rows(["coast", "sold_on.month"])
            .columns(["channel"])
            .measure(("s", "sum(amount)"))
            .measure(("m", "median(amount)"))
            .measure(("run", "running(s along sold_on.month throughout)"))
            .measure(("rank", "rank(s among level)"))
            .measure(("share", "s / s at parent"));
        let ten: Vec<Line> =
            lines.iter().map(|line| Line { amount: line.amount.map(|amount| amount * 10), ..line.clone() }).collect();
        let (once, tenfold) = (cells(&build(&brief, &lines, None)), cells(&build(&brief, &ten, None)));
        prop_assert_eq!(once.len(), tenfold.len());
        for (key, value) in &once {
            let by = if ["rank", "share"].contains(&key.1.as_str()) { 1.0 } else { 10.0 };
            prop_assert!(near(value.map(|value| value * by), tenfold[key]), "{key:?} {value:?} {:?}", tenfold[key]);
        }
    }

    /// What is shown without totals is what is shown with them, with its peers, its place and its rank.
    #[test]
    fn totals_that_are_off_change_nothing_else(lines in any_lines(), off in 0..3usize) {
        let mut brief = mixed_brief()
            .columns(["channel"])
            .measure(("order", "rank(v among level ties order)"))
            .measure(("ever", "running(v along harbour throughout)"))
            .item("channel", "both", "web + '0'".replace('\'', "\"").as_str());
        let all: BTreeSet<String> = tidy_csv(&build(&brief, &lines, None)).lines().map(str::to_string).collect();
        brief = brief.total(["", "coast", "column total"][off], Placement::Off);
        let kept = tidy_csv(&build(&brief, &lines, None));
        let other: Vec<&str> = kept.lines().filter(|line| !all.contains(*line)).collect();
        prop_assert!(other.is_empty(), "{other:?}");
    }

    #[test]
    fn members_that_are_not_shown_change_no_total(lines in any_lines(), shown in 0..4usize) {
        let brief = Brief::new().rows(["coast", "harbour"]).columns(["channel"]).measure(("s", "sum(amount)")).measure(("n", "distinct(harbour)"));
        let all = cells(&build(&brief, &lines, None));
        let picked = brief.dimension("coast", |own| own.only([crate::lines::COASTS[shown]]).totals_of(TotalsOf::All));
        for (key, value) in cells(&build(&picked, &lines, None)) {
            prop_assert!(near(value, all[&key]), "{key:?}");
        }
    }

    #[test]
    fn a_dimension_of_one_member_changes_no_value(lines in any_lines()) {
        let brief = mixed_brief().columns(["channel"]);
        let plain = cells(&build(&brief, &lines, None));
        let rows: Vec<String> = std::iter::once("all".to_string()).chain(brief.get_rows().iter().cloned()).collect();
        let framed = brief.derive("all", "'x'").rows(rows);
        let framed = cells(&build(&framed, &lines, None));
        for ((path, measure), value) in plain {
            let inside: Vec<Option<String>> = std::iter::once(Some("x".to_string())).chain(path.iter().cloned()).collect();
            // The total of the rows is the one member now, whose siblings are none.
            if path[0].is_some() {
                // Running along harbours and siblings of coasts are the same under one member.
                prop_assert!(near(value, framed[&(inside.clone(), measure.clone())]), "{inside:?} {measure}");
            }
        }
    }

    #[test]
    fn rows_and_columns_may_change_places(lines in any_lines()) {
        let measures = |brief: Brief| {
            brief.measure(("s", "sum(amount)")).measure(("n", "count()")).measure(("d", "distinct(sold_on)")).measure(("m", "median(quantity)"))
        };
        let across = cells(&build(&measures(Brief::new().rows(["coast", "harbour"]).columns(["channel"])), &lines, None));
        let down = cells(&build(&measures(Brief::new().rows(["channel"]).columns(["coast", "harbour"])), &lines, None));
        prop_assert_eq!(across.len(), down.len());
        for ((path, measure), value) in across {
            let turned = vec![path[2].clone(), path[0].clone(), path[1].clone()];
            prop_assert_eq!(value, down[&(turned, measure)]);
        }
    }
}
