//! Results that are compared: tidy tables read from files.

use std::path::Path;

use pivvel_core::Result;
use pivvel_core::compare::{Snapshot, SnapshotReader};
use pivvel_io::{ReadOptions, open, read_rows};

use crate::files::location_of;

/// Reads a tidy result from a file of any form that lines are read from.
///
/// # Errors
/// A file that cannot be read, or that holds no tidy result.
pub fn read_tidy(path: &Path) -> Result<Snapshot> {
    let name = location_of(path)?;
    let mut source = open(name, &ReadOptions::default())?;
    let columns: Vec<String> = source.columns().iter().map(|column| column.name().to_string()).collect();
    let mut reader = SnapshotReader::new(name, &columns)?;
    read_rows(source.as_mut(), &mut |row| reader.push(row))?;
    Ok(reader.finish())
}
