//! The schemas that editors check files by say the same as what reads these files.

use jsonschema::Validator;
use pivvel::brief;
use pivvel::brief::{Form, NumberFormat, PaletteName, PeersOf, Placement, SymbolSet, Tone, ViewForm};
use pivvel::result::{yardsticks_from_json, yardsticks_schema};
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::briefs::brief;
use crate::cases::cases;
use crate::rewriting::demo;

fn validator(schema: &str) -> Validator {
    let schema: Value = serde_json::from_str(schema).unwrap();
    jsonschema::meta::validate(&schema).unwrap();
    jsonschema::validator_for(&schema).unwrap()
}

fn data(text: &str) -> Value {
    toml::from_str(text).unwrap_or_else(|e| panic!("{e}\n{text}"))
}

#[test]
fn every_brief_there_is_fits_the_schema() {
    let validator = validator(brief::schema());
    let cases = cases().into_iter().map(|case| (case.path.display().to_string(), case.brief));
    let mut met = 0;
    for (name, text) in demo().into_iter().chain(cases) {
        if brief::from_toml(&name, &text).is_err() {
            continue;
        }
        met += 1;
        let wrong: Vec<String> = validator.iter_errors(&data(&text)).map(|e| e.to_string()).collect();
        assert!(wrong.is_empty(), "{name}: {wrong:#?}");
    }
    assert!(met > 60, "only {met} briefs were met");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Whatever is written fits, and a brief that is written into any other says what it says.
    #[test]
    fn every_brief_that_is_written_fits_the_schema(one in brief(), other in brief()) {
        let (validator, text) = (validator(brief::schema()), brief::to_toml(&one));
        let wrong: Vec<String> = validator.iter_errors(&data(&text)).map(|e| e.to_string()).collect();
        prop_assert!(wrong.is_empty(), "{:#?}\n{}", wrong, text);
        // What is JSON, and what is built in Rust, is the same brief.
        let again: pivvel::Brief = serde_json::from_value(serde_json::to_value(&one).unwrap()).unwrap();
        prop_assert_eq!(&again, &one);
        let rewritten = brief::rewrite(&text, &other);
        prop_assert_eq!(brief::from_toml("again", &rewritten).unwrap(), other);
    }
}

/// Places in a value, as JSON pointers.
fn places(value: &Value, at: String, all: &mut Vec<String>) {
    match value {
        Value::Object(map) => map.iter().for_each(|(key, value)| {
            let key = key.replace('~', "~0").replace('/', "~1");
            places(value, format!("{at}/{key}"), all);
        }),
        Value::Array(list) => {
            list.iter().enumerate().for_each(|(i, value)| places(value, format!("{at}/{i}"), all));
        }
        _ => {}
    }
    all.push(at);
}

/// What is wrong in a brief is so for the schema and for the reader: another kind of value in any place, a key
/// that there is not, and a key that is missing.
#[test]
fn what_is_wrong_is_wrong_for_both() {
    let validator = validator(brief::schema());
    let (mut refused, mut taken, mut apart) = (0, 0, Vec::new());
    for (name, text) in demo() {
        let whole = data(&text);
        let mut all = Vec::new();
        places(&whole, String::new(), &mut all);
        for place in all {
            let others = [json!(true), json!(7), json!("surely"), json!([]), json!({ "zzz": true })];
            let mut wrongs: Vec<Value> = Vec::new();
            for other in others {
                let mut wrong = whole.clone();
                *wrong.pointer_mut(&place).unwrap() = other;
                wrongs.push(wrong);
            }
            if let Some(map) = whole.pointer(&place).unwrap().as_object() {
                for key in map.keys() {
                    let mut wrong = whole.clone();
                    wrong.pointer_mut(&place).unwrap().as_object_mut().unwrap().remove(key);
                    wrongs.push(wrong);
                }
                let mut wrong = whole.clone();
                wrong.pointer_mut(&place).unwrap()["zzz"] = json!(true);
                wrongs.push(wrong);
            }
            for wrong in wrongs.iter().filter(|wrong| wrong.is_object()) {
                let Ok(text) = toml::to_string(wrong) else { continue };
                let (read, fits) = (brief::from_toml("brief", &text), validator.is_valid(wrong));
                if read.is_ok() != fits {
                    apart.push(format!(
                        "{name}, {place}: {}, and the reader says {:?}",
                        wrong.pointer(&place).unwrap_or(&Value::Null),
                        read.err()
                    ));
                }
                if fits { taken += 1 } else { refused += 1 }
            }
        }
    }
    assert!(apart.is_empty(), "{} apart: {:#?}", apart.len(), &apart[..apart.len().min(20)]);
    assert!(refused > 2_000 && taken > 500, "{refused} refused, {taken} taken");
}

#[test]
fn names_are_those_that_are_known() {
    let schema: Value = serde_json::from_str(brief::schema()).unwrap();
    let at = |pointer: &str| -> Vec<String> {
        let list = schema.pointer(&format!("/$defs/{pointer}/enum")).unwrap().as_array().unwrap();
        list.iter().map(|name| name.as_str().unwrap().to_string()).collect()
    };
    let of = |names: &mut dyn Iterator<Item = &'static str>| names.map(str::to_string).collect::<Vec<_>>();
    let emphasis = "EmphasisBrief/properties";
    assert_eq!(at(&format!("{emphasis}/as")), of(&mut Form::NAMES.iter().map(|(name, _)| *name)));
    assert_eq!(at(&format!("{emphasis}/peers")), of(&mut PeersOf::NAMES.iter().map(|(name, _)| *name)));
    assert_eq!(
        at(&format!("{emphasis}/palette/anyOf/0")),
        of(&mut PaletteName::NAMES.iter().map(|(name, _)| *name))
    );
    assert_eq!(at(&format!("{emphasis}/symbols")), of(&mut SymbolSet::NAMES.iter().map(|(name, _)| *name)));
    assert_eq!(at("ViewBrief/properties/as"), of(&mut ViewForm::NAMES.iter().map(|(name, _)| *name)));
    let tones = at("RuleBrief/properties/show/anyOf/0");
    assert!(Tone::NAMES.iter().all(|(name, _)| tones.contains(&name.to_string())));
    assert_eq!(at("NumberFormat/anyOf/0"), of(&mut NumberFormat::NAMES.into_iter()));
    let totals = schema.pointer("/properties/totals/anyOf/0/enum").unwrap().clone();
    assert_eq!(totals, json!(Placement::NAMES.iter().map(|(name, _)| *name).collect::<Vec<_>>()));
}

#[test]
fn yardsticks_fit_their_schema_or_are_refused_by_both() {
    let validator = validator(yardsticks_schema());
    let scale = |more: Value| {
        let mut scale = json!({ "count": 3, "low": 1.5, "high": 9 });
        scale.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        json!({ "scales": { "sales@coast/total": scale } })
    };
    let cases = [
        (scale(json!({})), true),
        (scale(json!({ "mean": 4.25 })), true),
        (scale(json!({ "clip": [0.05, 0.95, 2, 8] })), true),
        (json!({ "scales": {} }), true),
        (scale(json!({ "count": -1 })), false),
        (scale(json!({ "low": "1.5" })), false),
        (scale(json!({ "high": null })), false),
        (json!({ "scales": { "sales@coast/total": 4 } }), false),
        (json!({ "scales": [] }), false),
        (json!({}), false),
        (json!([]), false),
    ];
    for (value, fits) in cases {
        assert_eq!(validator.is_valid(&value), fits, "{value}");
        assert_eq!(yardsticks_from_json("kept.json", &value.to_string()).is_ok(), fits, "{value}");
    }
}

/// A type in the schema, in the words of the reference.
fn type_words(schema: &Value) -> String {
    let word = |name: &str| match name {
        "string" => "text".to_string(),
        "integer" => "whole number".to_string(),
        "boolean" => "`true` or `false`".to_string(),
        other => other.to_string(),
    };
    if let Some(name) = schema["$ref"].as_str() {
        let name = name.rsplit('/').next().unwrap();
        return format!("[{name}](#{})", name.to_lowercase());
    }
    if let Some(words) = schema["enum"].as_array() {
        return words
            .iter()
            .map(|word| format!("`{}`", word.as_str().unwrap()))
            .collect::<Vec<_>>()
            .join(", ");
    }
    if let Some(forms) = schema["anyOf"].as_array() {
        return forms.iter().map(type_words).collect::<Vec<_>>().join(" or ");
    }
    match &schema["type"] {
        Value::Array(names) => {
            names.iter().map(|name| word(name.as_str().unwrap())).collect::<Vec<_>>().join(" or ")
        }
        name if name == "array" && schema["prefixItems"].is_array() => "list of two".into(),
        name if name == "array" => format!("list of {}", type_words(&schema["items"])),
        name if name == "object" => {
            format!("table by name of {}", type_words(&schema["additionalProperties"]))
        }
        name => word(name.as_str().unwrap()),
    }
}

/// The keys of one table.
fn key_rows(schema: &Value) -> String {
    let forms = schema["anyOf"].as_array().cloned().unwrap_or_else(|| vec![schema.clone()]);
    let table = forms.iter().find(|form| form["properties"].is_object()).unwrap();
    let required: Vec<&str> =
        table["required"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
    let row = |(key, property): (&String, &Value)| {
        let default = match &property["default"] {
            _ if required.contains(&key.as_str()) => "needed".to_string(),
            Value::String(text) => format!("`{text}`"),
            Value::Bool(flag) => format!("`{flag}`"),
            _ => String::new(),
        };
        let sentence = property["description"].as_str().unwrap_or_else(|| panic!("{key} has no sentence"));
        format!("| `{key}` | {} | {default} | {sentence} |\n", type_words(property))
    };
    let rows: String = table["properties"].as_object().unwrap().iter().map(row).collect();
    format!("| key | value | default | |\n| --- | --- | --- | --- |\n{rows}")
}

/// docs/keys.md says of every key what its declaration says. `PIVVEL_KEEP=1` writes it anew.
#[test]
fn the_reference_is_that_of_the_declarations() {
    let schema: Value = serde_json::from_str(brief::schema()).unwrap();
    let mut text = "# Every key of a brief\n\n\
        What a brief means as a whole stands in [brief.md](brief.md) and [emphasis.md](emphasis.md). This reference is made from\n\
        the declarations that briefs are read by, as the schema is that `pivvel shell brief-schema` prints.\n\n\
        ## The brief itself\n\n"
        .to_string();
    text += &key_rows(&schema);
    for (name, of) in schema["$defs"].as_object().unwrap() {
        text += &format!("\n## {name}\n\n{}", key_rows(of));
    }
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/keys.md");
    if std::env::var_os("PIVVEL_KEEP").is_some() {
        std::fs::write(path, &text).unwrap();
    }
    assert_eq!(std::fs::read_to_string(path).unwrap_or_default(), text);
}
