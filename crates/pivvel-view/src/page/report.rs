//! A report as a page: one HTML file without any outside reference and without a script.

use askama::Template;

use super::{PageWords, css};
use crate::page::classes::Classes;
use crate::report::{Report, ReportBars, ReportBranch, ReportPart, ReportStrip, ReportTable};

#[derive(Template)]
#[template(path = "report.html")]
struct Page<'a> {
    title: &'a str,
    sections: Vec<Section<'a>>,
    css: String,
    words: PageWords<'a>,
}

/// What stands under one heading.
#[derive(Default)]
struct Section<'a> {
    heading: Option<&'a str>,
    blocks: Vec<Block<'a>>,
}

enum Block<'a> {
    Words(&'a [(usize, String)]),
    Table(Vec<Head<'a>>, Vec<Vec<Cell<'a>>>),
    Tree(Tree<'a>),
    Strip(&'a ReportStrip),
}

/// Values, each over what it is made of.
#[derive(Template)]
#[template(path = "tree.html")]
struct Tree<'a> {
    branches: &'a [ReportBranch],
}

impl Block<'_> {
    /// Where a place stands on a strip, in points.
    fn at(place: &f64) -> String {
        format!("{:.1}", 8.0 + place * 400.0)
    }
}

struct Head<'a> {
    name: &'a str,
    is_number: bool,
    /// Whether a column of bars stands before it.
    barred: bool,
}

struct Cell<'a> {
    text: &'a str,
    is_number: bool,
    /// The bar that stands before it.
    bar: Option<Bar>,
}

/// A bar in hundredths of its column: where nothing is, where it begins, and how wide it is.
struct Bar {
    zero: f64,
    from: f64,
    width: f64,
}

/// Draws a report as a page.
///
/// ```
/// use pivvel::draw::{Report, ReportPart};
/// use pivvel::draw;
///
/// let parts = vec![ReportPart::Words(vec![(1, "4 lines, sold_on from 2025-01-01".into())])];
/// let page = draw::report_page(&Report::new("sales at total is 12", parts));
/// assert!(page.contains("<h1>sales at total is 12</h1>"));
/// ```
pub fn draw_report_page(report: &Report) -> String {
    let mut sections = vec![Section::default()];
    for part in &report.parts {
        if let ReportPart::Heading(heading) = part {
            sections.push(Section { heading: Some(heading), blocks: Vec::new() });
            continue;
        }
        let Some(section) = sections.last_mut() else { continue };
        section.blocks.push(match part {
            ReportPart::Words(words) => Block::Words(words),
            ReportPart::Table(table) => block(table),
            ReportPart::Tree(branches) => Block::Tree(Tree { branches }),
            ReportPart::Strip(strip) => Block::Strip(strip),
            ReportPart::Heading(_) => continue,
        });
    }
    sections.retain(|section| section.heading.is_some() || !section.blocks.is_empty());
    let page = Page {
        title: &report.title,
        sections,
        css: css(&Classes::default(), &report.appearance),
        words: PageWords::of(&report.appearance),
    };
    page.render().unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}"))
}

fn block(table: &ReportTable) -> Block<'_> {
    let heads = table.columns.iter().enumerate().map(|(i, column)| Head {
        name: &column.name,
        is_number: column.is_number,
        barred: table.bars.iter().any(|bars| bars.column == i),
    });
    let ends = || table.bars.iter().flat_map(|bars| &bars.ends).flatten();
    // Where all bars go one way there is nothing on the other side.
    let (falls, rises) = (ends().any(|end| *end < 0.0), ends().any(|end| *end > 0.0));
    let zero = match (falls, rises) {
        (false, _) => 0.0,
        (true, false) => 100.0,
        (true, true) => 50.0,
    };
    let long = if falls && rises { 50.0 } else { 100.0 };
    let bar = |bars: &ReportBars, row: usize| {
        let end = bars.ends.get(row).copied().flatten().unwrap_or(0.0).clamp(-1.0, 1.0);
        Bar { zero, from: zero + long * end.min(0.0), width: long * end.abs() }
    };
    let cells = |row: usize| {
        let cell = |i: usize| Cell {
            text: &table.rows[row][i],
            is_number: table.columns[i].is_number,
            bar: table.bars.iter().find(|bars| bars.column == i).map(|bars| bar(bars, row)),
        };
        (0..table.columns.len()).map(cell).collect()
    };
    Block::Table(heads.collect(), (0..table.rows.len()).map(cells).collect())
}
