//! Random briefs against PostgreSQL: roll-ups with distinct counts, quantiles and deviations, window
//! functions partitioned as groups of cells say, nested aggregation as a subquery, and calculated
//! items as conditional sums. The seed of every run is printed; `PIVVEL_SEED` runs one again.

mod layout;
mod measures;
mod shown;

use std::collections::BTreeMap;

use pivvel::result::Groups;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::tidy;
use pivvel::{Brief, Build, CrossTab, Value};

use crate::draw::Draw;
use crate::server::{Server, table_of};
use layout::Layout;

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
    let key = |row: &pivvel::table::TidyRow<'_>| {
        let members = row.members().into_iter().map(|m| m.map(str::to_string)).collect();
        (members, row.measure().to_string())
    };
    tidy(crosstab).map(|row| (key(&row), row.value())).collect()
}

fn compare(seed: u64, what: &dyn Fn() -> String, key: &Key, ours: Option<Value>, theirs: &str) {
    let same = match ours {
        None => theirs.is_empty(),
        Some(value) => theirs.parse::<f64>().is_ok_and(|theirs| {
            let ours = value.as_f64();
            (ours - theirs).abs() <= 1e-9 * theirs.abs().max(1.0)
                && !(matches!(value, Value::Exact(_)) && (ours - theirs).abs() > 1e-6)
        }),
    };
    assert!(same, "seed {seed}, {key:?}: {ours:?} here, {theirs} there; {}", what());
}

/// What is asked in one run, and the same for the server.
struct Question {
    brief: Brief,
    layout: Layout,
    /// The condition on lines in SQL, where these are not filtered before.
    condition: &'static str,
}

impl Question {
    /// Whether a cell is not shown because totals are off there.
    fn is_off(&self, members: &[Option<String>]) -> bool {
        let (rows, columns) = (&self.layout.rows, &self.layout.columns);
        let (row, column) = members.split_at(rows.len());
        let off = |dimensions: &[&str], path: &[Option<String>], all: &str| {
            let level = path.iter().take_while(|member| member.is_some()).count();
            let name = if level == 0 { all } else { dimensions[level - 1] };
            level < dimensions.len() && self.brief.get_totals().iter().any(|(off, _)| off == name)
        };
        off(rows, row, "column total") || off(columns, column, "row total")
    }
}

/// A layout with all that depends on groups of cells, and sometimes a difference of scenarios.
fn plain(draw: &mut Draw) -> Question {
    let mut layout = Layout::new(draw.of(&ROWS), draw.of(&COLUMNS));
    let (condition, sql) = draw.of(&CONDITIONS);
    let mut brief = Brief::new().rows(layout.rows.iter().copied()).columns(layout.columns.iter().copied());
    if !condition.is_empty() {
        brief = brief.filter(condition);
    }
    if layout.columns.contains(&"scenario") {
        brief = brief.item("scenario", "variance", "actual - plan");
        layout.differences.push((layout.name_of("scenario"), "variance", ["actual", "plan"]));
    }
    Question { brief, layout, condition: sql }
}

/// One in which members are classified, picked, gathered and calculated, and totals are off.
fn with_members_changed(draw: &mut Draw) -> Question {
    let condition = draw.of(&CONDITIONS);
    let shown::Shown { brief, layout, .. } = shown::shown(draw, condition);
    Question { brief, layout, condition: "true" }
}

fn run(default: u64, ask: impl Fn(&mut Draw) -> Question) {
    let Some(server) = Server::start() else { return };
    let one = std::env::var("PIVVEL_SEED").ok().map(|text| text.parse::<u64>().unwrap());
    let many = std::env::var("PIVVEL_BRIEFS").ok().map_or(default, |text| text.parse::<u64>().unwrap());
    let seeds = one.map_or(1..=many, |seed| seed..=seed);
    let (mut cells, mut briefs) = (0, 0);
    println!("seeds {seeds:?}");
    let mut loaded = None;
    for seed in seeds {
        let mut draw = Draw::new(seed);
        // New lines now and then; more would only take longer to load.
        let set = seed / 50;
        let mut lines = Vec::new();
        pivvel_demo::write_lines(&mut lines, 150, 7_000 + set).unwrap();
        let lines = some_undated(&String::from_utf8(lines).unwrap());
        if loaded != Some(set) {
            server.answer(&table_of(&lines));
            loaded = Some(set);
        }
        let mut question = ask(&mut draw);
        let (measures, nested) = measures::measures(&mut draw, &question.layout, question.condition);
        for measure in &measures {
            question.brief = question.brief.measure((measure.name, measure.formula.as_str()));
        }
        let (crosstab, kept) = build(&question.brief, &lines, 1, seed);
        let text = crate::lines::tidy_csv(&crosstab);
        // The order of lines and the number of threads change nothing, also not in what is kept.
        let threads = 1 + draw.below(3);
        let (again, kept_again) = build(&question.brief, &shuffled(&lines, &mut draw), threads, seed);
        assert_eq!(text, crate::lines::tidy_csv(&again), "seed {seed}");
        assert_eq!(kept.to_record_batch(), kept_again.to_record_batch(), "seed {seed}");
        // Names say nothing, and neither does the file that a line is in.
        if let Some(renamed) = renamed(&lines, &format!("{:?}", question.brief)) {
            let other = build(&question.brief, &renamed, threads, seed).0;
            assert_eq!(text, crate::lines::tidy_csv(&other).replace(MARK, ""), "seed {seed}");
        }
        assert_eq!(
            text,
            crate::lines::tidy_csv(&in_parts(&question.brief, &lines, &mut draw)),
            "seed {seed}"
        );
        // The server's own groups, merged here, give the same bytes as the lines.
        #[cfg(feature = "full")]
        if !measures.iter().any(|measure| measure.formula.contains("unit price")) {
            let location = format!("{}#table=lines", server.address());
            let mut table = pivvel::source::open(&location, &ReadOptions::default()).unwrap();
            let grouped = CrossTab::build(&question.brief, table.as_mut())
                .unwrap_or_else(|e| panic!("seed {seed}: {e}"));
            assert_eq!(crate::lines::tidy_csv(&grouped), text, "seed {seed}");
            assert_eq!(grouped.report(), crosstab.report(), "seed {seed}");
        }
        let mut found = ours(&crosstab);
        let dimensions = question.layout.names().len();
        let rolled = |text: &str| (text != "^").then(|| text.to_string());
        for record in server.answer(&question.layout.query(question.condition, &measures, &nested)) {
            let members: Vec<Option<String>> = record.iter().take(dimensions).map(rolled).collect();
            // A cell without lines is not there, where a roll-up of none has a total.
            let none = members.iter().all(Option::is_none) && record.get(dimensions + 1) == Some("0");
            if none || question.is_off(&members) {
                continue;
            }
            for (measure, theirs) in measures.iter().zip(record.iter().skip(dimensions)) {
                let key = (members.clone(), measure.name.to_string());
                let value = found
                    .remove(&key)
                    .unwrap_or_else(|| panic!("seed {seed}: only there: {key:?} in {:?}", question.brief));
                let what = || format!("{} in {:?}", measure.formula, question.brief);
                compare(seed, &what, &key, value, theirs);
                cells += 1;
            }
        }
        assert!(
            found.is_empty(),
            "seed {seed}: only here: {:?} in {:?}",
            found.keys().next(),
            question.brief
        );
        briefs += 1;
        if briefs % 500 == 0 {
            println!("{briefs} briefs up to seed {seed}, {cells} values");
        }
    }
    println!("{cells} values of {briefs} briefs compared");
    assert!(one.is_some() || cells > briefs * 200, "too little to compare");
}

fn build(brief: &Brief, lines: &str, threads: usize, seed: u64) -> (CrossTab, Groups) {
    let lines = std::io::Cursor::new(lines.as_bytes().to_vec());
    let options = ReadOptions::default().block_bytes(2_048);
    let mut source = TextSource::from_reader("lines", lines, &options).unwrap();
    Build::new().threads(threads).keep(brief, &mut source).unwrap_or_else(|e| panic!("seed {seed}: {e}"))
}

/// What renamed members begin with, and no other text holds.
const MARK: &str = "Æ";

/// The same lines with other members, which have the same order, unless the brief names some of them.
fn renamed(lines: &str, brief: &str) -> Option<String> {
    let mut reader = csv::Reader::from_reader(lines.as_bytes());
    let mut writer = csv::Writer::from_writer(Vec::new());
    let headings = reader.headers().unwrap().clone();
    writer.write_record(&headings).unwrap();
    for record in reader.records() {
        let record = record.unwrap();
        let mut fields = Vec::new();
        for (heading, field) in headings.iter().zip(&record) {
            let changes =
                ["harbour", "yard", "range", "article", "agent"].contains(&heading) && !field.is_empty();
            if changes && brief.contains(field) {
                return None;
            }
            fields.push(if changes { format!("{MARK}{field}") } else { field.to_string() });
        }
        writer.write_record(&fields).unwrap();
    }
    Some(String::from_utf8(writer.into_inner().unwrap()).unwrap())
}

/// The cross-tab of the same lines in several files.
fn in_parts(brief: &Brief, lines: &str, draw: &mut Draw) -> CrossTab {
    let folder = tempfile::tempdir().unwrap();
    let (headings, lines) = lines.split_once('\n').unwrap();
    let parts = 2 + draw.below(3);
    let mut files = vec![format!("{headings}\n"); parts];
    lines.lines().for_each(|line| files[draw.below(parts)] += &format!("{line}\n"));
    for (place, text) in files.iter().enumerate() {
        std::fs::write(folder.path().join(format!("{place}.csv")), text).unwrap();
    }
    let pattern = folder.path().join("*.csv");
    let mut source = pivvel::source::open(pattern.to_str().unwrap(), &ReadOptions::default()).unwrap();
    CrossTab::build(brief, source.as_mut()).unwrap()
}

/// The same lines in another order.
fn shuffled(lines: &str, draw: &mut Draw) -> String {
    let mut lines: Vec<&str> = lines.lines().collect();
    for i in (2..lines.len()).rev() {
        lines.swap(i, 1 + draw.below(i));
    }
    lines.join("\n") + "\n"
}

#[test]
fn random_briefs_equal_postgres() {
    run(210, plain);
}

#[test]
fn random_members_equal_postgres() {
    run(150, with_members_changed);
}
