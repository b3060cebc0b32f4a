//! Brief to TOML, in the order in which a reader wants to see it.

use pivvel_core::{
    Assumed, BadValues, Brief, MeasureBrief, Negative, NumberFormat, Scaling, TotalsOf, decimal_text,
};
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, Value, value};

use super::{keys, write_emphasis};

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
    let pairs =
        |pairs: &[(String, String)]| -> Table { pairs.iter().map(|(a, b)| (a.clone(), value(b))).collect() };
    if !brief.derived.is_empty() {
        top["derived"] = Item::Table(pairs(&brief.derived));
    }
    for related in &brief.related {
        let mut table = Table::new();
        table["source"] = value(&related.source);
        let keys = related.keys.iter().map(|(own, theirs)| (own.as_str(), Value::from(theirs)));
        table["key"] = value(keys.collect::<InlineTable>());
        nested(top, "related")[&related.name] = Item::Table(table);
    }
    for assumption in &brief.assumptions {
        let mut table = Table::new();
        table["value"] = assumed(&assumption.value);
        let bounds = [("low", &assumption.low), ("high", &assumption.high)];
        bounds
            .into_iter()
            .filter_map(|(key, v)| Some((key, v.as_ref()?)))
            .for_each(|(key, v)| table[key] = assumed(v));
        if !assumption.choices.is_empty() {
            table["choices"] = texts(&assumption.choices);
        }
        nested(top, "assumptions")[&assumption.name] = Item::Table(table);
    }
    for tier in &brief.tiers {
        let mut table = Table::new();
        table["of"] = value(&tier.of);
        table["by"] = value(&tier.by);
        table[if tier.quantiles { "quantiles" } else { "cuts" }] = texts(&tier.cuts);
        let lists = [("labels", &tier.labels), ("within", &tier.within)];
        lists
            .into_iter()
            .filter(|(_, list)| !list.is_empty())
            .for_each(|(key, list)| table[key] = texts(list));
        nested(top, "tiers")[&tier.name] = Item::Table(table);
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
        if !dimension.listed.is_empty() {
            table["order"] = texts(&dimension.listed);
        }
        if let Some(top) = &dimension.top {
            let mut picked = InlineTable::new();
            picked.insert("count", Value::from(&top.count));
            picked.insert("by", Value::from(&top.by));
            if top.overall {
                picked.insert("overall", Value::from(true));
            }
            if let Some(others) = &top.others {
                picked.insert("others", Value::from(others));
            }
            table[if top.bottom { "bottom" } else { "top" }] = value(picked);
        }
        if let Some(having) = &dimension.having {
            table["having"] = value(having);
        }
        let lists = [("only", &dimension.only), ("except", &dimension.except)];
        lists
            .into_iter()
            .filter(|(_, list)| !list.is_empty())
            .for_each(|(key, list)| table[key] = texts(list));
        if dimension.totals_of == TotalsOf::Shown {
            table["totals_of"] = value(keys::TOTALS_OF[1]);
        }
        if !dimension.labels.is_empty() {
            let labels = dimension.labels.iter().map(|(member, label)| (member.as_str(), Value::from(label)));
            table["labels"] = value(labels.collect::<InlineTable>());
        }
        nested(top, "dimensions")[&dimension.name] = Item::Table(table);
    }
    let mut items = ArrayOfTables::new();
    for item in &brief.items {
        let mut table = Table::new();
        table["dimension"] = value(&item.dimension);
        table["name"] = value(&item.name);
        table["formula"] = value(&item.formula);
        if let Some(own) = &item.format {
            table["format"] = value(format(own));
        }
        if item.hidden {
            table["hidden"] = value(true);
        }
        if let Some(before) = item.before_measures {
            table["apply"] = value(keys::APPLY[usize::from(before)]);
        }
        items.push(table);
    }
    if !items.is_empty() {
        top["items"] = Item::ArrayOfTables(items);
    }
    let emphasis: Vec<Table> = brief.emphasis.iter().map(write_emphasis::emphasis).collect();
    let views: Vec<Table> = brief.views.iter().map(write_emphasis::view).collect();
    for (key, tables) in [("emphasis", emphasis), ("views", views)] {
        if !tables.is_empty() {
            top[key] = Item::ArrayOfTables(tables.into_iter().collect());
        }
    }
    document.to_string()
}

/// A table of tables, which has no heading of its own.
fn nested<'t>(top: &'t mut Table, key: &str) -> &'t mut Item {
    top.entry(key).or_insert_with(|| {
        let mut table = Table::new();
        table.set_implicit(true);
        Item::Table(table)
    })
}

/// An assumed value as it is read again.
fn assumed(assumed: &Assumed) -> Item {
    match assumed {
        Assumed::Number { digits, scale, percent: true } if *scale >= 2 => {
            value(format!("{}%", decimal_text(*digits, scale - 2)))
        }
        Assumed::Number { digits, scale, .. } => value(decimal_text(*digits, *scale)),
        Assumed::Text(text) => value(text),
    }
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
    if measure.hidden {
        table.insert("hidden", Value::from(true));
    }
    if !measure.levels.is_empty() {
        let formula = |(level, formula): &(String, Option<String>)| {
            (level.clone(), Value::from(formula.as_deref().unwrap_or("none")))
        };
        table.insert("levels", Value::from(measure.levels.iter().map(formula).collect::<InlineTable>()));
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
