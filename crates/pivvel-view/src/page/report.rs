//! A report as a page: one HTML file without any outside reference and without a script.

use askama::Template;

use super::{PageWords, css};
use crate::page::classes::Classes;
use crate::report::{Report, ReportPart, ReportStrip, ReportTable};

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
    Strip(&'a ReportStrip),
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
    /// Where its bar begins and how wide it is, in hundredths.
    bar: Option<(f64, f64)>,
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
    let barred = table.bars.as_ref().map(|(column, _)| *column);
    let heads = table.columns.iter().enumerate().map(|(i, column)| Head {
        name: &column.name,
        is_number: column.is_number,
        barred: barred == Some(i),
    });
    let heads = heads.collect();
    Block::Table(heads, (0..table.rows.len()).map(|row| cells(table, row)).collect())
}

fn cells(table: &ReportTable, row: usize) -> Vec<Cell<'_>> {
    let bar = |column: usize| {
        let (barred, ends) = table.bars.as_ref()?;
        let end = ends.get(row).copied().filter(|_| *barred == column)?.unwrap_or(0.0).clamp(-1.0, 1.0);
        Some((50.0 + 50.0 * end.min(0.0), 50.0 * end.abs()))
    };
    let texts = table.rows[row].iter().zip(&table.columns).enumerate();
    texts.map(|(i, (text, column))| Cell { text, is_number: column.is_number, bar: bar(i) }).collect()
}
