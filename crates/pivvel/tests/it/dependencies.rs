//! The list of what the library is built on has every crate that its manifests declare, and no other.

use std::collections::BTreeSet;
use std::path::Path;

#[test]
fn every_direct_dependency_has_its_reason() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let read = |path: &str| std::fs::read_to_string(root.join(path)).unwrap();
    let mut declared = BTreeSet::new();
    for name in ["pivvel-core", "pivvel-io", "pivvel-view", "pivvel"] {
        let manifest: toml_edit::DocumentMut = read(&format!("crates/{name}/Cargo.toml")).parse().unwrap();
        let mut tables = vec![manifest.get("dependencies").cloned()];
        let targets = manifest.get("target").and_then(|target| target.as_table());
        tables.extend(
            targets.into_iter().flat_map(|t| t.iter().map(|(_, of)| of.get("dependencies").cloned())),
        );
        for table in tables.iter().flatten().filter_map(|table| table.as_table_like()) {
            declared.extend(table.iter().map(|(name, _)| name.to_string()));
        }
    }
    declared.retain(|name| !name.starts_with("pivvel"));
    let document = read("docs/dependencies.md");
    let rows = document.lines().filter_map(|line| line.strip_prefix("| `"));
    let listed: BTreeSet<String> = rows.map(|row| row.split('`').next().unwrap().to_string()).collect();
    assert_eq!(listed, declared);
}
