//! Addresses as people say them, and the tables whose rows they lead to.

use std::collections::{BTreeMap, BTreeSet};

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef};
use pivvel_core::brief::{DimensionBrief, Placement};
use pivvel_core::drill::Address;
use pivvel_core::table::{Shape, TableSpec, tidy};
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support::{batch, days, decimals, source, texts};

type Line = (Option<&'static str>, Option<&'static str>, i32, i128);

const LINES: [Line; 7] = [
    (Some("Fell"), Some("Quay, old"), 19_000, 150),
    (Some("Fell"), Some("Tern"), 19_040, 275),
    (Some("Skerry"), Some("Tern"), 19_100, -100),
    (Some("Skerry"), Some("it's = here"), 19_200, 5),
    (Some("total"), Some(" x "), 19_400, 1_000),
    (None, Some("Lone"), 19_400, 7),
    (Some("Fell"), None, 19_500, 3),
];

fn crosstab(change: impl Fn(Brief) -> Brief) -> CrossTab {
    let columns: [(&str, ArrayRef); 4] = [
        ("coast", texts(LINES.iter().map(|line| line.0))),
        ("harbour", texts(LINES.iter().map(|line| line.1))),
        ("sold_on", days(LINES.iter().map(|line| Some(line.2)))),
        ("amount", decimals(2, LINES.iter().map(|line| Some(line.3)))),
    ];
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("mean", "mean(amount)"));
    CrossTab::build(&change(brief), &mut source(vec![batch(columns)])).unwrap()
}

fn same(brief: Brief) -> Brief {
    brief
}

#[test]
fn addresses_lead_to_cells() {
    let labelled = |mut brief: Brief| {
        let labels = vec![("Fell".to_string(), "The Fell".into())];
        let coast = DimensionBrief::new("coast").label("Shore").labels(labels);
        brief = brief.add_dimension(coast);
        brief
    };
    let crosstab = crosstab(labelled);
    let cases = [
        ("total", "total", "13.40"),
        ("  total ", "total", "13.40"),
        ("coast=Fell", "coast=Fell", "4.28"),
        ("Shore=The Fell", "coast=Fell", "4.28"),
        (" coast = Fell ,", "coast=Fell", "4.28"),
        ("coast='Fell'", "coast=Fell", "4.28"),
        ("coast=", "coast=", "0.07"),
        ("coast=total", "coast=total", "10.00"),
        ("coast=Fell,harbour='Quay, old'", "coast=Fell, harbour='Quay, old'", "1.50"),
        ("harbour=\"Quay, old\"", "coast=Fell, harbour='Quay, old'", "1.50"),
        ("coast=Fell,harbour=", "coast=Fell, harbour=", "0.03"),
        ("harbour='it''s = here'", "coast=Skerry, harbour='it''s = here'", "0.05"),
        ("harbour=' x '", "coast=total, harbour=' x '", "10.00"),
        ("harbour=Lone", "coast=, harbour=Lone", "0.07"),
        ("year=2022", "sold_on.year=2022", "3.30"),
        ("quarter=2022-Q1", "sold_on.year=2022, sold_on.quarter=2022-Q1", "4.25"),
        ("sold_on.year=2023,coast=Fell", "coast=Fell, sold_on.year=2023", "0.03"),
        ("coast=Fell,coast=Fell", "coast=Fell", "4.28"),
    ];
    for (text, wanted, sales) in cases {
        let address: Address = text.parse().unwrap();
        let (row, column) = crosstab.locate(&address).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert_eq!(Address::of(&crosstab, row, column).to_string(), wanted, "{text}");
        let value = crosstab.cell(row, column).and_then(|cell| cell.value(0)).unwrap();
        assert_eq!(value.to_string(), sales, "{text}");
    }
}

#[test]
fn addresses_that_lead_nowhere() {
    let crosstab = crosstab(same);
    let cases = [
        ("coast", "address: coast is not DIMENSION=MEMBER"),
        ("coast='Fell", "address: a quote is open in coast='Fell"),
        ("cost=Fell", "address: unknown dimension \"cost\"; did you mean \"coast\"?"),
        ("coast=Fel", "did you mean \"Fell\"?"),
        ("coast=Fell,harbour=Lone", "Lone"),
        ("harbour=Tern", "Fell"),
        ("coast=Fell,coast=Skerry", "address: coast is named twice"),
        ("year=2021", "2021"),
        ("month=2022-01", "address: unknown dimension \"month\""),
    ];
    for (text, wanted) in cases {
        let found = text.parse::<Address>().and_then(|address| crosstab.locate(&address));
        let said = found.map(|_| ()).unwrap_err().to_string();
        assert!(said.contains(wanted), "{text}: {said}");
    }
}

proptest! {
    /// Whatever names and members are called, an address that is printed is the same when it is read.
    #[test]
    fn addresses_survive_printing(members in prop::collection::vec(("[a-z ,='\"]{1,6}", "\\PC{0,6}|[,='\" ]{0,3}"), 0..4)) {
        let address = members.iter().fold(Address::new(), |address, (name, member)| address.with(name, member));
        let printed = address.to_string();
        let again: Address = printed.parse().unwrap();
        prop_assert_eq!(again.members(), address.members(), "{}", printed);
    }
}

/// Rows of a table as texts by column name.
fn rows(crosstab: &CrossTab, spec: &TableSpec) -> Vec<BTreeMap<String, String>> {
    let table = crosstab.table(spec).unwrap();
    let schema = table.schema().clone();
    let names: Vec<String> = schema.fields().iter().map(|field| field.name().clone()).collect();
    let mut all = Vec::new();
    for batch in table.batches() {
        assert_eq!(batch.schema(), schema);
        let text = |column: usize, row: usize| {
            let array = batch.column(column);
            match array.as_string_opt::<i32>() {
                _ if array.is_null(row) => String::new(),
                Some(texts) => texts.value(row).to_string(),
                None => arrow_text(array, row),
            }
        };
        for row in 0..batch.num_rows() {
            all.push(names.iter().enumerate().map(|(i, name)| (name.clone(), text(i, row))).collect());
        }
    }
    all
}

fn arrow_text(array: &ArrayRef, row: usize) -> String {
    use arrow_array::types::{Date32Type, Decimal128Type, Float64Type, Int64Type, UInt64Type};
    if let Some(array) = array.as_primitive_opt::<Float64Type>() {
        return array.value(row).to_string();
    }
    if let Some(array) = array.as_primitive_opt::<Decimal128Type>() {
        return array.value_as_string(row);
    }
    let whole = array.as_primitive_opt::<Int64Type>().map(|array| array.value(row).to_string());
    let whole =
        whole.or_else(|| array.as_primitive_opt::<UInt64Type>().map(|array| array.value(row).to_string()));
    let whole =
        whole.or_else(|| array.as_primitive_opt::<Date32Type>().map(|array| array.value(row).to_string()));
    whole.unwrap_or_else(|| format!("{:?}", array.slice(row, 1)))
}

/// Every shape holds the same values; kept levels are just those; and the parts of all pairs are the whole.
#[test]
fn shapes_and_levels_hold_the_same() {
    for placement in [Placement::After, Placement::Before, Placement::Off] {
        let crosstab = crosstab(|mut brief| {
            brief = brief.totals([(String::new(), placement)]);
            brief
        });
        let spec = |shape, levels: &[&str]| {
            TableSpec::default().shape(shape).exact(true).levels(levels.iter().copied())
        };
        let all = rows(&crosstab, &spec(Shape::Tidy, &[]));
        assert_eq!(all.len(), tidy(&crosstab).count());
        let cells = rows(&crosstab, &spec(Shape::Cells, &[]));
        assert_eq!(all.len(), 2 * cells.len(), "two measures a cell");
        let place = |row: &BTreeMap<String, String>| -> Vec<String> {
            let keys = ["coast", "harbour", "sold_on.year", "sold_on.quarter", "row_level", "column_level"];
            keys.iter().map(|key| row[*key].clone()).collect()
        };
        for row in &all {
            let own: Vec<_> = cells.iter().filter(|cell| place(cell) == place(row)).collect();
            assert_eq!(own.len(), 1, "{row:?}");
            let number = |text: &str| text.parse::<f64>().ok();
            assert_eq!(number(&own[0][&row["measure"]]), number(&row["value"]), "{row:?}");
            assert_eq!(own[0]["lines"], row["lines"]);
        }
        let mut parts = Vec::new();
        for (name, levels) in crosstab.level_pairs() {
            let levels: Vec<&str> = levels.iter().map(String::as_str).collect();
            let part = rows(&crosstab, &spec(Shape::Tidy, &levels));
            let met: BTreeSet<String> =
                part.iter().map(|row| format!("{} by {}", row["row_level"], row["column_level"])).collect();
            assert_eq!(met.into_iter().collect::<Vec<_>>(), [name], "one pair of levels each");
            parts.extend(part);
        }
        parts.sort();
        let mut whole = all.clone();
        whole.sort();
        assert_eq!(parts, whole, "{placement:?}");
        // An axis of which no level is named is kept whole.
        let coasts = rows(&crosstab, &spec(Shape::Tidy, &["coast"]));
        let wanted = all.iter().filter(|row| row["row_level"] == "coast").count();
        assert!(coasts.iter().all(|row| row["row_level"] == "coast") && coasts.len() == wanted);
        let error = crosstab.table(&spec(Shape::Wide, &["harbor"])).map(|_| ()).unwrap_err().to_string();
        assert!(error.contains("unknown level \"harbor\"; did you mean \"harbour\"?"), "{error}");
    }
}
