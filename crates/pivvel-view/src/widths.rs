//! How wide the columns of a layout are, for what has to know before it draws: pictures, and large tables of pages. In the
//! print of pictures.

use crate::charts::{NAME, text_width};
use crate::layout::{Layout, LayoutCell, LayoutRow};
use crate::palette::{Paint, tone_sign};

/// Room around figures.
pub(crate) const PAD: f64 = 9.0;
/// The width of bars in cells and of small lines.
pub(crate) const BAR: f64 = 84.0;
/// Room before labels, where members have colours.
pub(crate) const SWATCH: f64 = 9.0;

/// The widths of labels, of the columns of figures, and of the small lines.
pub(crate) struct Widths {
    pub(crate) labels: f64,
    pub(crate) columns: Vec<f64>,
    pub(crate) trends: Vec<f64>,
}

impl Widths {
    pub(crate) fn new(layout: &Layout) -> Widths {
        let label = |row: &LayoutRow| text_width(&row.label) + 16.0 * row.indent as f64;
        let corner = text_width(&layout.corner.join(" / "));
        let swatch = if layout.rows.iter().any(|row| row.colour.is_some()) { SWATCH } else { 0.0 };
        let labels = layout.rows.iter().map(label).fold(corner.max(60.0), f64::max).min(NAME) + PAD + swatch;
        let mut columns = vec![34.0; layout.columns.len()];
        for row in &layout.rows {
            for (width, cell) in columns.iter_mut().zip(&row.cells) {
                *width = cell_width(cell).max(*width);
            }
        }
        for head in layout.heads.iter().rev().flatten() {
            let (first, count) = head.columns;
            let has: f64 = columns[first..first + count].iter().sum();
            let wants = text_width(&head.text).min(NAME) + 2.0 * PAD;
            if wants > has {
                columns[first..first + count].iter_mut().for_each(|w| *w += (wants - has) / count as f64);
            }
        }
        let trend = |heading: &str| text_width(heading).max(BAR + 2.0 * PAD);
        let trends = layout.trends.iter().map(|line| trend(&line.heading)).collect();
        Widths { labels, columns, trends }
    }
}

fn cell_width(cell: &LayoutCell) -> f64 {
    let sign = if cell.dress.symbol.is_some() { 18.0 } else { 0.0 };
    let tone = if matches!(cell.dress.ink, Some(Paint::Tone(tone)) if tone_sign(tone).is_some()) {
        14.0
    } else {
        0.0
    };
    let text = text_width(&cell.text) + sign + tone;
    let bar = if cell.dress.bar.is_some() { BAR } else { 0.0 };
    text.max(bar) + 2.0 * PAD
}
