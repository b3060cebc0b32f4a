//! Whether lines were opened as a brief says: with its kinds, and with its related tables.

use arrow_schema::Schema;

use crate::brief::Brief;
use crate::error::{Error, Result};
use crate::lines::RELATED;
use crate::model::Kind;

/// Kinds and related tables take effect when lines are opened. Here it is too late for them, so lines that were
/// opened otherwise are an error.
///
/// # Errors
/// A column of another kind than the brief gives it, and a related table that was not read.
pub(crate) fn check_opened(brief: &Brief, schema: &Schema) -> Result<()> {
    for (column, given) in &brief.kinds {
        let field = schema.field_with_name(column).ok();
        let found = field.and_then(|field| Kind::of(field.data_type()));
        if let Some(found) = found.filter(|found| !is_of(*found, given)) {
            let message = format!(
                "the brief gives {column} the kind {given}, but these lines were opened with {found}"
            );
            return Err(Error::request("kinds", message));
        }
    }
    let read = schema.metadata().get(RELATED).map_or("", String::as_str);
    for related in &brief.related {
        if !read.lines().any(|name| name == related.name) {
            let message = "these lines were opened without this table; open them with the brief";
            return Err(Error::request(format!("related {}", related.name), message));
        }
    }
    Ok(())
}

/// Whether a kind is the one that a brief names. `decimal` leaves the scale open, and `date(dmy)` is a date.
fn is_of(found: Kind, given: &str) -> bool {
    let name = given.split('(').next().unwrap_or(given).trim();
    match found {
        Kind::Whole => ["whole", "decimal"].contains(&name),
        Kind::Decimal { .. } => name == "decimal",
        _ => found.to_string() == name,
    }
}
