//! What stands out and what is drawn beside the cross-tab, as tables.

use pivvel_core::{EmphasisBrief, PeersOf, RuleBrief, Side, Unit, ViewBrief, ViewForm, YardstickOf};
use toml_edit::{Array, InlineTable, Table, Value, value};

use super::keys;

fn texts(all: &[String]) -> toml_edit::Item {
    value(all.iter().map(String::as_str).collect::<Array>())
}

pub(super) fn emphasis(said: &EmphasisBrief) -> Table {
    let mut table = Table::new();
    table["on"] = value(&said.on);
    table["as"] = value(said.form.name());
    let first = [("by", &said.by), ("where", &said.only)];
    let last = [
        ("about", &said.about),
        ("low", &said.low),
        ("high", &said.high),
        ("palette", &said.palette),
        ("symbols", &said.symbols),
        ("along", &said.along),
        ("link", &said.link),
    ];
    let put = |table: &mut Table, texts: &[(&str, &Option<String>)]| {
        let said = texts.iter().filter_map(|(key, text)| Some((*key, text.as_ref()?)));
        said.for_each(|(key, text)| table[key] = value(text));
    };
    put(&mut table, &first);
    if !said.levels.is_empty() {
        table["levels"] = texts(&said.levels);
    }
    if said.whole_row {
        table["reach"] = value(keys::REACH[1]);
    }
    if said.peers != PeersOf::Level {
        table["peers"] = value(said.peers.name());
    }
    match &said.yardstick {
        YardstickOf::Shown => {}
        YardstickOf::All => table["yardstick"] = value("all"),
        YardstickOf::Kept(file) => table["yardstick"] = value(file),
    }
    if said.by_rank {
        table["scale"] = value(keys::SCALE[1]);
    }
    if let Some((low, high)) = &said.clip {
        table["clip"] = value([low, high].into_iter().collect::<Array>());
    }
    if let Some(steps) = said.steps {
        table["steps"] = value(i64::from(steps));
    }
    put(&mut table, &last);
    if let Some(good) = said.good {
        table["good"] = value(keys::SIDES[usize::from(good == Side::Low)]);
    }
    if said.hide_figure {
        table["figure"] = value(keys::FIGURE[1]);
    }
    if !said.rules.is_empty() {
        table["rules"] = value(said.rules.iter().map(rule).collect::<Array>());
    }
    table
}

fn rule(rule: &RuleBrief) -> Value {
    let mut table = InlineTable::new();
    let texts = [
        ("name", &rule.name),
        ("show", &rule.show),
        ("from", &rule.from),
        ("below", &rule.below),
        ("is", &rule.is),
        ("top", &rule.top),
        ("bottom", &rule.bottom),
        ("when", &rule.when),
    ];
    for (key, text) in texts.into_iter().filter_map(|(key, text)| Some((key, text.as_ref()?))) {
        table.insert(key, Value::from(text));
    }
    if let Some(side) = rule.mean {
        table.insert("mean", Value::from(keys::MEANS[usize::from(side == Side::Low)]));
    }
    if rule.blank {
        table.insert("blank", Value::from(true));
    }
    if rule.unit == Unit::Share {
        table.insert("unit", Value::from(keys::UNITS_OF_PERCENT[1]));
    }
    table.into()
}

pub(super) fn view(view: &ViewBrief) -> Table {
    let mut table = Table::new();
    if let Some(title) = &view.title {
        table["title"] = value(title);
    }
    if view.form != ViewForm::Table {
        table["as"] = value(view.form.name());
    }
    let lists = [("rows", &view.rows), ("columns", &view.columns)];
    lists
        .into_iter()
        .filter_map(|(key, list)| Some((key, list.as_ref()?)))
        .for_each(|(key, list)| table[key] = texts(list));
    let said = [("where", &view.filter), ("per", &view.per), ("along", &view.along)];
    said.into_iter()
        .filter_map(|(key, text)| Some((key, text.as_ref()?)))
        .for_each(|(key, text)| table[key] = value(text));
    if !view.measures.is_empty() {
        table["measures"] = texts(&view.measures);
    }
    if view.own_scales {
        table["scale"] = value(keys::SCALES_OF[1]);
    }
    if !view.grid.is_empty() {
        let place = |(member, (column, row)): &(String, (u32, u32))| {
            let place: Array = [i64::from(*column), i64::from(*row)].into_iter().collect();
            (member.clone(), Value::from(place))
        };
        table["grid"] = value(view.grid.iter().map(place).collect::<InlineTable>());
    }
    table
}
