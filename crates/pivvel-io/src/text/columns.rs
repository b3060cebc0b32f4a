//! The columns of a source of text: their names, and how the values of each are read.

use std::sync::Arc;

use arrow_schema::{DataType, Field, Schema, SchemaRef};
use pivvel_core::{Error, Kind, Result};

use super::Chunk;
use crate::kinds::{ColumnKind, Evidence, GivenKind};

/// A column: its name and how it is read.
#[derive(Debug, Clone)]
pub struct Column {
    /// The name that formulas use.
    pub name: String,
    /// How its values are read.
    pub kind: ColumnKind,
}

/// The columns of a source.
#[derive(Debug, Clone, Default)]
pub(crate) struct TextColumns(pub(crate) Vec<Column>);

impl TextColumns {
    /// Finds out what columns hold from the first lines, where it is not given.
    pub(crate) fn find(
        names: Vec<String>,
        evidence: Vec<Evidence>,
        given: &[(String, String)],
    ) -> Result<TextColumns> {
        check_given(given, &names)?;
        let mut columns = Vec::with_capacity(names.len());
        for (name, evidence) in names.into_iter().zip(evidence) {
            let kind = match given.iter().rev().find(|(column, _)| *column == name) {
                Some((_, given)) => evidence.given(&name, GivenKind::parse(&name, given)?)?,
                None => evidence.kind(&name),
            };
            columns.push(Column { name, kind });
        }
        Ok(TextColumns(columns))
    }

    pub(crate) fn schema(&self) -> SchemaRef {
        let field = |column: &Column| Field::new(&column.name, column.kind.data_type(), true);
        Arc::new(Schema::new(self.0.iter().map(field).collect::<Vec<_>>()))
    }

    /// Gives a column a wider kind.
    pub(crate) fn widen(&mut self, column: &str, kind: Kind) -> bool {
        let Some(column) = self.0.iter_mut().find(|known| known.name == column) else { return false };
        // The same kind again means that its digits are too many for the narrow form.
        column.kind.wide |= column.kind.kind == kind;
        column.kind.kind = kind;
        true
    }

    pub(crate) fn trouble(&self, column: &str) -> Option<String> {
        self.0.iter().find(|known| known.name == column)?.kind.trouble.clone()
    }
}

/// That kinds are given to columns that there are.
pub(crate) fn check_given(given: &[(String, String)], names: &[String]) -> Result<()> {
    match given.iter().find(|(column, _)| !names.contains(column)) {
        Some((column, _)) => Err(Error::unknown("kinds", "column", column, names.iter().map(String::as_str))),
        None => Ok(()),
    }
}

/// What the lines of a chunk say about each column.
pub(crate) fn gather(chunk: &Chunk, lines: usize, evidence: &mut [Evidence]) {
    for (i, evidence) in evidence.iter_mut().enumerate() {
        (0..lines).for_each(|line| evidence.take(&String::from_utf8_lossy(chunk.field(line, i)), 1));
    }
}

impl ColumnKind {
    /// The type of the column's arrays.
    pub(crate) fn data_type(&self) -> DataType {
        match self.kind {
            Kind::Text => DataType::Utf8View,
            Kind::Date => DataType::Date32,
            Kind::Whole if self.wide => DataType::Decimal128(38, 0),
            Kind::Whole => DataType::Int64,
            Kind::Decimal { scale } if self.wide => DataType::Decimal128(38, scale as i8),
            Kind::Decimal { scale } => DataType::Decimal64(18, scale as i8),
            Kind::Float => DataType::Float64,
            Kind::YesNo => DataType::Boolean,
        }
    }
}
