//! Checks that a file can hold a cross-tab, before it is written. Errors have the number and what to do.

use pivvel_core::{CrossTab, Error, Result};

/// The most cells of a page; with more of them browsers are slow.
const PAGE: usize = 200_000;
/// The most cells of a picture.
const PICTURE: usize = 100_000;
/// The rows and the columns that a sheet of a workbook has (ISO/IEC 29500).
const SHEET: (usize, usize) = (1_048_576, 16_384);

/// Checks that a page can hold these cross-tabs.
pub(crate) fn check_page<'c>(place: &str, crosstabs: impl IntoIterator<Item = &'c CrossTab>) -> Result<()> {
    drawn(place, "page", PAGE, crosstabs)
}

/// Checks that a picture can hold these cross-tabs.
pub(crate) fn check_picture<'c>(
    place: &str,
    crosstabs: impl IntoIterator<Item = &'c CrossTab>,
) -> Result<()> {
    drawn(place, "picture", PICTURE, crosstabs)
}

fn drawn<'c>(
    place: &str,
    what: &str,
    most: usize,
    crosstabs: impl IntoIterator<Item = &'c CrossTab>,
) -> Result<()> {
    let cells: usize = crosstabs.into_iter().map(|crosstab| shape(crosstab).0 * shape(crosstab).1).sum();
    if cells <= most {
        return Ok(());
    }
    let message = format!(
        "this {what} would have {} cells, and a {what} holds at most {}; show fewer members (only, having, top), or write a table \
         (.csv, .json, .parquet, .arrow)",
        with_marks(cells),
        with_marks(most)
    );
    Err(Error::request(place, message))
}

/// Checks that the sheets of a workbook can hold a cross-tab; the tidy sheet only where `tidy`.
pub(crate) fn check_workbook(place: &str, crosstab: &CrossTab, tidy: bool) -> Result<()> {
    let (rows, columns) = SHEET;
    let too_large = |sheet: &str, found: usize, most: usize, what: &str| {
        let message = format!(
            "{sheet} would have {} {what}, and a sheet has {}; show fewer members, or write a table (.csv, .json, .parquet, \
             .arrow)",
            with_marks(found),
            with_marks(most)
        );
        Err(Error::request(place, message))
    };
    let shown = std::iter::once(crosstab).chain(crosstab.views().iter().map(|view| view.crosstab()));
    for (i, crosstab) in shown.enumerate() {
        let sheet =
            if i == 0 { "the sheet of the cross-tab".to_string() } else { format!("the sheet of view {i}") };
        let (down, across) = shape(crosstab);
        if down > rows {
            return too_large(&sheet, down, rows, "rows");
        }
        if across > columns {
            return too_large(&sheet, across, columns, "columns");
        }
    }
    let tidy_rows = crosstab.cells().count() * crosstab.measures().len();
    if tidy && tidy_rows > rows {
        return too_large("the tidy sheet", tidy_rows, rows, "rows");
    }
    Ok(())
}

/// How many rows are drawn, and how many columns of figures.
fn shape(crosstab: &CrossTab) -> (usize, usize) {
    (crosstab.rows().entries().len(), crosstab.columns().entries().len() * crosstab.measures().len())
}

/// A count with marks between thousands.
fn with_marks(count: usize) -> String {
    pivvel_view::show_number(
        &pivvel_core::Value::Exact((count as u64).into()),
        &pivvel_core::brief::NumberFormat::default(),
    )
}
