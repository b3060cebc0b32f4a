//! CSV as it comes: dialects, kinds, and what does not fit.

use std::io::Cursor;

use pivvel_core::brief::BadValues;
use pivvel_core::result::EntryKind;
use pivvel_core::source::LineSource;
use pivvel_core::table::tidy;
use pivvel_core::{Brief, Build, CrossTab, Result};
use pivvel_io::{ReadOptions, Source, Survey, TextSource, abandon_writing, write_whole};

fn open(bytes: &[u8], options: ReadOptions) -> Result<TextSource> {
    TextSource::from_reader("x.csv", Cursor::new(bytes.to_vec()), &options)
}

/// Members of column k with the sum of column v, as `a=1 b=2`, and the lines dropped as empty.
fn read(bytes: &[u8], block_bytes: Option<usize>) -> Result<(String, u64)> {
    let mut source = open(bytes, ReadOptions::default().block_bytes(block_bytes))?;
    let brief = Brief::new().rows(["k"]).measure(("v", "sum(v)"));
    let crosstab = CrossTab::build(&brief, &mut source)?;
    let shown = tidy(&crosstab).filter(|row| row.kinds()[0] == EntryKind::Member).map(|row| {
        let value = row.value().map_or(String::new(), |v| v.to_string());
        format!("{}={value}", row.members()[0].unwrap_or_default())
    });
    Ok((shown.collect::<Vec<_>>().join(" "), crosstab.tally().empty_lines()))
}

#[test]
fn dialects() {
    let cases: &[(&[u8], &str, u64)] = &[
        (b"k,v\na,1\nb,2\n", "a=1 b=2", 0),
        (b"k,v\na,1\nb,2", "a=1 b=2", 0),
        (b"k,v\r\na,1\r\nb,2\r\n", "a=1 b=2", 0),
        (b"k,v\r\n\r\na,1\r\n\r\n", "a=1", 2),
        (b"k,v\ra,1\rb,2\r", "a=1 b=2", 0),
        (b"\xef\xbb\xbfk,v\na,1\n", "a=1", 0),
        (b"k;v\na;1,5\nb;2,25\n", "a=1.50 b=2.25", 0),
        (b"k\tv\na\t1\n", "a=1", 0),
        (b"k|v\na|1\n", "a=1", 0),
        (b"v,k\n1,\"x, y\"\n2,\"say \"\"hi\"\"\"\n", "say \"hi\"=2 x, y=1", 0),
        (b"k,v\n\"two\nlines\",1\n\"three\r\n\r\nlines\",2\n", "three\r\n\r\nlines=2 two\nlines=1", 0),
        (b"k,v\n\n\na,1\n\n", "a=1", 3),
        (b"k,v\n\na,1\n,\n\"\",\"\"\n\n", "a=1", 4),
        (b"k,v\na,1\n,7\n", "a=1 =7", 0),
        (b" k , v \na,1\n", "a=1", 0),
        (b"k,v,v\na,1,9\n", "a=1", 0),
        (b"k,,v\na,x,1\n", "a=1", 0),
        ("k,v\nä€😀,1\n".as_bytes(), "ä€😀=1", 0),
        (b"k,v\na,\"1,000\"\nb,\"1,234,567\"\n", "a=1000 b=1234567", 0),
        (b"k,v\na,1.000.000\nb,0\n", "a=1000000 b=0", 0),
        (b"k,v\na,$1.50\nb,-$2\n", "a=1.50 b=-2.00", 0),
        (b"k,v\na,1e3\nb,2.5e-1\n", "a=1000 b=0.25", 0),
        (b"k,v\na,12345678901234567890\n", "a=12345678901234567890", 0),
    ];
    for (bytes, expected, empty) in cases {
        for chunk in [None, Some(1), Some(2)] {
            let found = read(bytes, chunk).unwrap_or_else(|e| panic!("{e}"));
            assert_eq!(found, (expected.to_string(), *empty), "{:?}", String::from_utf8_lossy(bytes));
        }
    }
}

#[test]
fn files_that_are_refused() {
    let cases: &[(&[u8], &str)] = &[
        (b"", "x.csv: the file is empty; a heading with the columns' names is expected"),
        (b"\n\r\n", "x.csv: the file is empty; a heading with the columns' names is expected"),
        (b"k\0v", "x.csv: this is not a text file: it holds zero bytes"),
        (b"\xff\xfek\0", "x.csv: the text is encoded as UTF-16; save it as UTF-8"),
        (b"k\xe4,v\n", "x.csv: the heading is not encoded as UTF-8; save the file as UTF-8"),
        (
            b"k,v\n\xe4,1\n",
            "x.csv, line 2, column k: the text is not encoded as UTF-8; save the file as UTF-8",
        ),
        (
            b"k,v\na,1\nb,2,3\nc\n",
            "x.csv: values do not fit the kind of the column\n  line 3: it has 3 fields where the heading has 2\n  \
             line 4: it has 1 fields where the heading has 2\nsay --bad-values blank to go on without them",
        ),
        (
            b"k,v\na,1\n\"b,2\nc,3\nd,4\n",
            "x.csv: a value does not fit the kind of the column\n  line 3: it has 1 fields where the heading has 2, \
             over 4 lines of text: is a quote not closed?\nsay --bad-values blank to go on without them",
        ),
    ];
    for (bytes, message) in cases {
        let error = read(bytes, None).map(|_| ()).unwrap_err();
        assert_eq!(error.to_string(), *message, "{:?}", String::from_utf8_lossy(bytes));
        assert!(!error.is_request());
    }
}

/// Kinds are found from the data, and said as a flag would say them.
#[test]
fn kinds_are_found() {
    let cases = [
        ("1\n2\n", "whole"),
        ("007\n008\n", "text"),
        ("1.5\n2\n", "decimal(1)"),
        ("1.50\n2.25\n", "decimal(2)"),
        ("1e3\n2\n", "float"),
        ("yes\nno\n", "yesno"),
        ("true\nfalse\n", "yesno"),
        ("2025-01-31\n2025-02-01\n", "date"),
        ("31.12.2025\n01.02.2025\n", "date"),
        ("12/31/2025\n01/02/2025\n", "date"),
        ("31 Jan 2025\n1 Feb 2025\n", "date"),
        ("January 31 2025\n1 march 2025\n3-Apr-2025\n", "date"),
        ("a\n1\n", "text"),
        ("\n", "text"),
    ];
    for (values, kind) in cases {
        let values: String = values.lines().map(|value| format!("x,{value}\n")).collect();
        let source = open(format!("k,v\n{values}").as_bytes(), ReadOptions::default()).unwrap();
        assert_eq!(source.columns()[1].kind().kind().to_string(), kind, "{values}");
    }
}

/// A kind that the first lines did not need is found later: a file is read again, a stream says so.
#[test]
fn kinds_that_widen_late() {
    let mut text = String::from("k,v\n");
    (0..20_000).for_each(|_| text += "a,1\n");
    let wider = format!("{text}b,0.125\n");
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("late.csv");
    std::fs::write(&path, &wider).unwrap();
    let brief = Brief::new().rows(["k"]).measure(("v", "sum(v)"));
    let mut file = TextSource::open(&path, &ReadOptions::default()).unwrap();
    let crosstab = CrossTab::build(&brief, &mut file).unwrap();
    assert_eq!(crosstab.value(&[], &[], "v").unwrap().to_string(), "20000.125");
    let error = read(wider.as_bytes(), None).unwrap_err().to_string();
    assert!(
        error.starts_with("x.csv, line 20002: the first lines of column v hold whole numbers"),
        "{error}"
    );
    assert!(error.ends_with("give it the kind decimal(3)"), "{error}");
}

#[test]
fn misfits_are_listed_ten_at_once_or_blank() {
    let mut text = String::from("k,v\n");
    (0..30).for_each(|i| text += &format!("a,{}\n", if i % 2 == 0 { "1.00" } else { "one" }));
    let kinds = vec![("v".to_string(), "decimal(2)".to_string())];
    let run = |bad_values| {
        let options = ReadOptions::default().kinds(kinds.clone()).bad_values(bad_values);
        let mut source = open(text.as_bytes(), options)?;
        CrossTab::build(&Brief::new().measure(("v", "sum(v)")), &mut source)
    };
    let error = run(BadValues::Stop).unwrap_err().to_string();
    assert_eq!(error.matches("is not a number of at most 2 decimals").count(), 10, "{error}");
    assert!(
        error.contains("line 3, column v: \"one\"") && error.contains("these are the first ten"),
        "{error}"
    );
    let crosstab = run(BadValues::Blank).unwrap();
    assert_eq!(crosstab.tally().blanked(), 15);
    assert_eq!(crosstab.value(&[], &[], "v").unwrap().to_string(), "15.00");
}

#[test]
fn surveys_see_what_goes_wrong() {
    let text = "yard,amount,sold_on,note\nTernhaven Slip,1.50,03/04/2025,\nTernhaven Slip,2.00,05/06/2025,\n\
                Ternhaven slip,n/a,03/04/2025,\nTernhaven Slip,2.25,03/04/2025,\n";
    let mut source = open(text.as_bytes(), ReadOptions::default()).unwrap();
    let survey = Survey::read(&mut source).unwrap();
    let warnings: Vec<String> = survey
        .columns()
        .iter()
        .flat_map(|c| c.warnings().iter().map(|w| format!("{}: {w}", c.name())))
        .collect();
    let expected = [
        "yard: \"Ternhaven Slip\" (3 lines) and \"Ternhaven slip\" (1) may be one member in two spellings",
        "amount: 3 of 4 values are numbers, the others are not: \"n/a\" (line 4); it is taken as text",
        "sold_on: dates of column sold_on can be read in several ways: 03/04/2025 may be 2025-04-03 (day first) or",
        "note: it holds nothing at all",
    ];
    assert_eq!(warnings.len(), expected.len(), "{warnings:#?}");
    expected.iter().zip(&warnings).for_each(|(e, w)| assert!(w.starts_with(e), "{w}"));
    assert!(warnings[1].ends_with("unless you add --as 'amount=decimal(2)'"), "{}", warnings[1]);
    assert_eq!((survey.lines(), survey.columns()[3].blanks(), survey.columns()[0].distinct()), (4, 4, 2));
}

/// A column can be read again only where the source can.
#[test]
fn streams_are_read_once() {
    let mut source = open(b"k,v\na,1\n", ReadOptions::default()).unwrap();
    source.scan(&[0], &mut |_| Ok(())).unwrap();
    let error = source.scan(&[0], &mut |_| Ok(())).unwrap_err();
    assert_eq!(error.to_string(), "x.csv: a stream can be read only once");
}

/// What cannot be written leaves the earlier file as it was, and nothing beside it.
#[test]
fn an_earlier_file_stands_until_the_new_one_is_whole() {
    use std::io::Write;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out.csv");
    write_whole(&path, |out| out.write_all(b"first")).unwrap();
    let full = |out: &mut (dyn Write + Send)| {
        out.write_all(b"half of the sec")?;
        Err(std::io::Error::from(std::io::ErrorKind::StorageFull))
    };
    let error = write_whole(&path, full).unwrap_err();
    assert_eq!(error.to_string(), format!("{}: the disk is full", path.display()));
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "first");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
    // A program that is told to end in the middle takes with it what is half written.
    let stopped = |out: &mut (dyn Write + Send)| {
        out.write_all(b"half of the third")?;
        // Where files can be without a name, the half has none.
        assert!(std::fs::read_dir(folder.path())?.count() <= 2);
        abandon_writing();
        assert_eq!(std::fs::read_dir(folder.path())?.count(), 1);
        Ok(())
    };
    write_whole(&path, stopped).unwrap_err();
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "first");
    let nowhere = folder.path().join("gone/out.csv");
    let error = write_whole(&nowhere, |out| out.write_all(b"x")).unwrap_err();
    assert!(error.to_string().ends_with("there is no such folder to write into"), "{error}");
    assert!(
        write_whole(folder.path(), |out| out.write_all(b"x")).unwrap_err().to_string().contains("a folder")
    );
}

/// The error about a value names its line of the file, however short lines are, and whatever ends and quotes them.
#[test]
fn lines_are_counted_however_short_they_are() {
    let brief = Brief::new().measure(("v", "sum(v)"));
    for (end, quoted) in [("\n", 0), ("\r\n", 0), ("\r", 0), ("\n", 700), ("\r\n", 3), ("\n", 1)] {
        for wrong in [17, 3_000, 9_998] {
            let mut text = format!("v{end}");
            for i in 0..10_000 {
                let value = if i == wrong { "x" } else { "7" };
                let is_quoted = quoted > 0 && i % quoted == quoted / 2;
                text += &if is_quoted { format!("\"{value}\"{end}") } else { format!("{value}{end}") };
            }
            // Several blocks, each of many lines.
            let options = ReadOptions::default().block_bytes(6_000);
            let mut source = open(text.as_bytes(), options).unwrap();
            let error = CrossTab::build(&brief, &mut source).unwrap_err().to_string();
            let line = format!("line {},", wrong + 2);
            assert!(error.contains(&line), "{line} {end:?} {quoted}: {error}");
        }
    }
}

/// A heading and lines that are longer than most, of many columns.
#[test]
fn many_columns_with_long_names() {
    for (columns, delimiter) in [(2, ';'), (63, ','), (64, ';'), (65, '\t'), (400, ';')] {
        let line = |field: &dyn Fn(usize) -> String| {
            (0..columns).map(field).collect::<Vec<_>>().join(&delimiter.to_string())
        };
        let name = |i: usize| format!("{} {i}", "the pieces of a coast ".repeat(4 + 400 / columns));
        let text = format!("{}\n{}\n{}\n", line(&name), line(&|i| i.to_string()), line(&|i| format!("{i}0")));
        for whole in [&text[..], text.trim_end()] {
            let mut source = open(whole.as_bytes(), ReadOptions::default()).unwrap();
            assert_eq!(source.schema().fields().len(), columns);
            let last = columns - 1;
            let brief = Brief::new().measure(("v", &format!("sum(\"{}\")", name(last))[..]));
            let crosstab = CrossTab::build(&brief, &mut source).unwrap();
            assert_eq!(crosstab.value(&[], &[], "v").unwrap().to_string(), (last * 11).to_string());
        }
    }
}

/// What is wrong is told the same however many threads find it, in the order of the lines.
#[test]
fn errors_do_not_depend_on_threads() {
    let brief = Brief::new().rows(["k"]).measure(("v", "sum(v)"));
    for step in [3, 70, 500, 1_900] {
        let mut text = String::from("k,v\n");
        for i in 0..2_000 {
            let value = match i % step {
                2 => "one".to_string(),
                // Wider than what most are, in some of the texts.
                1 if step == 500 && i > 1_400 => "1.125".into(),
                _ => format!("{i}.25"),
            };
            text +=
                &if i % 97 == 96 { format!("\"a \"\"b\"\"\",{value}\n\n") } else { format!("a,{value}\n") };
            text += if i == 1_000 && step == 1_900 { "a,b,c\n" } else { "" };
        }
        let run = |threads: usize, block_bytes: usize| {
            let options = ReadOptions::default().block_bytes(block_bytes);
            let mut source = open(text.as_bytes(), options).unwrap();
            Build::new().threads(threads).run(&brief, &mut source).map(drop).unwrap_err().to_string()
        };
        let expected = run(1, 1 << 20);
        for threads in [1, 2, 4] {
            for block_bytes in [1, 50, 1_000] {
                assert_eq!(run(threads, block_bytes), expected, "{threads} threads, {block_bytes} bytes");
            }
        }
    }
}
