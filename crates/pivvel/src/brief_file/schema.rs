//! The JSON Schema of briefs, from the types that they are read into.

use std::sync::LazyLock;

use pivvel_core::Brief;
use serde_json::Value;

use crate::schema::{schema_of, text_of};

static SCHEMA: LazyLock<Value> = LazyLock::new(|| schema_of::<Brief>("brief.schema.json"));

static TEXT: LazyLock<String> = LazyLock::new(|| text_of(&SCHEMA));

/// The JSON Schema (draft 2020-12) of a brief, for editors that complete and check TOML by one.
///
/// ```
/// assert!(pivvel::brief::schema().contains("\"title\": \"A brief for Pivvel\""));
/// ```
pub fn schema() -> &'static str {
    &TEXT
}

/// A part of the schema, by the keys that lead to it; what stands under a name of the author's choice is found
/// under any, and so is what stands in a list.
pub(super) fn part<'k>(keys: impl IntoIterator<Item = &'k str>) -> Option<&'static Value> {
    keys.into_iter().try_fold(&*SCHEMA, |schema, key| {
        forms(schema).into_iter().find_map(|form| {
            let property = form.get("properties").and_then(|all| all.get(key));
            property.or(form.get("additionalProperties")).or(form.get("items"))
        })
    })
}

/// The forms that a value may have, with what references lead to.
pub(super) fn forms(schema: &'static Value) -> Vec<&'static Value> {
    let referred = schema.get("$ref").and_then(Value::as_str).and_then(|name| {
        let name = name.strip_prefix("#/$defs/")?;
        SCHEMA.get("$defs")?.get(name)
    });
    let several = schema.get("anyOf").and_then(Value::as_array);
    let inner = referred.into_iter().chain(several.into_iter().flatten());
    std::iter::once(schema).chain(inner.flat_map(forms)).collect()
}
