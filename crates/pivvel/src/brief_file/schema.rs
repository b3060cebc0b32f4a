//! The JSON Schema of briefs, from the types that they are read into.

use std::sync::LazyLock;

use pivvel_core::Brief;
use schemars::generate::SchemaSettings;
use schemars::transform::RecursiveTransform;
use serde_json::Value;

static SCHEMA: LazyLock<Value> = LazyLock::new(|| {
    let settings = SchemaSettings::draft2020_12().with_transform(RecursiveTransform(plain));
    let mut schema = settings.into_generator().into_root_schema_for::<Brief>();
    schema.insert("$id".into(), "brief.schema.json".into());
    schema.into()
});

static TEXT: LazyLock<String> = LazyLock::new(|| {
    let text = serde_json::to_string_pretty(&*SCHEMA).expect("a schema is made of texts, numbers and lists");
    text + "\n"
});

/// The JSON Schema (draft 2020-12) of a brief, for editors that complete and check TOML by one.
///
/// ```
/// assert!(pivvel::brief_schema().contains("\"title\": \"A brief for Pivvel\""));
/// ```
pub fn brief_schema() -> &'static str {
    &TEXT
}

/// TOML has no null, and a sentence is one line.
fn plain(schema: &mut schemars::Schema) {
    if let Some(types) = schema.get_mut("type").and_then(Value::as_array_mut) {
        types.retain(|name| name != "null");
        if let [one] = types.as_slice() {
            let one = one.clone();
            schema.insert("type".into(), one);
        }
    }
    if let Some(words) = schema.get_mut("enum").and_then(Value::as_array_mut) {
        words.retain(|word| !word.is_null());
    }
    if let Some(Value::Array(all)) = schema.get_mut("anyOf") {
        all.retain(|one| one.get("type") != Some(&"null".into()));
        if let [one] = all.as_mut_slice() {
            let one = std::mem::take(one);
            schema.remove("anyOf");
            for (key, value) in one.as_object().into_iter().flatten() {
                schema.insert(key.clone(), value.clone());
            }
        }
    }
    if let Some(Value::String(text)) = schema.get_mut("description") {
        *text = text.split_whitespace().collect::<Vec<_>>().join(" ").replace('`', "");
    }
    if schema.get("default") == Some(&Value::Null) {
        schema.remove("default");
    }
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
