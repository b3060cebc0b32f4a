//! Whatever a brief mentions may be an assumption in braces, and may be gone: nothing that a text names is overlooked.

use serde_json::{Value, json};

use crate::cases::{Case, cases, outcome};

/// Keys whose texts are no part of what is computed: files, kinds, and words of a few.
const APART: [&str; 21] = [
    "source",
    "related",
    "kinds",
    "to",
    "format",
    "filled",
    "yardstick",
    "totals",
    "totals_of",
    "bad_values",
    "as",
    "peers",
    "reach",
    "scale",
    "good",
    "palette",
    "symbols",
    "figure",
    "show",
    "mean",
    "unit",
];

/// Every text in a value that a name or a formula may stand in, by its JSON pointer.
fn texts(value: &Value, at: String, found: &mut Vec<String>) {
    match value {
        Value::Object(map) => {
            for (key, value) in map.iter().filter(|(key, _)| !APART.contains(&key.as_str())) {
                let key = key.replace('~', "~0").replace('/', "~1");
                texts(value, format!("{at}/{key}"), found);
            }
        }
        Value::Array(list) => {
            list.iter().enumerate().for_each(|(i, value)| texts(value, format!("{at}/{i}"), found));
        }
        Value::String(_)
            if !at.ends_with("/apply") && !at.ends_with("/fill") && !at.starts_with("/assumptions") =>
        {
            found.push(at)
        }
        _ => {}
    }
}

fn with_brief(case: &mut Case, brief: &Value) -> (&'static str, String) {
    case.brief = toml::to_string(brief).unwrap();
    outcome(case.expected.0, case.stream(None))
}

/// An assumption in braces stands for any text of a brief, whichever key it is of.
#[test]
fn any_text_may_be_an_assumption() {
    let (mut tried, mut apart) = (0, Vec::new());
    for mut case in cases().into_iter().filter(|case| case.expected.0 != "error") {
        let brief: Value = toml::from_str(&case.brief).unwrap();
        let wanted = with_brief(&mut case, &brief);
        // Tables are sorted here, and a column may stand before the one that it is computed from.
        if wanted.0 == "error" {
            continue;
        }
        let mut places = Vec::new();
        texts(&brief, String::new(), &mut places);
        for place in places {
            let mut other = brief.clone();
            let text = std::mem::replace(other.pointer_mut(&place).unwrap(), json!("{zz}"));
            // Another assumption's hole is filled from the outside in.
            if text.as_str().unwrap().contains('{') {
                continue;
            }
            other["assumptions"]["zz"] = json!({ "value": text });
            tried += 1;
            let found = with_brief(&mut case, &other);
            if found != wanted {
                apart.push(format!("{} {place} {text}: {}", case.path.display(), found.1));
            }
        }
    }
    assert!(apart.is_empty(), "{} of {tried}: {:#?}", apart.len(), &apart[..apart.len().min(8)]);
    assert!(tried > 500, "only {tried} texts were met");
}

/// A measure or a dimension that is taken away is an error of the request, or the rest is computed.
#[test]
fn anything_may_be_gone() {
    let mut tried = 0;
    for mut case in cases() {
        let Ok(brief) = toml::from_str::<Value>(&case.brief) else { continue };
        let mut others = Vec::new();
        for name in brief["measures"].as_object().into_iter().flat_map(|measures| measures.keys()) {
            let mut other = brief.clone();
            other["measures"].as_object_mut().unwrap().remove(name);
            others.push(other);
        }
        for axis in ["rows", "columns"] {
            for place in 0..brief[axis].as_array().map_or(0, Vec::len) {
                let mut other = brief.clone();
                other[axis].as_array_mut().unwrap().remove(place);
                others.push(other);
            }
        }
        for other in others {
            tried += 1;
            case.brief = toml::to_string(&other).unwrap();
            if let Err(error) = case.stream(None) {
                assert!(error.is_request() || case.expected.0 == "error", "{}: {error}", case.path.display());
            }
        }
    }
    assert!(tried > 300, "only {tried} were met");
}
