//! How cells look: formats of numbers as workbooks spell them, and the colours that pages have.

use pivvel_core::Value;
use pivvel_core::brief::{Negative, NumberFormat, Scaling};
use pivvel_view::{Ground, LayoutCell, Paint, Rgb, RowKind, shown_decimals};
use rust_xlsxwriter::{Color, Format, FormatBorder};

/// A colour as workbooks have it.
pub(super) fn colour(Rgb(red, green, blue): Rgb) -> Color {
    Color::RGB(u32::from(red) << 16 | u32::from(green) << 8 | u32::from(blue))
}

/// The ground of a cell.
pub(super) fn tinted(format: Format, paint: Paint) -> Format {
    format.set_background_color(colour(paint.tint(Ground::Light)))
}

/// The colour of what stands in a cell.
pub(super) fn inked(format: Format, paint: Paint) -> Format {
    format.set_font_color(colour(paint.ink(Ground::Light)))
}

/// A line above a total.
pub(super) fn ruled(format: Format, kind: RowKind) -> Format {
    if kind == RowKind::Total { format.set_border_top(FormatBorder::Thin) } else { format }
}

/// The colours that pages have, and the number format, in which the symbol of a cell stands before its number.
pub(super) fn dressed(cell: &LayoutCell, number: &str, mut format: Format) -> Format {
    format = format.set_num_format(match cell.dress().symbol() {
        Some((symbol, _)) => after_symbol(symbol.glyph(), number),
        None => number.to_string(),
    });
    if let Some(paint) = cell.dress().tint() {
        format = tinted(format, paint);
    }
    match (cell.dress().ink().or(cell.dress().symbol().map(|(_, paint)| paint)), cell.dress().tint()) {
        (Some(paint), Some(_)) => format.set_font_color(colour(paint.ink_on_tint(Ground::Light))),
        (Some(paint), None) => inked(format, paint),
        (None, _) => format,
    }
}

/// A number format with a symbol before it. A format without a form for negative numbers would have their minus before the
/// symbol.
fn after_symbol(symbol: char, number: &str) -> String {
    match number.split_once(';') {
        Some((positive, negative)) => format!("\"{symbol} \"{positive};\"{symbol} \"{negative}"),
        None => format!("\"{symbol} \"{number};\"{symbol} \"-{number}"),
    }
}

/// A number format as workbooks spell it, with the digits that this value is shown with: it stays in true units.
pub(super) fn spelled(format: &NumberFormat, value: Option<&Value>) -> String {
    let quoted =
        |text: &str| if text.is_empty() { String::new() } else { format!("\"{}\"", text.replace('"', "")) };
    let fraction = match value.map_or(0, |value| shown_decimals(value, format)) {
        0 => String::new(),
        // No more are of use to a number of sixteen digits.
        decimals => format!(".{}", "0".repeat(decimals.min(18))),
    };
    let whole = if format.get_marks().is_empty() { "0" } else { "#,##0" };
    // A comma divides by a thousand, and a percent sign multiplies by a hundred.
    let scale = ",".repeat(usize::try_from(format.get_scaling().power() / 3).unwrap_or(0));
    let after = match format.get_scaling() {
        Scaling::Percent => " %".to_string(),
        _ => quoted(format.get_after()),
    };
    let positive = format!("{}{whole}{fraction}{scale}{after}", quoted(format.get_before()));
    match format.get_negative() {
        // A positive number leaves the room of the bracket, so that digits stand under each other.
        Negative::Brackets => format!("{positive}_);({positive})"),
        _ => positive,
    }
}
