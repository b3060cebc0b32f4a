//! Workbooks as other programs read them: LibreOffice shows each figure as a page does, and openpyxl finds numbers, days,
//! formats, folds, links and nothing that is hidden.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::process::{Command, Stdio};

use pivvel::brief::{EmphasisBrief, Figure, Form, SymbolSet};
use pivvel::draw::{Layout, LayoutCell};
use pivvel::table::Target;
use pivvel::{Brief, CrossTab, Value};
use serde_json::Value as Json;

use crate::demo;

/// Briefs of the demonstration with whole numbers, money, percentages, brackets, days, blanks, symbols and bars.
const BRIEFS: [&str; 6] =
    ["coasts.toml", "alerts.toml", "board.toml", "clients.toml", "gaps.toml", "last_year.toml"];

fn crosstab(name: &str) -> CrossTab {
    CrossTab::build(&demo::brief(name), &mut demo::lines()).unwrap()
}

/// A cell as a workbook shows it: the symbol stands before the figure.
fn shown(cell: &LayoutCell) -> String {
    let symbol = cell.dress().symbol().filter(|_| cell.value().is_some());
    symbol.map(|(symbol, _)| format!("{} ", symbol.glyph())).unwrap_or_default() + cell.text().trim_end()
}

#[test]
fn figures_are_shown_as_on_a_page() {
    let folder = tempfile::tempdir().unwrap();
    let crosstabs: Vec<CrossTab> = BRIEFS.into_iter().map(crosstab).collect();
    let path = |place: usize| folder.path().join(format!("book{place}.xlsx"));
    for (place, crosstab) in crosstabs.iter().enumerate() {
        Target::new(path(place)).unwrap().write(crosstab).unwrap();
    }
    // Cells as they are shown, of every sheet.
    let filter = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,true,false,false,-1";
    let home = format!("-env:UserInstallation=file://{}/home", folder.path().display());
    let mut office = Command::new("soffice");
    office.env("LANG", "en_US.UTF-8").args([&home, "--headless", "--convert-to", filter, "--outdir"]);
    office.arg(folder.path()).args((0..crosstabs.len()).map(path));
    match office.output() {
        Ok(output) => assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr)),
        Err(_) => return crate::missing::skipped("LibreOffice"),
    }
    for (place, crosstab) in crosstabs.iter().enumerate() {
        let mut reader = csv::ReaderBuilder::new();
        let sheet = folder.path().join(format!("book{place}-Cross-tab.csv"));
        let mut reader = reader.has_headers(false).flexible(true).from_path(sheet).unwrap();
        let rows: Vec<Vec<String>> =
            reader.records().map(|row| row.unwrap().iter().map(str::to_string).collect()).collect();
        let layout = Layout::new(crosstab);
        let first = rows.iter().position(|row| row[0].trim() == layout.rows()[0].label()).unwrap();
        for (found, wanted) in rows[first..].iter().zip(layout.rows()) {
            let texts: Vec<String> = wanted.cells().iter().map(shown).collect();
            assert_eq!(found[0].trim(), wanted.label(), "{}", BRIEFS[place]);
            let found: Vec<&str> = found[1..=texts.len()].iter().map(|text| text.trim_end()).collect();
            assert_eq!(found, texts, "{} in {}", wanted.label(), BRIEFS[place]);
        }
    }
}

/// Reads a workbook with openpyxl and prints what it finds.
const READ: &str = r#"
import json, sys, openpyxl
book = {}
for sheet in openpyxl.load_workbook(sys.argv[1]).worksheets:
    cells = {}
    for cell in (cell for row in sheet.iter_rows() for cell in row):
        if cell.value is not None or cell.hyperlink:
            value = cell.value.isoformat() if hasattr(cell.value, "isoformat") else cell.value
            link = cell.hyperlink.target if cell.hyperlink else None
            cells[cell.coordinate] = [value, cell.number_format, cell.is_date, link]
    bars = [str(at.sqref) for at, rules in sheet.conditional_formatting._cf_rules.items() for rule in rules]
    book[sheet.title] = dict(
        cells=cells, bars=bars, frozen=sheet.freeze_panes, filter=sheet.auto_filter.ref,
        rows={n: row.outlineLevel for n, row in sheet.row_dimensions.items() if row.outlineLevel},
        columns={n: of.outlineLevel for n, of in sheet.column_dimensions.items() if of.outlineLevel},
        repeated=[sheet.print_title_rows, sheet.print_title_cols])
json.dump(book, sys.stdout)
"#;

/// A workbook as openpyxl reads it; `None` where it is not installed.
fn opened(path: &Path) -> Option<Json> {
    let has = |python: &&str| {
        let mut command = Command::new(python);
        command.args(["-c", "import openpyxl"]).stderr(Stdio::null());
        command.status().is_ok_and(|status| status.success())
    };
    let python = ["python3", "/usr/bin/python3"].into_iter().find(has)?;
    let output = Command::new(python).args(["-c", READ]).arg(path).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    Some(serde_json::from_slice(&output.stdout).unwrap())
}

/// The name of a column from its place: A, B … Z, AA.
fn column(place: usize) -> String {
    let letter = |place: usize| char::from(b'A' + place as u8);
    if place < 26 {
        letter(place).into()
    } else {
        format!("{}{}", letter(place / 26 - 1), letter(place % 26))
    }
}

#[test]
fn another_reader_finds_all_that_is_in_a_workbook() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("book.xlsx");
    let link = EmphasisBrief::new("sales", Form::Link).link("https://example.org/{harbour}?a=1&b=2");
    let slope = EmphasisBrief::new("margin", Form::Symbol).symbols(SymbolSet::Slope);
    let hidden = EmphasisBrief::new("pieces", Form::Bar).figure(Figure::Hidden);
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("margin", "sum(amount - cost) / sales"))
        .measure(("last", "max(sold_on)"))
        .measure(("pieces", "sum(quantity) * 1000003"))
        .bar("sales")
        .emphasize(link)
        .emphasize(slope)
        .emphasize(hidden);
    let crosstab = CrossTab::build(&brief, &mut demo::lines()).unwrap();
    Target::new(&path).unwrap().write(&crosstab).unwrap();
    let Some(book) = opened(&path) else { return crate::missing::skipped("openpyxl") };
    let (sheet, layout) = (&book["Cross-tab"], Layout::new(&crosstab));
    let frozen = sheet["frozen"].as_str().unwrap();
    let first: usize = frozen.trim_start_matches('B').parse().unwrap();
    let (mut numbers, mut days, mut links, mut blocks) = (0, 0, 0, 0);
    for (at, row) in layout.rows().iter().enumerate() {
        let level = sheet["rows"][(first + at).to_string()].as_u64().unwrap_or(0);
        assert_eq!(level, row.indent() as u64, "{}", row.label());
        for (place, cell) in row.cells().iter().enumerate() {
            let address = format!("{}{}", column(1 + place), first + at);
            let found = &sheet["cells"][&address];
            let what = format!("{address}, {}: {found} for {cell:?}", row.label());
            match cell.value() {
                Some(Value::Date(_)) => {
                    assert_eq!(
                        (&found[0], &found[2]),
                        (&format!("{}T00:00:00", cell.text()).into(), &true.into()),
                        "{what}"
                    );
                    days += 1;
                }
                Some(value) => {
                    assert_eq!(found[0].as_f64(), Some(value.as_f64()), "{what}");
                    let format = found[1].as_str().unwrap().split(';').next().unwrap();
                    let decimals =
                        |text: &str| text.split('.').nth(1).unwrap_or("").trim_end_matches([' ', '%']).len();
                    assert_eq!(decimals(format), decimals(cell.text()), "{what}");
                    numbers += 1;
                }
                // A hidden figure is a bar of blocks.
                None => {
                    let text = found[0].as_str().unwrap_or("");
                    assert!(text.chars().all(|c| ('█'..='▏').contains(&c)), "{what}");
                    assert!(text.is_empty() || cell.dress().bar().is_some(), "{what}");
                    blocks += usize::from(!text.is_empty());
                }
            }
            let link = cell.dress().link().as_ref().map(|link| link.replace("V%C3%A5rdsund", "Vårdsund"));
            assert_eq!(found[3].as_str(), link.as_deref(), "{what}");
            links += usize::from(link.is_some());
        }
    }
    assert!(numbers > 300 && days > 100 && links > 50 && blocks > 100, "{numbers} {days} {links} {blocks}");
    // Quarters fold under their years, and the cells of each scale have their bars.
    let folded = sheet["columns"].as_object().unwrap();
    assert!(!folded.is_empty() && folded.values().all(|level| level == 1), "{folded:?}");
    let barred: Vec<&str> =
        sheet["bars"].as_array().unwrap().iter().flat_map(|at| at.as_str().unwrap().split(' ')).collect();
    let wanted =
        layout.rows().iter().flat_map(|row| row.cells()).filter(|cell| cell.dress().bar().is_some()).count();
    assert_eq!(barred.len(), barred.iter().collect::<BTreeSet<_>>().len());
    assert!(!barred.is_empty() && barred.len() <= wanted, "{} of {wanted}", barred.len());
    assert_eq!(sheet["repeated"], serde_json::json!([format!("$3:${}", first - 1), "$A:$A"]));

    // The tidy rows: every cell and measure that shows its figures, with its level.
    let tidy = &book["Tidy"];
    let rows: BTreeMap<&String, &Json> = tidy["cells"].as_object().unwrap().iter().collect();
    assert!(tidy["filter"].as_str().unwrap().starts_with("A1:") && rows.len() > 1000, "{}", rows.len());
    let secret = |value: &Json| {
        value.as_f64().is_some_and(|number| number >= 1_000_003.0 && number % 1_000_003.0 == 0.0)
    };
    assert!(
        !book.as_object().unwrap().values().any(|sheet| sheet["cells"]
            .as_object()
            .unwrap()
            .values()
            .any(|cell| secret(&cell[0])))
    );
}
