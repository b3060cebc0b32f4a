//! Lines on a PostgreSQL server, a private one that the tests start: how it is found, and what is left there.

#![cfg(all(unix, feature = "full"))]
#![allow(clippy::unwrap_used)]

#[path = "../../pivvel/tests/it/missing.rs"]
mod missing;
#[path = "../../pivvel/tests/it/server.rs"]
#[allow(dead_code)]
mod server;

use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use server::Server;

fn build(location: &str) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    command.args(["build", location, "--rows", "coast", "--measure", "s = sum(amount)", "--to", "-"]);
    for name in ["PGHOST", "PGUSER", "PGDATABASE", "PGSERVICE"] {
        command.env_remove(name);
    }
    command
}

/// What an address leaves open is in the service that it names, or in the environment; what it says itself counts.
#[test]
fn servers_are_found_as_usual() {
    let Some(server) = Server::start() else { return };
    server.answer(
        "create table lines (coast text, amount numeric(9, 2)); insert into lines values ('Fell', 1.5);",
    );
    let host = server.folder().display().to_string();
    let file = tempfile::NamedTempFile::new().unwrap();
    let services = format!(
        "# Of this shop\n[shop]\nhost={host}\nuser = oracle\ndbname=postgres\napplication_name=a b&c\n\n\
         [gone]\nhost=/nowhere\nuser=oracle\ndbname=postgres\n[odd]\nhost={host}\nharbour=1\n"
    );
    std::fs::write(file.path(), services).unwrap();
    let here = format!("host={host}");
    let cases: [(&str, &[&str], &str); 8] = [
        ("postgresql://?service=shop", &[], ""),
        ("postgresql:///?service=shop&connect_timeout=5", &[], ""),
        ("postgresql:///", &["PGSERVICE=shop"], ""),
        (&format!("postgresql:///?service=gone&{here}"), &[], ""),
        ("postgresql:///", &[&format!("PGHOST={host}"), "PGUSER=oracle", "PGDATABASE=postgres"], ""),
        (
            "postgresql:///?service=shpo",
            &[],
            "postgresql://…: unknown service \"shpo\"; did you mean \"shop\"?",
        ),
        ("postgresql:///?service=gone", &[], "the server cannot be reached"),
        (
            "postgresql:///?service=odd",
            &[],
            "the service or the environment sets harbour to a value that cannot be used, or harbour is no setting",
        ),
    ];
    for (address, environment, wrong) in cases {
        let mut command = build(&format!("{address}#table=lines"));
        command.env("PGSERVICEFILE", file.path());
        let pairs = environment.iter().filter_map(|pair| pair.split_once('='));
        let output = command.envs(pairs).output().unwrap();
        let told = String::from_utf8_lossy(&output.stderr);
        assert_eq!(output.status.success(), wrong.is_empty(), "{address}: {told}");
        assert!(told.contains(wrong), "{address}: {told}");
        let found = String::from_utf8_lossy(&output.stdout).contains(",s,1.50,");
        assert_eq!(found, wrong.is_empty(), "{address}");
    }
}

/// Ctrl-C ends a statement at the server, too.
#[test]
fn nothing_runs_on_at_the_server() {
    let Some(server) = Server::start() else { return };
    server.answer("create view slow as select 'Fell'::text as coast, 1 as amount from pg_sleep(600);");
    let running = || {
        let list = "select count(*) from pg_stat_activity where state = 'active' and query like '%slow%' \
                    and pid <> pg_backend_pid();";
        server.answer(list)[0][0].parse::<u32>().unwrap()
    };
    let wait_for = |expected: u32| {
        let start = Instant::now();
        while running() != expected {
            assert!(start.elapsed() < Duration::from_secs(60), "not {expected} after a minute");
            std::thread::sleep(Duration::from_millis(50));
        }
    };
    let mut child = Command::new("env");
    child.args(["--default-signal=INT", env!("CARGO_BIN_EXE_pivvel")]);
    child.args(["build", &format!("{}#table=slow", server.address()), "--rows", "coast"]);
    let child = child.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
    wait_for(1);
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    // That its statement was cancelled is no error of its own.
    let output = child.wait_with_output().unwrap();
    assert_eq!((output.status.code(), String::from_utf8_lossy(&output.stderr).as_ref()), (Some(130), ""));
    wait_for(0);
}
