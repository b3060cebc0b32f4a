//! Workbooks as working papers: bars on the scales of their levels, outline, links, dates, names of sheets, and no figure
//! that is hidden. The parts of the file are read as text (ISO/IEC 29500), without the crate that writes them.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{Cursor, Read};
use std::path::Path;

use pivvel::brief::{EmphasisBrief, Figure, Form, SymbolSet, ViewBrief, ViewForm};
use pivvel::draw::{Appearance, Layout, LegendEntry, Words};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::{Target, TargetOptions};
use pivvel::{Brief, CrossTab};

const LINES: &str = "coast,harbour,sold_on,amount,fee\n\
    Fell,Quay,2024-02-01,100.00,3\nFell,Haven,2024-08-01,-40.00,5\nFell,Quay,2025-02-01,250.50,7\n\
    Skerry,Holm,2024-05-01,30.25,11\nSkerry,Wick,2025-11-01,75.00,13\nSkerry,Holm,2025-02-03,12.00,17\n";

fn build(brief: &Brief) -> CrossTab {
    let mut lines =
        TextSource::from_reader("lines.csv", Cursor::new(LINES), &ReadOptions::default()).unwrap();
    CrossTab::build(brief, &mut lines).unwrap()
}

fn brief() -> Brief {
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("last", "max(sold_on)"))
}

/// The parts of a workbook by their names.
fn parts(crosstab: &CrossTab) -> BTreeMap<String, String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("book.xlsx");
    Target::new(&path).unwrap().write(crosstab).unwrap();
    read(&path)
}

fn read(path: &Path) -> BTreeMap<String, String> {
    let mut book = zip::ZipArchive::new(std::fs::File::open(path).unwrap()).unwrap();
    let name = |place: usize, book: &mut zip::ZipArchive<_>| {
        let mut part = book.by_index(place).unwrap();
        let (name, mut text) = (part.name().unwrap().to_string(), String::new());
        part.read_to_string(&mut text).unwrap();
        (name, text)
    };
    (0..book.len()).map(|place| name(place, &mut book)).collect()
}

/// What stands between two marks, each time.
fn between<'t>(text: &'t str, open: &str, close: &str) -> Vec<&'t str> {
    text.split(open).skip(1).map(|rest| rest.split(close).next().unwrap()).collect()
}

/// The cell of a place of the layout, as `C7`.
fn address(sheet: &str, row: usize, column: usize) -> String {
    let body: usize = between(sheet, "ySplit=\"", "\"")[0].parse().unwrap();
    format!("{}{}", char::from(b'B' + column as u8), body + 1 + row)
}

/// A cell's content and its style.
fn cell<'s>(sheet: &'s str, address: &str) -> &'s str {
    between(sheet, &format!("<c r=\"{address}\" "), "</c>")[0]
}

#[test]
fn bars_stand_on_the_scales_of_their_levels() {
    let crosstab = build(&brief().bar("sales"));
    let (book, layout) = (parts(&crosstab), Layout::new(&crosstab));
    let sheet = &book["xl/worksheets/sheet1.xml"];
    let mut wanted: BTreeMap<usize, BTreeSet<String>> = BTreeMap::new();
    for (row, of) in layout.rows().iter().enumerate() {
        for (column, across) in layout.columns().iter().enumerate() {
            for mark in crosstab.marks(of.entry(), across.entry(), across.measure()) {
                wanted.entry(mark.scale().unwrap()).or_default().insert(address(sheet, row, column));
            }
        }
    }
    assert_eq!(wanted.len(), 4, "coasts and harbours by years and by quarters");
    let scales = crosstab.emphases()[0].scales();
    let wanted: BTreeSet<(BTreeSet<String>, String, String)> = wanted
        .into_iter()
        .map(|(scale, cells)| {
            let (low, _, high) = scales[scale].bar_ends().unwrap();
            (cells, low.to_string(), high.to_string())
        })
        .collect();
    let found =
        between(sheet, "<conditionalFormatting ", "</conditionalFormatting>").into_iter().map(|bars| {
            let cells = between(bars, "sqref=\"", "\"")[0].split(' ').map(str::to_string).collect();
            let ends = between(bars, "<cfvo type=\"num\" val=\"", "\"");
            (cells, ends[0].to_string(), ends[1].to_string())
        });
    assert_eq!(found.collect::<BTreeSet<_>>(), wanted);
}

#[test]
fn a_sheet_folds_and_holds_days_links_and_the_legend() {
    let link = EmphasisBrief::new("sales", Form::Link).link("https://example.org/{harbour}?a=1&b=2");
    let slope = EmphasisBrief::new("sales", Form::Symbol).symbols(SymbolSet::Slope);
    let crosstab = build(&brief().emphasize(link).emphasize(slope));
    let (book, layout) = (parts(&crosstab), Layout::new(&crosstab));
    let sheet = &book["xl/worksheets/sheet1.xml"];

    // Harbours fold under their coast, which stands above them; quarters under their year, which stands after them.
    let row = |place: usize| between(sheet, &format!("<row r=\"{}\" ", 6 + place), ">")[0];
    for (place, of) in layout.rows().iter().enumerate() {
        assert_eq!(row(place).contains("outlineLevel=\"1\""), of.indent() == 1, "{}", of.label());
    }
    assert!(sheet.contains("<outlinePr summaryBelow=\"0\"/>"), "{sheet}");
    let folded: Vec<&str> =
        between(sheet, "<col ", "/>").into_iter().filter(|column| column.contains("outlineLevel")).collect();
    let width = |column: &&str| {
        let end = |name: &str| between(column, name, "\"")[0].parse::<usize>().unwrap();
        end("max=\"") + 1 - end("min=\"")
    };
    let quarters = layout.columns().iter().filter(|column| column.entry().level() == 2).count();
    assert_eq!(folded.iter().map(width).sum::<usize>(), quarters);

    // A day is a number with a format of days: 2025-11-01 is 45,962 days after 1899-12-30.
    let at = |label: &str, measure: usize| {
        let row = layout.rows().iter().position(|row| row.label() == label).unwrap();
        let is = |place: &usize| {
            layout.columns()[*place].measure() == measure
                && layout.rows()[row].cells()[*place].value().is_some()
        };
        let column = (0..layout.columns().len()).find(is).unwrap();
        (row, column, address(sheet, row, column))
    };
    let (.., last) = at("Wick", 1);
    let style: usize = between(cell(sheet, &last), "s=\"", "\"")[0].parse().unwrap();
    assert!(cell(sheet, &last).ends_with("<v>45962</v>"), "{}", cell(sheet, &last));
    let styles = &book["xl/styles.xml"];
    let format = |style: usize| {
        let used = between(styles, "<cellXfs ", "</cellXfs>")[0];
        let id = between(between(used, "<xf ", ">")[style], "numFmtId=\"", "\"")[0];
        between(styles, &format!("<numFmt numFmtId=\"{id}\" formatCode=\""), "\"")[0].replace("&quot;", "\"")
    };
    assert_eq!(format(style), "yyyy-mm-dd");

    // A number with a symbol and a link stays a number.
    let (row, column, sales) = at("Haven", 0);
    assert!(cell(sheet, &sales).ends_with("<v>-40</v>"), "{}", cell(sheet, &sales));
    let (symbol, _) = layout.rows()[row].cells()[column].dress().symbol().unwrap();
    let style: usize = between(cell(sheet, &sales), "s=\"", "\"")[0].parse().unwrap();
    let glyph = symbol.glyph();
    assert_eq!(format(style), format!("\"{glyph} \"#,##0.00;\"{glyph} \"-#,##0.00"));
    let id = between(sheet, &format!("<hyperlink ref=\"{sales}\" r:id=\""), "\"")[0];
    let links = &book["xl/worksheets/_rels/sheet1.xml.rels"];
    let target = between(links, &format!("Id=\"{id}\""), "/>")[0];
    assert!(target.contains("https://example.org/Haven?a=1&amp;b=2"), "{target}");

    // What colours and symbols mean, and what the run found, stand below.
    let texts = &book["xl/sharedStrings.xml"];
    for text in layout.legend().iter().map(LegendEntry::text).chain(layout.notes().iter().map(String::as_str))
    {
        assert!(texts.contains(&text.replace('&', "&amp;")), "{text}");
    }
    assert!(sheet.contains("<oddFooter>&amp;C&amp;P / &amp;N</oddFooter>"));
    let tidy = &book["xl/worksheets/sheet2.xml"];
    let rows = between(tidy, "<row ", ">").len();
    assert!(tidy.contains("<autoFilter ref=\"A1:"), "{rows}");
    assert!(between(tidy, "<autoFilter ref=\"A1:", "\"")[0].ends_with(&rows.to_string()));
}

#[test]
fn views_name_their_sheets() {
    let long = "Sales of all the harbours of both coasts by quarter";
    let cases = [
        ("Sales by coast", "Sales by coast"),
        (long, "Sales of all the harbours of bo"),
        (long, "Sales of all the harbours o (2)"),
        ("What: [all]? */\\ 'of it'", "What all 'of it"),
        ("'quoted'", "quoted"),
        ("tidy", "tidy (2)"),
        ("HISTORY", "HISTORY (2)"),
        ("cross-tab", "cross-tab (2)"),
        ("*", "(2)"),
        // 31 of what takes two units each do not fit.
        ("𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞", "𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞𝄞"),
    ];
    let mut brief = brief();
    for (title, _) in cases {
        brief = brief.view(ViewBrief::new(ViewForm::Table).title(title));
    }
    let book = parts(&build(&brief));
    let found = between(&book["xl/workbook.xml"], "<sheet name=\"", "\"");
    let wanted: Vec<&str> =
        ["Cross-tab"].into_iter().chain(cases.map(|(_, name)| name)).chain(["Tidy"]).collect();
    assert_eq!(found, wanted);
}

/// A bar whose figure is hidden is blocks, and the figure stands nowhere.
#[test]
fn hidden_figures_are_blocks() {
    let bar = EmphasisBrief::new("fee", Form::Bar).figure(Figure::Hidden);
    let brief = Brief::new().rows(["harbour"]).measure(("fee", "sum(fee) * 1001")).emphasize(bar);
    let book = parts(&build(&brief));
    let texts = &book["xl/sharedStrings.xml"];
    // Holm has most, 28 of 28; Haven 5 of 28: two blocks and an eighth of twelve.
    assert!(texts.contains(&"█".repeat(12)) && texts.contains("<t>██▏</t>"), "{texts}");
    for (part, text) in &book {
        for figure in [5, 10, 13, 28].map(|fee| (fee * 1001).to_string()) {
            assert!(!text.contains(&figure), "{part} holds {figure}");
        }
    }
}

/// A link that a sheet has no room for is said to be left out, and its cell keeps its number.
#[test]
fn links_without_room_are_counted() {
    let long = format!("https://example.org/{}?of={{harbour}}", "a".repeat(3_000));
    let link = EmphasisBrief::new("fee", Form::Link).link(long.as_str());
    let brief = Brief::new().rows(["harbour"]).measure(("fee", "sum(fee)")).emphasize(link);
    let book = parts(&build(&brief));
    let texts = &book["xl/sharedStrings.xml"];
    assert!(texts.contains("4 links are left out: a sheet cannot hold them"), "{texts}");
    assert!(!book["xl/worksheets/sheet1.xml"].contains("<hyperlink "));
}

/// Links lead to where they lead on a page, whatever letters are in the names; one that cannot is left out.
#[test]
fn links_keep_their_escapes() {
    let text = "harbour,fee\nVårdsund,1\nGrey Holm,2\nQuay,3\nA/B,4\nÅ/B,5\nC & D,6\n";
    let link = EmphasisBrief::new("fee", Form::Link).link("https://example.org/{harbour}?a=1");
    let brief = Brief::new().rows(["harbour"]).measure(("fee", "sum(fee)")).emphasize(link);
    let mut lines = TextSource::from_reader("lines.csv", Cursor::new(text), &ReadOptions::default()).unwrap();
    let crosstab = CrossTab::build(&brief, &mut lines).unwrap();
    let book = parts(&crosstab);
    let links = &book["xl/worksheets/_rels/sheet1.xml.rels"];
    let found: BTreeSet<&str> =
        between(links, "Target=\"https://example.org/", "?a=1\"").into_iter().collect();
    assert_eq!(found, BTreeSet::from(["Vårdsund", "Grey%20Holm", "Quay", "C%20%26%20D"]));
    assert!(book["xl/sharedStrings.xml"].contains("2 links are left out: a sheet cannot hold them"));
    // The words of the sheet are in the language of the rest.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("book.xlsx");
    let options = TargetOptions::default().appearance(Appearance::new().words(Words::german()));
    Target::new(&path).unwrap().with(options).write(&crosstab).unwrap();
    let book = read(&path);
    assert_eq!(between(&book["xl/workbook.xml"], "<sheet name=\"", "\""), ["Kreuztabelle", "Tidy"]);
    assert!(book["xl/sharedStrings.xml"].contains("2 Verweise fehlen"));
}

/// Both sheets hold days as what they are; programs do not agree about those before March 1900, which are texts.
#[test]
fn days_of_both_sheets() {
    let text = "day,fee\n1899-12-31,1\n1900-02-28,2\n1900-03-01,3\n2025-01-31,4\n9999-12-31,5\n";
    let mut lines = TextSource::from_reader("lines.csv", Cursor::new(text), &ReadOptions::default()).unwrap();
    let brief = Brief::new().rows(["day"]).measure(("last", "max(day)"));
    let book = parts(&CrossTab::build(&brief, &mut lines).unwrap());
    let texts = between(&book["xl/sharedStrings.xml"], "<t>", "</t>");
    let formats = &book["xl/styles.xml"];
    let day = |sheet: &str, address: &str| {
        let (cell, value) = cell(&book[sheet], address).split_once("<v>").unwrap();
        let value: usize = value.strip_suffix("</v>").unwrap().parse().unwrap();
        if cell.contains("t=\"s\"") {
            return texts[value].to_string();
        }
        let style: usize = between(cell, "s=\"", "\"")[0].parse().unwrap();
        let style = between(between(formats, "<cellXfs", "</cellXfs>")[0], "<xf ", ">")[style];
        let number = between(style, "numFmtId=\"", "\"")[0];
        assert!(formats.contains(&format!("numFmtId=\"{number}\" formatCode=\"yyyy-mm-dd\"")), "{style}");
        format!("day {value}")
    };
    let wanted = ["1899-12-31", "1900-02-28", "day 61", "day 45688", "day 2958465"];
    let shown = &book["xl/worksheets/sheet1.xml"];
    for (row, wanted) in wanted.iter().enumerate() {
        assert_eq!(day("xl/worksheets/sheet1.xml", &address(shown, row, 0)), *wanted);
        assert_eq!(day("xl/worksheets/sheet2.xml", &format!("A{}", row + 2)), *wanted);
    }
}
