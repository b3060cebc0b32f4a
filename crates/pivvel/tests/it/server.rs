//! A private PostgreSQL server, as an oracle that nobody here wrote.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use crate::missing::skipped;

/// A server of its own in a temporary folder, reached by a socket there, gone when dropped.
pub(crate) struct Server {
    bin: PathBuf,
    folder: tempfile::TempDir,
}

impl Server {
    /// `None` where PostgreSQL is not installed, unless everything is required.
    pub(crate) fn start() -> Option<Server> {
        Server::with(&["--auth", "trust"])
    }

    /// One that asks for a password, which is "right".
    #[cfg(feature = "full")]
    pub(crate) fn guarded() -> Option<Server> {
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), "right\n").unwrap();
        if is_root() {
            run(Command::new("chown").arg("postgres").arg(file.path()));
        }
        let path = file.path().display().to_string();
        Server::with(&["--auth", "scram-sha-256", "--pwfile", &path])
    }

    fn with(how: &[&str]) -> Option<Server> {
        let Some(bin) = find_bin() else {
            skipped("PostgreSQL");
            return None;
        };
        let folder = tempfile::tempdir().unwrap();
        let server = Server { bin, folder };
        if is_root() {
            run(Command::new("chown").arg("postgres").arg(server.folder.path()));
        }
        let data = server.folder.path().join("data");
        run(server
            .command("initdb")
            .arg("-D")
            .arg(&data)
            .args(["-U", "oracle", "-E", "UTF8", "--locale=C"])
            .args(how));
        let options = format!("-c listen_addresses='' -c jit=off -k {} -F", server.folder.path().display());
        run(server
            .command("pg_ctl")
            .args(["start", "-w", "-D"])
            .arg(&data)
            .args(["-o", &options, "-l"])
            .arg(server.folder.path().join("log")));
        Some(server)
    }

    /// The folder of its socket.
    #[cfg(feature = "full")]
    pub(crate) fn folder(&self) -> &Path {
        self.folder.path()
    }

    /// Where clients find it.
    #[cfg(feature = "full")]
    pub(crate) fn address(&self) -> String {
        format!("postgresql://oracle@/postgres?host={}", self.folder.path().display())
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

/// The table of the demonstration's lines, filled with these, as SQL.
pub(crate) fn table_of(lines: &str) -> String {
    let texts = ["coast", "harbour", "yard", "range", "article", "agent", "channel"];
    let mut script = String::from(
        "set client_min_messages = warning; drop table if exists lines; create table lines (\"order\" int, sold_on date, month text, scenario text, ",
    );
    texts.iter().for_each(|text| script += &format!("{text} text not null, "));
    script += "quantity int, unit_price numeric, amount numeric, cost numeric);\n";
    // An empty text is a blank member here, and stays one in the database.
    script += &format!(
        "copy lines from stdin (format csv, header, force_not_null ({}, scenario, month));\n{}\n\\.\n",
        texts.join(", "),
        // The empty row at the end is left out, as it is here.
        lines.trim_end_matches(",,,,,,,,,,,,,,\n").trim_end(),
    );
    script
}

/// What dimensions are called here, and what they are in SQL.
pub(crate) const DIMENSIONS: [(&str, &str); 12] = [
    ("coast", "coast"),
    ("harbour", "harbour"),
    ("yard", "yard"),
    ("range", "range"),
    ("article", "article"),
    ("agent", "agent"),
    ("channel", "channel"),
    ("scenario", "scenario"),
    ("sold_on.year", "coalesce(to_char(sold_on, 'YYYY'), '')"),
    ("sold_on.quarter", "coalesce(to_char(sold_on, 'YYYY-\"Q\"Q'), '')"),
    ("sold_on.month", "coalesce(to_char(sold_on, 'YYYY-MM'), '')"),
    ("sold_on.week", "coalesce(to_char(sold_on, 'IYYY-\"W\"IW'), '')"),
];

/// A dimension in SQL.
pub(crate) fn sql_of(name: &str) -> &'static str {
    DIMENSIONS.iter().find(|(known, _)| *known == name).unwrap().1
}
