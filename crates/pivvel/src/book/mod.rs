//! A cross-tab as a workbook: a sheet for it and for each of its views, laid out as they are read with
//! real numbers in them, and a tidy sheet to compute on. Colours are those that pages have, as plain
//! colours of cells.

mod format;
mod legend;
mod link;
mod sheet;

use pivvel_core::CrossTab;
use pivvel_core::table::TableSpec;
use pivvel_io::{fill_sheet, new_workbook};
use pivvel_view::Layout;
use rust_xlsxwriter::{DocProperties, ExcelDateTime, Worksheet, XlsxError};

use crate::files::TargetOptions;

/// The name of the tidy sheet.
const TIDY: &str = "Tidy";
/// How many characters the name of a sheet has at most.
const NAME: usize = 31;

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
    let views = crosstab.views().iter().map(|view| view.crosstab());
    let laid_out: Vec<&CrossTab> = std::iter::once(crosstab).chain(views).collect();
    // The tidy sheet takes as long as the others together.
    let (sheets, tidy) = std::thread::scope(|scope| {
        let tidy = scope.spawn(|| tidy_sheet(crosstab, options));
        let layouts: Vec<Layout> =
            laid_out.iter().map(|crosstab| options.appearance.layout(crosstab)).collect();
        let appearance = &options.appearance;
        let names = names(&layouts, appearance.sentence("Cross-tab"));
        let sheet = |((crosstab, layout), name): ((&&CrossTab, &Layout), String)| {
            let mut sheet = Worksheet::new();
            sheet.set_name(name)?;
            sheet::lay_out(&mut sheet, crosstab, layout, appearance)?;
            Ok(sheet)
        };
        let sheets: Result<Vec<Worksheet>, XlsxError> =
            laid_out.iter().zip(&layouts).zip(names).map(sheet).collect();
        (sheets, tidy.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    });
    for sheet in sheets.map_err(into_io_error)?.into_iter().chain([tidy?]) {
        book.push_worksheet(sheet);
    }
    book.save_to_buffer().map_err(into_io_error)
}

/// The names of the sheets: those of views are their titles, as far as a name of a sheet may be (ISO/IEC 29500: 31
/// characters, none of `[]:*?/\\`, and no two that differ in case alone).
fn names(layouts: &[Layout], first: String) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for title in std::iter::once(&first[..]).chain(layouts[1..].iter().map(|layout| layout.title())) {
        let kept = |c: char| if "[]:*?/\\".contains(c) || c.is_control() { ' ' } else { c };
        let title: String = title.chars().map(kept).collect();
        let title = title.split_whitespace().collect::<Vec<_>>().join(" ");
        let title = title.trim_matches('\'');
        let cut = |most: usize| {
            let mut room = most;
            let fits = |c: &char| {
                let left = room.checked_sub(c.len_utf16());
                room = left.unwrap_or(0);
                left.is_some()
            };
            title.chars().take_while(fits).collect::<String>().trim_end_matches([' ', '\'']).to_string()
        };
        let is_taken = |name: &str| {
            let same = |other: &str| other.to_lowercase() == name.to_lowercase();
            // A spreadsheet keeps "History" for itself.
            name.is_empty() || same(TIDY) || same("History") || names.iter().any(|other| same(other))
        };
        let numbered = (2..).map(|n| {
            let number = format!(" ({n})");
            format!("{}{number}", cut(NAME - number.len())).trim_start().to_string()
        });
        let name = std::iter::once(cut(NAME)).chain(numbered).find(|name| !is_taken(name));
        names.push(name.unwrap_or_default());
    }
    names
}

/// The sheet of the tidy result.
fn tidy_sheet(crosstab: &CrossTab, options: &TargetOptions) -> std::io::Result<Worksheet> {
    let TargetOptions { levels, with_hidden, with_decisions, .. } = options.clone();
    let spec = TableSpec::default().levels(levels).with_hidden(with_hidden).with_decisions(with_decisions);
    let table = crosstab.table(&spec).map_err(std::io::Error::other)?;
    let mut sheet = Worksheet::new();
    sheet.set_name(TIDY).map_err(into_io_error)?;
    fill_sheet(&mut sheet, &table.schema().clone(), table.batches())?;
    Ok(sheet)
}

fn into_io_error(error: XlsxError) -> std::io::Error {
    match error {
        XlsxError::IoError(error) => error,
        other => std::io::Error::other(other),
    }
}
