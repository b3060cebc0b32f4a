//! The columns that formulas and dimensions may name, and which of them a plan needs.

use arrow_schema::Schema;

use crate::error::{Result, unknown_message};
use crate::lines::{DatePart, Kind};

/// A source's columns while a plan is made: names are looked up here, and every column that is
/// found gets a slot in the batches that the scan will be given.
#[derive(Debug, Default)]
pub(crate) struct Columns {
    known: Vec<(String, Option<Kind>, String)>,
    needed: Vec<usize>,
}

/// A column that was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Found {
    /// Place in the batches of the scan.
    pub(crate) slot: usize,
    pub(crate) kind: Kind,
}

impl Columns {
    pub(crate) fn new(schema: &Schema) -> Columns {
        let known = schema.fields().iter().map(|field| {
            let data_type = field.data_type();
            (field.name().clone(), Kind::of(data_type), data_type.to_string())
        });
        Columns { known: known.collect(), needed: Vec::new() }
    }

    /// Places in the schema of the columns that were found so far, by slot.
    pub(crate) fn needed(&self) -> &[usize] {
        &self.needed
    }

    /// Names of the columns that were found so far, by slot.
    pub(crate) fn needed_names(&self) -> impl Iterator<Item = &str> {
        self.needed.iter().map(|i| self.known[*i].0.as_str())
    }

    pub(crate) fn find(&mut self, name: &str) -> Result<Found, String> {
        let Some(place) = self.known.iter().position(|(known, ..)| known == name) else {
            return Err(unknown_message("column", name, self.known.iter().map(|(k, ..)| k.as_str())));
        };
        let (_, kind, data_type) = &self.known[place];
        let Some(kind) = *kind else {
            return Err(format!("column {name} is of type {data_type}, which cannot be used here"));
        };
        let slot = self.needed.iter().position(|needed| *needed == place).unwrap_or_else(|| {
            self.needed.push(place);
            self.needed.len() - 1
        });
        Ok(Found { slot, kind })
    }

    /// A column, or a part of a date column as in `sold_on.quarter`.
    pub(crate) fn find_dimension(&mut self, name: &str) -> Result<(Found, Option<DatePart>), String> {
        let whole = self.known.iter().any(|(known, ..)| known == name);
        match name.rsplit_once('.') {
            Some((base, part)) if !whole && self.known.iter().any(|(known, ..)| known == base) => {
                self.find_part(base, part).map(|(found, part)| (found, Some(part)))
            }
            _ => self.find(name).map(|found| (found, None)),
        }
    }

    pub(crate) fn find_part(&mut self, base: &str, part: &str) -> Result<(Found, DatePart), String> {
        let found = self.find(base)?;
        if found.kind != Kind::Date {
            let kind = found.kind.plural();
            return Err(format!("only dates have parts such as .{part}, and column {base} holds {kind}"));
        }
        match DatePart::from_name(part) {
            Some(part) => Ok((found, part)),
            None => Err(unknown_message("part of a date", part, DatePart::ALL.iter().map(|(_, name)| *name))),
        }
    }
}
