//! The face of the library: few names at the root, and an example that runs on most of what users meet. The sources are
//! read as text, so that whoever adds an item without an example sees it here.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// The names that the library gives, those at its root first.
fn names() -> (BTreeSet<String>, BTreeSet<String>) {
    let text = include_str!("../../src/lib.rs");
    let (mut root, mut all) = (BTreeSet::new(), BTreeSet::new());
    let mut rest = text;
    while let Some(at) = rest.find("pub use ") {
        let begins_line = rest[..at].ends_with('\n');
        let (list, after) = rest[at + "pub use ".len()..].split_once(';').unwrap();
        rest = after;
        let list =
            list.rsplit_once("::{").map_or(list, |(_, names)| names.trim_end_matches(['}', '\n', ' ']));
        for name in list.split(',').map(str::trim).filter(|name| !name.is_empty()) {
            // What goes by another name here is documented by its own.
            let own = name.split(" as ").next().unwrap().rsplit("::").next().unwrap();
            // A module begins with a small letter.
            if begins_line && own.starts_with(char::is_uppercase) {
                root.insert(own.to_string());
            }
            all.insert(own.to_string());
        }
    }
    (root, all)
}

fn sources(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        match path.is_dir() {
            true => sources(&path, found),
            false if path.extension().is_some_and(|ending| ending == "rs") => found.push(path),
            false => {}
        }
    }
}

/// The name of the item that a line declares for users, or adds functions to.
fn item(line: &str) -> Option<&str> {
    let line = line.trim_start();
    let rest = ["pub struct ", "pub enum ", "pub trait ", "pub fn ", "pub type ", "pub const ", "impl "]
        .iter()
        .find_map(|start| line.strip_prefix(start))?;
    let end = rest.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(rest.len());
    Some(&rest[..end]).filter(|name| !name.is_empty())
}

/// Every item of the crates behind the library, and whether an example that runs stands on it or on one of its functions.
fn examples() -> BTreeMap<String, bool> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut found = Vec::new();
    for own in ["src", "../pivvel-core/src", "../pivvel-io/src", "../pivvel-view/src"] {
        sources(&root.join(own), &mut found);
    }
    let mut items: BTreeMap<String, bool> = BTreeMap::new();
    for path in found {
        let text = std::fs::read_to_string(&path).unwrap();
        let (mut runs, mut within) = (false, None);
        for line in text.lines() {
            let trimmed = line.trim_start();
            if let Some(doc) = trimmed.strip_prefix("///") {
                // A block without a language is Rust.
                runs |= doc.trim() == "```";
                continue;
            }
            if trimmed.starts_with("#[") || trimmed.starts_with(')') {
                continue;
            }
            if line.starts_with("impl ") {
                within = item(line).map(str::to_string);
            } else if line == "}" {
                within = None;
            } else if let Some(name) = item(line) {
                *items.entry(name.to_string()).or_default() |= runs;
                if let Some(of) = within.as_ref().filter(|_| runs) {
                    items.insert(of.clone(), true);
                }
            }
            if !trimmed.is_empty() {
                runs = false;
            }
        }
    }
    items
}

/// How a type keeps what it has may change: no struct shows its fields. A colour is its three numbers, and no more.
#[test]
fn no_struct_shows_its_fields() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut found = Vec::new();
    for own in ["src", "../pivvel-core/src", "../pivvel-io/src", "../pivvel-view/src"] {
        sources(&root.join(own), &mut found);
    }
    let mut shown = Vec::new();
    for path in &found {
        let text = std::fs::read_to_string(path).unwrap();
        let mut within = None;
        for line in text.lines() {
            let trimmed = line.trim_start();
            if let Some(rest) = trimmed.strip_prefix("pub struct ") {
                within = item(trimmed).filter(|_| rest.ends_with('{'));
                shown.extend(rest.contains("(pub ").then(|| rest.to_string()));
            } else if trimmed == "}" {
                within = None;
            } else if let (Some(of), Some(field)) = (within, trimmed.strip_prefix("pub ")) {
                shown.push(format!("{of}: {field}"));
            }
        }
    }
    assert!(found.len() > 200, "{}", found.len());
    assert_eq!(shown, ["Rgb(pub u8, pub u8, pub u8);"]);
}

#[test]
fn few_names_at_the_root_and_examples_on_most_of_all() {
    let ((root, all), examples) = (names(), examples());
    assert!(root.contains("Brief") && root.contains("CrossTab") && root.len() <= 12, "{root:?}");
    let documented: Vec<(&String, bool)> =
        all.iter().filter_map(|name| Some((name, *examples.get(name)?))).collect();
    assert!(documented.len() > 200, "{}", documented.len());
    let without: Vec<&String> = documented.iter().filter(|(_, runs)| !runs).map(|(name, _)| *name).collect();
    let share = 1.0 - without.len() as f64 / documented.len() as f64;
    assert!(share >= 0.6, "{share:.2} of the items have an example; without one are {without:?}");
}
