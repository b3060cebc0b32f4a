//! A brief that is written again keeps what its writer wrote.

use pivvel::brief::{Amount, MeasureBrief};
use pivvel::{Brief, brief};

pub(crate) fn demo() -> Vec<(String, String)> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo");
    let files = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let briefs = files.filter(|path| path.extension().is_some_and(|ending| ending == "toml"));
    let mut all: Vec<(String, String)> = briefs
        .filter(|path| !path.ends_with("Cargo.toml"))
        .map(|path| (path.display().to_string(), std::fs::read_to_string(&path).unwrap()))
        .collect();
    all.sort();
    all
}

fn read(text: &str) -> Brief {
    brief::from_toml("brief", text).unwrap()
}

fn comments(text: &str) -> Vec<&str> {
    text.lines().filter_map(|line| Some(line[line.find('#')?..].trim())).collect()
}

/// Whatever one brief is turned into, the text says that, and the first comment of the file stands.
#[test]
fn any_brief_becomes_any_other() {
    let briefs = demo();
    for (name, earlier) in &briefs {
        for (other, text) in &briefs {
            let wanted = read(text);
            let rewritten = brief::rewrite(earlier, &wanted);
            assert_eq!(read(&rewritten), wanted, "{name} to {other}:\n{rewritten}");
            assert_eq!(rewritten == *earlier, read(earlier) == wanted, "{name} to {other}");
        }
    }
}

/// A change of one thing leaves every comment where it is, and all that it does not touch byte by byte.
#[test]
fn a_change_keeps_all_comments_and_all_other_lines() {
    type Change = (&'static str, fn(&mut Brief));
    let changes: [Change; 14] = [
        ("title", |brief| brief.title = Some("Another".into())),
        ("where", |brief| brief.filter = Some("channel <> 'web'".into())),
        ("measure", |brief| brief.measures.push(MeasureBrief::new("how many", "count()"))),
        ("format", |brief| brief.measures[0].label = Some("Renamed".into())),
        ("columns", |brief| brief.columns.push("channel".into())),
        ("totals", |brief| brief.totals = vec![(String::new(), pivvel::brief::Placement::Before)]),
        ("to", |brief| brief.to.push("again.html".into())),
        ("dimension", |brief| {
            brief.dimensions.iter_mut().take(1).for_each(|d| d.having = Some("n > 1".into()))
        }),
        ("related", |brief| {
            brief.related.iter_mut().for_each(|related| related.source = "elsewhere.csv".into())
        }),
        ("assumption", |brief| {
            brief.assumptions.iter_mut().take(1).for_each(|a| a.value = Amount::from("7%"))
        }),
        ("tier", |brief| brief.tiers.iter_mut().take(1).for_each(|tier| tier.cuts = vec!["5".into()])),
        ("emphasis", |brief| {
            brief.emphasis.iter_mut().take(1).for_each(|said| said.levels = vec!["x".into()])
        }),
        ("view", |brief| brief.views.iter_mut().take(1).for_each(|view| view.per = Some("coast".into()))),
        ("kinds", |brief| brief.kinds.push(("month".into(), "text".into()))),
    ];
    for (name, earlier) in demo() {
        for (what, change) in changes {
            let mut wanted = read(&earlier);
            change(&mut wanted);
            let rewritten = brief::rewrite(&earlier, &wanted);
            assert_eq!(read(&rewritten), wanted, "{name}, {what}");
            if read(&earlier).measures.is_empty() && what == "format" {
                continue;
            }
            let kept = comments(&rewritten);
            let lost: Vec<&str> = comments(&earlier).into_iter().filter(|c| !kept.contains(c)).collect();
            assert!(lost.is_empty() || what == "totals", "{name}, {what}: lost {lost:?} in\n{rewritten}");
            if read(&earlier) == wanted {
                continue;
            }
            let own: Vec<&str> = rewritten.lines().collect();
            let gone = earlier.lines().filter(|line| !own.contains(line)).count();
            // The line that changed, and the totals of single levels, which one placement replaces.
            assert!(gone <= 1 || what == "totals", "{name}, {what}: {gone} lines are gone from\n{rewritten}");
        }
    }
}

#[test]
fn tables_of_lists_stay_with_their_comments() {
    let earlier = "\
rows = [\"range\"]

[measures]
sales = \"sum(amount)\"   # net of rebates
cost  = \"sum(cost)\"

# Losses first.
[[emphasis]]
on = \"sales\"
as = \"tint\"
palette = \"harbour\"  # the house's

# What it costs.
[[emphasis]]
on = \"cost\"
as = \"bar\"

# The whole picture.
[[views]]
title = \"Ranges\"
as = \"bars\"
";
    let base = earlier.replace("palette = \"harbour\"  # the house's\n", "");
    // Without the first emphasis the second keeps its comment, and so does the view.
    let mut wanted = read(&base);
    wanted.emphasis.remove(0);
    let text = brief::rewrite(&base, &wanted);
    assert_eq!(read(&text), wanted);
    assert_eq!(text, base.replace("# Losses first.\n[[emphasis]]\non = \"sales\"\nas = \"tint\"\n\n", ""));
    // In another order each goes with its own.
    let mut wanted = read(&base);
    wanted.emphasis.reverse();
    let text = brief::rewrite(&base, &wanted);
    assert_eq!(read(&text), wanted);
    let at = |what: &str| text.find(what).unwrap();
    assert!(at("# What it costs.") < at("on = \"cost\"") && at("on = \"cost\"") < at("# Losses first."));
    // Measures in another order are written anew; what is around them stays.
    let mut wanted = read(&base);
    wanted.measures.reverse();
    let text = brief::rewrite(&base, &wanted);
    assert_eq!(read(&text), wanted);
    assert!(text.contains("# Losses first.") && text.contains("# The whole picture."));
    // What is no brief is not kept.
    for broken in ["rows = [", "rowz = [\"range\"]", "\u{0}"] {
        assert_eq!(brief::rewrite(broken, &wanted), brief::to_toml(&wanted));
    }
}
