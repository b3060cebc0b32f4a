//! Random briefs against PostgreSQL: roll-ups with distinct counts, quantiles and deviations, window
//! functions partitioned as groups of cells say, nested aggregation as a subquery, and calculated
//! items as conditional sums. The seed of every run is printed; `PIVVEL_SEED` runs one again.

use std::collections::BTreeMap;

use pivvel::{Brief, CrossTab, ReadOptions, TextSource, Value, tidy};

use crate::draw::Draw;
use crate::server::{Server, sql_of, table_of};

/// A measure: its name and formula here, what the roll-up must give for it, and what it is in SQL
/// over a cell `g`, with the cells `t` to look others up in.
struct Compared {
    name: &'static str,
    formula: String,
    aggregate: Option<String>,
    cell: String,
}

const ROWS: [&[&str]; 6] = [
    &["coast", "harbour"],
    &["coast", "harbour", "yard"],
    &["range", "article"],
    &["sold_on.year", "sold_on.month"],
    &["agent", "sold_on.year", "sold_on.quarter"],
    &["channel"],
];

const COLUMNS: [&[&str]; 5] =
    [&["scenario"], &["sold_on.year", "scenario"], &["channel"], &[], &["agent", "range"]];

const CONDITIONS: [(&str, &str); 5] = [
    ("", "true"),
    ("amount > 100", "amount > 100"),
    ("quantity between 2 and 9 and channel <> 'staff'", "quantity between 2 and 9 and channel <> 'staff'"),
    (
        "cost is not blank and not (coast in ('Fell Coast', 'Isle of Tarrow'))",
        "cost is not null and coast not in ('Fell Coast', 'Isle of Tarrow')",
    ),
    ("case when agent = '' then 0 else amount end > 50", "case when agent = '' then 0 else amount end > 50"),
];

/// A layout, as far as SQL needs to know it.
struct Layout {
    rows: Vec<&'static str>,
    columns: Vec<&'static str>,
}

impl Layout {
    fn names(&self) -> Vec<String> {
        let rows = (1..=self.rows.len()).map(|i| format!("r{i}"));
        rows.chain((1..=self.columns.len()).map(|i| format!("c{i}"))).collect()
    }

    /// The row's path with so many levels less, as SQL over `g`.
    fn row_path(&self, less: usize) -> String {
        let level = |i| format!("case when {i} <= g.rl - {less} then g.r{i} else '^' end");
        (1..=self.rows.len()).map(level).collect::<Vec<_>>().join(", ")
    }

    fn column_path(&self, less: usize) -> String {
        let level = |i| format!("case when {i} <= g.cl - {less} then g.c{i} else '^' end");
        (1..=self.columns.len()).map(level).collect::<Vec<_>>().join(", ")
    }

    /// Which cells go together, as a partition.
    fn partition(&self, group: &str) -> String {
        let (row, column) = (self.row_path(0), self.column_path(0));
        let parts = match group {
            "siblings" => [self.row_path(1), column].join(", "),
            "column siblings" => [row, self.column_path(1)].join(", "),
            "row" => row,
            "column" => column,
            _ => String::new(),
        };
        let parts = parts.trim_matches([',', ' ']).replace(", , ", ", ");
        if parts.is_empty() {
            "g.rl, g.cl, g.s is null".into()
        } else {
            format!("g.rl, g.cl, g.s is null, {parts}")
        }
    }

    /// The sum at another cell, whose levels and paths are given.
    fn at(&self, row_level: &str, column_level: &str, row: &str, column: &str) -> String {
        let list = |prefix: char, count: usize| {
            (1..=count).map(|i| format!("t.{prefix}{i}")).collect::<Vec<_>>().join(", ")
        };
        let mut conditions = vec![format!("t.rl = {row_level} and t.cl = {column_level}")];
        if !self.rows.is_empty() {
            conditions.push(format!("({}) = ({row})", list('r', self.rows.len())));
        }
        if !self.columns.is_empty() {
            conditions.push(format!("({}) = ({column})", list('c', self.columns.len())));
        }
        format!("(select t.s from cells t where {})", conditions.join(" and "))
    }
}

/// Measures, and the query that nested ones are read from.
fn measures(draw: &mut Draw, layout: &Layout, condition: &str) -> (Vec<Compared>, String) {
    let plain = |name, formula: &str, sql: &str| Compared {
        name,
        formula: formula.into(),
        aggregate: Some(sql.into()),
        cell: format!("g.{name}"),
    };
    let derived = |name, formula: String, cell: String| Compared { name, formula, aggregate: None, cell };
    let mut all = vec![plain("s", "sum(amount)", "sum(amount)"), plain("n", "count()", "count(*)")];
    let share = draw.of(&[5, 25, 33, 90]);
    all.push(plain("yards", "distinct(yard)", "count(distinct nullif(yard, ''))"));
    all.push(plain(
        "agents",
        "distinct(agent where quantity > 3)",
        "count(distinct nullif(agent, '')) filter (where quantity > 3)",
    ));
    all.push(plain("median", "median(amount)", "percentile_cont(0.5) within group (order by amount)"));
    let quantile = format!("percentile_cont({share} / 100.0) within group (order by quantity)");
    all.push(plain("q", &format!("quantile(quantity, {share}%)"), &quantile));
    all.push(plain("sd", "stddev(amount)", "stddev_samp(amount)"));
    all.push(plain("vp", "variance_population(amount - cost)", "var_pop(amount - coalesce(cost, 0))"));
    all.push(plain("web", "sum(amount where channel = 'web')", "sum(amount) filter (where channel = 'web')"));
    let margin = "sum(amount - coalesce(cost, 0)) / nullif(sum(amount), 0)";
    all.push(plain("margin", "sum(amount - cost) / s", margin));
    let weighted = "sum(unit_price * quantity) / nullif(sum(quantity), 0)";
    all.push(plain("price", "mean(\"unit price\" weighted by quantity)", weighted));

    // Digits of several scales, and floating-point numbers beside exact ones, where one side is blank.
    let less = |a: &str, b: &str| format!("case when {b} is null then {a} else coalesce({a}, 0) - {b} end");
    all.push(plain("mix", "sum(cost) - s * 105%", &less("sum(cost)", "sum(amount) * 1.05")));
    all.push(plain("quot", "mean(amount) - sum(cost) / 4", &less("avg(amount)", "sum(cost) / 4")));

    let groups = ["siblings", "column siblings", "level", "row", "column"];
    let (group, other) = (draw.of(&groups), draw.of(&groups));
    let (lowest, order) = draw.of(&[("", "desc"), (" lowest first", "")]);
    let over = format!("(partition by {} order by g.s {order})", layout.partition(group));
    let over_all = format!("(partition by {} order by g.s {order}, g.s)", layout.partition(group));
    let valued = |sql: String| format!("case when g.s is not null then {sql} end");
    let ties = [
        ("low", format!("rank() over {over}")),
        ("dense", format!("dense_rank() over {over}")),
        ("high", format!("count(*) over {over}")),
        ("mean", format!("(rank() over {over} + count(*) over {over}) / 2.0")),
    ];
    let (way, sql) = &ties[draw.below(4)];
    all.push(derived("place", format!("rank(s among {group}{lowest} ties {way})"), valued(sql.clone())));
    let percent = valued(format!("percent_rank() over {over_all}"));
    all.push(derived("percent", format!("percent_rank(s among {group}{lowest})"), percent));
    let (function, sql) = draw.of(&[
        ("mean", "avg"),
        ("max", "max"),
        ("min", "min"),
        ("stddev", "stddev_samp"),
        ("sum", "sum"),
        ("count", "count"),
    ]);
    let summary = valued(format!("{sql}(g.s) over (partition by {})", layout.partition(other)));
    all.push(derived("among", format!("{function}(s among {other})"), summary));

    for (name, of) in [("mix_sum", "mix"), ("quot_mean", "quot")] {
        let (function, sql) = if of == "mix" { ("sum", "sum") } else { ("mean", "avg") };
        let partition = layout.partition(other).replace(", g.s is null", "");
        let sql =
            format!("case when g.{of} is not null then {sql}(g.{of}) over (partition by {partition}) end");
        all.push(derived(name, format!("{function}({of} among {other})"), sql));
    }

    let (row, column) = (layout.row_path(0), layout.column_path(0));
    let nowhere = |count: usize| vec!["'^'"; count].join(", ");
    let (no_row, no_column) = (nowhere(layout.rows.len()), nowhere(layout.columns.len()));
    let places = [
        ("parent", layout.at("g.rl - 1", "g.cl", &layout.row_path(1), &column)),
        ("column parent", layout.at("g.rl", "g.cl - 1", &row, &layout.column_path(1))),
        ("row total", layout.at("g.rl", "0", &row, &no_column)),
        ("column total", layout.at("0", "g.cl", &no_row, &column)),
        ("grand total", layout.at("0", "0", &no_row, &no_column)),
    ];
    let (place, sql) = &places[draw.below(5)];
    all.push(derived("share", format!("s / s at {place}"), format!("g.s / nullif({sql}, 0)")));

    if let Some(level) =
        layout.rows.iter().position(|name| *name == "sold_on.month" || *name == "sold_on.quarter")
    {
        let name = layout.rows[level];
        // The year is a parent of the same date: only a running total that restarts is bound by it.
        let restarts = draw.below(2) == 0;
        let others = (1..=layout.rows.len())
            .filter(|i| *i != level + 1 && (restarts || layout.rows[i - 1] != "sold_on.year"));
        let others: Vec<String> = others
            .map(|i| format!("g.r{i}"))
            .chain((1..=layout.columns.len()).map(|i| format!("g.c{i}")))
            .collect();
        let partition =
            std::iter::once("g.rl, g.cl".to_string()).chain(others).collect::<Vec<_>>().join(", ");
        let deep = level + 1;
        let throughout = if restarts { "" } else { " throughout" };
        // Lines without a date are in no period.
        let dated = format!("g.rl >= {deep} and g.r{deep} <> ''");
        for (run, of) in [("so_far", "s"), ("mix_run", "mix"), ("quot_run", "quot")] {
            let sql = format!(
                "case when {dated} then sum(case when {dated} then g.{of} end) over (partition by {partition} order by g.r{deep}) end"
            );
            all.push(derived(run, format!("running({of} along {name}{throughout})"), sql));
        }
        // The period before, by the calendar: what its label is, is computed and not looked for.
        let step = if name.ends_with("month") { "1 month" } else { "3 months" };
        let (to_date, label) = match name {
            "sold_on.month" => (format!("to_date(g.r{deep}, 'YYYY-MM')"), "YYYY-MM"),
            _ => (
                format!(
                    "to_date(left(g.r{deep}, 4) || '-' || (right(g.r{deep}, 1)::int * 3 - 2), 'YYYY-MM')"
                ),
                "YYYY-\"Q\"Q",
            ),
        };
        let before = format!("case when {dated} then {to_date} - interval '{step}' end");
        let path = (1..=layout.rows.len()).map(|i| match layout.rows[i - 1] {
            _ if i == deep => format!("to_char({before}, '{label}')"),
            "sold_on.year" => format!("to_char({before}, 'YYYY')"),
            _ => format!("g.r{i}"),
        });
        let path = path.collect::<Vec<_>>().join(", ");
        all.push(derived(
            "before",
            format!("s at previous {}", name.rsplit('.').next().unwrap()),
            layout.at("g.rl", "g.cl", &path, &column),
        ));
    }

    let (key, sql_key) = draw.of(&[("yard", "yard || ''"), ("agent, range", "agent || '', range || ''")]);
    let (function, sql) = draw.of(&[
        ("mean", "avg(x)"),
        ("max", "max(x)"),
        ("median", "percentile_cont(0.5) within group (order by x)"),
        ("count", "count(x)"),
    ]);
    let list = |of: &[&'static str]| of.iter().map(|name| sql_of(name)).collect::<Vec<_>>().join(", ");
    let equal: Vec<String> = layout.names().iter().map(|name| format!("i.{name} = g.{name}")).collect();
    let columns = if layout.columns.is_empty() {
        String::new()
    } else {
        format!(", rollup({})", list(&layout.columns))
    };
    let inner = format!(
        "select {}, sum(amount) x from lines where {condition} group by rollup({}){columns}, {sql_key}",
        member_columns(layout),
        list(&layout.rows),
    );
    let names = layout.names().join(", ");
    let nested = format!("select {names}, rl, cl, {sql} v from ({inner}) i group by {names}, rl, cl");
    let inner = format!(
        "(select i.v from nested i where i.rl = g.rl and i.cl = g.cl and {})",
        if equal.is_empty() { "true".into() } else { equal.join(" and ") },
    );
    all.push(derived("nested", format!("{function}(sum(amount) per {key})"), inner));
    (all, nested)
}

/// The members of a cell, `^` where they are rolled up, and its levels.
fn member_columns(layout: &Layout) -> String {
    let member = |(prefix, i, name): (char, usize, &&'static str)| {
        let sql = sql_of(name);
        format!("case when grouping({sql}) = 1 then '^' else {sql} end {prefix}{}", i + 1)
    };
    let level = |of: &[&'static str]| {
        let parts: Vec<String> = of.iter().map(|name| format!("1 - grouping({})", sql_of(name))).collect();
        if parts.is_empty() { "0".into() } else { parts.join(" + ") }
    };
    let rows = layout.rows.iter().enumerate().map(|(i, name)| member(('r', i, name)));
    let columns = layout.columns.iter().enumerate().map(|(i, name)| member(('c', i, name)));
    let levels = [format!("{} rl", level(&layout.rows)), format!("{} cl", level(&layout.columns))];
    rows.chain(columns).chain(levels).collect::<Vec<_>>().join(", ")
}

fn query(layout: &Layout, condition: &str, measures: &[Compared], nested: &str) -> String {
    let list = |of: &[&'static str]| of.iter().map(|name| sql_of(name)).collect::<Vec<_>>().join(", ");
    let aggregates: Vec<String> =
        measures.iter().filter_map(|m| Some(format!("{} {}", m.aggregate.as_ref()?, m.name))).collect();
    let values: Vec<String> = measures.iter().map(|m| m.cell.clone()).collect();
    let columns = if layout.columns.is_empty() {
        String::new()
    } else {
        format!(", rollup({})", list(&layout.columns))
    };
    let select: Vec<String> = layout.names().iter().map(|name| format!("g.{name}")).chain(values).collect();
    format!(
        "with cells as (select {}, {} from lines where {condition} group by rollup({}){columns}), nested as ({nested}) select {} from cells g;\n",
        member_columns(layout),
        aggregates.join(", "),
        list(&layout.rows),
        select.join(", "),
    )
}

/// A calculated item's cells: conditional sums with the scenario taken out of the grouping.
fn item_query(layout: &Layout, condition: &str) -> String {
    let others: Vec<&'static str> =
        layout.columns.iter().copied().filter(|name| *name != "scenario").collect();
    let list = |of: &[&'static str]| of.iter().map(|name| sql_of(name)).collect::<Vec<_>>().join(", ");
    let row =
        |name: &&'static str| format!("case when grouping({0}) = 1 then '^' else {0} end", sql_of(name));
    let select: Vec<String> =
        layout.rows.iter().map(row).chain(others.iter().map(|name| sql_of(name).to_string())).collect();
    let difference = |sql: &str| {
        let [a, b] =
            ["actual", "plan"].map(|scenario| format!("{sql} filter (where scenario = '{scenario}')"));
        format!("case when {a} is null then -{b} else {a} - coalesce({b}, 0) end")
    };
    let fixed = if others.is_empty() { String::new() } else { format!(", {}", list(&others)) };
    format!(
        "select {}, 'variance', {}, {} from lines where {condition} group by rollup({}){fixed};\n",
        select.join(", "),
        difference("sum(amount)"),
        difference("avg(amount)"),
        list(&layout.rows),
    )
}

/// The lines, some of them without a date.
fn some_undated(lines: &str) -> String {
    let undated = |(place, line): (usize, &str)| match line.splitn(3, ',').collect::<Vec<_>>()[..] {
        [order, _, rest] if place % 13 == 12 => format!("{order},,{rest}\n"),
        _ => format!("{line}\n"),
    };
    lines.lines().enumerate().map(undated).collect()
}

type Key = (Vec<Option<String>>, String);

fn ours(crosstab: &CrossTab) -> BTreeMap<Key, Option<Value>> {
    let key = |row: &pivvel::TidyRow<'_>| {
        let members = row.members().into_iter().map(|m| m.map(str::to_string)).collect();
        (members, row.measure().to_string())
    };
    tidy(crosstab).map(|row| (key(&row), row.value())).collect()
}

fn compare(seed: u64, what: &str, key: &Key, ours: Option<Value>, theirs: &str) {
    let same = match ours {
        None => theirs.is_empty(),
        Some(value) => theirs.parse::<f64>().is_ok_and(|theirs| {
            let ours = value.as_f64();
            (ours - theirs).abs() <= 1e-9 * theirs.abs().max(1.0)
                && !(matches!(value, Value::Exact { .. }) && (ours - theirs).abs() > 1e-6)
        }),
    };
    assert!(same, "seed {seed}, {key:?}: {ours:?} here, {theirs} there; {what}");
}

#[test]
fn random_briefs_equal_postgres() {
    let Some(server) = Server::start() else { return };
    let one = std::env::var("PIVVEL_SEED").ok().map(|text| text.parse::<u64>().unwrap());
    let many = std::env::var("PIVVEL_BRIEFS").ok().map_or(310, |text| text.parse::<u64>().unwrap());
    let seeds = one.map_or(1..=many, |seed| seed..=seed);
    let (mut cells, mut briefs) = (0, 0);
    println!("seeds {seeds:?}");
    let mut loaded = None;
    for seed in seeds {
        let mut draw = Draw::new(seed);
        let mut layout = Layout { rows: draw.of(&ROWS).to_vec(), columns: draw.of(&COLUMNS).to_vec() };
        layout.columns.retain(|name| !layout.rows.contains(name));
        let (condition, sql_condition) = draw.of(&CONDITIONS);
        // New lines now and then; more would only take longer to load.
        let set = seed / 50;
        let mut lines = Vec::new();
        pivvel_demo::write_lines(&mut lines, 150, 7_000 + set).unwrap();
        let lines = some_undated(&String::from_utf8(lines).unwrap()).into_bytes();
        if loaded != Some(set) {
            server.answer(&table_of(&String::from_utf8(lines.clone()).unwrap()));
            loaded = Some(set);
        }
        let (measures, nested) = measures(&mut draw, &layout, sql_condition);
        let mut brief =
            Brief::new().rows(layout.rows.iter().copied()).columns(layout.columns.iter().copied());
        if !condition.is_empty() {
            brief = brief.filter(condition);
        }
        for measure in &measures {
            brief = brief.measure((measure.name, measure.formula.as_str()));
        }
        let item = layout.columns.contains(&"scenario");
        if item {
            brief = brief.measure(("m", "mean(amount)")).item("scenario", "variance", "actual - plan");
        }
        let mut source =
            TextSource::from_reader("lines", std::io::Cursor::new(lines), &ReadOptions::default()).unwrap();
        let crosstab = CrossTab::build(&brief, &mut source).unwrap_or_else(|e| panic!("seed {seed}: {e}"));
        // The server's own groups, merged here, give the same bytes as the lines.
        #[cfg(feature = "full")]
        if !brief.measures.iter().any(|measure| measure.formula.contains("unit price")) {
            let location = format!("{}#table=lines", server.address());
            let mut table = pivvel::open(&location, &ReadOptions::default()).unwrap();
            let grouped =
                CrossTab::build(&brief, table.as_mut()).unwrap_or_else(|e| panic!("seed {seed}: {e}"));
            assert_eq!(crate::lines::tidy_csv(&grouped), crate::lines::tidy_csv(&crosstab), "seed {seed}");
            assert_eq!(grouped.report(), crosstab.report(), "seed {seed}");
        }
        let mut found = ours(&crosstab);
        let dimensions = layout.rows.len() + layout.columns.len();
        let rolled = |text: &str| (text != "^").then(|| text.to_string());
        for record in server.answer(&query(&layout, sql_condition, &measures, &nested)) {
            let members: Vec<Option<String>> = record.iter().take(dimensions).map(rolled).collect();
            for (measure, theirs) in measures.iter().zip(record.iter().skip(dimensions)) {
                let key = (members.clone(), measure.name.to_string());
                let value = found.remove(&key).unwrap_or_else(|| panic!("seed {seed}: only there: {key:?}"));
                compare(seed, &measure.formula, &key, value, theirs);
                cells += 1;
            }
        }
        if item {
            for record in server.answer(&item_query(&layout, sql_condition)) {
                let mut members: Vec<Option<String>> = record.iter().take(dimensions).map(rolled).collect();
                // The scenario is selected last, and may stand elsewhere in the layout.
                let scenario = members.pop().unwrap();
                let place =
                    layout.rows.len() + layout.columns.iter().position(|name| *name == "scenario").unwrap();
                members.insert(place, scenario);
                for (name, theirs) in ["s", "m"].iter().zip(record.iter().skip(dimensions)) {
                    let key = (members.clone(), name.to_string());
                    let value =
                        found.remove(&key).unwrap_or_else(|| panic!("seed {seed}: only there: {key:?}"));
                    compare(seed, "variance", &key, value, theirs);
                    cells += 1;
                }
            }
        }
        // What is left are the other measures of the item, and the item's own measure elsewhere.
        let left = found.keys().find(|(members, name)| {
            name != "m" && !members.iter().flatten().any(|label| label == "variance")
        });
        assert!(left.is_none(), "seed {seed}: only here: {left:?}");
        briefs += 1;
    }
    println!("{cells} values of {briefs} briefs compared");
    assert!(one.is_some() || (briefs >= 300 && cells > 100_000));
}
