//! Every cell of every grain against PostgreSQL's `GROUP BY ROLLUP (...), ROLLUP (...)`, computed
//! by a private server that the test starts.

use std::collections::BTreeMap;

use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::tidy;
use pivvel::{Brief, CrossTab};

use crate::server::{Server, sql_of, table_of};

const MEASURES: [(&str, &str, &str); 8] = [
    ("lines", "count()", "count(*)"),
    ("costed", "count(cost)", "count(cost)"),
    ("sales", "sum(amount)", "sum(amount)"),
    ("pieces", "sum(quantity)", "sum(quantity)"),
    ("profit", "sum(amount - cost)", "sum(amount - coalesce(cost, 0))"),
    ("list", "sum(\"unit price\" * quantity)", "sum(unit_price * quantity)"),
    ("least", "min(amount)", "min(amount)"),
    ("mean", "mean(cost)", "avg(cost)"),
];

const LAYOUTS: [(&[&str], &[&str], &str); 4] = [
    (&["coast", "harbour", "yard"], &["sold_on.year", "sold_on.quarter"], "true"),
    (&["range", "article"], &["agent", "channel"], "scenario = 'actual' and quantity <> 1"),
    (&["sold_on.year", "sold_on.week"], &["coast"], "amount < cost"),
    (&["agent"], &["sold_on.month", "range"], "sold_on >= '2024-02-29' and (channel = '' or amount > 99.5)"),
];

#[test]
fn cells_equal_postgres_rollups() {
    let Some(server) = Server::start() else { return };
    for (seed, (rows, columns, condition)) in (1..).zip(LAYOUTS) {
        let mut lines = Vec::new();
        pivvel_demo::write_lines(&mut lines, 3_000, seed).unwrap();
        let text = String::from_utf8(lines.clone()).unwrap();
        let mut brief = Brief::new().rows(rows.iter().copied()).columns(columns.iter().copied());
        if condition != "true" {
            brief = brief.filter(condition);
        }
        let brief = MEASURES.iter().fold(brief, |brief, (name, ours, _)| brief.measure((*name, *ours)));
        let mut source =
            TextSource::from_reader("lines", std::io::Cursor::new(lines), &ReadOptions::default()).unwrap();
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        let theirs = rollups(&server, &text, rows, columns, condition);
        compare(&crosstab, theirs);
    }
}

/// Members (none where rolled up) to measures, as PostgreSQL has them.
type Cells = BTreeMap<Vec<Option<String>>, Vec<String>>;

fn rollups(server: &Server, lines: &str, rows: &[&str], columns: &[&str], condition: &str) -> Cells {
    let list = |of: &[&str]| of.iter().map(|name| sql_of(name)).collect::<Vec<_>>().join(", ");
    let all: Vec<&str> = rows.iter().chain(columns).map(|name| sql_of(name)).collect();
    let members: Vec<String> =
        all.iter().map(|sql| format!("case when grouping({sql}) = 1 then '^' else {sql} end")).collect();
    let measures: Vec<&str> = MEASURES.iter().map(|(_, _, sql)| *sql).collect();
    let script = format!(
        "{}select {}, {} from lines where {condition} group by rollup({}), rollup({});\n",
        table_of(lines),
        members.join(", "),
        measures.join(", "),
        list(rows),
        list(columns),
    );
    let answer = server.answer(&script);
    let rolled = |text: &str| (text != "^").then(|| text.to_string());
    answer
        .iter()
        .map(|record| {
            let (members, values): (Vec<_>, Vec<_>) =
                record.iter().enumerate().partition(|(i, _)| *i < all.len());
            let members = members.into_iter().map(|(_, text)| rolled(text)).collect();
            (members, values.into_iter().map(|(_, text)| text.to_string()).collect())
        })
        .collect()
}

fn compare(crosstab: &CrossTab, mut theirs: Cells) {
    assert!(theirs.len() > 100);
    let mut values = Vec::new();
    for row in tidy(crosstab) {
        let members: Vec<Option<String>> = row.members().into_iter().map(|m| m.map(str::to_string)).collect();
        values.push(row.value());
        if values.len() < MEASURES.len() {
            continue;
        }
        let expected = theirs.remove(&members).unwrap_or_else(|| panic!("only here: {members:?}"));
        for (((name, ..), ours), theirs) in MEASURES.iter().zip(values.drain(..)).zip(expected) {
            let shown = ours.map(|v| v.to_string()).unwrap_or_default();
            match (*name, ours) {
                ("mean", Some(ours)) => {
                    let theirs: f64 = theirs.parse().unwrap();
                    assert!((ours.as_f64() - theirs).abs() <= 1e-12 * theirs.abs(), "{members:?} {name}");
                }
                _ => assert_eq!(shown, theirs, "{members:?} {name}"),
            }
        }
    }
    assert!(theirs.is_empty(), "only there: {:?}", theirs.keys().next());
}

/// Tables are named with their schema or without, whatever dots these have; domains are what they are made of; a
/// moment's day is that of UTC, as in files, and not of the role's time zone.
#[cfg(feature = "full")]
#[test]
fn schemas_domains_and_moments() {
    let Some(server) = Server::start() else { return };
    server.answer(
        "alter role oracle set timezone = 'Pacific/Auckland'; create domain money_of as numeric(12, 2); \
         create domain sales_of as money_of; create schema \"a.b\"; \
         create table \"a.b\".\"lines.of may\" (coast text, amount sales_of, at timestamptz); \
         insert into \"a.b\".\"lines.of may\" values ('Fell', 1.50, '2024-05-31 23:30+00'), ('Fell', 2.25, '2024-06-01 00:30+00'); \
         create table lines as select * from \"a.b\".\"lines.of may\";\n",
    );
    let brief = Brief::new().rows(["at.month"]).measure(("sales", "sum(amount)"));
    for table in ["a.b.lines.of may", "lines", "public.lines"] {
        let location = format!("{}#table={table}", server.address());
        let mut source = pivvel::source::open(&location, &ReadOptions::default()).unwrap();
        let crosstab = CrossTab::build(&brief, source.as_mut()).unwrap();
        for (month, sales) in [("2024-05", "1.50"), ("2024-06", "2.25")] {
            assert_eq!(crosstab.value(&[month], &[], "sales").unwrap().to_string(), sales, "{table}");
        }
    }
    let location = format!("{}#table=public.liens", server.address());
    let error = pivvel::source::open(&location, &ReadOptions::default()).err().unwrap().to_string();
    assert!(error.contains("unknown table \"public.liens\"; "), "{error}");
}

/// What is no number or infinite is blank and counted, whether the server could group the lines or not.
#[cfg(feature = "full")]
#[test]
fn what_is_no_number_is_counted() {
    let Some(server) = Server::start() else { return };
    server.answer(
        "create table lines (coast text, amount numeric(12, 2), rate double precision, free numeric); insert into \
         lines values ('Fell', 1.50, 0.5, 'NaN'), ('Fell', 'NaN', 'Infinity', 1.125), ('Skerry', 2.25, 'NaN', 2);\n",
    );
    let cases = [
        ("sum(amount)", "", "3.75", 1),
        ("sum(amount)", "coast = 'Skerry'", "2.25", 0),
        ("sum(amount)", "amount > 0", "3.75", 1),
        ("sum(rate)", "", "0.5", 2),
        ("sum(free)", "", "3.125", 1),
        ("sum(free) + sum(amount)", "", "6.875", 2),
        ("count()", "", "3", 0),
    ];
    for (formula, condition, value, not_finite) in cases {
        let mut brief = Brief::new().measure(("m", formula));
        if !condition.is_empty() {
            brief = brief.filter(condition);
        }
        let location = format!("{}#table=lines", server.address());
        let mut source = pivvel::source::open(&location, &ReadOptions::default()).unwrap();
        let crosstab = CrossTab::build(&brief, source.as_mut()).unwrap();
        let found = crosstab.value(&[], &[], "m").unwrap().to_string();
        assert_eq!((found.as_str(), crosstab.report().not_finite()), (value, not_finite), "{formula}");
    }
}
