//! The command as a user types it: stored sessions in `tests/cmd/`, the README's, and what cannot
//! be stored.

#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

fn pivvel(folder: &Path) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    command.current_dir(folder).env("NO_COLOR", "1");
    command
}

/// One that signals end, also where the tests themselves run in the background, where Ctrl-C is ignored.
#[cfg(unix)]
fn open_to_signals(folder: &Path) -> Command {
    if cfg!(not(target_os = "linux")) {
        return pivvel(folder);
    }
    let mut command = Command::new("env");
    command.args(["--default-signal=INT,TERM,HUP", env!("CARGO_BIN_EXE_pivvel")]);
    command.current_dir(folder).env("NO_COLOR", "1");
    command
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    pivvel(folder).args(arguments).output().unwrap()
}

fn words(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// A folder with the demonstration in it.
fn demo() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let output = run(folder.path(), &["demo", "."]);
    assert!(output.status.success(), "{}", words(&output.stderr));
    folder
}

#[test]
fn stored_sessions() {
    trycmd::TestCases::new().case("tests/cmd/*.trycmd");
}

/// The shipped lines are what the generator writes, so that neither drifts from the other.
#[test]
fn shipped_lines_are_the_generator_s() {
    let mut csv = Vec::new();
    let totals = pivvel_demo::write_lines(&mut csv, pivvel_demo::LINES, pivvel_demo::SEED).unwrap();
    assert!(csv == pivvel_demo::CSV.as_bytes());
    let folder = demo();
    let output = run(
        folder.path(),
        &[
            "build",
            "lines.csv",
            "--measure",
            "a = sum(amount)",
            "--measure",
            "q = sum(quantity)",
            "--to",
            "-",
        ],
    );
    let text = words(&output.stdout);
    let amount = format!("a,{}.{:02},{}", totals.amount / 100, totals.amount % 100, totals.lines);
    assert!(text.contains(&amount) && text.contains(&format!("q,{},", totals.quantity)), "{text}");
}

/// Every shipped brief can be checked and built, and what a survey suggests works when pasted.
#[test]
fn the_demonstration_works_and_leads_on() {
    let folder = demo();
    for (brief, _) in pivvel_demo::BRIEFS {
        for verb in ["check", "build"] {
            let output = run(folder.path(), &[verb, brief]);
            assert!(output.status.success(), "{brief}: {}", words(&output.stderr));
        }
    }
    let survey = words(&run(folder.path(), &["survey", "lines.csv"]).stdout);
    let suggested = survey.lines().last().unwrap().trim().strip_prefix("pivvel ").unwrap().to_string();
    let program = env!("CARGO_BIN_EXE_pivvel");
    let output = Command::new("sh")
        .current_dir(&folder)
        .arg("-c")
        .arg(format!("{program} {suggested}"))
        .output()
        .unwrap();
    assert!(output.status.success() && words(&output.stdout).contains("Fell Coast"), "{suggested}");
}

/// What was typed can be kept, and gives the same result from the brief, in this folder or another.
#[test]
fn kept_briefs_give_the_same_result() {
    let folder = demo();
    std::fs::create_dir(folder.path().join("kept")).unwrap();
    let typed = [
        "build",
        "lines.csv",
        "--rows",
        "range,article",
        "--columns",
        "sold_on.quarter_of_year",
        "--measure",
        "profit = sum(amount - cost)",
        "--measure",
        "n = count()",
        "--where",
        "channel <> 'staff'",
        "--sort",
        "article by profit desc",
        "--totals",
        "range off, row total before",
        "--tint",
        "profit",
        "--levels",
        "article",
        "--as",
        "order=text",
        "--title",
        "Kept",
        "--to",
        "typed.csv",
        "--save-brief",
    ];
    for brief in ["kept.toml", "kept/kept.toml"] {
        let output = pivvel(folder.path()).args(typed).arg(brief).output().unwrap();
        assert!(output.status.success(), "{}", words(&output.stderr));
        let typed = std::fs::read(folder.path().join("typed.csv")).unwrap();
        std::fs::remove_file(folder.path().join("typed.csv")).unwrap();
        let output = run(folder.path(), &["build", brief]);
        assert!(output.status.success(), "{}", words(&output.stderr));
        assert!(words(&output.stdout).starts_with("Kept\n"));
        assert!(typed == std::fs::read(folder.path().join("typed.csv")).unwrap());
    }
}

/// A brief that is written again, under its own name or another, keeps its comments; it names its lines and files
/// as they are seen from where it is.
#[test]
fn briefs_that_are_written_again() {
    let folder = demo();
    std::fs::create_dir(folder.path().join("kept")).unwrap();
    let (shares, read) =
        (pivvel_demo::BRIEFS, |name: &str| std::fs::read_to_string(folder.path().join(name)).unwrap());
    let (_, earlier) = shares.iter().find(|(name, _)| *name == "yard_kinds.toml").unwrap();
    for name in ["kept.toml", "kept/kept.toml", "yard_kinds.toml", "yard_kinds.toml"] {
        let arguments = ["build", "yard_kinds.toml", "--where", "scenario = 'plan'", "--save-brief", name];
        let output = run(folder.path(), &arguments);
        assert!(output.status.success(), "{}", words(&output.stderr));
        let text = read(name);
        let comments: Vec<&str> = earlier.lines().filter(|line| line.starts_with('#')).collect();
        assert!(!comments.is_empty() && comments.iter().all(|comment| text.contains(comment)), "{text}");
        assert!(text.contains("where   = \"scenario = 'plan'\""), "{text}");
        if !name.contains('/') {
            let gone: Vec<&str> = earlier.lines().filter(|line| !text.contains(line)).collect();
            assert_eq!(gone.len(), 1, "{gone:?}");
        }
        // It is found and runs from there.
        let again = run(folder.path(), &["build", name]);
        assert!(again.status.success() && again.stdout == output.stdout, "{name}: {}", words(&again.stderr));
    }
    // A file that is no brief is not taken for one, and lines are kept as a brief of their own.
    std::fs::write(folder.path().join("other.toml"), "# not = [a brief").unwrap();
    let output = run(folder.path(), &["build", "lines.csv", "--rows", "coast", "--save-brief", "other.toml"]);
    assert!(output.status.success() && read("other.toml").starts_with("source = \"lines.csv\""));
}

/// Standard input and output: lines in, tidy CSV out.
#[test]
fn lines_through_a_pipe() {
    let folder = demo();
    let lines = std::fs::File::open(folder.path().join("lines.csv")).unwrap();
    let arguments = ["build", "-", "--rows", "coast", "--measure", "s = sum(amount)", "--to", "-"];
    let piped = pivvel(folder.path()).args(arguments).stdin(lines).output().unwrap();
    assert!(piped.status.success(), "{}", words(&piped.stderr));
    let mut arguments = arguments;
    arguments[1] = "lines.csv";
    assert_eq!(words(&piped.stdout), words(&run(folder.path(), &arguments).stdout));
}

/// A reader that has had enough ends the work quietly; a full disk is an error, and leaves nothing.
#[test]
fn closed_pipes_and_full_disks() {
    let folder = demo();
    let mut child = pivvel(folder.path())
        .args(["build", "lines.csv", "--rows", "order", "--to", "-", "--quiet"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let output = child.wait_with_output().unwrap();
    assert_eq!((output.status.code(), words(&output.stderr)), (Some(0), String::new()));

    if let Ok(full) = std::fs::OpenOptions::new().write(true).open("/dev/full") {
        let output = pivvel(folder.path()).args(["build", "coasts.toml"]).stdout(full).output().unwrap();
        let told = words(&output.stderr);
        assert!(
            output.status.code() == Some(1) && told.contains("standard output: the disk is full"),
            "{told}"
        );
    }
}

/// Whatever is in a file, there is an answer and no panic.
#[test]
fn no_file_makes_it_panic() {
    let folder = tempfile::tempdir().unwrap();
    let path: PathBuf = folder.path().join("any.csv");
    let mut state = 0x2545_f491_4f6c_dd1du64;
    let mut draw = |below: u64| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state % below
    };
    let pieces: [&[u8]; 14] = [
        b",",
        b"\n",
        b"\"",
        b"k",
        b"1",
        b"-2.5",
        b"\r\n",
        b"2025-01-31",
        b"\xff",
        b"'",
        b";",
        b" ",
        b"\0",
        b"99999999999999999999",
    ];
    for _ in 0..60 {
        let bytes: Vec<u8> = (0..draw(60)).flat_map(|_| pieces[draw(14) as usize].to_vec()).collect();
        std::fs::write(&path, &bytes).unwrap();
        for arguments in [vec!["survey", "any.csv"], vec!["build", "any.csv", "--rows", "k"]] {
            let output = run(folder.path(), &arguments);
            let told = words(&output.stderr);
            assert!(
                output.status.code().is_some_and(|code| code <= 2) && !told.contains("panicked"),
                "{bytes:?}: {told}"
            );
        }
    }
}

/// However many threads work, every brief gives the same bytes.
#[test]
fn threads_do_not_matter() {
    let folder = demo();
    for (name, _) in pivvel_demo::BRIEFS {
        let with = |threads: &str| {
            let output = run(folder.path(), &["build", name, "--threads", threads, "--to", "-"]);
            assert!(output.status.success(), "{}", words(&output.stderr));
            output.stdout
        };
        assert!(with("1") == with("5"), "{name}");
    }
}

/// Ctrl-C ends the work at once; an earlier file stands, and nothing is left beside it.
#[cfg(unix)]
#[test]
fn an_interrupted_run_leaves_nothing_behind() {
    use std::io::Write;
    let folder = tempfile::tempdir().unwrap();
    let earlier = folder.path().join("out.csv");
    std::fs::write(&earlier, "earlier").unwrap();
    let mut child = open_to_signals(folder.path())
        .args(["build", "-", "--rows", "coast", "--measure", "n = count()", "--to", "out.csv"])
        .stdin(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = child.stdin.take().unwrap();
    lines.write_all(b"coast,amount\n").unwrap();
    // More than a pipe holds, so that it is known to be reading when this is written.
    lines.write_all(&b"Fell,1.50\n".repeat(200_000)).unwrap();
    let start = std::time::Instant::now();
    let kill = Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(kill.success());
    let status = child.wait().unwrap();
    assert_eq!(status.code(), Some(130));
    assert!(start.elapsed().as_secs() < 5);
    assert_eq!(std::fs::read_to_string(&earlier).unwrap(), "earlier");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

/// Tints suit the background that a flag names, or the terminal in COLORFGBG.
#[test]
fn backgrounds() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("lines.csv"), "coast,amount\nFell,1\nSkerry,2\n").unwrap();
    let drawn = |variable: &str, more: &[&str]| {
        let arguments =
            ["build", "lines.csv", "--rows", "coast", "--measure", "s = sum(amount)", "--tint", "s"];
        let mut command = pivvel(folder.path());
        command.args(arguments).args(["--color", "always"]).args(more).env("COLORFGBG", variable);
        command.env_remove("NO_COLOR");
        words(&command.output().unwrap().stdout)
    };
    let (light, dark) = (drawn("", &["--background", "light"]), drawn("", &["--background", "dark"]));
    assert!(light.contains("\u{1b}[") && light != dark);
    for (variable, expected) in
        [("", &light), ("0;15", &light), ("15;0", &dark), ("15;default;8", &dark), ("x", &light)]
    {
        assert_eq!(drawn(variable, &[]), *expected, "{variable}");
    }
    assert_eq!(drawn("15;0", &["--background", "light"]), light);
}

/// A terminal of its own for a command: it answers what it is asked as a text says, and prints what the command draws.
const TERMINAL: &str = r#"
import os, pty, select, sys
answers = [answer.encode().decode("unicode_escape").encode("latin-1") for answer in sys.argv[1:3]]
pid, terminal = pty.fork()
if pid == 0:
    os.execv(sys.argv[3], sys.argv[3:])
drawn = b""
while True:
    try:
        part = os.read(terminal, 65536)
    except OSError:
        break
    if not part:
        break
    if b"\x1b]11;?" in part:
        os.write(terminal, answers[0])
    if b"\x1b[c" in part:
        os.write(terminal, answers[1])
    drawn += part
sys.stdout.buffer.write(drawn[drawn.rfind(b"\x1b[c") + 3 if b"\x1b[c" in drawn else 0:])
sys.exit(os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]))
"#;

/// Where nothing else says so, the terminal is asked for the colour of its background; one that is silent is light.
#[test]
fn a_terminal_tells_its_background() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("lines.csv"), "coast,amount\nFell,1\nSkerry,2\n").unwrap();
    let drawn = |answers: [&str; 2], more: &[&str]| {
        let mut command = Command::new("python3");
        command.current_dir(folder.path()).args(["-c", TERMINAL]).args(answers);
        command.arg(env!("CARGO_BIN_EXE_pivvel")).args(["build", "lines.csv", "--rows", "coast"]);
        command.args(["--measure", "s = sum(amount)", "--tint", "s", "--color", "always"]).args(more);
        command.env_remove("NO_COLOR").env_remove("COLORFGBG").env("TERM", "xterm-256color");
        command.output().map(|output| words(&output.stdout))
    };
    let silent = ["", ""];
    let Ok(light) = drawn(silent, &["--background", "light"]) else {
        assert!(std::env::var_os("PIVVEL_REQUIRE_ALL").is_none(), "python3 is not installed");
        return eprintln!("a_terminal_tells_its_background is SKIPPED: python3 is not installed");
    };
    let dark = drawn(silent, &["--background", "dark"]).unwrap();
    assert!(light.contains("\u{1b}[") && light != dark);
    let device = r"\x1b[?62;22c";
    let cases = [
        ([r"\x1b]11;rgb:1c1c/1c1c/1c1c\x1b\\", device], &dark),
        ([r"\x1b]11;rgb:fafa/fafa/f0f0\x1b\\", device], &light),
        // One that does not know the question, and one that knows none.
        (["", device], &light),
        (silent, &light),
    ];
    for (answers, wanted) in cases {
        assert_eq!(drawn(answers, &[]).unwrap(), *wanted, "{answers:?}");
    }
}

/// Completions are scripts that a shell takes, and the manual knows every command and flag.
/// A terminal shows the table of a brief; the views that it leaves out are named.
#[test]
fn views_that_a_terminal_leaves_out() {
    let folder = demo();
    let messages = |arguments: &[&str]| words(&run(folder.path(), arguments).stderr);
    let all = messages(&["build", "board.toml"]);
    assert!(
        all.starts_with("6 views are not drawn on a terminal: Sales by harbour; Sales by quarter; "),
        "{all}"
    );
    assert!(all.ends_with("; add --to page.html to see all on a page\n"), "{all}");
    for (arguments, message) in [
        (&["build", "board.toml", "--quiet"][..], ""),
        (&["build", "coasts.toml"], ""),
        (&["build", "board.toml", "--quiet", "--to", "board.html"], ""),
    ] {
        assert_eq!(messages(arguments), message, "{arguments:?}");
    }
}

#[test]
fn completions_and_manual() {
    let folder = tempfile::tempdir().unwrap();
    for shell in ["bash", "elvish", "fish", "powershell", "zsh"] {
        let output = run(folder.path(), &["shell", shell]);
        assert!(output.status.success() && words(&output.stdout).contains("split-levels"), "{shell}");
    }
    std::fs::write(folder.path().join("it.bash"), run(folder.path(), &["shell", "bash"]).stdout).unwrap();
    let script = "source ./it.bash; COMP_WORDS=(pivvel expl); COMP_CWORD=1; _pivvel pivvel expl pivvel; echo ${COMPREPLY[@]}";
    let output = Command::new("bash").current_dir(folder.path()).args(["-c", script]).output().unwrap();
    assert_eq!(words(&output.stdout).trim(), "explain", "{}", words(&output.stderr));
    for schema in ["brief-schema", "yardsticks-schema"] {
        let output = run(folder.path(), &["shell", schema]);
        assert!(
            words(&output.stdout).contains("\"$schema\": \"https://json-schema.org/draft/2020-12/schema\"")
        );
    }
}

/// Stopped at any moment while it writes, a run leaves the earlier file or the new one, and nothing beside it.
#[test]
#[cfg(unix)]
fn stopped_at_any_moment() {
    let folder = demo();
    let path = folder.path().join("out");
    std::fs::create_dir(&path).unwrap();
    let target = path.join("result.csv");
    let arguments = ["build", "coasts.toml", "--to", "out/result.csv", "--to", "out/page.html"];
    assert!(run(folder.path(), &arguments).status.success());
    let whole = std::fs::read(&target).unwrap();
    let started = std::time::Instant::now();
    assert!(run(folder.path(), &arguments).status.success());
    let usual = started.elapsed();
    for round in 0..100u32 {
        let mut child = open_to_signals(folder.path())
            .args(arguments)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        // From the first moment to a little beyond the last.
        std::thread::sleep(usual * (round * 7_919 % 110) / 100);
        let signal = if round % 2 == 0 { "-TERM" } else { "-INT" };
        let _ = Command::new("kill").args([signal, &child.id().to_string()]).stderr(Stdio::null()).status();
        child.wait().unwrap();
        assert!(std::fs::read(&target).unwrap() == whole, "round {round}");
        let mut names: Vec<String> = std::fs::read_dir(&path)
            .unwrap()
            .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        assert_eq!(names, ["page.html", "result.csv"], "round {round}");
    }
}
