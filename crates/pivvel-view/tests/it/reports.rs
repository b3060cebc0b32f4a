//! Reports of cells, lines and changes: the same words on a terminal and on a page, with nothing of a
//! name taken for anything but text, and bars that are scaled among the changes of one level.

use arrow_array::RecordBatch;
use pivvel_core::brief::{ItemBrief, MeasureBrief, NumberFormat};
use pivvel_core::compare::{Comparison, Snapshot, with_ratios};
use pivvel_core::drill::{Address, LinesBehind};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, CrossTab};
use pivvel_view::{
    ChangeFormats, LineColumn, Report, ReportBranch, ReportPart, ReportTable, TerminalOptions, draw_report,
    draw_report_page, report_changes, report_lines, report_story, show_number, summary_of_lines,
};
use proptest::prelude::*;

use crate::support;
use crate::support::{days, money};

type Line = (&'static str, &'static str, i32, i128, i128);

const EARLIER: [Line; 6] = [
    ("Fell", "Pellam", 20_089, 20_000, 10_000),
    ("Fell", "Pellam", 20_090, 10_000, 5_000),
    ("Fell", "Tern", 20_100, 10_000, 8_000),
    ("<b>Skerry</b> & \"Co\"", "Våg\u{1b}[31m", 20_101, 5_050, 2_000),
    ("Isle", "", 20_102, 100, 50),
    ("Isle", "Ennor", 20_103, -700, 0),
];
const LATER: [Line; 5] = [
    ("Fell", "Pellam", 20_454, 10_000, 5_000),
    ("Fell", "Tern", 20_460, 30_000, 24_000),
    ("<b>Skerry</b> & \"Co\"", "Våg\u{1b}[31m", 20_461, 6_000, 2_500),
    ("Isle", "Ennor", 20_462, 900, 100),
    ("Marram", "Dunmere", 20_463, 1_234, 600),
];

fn source(lines: &[Line]) -> Batches<std::vec::IntoIter<RecordBatch>> {
    support::source([
        ("coast", support::texts(lines.iter().map(|line| Some(line.0)))),
        ("harbour", support::texts(lines.iter().map(|line| Some(line.1).filter(|text| !text.is_empty())))),
        ("sold_on", days(lines.iter().map(|line| Some(line.2)))),
        ("amount", money(lines.iter().map(|line| Some(line.3)))),
        ("cost", money(lines.iter().map(|line| Some(line.4)))),
    ])
}

fn brief() -> Brief {
    let percent = NumberFormat::named("percent").unwrap();
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.month_of_year"])
        .measure(("sales", "sum(amount)"))
        .measure(MeasureBrief::new("margin", "sum(amount - cost) / sales").format(percent))
}

fn comparison() -> (Comparison, ChangeFormats) {
    let (brief, ratios) = with_ratios(&brief());
    let snapshot = |name: &str, lines: &[Line]| {
        Snapshot::of(name, &CrossTab::build(&brief, &mut source(lines)).unwrap())
    };
    let comparison =
        Comparison::new(&snapshot("earlier", &EARLIER), &snapshot("later", &LATER), &ratios).unwrap();
    let measures = brief.get_measures().iter().map(|m| (m.get_name().to_string(), m.get_format().clone()));
    (comparison, ChangeFormats::default().measures(measures))
}

fn story(address: &str, measure: &str) -> Report {
    let mut open = || Ok(Box::new(source(&EARLIER)) as Box<dyn pivvel_core::source::LineSource>);
    let address = address.parse::<Address>().unwrap();
    report_story(&Build::new().explain(&brief(), &mut open, &address, measure).unwrap())
}

fn options() -> TerminalOptions {
    TerminalOptions::default()
}

/// The texts of a report, in order.
fn texts(report: &Report) -> Vec<String> {
    let mut all = vec![report.title().to_string()];
    for part in report.parts() {
        match part {
            ReportPart::Heading(heading) => all.push(heading.clone()),
            ReportPart::Words(words) => all.extend(words.iter().map(|(_, words)| words.clone())),
            ReportPart::Table(table) => {
                all.extend(table.columns().iter().map(|column| column.name().to_string()));
                all.extend(table.rows().iter().flatten().cloned());
            }
            ReportPart::Tree(branches) => branches.iter().for_each(|branch| texts_of(branch, &mut all)),
            ReportPart::Strip(strip) => all.extend(strip.ends().iter().cloned()),
            other => panic!("{other:?}"),
        }
    }
    all
}

fn texts_of(branch: &ReportBranch, all: &mut Vec<String>) {
    all.extend([branch.what().to_string(), branch.value().to_string()]);
    all.extend(branch.digits().into_iter().chain(branch.note()).map(str::to_string));
    branch.parts().iter().for_each(|part| texts_of(part, all));
}

fn escaped(text: &str) -> String {
    text.replace('&', "&#38;")
        .replace('<', "&#60;")
        .replace('>', "&#62;")
        .replace('"', "&#34;")
        .replace('\'', "&#39;")
}

fn reports() -> Vec<Report> {
    let (comparison, formats) = comparison();
    let trace = Build::new().trace(&brief(), &mut source(&EARLIER)).unwrap();
    let wanted = LinesBehind::of("coast=Fell".parse().unwrap());
    let tied = trace.lines(&wanted, &mut source(&EARLIER), &mut |_| Ok(())).unwrap();
    let columns = ["coast", "amount"].map(|name| LineColumn::new(name, name == "amount"));
    let rows =
        vec![vec!["<script>alert(1)</script>".to_string(), "1.00".into()], vec!["a\u{7}b".into(), "".into()]];
    vec![
        report_changes(&comparison, "From <a> to & b".into(), &formats),
        report_changes(&comparison, "all".into(), &formats.clone().inner(true)),
        report_lines(&wanted, &tied, columns.to_vec(), rows),
        story("coast='<b>Skerry</b> & \"Co\"'", "margin"),
        story("coast=Isle,harbour=", "sales"),
        story("total", "sales"),
        Report::default(),
    ]
}

/// Terminal and page say all of it, in order; names are texts, whatever is in them.
#[test]
fn a_page_and_a_terminal_say_the_same() {
    for report in reports() {
        let (page, terminal) = (draw_report_page(&report), draw_report(&report, &options()));
        let (mut on_page, mut on_terminal) = (page.as_str(), terminal.as_str());
        // Behind the style, in which words of the language stand.
        on_page = &on_page[on_page.find("<body").unwrap()..];
        for text in texts(&report) {
            let clean: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
            let at = on_terminal.find(clean.trim()).unwrap_or_else(|| panic!("{text:?} in\n{terminal}"));
            on_terminal = &on_terminal[at..];
            let at = on_page.find(&escaped(&text)).unwrap_or_else(|| panic!("{text:?} in\n{page}"));
            on_page = &on_page[at..];
        }
        assert!(!page.contains("<script") && !page.contains("<b>"), "{page}");
        assert!(!page.contains("http://") && !page.contains("https://"), "it asks for nothing");
        assert!(page.contains("default-src 'none'") && page.contains("light dark"));
        assert!(!terminal.contains('\u{1b}') && !terminal.contains('\u{7}'), "{terminal:?}");
        assert!(terminal.lines().all(|line| !line.ends_with(' ')), "{terminal}");
        // Headings are for whoever hears a page, too.
        assert_eq!(page.matches("<h1>").count(), 1);
        let headings = report.parts().iter().filter(|part| matches!(part, ReportPart::Heading(_))).count();
        assert_eq!(page.matches("<h2>").count(), headings);
        assert_eq!(page.matches("<section>").count(), page.matches("</section>").count());
        let cells: usize =
            texts_of_tables(&report).iter().map(|t| t.rows().iter().map(Vec::len).sum::<usize>()).sum();
        let barred: usize = texts_of_tables(&report).iter().map(|t| t.bars().len() * t.rows().len()).sum();
        assert_eq!(page.matches("<td").count(), cells + barred);
    }
}

fn texts_of_tables(report: &Report) -> Vec<&ReportTable> {
    let tables = report.parts().iter().filter_map(|part| match part {
        ReportPart::Table(table) => Some(table),
        _ => None,
    });
    tables.collect()
}

/// Bars begin at nothing; the longest is the largest change of its own level, and its sign is the change's.
#[test]
fn bars_are_of_one_level() {
    let (comparison, formats) = comparison();
    let report = report_changes(&comparison, String::new(), &formats.inner(true));
    let mut met = 0;
    for table in texts_of_tables(&report) {
        // A ratio that is taken apart has bars of its two parts instead.
        let [only] = table.bars() else { continue };
        let (column, bars) = (only.column(), only.ends());
        assert_eq!((table.columns()[column].name(), bars.len()), ("change", table.rows().len()));
        let longest = bars.iter().flatten().map(|bar| bar.abs()).fold(0.0, f64::max);
        assert!((longest - 1.0).abs() < 1e-12 || longest == 0.0, "{bars:?}");
        for (row, bar) in table.rows().iter().zip(bars) {
            let shown = &row[column];
            match bar {
                None => assert!(shown.is_empty(), "{row:?}"),
                Some(bar) if *bar < 0.0 => {
                    assert!(shown.starts_with('-') || shown.starts_with("0"), "{row:?}")
                }
                Some(_) => assert!(!shown.starts_with('-'), "{row:?}"),
            }
            met += 1;
        }
        // The largest first.
        let sizes: Vec<f64> = bars.iter().map(|bar| bar.map_or(-1.0, f64::abs)).collect();
        assert!(sizes.is_sorted_by(|a, b| a >= b), "{sizes:?}");
    }
    assert!(met > 20, "{met}");
    let page = draw_report_page(&report);
    for bar in page.split("<td class=\"change\">").skip(1).map(|rest| &rest[..rest.find("</td>").unwrap()]) {
        let numbers = bar.split(|c: char| !c.is_ascii_digit() && c != '.');
        let numbers: Vec<f64> = numbers.filter_map(|number| number.parse().ok()).collect();
        let [zero, left, width] = numbers[..] else { panic!("{bar}") };
        assert!(left >= 0.0 && width >= 0.0 && left + width <= 100.0 + 1e-9, "{bar}");
        assert!((left - zero).abs() < 1e-9 || (left + width - zero).abs() < 1e-9, "{bar}");
    }
}

/// A limit leaves the smaller ones out and says how many; what stands is what stood before.
#[test]
fn a_limit_says_what_it_leaves_out() {
    let (comparison, formats) = comparison();
    let all = report_changes(&comparison, String::new(), &formats);
    for limit in [1, 2, 3, 100] {
        let some = report_changes(&comparison, String::new(), &formats.clone().limit(limit));
        let (all, some_tables) = (texts_of_tables(&all), texts_of_tables(&some));
        assert_eq!(all.len(), some_tables.len());
        let mut left = Vec::new();
        for (whole, part) in all.iter().zip(&some_tables) {
            // A limit cuts the tables of members, not the one of the parts of a ratio.
            let cut = if whole.columns()[0].name() == "member" {
                limit.min(whole.rows().len())
            } else {
                whole.rows().len()
            };
            assert_eq!(part.rows()[..], whole.rows()[..cut]);
            if cut < whole.rows().len() {
                left.push((whole.rows().len() - cut, whole.rows().len()));
            }
        }
        let said: Vec<String> = texts(&some).into_iter().filter(|text| text.contains("not shown")).collect();
        let wanted: Vec<String> = left
            .iter()
            .map(|(left, all)| match left {
                1 => format!("1 smaller change is not shown; see all: --limit {all}"),
                left => format!("{left} smaller changes are not shown; see all: --limit {all}"),
            })
            .collect();
        assert_eq!(said, wanted);
    }
}

#[test]
fn what_lines_add_up_to_is_reported() {
    let trace = Build::new().trace(&brief(), &mut source(&EARLIER)).unwrap();
    let cases = [
        ("total", None, "6 lines behind total, as many as the cell has"),
        ("coast=Fell", Some(1), "3 lines behind coast=Fell, as many as the cell has; 1 of them shown"),
        ("coast=Isle,harbour=", None, "1 line behind coast=Isle, harbour=, as many as the cell has"),
        ("coast=Isle", Some(0), "2 lines behind coast=Isle, as many as the cell has; 0 of them shown"),
    ];
    for (address, limit, wanted) in cases {
        let behind = LinesBehind::of(address.parse().unwrap()).limit(limit);
        let tied = trace.lines(&behind, &mut source(&EARLIER), &mut |_| Ok(())).unwrap();
        let words = summary_of_lines(&behind, &tied);
        assert_eq!(words[0], (0, wanted.to_string()));
        assert!(
            words[1..].iter().all(|(steps, words)| *steps == 1 && words.ends_with("as in the cell")),
            "{words:?}"
        );
    }
}

#[test]
fn stories_in_words() {
    let margin = draw_report(&story("coast=Fell", "margin"), &options());
    for wanted in [
        "margin at coast=Fell is 42.5 %",
        "Its row is a member of coast, its column the total.",
        "3 lines, sold_on from 2025-01-01 to 2025-01-12",
        "sum(amount) over them is 400.00, as in the cell",
        "margin = sum(amount - cost) / sales is 42.5 % (0.425)",
        "sum(amount - cost) is 170.00",
        "sales = sum(amount) is 400.00",
    ] {
        assert!(margin.lines().any(|line| line.trim() == wanted), "{wanted:?} in {margin}");
    }
    let blank = texts(&story("coast=Isle,harbour=", "sales"));
    assert!(blank.contains(&"1 line, sold_on from 2025-01-14 to 2025-01-14".to_string()), "{blank:#?}");
    let total = texts(&story("total", "sales"));
    assert!(total.contains(&"Its row is the total, its column the total.".to_string()), "{total:#?}");
    assert!(total.iter().any(|text| text == "there is no other cell to compare it with"), "{total:#?}");
}

proptest! {
    /// What is shown is the value, rounded to the digits that are shown.
    #[test]
    fn shown_numbers_are_rounded_to_half_a_unit(
        digits in any::<i64>(),
        scale in 0..9u8,
        name in prop::sample::select(&NumberFormat::NAMES[..]),
        decimals in prop::option::of(0..6u8),
    ) {
        let ready = NumberFormat::named(name).unwrap();
        let format = ready.clone().decimals(decimals.or(ready.get_decimals()));
        let value = pivvel_core::Value::Exact(pivvel_core::Decimal::new(digits.into(), scale));
        let shown = show_number(&value, &format);
        let whole = shown.trim_start_matches('-').split(|c: char| !c.is_ascii_digit() && c != ',').next().unwrap();
        let groups: Vec<usize> = whole.split(',').map(str::len).collect();
        prop_assert!((1..=3).contains(&groups[0]) && groups[1..].iter().all(|digits| *digits == 3), "{}", shown);
        let plain: String = shown.chars().filter(|c| c.is_ascii_digit() || *c == '-').collect();
        let shown_decimals = shown.split_once('.').map_or(0, |(_, rest)| rest.chars().filter(char::is_ascii_digit).count());
        let power = match format.get_scaling() {
            pivvel_core::brief::Scaling::Ones => 0,
            pivvel_core::brief::Scaling::Thousands => 3,
            pivvel_core::brief::Scaling::Millions => 6,
            pivvel_core::brief::Scaling::Percent => -2,
            other => panic!("{other}"),
        };
        // Both in units of 10^-20: shown / 10^decimals * 10^power against digits / 10^scale.
        let unit = |exponent: i32| 10i128.pow((20 + exponent) as u32);
        let shown_units = plain.parse::<i128>().unwrap().checked_mul(unit(power - shown_decimals as i32));
        let value_units = i128::from(digits).checked_mul(unit(-i32::from(scale)));
        if let (Some(shown_units), Some(value_units)) = (shown_units, value_units) {
            let half = unit(power - shown_decimals as i32) / 2;
            prop_assert!((shown_units - value_units).abs() <= half, "{digits} at {scale}: {shown}");
        }
        if let Some(decimals) = format.get_decimals() {
            prop_assert_eq!(shown_decimals, usize::from(decimals));
        }
        // Marks stand between thousands and nowhere else.
        let whole = shown.split('.').next().unwrap().trim_start_matches('-');
        let whole: String = whole.chars().filter(|c| c.is_ascii_digit() || *c == ',').collect();
        let groups: Vec<&str> = whole.split(',').collect();
        prop_assert!(groups[1..].iter().all(|group| group.len() == 3) && (1..=3).contains(&groups[0].len()), "{}", shown);
    }
}

/// The line of peers has a point for each of them, the mean in its place, and the cell itself, on a terminal and on a page.
#[test]
fn a_story_shows_where_the_cell_stands_among_its_peers() {
    let story = story("coast=Fell,harbour=Tern,sold_on.month_of_year=January", "sales");
    let strip = story.parts().iter().find_map(|part| match part {
        ReportPart::Strip(strip) => Some(strip),
        _ => None,
    });
    let strip = strip.unwrap();
    // 300.00, 100.00, 50.50, 1.00 and -7.00 of harbours in January.
    assert_eq!(*strip.ends(), ["-7.00".to_string(), "300.00".to_string()]);
    assert_eq!(strip.places().len(), 5);
    assert!(strip.places().is_sorted(), "{:?}", strip.places());
    assert!((strip.own() - 107.0 / 307.0).abs() < 1e-12, "{}", strip.own());
    let mean = (444.5 / 5.0 + 7.0) / 307.0;
    assert!(strip.mean().is_some_and(|own| (own - mean).abs() < 1e-12), "{:?}", strip.mean());
    let page = draw_report_page(&story);
    assert_eq!(page.matches("<circle").count(), 6);
    assert!(page.contains(&format!("class=\"own\" cx=\"{:.1}\"", 8.0 + 400.0 * strip.own())));
    let text = draw_report(&story, &options());
    let line = text.lines().find(|line| line.contains('◆')).unwrap();
    let at = |sign: char| line.chars().position(|c| c == sign).unwrap();
    assert_eq!(at('◆') - at('•'), (40.0 * strip.own()).round() as usize);
    assert_eq!(at('│') - at('•'), (40.0 * mean).round() as usize);
    assert_eq!(line.chars().filter(|c| *c == '•').count(), 4, "{line}");
}

/// An item that has a format of its own is shown in it, as in the table.
#[test]
fn a_story_has_the_format_of_its_cell() {
    let item = ItemBrief::new("coast", "of Isle", "Fell / Isle");
    let brief = brief().add_item(item.format(NumberFormat::named("percent").unwrap()));
    let mut open = || Ok(Box::new(source(&EARLIER)) as Box<dyn pivvel_core::source::LineSource>);
    let address = "coast='of Isle'".parse::<Address>().unwrap();
    let story = Build::new().explain(&brief, &mut open, &address, "sales").unwrap();
    let report = report_story(&story);
    let title = report.title();
    assert!(title.ends_with("%"), "{title}");
}

/// A number is drawn beside what it is split into: bars on one scale, shares where they add up to it.
#[test]
fn a_story_shows_what_the_number_is_split_into() {
    let report = story("total", "sales");
    let tables = texts_of_tables(&report);
    let coasts = tables.iter().find(|table| table.columns()[0].name() == "coast").unwrap();
    let names: Vec<&str> = coasts.columns().iter().map(|column| column.name()).collect();
    assert_eq!(names, ["coast", "sales", "share"]);
    let number = |text: &str| text.replace([',', '%', ' '], "").parse::<f64>().unwrap();
    let whole: f64 = coasts.rows().iter().map(|row| number(&row[1])).sum();
    for row in coasts.rows() {
        assert!((number(&row[1]) / whole * 100.0 - number(&row[2])).abs() < 0.051, "{row:?} of {whole}");
    }
    let [only] = coasts.bars() else { panic!("{:?}", coasts.bars()) };
    let (column, ends) = (only.column(), only.ends());
    assert_eq!(column, 1);
    assert!(ends.contains(&Some(1.0)) && ends.iter().flatten().all(|end| end.abs() <= 1.0), "{ends:?}");
    // A ratio is no sum of its parts.
    let margin = story("total", "margin");
    assert!(texts_of_tables(&margin).iter().all(|table| table.columns().len() == 2));
    let tree = margin.parts().iter().find_map(|part| match part {
        ReportPart::Tree(branches) => Some(&branches[0]),
        _ => None,
    });
    let leaves: Vec<&str> = tree.unwrap().parts().iter().map(|part| part.what()).collect();
    assert!(leaves.len() == 2 && leaves.iter().all(|leaf| leaf.contains("sum(")), "{leaves:?}");
}

/// Of a number with many parts the largest are shown, and how many are not.
#[test]
fn of_many_parts_the_largest_are_shown() {
    const NAMES: &str = "abcdefghijklmnopqrstuvwxy";
    let coast = |i: usize| &NAMES[i..=i];
    let lines: Vec<Line> = (0..25).map(|i| (coast(i), "", 20_089, 100 * i as i128 + 100, 0)).collect();
    let mut open = || Ok(Box::new(source(&lines)) as Box<dyn pivvel_core::source::LineSource>);
    let story = Build::new().explain(&brief(), &mut open, &Address::new(), "sales").unwrap();
    assert_eq!(story.parts()[0].parts().len(), 25);
    let report = report_story(&story);
    let rows = &texts_of_tables(&report)[0].rows();
    assert_eq!((rows.len(), rows[0][0].as_str(), rows[19][0].as_str()), (20, "y", "f"));
    assert!(texts(&report).contains(&"5 smaller parts are not shown".to_string()));
}

/// A ratio that is no percentage is taken apart in its own unit.
#[test]
fn a_price_is_taken_apart_as_a_price() {
    let brief = Brief::new().rows(["coast"]).measure(("price", "sum(amount) / count()"));
    let (brief, ratios) = with_ratios(&brief);
    let snapshot = |name: &str, lines: &[Line]| {
        Snapshot::of(name, &CrossTab::build(&brief, &mut source(lines)).unwrap())
    };
    let comparison =
        Comparison::new(&snapshot("earlier", &EARLIER), &snapshot("later", &LATER), &ratios).unwrap();
    let report = report_changes(&comparison, String::new(), &ChangeFormats::default());
    // 444.50 over six lines, and 481.34 over five.
    let heading = "price went from 74.08 to 96.27: ";
    let all = texts(&report);
    let apart = all.iter().find(|text| text.starts_with(heading)).unwrap_or_else(|| panic!("{all:#?}"));
    assert!(!apart.contains("points") && !apart.contains('%'), "{apart}");
}
