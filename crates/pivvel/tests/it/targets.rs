//! Files by their endings: which there are, what is said of the others, and that every demonstration brief comes
//! back from every tidy form as it was.

use std::path::{Path, PathBuf};

use pivvel::brief::MeasureBrief;
use pivvel::compare::{Comparison, Snapshot, State, read_tidy};
use pivvel::drill::ReportTarget;
use pivvel::result::open_yardsticks;
use pivvel::source::{ReadOptions, TextSource, open_source};
use pivvel::table::{LevelFiles, Target, TargetOptions, beside};
use pivvel::{Brief, Build, CrossTab, brief};

use crate::rewriting::demo;

#[test]
fn endings_say_the_form() {
    let crosstabs =
        ["a.csv", "a.CSV", "b.json", "c.jsonl", "d.md", "e.html", "f.htm", "g.svg", "-", "dir.x/a.csv"];
    for path in crosstabs {
        assert!(Target::new(path).is_ok(), "{path}");
    }
    for path in ["h.parquet", "i.arrow", "j.xlsx", "k.png"] {
        assert!(Target::new(path).is_ok(), "with every feature: {path}");
    }
    for path in ["a.csv", "a.html", "-", "a.md", "a.xlsx"] {
        assert!(ReportTarget::of_rows(path).is_ok(), "{path}");
    }
    for path in ["a.json", "a.html", "-"] {
        assert!(ReportTarget::of_story(path).is_ok(), "{path}");
    }
    for pattern in ["parts", "*.csv", "x-*.parquet", "*.md"] {
        assert!(LevelFiles::new(pattern).is_ok(), "{pattern}");
    }
    let wrong: [(Result<(), pivvel::Error>, &str); 9] = [
        (Target::new("sales").map(drop), "the ending says the form: .html for a page"),
        (Target::new("sales.htlm").map(drop), "did you mean \"html\"?"),
        (Target::new("sales.xls").map(drop), "did you mean \"xlsx\"?"),
        (ReportTarget::of_rows("a.svg").map(drop), "unknown form \"svg\""),
        (ReportTarget::of_rows("a").map(drop), ".csv, .json, .jsonl, .parquet"),
        (ReportTarget::of_story("a.csv").map(drop), "unknown form of a story \"csv\""),
        (ReportTarget::of_story("no/such/a.html").map(drop), "there is no folder no/such to write into"),
        (LevelFiles::new("*.png").map(drop), "one table for each pair of levels"),
        (LevelFiles::new("no/such").map(drop), "there is no folder no to make it in"),
    ];
    for (result, wanted) in wrong {
        let said = result.unwrap_err().to_string();
        assert!(said.contains(wanted), "{said}");
    }
    assert!(Target::new("-").unwrap().is_standard_output());
    assert_eq!(Target::new("a/b.csv").unwrap().path(), Path::new("a/b.csv"));
}

fn built(name: &str, text: &str) -> (Brief, CrossTab) {
    let file = PathBuf::from(name);
    let brief = brief::from_toml(name, text).unwrap();
    let lines = beside(&file, brief.get_source().unwrap());
    let brief = brief.with_files(|own| beside(&file, own).display().to_string());
    let yardsticks = open_yardsticks(&brief).unwrap();
    let mut source = open_source(&lines, &brief, &ReadOptions::default()).unwrap();
    let crosstab = Build::new().yardsticks(&yardsticks).run(&brief, source.as_mut()).unwrap();
    (brief, crosstab)
}

/// That nothing came, went or changed.
fn same(earlier: &Snapshot, later: &Snapshot, name: &str) {
    let compared = Comparison::new(earlier, later, &[]).unwrap_or_else(|e| panic!("{name}: {e}"));
    assert!(!compared.changes().is_empty(), "{name}");
    for change in compared.changes() {
        assert_eq!(change.state(), State::Both, "{name}: {change:?}");
        assert_eq!(change.earlier().is_some(), change.later().is_some(), "{name}: {change:?}");
        assert_eq!(change.lines()[0], change.lines()[1], "{name}: {change:?}");
        assert_eq!(change.ranks()[0], change.ranks()[1], "{name}: {change:?}");
        let moved = change.change().map_or(0.0, |value| value.as_f64());
        assert!(moved.abs() < 1e-9, "{name}: {change:?}");
    }
    for level in compared.levels() {
        assert!(level.came().is_empty() && level.gone().is_empty(), "{name}: {level:?}");
    }
}

#[test]
fn every_brief_comes_back_from_every_form() {
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in demo() {
        let (_, crosstab) = built(&name, &text);
        let own = Snapshot::of("own", &crosstab);
        for form in ["csv", "json", "parquet", "arrow"] {
            let path = folder.path().join(format!("tidy.{form}"));
            Target::new(&path).unwrap().write(&crosstab).unwrap();
            same(&own, &read_tidy(&path).unwrap(), &format!("{name} as {form}"));
        }
        // And each pair of levels by itself, together with the others.
        let written = LevelFiles::new(folder.path().join("level-*.csv"))
            .unwrap()
            .write(&crosstab, &TargetOptions::default())
            .unwrap();
        let mut rows = 0;
        for path in &written {
            rows += csv::Reader::from_path(path).unwrap().records().count();
            std::fs::remove_file(path).unwrap();
        }
        let whole = csv::Reader::from_path(folder.path().join("tidy.csv")).unwrap().records().count();
        assert_eq!((rows, written.len()), (whole, crosstab.level_pairs().len()), "{name}");
        // Drawn forms are files of their own, whole and not empty.
        for form in ["html", "svg", "md"] {
            let path = folder.path().join(format!("drawn.{form}"));
            Target::new(&path).unwrap().write(&crosstab).unwrap();
            let text = std::fs::read_to_string(&path).unwrap();
            let ends = match form {
                "html" => "</html>",
                "svg" => "</svg>",
                _ => "|",
            };
            assert!(
                text.trim_end().ends_with(ends),
                "{name} as {form}: …{}",
                &text[text.len().saturating_sub(40)..]
            );
        }
    }
}

/// What no browser, picture or sheet can hold is refused before a file is begun, with the number and what to do; a
/// table holds it.
#[test]
fn too_large_is_said_before() {
    let folder = tempfile::tempdir().unwrap();
    let lines = |count: usize| {
        let lines = (0..count).map(|i| format!("k{i},{i}\n")).collect::<String>();
        let lines = std::io::Cursor::new(format!("id,amount\n{lines}").into_bytes());
        let mut source = TextSource::from_reader("lines", lines, &ReadOptions::default()).unwrap();
        let sums = (0..12).fold(Brief::new().rows(["id"]), |b, i| {
            b.measure(MeasureBrief::new(format!("s{i}"), "sum(amount)"))
        });
        CrossTab::build(&sums, &mut source).unwrap()
    };
    let error = |crosstab: &CrossTab, name: &str| {
        let path = folder.path().join(name);
        let error = Target::new(&path).unwrap().write(crosstab).unwrap_err().to_string();
        assert!(!path.exists(), "{name}");
        error.split_once(": ").unwrap().1.to_string()
    };
    let large = lines(17_000);
    let page = error(&large, "a.html");
    assert!(
        page.starts_with(
            "this page would have 204,012 cells, and a page holds at most 200,000; show fewer members"
        ),
        "{page}"
    );
    assert!(
        error(&large, "a.svg")
            .starts_with("this picture would have 204,012 cells, and a picture holds at most 100,000")
    );
    let small = lines(8_000);
    Target::new(folder.path().join("b.csv")).unwrap().write(&large).unwrap();
    Target::new(folder.path().join("b.svg")).unwrap().write(&small).unwrap();
    #[cfg(feature = "full")]
    {
        let png = error(&small, "a.png");
        assert!(
            png.contains("pixels, and a PNG holds at most 16000 either way; show fewer members"),
            "{png}"
        );
        let book = error(&lines(90_000), "a.xlsx");
        assert!(
            book.starts_with("the tidy sheet would have 1,080,012 rows, and a sheet has 1,048,576"),
            "{book}"
        );
    }
}
