//! Every kind of page by the rules of axe-core: light and dark, wide and narrow, no violation.
//!
//! `PIVVEL_AXE` names the file `axe.min.js` of the package axe-core; where it is not set, `.ci/run` has fetched it.

use pivvel::compare::{Comparison, Snapshot, with_ratios};
use pivvel::draw::{self, Appearance, ChangeFormats, LineColumn, Words};
use pivvel::drill::{Address, LinesBehind};
use pivvel::source::LineSource;
use pivvel::{Brief, Build, CrossTab};

use crate::demo::{brief, lines};
use crate::driver::{Colours, Page};

/// What axe-core has against a page, each with its rule and its places.
const RUN: &str = "const done = arguments[arguments.length - 1]; \
    axe.run().then(r => done(r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.target.join(' ') + ' ' + n.failureSummary).slice(0, 3).join(' | '))), \
                   e => done(['axe-core failed: ' + e]));";

fn story(name: &str, address: &str, measure: &str) -> String {
    let mut open = || Ok(Box::new(lines()) as Box<dyn LineSource>);
    let address = address.parse::<Address>().unwrap();
    let story = Build::new().explain(&brief(name), &mut open, &address, measure).unwrap();
    draw::report_page(&draw::report_story(&story))
}

fn changes() -> String {
    let (brief, ratios) = with_ratios(&brief("alerts.toml"));
    let snapshot = |year: &str| {
        let brief = brief.clone().filter(format!("sold_on.year = {year}"));
        Snapshot::of(year, &CrossTab::build(&brief, &mut lines()).unwrap())
    };
    let comparison = Comparison::new(&snapshot("2024"), &snapshot("2025"), &ratios).unwrap();
    let report = draw::report_changes(&comparison, "2024 and 2025".into(), &ChangeFormats::default());
    draw::report_page(&report)
}

fn lines_behind() -> String {
    let trace = Build::new().trace(&brief("coasts.toml"), &mut lines()).unwrap();
    let wanted = LinesBehind::of("harbour=Kittick".parse().unwrap());
    let tied = trace.lines(&wanted, &mut lines(), &mut |_| Ok(())).unwrap();
    let columns = vec![LineColumn::new("harbour", false), LineColumn::new("amount", true)];
    let rows = vec![vec!["Kittick".into(), "12.00".into()]];
    draw::report_page(&draw::report_lines(&wanted, &tied, columns, rows))
}

/// A table of so many cells that its rows are laid out when they come into sight.
fn large() -> String {
    let brief = Brief::new().rows(["harbour", "sold_on.day"]).columns(["range"]);
    let page = draw::page(&CrossTab::build(&brief.measure(("sales", "sum(amount)")), &mut lines()).unwrap());
    assert!(page.contains("class=\"large\""));
    page
}

fn pages() -> Vec<(&'static str, String)> {
    let of = |name| (name, draw::page(&CrossTab::build(&brief(name), &mut lines()).unwrap()));
    let german = Appearance::new().words(Words::german());
    let board = CrossTab::build(&brief("board.toml"), &mut lines()).unwrap();
    let choices = Build::new().variants(&brief("choices.toml"), &mut lines()).unwrap();
    let mut pages: Vec<_> =
        ["board.toml", "alerts.toml", "coasts.toml", "quiet.toml", "gaps.toml", "pace.toml"].map(of).into();
    pages.extend([
        ("choices", draw::page_with_controls(&choices).unwrap()),
        ("in German", german.page(&board)),
        ("story", story("last_year.toml", "quarter=2025-Q1", "on_year")),
        ("parts", story("alerts.toml", "total", "profit")),
        ("changes", changes()),
        ("lines", lines_behind()),
        ("large", large()),
    ]);
    pages
}

#[test]
fn nothing_is_in_the_way_of_anyone() {
    let fetched = std::env::temp_dir().join("pivvel-axe/package/axe.min.js");
    let file = std::env::var_os("PIVVEL_AXE").map_or(fetched, Into::into);
    let Ok(axe) = std::fs::read_to_string(file) else {
        return crate::missing::skipped("axe-core (PIVVEL_AXE names its file)");
    };
    let mut wrong = Vec::new();
    for (name, html) in pages() {
        for colours in [Colours::Light, Colours::Dark] {
            let (axe, found) = (axe.clone(), std::sync::Arc::new(std::sync::Mutex::new(Vec::new())));
            let into = found.clone();
            Page::open_in(colours, &html, |page| async move {
                let dark = page.value("return matchMedia('(prefers-color-scheme: dark)').matches").await;
                assert_eq!(dark, matches!(colours, Colours::Dark));
                page.value(&axe).await;
                // All rows of a large table are made alike, and axe-core takes minutes for thousands.
                page.value("document.querySelectorAll('.large tbody tr:nth-child(n+40)').forEach(row => row.remove())").await;
                for width in [1280, 400] {
                    page.resize(width, 800).await;
                    assert!(page.number("return innerWidth").await <= f64::from(width));
                    for violation in page.answer(RUN).await {
                        into.lock().unwrap().push(format!("{width} {violation}"));
                    }
                }
            });
            let found = std::mem::take(&mut *found.lock().unwrap());
            wrong.extend(found.into_iter().map(|what| format!("{name}, {colours:?}, {what}")));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
