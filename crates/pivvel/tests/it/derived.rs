//! Aggregates, groups of cells, sequences, tiers, picks and items, each against a few plain loops that
//! know nothing of the library.

use std::collections::{BTreeMap, BTreeSet};

use pivvel::brief::{Amount, Apply, ItemBrief, TierBrief, TopBrief};
use pivvel::table::tidy;
use pivvel::{Brief, CrossTab};
use proptest::prelude::*;

use crate::lines::{Line, any_lines, build};
use crate::naive::label;

/// Values by path of labels (none for what is rolled up) and measure.
type Found = BTreeMap<(Vec<String>, String), Option<f64>>;

fn found(crosstab: &CrossTab) -> Found {
    let one = |row: pivvel::table::TidyRow<'_>| {
        let path = row.members().into_iter().flatten().map(str::to_string).collect();
        ((path, row.measure().to_string()), row.value().map(|v| v.as_f64()))
    };
    tidy(crosstab).map(one).collect()
}

/// The lines of each path down to so many dimensions.
fn groups<'l>(lines: &'l [Line], dimensions: &[&str]) -> BTreeMap<Vec<String>, Vec<&'l Line>> {
    let mut groups: BTreeMap<Vec<String>, Vec<&Line>> = BTreeMap::new();
    for line in lines {
        for depth in 0..=dimensions.len() {
            let path = dimensions[..depth].iter().map(|d| label(line, d)).collect();
            groups.entry(path).or_default().push(line);
        }
    }
    groups
}

fn amount(line: &Line) -> Option<f64> {
    line.amount.map(|a| a as f64 / 100.0)
}

fn near(a: Option<f64>, b: Option<f64>) -> bool {
    match (a, b) {
        (Some(a), Some(b)) => (a - b).abs() <= 1e-9 * a.abs().max(b.abs()).max(1e-3),
        (a, b) => a.is_none() && b.is_none(),
    }
}

fn mean(values: &[f64]) -> Option<f64> {
    (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
}

fn variance(values: &[f64], less: usize) -> Option<f64> {
    let mean = mean(values)?;
    let over = values.len().checked_sub(less).filter(|n| *n > 0)?;
    Some(values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / over as f64)
}

fn quantile(values: &[f64], share: f64) -> Option<f64> {
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    let place = share * (sorted.len().checked_sub(1)? as f64);
    let (low, high) = (sorted[place.floor() as usize], sorted[place.ceil() as usize]);
    Some(low + (high - low) * place.fract())
}

/// Amounts that floats can tell apart, so that the loops above are not what is wrong.
fn modest(lines: &mut [Line]) {
    lines.iter_mut().for_each(|line| line.amount = line.amount.map(|a| a % 1_000_000));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, ..ProptestConfig::default() })]

    #[test]
    fn aggregates_equal_plain_loops(mut lines in any_lines(), percent in 0..=100u32) {
        modest(&mut lines);
        let share = f64::from(percent) / 100.0;
        let dimensions = ["coast", "harbour"];
        let brief = [
            ("distinct", "distinct(channel)".to_string()),
            ("median", "median(amount)".into()),
            ("quantile", format!("quantile(amount / 4, {percent}%)")),
            ("stddev", "stddev(amount)".into()),
            ("var_p", "variance_population(amount / 3)".into()),
            ("first", "first(amount by sold_on)".into()),
            ("last", "last(quantity by sold_on where channel = 'web')".into()),
            ("weighted", "mean(amount weighted by quantity)".into()),
            ("where", "sum(quantity where amount > 0)".into()),
            ("nested", "mean(sum(quantity) per channel, sold_on.month)".into()),
            ("nested_max", "max(count(amount) per sold_on where quantity > 20)".into()),
        ]
        .into_iter()
        .fold(Brief::new().rows(dimensions), |brief, (name, formula)| brief.measure((name, formula.as_str())));
        let found = found(&build(&brief, &lines, None));
        for (path, lines) in groups(&lines, &dimensions) {
            let amounts: Vec<f64> = lines.iter().filter_map(|l| amount(l)).collect();
            let at = |name: &str| found[&(path.clone(), name.to_string())];
            let channels: BTreeSet<String> = lines.iter().map(|l| label(l, "channel")).filter(|c| !c.is_empty()).collect();
            prop_assert_eq!(at("distinct"), Some(channels.len() as f64));
            prop_assert!(near(at("median"), quantile(&amounts, 0.5)));
            let quarters: Vec<f64> = amounts.iter().map(|a| a / 4.0).collect();
            prop_assert!(near(at("quantile"), quantile(&quarters, share)));
            prop_assert!(near(at("stddev"), variance(&amounts, 1).map(f64::sqrt)));
            let thirds: Vec<f64> = amounts.iter().map(|a| a / 3.0).collect();
            prop_assert!(near(at("var_p"), variance(&thirds, 0)), "{:?} {:?}", at("var_p"), variance(&thirds, 0));
            let first = lines.iter().filter_map(|l| Some((l.day, l.amount?))).min().map(|(_, a)| a as f64 / 100.0);
            prop_assert!(near(at("first"), first));
            let web = lines.iter().filter(|l| l.channel == Some(0));
            let last = web.map(|l| (l.day, l.quantity)).max().map(|(_, q)| f64::from(q));
            prop_assert_eq!(at("last"), last);
            let both: Vec<(f64, f64)> = lines.iter().filter_map(|l| Some((amount(l)?, f64::from(l.quantity)))).collect();
            let weights: f64 = both.iter().map(|(_, w)| w).sum();
            let weighted = (weights != 0.0).then(|| both.iter().map(|(a, w)| a * w).sum::<f64>() / weights);
            prop_assert!(near(at("weighted"), weighted.filter(|_| !both.is_empty())), "{:?} {:?}", at("weighted"), weighted);
            let paid: Vec<f64> = lines.iter().filter(|l| l.amount.is_some_and(|a| a > 0)).map(|l| f64::from(l.quantity)).collect();
            prop_assert_eq!(at("where"), (!paid.is_empty()).then(|| paid.iter().sum()));
            let mut per: BTreeMap<(String, String), f64> = BTreeMap::new();
            for line in &lines {
                *per.entry((label(line, "channel"), label(line, "sold_on.month"))).or_default() += f64::from(line.quantity);
            }
            prop_assert!(near(at("nested"), mean(&per.into_values().collect::<Vec<_>>())));
            let mut days: BTreeMap<u8, u32> = BTreeMap::new();
            for line in lines.iter().filter(|l| l.quantity > 20) {
                *days.entry(line.day).or_default() += u32::from(line.amount.is_some());
            }
            prop_assert_eq!(at("nested_max"), days.into_values().max().map(f64::from));
        }
    }

    #[test]
    fn ranks_equal_plain_counting(lines in any_lines(), lowest: bool) {
        let first = if lowest { " lowest first" } else { "" };
        let ways = ["low", "high", "mean", "dense", "order"];
        let mut brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "max(quantity)"));
        for way in ways {
            brief = brief.measure((way, format!("rank(pieces{first} ties {way})").as_str()));
        }
        let crosstab = build(&brief, &lines, None);
        let found = found(&crosstab);
        let shown: Vec<Vec<String>> = tidy(&crosstab).filter(|row| row.measure() == "pieces")
            .map(|row| row.members().into_iter().flatten().map(str::to_string).collect()).collect();
        for path in shown.iter().filter(|path| !path.is_empty()) {
            let siblings = shown.iter().filter(|other| other.len() == path.len() && other[..path.len() - 1] == path[..path.len() - 1]);
            let value = |path: &Vec<String>| found[&(path.clone(), "pieces".to_string())].unwrap();
            let own = value(path);
            let (mut before, mut tied, mut tied_before, mut distinct, mut passed) = (0.0, 0.0, 0.0, BTreeSet::new(), false);
            for other in siblings {
                passed |= other == path;
                let theirs = value(other);
                if theirs == own {
                    tied += 1.0;
                    tied_before += f64::from(u8::from(!passed));
                } else if (theirs > own) != lowest {
                    before += 1.0;
                    distinct.insert(theirs as i64);
                }
            }
            let expected = [before + 1.0, before + tied, before + (tied + 1.0) / 2.0, distinct.len() as f64 + 1.0, before + tied_before + 1.0];
            for (way, expected) in ways.iter().zip(expected) {
                prop_assert_eq!(found[&(path.clone(), way.to_string())], Some(expected), "{} {:?}", way, path);
            }
        }
    }

    /// Running totals and moving windows over days that go through a turn of the year, with gaps.
    #[test]
    fn sequences_equal_plain_sums(lines in any_lines(), over in 1..5u8) {
        let brief = Brief::new().rows(["sold_on.year", "sold_on.day"]).columns(["harbour"])
            .measure(("pieces", "sum(quantity)"))
            .measure(("so_far", "running(pieces along day)"))
            .measure(("ever", "running(pieces along day throughout)"))
            .measure(("window", format!("moving(sum pieces over {over} along day throughout)").as_str()))
            .measure(("before", "pieces at previous day"))
            .measure(("week_on", "pieces at next day at next day"))
            .measure(("first", "pieces at first day"))
            .measure(("last", "pieces at last day of all"));
        let found = found(&build(&brief, &lines, None));
        let first_day = lines.iter().map(|l| l.day).min().unwrap();
        let last_day = lines.iter().map(|l| l.day).max().unwrap();
        let harbours: BTreeSet<String> = lines.iter().map(|l| label(l, "harbour")).collect();
        for harbour in harbours {
            let on = |day: u8| {
                let of_day: Vec<&Line> = lines.iter().filter(|l| l.day == day && label(l, "harbour") == harbour).collect();
                (!of_day.is_empty()).then(|| of_day.iter().map(|l| f64::from(l.quantity)).sum::<f64>())
            };
            let sum = |days: std::ops::RangeInclusive<u8>| days.filter_map(on).sum::<f64>();
            for day in (0..9).filter(|day| on(*day).is_some()) {
                let line = lines.iter().find(|l| l.day == day).unwrap();
                let path = vec![label(line, "sold_on.year"), line.date(), harbour.clone()];
                let at = |name: &str| found[&(path.clone(), name.to_string())];
                // The year turns between the fourth day and the fifth.
                let begin = if day < 4 { 0 } else { 4 };
                prop_assert_eq!(at("so_far"), Some(sum(begin..=day)));
                prop_assert_eq!(at("ever"), Some(sum(0..=day)));
                let full = day >= first_day + over - 1;
                prop_assert_eq!(at("window"), full.then(|| sum(day + 1 - over..=day)), "{} of {}", day, over);
                let reached = |to: Option<u8>| to.filter(|to| (first_day..=last_day).contains(to)).and_then(on);
                prop_assert_eq!(at("before"), reached(day.checked_sub(1)));
                // By way of a day that no line has there is no way on.
                let by_way = lines.iter().any(|l| l.day == day + 1 && label(l, "harbour") == harbour);
                prop_assert_eq!(at("week_on"), by_way.then(|| on(day + 2)).flatten());
                let shown: BTreeSet<u8> = lines.iter().map(|l| l.day).filter(|d| (*d < 4) == (day < 4)).collect();
                prop_assert_eq!(at("first"), shown.first().and_then(|d| on(*d)));
                prop_assert_eq!(at("last"), on(last_day));
            }
        }
    }

    /// Tiers cover every member once, a value on a cut goes upward, and their sums are the whole.
    #[test]
    fn tiers_take_each_member_once(lines in any_lines(), low in -50..400i32, step in 1..300i32, within: bool, shares: bool) {
        let values = || vec![Amount::from(i64::from(low)), Amount::from(i64::from(low + step))];
        let within: Vec<String> = if within { vec!["harbour".into()] } else { Vec::new() };
        let tier = TierBrief::new("size", "coast", "sum(quantity)").labels(["small", "middle", "large"]);
        let tier = if shares { tier.quantiles(["25%", "60%"]) } else { tier.cuts(values()) };
        let brief = Brief::new().rows(["size", "coast", "harbour"]).measure(("pieces", "sum(quantity)"));
        let brief = brief.tier(tier.within(within.clone()));
        let found = found(&build(&brief, &lines, None));
        let mut sums: BTreeMap<(String, String), f64> = BTreeMap::new();
        for line in &lines {
            let group = if within.is_empty() { String::new() } else { label(line, "harbour") };
            *sums.entry((group, label(line, "coast"))).or_default() += f64::from(line.quantity);
        }
        for line in &lines {
            let group = if within.is_empty() { String::new() } else { label(line, "harbour") };
            let own = sums[&(group.clone(), label(line, "coast"))];
            // Lines without a coast are no coast, and cut none.
            let peers = sums.iter().filter(|((g, coast), _)| *g == group && !coast.is_empty());
            let peers: Vec<f64> = peers.map(|(_, sum)| *sum).collect();
            let cuts = match shares {
                true => [0.25, 0.6].map(|share| quantile(&peers, share).unwrap_or_default()),
                false => [f64::from(low), f64::from(low + step)],
            };
            let tier = match line.coast {
                // Lines without a coast are of none.
                None => "",
                Some(_) => ["small", "middle", "large"][cuts.iter().filter(|cut| own >= **cut).count()],
            };
            let path = vec![tier.to_string(), label(line, "coast"), label(line, "harbour")];
            prop_assert!(found.contains_key(&(path.clone(), "pieces".into())), "{:?} in {:?}", path, found.keys());
            for other in ["", "small", "middle", "large"].iter().filter(|other| **other != tier) {
                let elsewhere = vec![other.to_string(), path[1].clone(), path[2].clone()];
                prop_assert!(!found.contains_key(&(elsewhere, "pieces".into())));
            }
        }
        let tiers: f64 = found.iter().filter(|((path, _), _)| path.len() == 1).filter_map(|(_, v)| *v).sum();
        prop_assert_eq!(found[&(Vec::new(), "pieces".to_string())], Some(tiers));
    }

    /// The top is what sorting and cutting gives; what is not shown is in totals, or is not, as was said.
    #[test]
    fn tops_equal_sorting_and_cutting(lines in any_lines(), count in 1..4usize, bottom: bool, overall: bool, shown_only: bool) {
        let top = TopBrief::new(count.to_string(), "pieces").overall(overall);
        let totals_of = if shown_only { pivvel::brief::TotalsOf::Shown } else { pivvel::brief::TotalsOf::All };
        let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(quantity)"));
        let brief = if bottom { brief.bottom("harbour", top) } else { brief.top("harbour", top) };
        let brief = brief.dimension("harbour", |own| own.totals_of(totals_of));
        let crosstab = build(&brief, &lines, None);
        let found = found(&crosstab);
        let mut sums: BTreeMap<Vec<String>, i64> = BTreeMap::new();
        for line in &lines {
            *sums.entry(vec![label(line, "coast"), label(line, "harbour")]).or_default() += i64::from(line.quantity);
        }
        let kept = |path: &Vec<String>| {
            let better = |other: &i64, own: &i64| if bottom { other < own } else { other > own };
            let among = sums.iter().filter(|(other, _)| overall || other[0] == path[0]);
            let ahead: Vec<&Vec<String>> = among.clone().filter(|(_, sum)| better(sum, &sums[path])).map(|(p, _)| p).collect();
            let tied = among.filter(|(other, sum)| *other != path && **sum == sums[path]).count();
            (ahead.len() < count, tied)
        };
        for path in sums.keys() {
            let (is_kept, tied) = kept(path);
            // Who of equals is kept is decided by labels; then only the number is certain.
            if tied == 0 {
                prop_assert_eq!(found.contains_key(&(path.clone(), "pieces".into())), is_kept, "{:?}", path);
            }
        }
        let groups: BTreeSet<&String> = sums.keys().map(|path| &path[0]).collect();
        let shown = found.keys().filter(|(path, _)| path.len() == 2).count();
        let expected: usize = match overall {
            true => count.min(sums.len()),
            false => groups.iter().map(|g| count.min(sums.keys().filter(|path| &path[0] == *g).count())).sum(),
        };
        prop_assert_eq!(shown, expected);
        let total = found[&(Vec::new(), "pieces".to_string())].unwrap();
        let leaves: f64 = found.iter().filter(|((path, _), _)| path.len() == 2).filter_map(|(_, v)| *v).sum();
        prop_assert_eq!(total, if shown_only { leaves } else { sums.values().sum::<i64>() as f64 });
    }

    /// An item applied to aggregates first, and one applied to measures last, are two formulas.
    #[test]
    fn items_before_and_after_measures(lines in any_lines()) {
        let base = Brief::new().rows(["coast"]).columns(["harbour"])
            .measure(("pieces", "sum(quantity)"))
            .measure(("lines", "count()"))
            .measure(("each", "pieces / lines"));
        let last = base.clone().item("harbour", "gap", "member - x").item("harbour", "gap twice", "gap * 2");
        let early: Vec<ItemBrief> =
            last.get_items().iter().cloned().map(|item| item.apply(Apply::BeforeMeasures)).collect();
        let first = last.clone().items(early);
        let (last, first) = (found(&build(&last, &lines, None)), found(&build(&first, &lines, None)));
        let minus = |a: Option<f64>, b: Option<f64>| match (a, b) {
            (None, None) => None,
            (a, b) => Some(a.unwrap_or(0.0) - b.unwrap_or(0.0)),
        };
        for coast in groups(&lines, &["coast"]).into_keys() {
            let path = |column: &str| coast.iter().cloned().chain([column.to_string()]).collect::<Vec<_>>();
            let at = |found: &Found, column: &str, measure: &str| found.get(&(path(column), measure.to_string())).copied().flatten();
            let [gap_last, gap_first] = [&last, &first].map(|found| at(found, "gap", "each"));
            prop_assert!(near(gap_last, minus(at(&last, "member", "each"), at(&last, "x", "each"))));
            let [pieces, count] = ["pieces", "lines"].map(|m| minus(at(&last, "member", m), at(&last, "x", m)));
            let ratio = pieces.zip(count).filter(|(_, count)| *count != 0.0).map(|(p, c)| p / c);
            prop_assert!(near(gap_first, ratio), "{:?} {:?}", gap_first, ratio);
            prop_assert!(near(at(&last, "gap twice", "each"), gap_last.map(|v| v * 2.0)));
            prop_assert_eq!(at(&first, "gap twice", "pieces"), pieces.map(|v| v * 2.0));
        }
    }
}
