//! Scales of every kind, steps, bars and rules against plain arithmetic over one group of peers.

use pivvel_core::brief::{EmphasisBrief, Form, MeanSide, RuleBrief, ScaleBy};
use pivvel_core::result::Mark;
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support::{batch, close, numbers, source, texts};

/// The marks of every member, by its number, of lines with one value each.
fn marks(values: &[i64], change: impl Fn(EmphasisBrief) -> EmphasisBrief) -> Vec<Option<Mark>> {
    let names = texts((0..values.len()).map(|i| Some(format!("m{i:03}"))));
    let batch = batch([("member", names), ("amount", numbers(values.iter().copied().map(Some)))]);
    let said = change(EmphasisBrief::new("v", Form::Tint));
    let brief = Brief::new().rows(["member"]).measure(("v", "sum(amount)")).emphasize(said);
    let crosstab = CrossTab::build(&brief, &mut source(vec![batch])).unwrap();
    let total = crosstab.columns().entries()[0];
    let of = |i: usize| {
        let row = crosstab.rows().find(&[&format!("m{i:03}")]).unwrap();
        crosstab.marks(row, total, 0).into_iter().next()
    };
    // The total is no peer of its parts, and alone among its own.
    let whole = crosstab.marks(pivvel_core::result::RowEntry::TOTAL, total, 0);
    assert!(whole.iter().all(|mark| mark.position().is_none()), "{whole:?}");
    (0..values.len()).map(of).collect()
}

fn position(mark: &Option<Mark>) -> Option<f64> {
    mark.as_ref().and_then(|mark| mark.position())
}

fn values() -> impl Strategy<Value = Vec<i64>> {
    prop::collection::vec(prop_oneof![4 => -200..500i64, 1 => Just(0)], 1..25)
}

fn ends(values: &[i64]) -> (f64, f64) {
    let (low, high) = (values.iter().min().unwrap(), values.iter().max().unwrap());
    (*low as f64, *high as f64)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// From the lowest to the highest, about a number or the mean, by rank, and between fixed ends.
    #[test]
    fn positions_of_every_kind(values in values(), middle in -100..300i64, low in -300..0i64, wide in 1..600i64) {
        let (least, most) = ends(&values);
        let mean = values.iter().sum::<i64>() as f64 / values.len() as f64;
        let plain = marks(&values, |tint| tint);
        let about = marks(&values, |tint| tint.about(middle.to_string()));
        let about_mean = marks(&values, |tint| tint.about("mean"));
        let fixed = marks(&values, |tint| tint.low(low).high(low + wide));
        // As far up as down: the farther of the two ends is at 1.
        let apart = |middle: f64, value: f64| {
            let reach = (most - middle).abs().max((least - middle).abs());
            (reach > 0.0).then(|| (value - middle) / reach)
        };
        for (i, value) in values.iter().enumerate() {
            let own = *value as f64;
            let wanted = (most > least).then(|| (own - least) / (most - least));
            prop_assert!(close(position(&plain[i]), wanted), "{own}: {:?}, wanted {wanted:?}", plain[i]);
            if most > least {
                let wanted = apart(middle as f64, own);
                prop_assert!(close(position(&about[i]), wanted), "{own} about {middle}: {:?}, {wanted:?}", about[i]);
                let wanted = apart(mean, own);
                prop_assert!(close(position(&about_mean[i]), wanted), "{own} about {mean}: {:?}, {wanted:?}", about_mean[i]);
            }
            let wanted = (own - low as f64) / wide as f64;
            prop_assert!(close(position(&fixed[i]), Some(wanted)), "{own} from {low}: {:?}, {wanted}", fixed[i]);
        }
    }

    /// By rank the places are even, and one that is far off flattens none.
    #[test]
    fn places_by_rank(values in prop::collection::btree_set(-200..500i64, 2..25), far in 1_000..1_000_000i64) {
        let mut values: Vec<i64> = values.into_iter().collect();
        values.push(far);
        let by_rank = marks(&values, |tint| tint.scale(ScaleBy::Rank));
        let last = (values.len() - 1) as f64;
        for (i, mark) in by_rank.iter().enumerate() {
            prop_assert!(close(position(mark), Some(i as f64 / last)), "{i} of {last}: {mark:?}");
        }
    }

    /// Steps divide the scale evenly, and the highest is in the last of them.
    #[test]
    fn steps_divide_evenly(values in values(), steps in 2..9u8) {
        let (least, most) = ends(&values);
        prop_assume!(most > least);
        let marks = marks(&values, |tint| tint.steps(steps));
        for (value, mark) in values.iter().zip(&marks) {
            // In whole numbers, so that no rounding decides on a bound.
            let (above, all) = (*value - least as i64, (most - least) as i64);
            let wanted = (above * i64::from(steps) / all).min(i64::from(steps) - 1) as u8;
            let found = mark.as_ref().and_then(|mark| mark.step());
            prop_assert_eq!(found, Some((wanted, steps)), "{} of {}..{}", value, least, most);
        }
    }

    /// Bars of all peers share a zero line and a unit of length.
    #[test]
    fn bars_share_a_zero_line(values in values()) {
        let (least, most) = ends(&values);
        prop_assume!(most > least);
        let bars = marks(&values, |_| EmphasisBrief::new("v", Form::Bar));
        let (from, to) = (least.min(0.0), most.max(0.0));
        for (value, mark) in values.iter().zip(&bars) {
            let span = mark.as_ref().and_then(|mark| mark.span()).unwrap();
            let place = |value: f64| (value - from) / (to - from);
            prop_assert!(close(Some(span.zero()), Some(place(0.0))), "{value}: {span:?}");
            let (a, b) = (place(0.0).min(place(*value as f64)), place(0.0).max(place(*value as f64)));
            prop_assert!(close(Some(span.from()), Some(a)) && close(Some(span.to()), Some(b)), "{value}: {span:?}");
            prop_assert_eq!(span.below(), *value < 0);
        }
    }

    /// The first rule that matches wins, whatever the later ones say.
    #[test]
    fn rules_are_tried_in_order(
        values in values(),
        from in -100..300i64,
        wide in 1..200i64,
        is in -200..500i64,
        top in 1..6usize,
        order in Just([0usize, 1, 2, 3, 4, 5, 6]).prop_shuffle(),
    ) {
        let kinds: [RuleBrief; 7] = [
            RuleBrief::new().at_least(from).below(from + wide),
            RuleBrief::new().is(is),
            RuleBrief::new().top(top.to_string()),
            RuleBrief::new().bottom(top.to_string()),
            RuleBrief::new().mean(MeanSide::Above),
            RuleBrief::new().above(from).up_to(from + wide),
            RuleBrief::new().up_to(is),
        ];
        let rules: Vec<RuleBrief> = order
            .iter()
            .map(|kind| kinds[*kind].clone().named(format!("rule {kind}")))
            .collect();
        let marks = marks(&values, |tint| tint.rules(rules.clone()));
        let sum: i64 = values.iter().sum();
        for (value, mark) in values.iter().zip(&marks) {
            let better = values.iter().filter(|other| *other > value).count();
            let worse = values.iter().filter(|other| *other < value).count();
            let matches = |kind: usize| match kind {
                0 => (from..from + wide).contains(value),
                1 => *value == is,
                // Ties with the last of them are among them.
                2 => better < top,
                3 => worse < top,
                4 => value * values.len() as i64 > sum,
                5 => (from + 1..=from + wide).contains(value),
                _ => *value <= is,
            };
            let wanted = order.iter().position(|kind| matches(*kind));
            let found = mark.as_ref().and_then(|mark| mark.rule());
            prop_assert_eq!(found, wanted, "{} of {:?} by {:?}", value, values, order);
        }
    }
}
