//! Random measures: as formulas, and as SQL over cells.

use super::layout::Layout;
use crate::draw::Draw;

/// A measure: its name and formula here, what the roll-up must give for it, and what it is in SQL
/// over a cell `g`, with the cells `t` to look others up in.
pub(super) struct Compared {
    pub(super) name: &'static str,
    pub(super) formula: String,
    pub(super) aggregate: Option<String>,
    pub(super) cell: String,
}

/// Measures, and the query that nested ones are read from.
pub(super) fn measures(draw: &mut Draw, layout: &Layout, condition: &str) -> (Vec<Compared>, String) {
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
    let equal: Vec<String> = layout.names().iter().map(|name| format!("i.{name} = g.{name}")).collect();
    let inner = layout.rolled_up("sum(amount) x", condition, &format!(", {sql_key}"));
    let names = layout.names().join(", ");
    let nested = format!("select {names}, rl, cl, {sql} v from ({inner}) i group by {names}, rl, cl");
    let inner = format!(
        "(select i.v from nested i where i.rl = g.rl and i.cl = g.cl and {})",
        if equal.is_empty() { "true".into() } else { equal.join(" and ") },
    );
    all.push(derived("nested", format!("{function}(sum(amount) per {key})"), inner));
    (all, nested)
}
