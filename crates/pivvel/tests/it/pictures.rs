//! Pages and pictures of the demonstration: what is hidden stands nowhere, pictures are well formed,
//! and what is drawn is what was computed.

use std::collections::BTreeSet;

use pivvel::draw::{Layout, TerminalOptions};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::{Target, TargetOptions};
use pivvel::{CrossTab, brief, draw};

fn demo(name: &str) -> CrossTab {
    built(pivvel_demo::BRIEFS.iter().find(|(known, _)| *known == name).unwrap().1)
}

fn built(text: &str) -> CrossTab {
    let brief = brief::from_toml("brief.toml", text).unwrap();
    let lines = std::io::Cursor::new(pivvel_demo::CSV.as_bytes());
    CrossTab::build(
        &brief,
        &mut TextSource::from_reader("lines.csv", lines, &ReadOptions::default()).unwrap(),
    )
    .unwrap()
}

/// A figure that is hidden stands in no view, in no form: not rounded, not in full, not as the end of
/// a scale, not as a mean.
fn view(view: usize) -> TargetOptions {
    TargetOptions::default().view(view)
}

#[test]
fn hidden_figures_stand_nowhere() {
    // Neither in the table, nor in a chart, nor as the scale of another measure that it decides about.
    let (_, text) = pivvel_demo::BRIEFS.iter().find(|(known, _)| *known == "quiet.toml").unwrap();
    let views = ["bars", "strip", "tiles"].map(|form| {
        let grid = if form == "tiles" {
            "rows = [\"range\"]\ngrid = { Paint = [1, 1], Rope = [2, 1] }\n"
        } else {
            ""
        };
        format!("[[views]]\nas = \"{form}\"\nmeasures = [\"sales\"]\n{grid}")
    });
    let by = "[[emphasis]]\non = \"orders\"\nas = \"ink\"\nby = \"sales\"\n";
    let crosstab = built(&format!("{text}\n{by}\n{}", views.concat()));
    let mut secrets: BTreeSet<String> = BTreeSet::new();
    let mut keep = |value: f64| {
        let whole = format!("{}", value.abs().trunc() as i64);
        if whole.len() > 4 {
            let marked: String = whole
                .chars()
                .enumerate()
                .flat_map(|(i, c)| {
                    (i > 0 && (whole.len() - i) % 3 == 0).then_some(',').into_iter().chain([c])
                })
                .collect();
            secrets.extend([whole, marked]);
        }
    };
    for cell in crosstab.cells() {
        cell.value(0).into_iter().for_each(|value| keep(value.as_f64()));
        let yardstick = cell.yardstick(0);
        yardstick.into_iter().for_each(|y| {
            [y.low().as_f64(), y.high().as_f64()].map(&mut keep).map(drop).into_iter().collect()
        });
        yardstick.and_then(|y| y.mean()).into_iter().for_each(&mut keep);
    }
    assert!(secrets.len() > 15);
    let views = [
        ("page", draw::page(&crosstab)),
        ("picture", draw::svg(&crosstab, None)),
        ("terminal", draw::terminal(&Layout::new(&crosstab), &TerminalOptions::default())),
    ];
    for (name, text) in views {
        for secret in &secrets {
            assert!(!text.contains(secret.as_str()), "{secret} stands in the {name}");
        }
        assert!(text.contains("Hullguard red"), "the {name} shows the rest");
    }
}

/// Every picture is XML that closes what it opens, with a text for each member that it shows.
#[test]
fn pictures_are_well_formed() {
    for name in
        ["board.toml", "coasts.toml", "alerts.toml", "quiet.toml", "against_plan.toml", "variance.toml"]
    {
        let crosstab = demo(name);
        for view in std::iter::once(None).chain((1..=crosstab.views().len()).map(Some)) {
            let svg = draw::svg(&crosstab, view);
            let opened =
                svg.matches("<svg").count() + svg.matches("<text").count() + svg.matches("<g ").count();
            let closed =
                svg.matches("</svg>").count() + svg.matches("</text>").count() + svg.matches("</g>").count();
            assert_eq!(opened, closed, "{name} {view:?}");
            assert!(!svg.contains("NaN") && !svg.contains("inf"), "{name} {view:?}");
            assert!(!svg.contains("light-dark") && !svg.contains("var("), "a picture stands by itself");
        }
    }
    let one = draw::svg(&demo("board.toml"), Some(4));
    assert!(one.contains("Sales against margin") && !one.contains("Sales by quarter"), "one view alone");
}

#[cfg(feature = "png")]
#[test]
fn pictures_become_png() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("board.png");
    Target::new(&path).unwrap().with(view(1)).write(&demo("board.toml")).unwrap();
    let bytes = std::fs::read(&path).unwrap();
    assert!(bytes.starts_with(b"\x89PNG") && bytes.len() > 10_000);
}

#[test]
fn views_that_are_not_there_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let error = Target::new(folder.path().join("x.svg"))
        .unwrap()
        .with(view(9))
        .write(&demo("board.toml"))
        .unwrap_err();
    assert_eq!(error.to_string(), "view: the brief has 6 views, and none is number 9");
}

/// The rows and bars of views beside each other are of the same members, which share their marks.
#[test]
fn views_share_the_marks_of_members() {
    let page = draw::page(&demo("board.toml"));
    let mark = |text: &str| {
        let at = page.find(text).unwrap_or_else(|| panic!("{text}"));
        let tag = page[..at].rfind("data-m=\"").unwrap() + 8;
        page[tag..].split('"').next().unwrap().to_string()
    };
    let row = mark("title=\"Kittick\"");
    let shapes = page.matches(&format!("data-m=\"{row}\"")).count();
    assert!(shapes >= 5, "the row, a bar, a point and two half tiles: {shapes}");
}
