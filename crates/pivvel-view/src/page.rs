//! A sheet as a page: one HTML file without any outside reference.

use askama::Template;

use crate::colour::{INK, scale_colour, tint_colour};
use crate::sheet::{Head, LegendEntry, RowKind, Sheet, SheetCell, SheetRow};

#[derive(Template)]
#[template(path = "page.html")]
struct Page<'a> {
    sheet: &'a Sheet,
    ink: String,
}

/// Draws a sheet as a page.
pub fn draw_page(sheet: &Sheet) -> String {
    let page = Page { sheet, ink: INK.hex() };
    page.render().unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}"))
}

impl Page<'_> {
    /// The size of print, in points, at which the whole width fits on a landscape sheet; wider tables
    /// than the least size allows run over.
    fn print_size(&self) -> String {
        const SHEET: f64 = 690.0;
        // Digits are about 0.62 of their size wide, and each column has some room around it.
        let width = |longest: usize| 0.62 * longest as f64 + 1.0;
        let longest = |i: usize| {
            self.sheet
                .rows
                .iter()
                .filter_map(|row| row.cells.get(i))
                .map(|cell| cell.text.chars().count())
                .max()
        };
        let figures: f64 = (0..self.sheet.columns.len()).map(|i| width(longest(i).unwrap_or(0).max(4))).sum();
        let labels = self.sheet.rows.iter().map(|row| row.label.chars().count() + 2 * row.indent).max();
        let size = SHEET / (figures + width(labels.unwrap_or(0).min(45)));
        format!("{:.1}", size.clamp(4.0, 9.0))
    }

    /// The ground of a cell.
    fn ground(&self, cell: &SheetCell) -> String {
        cell.tint.map(|t| tint_colour(t.scale, t.position).hex()).unwrap_or_default()
    }

    fn row_class(&self, row: &SheetRow) -> &'static str {
        match row.kind {
            RowKind::Heading => "heading",
            RowKind::Member => "member",
            RowKind::Subtotal => "subtotal",
            RowKind::Total => "grand",
        }
    }

    fn row_group(&self, row: &SheetRow) -> &'static str {
        if matches!(row.kind, RowKind::Heading) { "rowgroup" } else { "row" }
    }

    fn head_scope(&self, head: &Head) -> &'static str {
        if head.columns.1 > 1 { "colgroup" } else { "col" }
    }

    fn ramp(&self, entry: &LegendEntry) -> String {
        let steps: Vec<String> =
            (0..=6).map(|i| tint_colour(entry.scale, f64::from(i) / 6.0).hex()).collect();
        steps.join(", ")
    }

    fn rail(&self, entry: &LegendEntry) -> String {
        scale_colour(entry.scale).hex()
    }

    fn column_class(&self, column: &usize) -> &'static str {
        let column = &self.sheet.columns[*column];
        match (column.height > 0, column.begins) {
            (true, true) => "sum gap",
            (true, false) => "sum",
            (false, true) => "gap",
            (false, false) => "",
        }
    }
}
