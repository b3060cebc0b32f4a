//! The tidy result as CSV: plain numbers in true units, exact decimals to the last digit.

use std::io::Write;

use pivvel_core::CrossTab;
use pivvel_core::table::TableSpec;

use crate::table::{TableForm, TableOptions, write_table};

/// Writes the tidy result as CSV, one row a cell and measure.
///
/// # Errors
/// What the writer finds wrong.
pub fn write_tidy_csv(crosstab: &CrossTab, mut out: impl Write + Send) -> std::io::Result<()> {
    let spec = TableSpec::default().exact(true);
    let table = crosstab.table(&spec).map_err(std::io::Error::other)?;
    write_table(TableForm::CSV, table, &mut out, TableOptions::default())
}
