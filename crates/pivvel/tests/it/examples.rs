//! What the examples print is kept beside them, and is what they print.

use std::path::Path;
use std::process::Command;

#[test]
fn examples_print_what_is_stored() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples");
    let mut met = 0;
    for entry in std::fs::read_dir(&folder).unwrap() {
        let source = entry.unwrap().path();
        if source.extension().is_none_or(|ending| ending != "rs") {
            continue;
        }
        let name = source.file_stem().unwrap().to_str().unwrap().to_string();
        // Examples are built with the tests and stand in a folder beside them.
        let program = std::env::current_exe().unwrap().parent().unwrap().join("../examples").join(&name);
        let output = Command::new(&program).output().unwrap_or_else(|e| panic!("{}: {e}", program.display()));
        assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
        let printed = String::from_utf8(output.stdout).unwrap();
        let stored = folder.join(format!("{name}.out"));
        if std::env::var_os("PIVVEL_KEEP").is_some() {
            std::fs::write(&stored, &printed).unwrap();
        }
        assert_eq!(printed, std::fs::read_to_string(&stored).unwrap(), "{name}");
        met += 1;
    }
    assert!(met >= 14);
}
