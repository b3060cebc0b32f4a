//! What a column holds is settled by all of its values, across files as within one: late spellings are read,
//! codes stay codes, and what has two readings is asked about with both of them.

use std::fs;
use std::path::Path;

use pivvel_core::result::NoticeCode;
use pivvel_core::{Brief, CrossTab};
use pivvel_io::{ReadOptions, Survey, open};

/// The sums of `x` by `a`, or what is wrong; of one file or of several.
fn sums(files: &[&str], kinds: &[(&str, &str)]) -> String {
    let folder = tempfile::tempdir().unwrap();
    for (i, text) in files.iter().enumerate() {
        fs::write(folder.path().join(format!("{i}.csv")), text).unwrap();
    }
    let location = folder.path().join("*.csv").display().to_string();
    let kinds: Vec<_> = kinds.iter().map(|(column, kind)| (column.to_string(), kind.to_string())).collect();
    let options = ReadOptions::default().kinds(kinds);
    let brief = Brief::new().rows(["a"]).measure(("s", "sum(x)"));
    let built = open(&location, &options).and_then(|mut source| CrossTab::build(&brief, source.as_mut()));
    match built {
        Err(error) => format!("error: {error}"),
        Ok(crosstab) => {
            let rows = crosstab.rows();
            let one = |entry: &pivvel_core::result::RowEntry| {
                let labels = rows.labels(*entry);
                let value =
                    crosstab.value(&labels, &[], "s").map_or("blank".into(), |value| value.to_string());
                format!("{}={value}", labels.first().unwrap_or(&"total"))
            };
            rows.entries().iter().map(one).collect::<Vec<_>>().join(" ")
        }
    }
}

/// A heading, so many times one line, then others.
fn late(line: &str, rest: &str) -> String {
    format!("a,x\n{}{rest}", format!("{line}\n").repeat(12_000))
}

#[test]
fn kinds_are_settled_by_all_values() {
    let cases: &[(&str, String, &str)] = &[
        (
            "thousands beside decimals",
            late("p,12.5", "q,\"1,000.25\"\n"),
            "p=150000.00 q=1000.25 total=151000.25",
        ),
        ("a sign", late("p,12.5", "q,$14.50\n"), "p=150000.00 q=14.50 total=150014.50"),
        ("brackets", late("p,12", "q,(5)\n"), "p=144000 q=-5 total=143995"),
        ("codes that begin with a zero", late("123,1", "00123,5\n"), "00123=5 123=12000 total=12005"),
        ("codes with a letter", "a,x\n100,1\n1E2,2\n".into(), "100=1 1E2=2 total=3"),
        (
            "codes of many digits",
            format!("a,x\n{0}1,1\n{0}2,2\n", "1234567890".repeat(4)),
            "12345678901234567890123456789012345678901=1 12345678901234567890123456789012345678902=2 total=3",
        ),
        ("one word alone", "a,x\nN,1\nN,2\n".into(), "N=3 total=3"),
        ("yes and no as they are written", "a,x\nN,1\nY,2\nN,4\n".into(), "N=5 Y=2 total=7"),
        (
            "a point by another column",
            "a,x,y\nN,987,7.5\nS,12.345,8.25\n".into(),
            "N=987.000 S=12.345 total=999.345",
        ),
        (
            "a mark by another column",
            "a;x;y\nN;987;1.234,56\nS;12.345;7,5\n".into(),
            "N=987 S=12345 total=13332",
        ),
    ];
    for (name, text, expected) in cases {
        assert_eq!(sums(&[text], &[]), *expected, "{name}");
    }
}

#[test]
fn two_readings_are_asked_about() {
    let cases: &[(&str, &[&str], &str)] = &[
        (
            "a;x\nN;987\nS;12.345\n",
            &["12.345 may be 12345 or 12.345", "--as 'x=whole' or --as 'x=decimal(3)'"],
            "whole",
        ),
        ("a;x\nN;987\nS;12,345\n", &["12,345 may be 12345 or 12.345"], "decimal(3)"),
        ("a;x\nN;1\nS;2 %\nS;3\nS;4\nS;5\nS;6\n", &["column x: \"2 %\" is not a number"], "text"),
    ];
    for (text, parts, _) in cases {
        let found = sums(&[text], &[]);
        assert!(found.starts_with("error: "), "{text}: {found}");
        parts.iter().for_each(|part| assert!(found.contains(part), "{text}: {found}"));
    }
    assert_eq!(sums(&[cases[0].0], &[("x", "whole")]), "N=987 S=12345 total=13332");
    assert_eq!(sums(&[cases[0].0], &[("x", "decimal(3)")]), "N=987.000 S=12.345 total=999.345");
    let late = late("p,12", "q,\"1,000\"\n");
    assert!(sums(&[&late], &[]).contains("1,000 may be 1000 or 1.000"));
    assert_eq!(sums(&[&late], &[("x", "whole")]), "p=144000 q=1000 total=145000");
}

#[test]
fn short_years_have_one_reading_or_are_asked_about() {
    let cases = [
        ("24-01-03", "24-12-31", Err(["2024-01-03 (year first)", "2003-01-24 (day first)"])),
        ("31.12.24", "01.02.25", Err(["2031-12-24 (year first)", "2024-12-31 (day first)"])),
        ("31.12.99", "01.02.00", Ok("1999-12-31=1 2000-02-01=1 total=2")),
        ("99-12-31", "00-02-01", Ok("1999-12-31=1 2000-02-01=1 total=2")),
        ("2024-01-03", "2024-12-31", Ok("2024-01-03=1 2024-12-31=1 total=2")),
    ];
    for (first, second, expected) in cases {
        let found = sums(&[&format!("a,x\n{first},1\n{second},1\n")], &[]);
        match expected {
            Ok(expected) => assert_eq!(found, expected),
            Err(readings) => readings.iter().for_each(|reading| assert!(found.contains(reading), "{found}")),
        }
    }
}

#[test]
fn files_agree_or_are_refused() {
    assert!(sums(&["a,x\np,$1.50\n", "a,x\np,€2.00\n"], &[]).contains("in € here and in $ in 0.csv"));
    assert_eq!(sums(&["a,x\n123,1\n", "a,x\n00123,2\n"], &[]), "00123=2 123=1 total=3");
    assert_eq!(sums(&["a,x\np,1\n", "a,x\np,2.5\n"], &[]), "p=3.5 total=3.5");
    let later = late("p,12", "q,(5)\n");
    assert_eq!(sums(&["a,x\np,1\n", &later], &[]), "p=144001 q=-5 total=143996");
}

/// Each has a case close to it in which nothing is said.
#[test]
fn a_total_at_the_end_is_noticed() {
    let cases = [
        ("a,b,x\np,,1\nq,,2\nTotal,,3\n", Some("Total, 3")),
        ("a,b,x\np,,1\nq,,2\nGrand total:,,3\n", Some("Grand total:, 3")),
        ("a,b,x\np,u,1\nq,v,2\n,,3\n", Some("3")),
        ("a,b,x\np,,1\nq,,2\nTotality,,3\n", None),
        ("a,b,x\nTotal,,1\nq,,2\n", None),
        ("a,b,x\np,,1\nTotal,,\n", None),
        ("a,b,x\np,,1\n,v,3\n", None),
    ];
    for (text, expected) in cases {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("lines.csv");
        fs::write(&path, text).unwrap();
        let mut source = open(&path.display().to_string(), &ReadOptions::default()).unwrap();
        let brief = Brief::new().rows(["a"]).measure(("s", "sum(x)"));
        let crosstab = CrossTab::build(&brief, source.as_mut()).unwrap();
        let notices = crosstab.notices();
        let notice = notices.iter().find(|notice| notice.code() == NoticeCode::TotalLine);
        assert_eq!(notice.is_some(), expected.is_some(), "{text}");
        notice.into_iter().for_each(|notice| assert!(notice.text().contains(expected.unwrap()), "{notice}"));
        let survey = Survey::read(source.as_mut()).unwrap();
        let notes = survey.notes();
        assert_eq!(
            notes.iter().any(|note| note.contains("looks like a total")),
            expected.is_some(),
            "{text}"
        );
    }
}

#[test]
fn a_file_that_changes_while_it_is_read_is_no_source() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("lines.csv");
    let lines = late("p,1", "");
    let read = |change: &dyn Fn(&Path)| {
        fs::write(&path, &lines).unwrap();
        let mut source = open(&path.display().to_string(), &ReadOptions::default()).unwrap();
        change(&path);
        let brief = Brief::new().rows(["a"]).measure(("s", "sum(x)"));
        CrossTab::build(&brief, source.as_mut())
            .map(|crosstab| crosstab.value(&[], &[], "s").unwrap().to_string())
    };
    assert_eq!(read(&|_| ()).unwrap(), "12000");
    let longer = format!("{lines}p,1\n");
    let error = read(&|path| fs::write(path, &longer).unwrap()).unwrap_err();
    assert!(error.to_string().contains("it changed while it was read"), "{error}");
}
