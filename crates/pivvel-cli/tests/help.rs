//! What the command says of itself: the examples of its help are commands that work, its manual has a page for each
//! command, and its JSON holds what its sentences do.

#![allow(clippy::unwrap_used)]

use std::path::Path;
use std::process::{Command, Output, Stdio};

const COMMANDS: [&str; 8] = ["demo", "survey", "build", "check", "lines", "explain", "compare", "shell"];

fn run(folder: &Path, arguments: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    command.current_dir(folder).env("NO_COLOR", "1").args(arguments).stdin(Stdio::null()).output().unwrap()
}

fn words(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// The brief that the examples call sales.toml.
const SALES: &str = "source = \"lines.csv\"
rows = [\"coast\", \"harbour\"]
columns = [\"sold_on.year\", \"sold_on.quarter\"]
[measures]
sales = \"sum(amount)\"
margin = \"(sum(amount) - sum(cost)) / sum(amount)\"
";

/// The files that examples name, all with the demonstration's lines behind them.
fn examples_folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    assert!(run(folder.path(), &["demo", "."]).status.success());
    for name in ["june.csv", "may.csv"] {
        std::fs::copy(path("lines.csv"), path(name)).unwrap();
    }
    for name in ["sales", "north", "south", "west", "may", "june"] {
        std::fs::write(path(&format!("{name}.toml")), SALES).unwrap();
    }
    for month in ["may", "june"] {
        let to = format!("tidy-{month}.parquet");
        let output = run(folder.path(), &["build", "sales.toml", "--to", &to]);
        // Without the feature there is no such file, and the example that names it is not run.
        assert!(output.status.success() || words(&output.stderr).contains("--features parquet"));
    }
    for place in [".local/share/bash-completion/completions", ".zfunc"] {
        std::fs::create_dir_all(path(place)).unwrap();
    }
    folder
}

/// The examples of a help text, each in one line.
fn examples(help: &str) -> Vec<String> {
    let (_, after) = help.split_once("Examples:").or(help.split_once("Begin with:")).unwrap_or_default();
    let joined = after.replace("\\\n", " ");
    joined.lines().map(str::trim).filter(|line| !line.is_empty()).map(str::to_string).collect()
}

#[test]
fn examples_of_help_work() {
    let program = Path::new(env!("CARGO_BIN_EXE_pivvel"));
    let path = format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let folder = examples_folder();
    let packed = Command::new("gzip").arg("-k").arg(folder.path().join("lines.csv")).status();
    let has_gzip = packed.is_ok_and(|status| status.success());
    let mut done = 0;
    for name in std::iter::once("").chain(COMMANDS) {
        let arguments: Vec<&str> = [name, "--help"].into_iter().filter(|text| !text.is_empty()).collect();
        let help = words(&run(folder.path(), &arguments).stdout);
        for example in examples(&help) {
            let features_off = !cfg!(feature = "parquet") && example.contains(".parquet")
                || !cfg!(feature = "workbook") && example.contains(".xlsx");
            if features_off || !has_gzip && example.contains("zcat") {
                continue;
            }
            let mut shell = Command::new("sh");
            shell.current_dir(&folder).env("PATH", &path).env("HOME", folder.path()).args(["-c", &example]);
            let output = shell.output().unwrap();
            assert!(output.status.success(), "$ {example}\n{}", words(&output.stderr));
            done += 1;
        }
    }
    assert!(done > 20, "{done}");
}

#[test]
fn the_manual_has_a_page_for_each_command() {
    let folder = tempfile::tempdir().unwrap();
    assert!(run(folder.path(), &["shell", "manual", "--into", "man"]).status.success());
    for command in std::iter::once("").chain(COMMANDS) {
        let (file, arguments) = match command {
            "" => ("pivvel.1".to_string(), vec!["shell", "manual"]),
            command => (format!("pivvel-{command}.1"), vec!["shell", "manual", command]),
        };
        let page = std::fs::read_to_string(folder.path().join("man").join(&file)).unwrap();
        assert_eq!(words(&run(folder.path(), &arguments).stdout), page, "{file}");
        for part in ["SH NAME", "SH SYNOPSIS", "SH \"EXIT STATUS\"", "SH ENVIRONMENT", "FORCE_COLOR"] {
            assert!(page.contains(part), "{file}: {part}\n{page}");
        }
    }
    // The document has every exit code and every variable that the manual has.
    let document =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/command.md")).unwrap();
    let page = std::fs::read_to_string(folder.path().join("man/pivvel.1")).unwrap();
    let (_, sections) = page.split_once(".SH \"EXIT STATUS\"").unwrap();
    let sections = sections.split(".SH EXAMPLES").next().unwrap().split(".SH EXTRA").next().unwrap();
    let terms = sections.split(".TP\n").skip(1).flat_map(|entry| entry.lines().next().unwrap().split(", "));
    let terms: Vec<&str> = terms.collect();
    assert!(terms.len() > 15 && terms.iter().all(|term| document.contains(term)), "{terms:?}");
    let output = run(folder.path(), &["shell", "manual", "bild"]);
    assert_eq!(
        words(&output.stderr),
        "pivvel: shell manual: unknown command \"bild\"; did you mean \"build\"?\n"
    );
    assert_eq!(run(folder.path(), &["shell", "bash", "build"]).status.code(), Some(2));
}

/// Colour is asked for by the flag, or else by the environment, where no colour wins.
#[test]
fn colour_by_the_environment() {
    let folder = tempfile::tempdir().unwrap();
    assert!(run(folder.path(), &["demo", "."]).status.success());
    type Case = (&'static [(&'static str, &'static str)], &'static [&'static str], bool);
    let cases: [Case; 8] = [
        (&[], &[], false),
        (&[("FORCE_COLOR", "1")], &[], true),
        (&[("FORCE_COLOR", "0")], &[], false),
        (&[("CLICOLOR_FORCE", "1")], &[], true),
        (&[("CLICOLOR_FORCE", "0")], &[], false),
        (&[("FORCE_COLOR", "1"), ("NO_COLOR", "1")], &[], false),
        (&[("NO_COLOR", "1")], &["--color", "always"], true),
        (&[("FORCE_COLOR", "1")], &["--color", "never"], false),
    ];
    for (variables, flags, coloured) in cases {
        for command in
            [vec!["build", "coasts.toml"], vec!["check", "coasts.toml"], vec!["survey", "lines.csv"]]
        {
            let mut run = Command::new(env!("CARGO_BIN_EXE_pivvel"));
            for name in ["NO_COLOR", "FORCE_COLOR", "CLICOLOR_FORCE", "CLICOLOR"] {
                run.env_remove(name);
            }
            let output = run.current_dir(&folder).envs(variables.iter().copied()).args(&command).args(flags);
            let output = output.output().unwrap();
            assert_eq!(output.stdout.contains(&0x1b), coloured, "{command:?} {flags:?} {variables:?}");
        }
    }
}

#[test]
fn json_holds_what_sentences_do() {
    let folder = tempfile::tempdir().unwrap();
    assert!(run(folder.path(), &["demo", "."]).status.success());
    let json = |arguments: &[&str]| -> serde_json::Value {
        let output = run(folder.path(), arguments);
        serde_json::from_slice(&output.stdout).unwrap_or_else(|e| panic!("{arguments:?}: {e}"))
    };
    for (brief, _) in pivvel_demo::BRIEFS {
        let (checked, said) =
            (json(&["check", brief, "--json"]), run(folder.path(), &["check", brief]).stdout);
        let said = words(&said);
        for measure in checked["measures"].as_array().unwrap() {
            let text =
                format!("{} = {}", measure["name"].as_str().unwrap(), measure["formula"].as_str().unwrap());
            assert!(said.contains(&text), "{brief}: {text}");
        }
        for emphasis in checked["emphasis"].as_array().unwrap() {
            for level in emphasis["levels"].as_array().unwrap() {
                assert!(said.contains(level.as_str().unwrap()), "{brief}: {level}");
            }
        }
        let warnings = said.matches("\nWarning: ").count();
        assert_eq!(checked["notices"].as_array().unwrap().len(), warnings, "{brief}");
    }
    let survey = json(&["survey", "lines.csv", "--json"]);
    assert_eq!(survey["lines"], 5_000);
    let amount =
        survey["columns"].as_array().unwrap().iter().find(|c| c["name"] == "amount").unwrap().clone();
    assert_eq!(amount["kind"], "decimal(2)");
    // Exact numbers are texts, so that no reader rounds them.
    assert!(amount["range"][1].is_string() && amount["examples"][0]["lines"].is_u64());
}

/// Sentences of a check keep within the width, and break between words, whatever letters these have.
#[test]
fn a_check_keeps_within_its_width() {
    let folder = tempfile::tempdir().unwrap();
    assert!(run(folder.path(), &["demo", "."]).status.success());
    let title = "Åååå ææææ øøøø ýýýý ŵŵŵŵ ěěěě šššš čččč řřřř žžžž ůůůů ńńńń";
    let brief =
        format!("title = \"{title}\"\n{SALES}where = \"harbour <> 'Vårdsund' and harbour <> 'Ææææ øøøø'\"\n");
    let (head, tables) = brief.split_once("[measures]").unwrap();
    let (measures, condition) = tables.split_once("where").unwrap();
    let brief = format!("{head}where{condition}[measures]{measures}");
    std::fs::write(folder.path().join("wide.toml"), brief).unwrap();
    let whole = words(&run(folder.path(), &["check", "wide.toml"]).stdout);
    for width in 40..80 {
        let output = run(folder.path(), &["check", "wide.toml", "--width", &width.to_string()]);
        assert!(output.status.success(), "{}", words(&output.stderr));
        let text = words(&output.stdout);
        let too_wide = |line: &&str| line.chars().count() > width && line.trim().contains(' ');
        assert_eq!(text.lines().find(too_wide), None, "{width}");
        let same = |text: &str| text.split_whitespace().map(str::to_string).collect::<Vec<_>>();
        assert_eq!(same(&text), same(&whole));
    }
}
