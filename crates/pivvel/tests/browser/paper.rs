//! Pages on paper: what is printed as PDF is read back as text.

use std::collections::BTreeMap;
use std::process::Command;

use fantoccini::wd::PrintSize;
use pivvel::draw::{self, Layout};

use crate::driver::Page;

/// Layouts that are wider than a sheet, without anything that says a figure twice.
const WIDE: [&str; 3] = [
    "rows = [\"coast\", \"harbour\"]\ncolumns = [\"sold_on.year\", \"sold_on.month\"]\n[measures]\nsales = \"sum(amount)\"\n",
    "rows = [\"range\", \"article\"]\ncolumns = [\"agent\", \"channel\"]\n[measures]\nsales = \"sum(amount)\"\ncost = \"sum(cost)\"\n",
    "rows = [\"yard\"]\ncolumns = [\"sold_on.year\", \"sold_on.quarter\"]\n[measures]\nsales = { formula = \"sum(amount)\", label = \"Sales\" }\n\
     share = { formula = \"sales / sales at parent\", label = \"Share of the total\", format = \"percent\" }\nlines = \"count()\"\n",
];

/// How often each word stands in a text.
fn words(text: &str) -> BTreeMap<&str, usize> {
    let mut all = BTreeMap::new();
    text.split_whitespace().for_each(|word| *all.entry(word).or_default() += 1);
    all
}

fn reads_pdf() -> bool {
    Command::new("pdftotext").arg("-v").output().is_ok()
}

/// The sheets of a printed text.
fn sheets(text: &str) -> Vec<&str> {
    text.trim_end_matches('\u{c}').split('\u{c}').collect()
}

/// What stands on the sheets that a page is printed on; a form feed ends each.
async fn printed(page: &Page, size: PrintSize) -> String {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("page.pdf");
    std::fs::write(&file, page.print_on(size).await).unwrap();
    let text = Command::new("pdftotext").arg("-layout").arg(&file).arg("-").output().unwrap();
    String::from_utf8(text.stdout).unwrap()
}

/// Every figure of a wide table stands on paper as often as in the table, totals among them, and none is cut; on A4 and on
/// Letter. Pages are numbered, and rows are named on each.
#[test]
fn every_figure_of_a_wide_table_is_on_paper_once() {
    if !reads_pdf() {
        return crate::missing::skipped("pdftotext");
    }
    for brief in WIDE {
        let crosstab = crate::crosstab(brief, pivvel_demo::CSV);
        let layout = Layout::new(&crosstab);
        let cells = layout.rows().iter().flat_map(|row| row.cells()).map(|cell| cell.text());
        // Small counts and years stand in labels and page numbers, too.
        let figures =
            cells.flat_map(str::split_whitespace).filter(|word| word.len() > 4 && word.contains('.'));
        let figures = figures.fold(BTreeMap::new(), |mut all: BTreeMap<String, usize>, word| {
            *all.entry(word.to_string()).or_default() += 1;
            all
        });
        assert!(figures.len() > 100, "{brief}");
        let label = layout.rows()[layout.rows().len() - 2].label();
        Page::open(&draw::page(&crosstab), |page| async move {
            for size in [PrintSize::A4, PrintSize::US_LETTER] {
                let text = printed(&page, size).await;
                let found = words(&text);
                for (figure, times) in &figures {
                    assert_eq!(found.get(figure.as_str()), Some(times), "{figure} of {brief}");
                }
                let pages = text.matches('\u{c}').count();
                assert!(pages > 1, "{brief}");
                let numbers = text.replace(' ', "");
                for page in 1..=pages {
                    assert!(
                        numbers.contains(&format!("\n{page}/{pages}")),
                        "page {page} of {pages} of {brief}"
                    );
                }
                // Each part of the columns has the labels of all rows.
                assert!(text.matches(label).count() > 1, "{label}");
            }
        });
    }
}

/// Members of one outermost member stand on one sheet where they fit, with its subtotal before or after them.
#[test]
fn levels_are_kept_together_on_paper() {
    if !reads_pdf() {
        return crate::missing::skipped("pdftotext");
    }
    let mut csv = String::from("coast,harbour,amount\n");
    for coast in 0..40 {
        for harbour in 0..3 + coast % 6 {
            csv.push_str(&format!("Coast {coast:02},Quay {coast:02}-{harbour},{}\n", coast + harbour));
        }
    }
    for placement in ["before", "after"] {
        let brief = format!(
            "rows = [\"coast\", \"harbour\"]\n[totals]\ncoast = \"{placement}\"\n[measures]\nsales = \"sum(amount)\"\n"
        );
        Page::open(&draw::page(&crate::crosstab(&brief, &csv)), |page| async move {
            for size in [PrintSize::A4, PrintSize::US_LETTER] {
                let text = printed(&page, size).await;
                let sheets = sheets(&text);
                assert!(sheets.len() > 4, "{placement}: {text}");
                for sheet in sheets {
                    let is_row = |row: &&str| row.starts_with("Coast") || row.starts_with("Quay");
                    let rows: Vec<&str> = sheet.lines().map(str::trim).filter(is_row).collect();
                    let last = if placement == "before" { "Quay" } else { "Coast" };
                    assert!(rows[0].starts_with("Coast"), "{placement}: {sheet}");
                    assert!(rows[rows.len() - 1].starts_with(last), "{placement}: {sheet}");
                    assert!(sheet.contains("sales"), "the heading of the column is on every sheet: {sheet}");
                }
            }
        });
    }
}

/// A table of so many cells that a screen shows it row by row is printed as any other: every row once, under its headings.
#[test]
fn a_large_table_is_on_paper_as_any_other() {
    if !reads_pdf() {
        return crate::missing::skipped("pdftotext");
    }
    let mut csv = String::from("yard,month,amount\n");
    for yard in 0..1_300 {
        for month in 1..=12 {
            csv.push_str(&format!("Yard {yard},M{month:02},{}\n", (yard * 37 + month) % 100));
        }
    }
    let brief = "rows = [\"yard\"]\ncolumns = [\"month\"]\n[measures]\nsales = \"sum(amount)\"\n";
    let html = draw::page(&crate::crosstab(brief, &csv));
    assert!(html.contains("class=\"large\""));
    Page::open(&html, |page| async move {
        let text = printed(&page, PrintSize::A4).await;
        let rows: Vec<&str> = text.lines().map(str::trim).filter(|row| row.starts_with("Yard ")).collect();
        assert_eq!(rows.len(), 1_300, "{text}");
        assert!(rows.iter().all(|row| row.split_whitespace().count() == 2 + 12 + 1), "{rows:?}");
        let sheets = sheets(&text);
        assert!(
            sheets.len() > 20 && sheets.iter().all(|sheet| sheet.contains("M01") && sheet.contains("M12"))
        );
    });
}
