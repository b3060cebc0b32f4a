//! The tidy result as CSV: plain numbers in true units, exact decimals to the last digit.

use std::io::Write;

use pivvel_core::CrossTab;
use pivvel_core::table::TableSpec;

use crate::table::{TableForm, TableOptions, write_table};

/// Writes the tidy result as CSV, one row a cell and measure.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::table::write_tidy_csv;
///
/// let mut text = Vec::new();
/// write_tidy_csv(&crosstab, &mut text)?;
/// assert!(String::from_utf8(text)?.starts_with("coast,harbour,"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// What the writer finds wrong.
pub fn write_tidy_csv(crosstab: &CrossTab, mut out: impl Write + Send) -> std::io::Result<()> {
    let spec = TableSpec::default().exact(true);
    let table = crosstab.table(&spec).map_err(std::io::Error::other)?;
    write_table(TableForm::CSV, table, &mut out, TableOptions::default())
}
