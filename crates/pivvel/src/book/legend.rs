//! What stands below a table: what colours and symbols mean, and the notes of the run.

use pivvel_core::brief::Form;
use pivvel_core::text::Sentence;
use pivvel_view::{Appearance, Ground, Layout, LegendEntry, Paint, Sample};
use rust_xlsxwriter::{Format, FormatAlign, Worksheet, XlsxError};

use super::format::{colour, inked, tinted};

/// Writes it from a row on, with how many links there was no room for.
pub(super) fn write(
    page: &mut Worksheet,
    layout: &Layout,
    appearance: &Appearance,
    left_out: usize,
    below: u32,
) -> Result<(), XlsxError> {
    let mut row = below;
    // A sheet has no small lines.
    for entry in layout.legend().iter().filter(|entry| entry.form() != Form::Trend) {
        page.write_string(row, 0, entry.text())?;
        row = samples(page, entry, row + 1)?;
    }
    if row > below {
        row += 1;
    }
    let without = Sentence::counted(
        left_out as u64,
        "{count} link is left out: a sheet cannot hold it",
        "{count} links are left out: a sheet cannot hold them",
    );
    let without = (left_out > 0).then(|| appearance.sentence(without));
    for note in layout.notes().iter().chain(layout.doubts()).chain(&without) {
        page.write_string_with_format(row, 0, note, &Format::new().set_italic())?;
        row += 1;
    }
    Ok(())
}

/// Writes what an entry looks like; the row after it.
fn samples(page: &mut Worksheet, entry: &LegendEntry, mut row: u32) -> Result<u32, XlsxError> {
    match entry.sample() {
        Sample::Ramp { paints, ends: [low, high], middle } => {
            let texts = [low.as_str(), middle.as_deref().unwrap_or_default(), high.as_str()];
            let places = [0, paints.len() / 2, paints.len().saturating_sub(1)];
            let aligns = [FormatAlign::Left, FormatAlign::Center, FormatAlign::Right];
            for (((text, place), align), column) in texts.iter().zip(places).zip(aligns).zip(1..) {
                let format = Format::new().set_align(align);
                let format =
                    paints.get(place).map_or(format.clone(), |paint| looks(entry.form(), *paint, format));
                page.write_string_with_format(row, column, *text, &format)?;
            }
            row += 1;
        }
        Sample::Named(swatches) => {
            for swatch in swatches {
                let symbol = swatch.symbol().map(|symbol| format!("{} ", symbol.glyph())).unwrap_or_default();
                let format = looks(entry.form(), swatch.paint(), Format::new());
                page.write_string_with_format(row, 1, format!("{symbol}{}", swatch.name()), &format)?;
                row += 1;
            }
        }
        _ => {}
    }
    Ok(row)
}

/// A cell as the form makes it.
fn looks(form: Form, paint: Paint, format: Format) -> Format {
    match form {
        Form::Tint => tinted(format, paint),
        Form::Bar => format.set_background_color(colour(paint.shape(Ground::Light))),
        _ => inked(format, paint),
    }
}
