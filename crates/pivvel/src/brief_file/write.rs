//! Brief to TOML, in the order in which the keys are declared.

use pivvel_core::Brief;
use pivvel_core::brief::EmphasisBrief;
use serde::Serialize;
use serde_json::Value as Json;
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, Value};

use super::schema::{forms, part};

/// Parts that stand in a table by name, each on a line of its own.
const LINES: &str = "measures";

/// Writes a brief as TOML: what differs from the defaults. Reading it again gives the same brief.
///
/// ```
/// use pivvel::{Brief, brief};
/// let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)")).tint("sales");
/// assert_eq!(brief::from_toml("again", &brief::to_toml(&brief))?, brief);
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn to_toml(brief: &Brief) -> String {
    let written = brief.serialize(toml_edit::ser::ValueSerializer::new());
    let Ok(Value::InlineTable(mut keys)) = written else { return String::new() };
    without_defaults(&mut keys, &mut Vec::new());
    let (mut values, mut tables) = (Table::new(), Vec::new());
    for (key, value) in keys {
        match value {
            Value::InlineTable(table) => tables.push((key.to_string(), headed(&key, table))),
            Value::Array(list) if !list.is_empty() && list.iter().all(Value::is_inline_table) => {
                tables.push((key.to_string(), Item::ArrayOfTables(listed(list))));
            }
            value => drop(values.insert(&key, Item::Value(value))),
        }
    }
    // What has no heading of its own stands before the first heading.
    values.extend(tables);
    DocumentMut::from(values).to_string()
}

/// What an emphasis says that is not the default: each key with its value, in the order in which they are declared.
///
/// ```
/// use pivvel::brief::{EmphasisBrief, Form, Side, emphasis_keys};
/// let tint = EmphasisBrief::new("sales", Form::Tint).good(Side::Low);
/// let keys = emphasis_keys(&tint);
/// assert_eq!(keys, [("on", "sales"), ("good", "low")].map(|(k, v)| (k.into(), v.into())));
/// ```
pub fn emphasis_keys(emphasis: &EmphasisBrief) -> Vec<(String, String)> {
    let written = emphasis.serialize(toml_edit::ser::ValueSerializer::new());
    let Ok(Value::InlineTable(mut keys)) = written else { return Vec::new() };
    without_defaults(&mut keys, &mut vec!["emphasis".to_string(), String::new()]);
    keys.iter().map(|(key, value)| (key.to_string(), words(value))).collect()
}

/// A value as a sentence has it: texts without marks, lists joined by commas.
fn words(value: &Value) -> String {
    match value {
        Value::String(text) => text.value().clone(),
        Value::Array(list) => list.iter().map(words).collect::<Vec<_>>().join(", "),
        value => value.to_string().trim().to_string(),
    }
}

/// A table with a heading; where all that is in it are tables, these have one each.
fn headed(key: &str, table: InlineTable) -> Item {
    let mut headed = Table::new();
    let nested = key != LINES && table.iter().all(|(_, value)| value.is_inline_table());
    headed.set_implicit(nested);
    for (key, value) in table {
        let item = match value {
            Value::InlineTable(table) if nested => Item::Table(table.into_table()),
            value => Item::Value(value),
        };
        headed.insert(&key, item);
    }
    Item::Table(headed)
}

fn listed(list: Array) -> ArrayOfTables {
    let table = |value: Value| match value {
        Value::InlineTable(table) => Some(table.into_table()),
        _ => None,
    };
    list.into_iter().filter_map(table).collect()
}

/// Takes out what is the default, at every depth.
fn without_defaults(table: &mut InlineTable, path: &mut Vec<String>) {
    let names: Vec<String> = table.iter().map(|(key, _)| key.to_string()).collect();
    for key in names {
        path.push(key.clone());
        let of_key = part(path.iter().map(String::as_str));
        let default =
            of_key.and_then(|schema| forms(schema).into_iter().find_map(|form| form.get("default")));
        if let Some(value) = table.get_mut(&key) {
            match value {
                Value::InlineTable(inner) => without_defaults(inner, path),
                Value::Array(list) => {
                    path.push(String::new());
                    let tables = list.iter_mut().filter_map(Value::as_inline_table_mut);
                    tables.for_each(|inner| without_defaults(inner, path));
                    path.pop();
                }
                _ => {}
            }
            if default.is_some_and(|default| is(value, default)) {
                table.remove(&key);
            }
        }
        path.pop();
    }
}

/// Whether a value is the one that a schema gives.
fn is(value: &Value, json: &Json) -> bool {
    match (value, json) {
        (Value::String(text), Json::String(other)) => text.value() == other,
        (Value::Boolean(flag), Json::Bool(other)) => flag.value() == other,
        (Value::Integer(number), Json::Number(other)) => Some(*number.value()) == other.as_i64(),
        (Value::Array(list), Json::Array(others)) => {
            list.len() == others.len() && list.iter().zip(others).all(|(value, json)| is(value, json))
        }
        (Value::InlineTable(table), Json::Object(others)) => {
            table.len() == others.len()
                && table.iter().all(|(key, value)| others.get(key).is_some_and(|json| is(value, json)))
        }
        _ => false,
    }
}
