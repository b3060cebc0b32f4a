//! Columns whose kind changes while they are read, because later lines do not fit what the first ones showed.

use super::LineSource;
use crate::error::{Error, Result};

/// The columns of which all values were looked at.
#[derive(Debug, Default)]
pub(crate) struct LookedAt(Vec<String>);

impl LookedAt {
    /// Changes how a source reads a column, if an error asks for it.
    ///
    /// # Errors
    /// That error, where reading again would not help.
    pub(crate) fn read_otherwise(&mut self, error: Error, source: &mut dyn LineSource) -> Result<()> {
        match (error.wider(), error.reconsidered()) {
            (Some((column, kind)), _) if source.widen(column, *kind) => Ok(()),
            // The column has another kind now, or its misfits are an error in the next pass.
            (_, Some(column)) if !self.0.iter().any(|known| known == column) => {
                self.0.push(column.to_string());
                source.reconsider(column).map(drop)
            }
            _ => Err(error),
        }
    }
}

/// Makes the kinds of columns final: where they may still change, the columns are read once.
///
/// # Errors
/// What the source finds wrong.
pub(crate) fn settle(source: &mut dyn LineSource, columns: &[usize]) -> Result<()> {
    let mut looked_at = LookedAt::default();
    loop {
        let schema = source.schema();
        let is_open = |column: &&usize| !source.is_settled(schema.field(**column).name());
        let open: Vec<usize> = columns.iter().filter(is_open).copied().collect();
        if open.is_empty() {
            return Ok(());
        }
        match source.scan(&open, &mut |_| Ok(())) {
            Ok(_) => return Ok(()),
            Err(error) => looked_at.read_otherwise(error, source)?,
        }
    }
}
