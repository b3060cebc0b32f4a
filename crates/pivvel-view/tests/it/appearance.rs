//! Drawings in other words and colours: every phrase is said in them, numbers have the marks of the language, and what
//! colours a company has, figures can be read on them.

use std::collections::BTreeSet;

use pivvel_core::brief::{
    EmphasisBrief, Form, MeanSide, MeasureBrief, NumberFormat, PaletteName, RuleBrief, TopBrief, ViewBrief,
    ViewForm,
};
use pivvel_core::compare::{Comparison, Snapshot};
use pivvel_core::drill::LinesBehind;
use pivvel_core::source::LineSource;
use pivvel_core::{Brief, Build, CrossTab};
use pivvel_view::{
    Appearance, ChangeFormats, Colours, Ground, Logo, Rgb, TerminalOptions, Theme, Words, draw_page,
    draw_report, draw_report_page, draw_svg, draw_terminal, ink, paper,
};
use proptest::prelude::*;

use crate::support::{days, money, source, texts};

type Line = (&'static str, Option<&'static str>, i32, i128);

/// Names that are no words of any phrase.
const LINES: [Line; 7] = [
    ("Ak", Some("Bu"), 20_089, 123_456_789),
    ("Ak", Some("Bu"), 20_120, 5_000),
    ("Ak", Some("Ce"), 20_180, -1_250),
    ("Ak", None, 20_180, 2_500),
    ("Ox", Some("Di"), 20_300, 99_999),
    ("Ox", Some("Ed"), 20_454, 70_000),
    ("Ox", Some("Fo"), 20_484, 0),
];

fn lines(lines: &[Line]) -> Box<dyn LineSource> {
    Box::new(source([
        ("kk", texts(lines.iter().map(|line| Some(line.0)))),
        ("hh", texts(lines.iter().map(|line| line.1))),
        ("dd", days(lines.iter().map(|line| Some(line.2)))),
        ("xx", money(lines.iter().map(|line| Some(line.3)))),
    ]))
}

fn emphasis(on: &str, form: Form, rule: bool) -> EmphasisBrief {
    let emphasis = EmphasisBrief::new(on, form);
    let rules = [
        RuleBrief::new().at_least(100).below(200),
        RuleBrief::new().top("1").mean(MeanSide::Above),
        RuleBrief::new().at_least("50%"),
        RuleBrief::new(),
    ];
    let emphasis = emphasis.levels(["hh"]);
    if rule { rules.into_iter().fold(emphasis, EmphasisBrief::rule) } else { emphasis }
}

fn brief() -> Brief {
    let views = [
        (ViewForm::Bars, vec!["mm"], None),
        (ViewForm::Strip, vec!["mm"], None),
        (ViewForm::Scatter, vec!["mm", "nn"], None),
        (ViewForm::Tiles, vec!["mm", "nn"], None),
        (ViewForm::Line, vec!["mm"], Some("dd.month")),
    ];
    let mut brief = Brief::new()
        .title("Tt")
        .rows(["kk", "hh"])
        .columns(["dd.year", "dd.month"])
        .measure(("mm", "sum(xx)"))
        .measure(("nn", "count()"))
        .filter("xx <> 70")
        .tint("mm");
    for (on, form, rule) in [("nn", Form::Bar, false), ("nn", Form::Symbol, false), ("mm", Form::Ink, true)] {
        brief = brief.emphasize(emphasis(on, form, rule));
    }
    brief = brief
        .emphasize(emphasis("nn", Form::Tint, false).steps(4))
        .emphasize(emphasis("mm", Form::Trend, false).along("dd.month"))
        .top("hh", TopBrief::new(2, "mm").others("Zz"));
    views.into_iter().fold(brief, |brief, (form, measures, along)| {
        let view = ViewBrief::new(form).rows(["kk", "hh"]).columns([""; 0]).measures(measures);
        brief.view(along.into_iter().fold(view.grid([("Bu".into(), (1, 1))]), ViewBrief::along))
    })
}

fn crosstab() -> CrossTab {
    CrossTab::build(&brief(), lines(&LINES).as_mut()).unwrap()
}

/// Everything that is drawn in an appearance, as text.
fn drawn(appearance: &Appearance) -> Vec<(String, String)> {
    let crosstab = crosstab();
    let options = TerminalOptions::default().width(40).rows(3).colours(Colours::None);
    let plain = brief().views([]).emphasis([]);
    let mut open = || Ok(lines(&LINES));
    let mut all = vec![
        ("page".to_string(), appearance.page(&crosstab)),
        ("picture".to_string(), appearance.svg(&crosstab, None)),
        ("terminal".to_string(), draw_terminal(&appearance.layout(&crosstab), &options)),
        ("whole".to_string(), draw_terminal(&appearance.layout(&crosstab), &TerminalOptions::default())),
    ];
    for cell in ["total", "kk=Ox", "kk=Ak,hh="] {
        let address = cell.parse().unwrap();
        let story = Build::new().explain(&plain, &mut open, &address, "mm").unwrap();
        let trace = Build::new().trace(&plain, lines(&LINES).as_mut()).unwrap();
        let wanted = LinesBehind::of(address).limit(0);
        let tied = trace.lines(&wanted, lines(&LINES).as_mut(), &mut |_| Ok(())).unwrap();
        for report in [appearance.story(&story), appearance.lines(&wanted, &tied, Vec::new(), Vec::new())] {
            all.push((format!("report of {cell}"), draw_report(&report, &TerminalOptions::default())));
            all.push((format!("page of {cell}"), draw_report_page(&report)));
        }
    }
    let snapshot =
        |name: &str, own: &[Line]| Snapshot::of(name, &CrossTab::build(&plain, lines(own).as_mut()).unwrap());
    let comparison =
        Comparison::new(&snapshot("Aa", &LINES[..4]), &snapshot("Bb", &LINES[2..]), &[]).unwrap();
    let report = appearance.changes(&comparison, "Cc".into(), &ChangeFormats::default().limit(1));
    all.push(("changes".into(), draw_report(&report, &TerminalOptions::default())));
    all
}

/// The words of three letters or more in a text, without what stands in braces.
fn words(text: &str) -> BTreeSet<String> {
    let mut open = false;
    let plain = text.chars().map(|c| {
        open = c == '{' || open && c != '}';
        if open { ' ' } else { c }
    });
    let plain: String = plain.collect();
    let all = plain.split(|c: char| !c.is_alphabetic()).filter(|word| word.chars().count() >= 3);
    all.map(str::to_lowercase).collect()
}

/// What a reader sees or hears of a page or a picture: its texts, and the attributes that are words.
fn read(drawing: &str) -> String {
    let mut text = String::new();
    let mut rest = drawing;
    for skipped in ["<script", "<style"] {
        let parts: Vec<&str> = rest.split(skipped).collect();
        let end = skipped.replace('<', "</");
        let kept: Vec<&str> = std::iter::once(parts[0])
            .chain(parts[1..].iter().map(|part| part.split_once(&end).map_or("", |(_, after)| after)))
            .collect();
        text = kept.concat();
        rest = Box::leak(text.clone().into_boxed_str());
    }
    let mut seen = String::new();
    for part in text.split('<') {
        let (tag, content) = part.split_once('>').unwrap_or(("", part));
        for name in ["aria-label=\"", "title=\"", "data-w=\"", "alt=\""] {
            for value in tag.split(name).skip(1) {
                seen.push_str(value.split('"').next().unwrap());
                seen.push('\n');
            }
        }
        seen.push_str(content);
        seen.push('\n');
    }
    seen
}

/// No English word of any phrase is left in a drawing in German.
#[test]
fn every_phrase_is_said_in_the_words_of_the_look() {
    let german = Words::german();
    let own: BTreeSet<String> = Words::phrases().flat_map(words).collect();
    let appearance = Appearance::new().words(german);
    // Words that both languages have, and names of keys and functions, which belong to the brief.
    let both = ["trend", "april", "august", "september", "november", "sum", "count", "top", "des", "html"];
    let keys = ["limit", "page", "width", "row", "column", "member", "emphasis"];
    let foreign: BTreeSet<String> =
        own.iter().filter(|word| !both.contains(&word.as_str())).cloned().collect();
    let mut wrong = Vec::new();
    for (name, drawing) in drawn(&appearance) {
        let text = if drawing.contains('<') { read(&drawing) } else { drawing };
        for line in text.lines() {
            let found: Vec<String> = words(line)
                .into_iter()
                .filter(|word| foreign.contains(word) && !keys.contains(&word.as_str()))
                .filter(|word| !in_german(word))
                // The address of the total, and names of groups of peers.
                .filter(|word| !(name.contains(" of ") && word == "total"))
                .collect();
            if !found.is_empty() {
                wrong.push(format!("{name}: {found:?} in {line}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Whether German phrases have a word.
fn in_german(word: &str) -> bool {
    let german = include_str!("../../src/appearance/german.rs");
    let own = german.lines().filter_map(|line| line.trim().strip_prefix("(\""));
    own.filter_map(|line| line.split_once("\", \"")).any(|(_, own)| words(own).contains(word))
}

/// Every phrase is said somewhere: in the code, the script or a template.
#[test]
fn no_phrase_is_left_over() {
    fn gather(folder: &std::path::Path, text: &mut String) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                gather(&path, text);
            } else if !path.ends_with("german.rs") {
                text.push_str(&std::fs::read_to_string(&path).unwrap());
            }
        }
    }
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut text = String::new();
    let folders = ["src", "templates", "../pivvel-core/src", "../pivvel/src/book"];
    for folder in folders.map(|folder| root.join(folder)) {
        gather(&folder, &mut text);
    }
    let left: Vec<&str> =
        Words::phrases().filter(|phrase| !text.contains(&format!("\"{phrase}\""))).collect();
    assert!(left.is_empty(), "{left:?}");
    // What the script says, it can say in other words.
    let script = std::fs::read_to_string(root.join("templates/page.js")).unwrap();
    let known: BTreeSet<&str> = Words::phrases().collect();
    for said in script.split("say(").skip(1) {
        // The first argument, of which there may be two to choose from: what stands in quotes before what fills it.
        for (i, part) in said.split('"').enumerate() {
            match i % 2 {
                0 if part.contains(['{', ')']) => break,
                0 => {}
                _ => assert!(known.contains(part), "{part}"),
            }
        }
    }
}

/// Numbers have the marks of the language, but for formats with marks of their own.
#[test]
fn numbers_have_the_marks_of_the_language() {
    let own = NumberFormat::named("money").unwrap().marks("'");
    let brief = Brief::new()
        .rows(["kk"])
        .measure(("mm", "sum(xx)"))
        .measure(MeasureBrief::new("pp", "sum(xx)").format(own))
        .tint("mm");
    let crosstab = CrossTab::build(&brief, lines(&LINES).as_mut()).unwrap();
    let appearance = Appearance::new().words(Words::german());
    for drawing in [
        draw_terminal(&appearance.layout(&crosstab), &TerminalOptions::default()),
        appearance.page(&crosstab),
        appearance.svg(&crosstab, None),
    ] {
        assert!(drawing.contains("1.234.630,39") && !drawing.contains("1,234,630.39"), "{drawing}");
        assert!(drawing.contains("1'234'630.39"), "{drawing}");
    }
    // A page sorts by true values.
    assert!(appearance.page(&crosstab).contains("data-v=\"1234630.39\""));
    assert!(draw_page(&crosstab).contains("<html lang=\"en\">"));
}

/// The calendar is the language's, the data's words are the data's.
#[test]
fn months_and_weekdays_are_said_too() {
    let brief =
        |part: &str| Brief::new().rows([part]).columns(["dd.year", "dd.month"]).measure(("mm", "sum(xx)"));
    let appearance = Appearance::new().words(Words::german());
    for (part, said) in [("dd.weekday", "Mittwoch"), ("dd.month_of_year", "Januar")] {
        let crosstab = CrossTab::build(&brief(part), lines(&LINES).as_mut()).unwrap();
        let text = draw_terminal(&appearance.layout(&crosstab), &TerminalOptions::default());
        assert!(text.contains(said) && text.contains("Jan.") && text.contains("gesamt"), "{text}");
    }
    let months = ["January", "Wednesday", "total"].map(Some);
    let named = source([("kk", texts(months)), ("xx", money([Some(1), Some(2), Some(3)]))]);
    let plain = Brief::new().rows(["kk"]).measure(("mm", "sum(xx)"));
    let crosstab = CrossTab::build(&plain, &mut { named }).unwrap();
    let text = draw_terminal(&appearance.layout(&crosstab), &TerminalOptions::default());
    assert!(text.contains("January") && text.contains("Wednesday") && text.contains("total"), "{text}");
}

/// A logo and type stand on the page itself; nothing of them is taken for markup.
#[test]
fn a_house_has_its_logo_and_its_type() {
    let logo = Logo::svg("<svg xmlns=\"http://www.w3.org/2000/svg\"/>", "House \"<of>\" Ak");
    let theme = Theme::new().logo(logo).fonts("'Ak Sans', serif}</style><script>");
    let appearance = Appearance::new().theme(theme);
    let page = appearance.page(&crosstab());
    assert!(page.contains("src=\"data:image/svg+xml;base64,PHN2ZyB4bWxucz0i"), "{page}");
    assert!(page.contains("alt=\"House &#34;&#60;of&#62;&#34; Ak\""), "{page}");
    assert!(page.contains("--fonts:'Ak Sans', serifstylescript}"), "{page}");
    assert!(appearance.svg(&crosstab(), None).contains("px 'Ak Sans', serifstylescript;"));
    assert!(!draw_svg(&crosstab(), None).contains("Ak Sans"));
}

proptest! {
    /// Whatever the colours of a company are, figures can be read on every tint and in every ink.
    #[test]
    fn figures_can_be_read_in_the_colours_of_a_house(low: (u8, u8, u8), high: (u8, u8, u8)) {
        let [low, high] = [low, high].map(|(r, g, b)| Rgb(r, g, b));
        let theme = Theme::new().palette(PaletteName::Shore, Some(low), high).palette(PaletteName::Water, None, high);
        for name in [PaletteName::Shore, PaletteName::Water] {
            let palette = theme.palette_of(name);
            for ground in [Ground::Light, Ground::Dark] {
                for position in (-10..=10).map(|step| f64::from(step) / 10.0) {
                    let (text, page) = (ink(ground), paper(ground));
                    prop_assert!(text.contrast(palette.tint(position, ground)) >= 4.5);
                    prop_assert!(palette.ink(position, ground).contrast(page) >= 4.5);
                }
            }
        }
        let appearance = Appearance::new().theme(theme.clone());
        let tint = theme.palette_of(PaletteName::Water).tint(1.0, Ground::Light).hex();
        prop_assert!(appearance.page(&crosstab()).contains(&tint));
    }
}
