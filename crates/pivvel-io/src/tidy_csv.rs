//! The tidy result as CSV: plain numbers in true units, exact decimals to the last digit.

use std::io::Write;

use pivvel_core::{CrossTab, TIDY_COLUMNS, tidy, tidy_dimensions};

/// Writes the tidy result as CSV, one row a cell and measure.
///
/// # Errors
/// What the writer finds wrong.
pub fn write_tidy_csv(crosstab: &CrossTab, out: impl Write) -> std::io::Result<()> {
    write(crosstab, out).map_err(|error| match error.into_kind() {
        // A closed pipe or a full disk must be known as one.
        csv::ErrorKind::Io(error) => error,
        other => std::io::Error::other(format!("{other:?}")),
    })
}

fn write(crosstab: &CrossTab, out: impl Write) -> csv::Result<()> {
    let mut csv = csv::Writer::from_writer(out);
    csv.write_record(tidy_dimensions(crosstab).iter().map(String::as_str).chain(TIDY_COLUMNS))?;
    let float = |value: Option<f64>| value.map(|v| (v + 0.0).to_string()).unwrap_or_default();
    for row in tidy(crosstab) {
        for label in row.members() {
            csv.write_field(label.unwrap_or_default())?;
        }
        for name in row.levels().into_iter().chain(row.kinds()) {
            csv.write_field(name)?;
        }
        csv.write_field(row.measure())?;
        csv.write_field(row.value().map(|v| v.to_string()).unwrap_or_default())?;
        csv.write_field(row.lines().to_string())?;
        csv.write_field(row.peers())?;
        let yardstick = row.yardstick();
        csv.write_field(yardstick.map_or(0, |y| y.count).to_string())?;
        csv.write_field(yardstick.map(|y| y.low.to_string()).unwrap_or_default())?;
        csv.write_field(yardstick.map(|y| y.high.to_string()).unwrap_or_default())?;
        csv.write_field(float(yardstick.and_then(|y| y.mean)))?;
        csv.write_field(float(row.position()))?;
        csv.write_field(row.rank().map(|rank| rank.to_string()).unwrap_or_default())?;
        csv.write_record(None::<&[u8]>)?;
    }
    Ok(csv.flush()?)
}
