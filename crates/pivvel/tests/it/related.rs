//! Related tables: several keys, tables of tables, every kind of column, lines without a partner.

use pivvel::draw::Layout;
use pivvel::source::{LineSource, ReadOptions, Related, TextSource};
use pivvel::table::tidy;
use pivvel::{Brief, CrossTab, Result};

fn csv(name: &str, text: &str, block_bytes: Option<usize>) -> Box<dyn LineSource> {
    let options = ReadOptions::default().block_bytes(block_bytes);
    Box::new(TextSource::from_reader(name, std::io::Cursor::new(text.to_string()), &options).unwrap())
}

fn keys(keys: &[(&str, &str)]) -> Vec<(String, String)> {
    keys.iter().map(|(a, b)| (a.to_string(), b.to_string())).collect()
}

const LINES: &str = "coast,yard,day,amount\nA,p,2025-01-01,1.00\nA,q,2025-01-02,2.00\nB,p,2025-01-03,4.00\n\
                     B,x,2025-01-04,8.00\n,p,2025-01-05,16.00\nA,p,2025-01-06,32.00\n";
/// The same yard's name on two coasts is two yards.
const YARDS: &str = "place,name,kind,since,berths,share,paid\nA,p,builder,2001-05-01,10,0.5,yes\n\
                     A,q,club,2002-06-01,20,0.25,no\nB,p,repair,,30,,yes\n,p,nobody,2000-01-01,1,1,no\n";
const KINDS: &str = "kind,group\nbuilder,trade\nrepair,trade\nclub,leisure\n";

fn joined(block_bytes: Option<usize>) -> Result<Related<'static>> {
    let by_yard = keys(&[("coast", "place"), ("yard", "name")]);
    let yards = Related::new(
        csv("lines.csv", LINES, block_bytes),
        "yards",
        csv("yards.csv", YARDS, block_bytes),
        &by_yard,
    )?;
    Related::new(Box::new(yards), "kinds", csv("kinds.csv", KINDS, None), &keys(&[("kind", "kind")]))
}

fn values(crosstab: &CrossTab) -> String {
    let shown = tidy(crosstab).map(|row| {
        let members: Vec<&str> = row.members().into_iter().map(|m| m.unwrap_or("*")).collect();
        format!("{}={}", members.join("/"), row.value().map_or(String::new(), |v| v.to_string()))
    });
    shown.collect::<Vec<_>>().join(" ")
}

#[test]
fn tables_of_tables_by_several_keys() {
    let brief = Brief::new().rows(["group", "kind"]).measure(("m", "sum(amount)"));
    for chunk in [None, Some(1), Some(2)] {
        let crosstab = CrossTab::build(&brief, &mut joined(chunk).unwrap()).unwrap();
        let expected = "leisure/*=2.00 leisure/club=2.00 trade/*=37.00 trade/builder=33.00 trade/repair=4.00 /*=24.00 /=24.00 */*=63.00";
        assert_eq!(values(&crosstab), expected);
        // A blank key matches nothing, not even a blank one.
        let unmatched = crosstab.tally().unmatched();
        let told: Vec<(&str, u64, u64)> =
            unmatched.iter().map(|u| (u.table(), u.lines(), u.keys())).collect();
        assert_eq!(told, [("yards", 2, 2), ("kinds", 2, 1)]);
        let notes = Layout::new(&crosstab).notes().join("\n");
        assert!(notes.contains("2 lines found no partner in yards: (blank), B, x"), "{notes}");
    }
}

#[test]
fn every_kind_of_column_is_brought() {
    let brief = Brief::new()
        .rows(["since.year", "paid"])
        .measure(("berths", "max(berths)"))
        .measure(("share", "sum(amount * share)"))
        .filter("paid or berths is blank");
    let crosstab = CrossTab::build(&brief, &mut joined(None).unwrap()).unwrap();
    // Lines without a partner have no berths; what is paid is blank for them, and no member of yes.
    let expected = "2001/*=10 2001/*=16.5000 2001/yes=10 2001/yes=16.5000 /*=30 /*= /yes=30 /yes= /= /= */*=30 */*=16.5000";
    assert_eq!(values(&crosstab), expected);
}

#[test]
fn columns_of_one_name_are_told_apart() {
    let lines = csv("lines.csv", "yard,kind\np,own\n", None);
    let table = csv("yards.csv", "yard,kind\np,theirs\n", None);
    let mut joined = Related::new(lines, "yards", table, &keys(&[("yard", "yard")])).unwrap();
    let brief = Brief::new().rows(["kind", "yards.kind"]).filter("\"yards.kind\" = 'theirs'");
    let crosstab = CrossTab::build(&brief, &mut joined).unwrap();
    assert_eq!(values(&crosstab), "own/*=1 own/theirs=1 */*=1");
}
