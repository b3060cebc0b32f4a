//! Standard input and output in every use, and flags that all commands have.

#![allow(clippy::unwrap_used)]

use std::io::Write;
use std::path::Path;
use std::process::{Command, Output, Stdio};

fn fed(folder: &Path, arguments: &[&str], input: &[u8]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    command.current_dir(folder).env("NO_COLOR", "1").args(arguments);
    let piped = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn();
    let mut child = piped.unwrap();
    // A command that ends early reads no more.
    let _ = child.stdin.take().unwrap().write_all(input);
    child.wait_with_output().unwrap()
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    fed(folder, arguments, b"")
}

fn words(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

fn demo() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    assert!(run(folder.path(), &["demo", "."]).status.success());
    folder
}

/// A brief on standard input is the brief of the same text in a file of this folder.
#[test]
fn a_brief_on_standard_input() {
    let folder = demo();
    let brief = std::fs::read(folder.path().join("coasts.toml")).unwrap();
    let at = ["--at", "coast=Fell Coast"];
    let cases: [(&[&str], &[&str]); 6] = [
        (&["build", "-", "--source", "lines.csv"], &["build", "coasts.toml", "--source", "lines.csv"]),
        (
            &["build", "-", "--source", "lines.csv", "--form", "json"],
            &["build", "coasts.toml", "--form", "json"],
        ),
        (&["check", "-"], &["check", "coasts.toml"]),
        (
            &["lines", "-", at[0], at[1], "--limit", "3"],
            &["lines", "coasts.toml", at[0], at[1], "--limit", "3"],
        ),
        (&["explain", "-", at[0], at[1]], &["explain", "coasts.toml", at[0], at[1]]),
        (
            &["compare", "lines.csv", "lines.csv", "--brief", "-"],
            &["compare", "lines.csv", "lines.csv", "--brief", "coasts.toml"],
        ),
    ];
    for (streamed, named) in cases {
        let (streamed_output, named) = (fed(folder.path(), streamed, &brief), run(folder.path(), named));
        assert!(named.status.success(), "{}", words(&named.stderr));
        assert_eq!(words(&streamed_output.stdout), words(&named.stdout), "{streamed:?}");
        assert_eq!(streamed_output.status.code(), Some(0), "{streamed:?}");
    }
    // A brief that is wrong is reported by its line, and both at once cannot be read.
    let output = fed(folder.path(), &["check", "-"], b"source = \"lines.csv\"\nrow = [\"coast\"]\n");
    assert!(
        words(&output.stderr).starts_with("pivvel: standard input, line 2: unknown key"),
        "{}",
        words(&output.stderr)
    );
    for command in [vec!["build", "-", "--source", "-"], vec!["check", "-", "--source", "-"]] {
        let output = fed(folder.path(), &command, &brief);
        let said = "pivvel: --source: the brief is on standard input; name a file of lines\n";
        assert_eq!((words(&output.stderr).as_str(), output.status.code()), (said, Some(2)), "{command:?}");
    }
}

/// What stands on standard output is what a file of that ending holds.
#[test]
fn standard_output_in_every_form() {
    let folder = demo();
    let commands: [(&[&str], &[&str]); 3] = [
        (&["build", "coasts.toml"], &["csv", "json", "jsonl", "md", "html", "svg"]),
        (&["lines", "coasts.toml", "--at", "coast=Fell Coast"], &["csv", "json", "jsonl", "md", "html"]),
        (&["compare", "coasts.toml", "coasts.toml"], &["csv", "json", "jsonl", "md"]),
    ];
    for (command, forms) in commands {
        for form in forms {
            let file = format!("out.{form}");
            let both = run(folder.path(), &[command, &["--to", &file, "--form", form]].concat());
            let said = run(folder.path(), &[command, &["--to", "-", "--form", form]].concat());
            assert!(both.status.success(), "{command:?}: {}", words(&both.stderr));
            let written = std::fs::read(folder.path().join(&file)).unwrap();
            assert!(
                !written.is_empty() && written == both.stdout && written == said.stdout,
                "{command:?} {form}"
            );
            std::fs::remove_file(folder.path().join(&file)).unwrap();
        }
    }
    let output = run(folder.path(), &["build", "coasts.toml", "--form", "jsno"]);
    assert_eq!(words(&output.stderr), "pivvel: --form jsno: unknown form \"jsno\"; did you mean \"json\"?\n");
}

/// A request that cannot be carried out writes nothing, not even the beginning of a table.
#[test]
fn a_wrong_request_leaves_standard_output_empty() {
    let folder = demo();
    let commands: [&[&str]; 5] = [
        &["lines", "coasts.toml", "--at", "coast=Fell"],
        &["lines", "coasts.toml", "--at", "coast=Fell Coast,harbour=Kittick"],
        &["lines", "coasts.toml", "--at", "total", "--columns", "amont"],
        &["build", "coasts.toml", "--only-levels", "cost"],
        &["compare", "coasts.toml", "tiers.toml"],
    ];
    for (command, form) in
        commands.iter().flat_map(|command| ["csv", "json", "md"].map(|form| (command, form)))
    {
        let output = run(folder.path(), &[command, &["--form", form][..]].concat());
        assert_eq!(
            (output.status.code(), words(&output.stdout).as_str()),
            (Some(2), ""),
            "{command:?} {form}"
        );
    }
}

/// Lines are written to several files, all the same.
#[test]
fn lines_to_several_files() {
    let folder = demo();
    let at = ["lines", "coasts.toml", "--at", "coast=Fell Coast", "--columns", "sold_on,amount"];
    let output =
        run(folder.path(), &[&at[..], &["--to", "a.csv", "--to", "b.csv", "--to", "c.json"]].concat());
    assert!(output.status.success());
    assert_eq!(words(&output.stderr).matches("wrote ").count(), 3);
    assert_eq!(words(&output.stderr).matches(" lines behind ").count(), 1);
    let read = |name: &str| std::fs::read_to_string(folder.path().join(name)).unwrap();
    assert_eq!(read("a.csv"), read("b.csv"));
    let objects: Vec<serde_json::Value> = serde_json::from_str(&read("c.json")).unwrap();
    assert_eq!(objects.len() + 1, read("a.csv").lines().count());
}

/// Tables of several briefs do not follow one another where one table can stand.
#[test]
fn several_briefs_have_one_standard_output() {
    let folder = demo();
    for name in ["a.toml", "b.toml"] {
        let brief =
            "source = \"lines.csv\"\nrows = [\"coast\"]\nto = [\"-\"]\n[measures]\nsales = \"sum(amount)\"\n";
        std::fs::write(folder.path().join(name), brief).unwrap();
    }
    let cases: [(&[&str], &str); 3] = [
        (&["build", "a.toml", "b.toml"], "a.toml and b.toml all write to standard output"),
        (&["build", "coasts.toml", "tiers.toml", "--to", "-"], "2 briefs would all write standard output"),
        (
            &["build", "coasts.toml", "tiers.toml", "--form", "json"],
            "2 briefs would all write standard output",
        ),
    ];
    for (arguments, said) in cases {
        let output = run(folder.path(), arguments);
        assert_eq!(output.status.code(), Some(2));
        assert!(
            words(&output.stderr).contains(said) && output.stdout.is_empty(),
            "{}",
            words(&output.stderr)
        );
    }
    let one = run(folder.path(), &["build", "a.toml", "coasts.toml"]);
    assert!(one.status.success());
}

/// A flag of lines means the same for every command that reads them: what the brief's own key means.
#[test]
fn flags_of_lines_mean_the_same_everywhere() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    // Fields between bars, a code that looks like a number, and a value that is none.
    write(
        "lines.txt",
        "coast|code|amount\nFell, east|1|2.50\nFell, east|2|x\nSkerry|2|4.00\nSkerry|3|5.25\n",
    );
    let keys = "rows = [\"coast\", \"code\"]\n[measures]\nsales = \"sum(amount)\"\nmore = \"sum(amount) * {rise}\"\n";
    write("bare.toml", &format!("{keys}[assumptions]\nrise = \"1\"\n"));
    let said = "bad_values = \"blank\"\nwhere = \"code <> '3'\"\n";
    let kinds = "[kinds]\ncode = \"text\"\namount = \"decimal(2)\"\n";
    write("full.toml", &format!("{said}{keys}[assumptions]\nrise = \"2\"\n{kinds}"));
    let source = ["--source", "lines.txt", "--delimiter", "|"];
    let flags = ["--where", "code <> '3'", "--as", "code=text", "--as", "amount=decimal(2)"];
    let flags = [&flags[..], &["--bad-values", "blank", "--assume", "rise=2"]].concat();
    let at = ["--at", "coast=Skerry"];
    let commands: [(&str, &[&str]); 4] = [
        ("build", &["--form", "csv"]),
        ("check", &[]),
        ("lines", &at),
        ("explain", &[at[0], at[1], "--measure", "more", "--json"]),
    ];
    for (command, own) in commands {
        let by_flags = run(folder.path(), &[&[command, "bare.toml"], own, &source[..], &flags].concat());
        let by_keys = run(folder.path(), &[&[command, "full.toml"], own, &source[..]].concat());
        assert!(by_keys.status.success(), "{command}: {}", words(&by_keys.stderr));
        assert_eq!(words(&by_flags.stdout), words(&by_keys.stdout), "{command}");
        let bare = run(folder.path(), &[&[command, "bare.toml"], own, &source[..]].concat());
        assert_ne!(bare.stdout, by_keys.stdout, "{command}: the flags do something");
    }
    let compare = |brief: &str, flags: &[&str]| {
        let both =
            ["compare", "lines.txt", "lines.txt", "--brief", brief, "--delimiter", "|", "--form", "csv"];
        run(folder.path(), &[&both[..], flags].concat())
    };
    let (by_flags, by_keys) = (compare("bare.toml", &flags), compare("full.toml", &[]));
    assert!(by_keys.status.success(), "{}", words(&by_keys.stderr));
    assert_eq!(words(&by_flags.stdout), words(&by_keys.stdout));
    // A tidy result is what it is.
    assert!(
        run(folder.path(), &[&["build", "full.toml", "--to", "tidy.csv"], &source[..]].concat())
            .status
            .success()
    );
    let output = run(folder.path(), &["compare", "tidy.csv", "tidy.csv", "--where", "code = '1'"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(words(&output.stderr).contains("this is a tidy result"), "{}", words(&output.stderr));
}

/// Formulas of a file are what they are on the command line.
#[test]
fn measures_from_a_file() {
    let folder = demo();
    let text = "# What the board looks at\nsales = sum(amount)\n\nmargin = (sum(amount) - sum(cost))\n    / sum(amount)\n";
    std::fs::write(folder.path().join("measures.txt"), text).unwrap();
    std::fs::write(folder.path().join("empty.txt"), "# nothing\n").unwrap();
    std::fs::write(folder.path().join("wrong.txt"), "takings = quantity * 2\nquantity\n").unwrap();
    let base = ["build", "lines.csv", "--rows", "coast", "--form", "csv"];
    let typed =
        ["--measure", "sales = sum(amount)", "--measure", "margin = (sum(amount) - sum(cost)) / sum(amount)"];
    let (by_file, by_flags) = (
        run(folder.path(), &[&base[..], &["--measure", "@measures.txt"]].concat()),
        run(folder.path(), &[&base[..], &typed].concat()),
    );
    assert!(by_flags.status.success() && by_file.stdout == by_flags.stdout, "{}", words(&by_file.stderr));
    let cases = [
        ("--measure", "@none.txt", "--measure @none.txt: "),
        ("--hidden-measure", "@empty.txt", "--hidden-measure @empty.txt: this file holds no NAME = FORMULA"),
        ("--item", "@empty.txt", "--item @empty.txt: this file holds no DIMENSION: NAME = FORMULA"),
        ("--measure", "@empty.txt", "--measure @empty.txt: this file holds no NAME = FORMULA"),
        ("--derive", "@wrong.txt", "wrong.txt line 2"),
    ];
    for (flag, value, said) in cases {
        let output = run(folder.path(), &[&base[..], &[flag, value]].concat());
        assert!(
            !output.status.success() && words(&output.stderr).contains(said),
            "{}",
            words(&output.stderr)
        );
    }
}

/// Words and colours of a company are those of all that is drawn, and of nothing that is computed on.
#[test]
fn a_look_for_all_that_is_drawn() {
    let folder = demo();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write("logo.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"/>");
    let house = "language = \"de\"\nfonts = \"serif\"\nlogo = { file = \"logo.svg\", words = \"Pellam\" }\n\
                 [palettes]\nwater = \"#7a1f5c\"\nshore = [\"#aa2200\", \"#0022aa\"]\n[words]\ntotal = \"Summe\"\n";
    write("house.toml", house);
    let at = ["--at", "coast=Fell Coast"];
    let commands: [(&[&str], &str); 4] = [
        (&["build", "coasts.toml"], "Summe"),
        (&["lines", "coasts.toml", at[0], at[1], "--limit", "1"], "1873 Zeilen hinter coast=Fell Coast"),
        (&["explain", "coasts.toml", at[0], at[1]], "Die Vergleichswerte"),
        (&["compare", "coasts.toml", "coasts.toml"], "Änderung"),
    ];
    for (command, said) in commands {
        let output = run(folder.path(), &[command, &["--appearance", "house.toml"]].concat());
        assert!(words(&output.stdout).contains(said), "{command:?}: {}", words(&output.stdout));
        let page = run(folder.path(), &[command, &["--appearance", "house.toml", "--to", "p.html"]].concat());
        assert!(page.status.success(), "{}", words(&page.stderr));
        let page = std::fs::read_to_string(folder.path().join("p.html")).unwrap();
        assert!(
            page.contains("<html lang=\"de\">") && page.contains("data:image/svg+xml;base64,"),
            "{command:?}"
        );
    }
    let tidy = |appearance: &[&str]| {
        run(folder.path(), &[&["build", "coasts.toml", "--form", "csv"], appearance].concat()).stdout
    };
    assert_eq!(tidy(&["--appearance", "house.toml"]), tidy(&[]));
    let cases = [
        ("dee", "unknown language \"dee\"; did you mean \"de\"?"),
        ("none.toml", "none.toml: there is no such file"),
        ("logos = 1", "w.toml, line 1: unknown key \"logos\"; did you mean \"logo\"?"),
        ("language = \"fr\"", "unknown language \"fr\""),
        ("[words]\ntotl = \"x\"", "unknown phrase \"totl\"; did you mean \"total\"?"),
        (
            "[words]\n\"no {dimension}\" = \"{dim}\"",
            "unknown name in braces \"dim\"; did you mean \"dimension\"?",
        ),
        ("[palettes]\nwatr = \"#112233\"", "unknown palette \"watr\"; did you mean \"water\"?"),
        (
            "[palettes]\nwater = [\"#112233\", \"#445566\"]",
            "this palette has no middle, so it takes one colour",
        ),
        (
            "[palettes]\nwater = \"redd\"",
            "palettes.water: redd is no colour; write it as CSS does, like #2f6f9f",
        ),
        ("logo = { file = \"lines.csv\", words = \"\" }", "lines.csv is neither SVG nor PNG"),
    ];
    for (text, said) in cases {
        let name = if text.contains(' ') || text.contains('[') { "w.toml" } else { text };
        if name == "w.toml" {
            write(name, text);
        }
        let output = run(folder.path(), &["build", "coasts.toml", "--appearance", name]);
        assert_eq!(output.status.code(), Some(2), "{text}");
        assert!(words(&output.stderr).contains(said), "{text}: {}", words(&output.stderr));
    }
}
