//! Two results side by side: the parts of every change add up to the whole, whatever came and went.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::io::Cursor;

use pivvel::compare::{Change, Comparison, Ratio, Snapshot, State, read_tidy, with_ratios};
use pivvel::draw::{ChangeFormats, report_changes};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::Target;
use pivvel::{Brief, CrossTab, Value};

use crate::draw::Draw;

/// Lines of a few members, of which each set has some only.
fn lines(draw: &mut Draw) -> String {
    let coasts = ["Fell", "Skerry", "", "total", "Isle"];
    let harbours = ["a", "b", "c", "d"];
    let mut text = String::from("coast,harbour,channel,amount,cost\n");
    let left_out = draw.below(coasts.len());
    for _ in 0..20 + draw.below(60) {
        let coast = draw.below(coasts.len());
        if coast == left_out {
            continue;
        }
        let harbour = harbours[draw.below(harbours.len())];
        let (amount, cost) = (1 + draw.below(90_000), draw.below(90_000));
        let channel = draw.of(&["web", "fair"]);
        text += &format!(
            "{},{harbour},{channel},{}.{:02},{}.5\n",
            coasts[coast],
            amount / 100,
            amount % 100,
            cost / 10
        );
    }
    text
}

fn brief() -> Brief {
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["channel"])
        .measure(("sales", "sum(amount)"))
        .measure(("margin", "sum(amount - cost) / sales"))
        .measure(("each", "sum(amount) / count()"))
}

fn built(brief: &Brief, lines: &str) -> CrossTab {
    let mut source =
        TextSource::from_reader("lines", Cursor::new(lines.to_string()), &ReadOptions::default()).unwrap();
    CrossTab::build(brief, &mut source).unwrap()
}

fn compared(seed: u64) -> (Comparison, Vec<Ratio>) {
    let mut draw = Draw::new(seed);
    let (with, ratios) = with_ratios(&brief());
    let [earlier, later] =
        ["earlier", "later"].map(|name| Snapshot::of(name, &built(&with, &lines(&mut draw))));
    (Comparison::new(&earlier, &later, &ratios).unwrap(), ratios)
}

fn exact(value: Option<Value>) -> i128 {
    match value {
        Some(Value::Exact(number)) if number.scale() == 2 => number.digits(),
        None => 0,
        other => panic!("{other:?} is no money"),
    }
}

/// A level's changes of a sum add up to those of the level above, to the last digit.
#[test]
fn changes_add_up_to_the_change_of_the_whole() {
    let (mut wholes, mut came, mut went) = (0, 0, 0);
    for seed in 1..=60 {
        let (compared, _) = compared(seed);
        let sales = compared.changes().iter().filter(|change| change.measure() == "sales");
        let by_members: BTreeMap<Vec<Option<String>>, &Change> =
            sales.clone().map(|change| (change.members().to_vec(), change)).collect();
        for whole in sales {
            assert_eq!(
                exact(whole.later()) - exact(whole.earlier()),
                exact(whole.change()),
                "seed {seed}: {whole:?}"
            );
            match whole.state() {
                State::New => came += 1,
                State::Gone => went += 1,
                State::Both => {}
            }
            // The members one level deeper on the rows, in the same column.
            let depth = whole.members()[..2].iter().flatten().count();
            if depth == 2 {
                continue;
            }
            let parts = by_members.iter().filter(|(members, _)| {
                members[..2].iter().flatten().count() == depth + 1
                    && members[..depth] == whole.members()[..depth]
                    && members[2] == whole.members()[2]
            });
            let sum: i128 = parts.map(|(_, part)| exact(part.change())).sum();
            assert_eq!(sum, exact(whole.change()), "seed {seed}: {whole:?}");
            wholes += 1;
        }
    }
    assert!(wholes > 500 && came > 100 && went > 100, "{wholes}, {came}, {went}");
}

/// What members make of a ratio's change by their own and by their mix adds up to it, and so do the members.
#[test]
fn mix_and_own_add_up_to_the_change_of_a_ratio() {
    let mut met = 0;
    for seed in 1..=60 {
        let (compared, ratios) = compared(seed);
        assert_eq!(ratios.iter().map(|r| r.measure()).collect::<Vec<_>>(), ["margin", "each"]);
        assert!(
            compared.changes().iter().all(|change| !change.measure().contains(" of ")),
            "helpers are not told"
        );
        let near = |a: f64, b: f64, size: f64| (a - b).abs() <= 1e-9 * size.abs().max(1.0);
        for mixed in compared.mixed() {
            let [earlier, later] = mixed.ratios();
            let size = earlier.abs() + later.abs();
            let parts =
                |of: &dyn Fn(&pivvel::compare::MixPart) -> f64| mixed.parts().iter().map(of).sum::<f64>();
            assert!(near(mixed.own() + mixed.mix(), later - earlier, size), "seed {seed}: {mixed:?}");
            assert!(near(parts(&|part| part.own()), mixed.own(), size), "seed {seed}: {mixed:?}");
            assert!(near(parts(&|part| part.mix()), mixed.mix(), size), "seed {seed}: {mixed:?}");
            let same = |change: &&Change| {
                change.measure() == mixed.measure()
                    && change.members() == mixed.members()
                    && change.levels() == mixed.levels()
            };
            let change = compared.changes().iter().find(same).unwrap();
            assert!(
                near(change.change().unwrap().as_f64(), later - earlier, size),
                "seed {seed}: {change:?}"
            );
            met += 1;
        }
    }
    assert!(met > 300, "{met}");
}

/// One that is worked out by hand: margins of 20 % and 50 %, whose shares of the sales turn round.
#[test]
fn a_change_that_is_mix_alone() {
    let lines =
        |a: u32, b: u32| format!("coast,amount,cost\na,{a}.00,{}.00\nb,{b}.00,{}.00\n", a * 8 / 10, b / 2);
    let brief = Brief::new().rows(["coast"]).measure(("margin", "sum(amount - cost) / sum(amount)"));
    let (with, ratios) = with_ratios(&brief);
    let [earlier, later] =
        [lines(100, 300), lines(300, 100)].map(|text| Snapshot::of("", &built(&with, &text)));
    let compared = Comparison::new(&earlier, &later, &ratios).unwrap();
    let [whole] = compared.mixed() else { panic!("{:?}", compared.mixed()) };
    // (20 + 150) / 400 = 42.5 % before, (60 + 50) / 400 = 27.5 % after.
    let close = |a: f64, b: f64| (a - b).abs() < 1e-12;
    assert!(close(whole.ratios()[0], 0.425) && close(whole.ratios()[1], 0.275), "{whole:?}");
    assert!(close(whole.own(), 0.0) && close(whole.mix(), -0.15), "{whole:?}");
    // Half a share more of a member 15 points below the middle of 35 %, half less of one 15 above it.
    assert!(
        whole.parts().iter().all(|part| close(part.mix(), -0.075) && close(part.own(), 0.0)),
        "{whole:?}"
    );
}

/// A cost without sales has no share that could shift: what it takes from the ratio is all own, and the members' parts
/// add up. The blank member is called by its dimension.
#[test]
fn a_cost_without_sales_is_own() {
    let brief = Brief::new().rows(["coast"]).measure(("margin", "sum(amount - cost) / sum(amount)"));
    let (with, ratios) = with_ratios(&brief);
    let earlier = "coast,amount,cost\na,10.00,4.00\n,5.00,2.00\nb,,3.00\n";
    let later = "coast,amount,cost\na,12.00,5.00\n,7.00,2.00\nc,1.00,1.00\n";
    let [earlier, later] = [earlier, later].map(|text| Snapshot::of("", &built(&with, text)));
    let compared = Comparison::new(&earlier, &later, &ratios).unwrap();
    let [whole] = compared.mixed() else { panic!("{:?}", compared.mixed()) };
    let close = |a: f64, b: f64| (a - b).abs() < 1e-12;
    // (6 + 3 - 3) / 15 before, (7 + 5 + 0) / 20 after; b took 3 / 15.
    assert!(close(whole.ratios()[0], 0.4) && close(whole.ratios()[1], 0.6), "{whole:?}");
    let b = whole.parts().iter().find(|part| part.member() == "b").unwrap();
    assert!(close(b.own(), 0.2) && close(b.mix(), 0.0), "{b:?}");
    let sum = |of: &dyn Fn(&pivvel::compare::MixPart) -> f64| whole.parts().iter().map(of).sum::<f64>();
    assert!(
        close(sum(&|part| part.own()), whole.own()) && close(sum(&|part| part.mix()), whole.mix()),
        "{whole:?}"
    );
    let report = report_changes(&compared, "c".into(), &ChangeFormats::default());
    let text = format!("{:?}", report.parts());
    assert!(text.contains("\"no coast\"") && !text.contains("[\"\""), "{text}");
}

/// New and gone members, ranks, and the place of a change among those of its own level, by loops.
#[test]
fn what_came_and_went() {
    for seed in 1..=40 {
        let mut draw = Draw::new(seed);
        let texts = [lines(&mut draw), lines(&mut draw)];
        let coasts = |text: &String| -> BTreeSet<String> {
            text.lines().skip(1).map(|line| line.split(',').next().unwrap().to_string()).collect()
        };
        let (before, after) = (coasts(&texts[0]), coasts(&texts[1]));
        let (compared, _) = compared(seed);
        let level = &compared.levels()[0];
        let set = |paths: &[Vec<String>]| paths.iter().map(|path| path[0].clone()).collect::<BTreeSet<_>>();
        assert_eq!(set(level.came()), after.difference(&before).cloned().collect());
        assert_eq!(set(level.gone()), before.difference(&after).cloned().collect());
        let mut groups: HashMap<(String, [String; 2]), Vec<&Change>> = HashMap::new();
        for change in compared.changes() {
            groups.entry((change.measure().to_string(), change.levels().clone())).or_default().push(change);
        }
        for group in groups.into_values() {
            let all: Vec<f64> = group.iter().filter_map(|c| Some(c.change()?.as_f64())).collect();
            for change in group {
                let Some(own) = change.change().map(|value| value.as_f64()) else {
                    assert_eq!((change.rank(), change.position()), (None, None));
                    continue;
                };
                let above = all.iter().filter(|other| **other > own).count();
                assert_eq!(change.rank(), Some(above as u32 + 1), "seed {seed}: {change:?}");
                assert_eq!(change.peer_count(), all.len() as u64);
            }
        }
    }
}

/// Results that were written tell the same as the cross-tabs that they were written from.
#[test]
fn written_results_compare_alike() {
    let folder = tempfile::tempdir().unwrap();
    let forms =
        if cfg!(feature = "full") { &["csv", "json", "parquet", "arrow"][..] } else { &["csv", "json"] };
    for form in forms {
        for seed in 1..=5 {
            let mut draw = Draw::new(seed);
            let crosstabs = [lines(&mut draw), lines(&mut draw)].map(|text| built(&brief(), &text));
            let paths = ["earlier", "later"].map(|name| folder.path().join(format!("{name}.{form}")));
            for (crosstab, path) in crosstabs.iter().zip(&paths) {
                Target::new(path).unwrap().write(crosstab).unwrap();
            }
            let [a, b] = &crosstabs;
            let live = Comparison::new(&Snapshot::of("a", a), &Snapshot::of("b", b), &[]).unwrap();
            let [a, b] = [0, 1].map(|i: usize| read_tidy(&paths[i]).unwrap());
            let read = Comparison::new(&a, &b, &[]).unwrap();
            assert_eq!(live.levels(), read.levels(), "{form}, seed {seed}");
            assert_eq!(live.changes().len(), read.changes().len(), "{form}, seed {seed}");
            for (live, read) in live.changes().iter().zip(read.changes()) {
                assert_eq!(
                    (live.members(), live.levels(), &live.kinds()),
                    (read.members(), read.levels(), &read.kinds())
                );
                assert_eq!(
                    (live.ranks(), live.lines(), live.state()),
                    (read.ranks(), read.lines(), read.state())
                );
                if live.measure() == "sales" {
                    assert_eq!(exact(live.change()), exact(read.change()), "{form}, seed {seed}: {live:?}");
                }
            }
        }
    }
}

/// What is wrong in a written result is reported with its place; a result of no lines is one.
#[test]
fn wrong_results_are_errors_and_empty_ones_are_not() {
    let folder = tempfile::tempdir().unwrap();
    let heading = "coast,row_level,column_level,row_kind,column_kind,measure,value,lines,rank\n";
    let fell = "Fell,coast,total,member,total,sales,12.55,2,1\n";
    let cases: [(Vec<u8>, &str); 4] = [
        (
            format!("{heading}{fell}Fell,coast\n").into(),
            "result.csv, line 3: it has 2 fields where the heading has 9",
        ),
        (
            format!("{heading}{fell}{}", fell.replace("12.55", "a lot")).into(),
            "row 2, column value: a lot is no number and no date",
        ),
        (
            [heading.as_bytes(), fell.as_bytes(), &b"F\xe9ll,coast,total,member,total,sales,1,2,1\n"[..]]
                .concat(),
            "line 3, column coast: the text is not encoded as UTF-8",
        ),
        (b"coast,amount\nFell,1.00\n".to_vec(), "it is no tidy result: it has no column row_level"),
    ];
    let path = folder.path().join("result.csv");
    for (text, wanted) in cases {
        std::fs::write(&path, text).unwrap();
        let error = read_tidy(&path).unwrap_err().to_string();
        assert!(error.contains(wanted), "{error}\n\nnot\n\n{wanted}");
    }
    std::fs::write(&path, heading).unwrap();
    let empty = read_tidy(&path).unwrap();
    std::fs::write(&path, format!("{heading}{fell}")).unwrap();
    let filled = read_tidy(&path).unwrap();
    assert_eq!(Comparison::new(&filled, &empty, &[]).unwrap().levels()[0].gone(), [["Fell"]]);
}
