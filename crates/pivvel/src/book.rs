//! A cross-tab as a workbook: a sheet for it and for each of its views, laid out as they are read with
//! real numbers in them, and a tidy sheet to compute on. Colours are those that pages have, as plain
//! colours of cells.

use pivvel_core::brief::{Negative, NumberFormat, Scaling};
use pivvel_core::table::TableSpec;
use pivvel_core::{CrossTab, Value};
use pivvel_io::{fill_sheet, new_workbook};
use pivvel_view::{Appearance, Ground, LayoutCell, Paint, Rgb, RowKind};
use rust_xlsxwriter::{
    Color, DocProperties, ExcelDateTime, Format, FormatAlign, FormatBorder, Worksheet, XlsxError,
};

use crate::files::TargetOptions;

/// The bytes of the workbook; the options say which levels and figures the tidy sheet holds.
///
/// # Errors
/// More rows than a sheet has.
pub(crate) fn workbook(crosstab: &CrossTab, options: &TargetOptions) -> std::io::Result<Vec<u8>> {
    let mut book = new_workbook();
    let comment = format!(
        "Sales lines: {}. Brief: {}. Form of the tidy sheet: {}.",
        crosstab.source(),
        crosstab.fingerprint(),
        pivvel_core::table::TABLE_VERSION
    );
    // A fixed day, so that the same cross-tab is the same file.
    let day = ExcelDateTime::from_ymd(2000, 1, 1).map_err(into_io_error)?;
    let properties = DocProperties::new().set_title(crosstab.title()).set_comment(comment);
    book.set_properties(&properties.set_creation_datetime(&day));
    let views = crosstab.views().iter().map(|view| &view.crosstab);
    let laid_out: Vec<&CrossTab> = std::iter::once(crosstab).chain(views).collect();
    // The tidy sheet takes as long as the others together.
    let (sheets, tidy) = std::thread::scope(|scope| {
        let tidy = scope.spawn(|| tidy_sheet(crosstab, options));
        let sheet =
            |(place, crosstab): (usize, &&CrossTab)| laid_out_sheet(place, crosstab, &options.appearance);
        let sheets: Result<Vec<Worksheet>, XlsxError> = laid_out.iter().enumerate().map(sheet).collect();
        (sheets, tidy.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    });
    for sheet in sheets.map_err(into_io_error)?.into_iter().chain([tidy?]) {
        book.push_worksheet(sheet);
    }
    book.save_to_buffer().map_err(into_io_error)
}

/// The sheet of a cross-tab or a view, as it is read.
fn laid_out_sheet(
    place: usize,
    crosstab: &CrossTab,
    appearance: &Appearance,
) -> Result<Worksheet, XlsxError> {
    let mut sheet = Worksheet::new();
    sheet.set_name(if place == 0 { "Cross-tab".into() } else { format!("View {place}") })?;
    lay_out(&mut sheet, crosstab, appearance)?;
    Ok(sheet)
}

/// The sheet of the tidy result.
fn tidy_sheet(crosstab: &CrossTab, options: &TargetOptions) -> std::io::Result<Worksheet> {
    let TargetOptions { levels, with_hidden, .. } = options.clone();
    let spec = TableSpec::default().levels(levels).with_hidden(with_hidden);
    let table = crosstab.table(&spec).map_err(std::io::Error::other)?;
    let mut sheet = Worksheet::new();
    sheet.set_name("Tidy").map_err(into_io_error)?;
    fill_sheet(&mut sheet, &table.schema.clone(), table.batches())?;
    Ok(sheet)
}

fn into_io_error(error: XlsxError) -> std::io::Error {
    match error {
        XlsxError::IoError(error) => error,
        other => std::io::Error::other(other),
    }
}

/// Rows before the headings of columns: the title, and nothing.
const TITLE: usize = 2;

fn lay_out(page: &mut Worksheet, crosstab: &CrossTab, appearance: &Appearance) -> Result<(), XlsxError> {
    let sheet = appearance.layout(crosstab);
    let heads = sheet.heads.len().max(1);
    page.write_string_with_format(0, 0, &sheet.title, &Format::new().set_bold().set_font_size(14))?;
    let bold = Format::new().set_bold();
    let last = (TITLE + heads - 1) as u32;
    page.write_string_with_format(last, 0, sheet.corner.join(" > "), &bold)?;
    for (level, row) in sheet.heads.iter().enumerate() {
        for head in row {
            let (first, count) = head.columns;
            let format = bold.clone().set_align(FormatAlign::Center);
            let (top, bottom) = ((TITLE + level) as u32, (TITLE + level + head.rows - 1) as u32);
            let (left, right) = ((first + 1) as u16, (first + count) as u16);
            match (top, left) == (bottom, right) {
                true => page.write_string_with_format(
                    top,
                    left,
                    &head.text,
                    &format.set_align(FormatAlign::Right),
                )?,
                false => page.merge_range(top, left, bottom, right, &head.text, &format)?,
            };
        }
    }
    page.set_freeze_panes(TITLE as u32 + heads as u32, 1)?;
    page.set_landscape().set_print_fit_to_pages(1, 0).set_repeat_rows(TITLE as u32, last)?;
    let mut widest = sheet.corner.join(" > ").chars().count();
    for (place, row) in sheet.rows.iter().enumerate() {
        let at = (TITLE + heads + place) as u32;
        widest = widest.max(row.label.chars().count() + 2 * row.indent);
        let strong = matches!(row.kind, RowKind::Total | RowKind::Subtotal | RowKind::Heading);
        let label = if strong { bold.clone() } else { Format::new() }.set_indent(row.indent as u8);
        page.write_string_with_format(at, 0, &row.label, &ruled(label, row.kind))?;
        for (spot, (cell, column)) in (1..).zip(row.cells.iter().zip(&sheet.columns)) {
            let number = crosstab.format(row.entry, column.entry, column.measure);
            let format = dressed(cell, number, if strong { bold.clone() } else { Format::new() });
            write_cell(page, (at, spot), cell, ruled(format, row.kind))?;
        }
    }
    page.set_column_width(0, (widest + 2).clamp(10, 60) as f64)?;
    for (place, _) in sheet.columns.iter().enumerate() {
        let texts =
            sheet.rows.iter().filter_map(|row| row.cells.get(place)).map(|cell| cell.text.chars().count());
        page.set_column_width(1 + place as u16, (texts.max().unwrap_or(0) + 3).clamp(9, 40) as f64)?;
    }
    let below = (TITLE + heads + sheet.rows.len() + 1) as u32;
    for (place, note) in sheet.notes.iter().enumerate() {
        page.write_string_with_format(below + place as u32, 0, note, &Format::new().set_italic())?;
    }
    Ok(())
}

fn write_cell(
    page: &mut Worksheet,
    (row, column): (u32, u16),
    cell: &LayoutCell,
    format: Format,
) -> Result<(), XlsxError> {
    match &cell.value {
        Some(Value::Date(_)) | None if !cell.text.is_empty() => {
            page.write_string_with_format(row, column, &cell.text, &format)?
        }
        Some(value) => page.write_number_with_format(row, column, value.as_f64(), &format)?,
        None => page.write_blank(row, column, &format)?,
    };
    Ok(())
}

/// A line above a total.
fn ruled(format: Format, kind: RowKind) -> Format {
    if kind == RowKind::Total { format.set_border_top(FormatBorder::Thin) } else { format }
}

/// The colours that pages have.
fn dressed(cell: &LayoutCell, number: &NumberFormat, format: Format) -> Format {
    let colour = |Rgb(red, green, blue): Rgb| {
        Color::RGB(u32::from(red) << 16 | u32::from(green) << 8 | u32::from(blue))
    };
    let tint = |paint: Paint| colour(paint.tint(Ground::Light));
    let ink = |paint: Paint| colour(paint.ink(Ground::Light));
    let mut format = format.set_num_format(spelled(number));
    if let Some(paint) = cell.dress.tint {
        format = format.set_background_color(tint(paint));
    }
    let inked = cell.dress.ink.or(cell.dress.symbol.map(|(_, paint)| paint));
    match inked.or(cell.dress.bar.map(|bar| bar.paint)) {
        Some(paint) => format.set_font_color(ink(paint)),
        None => format,
    }
}

/// A number format as workbooks spell it: the value stays in true units.
fn spelled(format: &NumberFormat) -> String {
    let quoted =
        |text: &str| if text.is_empty() { String::new() } else { format!("\"{}\"", text.replace('"', "")) };
    let decimals = format.decimals.unwrap_or(2) as usize;
    let fraction = match (format.decimals, decimals) {
        (None, _) => ".##".to_string(),
        (_, 0) => String::new(),
        (_, decimals) => format!(".{}", "0".repeat(decimals)),
    };
    let whole = if format.marks.is_empty() { "0" } else { "#,##0" };
    let (scale, after) = match format.scaling {
        Scaling::Ones => ("", quoted(&format.after)),
        Scaling::Thousands => (",", quoted(&format.after)),
        Scaling::Millions => (",,", quoted(&format.after)),
        Scaling::Percent => ("", " %".to_string()),
    };
    let positive = format!("{}{whole}{fraction}{scale}{after}", quoted(&format.before));
    match format.negative {
        Negative::Minus => positive,
        Negative::Brackets => format!("{positive};({positive})"),
    }
}
