//! What goes wrong while lines are read: one clear error each, and no result of its first half.

use pivvel::brief::BadValues;
use pivvel::source::{ReadOptions, open};
use pivvel::{Brief, Build, CrossTab};

use crate::forms::{Lines, write};
use crate::server::Server;

pub(crate) fn sales() -> Brief {
    Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"))
}

/// What is told of a location whose sales cannot be added up.
pub(crate) fn error(location: &str) -> String {
    let found = open(location, &ReadOptions::default())
        .and_then(|mut source| CrossTab::build(&sales(), source.as_mut()));
    found.map(|_| ()).unwrap_err().to_string()
}

fn lines() -> Lines {
    let text: String = (0..2_000).map(|i| format!("Coast {},{}.25\n", i % 7, i * 7_919 % 10_007)).collect();
    Lines::read(&format!("coast,amount\n{text}"), &[], BadValues::Stop).unwrap()
}

/// Bytes that are changed anywhere give one error of one line, unless nothing can tell that they were
/// changed; and never a panic.
#[test]
fn damaged_pages_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let location = write(&lines(), "parquet", folder.path());
    let build = || {
        let mut source = open(&location, &ReadOptions::default())?;
        CrossTab::build(&sales(), source.as_mut()).map(|c| c.value(&[], &[], "sales").unwrap().to_string())
    };
    let right = build().unwrap();
    let whole = std::fs::read(&location).unwrap();
    let mut told = 0;
    for at in (4..whole.len() / 2).step_by(257) {
        let mut bytes = whole.clone();
        bytes[at..at + 4].fill(0xff);
        std::fs::write(&location, &bytes).unwrap();
        match build() {
            Ok(_) => {}
            Err(error) => {
                let said = error.to_string();
                assert!(said.starts_with("lines.parquet: ") && !error.is_request(), "{said}");
                told += 1;
            }
        }
    }
    assert!(told > 5, "{told} of them were told");
    std::fs::write(&location, &whole).unwrap();
    assert_eq!(build().unwrap(), right);
}

/// Headings over several columns are no headings; the range that begins with the real ones has them.
#[test]
fn merged_headings_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("report.xlsx");
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    sheet.merge_range(1, 1, 1, 2, "Sales of May", &rust_xlsxwriter::Format::new()).unwrap();
    for (row, (coast, amount)) in [("coast", ""), ("Fell", "10.5"), ("Skerry", "9.95")].iter().enumerate() {
        sheet.write_string(2 + row as u32, 1, *coast).unwrap();
        match amount.parse::<f64>() {
            Ok(number) => sheet.write_number(2 + row as u32, 2, number).unwrap(),
            Err(_) => sheet.write_string(2 + row as u32, 2, "amount").unwrap(),
        };
    }
    book.save(&path).unwrap();
    let location = path.display().to_string();
    assert_eq!(
        error(&location),
        "report.xlsx, sheet Sheet1: row 2 has the headings, and column C has none; where headings are merged or \
         stand lower, name the range that begins with their row, as in report.xlsx#range=B3:"
    );
    let mut source = open(&format!("{location}#range=B3:"), &ReadOptions::default()).unwrap();
    let crosstab = CrossTab::build(&sales(), source.as_mut()).unwrap();
    assert_eq!(crosstab.value(&[], &[], "sales").unwrap().to_string(), "20.45");
}

#[test]
fn a_wrong_password_is_told_and_not_shown() {
    let Some(server) = Server::guarded() else { return };
    let address = |password: &str| server.address().replace("oracle@", &format!("oracle:{password}@"));
    let said = error(&address("hush"));
    assert!(said.contains("the server refused the connection: password authentication failed"), "{said}");
    assert!(!said.contains("hush"), "{said}");
    let said = error(&address("right"));
    assert!(said.ends_with("there is no table in this database"), "{said}");
}

/// A server that goes away while its lines are read, and one that takes too long.
#[test]
fn a_lost_connection_is_told() {
    let Some(server) = Server::start() else { return };
    server.answer(
        "create table lines (coast text, amount numeric(9, 2)); insert into lines select 'Coast ' || g % 7, g \
         % 1000 from generate_series(1, 600000) g; create table one (coast text, amount numeric(9, 2));",
    );
    let location = |table: &str| format!("{}#table={table}", server.address());
    let slow = server.address() + "&options=-c%20statement_timeout%3D1#table=lines";
    let said = error(&slow);
    // The server mixes up its own timer with a user's request now and then.
    assert!(said.contains("the server says: canceling statement due to "), "{said}");
    // Sessions are read-only.
    let mut source = open(&location("one"), &ReadOptions::default()).unwrap();
    let insert = pivvel::source::Statement::new("insert into one values ('x', 1)", Vec::new());
    let said = source.pushdown().unwrap().ask(&insert, &mut |_| Ok(())).unwrap_err().to_string();
    assert!(said.ends_with("cannot execute INSERT in a read-only transaction"), "{said}");
    let mut source = open(&location("lines"), &ReadOptions::default()).unwrap();
    let brief = Brief::new().rows(["coast", "amount"]).measure(("n", "count()"));
    let said = Build::new().memory(100 << 10).run(&brief, source.as_mut()).unwrap_err().to_string();
    assert!(said.contains("the groups do not fit in 100 KiB") && said.contains("amount alone has"), "{said}");
    let mut server = Some(server);
    let found = source.scan(&[0, 1], &mut |_| {
        drop(server.take());
        Ok(())
    });
    let said = found.unwrap_err().to_string();
    assert!(said.contains("postgresql://oracle@") && said.contains("the connection was lost: "), "{said}");
}

/// Groups that do not fit in memory stop the run early and name the dimension that is to blame.
#[test]
fn groups_that_do_not_fit_are_told() {
    let mut csv = Vec::new();
    pivvel_demo::write_large(&mut csv, 200_000, pivvel_demo::SEED).unwrap();
    let run = |rows: &[&str], measure: &str, mebibytes: usize| {
        let text = std::io::Cursor::new(csv.clone());
        let mut source =
            pivvel::source::TextSource::from_reader("lines", text, &ReadOptions::default()).unwrap();
        let brief = Brief::new().rows(rows.iter().copied()).measure(("m", measure));
        Build::new().memory(mebibytes << 20).run(&brief, &mut source).map(drop)
    };
    run(&["coast", "harbour", "agent"], "sum(amount)", 4).unwrap();
    // A median keeps its values, in eight bytes each.
    run(&["coast"], "median(amount)", 4).unwrap();
    for (rows, measure, dimension) in [
        (&["coast", "order"][..], "sum(amount)", "order"),
        (&["coast"][..], "distinct(order)", "order"),
        (&["order", "yard", "sold_on"][..], "sum(amount)", "order"),
    ] {
        let said = run(rows, measure, 4).unwrap_err().to_string();
        assert!(said.starts_with("memory: the groups do not fit in 4 MiB: after "), "{said}");
        assert!(said.contains(&format!("and {dimension} alone has ")), "{said}");
    }
    let said = run(&["coast"], "median(amount)", 1).unwrap_err().to_string();
    assert!(said.contains("do not fit in 1 MiB"), "{said}");
}

/// A stray cell far from the lines takes no memory: it is told, or it is a line like others. Content that is broken
/// off within a table is an error, and no wait without end.
#[test]
fn stray_cells_and_broken_content_of_workbooks() {
    let folder = tempfile::tempdir().unwrap();
    let stray = |row: u32, column: u16| {
        let path = folder.path().join(format!("stray {row} {column}.xlsx"));
        let mut book = rust_xlsxwriter::Workbook::new();
        let sheet = book.add_worksheet();
        for (row, (coast, amount)) in [("coast", "amount"), ("Fell", "10.5")].iter().enumerate() {
            sheet.write_string(row as u32, 0, *coast).unwrap();
            sheet.write_string(row as u32, 1, *amount).unwrap();
        }
        sheet.write_string(row, column, "1").unwrap();
        book.save(&path).unwrap();
        path.display().to_string()
    };
    for (row, column, letters) in [(199_999, 499, "SF"), (1_048_575, 16_383, "XFD")] {
        let message = format!("row 1 has the headings, and column {letters} has none; ");
        assert!(error(&stray(row, column)).contains(&message), "{letters}");
    }
    let mut source = open(&stray(1_048_575, 1), &ReadOptions::default()).unwrap();
    let crosstab = CrossTab::build(&sales(), source.as_mut()).unwrap();
    assert_eq!(crosstab.value(&[], &[], "sales").unwrap().to_string(), "11.5");
    assert_eq!(crosstab.tally().empty_lines(), 1_048_573);
    let small = ReadOptions::default().sheet_bytes(150);
    let said = open(&stray(1_048_575, 1), &small).err().unwrap().to_string();
    assert!(said.contains("the cells of this sheet do not fit in 1 KiB; save it as .csv, "), "{said}");

    let cell = |text: &str| {
        format!("<table:table-cell office:value-type=\"string\"><text:p>{text}</text:p></table:table-cell>")
    };
    let row = |cells: &str| format!("<table:table-row>{cells}</table:table-row>");
    let lines = row(&(cell("coast") + &cell("amount"))) + &row(&(cell("Fell") + &cell("10.5")));
    let far = format!(
        "{lines}<table:table-row table:number-rows-repeated=\"1048000\"><table:table-cell/></table:table-row>{}",
        row(&format!("<table:table-cell table:number-columns-repeated=\"16000\"/>{}", cell("1")))
    );
    let path = folder.path().join("lines.ods");
    let location = path.display().to_string();
    crate::forms::write_ods(&path, &far, 0);
    assert_eq!(
        error(&location),
        "lines.ods: a sheet spans 1048003 rows and 16001 columns, most of whose cells are empty: delete the rows and \
         columns beyond the lines, or save it as .csv"
    );
    crate::forms::write_ods(&path, &lines, 0);
    assert!(open(&location, &ReadOptions::default()).is_ok());
    for lacks in [1, 30, 90, 150, 260] {
        crate::forms::write_ods(&path, &lines, lacks);
        assert!(error(&location).starts_with("lines.ods: this workbook cannot be read: "), "{lacks}");
    }
}
