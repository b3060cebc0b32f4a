//! The folders of the core stand in the order of ARCHITECTURE.md: none imports a later one, and no file imports one
//! that imports it, over however many others.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

const CORE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/src");

/// The folders and files of the core's root, in the order of the document.
fn order() -> Vec<String> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../ARCHITECTURE.md");
    let document = std::fs::read_to_string(path).unwrap();
    let rows = document.lines().filter_map(|line| line.strip_prefix("| `  ")?.split('`').next());
    rows.map(|name| name.trim_end_matches('/').trim_end_matches(".rs").to_string()).collect()
}

/// Every file of the core by its path there, `brief/spec` say, without comments and unit tests.
fn files() -> BTreeMap<String, String> {
    fn read(folder: &Path, found: &mut BTreeMap<String, String>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                read(&path, found);
                continue;
            }
            let text = std::fs::read_to_string(&path).unwrap();
            let code = text.split("#[cfg(test)]").next().unwrap();
            let lines = code.lines().filter(|line| !line.trim_start().starts_with("//"));
            let name = path.strip_prefix(CORE).unwrap().with_extension("");
            found.insert(name.to_str().unwrap().to_string(), lines.collect::<Vec<_>>().join("\n"));
        }
    }
    let mut found = BTreeMap::new();
    read(Path::new(CORE), &mut found);
    found.remove("lib");
    found
}

/// The names that stand behind a prefix, as `crate::lines::` or `super::`, one or several in braces.
fn behind<'t>(code: &'t str, prefix: &str) -> Vec<&'t str> {
    let is_word = |c: char| c.is_alphanumeric() || c == '_';
    let mut names = Vec::new();
    for rest in code.split(prefix).skip(1) {
        let list = match rest.strip_prefix('{') {
            Some(list) => list.split('}').next().unwrap(),
            None => &rest[..rest.find(|c: char| !is_word(c)).unwrap_or(rest.len())],
        };
        names.extend(list.split(',').map(|name| name.trim().split(|c: char| !is_word(c)).next().unwrap()));
    }
    names.retain(|name| !name.is_empty());
    names
}

#[test]
fn no_folder_imports_a_later_one() {
    let order = order();
    let place = |name: &str| {
        order
            .iter()
            .position(|known| known == name)
            .unwrap_or_else(|| panic!("ARCHITECTURE.md lists no {name}"))
    };
    let mut folders = BTreeSet::new();
    for (file, code) in files() {
        let own = file.split('/').next().unwrap();
        folders.insert(own.to_string());
        for other in behind(&code, "crate::") {
            assert!(place(other) <= place(own), "{file} imports {other}, which comes later");
        }
    }
    assert!(folders.len() > 10 && folders.into_iter().collect::<Vec<_>>() == sorted(&order), "{order:?}");
}

fn sorted(names: &[String]) -> Vec<String> {
    let mut names = names.to_vec();
    names.sort();
    names
}

/// The files of a folder that each of its files imports.
fn imports(folder: &str, files: &BTreeMap<String, String>) -> BTreeMap<String, BTreeSet<String>> {
    let root = &files[&format!("{folder}/mod")];
    let children: Vec<&str> =
        root.lines().filter_map(|line| line.strip_prefix("mod ")?.strip_suffix(';')).collect();
    // Where the names come from that the folder hands on.
    let mut from: BTreeMap<&str, &str> = BTreeMap::new();
    for child in &children {
        for prefix in [format!("use {child}::"), format!("use self::{child}::")] {
            from.extend(behind(root, &prefix).into_iter().map(|name| (name, *child)));
        }
    }
    let mut all = BTreeMap::new();
    for child in &children {
        let code = &files[&format!("{folder}/{child}")];
        let names = [behind(code, "super::"), behind(code, &format!("crate::{folder}::"))].concat();
        let file = |name: &str| match children.contains(&name) {
            true => name.to_string(),
            false => from.get(name).map_or("mod", |child| child).to_string(),
        };
        let imported: BTreeSet<String> = names.into_iter().map(file).filter(|other| other != child).collect();
        all.insert(child.to_string(), imported);
    }
    // The root of a folder imports a file if its own code uses what it hands on.
    let is_import = |part: &&str| {
        let part = part.trim_start().trim_start_matches("pub(crate) ").trim_start_matches("pub ");
        part.starts_with("use ") || part.starts_with("mod ")
    };
    let own: String = root.split(';').filter(|part| !is_import(part)).collect();
    let used = from.iter().filter(|(name, _)| own.contains(*name)).map(|(_, child)| child.to_string());
    all.insert("mod".into(), used.collect());
    all
}

#[test]
fn no_files_import_each_other() {
    let files = files();
    let folders: BTreeSet<&str> = files.keys().filter_map(|file| file.strip_suffix("/mod")).collect();
    let mut checked = 0;
    for folder in folders {
        let imports = imports(folder, &files);
        for start in imports.keys() {
            let mut reached = BTreeSet::new();
            let mut next: Vec<&String> = imports[start].iter().collect();
            while let Some(file) = next.pop() {
                assert!(file != start, "{folder}/{start} imports itself, over {reached:?}");
                if reached.insert(file) {
                    next.extend(imports.get(file).into_iter().flatten());
                }
            }
            checked += reached.len();
        }
    }
    assert!(checked > 100, "{checked} imports were looked at");
}
