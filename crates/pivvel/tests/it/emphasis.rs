//! What stands out, on random lines: positions against plain loops for every kind of peers, and that
//! what is said once holds when lines, filters and layouts change.

use std::collections::BTreeMap;

use pivvel::brief::{self, EmphasisBrief, Form, PeersOf, RuleBrief, Unit, YardstickOf};
use pivvel::result::{
    ColumnEntry, KeptScale, RowEntry, Yardsticks, yardsticks_from_json, yardsticks_to_json,
};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::tidy;
use pivvel::{Brief, Build, CrossTab};
use proptest::prelude::*;

use crate::lines::{Line, any_lines, build, to_csv};

fn brief(change: impl Fn(EmphasisBrief) -> EmphasisBrief) -> Brief {
    let said = change(EmphasisBrief::new("quantity", Form::Tint));
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["channel"])
        .measure(("quantity", "sum(quantity)"))
        .emphasize(said)
}

type Path = Vec<String>;

/// Positions by the paths of row and column, of every cell that stands out.
fn positions(crosstab: &CrossTab) -> BTreeMap<(Path, Path), Option<f64>> {
    let mut found = BTreeMap::new();
    for row in crosstab.rows().entries() {
        for column in crosstab.columns().entries() {
            for mark in crosstab.marks(*row, *column, 0) {
                found.insert(paths(crosstab, *row, *column), mark.position());
            }
        }
    }
    found
}

fn paths(crosstab: &CrossTab, row: RowEntry, column: ColumnEntry) -> (Path, Path) {
    // A blank member is told from one without a name by what it is.
    let label = |m: &pivvel::result::MemberRef<'_>| format!("{:?}", m.member());
    (
        crosstab.rows().path(row).iter().map(label).collect(),
        crosstab.columns().path(column).iter().map(label).collect(),
    )
}

/// Every cell that has a value, by its paths.
fn values(crosstab: &CrossTab) -> BTreeMap<(Path, Path), f64> {
    let value = |cell: pivvel::result::Cell<'_>| {
        Some((paths(crosstab, cell.row(), cell.column()), cell.value(0)?.as_f64()))
    };
    crosstab.cells().filter_map(value).collect()
}

/// Whether two cells of one grain are peers.
fn are_peers(of: PeersOf, a: &(Path, Path), b: &(Path, Path)) -> bool {
    let above = |path: &Path| path[..path.len().saturating_sub(1)].to_vec();
    let same_grain = a.0.len() == b.0.len() && a.1.len() == b.1.len();
    match of {
        PeersOf::All => true,
        _ if !same_grain => false,
        PeersOf::Level => true,
        PeersOf::Siblings => above(&a.0) == above(&b.0) && a.1 == b.1,
        PeersOf::ColumnSiblings => a.0 == b.0 && above(&a.1) == above(&b.1),
        PeersOf::Row => a.0 == b.0,
        PeersOf::Column => a.1 == b.1,
        PeersOf::Branch => a.0.first() == b.0.first(),
        other => panic!("{other}"),
    }
}

fn read(lines: &[Line]) -> TextSource {
    let kinds = [("amount", "decimal(2)"), ("quantity", "whole"), ("coast", "text"), ("channel", "text")];
    let kinds = kinds.map(|(column, kind)| (column.to_string(), kind.to_string())).to_vec();
    let options = ReadOptions::default().kinds(kinds);
    TextSource::from_reader("lines", std::io::Cursor::new(to_csv(lines)), &options).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// A position is where the value stands among the peers of its cell, and nothing else counts.
    #[test]
    fn positions_are_among_peers(lines in any_lines(), which in 0..PeersOf::NAMES.len()) {
        let peers = PeersOf::NAMES[which].1;
        let crosstab = build(&brief(|e| e.peers(peers)), &lines, None);
        let values = values(&crosstab);
        let standing: BTreeMap<&(Path, Path), f64> = values
            .iter()
            .filter(|((row, column), _)| !row.is_empty() && !column.is_empty())
            .map(|(at, value)| (at, *value))
            .collect();
        let found = positions(&crosstab);
        for (at, value) in &standing {
            let own: Vec<f64> = standing.iter().filter(|(b, _)| are_peers(peers, at, b)).map(|(_, v)| *v).collect();
            let (low, high) = own.iter().fold((f64::MAX, f64::MIN), |(l, h), v| (l.min(*v), h.max(*v)));
            let expected = (high > low).then(|| (value - low) / (high - low));
            let position = found.get(*at).copied().flatten();
            prop_assert_eq!(position.map(|p| (p * 1e9).round()), expected.map(|p| (p * 1e9).round()), "{:?}", at);
        }
    }

    /// What is said is said of a level: it means the same cells wherever the level stands, and the
    /// places of a level's cells do not depend on which other levels there are.
    #[test]
    fn levels_are_meant_by_name(lines in any_lines()) {
        let said = |e: EmphasisBrief| e.levels(["harbour"]);
        let nested = build(&brief(said).columns([""; 0]), &lines, None);
        let swapped = build(&brief(said).rows([""; 0]).columns(["coast", "harbour"]), &lines, None);
        let of_rows = positions(&nested);
        let of_columns: BTreeMap<(Path, Path), Option<f64>> =
            positions(&swapped).into_iter().map(|((row, column), p)| ((column, row), p)).collect();
        prop_assert_eq!(&of_rows, &of_columns);
        let without_level = build(&brief(said).rows(["coast"]).columns([""; 0]), &lines, None);
        prop_assert!(positions(&without_level).is_empty());
        prop_assert!(without_level.notices().iter().any(|w| w.text().contains("names level harbour")));
    }

    /// A scale that stands on all cells does not move when members are left out; one that follows what
    /// is shown is that of what is shown.
    #[test]
    fn scales_follow_the_filter_or_stay(lines in any_lines()) {
        let whole = positions(&build(&brief(|e| e), &lines, None));
        let only = |yardstick: YardstickOf| {
            let brief = brief(|e| e.yardstick(yardstick.clone()));
            build(&brief.dimension("harbour", |own| own.except(["x"])), &lines, None)
        };
        let stays = positions(&only(YardstickOf::All));
        for (at, position) in stays.iter().filter(|((row, _), _)| row.len() == 2) {
            prop_assert_eq!(position, &whole[at], "{:?}", at);
        }
        let follows = only(YardstickOf::Shown);
        let shown: Vec<f64> = positions(&follows)
            .into_iter()
            .filter(|((row, column), _)| row.len() == 2 && column.len() == 1)
            .filter_map(|(_, position)| position)
            .collect();
        prop_assert!(shown.is_empty() || shown.contains(&0.0) && shown.contains(&1.0));
    }

    /// A kept yardstick puts the cells of other lines on the scale of the first ones, through a file;
    /// on the same lines it changes nothing.
    #[test]
    fn kept_yardsticks_compare_runs(lines in any_lines(), more in any_lines()) {
        let first = build(&brief(|e| e), &lines, None);
        let text = yardsticks_to_json(&first.yardsticks());
        let kept = yardsticks_from_json("kept.json", &text).unwrap();
        prop_assert_eq!(&kept, &first.yardsticks());
        let kept = [("kept.json".to_string(), kept)];
        let by_file = brief(|e| e.yardstick(YardstickOf::Kept("kept.json".into())));
        let again = Build::new().yardsticks(&kept).run(&by_file, &mut read(&lines)).unwrap();
        let close = |a: &BTreeMap<(Path, Path), Option<f64>>| -> BTreeMap<(Path, Path), Option<i64>> {
            a.iter().map(|(at, p)| (at.clone(), p.map(|p| (p * 1e9).round() as i64))).collect()
        };
        prop_assert_eq!(close(&positions(&again)), close(&positions(&first)));
        let extended: Vec<Line> = lines.iter().chain(&more).cloned().collect();
        let later = Build::new().yardsticks(&kept).run(&by_file, &mut read(&extended)).unwrap();
        let values = values(&later);
        for (at, position) in positions(&later).iter().filter(|((row, column), _)| row.len() == 2 && column.len() == 1) {
            let scale = kept[0].1.get("quantity@harbour/channel").unwrap();
            let expected = (values[at] - scale.low()) / (scale.high() - scale.low());
            prop_assert!(position.is_none_or(|p| (p - expected).abs() < 1e-9), "{:?}", at);
        }
    }

    /// A rule by percentiles matches the peers between two quantiles, found here by hand, and a scale about the median
    /// has its middle there; a file keeps both.
    #[test]
    fn percentiles_are_those_of_the_peers(lines in any_lines(), which in 0..PeersOf::NAMES.len()) {
        let peers = PeersOf::NAMES[which].1;
        let rule = RuleBrief::new().at_least("25%").up_to("75%").unit(Unit::Percentile);
        let said = |yardstick: YardstickOf| {
            brief(|e| e.peers(peers).yardstick(yardstick.clone()).about("median").rule(rule.clone()))
        };
        let crosstab = build(&said(YardstickOf::Shown), &lines, None);
        let (positions, values) = (positions(&crosstab), values(&crosstab));
        let shown: Vec<_> = values.keys().filter(|at| !at.0.is_empty() && !at.1.is_empty()).collect();
        for at in &shown {
            let mut own: Vec<f64> =
                shown.iter().filter(|other| are_peers(peers, at, other)).map(|other| values[*other]).collect();
            own.sort_by(f64::total_cmp);
            let quantile = |share: f64| {
                let place = share * (own.len() - 1) as f64;
                let (low, high) = (own[place.floor() as usize], own[place.ceil() as usize]);
                low + (high - low) * place.fract()
            };
            let within = values[*at] >= quantile(0.25) && values[*at] <= quantile(0.75);
            prop_assert_eq!(positions.contains_key(*at), within, "{:?}", at);
        }
        let text = yardsticks_to_json(&crosstab.yardsticks());
        let kept = [("kept.json".to_string(), yardsticks_from_json("kept.json", &text).unwrap())];
        if !kept[0].1.is_empty() {
            let again = said(YardstickOf::Kept("kept.json".into()));
            let again = Build::new().yardsticks(&kept).run(&again, &mut read(&lines)).unwrap();
            for (at, position) in crate::emphasis::positions(&again) {
                prop_assert_eq!(position, positions[&at], "{:?}", at);
            }
        }
    }

    /// The picture, the rules and the tidy result have one yardstick, whatever it is: of what is shown, of all
    /// members, or of an earlier run.
    #[test]
    fn a_cell_has_one_yardstick(lines in any_lines(), earlier in any_lines(), peers in 0..PeersOf::NAMES.len(), way in 0..3usize) {
        let top = RuleBrief::new().top("40%");
        let asked = |yardstick: YardstickOf, except: &[&str]| {
            let said = |form| {
                EmphasisBrief::new("quantity", form).peers(PeersOf::NAMES[peers].1).yardstick(yardstick.clone())
            };
            brief(|_| said(Form::Tint))
                .emphasize(said(Form::Ink).rule(top.clone()))
                .dimension("coast", |own| own.except(except.iter().copied()))
        };
        let everything = build(&asked(YardstickOf::Shown, &[]), &lines, None);
        let before = build(&asked(YardstickOf::Shown, &[]), &earlier, None);
        let yardstick = [YardstickOf::Shown, YardstickOf::All, YardstickOf::Kept("k.json".into())][way].clone();
        let kept = yardsticks_from_json("k.json", &yardsticks_to_json(&before.yardsticks())).unwrap();
        let shown = asked(yardstick, &[crate::lines::COASTS[0]]);
        let crosstab = Build::new().yardsticks(&[("k.json".to_string(), kept.clone())]).run(&shown, &mut read(&lines));
        // A file that knows none of the peers is refused.
        let Ok(crosstab) = crosstab else { return Ok(()) };
        let all: BTreeMap<(Path, Path), pivvel::result::Cell<'_>> =
            everything.cells().map(|cell| (paths(&everything, cell.row(), cell.column()), cell)).collect();
        for (cell, row) in crosstab.cells().zip(tidy(&crosstab)) {
            let marks = crosstab.marks(cell.row(), cell.column(), 0);
            let tint = marks.iter().find(|mark| mark.form() == Form::Tint);
            let Some(tint) = tint else { continue };
            let scale = &crosstab.emphases()[0].scales()[tint.scale().unwrap()];
            prop_assert_eq!(tint.position(), row.position());
            prop_assert_eq!(Some(&scale.yardstick()), row.yardstick());
            prop_assert_eq!(scale.peers(), row.peers());
            let mine = &all[&paths(&crosstab, cell.row(), cell.column())];
            let is_top = marks.iter().any(|mark| mark.form() == Form::Ink && mark.rule() == Some(0));
            match way {
                1 => prop_assert_eq!((row.rank(), row.position()), (mine.rank(0), mine.position(0))),
                2 => {
                    let known = kept.get(row.peers()).unwrap();
                    let value = row.value().unwrap().as_f64();
                    prop_assert_eq!((known.low(), known.high()), (scale.yardstick().low().as_f64(), scale.yardstick().high().as_f64()));
                    prop_assert_eq!(is_top, value >= known.tops()[0].value());
                }
                _ => {}
            }
        }
    }

    /// Of rules that cut the scale everywhere exactly one matches, whatever their order; the highest so
    /// many are as many as there are, ties with them.
    #[test]
    fn rules_cover_and_never_overlap(lines in any_lines(), cut in -200i32..400, turned: bool, top in 1..5usize) {
        let (low, high) = (i64::from(cut), i64::from(cut + 50));
        let rule = RuleBrief::new;
        let mut rules = vec![rule().below(low), rule().at_least(low).below(high), rule().at_least(high)];
        if turned {
            rules.reverse();
        }
        let crosstab = build(&brief(|e| e.rules(rules.clone())), &lines, None);
        for (at, value) in values(&crosstab).iter().filter(|((row, column), _)| !row.is_empty() && !column.is_empty()) {
            let place = [value < &f64::from(cut), value < &f64::from(cut + 50)].iter().filter(|below| !**below).count();
            let place = if turned { 2 - place } else { place };
            let row = crosstab.rows().entries().iter().flat_map(|r| crosstab.columns().entries().iter().map(move |c| (r, c)));
            let (r, c) = row.into_iter().find(|(r, c)| paths(&crosstab, **r, **c) == *at).unwrap();
            prop_assert_eq!(crosstab.marks(*r, *c, 0)[0].rule(), Some(place), "{:?}", at);
        }
        let highest = RuleBrief::new().top(top.to_string());
        let crosstab = build(&brief(|e| e.rule(highest.clone()).levels(["harbour", "channel"])), &lines, None);
        let mut all: Vec<f64> =
            values(&crosstab).into_iter().filter(|((r, c), _)| r.len() == 2 && c.len() == 1).map(|(_, v)| v).collect();
        all.sort_by(|a, b| b.total_cmp(a));
        let reach = all.get(top - 1).or(all.last()).copied();
        let expected = all.iter().filter(|v| Some(**v) >= reach).count();
        prop_assert_eq!(positions(&crosstab).len(), expected);
    }

    /// Views and trends of one brief are what the same brief gives by itself, in one pass over the lines.
    #[test]
    fn views_are_cross_tabs_of_the_same_lines(lines in any_lines()) {
        let view = pivvel::brief::ViewBrief::default();
        let view = view.rows(["harbour"]).columns(["sold_on.month"]).filter("quantity > 3");
        let trend = EmphasisBrief::new("quantity", Form::Trend).along("sold_on.day");
        let both = brief(|e| e).view(view).emphasize(trend);
        let crosstab = build(&both, &lines, None);
        let alone = build(&both.of_view(0).unwrap(), &lines, None);
        prop_assert_eq!(tidy_rows(crosstab.views()[0].crosstab()), tidy_rows(&alone));
        prop_assert_eq!(tidy_rows(&crosstab), tidy_rows(&build(&brief(|e| e), &lines, None)));
        let by_day = build(&brief(|e| e).columns(["sold_on.day"]), &lines, None);
        let days = by_day.period_places();
        for row in crosstab.rows().entries() {
            let Some(values) = crosstab.trends()[0].values(*row) else { continue };
            let labels = crosstab.rows().labels(*row);
            // A blank member and one that is called like nothing share their label here.
            if labels.contains(&"") {
                continue;
            }
            let own = by_day.rows().find(&labels).unwrap();
            let expected: Vec<_> = days.iter().map(|(day, _)| by_day.cell(own, *day).and_then(|c| c.value(0))).collect();
            prop_assert_eq!(values, expected.as_slice());
        }
    }
}

fn tidy_rows(crosstab: &CrossTab) -> Vec<String> {
    let text = |row: pivvel::table::TidyRow<'_>| {
        format!(
            "{:?} {} {:?} {}",
            row.members(),
            row.measure(),
            row.value().map(|v| v.to_string()),
            row.peers()
        )
    };
    tidy(crosstab).map(text).collect()
}

/// Files that are no yardsticks, or not those that are needed, are told by name.
#[test]
fn wrong_yardsticks() {
    let cases = [
        ("", "k.json: these are no kept yardsticks: EOF while parsing a value at line 1 column 0"),
        ("[]", "k.json: these are no kept yardsticks: there is no \"scales\""),
        (
            "{\"scales\": {\"a@b/c\": {\"low\": 1}}}",
            "k.json: these are no kept yardsticks: scales.a@b/c: missing field `count`",
        ),
        (
            "{\"scales\": {\"a@b/c\": {\"count\": 2, \"low\": 1, \"high\": \"x\"}}}",
            "k.json: these are no kept yardsticks: scales.a@b/c.high: invalid type: string \"x\", expected f64",
        ),
    ];
    for (text, message) in cases {
        assert_eq!(yardsticks_from_json("k.json", text).unwrap_err().to_string(), message);
    }
    let line = Line { coast: Some(1), harbour: 0, day: 0, channel: Some(0), amount: None, quantity: 4 };
    let other = Line { harbour: 1, quantity: 9, ..line.clone() };
    let clipped =
        brief(|e| e.yardstick(YardstickOf::Kept("k.json".into())).clip(("5%".into(), "95%".into())));
    let plain = build(&brief(|e| e), &[line.clone(), other.clone()], None).yardsticks();
    let error = Build::new()
        .yardsticks(&[("k.json".into(), plain.clone())])
        .run(&clipped, &mut read(&[line.clone(), other.clone()]))
        .unwrap_err();
    assert_eq!(
        error.to_string(),
        "emphasis 1 (tint on quantity): k.json keeps no clip at these shares for quantity@harbour/channel; save it again with this brief"
    );
    let by_file = brief(|e| e.yardstick(YardstickOf::Kept("k.json".into())));
    let with = |kept: Yardsticks| {
        let kept = [("k.json".to_string(), kept)];
        Build::new().yardsticks(&kept).run(&by_file, &mut read(&[line.clone(), other.clone()]))
    };
    // A file that knows none of the peers was kept for something else; of one that knows some, that is told.
    let error = with(Yardsticks::default()).unwrap_err().to_string();
    assert!(
        error.starts_with("emphasis 1 (tint on quantity): k.json has no yardstick of any of its peers"),
        "{error}"
    );
    let mut some = Yardsticks::default();
    let (name, scale) = plain.iter().find(|(name, _)| *name == "quantity@harbour/channel").unwrap();
    some.insert(name, KeptScale::new(scale.count(), 5.0, 8.0).with_mean(scale.mean()));
    let crosstab = with(some).unwrap();
    let notices: Vec<String> = crosstab.notices().iter().map(ToString::to_string).collect();
    let told = notices.join("; ");
    assert!(told.contains("no yardstick in k.json"), "{told}");
    assert!(told.contains("2 cells lie beyond the ends of its scale in k.json"), "{told}");
}

/// What is typed for one run changes the brief as its own keys would, and what is typed wrong is told.
#[test]
fn emphasis_is_changed_by_its_keys() {
    let text = "rows = [\"coast\"]\n[measures]\nsales = \"sum(amount)\"\n[[emphasis]]\nname = \"scale\"\non = \"sales\"\nas = \"tint\"\n";
    let brief = || brief::from_toml("brief.toml", text).unwrap();
    type Change = fn(&mut pivvel::Brief) -> pivvel::Result<()>;
    let cases: [(Change, &str); 6] = [
        (
            |b| brief::set_emphasis(b, "name = 'scale', as = 'bar'"),
            "name = \"scale\"\non = \"sales\"\nas = \"bar\"\n",
        ),
        (
            |b| brief::set_emphasis(b, "on = 'sales', as = 'ink', about = 0"),
            "name = \"scale\"\non = \"sales\"\nas = \"tint\"\n[[emphasis]]\non = \"sales\"\nas = \"ink\"\nabout = 0\n",
        ),
        (
            |b| {
                brief::set_rule(b, "scale", "name = 'low', below = 10")?;
                brief::set_rule(b, "sales", "name = 'high', from = 20")?;
                brief::set_rule(b, "scale", "name = 'low', up_to = 5")
            },
            "name = \"scale\"\non = \"sales\"\nas = \"tint\"\nrules = [{ name = \"high\", from = 20 }, { name = \"low\", up_to = 5 }]\n",
        ),
        (|b| brief::drop_emphasis(b, "scale"), ""),
        (|b| brief::drop_emphasis(b, "sales"), ""),
        (
            |b| brief::set_emphasis(b, "name = 'scale', peers = 'siblings'"),
            "name = \"scale\"\non = \"sales\"\nas = \"tint\"\npeers = \"siblings\"\n",
        ),
    ];
    for (change, wanted) in cases {
        let (before, _) = text.split_once("[[emphasis]]").unwrap();
        let head = if wanted.is_empty() { "" } else { "[[emphasis]]\n" };
        let wanted = brief::from_toml("brief.toml", &format!("{before}{head}{wanted}")).unwrap();
        let mut changed = brief();
        change(&mut changed).unwrap();
        assert_eq!(changed, wanted);
    }
    let wrong: [(Change, &str); 7] = [
        (|b| brief::drop_emphasis(b, "scael"), "unknown emphasis \"scael\"; did you mean \"scale\"?"),
        (
            |b| brief::set_rule(b, "profit", "below = 1"),
            "unknown emphasis \"profit\"; known: \"scale\", \"sales\"",
        ),
        (
            |b| brief::set_rule(b, "scale", "below 1"),
            "below 1 is not written like name = 'low', below = 1000, show = 'loss'",
        ),
        (
            |b| brief::set_rule(b, "scale", "belwo = 1"),
            "emphasis 1, rules 1: unknown key \"belwo\"; did you mean \"below\"?",
        ),
        (
            |b| brief::set_rule(b, "scale", "below = 1 }] }, { on = 'x', rules = [{ is = 2"),
            "below = 1 }] }, { on = 'x', rules = [{ is = 2 is not written like name = 'low', below = 1000, show = 'loss'",
        ),
        (
            |b| brief::set_emphasis(b, "on = 'sales', as = 'bor'"),
            "emphasis 1, as: unknown form \"bor\"; did you mean \"bar\"?",
        ),
        (
            |b| {
                brief::set_emphasis(b, "on = 'sales', as = 'bar'")?;
                brief::drop_emphasis(b, "sales")
            },
            "2 are on sales; give each a name, and say which: name = \"scale\"",
        ),
    ];
    for (change, wanted) in wrong {
        assert_eq!(change(&mut brief()).unwrap_err().to_string(), wanted);
    }
    let twice = format!("{text}[[emphasis]]\nname = \"scale\"\non = \"sales\"\n");
    let twice = brief::from_toml("brief.toml", &twice).unwrap();
    let lines = std::io::Cursor::new(b"coast,amount\nFell,1\n".to_vec());
    let mut lines = pivvel::source::TextSource::from_reader("lines.csv", lines, &Default::default()).unwrap();
    let error = pivvel::CrossTab::build(&twice, &mut lines).unwrap_err().to_string();
    assert_eq!(error, "emphasis scale (tint on sales): there is another emphasis of this name");
}
