//! JSON Schemas of what is kept in files, from the types that these are read into.

use schemars::JsonSchema;
use schemars::generate::SchemaSettings;
use schemars::transform::RecursiveTransform;
use serde_json::Value;

/// The schema of a type (draft 2020-12).
pub(crate) fn schema_of<T: JsonSchema>(id: &str) -> Value {
    let settings = SchemaSettings::draft2020_12().with_transform(RecursiveTransform(without_nulls));
    let mut schema = settings.into_generator().into_root_schema_for::<T>();
    schema.insert("$id".into(), id.into());
    schema.into()
}

/// A schema as text.
pub(crate) fn text_of(schema: &Value) -> String {
    format!("{schema:#}\n")
}

/// The schema of a type as text.
pub(crate) fn schema_text<T: JsonSchema>(id: &str) -> String {
    text_of(&schema_of::<T>(id))
}

/// What is left out is left out, never null, and a sentence is one line.
fn without_nulls(schema: &mut schemars::Schema) {
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
