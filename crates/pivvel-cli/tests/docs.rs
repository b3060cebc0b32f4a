//! The sessions in README and docs are what a user gets. Each document's `console` blocks are run
//! in order, in one folder with the demonstration in it; `…` on a line of its own stands for any
//! lines that are left out.

#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::Command;

fn documents() -> Vec<PathBuf> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let docs = std::fs::read_dir(root.join("docs")).unwrap().map(|entry| entry.unwrap().path());
    let is_text = |path: &PathBuf| path.extension().is_some_and(|ending| ending == "md");
    std::iter::once(root.join("README.md")).chain(docs.filter(is_text)).collect()
}

/// The commands of a document with what they are said to print.
fn sessions(text: &str) -> Vec<(String, String)> {
    let mut sessions: Vec<(String, String)> = Vec::new();
    let mut inside = false;
    for line in text.lines() {
        match line.strip_prefix("$ ") {
            _ if line.starts_with("```") => inside = line == "```console",
            Some(command) if inside => sessions.push((command.to_string(), String::new())),
            _ if inside => sessions.last_mut().unwrap().1.push_str(&format!("{line}\n")),
            _ => {}
        }
    }
    sessions
}

/// Whether a text is what the document says, with anything where it leaves lines out.
fn matches(said: &str, printed: &str) -> bool {
    let [said, printed] = [said, printed].map(|text| format!("{}\n", text.trim_end()));
    let mut rest = printed.as_str();
    for (i, part) in said.split("…\n").enumerate() {
        match rest.find(part) {
            Some(0) => rest = &rest[part.len()..],
            Some(at) if i > 0 => rest = &rest[at + part.len()..],
            _ => return false,
        }
    }
    rest.is_empty() || said.ends_with("…\n")
}

#[test]
fn sessions_in_documents_are_true() {
    let program = Path::new(env!("CARGO_BIN_EXE_pivvel"));
    let path = format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let mut run = 0;
    for document in documents() {
        let sessions = sessions(&std::fs::read_to_string(&document).unwrap());
        if sessions.is_empty() {
            continue;
        }
        let folder = tempfile::tempdir().unwrap();
        let demo = Command::new(program).current_dir(&folder).arg("demo").output().unwrap();
        assert!(demo.status.success());
        for (command, said) in sessions {
            let mut shell = Command::new("sh");
            shell.current_dir(&folder).env("PATH", &path).env("NO_COLOR", "1").arg("-c");
            let output = shell.arg(format!("{command} 2>&1")).output().unwrap();
            let printed = String::from_utf8_lossy(&output.stdout);
            assert!(matches(&said, &printed), "{}: $ {command}\n{printed}", document.display());
            run += 1;
        }
    }
    assert!(run >= 4);
}

/// The briefs in documents are taken over the demonstration's lines, with no notice of what is most likely wrong.
#[test]
fn briefs_in_documents_run() {
    let program = env!("CARGO_BIN_EXE_pivvel");
    let folder = tempfile::tempdir().unwrap();
    let run =
        |arguments: &[&str]| Command::new(program).current_dir(&folder).args(arguments).output().unwrap();
    assert!(run(&["demo", "."]).status.success());
    // The demonstration has an empty line, which is noticed.
    let path = folder.path().join("lines.csv");
    let lines = std::fs::read_to_string(&path).unwrap();
    let full = lines.lines().filter(|line| line.chars().any(|c| c != ',')).map(|line| format!("{line}\n"));
    std::fs::write(&path, full.collect::<String>()).unwrap();
    let mut briefs = 0;
    for document in documents() {
        let text = std::fs::read_to_string(&document).unwrap();
        for block in text.split("```toml\n").skip(1) {
            let brief = block.split("```").next().unwrap();
            if !brief.lines().any(|line| line.starts_with("source")) {
                continue;
            }
            std::fs::write(folder.path().join("brief.toml"), brief).unwrap();
            let output = run(&["build", "brief.toml", "--strict", "--to", "out.csv"]);
            let told = String::from_utf8_lossy(&output.stderr);
            // A yard of the demonstration is meant to find no partner.
            let fine =
                output.status.success() || told.trim_end().ends_with("because of a notice: unmatched-keys");
            assert!(fine, "{}:\n{brief}\n{told}", document.display());
            briefs += 1;
        }
    }
    assert!(briefs > 10);
}
