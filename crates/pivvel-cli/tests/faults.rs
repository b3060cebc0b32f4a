//! Files that cannot be written, and runs that are killed: whatever form is asked for, the earlier file stands
//! and nothing is left beside it.

#![cfg(unix)]
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::os::unix::fs::PermissionsExt;
use std::process::{Command, Output, Stdio};

/// Every form that is written, and what writes it.
fn forms() -> Vec<(&'static str, Vec<&'static str>)> {
    let build = ["build", "coasts.toml", "--to"];
    let mut forms: Vec<(&str, Vec<&str>)> = Vec::new();
    for file in ["tidy.csv", "tidy.json", "shown.md", "page.html", "picture.svg"] {
        forms.push((file, build.to_vec()));
    }
    for (file, built) in [
        ("tidy.parquet", cfg!(feature = "parquet")),
        ("tidy.arrow", cfg!(feature = "arrow")),
        ("book.xlsx", cfg!(feature = "workbook")),
        ("picture.png", cfg!(feature = "png")),
    ] {
        if built {
            forms.push((file, build.to_vec()));
        }
    }
    forms.push(("brief.toml", vec!["build", "coasts.toml", "--save-brief"]));
    forms.push(("kept.json", vec!["build", "coasts.toml", "--save-yardsticks"]));
    if cfg!(feature = "arrow") {
        // With several threads the groups stand in the order in which these met them.
        forms.push(("groups.arrow", vec!["build", "coasts.toml", "--threads", "1", "--save-groups"]));
    }
    for file in ["lines.csv", "lines.html", "lines.json"] {
        forms.push((file, vec!["lines", "coasts.toml", "--at", "coast=Fell Coast", "--to"]));
    }
    for file in ["story.html", "story.json"] {
        forms.push((file, vec!["explain", "coasts.toml", "--at", "coast=Fell Coast", "--to"]));
    }
    for file in ["changes.csv", "changes.html"] {
        forms.push((file, vec!["compare", "coasts.toml", "coasts.toml", "--to"]));
    }
    forms
}

/// The demonstration with a folder `out` in it, and the program beside it, for whoever may run it.
struct Place(tempfile::TempDir);

impl Place {
    fn new() -> Place {
        let folder = tempfile::tempdir().unwrap();
        let open = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(folder.path(), open).unwrap();
        // Copied by another process: what another thread starts at this moment would hold the copy open for writing, and
        // it could not run.
        let mut copy = Command::new("cp");
        assert!(copy.arg(env!("CARGO_BIN_EXE_pivvel")).arg(folder.path()).status().unwrap().success());
        let place = Place(folder);
        let demo = place.run("", &["demo", "."]);
        assert!(demo.status.success(), "{}", told(&demo));
        std::fs::create_dir(place.out()).unwrap();
        place
    }

    fn out(&self) -> std::path::PathBuf {
        self.0.path().join("out")
    }

    /// Runs the program after what a shell does before.
    fn run(&self, before: &str, arguments: &[&str]) -> Output {
        let mut command = Command::new("bash");
        command.current_dir(self.0.path()).args(["-c", &format!("{before} exec \"$@\""), "bash"]);
        command.arg("./pivvel").args(arguments).stdin(Stdio::null()).output().unwrap()
    }

    fn write(&self, before: &str, (file, arguments): &(&str, Vec<&str>)) -> Output {
        let path = format!("out/{file}");
        self.run(before, &arguments.iter().copied().chain([path.as_str()]).collect::<Vec<_>>())
    }

    /// Everything that lies in the folder.
    fn files(&self) -> BTreeMap<String, Vec<u8>> {
        let entries = std::fs::read_dir(self.out()).unwrap().map(|entry| entry.unwrap());
        entries.map(|e| (e.file_name().to_string_lossy().into(), std::fs::read(e.path()).unwrap())).collect()
    }
}

fn told(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

/// One error that names the file, and nothing changed.
fn refused(place: &Place, before: &str, earlier: &BTreeMap<String, Vec<u8>>, fault: &str) {
    for form in forms() {
        let output = place.write(before, &form);
        let said = told(&output);
        assert_eq!(output.status.code(), Some(1), "{fault}, {}: {said}", form.0);
        let errors = said.lines().filter(|line| line.starts_with("pivvel: ")).count();
        assert!(errors == 1 && said.contains(&format!("out/{}", form.0)), "{fault}, {}: {said}", form.0);
        assert!(!said.contains("wrote"), "{fault}, {}: {said}", form.0);
        assert!(place.files() == *earlier, "{fault}, {} left {:?}", form.0, place.files().keys());
    }
}

#[test]
fn no_room_and_no_right_to_write() {
    let place = Place::new();
    // No byte more may be written to any file.
    let full = "trap '' XFSZ; ulimit -f 0;";
    refused(&place, full, &BTreeMap::new(), "no room for a first file");
    for form in forms() {
        let output = place.write("", &form);
        assert!(output.status.success(), "{}: {}", form.0, told(&output));
    }
    let earlier = place.files();
    assert_eq!(earlier.len(), forms().len());
    refused(&place, full, &earlier, "no room for a next file");
    std::fs::set_permissions(place.out(), std::fs::Permissions::from_mode(0o555)).unwrap();
    // The superuser may write anywhere; nobody may not.
    let probe = place.out().join("probe");
    let may_write = std::fs::write(&probe, "").is_ok();
    let before = match may_write {
        true => {
            std::fs::remove_file(&probe).unwrap();
            "set -- setpriv --reuid 65534 --regid 65534 --clear-groups \"$@\";"
        }
        false => "",
    };
    refused(&place, before, &earlier, "a folder that is read only");
    std::fs::set_permissions(place.out(), std::fs::Permissions::from_mode(0o755)).unwrap();
    // And once there is room again it goes on.
    let output = place.write("", &forms()[0]);
    assert!(output.status.success() && place.files() == earlier, "{}", told(&output));
}

/// A run that is killed cannot tidy up, and need not: what is written has no name until it is whole.
#[test]
fn killed_at_any_moment() {
    let place = Place::new();
    let forms = forms();
    let usual: Vec<_> = forms
        .iter()
        .map(|form| {
            place.write("", form);
            let started = std::time::Instant::now();
            assert!(place.write("", form).status.success());
            started.elapsed()
        })
        .collect();
    let earlier = place.files();
    let (mut killed, mut left) = (0, 0);
    for round in 0..100usize {
        let which = round % forms.len();
        let (file, arguments) = &forms[which];
        let mut child = Command::new("./pivvel")
            .current_dir(place.0.path())
            .args(arguments)
            .arg(format!("out/{file}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(usual[which] * (round as u32 * 7_919 % 110) / 100);
        child.kill().unwrap();
        killed += u32::from(!child.wait().unwrap().success());
        for (name, bytes) in place.files() {
            match earlier.get(&name) {
                Some(whole) => assert!(bytes == *whole, "round {round}: {name}"),
                // Between its name and its place there is a moment; then the file is whole.
                None => {
                    assert!(name.starts_with(".pivvel-") && bytes == earlier[*file], "round {round}: {name}");
                    std::fs::remove_file(place.out().join(name)).unwrap();
                    left += 1;
                }
            }
        }
    }
    assert!(killed > 40, "{killed} were killed");
    assert!(left <= 3, "{left} of 100 left their file under another name");
}

/// A folder that is not there, a file where a folder is wanted, and a folder where a file is.
#[test]
fn places_that_are_none() {
    let place = Place::new();
    std::fs::write(place.out().join("file"), "earlier").unwrap();
    std::fs::create_dir(place.out().join("folder.csv")).unwrap();
    let cases: [(&[&str], &str); 8] = [
        (&["build", "coasts.toml", "--to", "out/none/a.csv"], "there is no folder out/none to write into"),
        (&["build", "coasts.toml", "--to", "out/folder.csv"], "this is a folder, not a file"),
        (&["build", "coasts.toml", "--to", "out/file/a.csv"], "out/file"),
        (&["build", "coasts.toml", "--save-brief", "out/none/a.toml"], "there is no folder out/none"),
        (&["build", "coasts.toml", "--split-levels", "out/file"], "this is a file, and a folder is wanted"),
        (&["lines", "coasts.toml", "--at", "total", "--to", "out/none/a.csv"], "there is no folder out/none"),
        (
            &["explain", "coasts.toml", "--at", "total", "--to", "out/none/a.html"],
            "there is no folder out/none",
        ),
        (
            &["compare", "coasts.toml", "coasts.toml", "--to", "out/none/a.html"],
            "there is no folder out/none",
        ),
    ];
    for (arguments, wanted) in cases {
        let output = place.run("", arguments);
        let said = told(&output);
        assert!(!output.status.success() && said.contains(wanted), "{arguments:?}: {said}");
        assert!(!said.contains("panicked") && !said.contains("wrote"), "{arguments:?}: {said}");
    }
    assert_eq!(std::fs::read_to_string(place.out().join("file")).unwrap(), "earlier");
    assert_eq!(std::fs::read_dir(place.out()).unwrap().count(), 2);
}

/// Names of files that are no text: an error says so, also of a pattern, which would leave such files out.
#[cfg(target_os = "linux")]
#[test]
fn names_that_are_no_text() {
    use std::ffi::OsString;
    use std::os::unix::ffi::OsStringExt;
    let folder = tempfile::tempdir().unwrap();
    let named = |bytes: &[u8]| OsString::from_vec(bytes.to_vec());
    for name in [&b"a\xff.csv"[..], b"b.csv", b"c.CSV"] {
        std::fs::write(folder.path().join(named(name)), "coast,amount\nFell,1\n").unwrap();
    }
    let said = "the name of this file is not UTF-8";
    let cases: [(&[u8], &str); 5] =
        [(b"a\xff.csv", said), (b"*.csv", said), (b"??.csv", said), (b"b*.csv", ""), (b"*.CSV", "")];
    for (name, wanted) in cases {
        for command in ["survey", "build"] {
            let mut pivvel = Command::new(env!("CARGO_BIN_EXE_pivvel"));
            let output = pivvel.current_dir(folder.path()).arg(command).arg(named(name)).output().unwrap();
            let told = told(&output);
            assert_eq!(output.status.success(), wanted.is_empty(), "{command} {name:?}: {told}");
            assert!(told.contains(wanted), "{command} {name:?}: {told}");
        }
    }
    let to = Command::new(env!("CARGO_BIN_EXE_pivvel"))
        .current_dir(folder.path())
        .args(["build", "b.csv", "--to"])
        .arg(named(b"to\xff.csv"))
        .output()
        .unwrap();
    assert!(to.status.success() && folder.path().join(named(b"to\xff.csv")).exists(), "{}", told(&to));
}
