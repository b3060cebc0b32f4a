//! Brief to TOML, in the order in which a reader wants to see it.

use pivvel_core::{BadValues, Brief, MeasureBrief, Negative, NumberFormat, Scaling};
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, Value, value};

use super::keys;

/// Writes a brief as TOML. Reading it again gives the same brief.
///
/// ```
/// use pivvel::{Brief, brief_from_toml, brief_to_toml};
/// let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)")).tint("sales");
/// assert_eq!(brief_from_toml("again", &brief_to_toml(&brief))?, brief);
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn brief_to_toml(brief: &Brief) -> String {
    let mut document = DocumentMut::new();
    let texts = |all: &[String]| value(all.iter().map(String::as_str).collect::<Array>());
    let top = document.as_table_mut();
    let said = [("title", &brief.title), ("source", &brief.source)];
    said.into_iter()
        .filter_map(|(key, text)| Some((key, text.as_ref()?)))
        .for_each(|(key, text)| top[key] = value(text));
    let lists = [("rows", &brief.rows), ("columns", &brief.columns)];
    lists.into_iter().filter(|(_, list)| !list.is_empty()).for_each(|(key, list)| top[key] = texts(list));
    if let Some(condition) = &brief.filter {
        top["where"] = value(condition);
    }
    if brief.bad_values == BadValues::Blank {
        top["bad_values"] = value("blank");
    }
    if !brief.to.is_empty() {
        top["to"] = texts(&brief.to);
    }
    if let [(name, placement)] = brief.totals.as_slice()
        && name.is_empty()
    {
        top["totals"] = value(placement.name());
    }
    if !brief.measures.is_empty() {
        let measures = brief.measures.iter().map(|m| (m.name.clone(), value(measure(m))));
        top["measures"] = Item::Table(measures.collect());
    }
    if !brief.kinds.is_empty() {
        top["kinds"] =
            Item::Table(brief.kinds.iter().map(|(column, kind)| (column.clone(), value(kind))).collect());
    }
    if top.get("totals").is_none() && !brief.totals.is_empty() {
        let totals = brief.totals.iter().map(|(name, placement)| (name.clone(), value(placement.name())));
        top["totals"] = Item::Table(totals.collect());
    }
    for dimension in &brief.dimensions {
        let mut table = Table::new();
        let said = [("label", &dimension.label), ("order", &dimension.order)];
        said.into_iter()
            .filter_map(|(key, text)| Some((key, text.as_ref()?)))
            .for_each(|(key, text)| table[key] = value(text));
        let dimensions = top.entry("dimensions").or_insert_with(|| {
            let mut table = Table::new();
            table.set_implicit(true);
            Item::Table(table)
        });
        dimensions[&dimension.name] = Item::Table(table);
    }
    let mut all = ArrayOfTables::new();
    for emphasis in &brief.emphasis {
        let mut table = Table::new();
        table["on"] = value(&emphasis.on);
        table["as"] = value(keys::FORMS[emphasis.form as usize]);
        if !emphasis.levels.is_empty() {
            table["levels"] = texts(&emphasis.levels);
        }
        all.push(table);
    }
    if !all.is_empty() {
        top["emphasis"] = Item::ArrayOfTables(all);
    }
    document.to_string()
}

fn measure(measure: &MeasureBrief) -> Value {
    let plain = MeasureBrief::new(&measure.name, &measure.formula);
    if *measure == plain {
        return Value::from(&measure.formula);
    }
    let mut table = InlineTable::new();
    table.insert("formula", Value::from(&measure.formula));
    if let Some(label) = &measure.label {
        table.insert("label", Value::from(label));
    }
    if measure.format != plain.format {
        table.insert("format", format(&measure.format));
    }
    if !measure.totals {
        table.insert("totals", Value::from(false));
    }
    table.into()
}

fn format(format: &NumberFormat) -> Value {
    let ready = |name: &&str| NumberFormat::named(name).is_ok_and(|ready| ready == *format);
    if let Some(name) = NumberFormat::NAMES.iter().find(|name| ready(name)) {
        return Value::from(*name);
    }
    let plain = NumberFormat::default();
    let mut table = InlineTable::new();
    if let Some(decimals) = format.decimals {
        table.insert("decimals", Value::from(i64::from(decimals)));
    }
    if format.scaling != Scaling::Ones {
        table.insert("in", Value::from(keys::UNITS[format.scaling as usize]));
    }
    let texts = [
        ("marks", &format.marks, &plain.marks),
        ("point", &format.point, &plain.point),
        ("before", &format.before, &plain.before),
        ("after", &format.after, &plain.after),
        ("blank", &format.blank, &plain.blank),
    ];
    for (key, text, usual) in texts {
        if text != usual {
            table.insert(key, Value::from(text));
        }
    }
    if format.negative == Negative::Brackets {
        table.insert("negative", Value::from(keys::NEGATIVES[1]));
    }
    table.into()
}
