//! Every cell of every grain against PostgreSQL's `GROUP BY ROLLUP (...), ROLLUP (...)`, computed
//! by a private server that the test starts.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use pivvel::{Brief, CrossTab, CsvOptions, CsvSource, tidy};

/// A server of its own in a temporary folder, reached by a socket there, gone when dropped.
pub(crate) struct Server {
    bin: PathBuf,
    folder: tempfile::TempDir,
}

impl Server {
    /// `None` where PostgreSQL is not installed, unless everything is required.
    pub(crate) fn start() -> Option<Server> {
        let Some(bin) = find_bin() else {
            assert!(std::env::var_os("PIVVEL_REQUIRE_ALL").is_none(), "PostgreSQL is not installed");
            eprintln!("skipped: PostgreSQL is not installed");
            return None;
        };
        let folder = tempfile::tempdir().unwrap();
        let server = Server { bin, folder };
        if is_root() {
            run(Command::new("chown").arg("postgres").arg(server.folder.path()));
        }
        let data = server.folder.path().join("data");
        run(server.command("initdb").arg("-D").arg(&data).args(["-U", "oracle", "-E", "UTF8", "--locale=C"]));
        let options = format!("-c listen_addresses='' -k {} -F", server.folder.path().display());
        run(server
            .command("pg_ctl")
            .args(["start", "-w", "-D"])
            .arg(&data)
            .args(["-o", &options, "-l"])
            .arg(server.folder.path().join("log")));
        Some(server)
    }

    /// What a script answers, as CSV without headings.
    pub(crate) fn answer(&self, script: &str) -> Vec<csv::StringRecord> {
        let mut child = Command::new(self.bin.join("psql"))
            .arg("-h")
            .arg(self.folder.path())
            .args(["-U", "oracle", "-d", "postgres", "-qtAX", "--csv", "-v", "ON_ERROR_STOP=1", "-f", "-"])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(script.as_bytes()).unwrap();
        let output = child.wait_with_output().unwrap();
        assert!(output.status.success(), "psql failed on: {script:.300}");
        let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(output.stdout.as_slice());
        reader.records().map(Result::unwrap).collect()
    }

    /// A server program, as a user that it agrees to run as.
    fn command(&self, program: &str) -> Command {
        let program = self.bin.join(program);
        let mut command = match is_root() {
            true => {
                let mut command = Command::new("runuser");
                command.args(["-u", "postgres", "--"]).arg(program);
                command
            }
            false => Command::new(program),
        };
        command.current_dir(self.folder.path());
        command
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let data = self.folder.path().join("data");
        let mut stop = self.command("pg_ctl");
        let _ = stop.args(["stop", "-m", "immediate", "-D"]).arg(data).stdout(Stdio::null()).status();
    }
}

fn find_bin() -> Option<PathBuf> {
    let installed = std::fs::read_dir("/usr/lib/postgresql").into_iter().flatten().flatten();
    let path = std::env::var_os("PATH").unwrap_or_default();
    installed
        .map(|version| version.path().join("bin"))
        .chain(std::env::split_paths(&path))
        .find(|bin| ["initdb", "pg_ctl", "psql"].iter().all(|program| bin.join(program).exists()))
}

fn is_root() -> bool {
    use std::os::unix::fs::MetadataExt;
    Path::new("/proc/self").metadata().is_ok_and(|me| me.uid() == 0)
}

fn run(command: &mut Command) {
    let output = command.stdout(Stdio::null()).stderr(Stdio::piped()).output().unwrap();
    assert!(output.status.success(), "{command:?}: {}", String::from_utf8_lossy(&output.stderr));
}

/// What the dimensions are called here, and what they are in SQL.
const DIMENSIONS: [(&str, &str); 11] = [
    ("coast", "coast"),
    ("harbour", "harbour"),
    ("yard", "yard"),
    ("range", "range"),
    ("article", "article"),
    ("agent", "agent"),
    ("channel", "channel"),
    ("sold_on.year", "to_char(sold_on, 'YYYY')"),
    ("sold_on.quarter", "to_char(sold_on, 'YYYY-\"Q\"Q')"),
    ("sold_on.month", "to_char(sold_on, 'YYYY-MM')"),
    ("sold_on.week", "to_char(sold_on, 'IYYY-\"W\"IW')"),
];

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
            CsvSource::from_reader("lines", std::io::Cursor::new(lines), CsvOptions::default()).unwrap();
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        let theirs = rollups(&server, &text, rows, columns, condition);
        compare(&crosstab, theirs);
    }
}

/// Members (none where rolled up) to measures, as PostgreSQL has them.
type Cells = BTreeMap<Vec<Option<String>>, Vec<String>>;

fn rollups(server: &Server, lines: &str, rows: &[&str], columns: &[&str], condition: &str) -> Cells {
    let sql = |name: &&str| DIMENSIONS.iter().find(|(known, _)| known == name).unwrap().1;
    let texts = ["coast", "harbour", "yard", "range", "article", "agent", "channel"];
    let list = |of: &[&str]| of.iter().map(sql).collect::<Vec<_>>().join(", ");
    let all: Vec<&str> = rows.iter().chain(columns).map(sql).collect();
    let members: Vec<String> =
        all.iter().map(|sql| format!("case when grouping({sql}) = 1 then '^' else {sql} end")).collect();
    let measures: Vec<&str> = MEASURES.iter().map(|(_, _, sql)| *sql).collect();
    let mut script = String::from(
        "set client_min_messages = warning; drop table if exists lines; create table lines (\"order\" int, sold_on date, month text, scenario text, ",
    );
    texts.iter().for_each(|text| script += &format!("{text} text not null, "));
    script += "quantity int, unit_price numeric, amount numeric, cost numeric);\n";
    script += "copy lines from stdin (format csv, header, force_not_null (";
    // An empty text is a blank member here, and stays one in the database.
    script += &format!("{}, scenario, month));\n{}", texts.join(", "), lines.trim_end_matches(",\n"));
    script += &format!(
        "\n\\.\nselect {}, {} from lines where {condition} group by rollup({}), rollup({});\n",
        members.join(", "),
        measures.join(", "),
        list(rows),
        list(columns),
    );
    // The empty row at the end is left out, as it is here.
    let answer = server.answer(&script.replace("\n,,,,,,,,,,,,,\n", "\n"));
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
