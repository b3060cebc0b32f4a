//! A cross-tab as a sheet that is read: headings, rows, outline, bars and what stands below.

use std::collections::BTreeMap;

use pivvel_core::brief::{Form, Placement};
use pivvel_core::result::Span;
use pivvel_core::{CrossTab, Value};
use pivvel_io::number_of_day;
use pivvel_view::{Appearance, Bar, Ground, Layout, LayoutCell, RowKind};
use rust_xlsxwriter::utility::row_col_to_cell;
use rust_xlsxwriter::{
    ConditionalFormatDataBar, ConditionalFormatType, Format, FormatAlign, Worksheet, XlsxError,
};

use super::format::{colour, dressed, ruled, spelled};
use super::legend;
use super::link::as_written;

/// Rows before the headings of columns: the title, and nothing.
const TITLE: usize = 2;
/// How deep an outline may be (ISO/IEC 29500).
const OUTLINE: usize = 7;
/// How many characters are legible side by side on a page.
const PAGE: f64 = 170.0;
/// How many links a sheet holds.
const LINKS: usize = 65_530;

pub(super) fn lay_out(
    page: &mut Worksheet,
    crosstab: &CrossTab,
    layout: &Layout,
    appearance: &Appearance,
) -> Result<(), XlsxError> {
    let mut sheet = Sheet {
        page,
        crosstab,
        layout,
        body: (TITLE + layout.heads().len().max(1)) as u32,
        links: 0,
        left_out: 0,
    };
    sheet.headings()?;
    sheet.rows()?;
    sheet.outline()?;
    sheet.bars()?;
    sheet.widths()?;
    let below = sheet.body + layout.rows().len() as u32 + 1;
    let left_out = sheet.left_out;
    legend::write(sheet.page, layout, appearance, left_out, below)
}

struct Sheet<'s> {
    page: &'s mut Worksheet,
    crosstab: &'s CrossTab,
    layout: &'s Layout,
    /// The first row below the headings.
    body: u32,
    links: usize,
    /// Links that a sheet cannot hold.
    left_out: usize,
}

/// A cell with a bar, by its row and column.
type BarCell = ((u32, u16), Bar);

/// The column of a place among the columns of the layout; the first column has the labels of rows.
fn column(place: usize) -> u16 {
    (place + 1) as u16
}

impl Sheet<'_> {
    fn headings(&mut self) -> Result<(), XlsxError> {
        let layout = self.layout;
        let bold = Format::new().set_bold();
        self.page.write_string_with_format(0, 0, layout.title(), &bold.clone().set_font_size(14))?;
        self.page.write_string_with_format(self.body - 1, 0, layout.corner().join(" > "), &bold)?;
        for (level, heads) in layout.heads().iter().enumerate() {
            for head in heads {
                let (first, count) = head.columns();
                let (top, bottom) = ((TITLE + level) as u32, (TITLE + level + head.rows() - 1) as u32);
                let (left, right) = (column(first), column(first + count - 1));
                let is_one = (top, left) == (bottom, right);
                let align = if is_one { FormatAlign::Right } else { FormatAlign::Center };
                let format = bold.clone().set_align(align);
                if !is_one {
                    self.page.merge_range(top, left, bottom, right, "", &format)?;
                }
                self.link((top, left), head.link())?;
                self.page.write_string_with_format(top, left, head.text(), &format)?;
            }
        }
        self.page.set_freeze_panes(self.body, 1)?;
        self.page.set_landscape().set_repeat_rows(TITLE as u32, self.body - 1)?;
        self.page.set_repeat_columns(0, 0)?.set_footer("&C&P / &N");
        Ok(())
    }

    fn rows(&mut self) -> Result<(), XlsxError> {
        let layout = self.layout;
        for (row, at) in layout.rows().iter().zip(self.body..) {
            let strong = matches!(row.kind(), RowKind::Total | RowKind::Subtotal | RowKind::Heading);
            let base = if strong { Format::new().set_bold() } else { Format::new() };
            self.link((at, 0), row.link())?;
            let label = ruled(base.clone().set_indent(row.indent() as u8), row.kind());
            self.page.write_string_with_format(at, 0, row.label(), &label)?;
            for (place, (cell, of)) in row.cells().iter().zip(layout.columns()).enumerate() {
                let number = self.crosstab.format(row.entry(), of.entry(), of.measure());
                let number = spelled(number, cell.value().as_ref());
                let at = (at, column(place));
                self.link(at, cell.dress().link())?;
                self.cell(at, cell, &number, ruled(base.clone(), row.kind()))?;
            }
        }
        Ok(())
    }

    fn cell(
        &mut self,
        (row, column): (u32, u16),
        cell: &LayoutCell,
        number: &str,
        format: Format,
    ) -> Result<(), XlsxError> {
        let format = dressed(cell, number, format);
        match &cell.value() {
            Some(Value::Date(day)) => match number_of_day(*day) {
                Some(number) => {
                    let format = format.set_num_format("yyyy-mm-dd");
                    self.page.write_number_with_format(row, column, number, &format)?
                }
                None => self.page.write_string_with_format(row, column, cell.text(), &format)?,
            },
            Some(value) => self.page.write_number_with_format(row, column, value.as_f64(), &format)?,
            None if !cell.text().is_empty() => {
                self.page.write_string_with_format(row, column, cell.text(), &format)?
            }
            // A bar whose figure is hidden has no number that a spreadsheet could draw it from.
            None => match cell.dress().bar() {
                Some(bar) => {
                    let format = format.set_font_color(colour(bar.paint().shape(Ground::Light)));
                    let format = format.set_align(FormatAlign::Left);
                    self.page.write_string_with_format(row, column, blocks(bar.span()), &format)?
                }
                None => self.page.write_blank(row, column, &format)?,
            },
        };
        Ok(())
    }

    /// A link of a cell, whose content is written after it.
    fn link(&mut self, (row, column): (u32, u16), link: Option<&str>) -> Result<(), XlsxError> {
        let Some(link) = link else { return Ok(()) };
        let as_written = as_written(link).filter(|_| self.links < LINKS);
        let Some(link) = as_written else {
            self.left_out += 1;
            return Ok(());
        };
        match self.page.write_url(row, column, link.as_ref()) {
            Ok(_) => self.links += 1,
            Err(XlsxError::MaxUrlLengthExceeded) => self.left_out += 1,
            Err(error) => return Err(error),
        }
        Ok(())
    }

    /// Rows under a row, and columns of a member whose total is shown, fold.
    fn outline(&mut self) -> Result<(), XlsxError> {
        let layout = self.layout;
        self.page.group_symbols_above(true);
        for depth in 1..=OUTLINE {
            for (first, last) in runs(layout.rows().iter().map(|row| row.indent() >= depth)) {
                self.page.group_rows(self.body + first as u32, self.body + last as u32)?;
            }
        }
        let axis = self.crosstab.columns();
        for depth in 2..=axis.depth().min(OUTLINE) {
            let placement = axis.total_of(depth - 1);
            if placement == Placement::Off {
                continue;
            }
            self.page.group_symbols_to_left(placement == Placement::Before);
            for (first, last) in runs(layout.columns().iter().map(|of| of.entry().level() >= depth)) {
                self.page.group_columns(column(first), column(last))?;
            }
        }
        Ok(())
    }

    /// Bars within the cells of each scale, between the ends of that scale, which totals have no part in.
    fn bars(&mut self) -> Result<(), XlsxError> {
        let mut of_scale: BTreeMap<(usize, usize), Vec<BarCell>> = BTreeMap::new();
        for (row, at) in self.layout.rows().iter().zip(self.body..) {
            for (place, (cell, of)) in row.cells().iter().zip(self.layout.columns()).enumerate() {
                let Some(bar) = cell.dress().bar().filter(|_| cell.value().is_some()) else { continue };
                let marks = self.crosstab.marks(row.entry(), of.entry(), of.measure());
                let mut of_bars = marks.iter().filter(|mark| mark.form() == Form::Bar);
                if let Some(scale) = of_bars.find_map(|mark| Some((mark.emphasis(), mark.scale()?))) {
                    of_scale.entry(scale).or_default().push(((at, column(place)), bar));
                }
            }
        }
        for ((emphasis, scale), cells) in of_scale {
            let scale = &self.crosstab.emphases()[emphasis].scales()[scale];
            // Bars of a spreadsheet begin at zero, and nowhere else.
            let Some((low, 0.0, high)) = scale.bar_ends() else { continue };
            let paint = |below: bool| {
                let of = cells.iter().find(|(_, bar)| bar.span().below() == below).or(cells.first());
                of.map(|(_, bar)| colour(bar.paint().shape(Ground::Light)))
            };
            let (Some(over), Some(under)) = (paint(false), paint(true)) else { continue };
            let range: Vec<String> =
                cells.iter().map(|((row, column), _)| row_col_to_cell(*row, *column)).collect();
            let bar = ConditionalFormatDataBar::new()
                .set_minimum(ConditionalFormatType::Number, low)
                .set_maximum(ConditionalFormatType::Number, high)
                .set_fill_color(over)
                .set_negative_fill_color(under)
                .set_solid_fill(true)
                .set_border_off(true)
                .set_multi_range(range.join(" "));
            let ((row, column), _) = cells[0];
            self.page.add_conditional_format(row, column, row, column, &bar)?;
        }
        Ok(())
    }

    /// Columns as wide as what stands in them, headings among it, and as many printed pages side by side as keep the type
    /// legible.
    fn widths(&mut self) -> Result<(), XlsxError> {
        let layout = self.layout;
        let corner = layout.corner().join(" > ").chars().count();
        let labels = layout.rows().iter().map(|row| row.label().chars().count() + 2 * row.indent());
        let widest = labels.max().unwrap_or(0).max(corner);
        let labels = (widest + 2).clamp(10, 60) as f64;
        self.page.set_column_width(0, labels)?;
        let mut all = 0.0;
        for place in 0..layout.columns().len() {
            let texts = layout.rows().iter().filter_map(|row| row.cells().get(place)).map(LayoutCell::text);
            let heads = layout.heads().iter().flatten().filter(|head| head.columns() == (place, 1));
            let bold = heads.map(|head| head.text().chars().count() + 1);
            let widest = texts.map(|text| text.chars().count()).chain(bold).max().unwrap_or(0);
            let is_block = |cell: &LayoutCell| cell.dress().bar().is_some() && cell.value().is_none();
            let has_blocks = layout.rows().iter().filter_map(|row| row.cells().get(place)).any(is_block);
            let least = if has_blocks { BLOCKS.1 } else { 9.0 };
            let width = ((widest + 3) as f64).clamp(least, 40.0);
            self.page.set_column_width(column(place), width)?;
            all += width;
        }
        let pages = (all / (PAGE - labels)).ceil().clamp(1.0, f64::from(u16::MAX));
        self.page.set_print_fit_to_pages(pages as u16, 0);
        Ok(())
    }
}

/// From where to where something holds without a gap.
fn runs(holds: impl Iterator<Item = bool>) -> Vec<(usize, usize)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for (place, _) in holds.enumerate().filter(|(_, holds)| *holds) {
        match runs.last_mut() {
            Some((_, last)) if *last + 1 == place => *last = place,
            _ => runs.push((place, place)),
        }
    }
    runs
}

/// How many blocks a bar has that is text, and how wide a column is that has such bars.
const BLOCKS: (f64, f64) = (12.0, 20.0);

/// A bar as text: blocks from end to end, the last one in eighths where the bar begins at the left.
fn blocks(span: Span) -> String {
    let eighths = |share: f64| (share * BLOCKS.0 * 8.0).round() as usize;
    let (from, to) = (eighths(span.from()), eighths(span.to()));
    if from > 0 {
        let (from, to) = (from / 8, to.div_ceil(8));
        return format!("{}{}", " ".repeat(from), "█".repeat(to - from));
    }
    let rest = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"][to % 8];
    format!("{}{rest}", "█".repeat(to / 8))
}
