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
    fn first<T>(of: &[T], change: impl Fn(T) -> T) -> Vec<T>
    where
        T: Clone,
    {
        of.iter().enumerate().map(|(i, own)| if i == 0 { change(own.clone()) } else { own.clone() }).collect()
    }
    fn and(of: &[String], more: &str) -> Vec<String> {
        of.iter().cloned().chain([more.to_string()]).collect()
    }
    type Change = (&'static str, fn(Brief) -> Brief);
    let changes: [Change; 14] = [
        ("title", |brief| brief.title("Another")),
        ("where", |brief| brief.filter("channel <> 'web'")),
        ("measure", |brief| brief.measure(MeasureBrief::new("how many", "count()"))),
        ("format", |brief| {
            let all = first(brief.get_measures(), |own| own.label("Renamed"));
            brief.measures(all)
        }),
        ("columns", |brief| {
            let all = and(brief.get_columns(), "channel");
            brief.columns(all)
        }),
        ("totals", |brief| brief.totals([(String::new(), pivvel::brief::Placement::Before)])),
        ("to", |brief| {
            let all = and(brief.get_to(), "again.html");
            brief.to(all)
        }),
        ("dimension", |brief| {
            let all = first(brief.get_dimensions(), |own| own.having("n > 1"));
            brief.dimensions(all)
        }),
        ("related", |brief| match brief.get_appearance() {
            None => brief.with_files(|_| "elsewhere.csv".into()),
            Some(_) => brief,
        }),
        ("assumption", |mut brief| {
            let name = brief.get_assumptions().first().map(|own| own.get_name().to_string());
            name.iter().for_each(|name| brief.assume(name, Amount::from("7%")).unwrap());
            brief
        }),
        ("tier", |brief| {
            let all = first(brief.get_tiers(), |own| own.cuts([5]));
            brief.tiers(all)
        }),
        ("emphasis", |brief| {
            let all = first(brief.get_emphasis(), |own| own.levels(["x"]));
            brief.emphasis(all)
        }),
        ("view", |brief| {
            let all = first(brief.get_views(), |own| own.per("coast"));
            brief.views(all)
        }),
        ("kinds", |brief| brief.kind("month", "text")),
    ];
    for (name, earlier) in demo() {
        for (what, change) in changes {
            let wanted = change(read(&earlier));
            let rewritten = brief::rewrite(&earlier, &wanted);
            assert_eq!(read(&rewritten), wanted, "{name}, {what}");
            if read(&earlier).get_measures().is_empty() && what == "format" {
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
    let wanted = read(&base);
    let second = wanted.get_emphasis()[1].clone();
    let wanted = wanted.emphasis([second]);
    let text = brief::rewrite(&base, &wanted);
    assert_eq!(read(&text), wanted);
    assert_eq!(text, base.replace("# Losses first.\n[[emphasis]]\non = \"sales\"\nas = \"tint\"\n\n", ""));
    // In another order each goes with its own.
    let wanted = read(&base);
    let turned: Vec<_> = wanted.get_emphasis().iter().rev().cloned().collect();
    let wanted = wanted.emphasis(turned);
    let text = brief::rewrite(&base, &wanted);
    assert_eq!(read(&text), wanted);
    let at = |what: &str| text.find(what).unwrap();
    assert!(at("# What it costs.") < at("on = \"cost\"") && at("on = \"cost\"") < at("# Losses first."));
    // Measures in another order are written anew; what is around them stays.
    let wanted = read(&base);
    let turned: Vec<_> = wanted.get_measures().iter().rev().cloned().collect();
    let wanted = wanted.measures(turned);
    let text = brief::rewrite(&base, &wanted);
    assert_eq!(read(&text), wanted);
    assert!(text.contains("# Losses first.") && text.contains("# The whole picture."));
    // What is no brief is not kept.
    for broken in ["rows = [", "rowz = [\"range\"]", "\u{0}"] {
        assert_eq!(brief::rewrite(broken, &wanted), brief::to_toml(&wanted));
    }
}
