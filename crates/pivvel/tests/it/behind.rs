//! The lines behind cells: found for any address, they add up to the cell, in a sum of their own here.

use std::io::Cursor;

use arrow_array::RecordBatch;
use arrow_array::cast::AsArray;
use arrow_array::types::Decimal128Type;
use pivvel::brief::{TierBrief, TopBrief, TotalsOf};
use pivvel::drill::{Address, LineOrder, LinesBehind, Tied, Trace};
use pivvel::result::{ColumnEntry, EntryKind, RowEntry};
use pivvel::source::{LineSource, ReadOptions, TextSource};
use pivvel::{Brief, Build, CrossTab, Result, Value};

use crate::draw::Draw;

const ROWS: [&[&str]; 6] = [
    &["coast", "harbour", "yard"],
    &["range", "article"],
    &["size", "yard"],
    &["agent", "sold_on.quarter", "sold_on.month"],
    &["channel", "sold_on.weekday"],
    &["large", "range"],
];

const COLUMNS: [&[&str]; 4] = [&["scenario"], &["sold_on.year", "scenario"], &["channel"], &[]];

const CONDITIONS: [&str; 4] =
    ["", "amount > 100", "size <> 'small'", "sold_on >= '2024-02-11' and cost is not blank"];

/// A brief with tiers, items, members that are gathered, hidden or dropped, as a seed has it.
fn brief(draw: &mut Draw) -> Brief {
    let rows = draw.of(&ROWS);
    let columns = draw.of(&COLUMNS).iter().filter(|name| !rows.contains(*name));
    let mut brief = Brief::new()
        .rows(rows.iter().copied())
        .columns(columns.copied())
        .measure(("sales", "sum(amount)"))
        .measure(("margin", "sum(amount - cost) / sales"))
        .measure(("share", "sales / sales at parent"))
        .measure(("yards", "distinct(yard)"))
        .measure(("typical", "median(amount)"))
        .measure(("price", "mean(\"unit price\" weighted by quantity)"))
        .measure(("per yard", "mean(sum(amount) per yard)"))
        .derive("large", "case when quantity > 5 then 'many' else 'few' end")
        .tier(
            TierBrief::new("size", "yard", "sum(amount)")
                .cuts([1000, 4000])
                .labels(["small", "middle", "large"]),
        );
    let condition = draw.of(&CONDITIONS);
    if !condition.is_empty() {
        brief = brief.filter(condition);
    }
    if brief.get_columns().iter().any(|name| name == "scenario") {
        brief = brief.item("scenario", "variance", "actual - plan");
    }
    let picked = draw.of(rows);
    brief.dimension(picked, |own| match draw.below(4) {
        0 => own.top(TopBrief::new(2, "sales").others("All others").overall(true)),
        1 => own.having("sales > 2000"),
        2 => own.having("sales > 2000").totals_of(TotalsOf::Shown),
        _ => own,
    })
}

fn lines_behind(trace: &Trace, wanted: &LinesBehind, lines: &[u8]) -> Result<(Tied, Vec<RecordBatch>)> {
    let mut found = Vec::new();
    let tied = trace.lines(wanted, &mut source(lines), &mut |batch| {
        found.push(batch);
        Ok(())
    })?;
    Ok((tied, found))
}

fn source(lines: &[u8]) -> TextSource {
    TextSource::from_reader("lines", Cursor::new(lines.to_vec()), &ReadOptions::default()).unwrap()
}

/// The sum of a money column, by loops.
fn sum(batches: &[RecordBatch], column: &str) -> i128 {
    let of = |batch: &RecordBatch| {
        let array = batch.column_by_name(column).unwrap().as_primitive::<Decimal128Type>().clone();
        array.iter().flatten().sum::<i128>()
    };
    batches.iter().map(of).sum()
}

fn hundredths(value: Option<Value>) -> i128 {
    match value {
        Some(Value::Exact(number)) if number.scale() == 2 => number.digits(),
        None => 0,
        other => panic!("{other:?} is no money"),
    }
}

/// Any cell of a cross-tab.
fn any_cell(crosstab: &CrossTab, draw: &mut Draw) -> (RowEntry, ColumnEntry) {
    let cells: Vec<_> = crosstab.cells().map(|cell| (cell.row(), cell.column())).collect();
    cells[draw.below(cells.len())]
}

/// Totals, members, blanks, tiers, members taken together and calculated ones.
#[test]
fn lines_of_any_cell_add_up_to_it() {
    let mut lines = Vec::new();
    pivvel_demo::write_lines(&mut lines, 400, 11).unwrap();
    let (mut cells, mut calculated, mut others, mut blank) = (0, 0, 0, 0);
    for seed in 1..=50 {
        let mut draw = Draw::new(seed);
        let brief = brief(&mut draw);
        let trace =
            Build::new().trace(&brief, &mut source(&lines)).unwrap_or_else(|e| panic!("seed {seed}: {e}"));
        let crosstab = trace.crosstab();
        for _ in 0..5 {
            if crosstab.cells().count() == 0 {
                continue;
            }
            let (row, column) = any_cell(crosstab, &mut draw);
            let cell = crosstab.cell(row, column).unwrap();
            let address = Address::of(crosstab, row, column);
            // What is written can be read, and leads back.
            let address: Address = address.to_string().parse().unwrap();
            assert_eq!(crosstab.locate(&address).unwrap(), (row, column), "seed {seed}: {address}");
            let (tied, found) = lines_behind(&trace, &LinesBehind::of(address.clone()), &lines).unwrap();
            let place = format!("seed {seed}, {address}: {tied:?}");
            let given: usize = found.iter().map(RecordBatch::num_rows).sum();
            assert!(tied.holds(), "{place}");
            assert_eq!(
                (tied.lines(), tied.given(), given as u64),
                (cell.lines(), cell.lines(), cell.lines()),
                "{place}"
            );
            let kinds = [crosstab.rows().kind(row).name(), crosstab.columns().kind(column).name()];
            if kinds.contains(&"calculated") {
                calculated += 1;
                let [actual, plan] = ["actual", "plan"].map(|scenario| {
                    let is = |(_, member): &(String, String)| member == scenario;
                    let part = tied.parts().iter().find(|part| part.address().members().iter().any(is));
                    part.map_or(0, |part| hundredths(part.aggregates()[0].of_lines()))
                });
                assert_eq!(actual - plan, hundredths(cell.value(0)), "{place}");
            } else {
                assert_eq!(sum(&found, "amount"), hundredths(cell.value(0)), "{place}");
            }
            others += usize::from(kinds.contains(&"others"));
            let path = crosstab.rows().path(row).into_iter().chain(crosstab.columns().path(column));
            blank += usize::from(path.into_iter().any(|member| member.is_blank()));
            cells += 1;
        }
    }
    println!(
        "{cells} cells, {calculated} calculated, {others} of members taken together, {blank} of blank ones"
    );
    assert!(cells >= 200 && calculated > 10 && others > 5 && blank > 5);
}

/// Columns, order and limit, with all lines counted whatever is shown.
#[test]
fn lines_are_shown_as_is_wanted() {
    let text = "sold_on,coast,pieces,price,sent\n\
                2025-01-31,Fell,3,1.50,yes\n2025-02-01,Fell,,2.25,no\n2025-02-02,Skerry,9,7.00,yes\n\
                2025-04-01,Fell,20,,\n,Fell,5,0.75,yes\n";
    let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
    let brief = brief.derive("value", "pieces * price");
    let trace = Build::new().trace(&brief, &mut source(text.as_bytes())).unwrap();
    let table: [(&str, &str, &str, Option<usize>, &str); 6] = [
        ("coast=Fell", "pieces", "", None, "3\n\n20\n5\n"),
        ("coast=Fell", "pieces,value", "pieces desc", None, "20,\n5,3.75\n3,4.50\n,\n"),
        ("coast=Fell", "sold_on.quarter,sent", "sold_on desc", Some(2), "2025-Q2,\n2025-Q1,no\n"),
        ("coast=Fell", "sold_on,price", "sent,price", Some(3), "2025-02-01,2.25\n,0.75\n2025-01-31,1.50\n"),
        ("total", "coast", "coast desc,pieces", Some(1), "Skerry\n"),
        ("coast=Skerry", "", "", Some(9), "2025-02-02,Skerry,9,7.00,yes\n"),
    ];
    for (at, columns, order, limit, expected) in table {
        let list =
            |text: &str| text.split(',').filter(|t| !t.is_empty()).map(str::to_string).collect::<Vec<_>>();
        let order = list(order).into_iter().map(|text| text.parse::<LineOrder>().unwrap());
        let wanted = LinesBehind::of(at.parse().unwrap()).columns(list(columns)).order(order).limit(limit);
        let (tied, found) = lines_behind(&trace, &wanted, text.as_bytes()).unwrap();
        let rows = found.iter().flat_map(|batch| pivvel::table::rows_as_texts(batch).unwrap());
        let shown: String = rows.map(|row| row.join(",") + "\n").collect();
        assert_eq!(shown, expected, "{wanted:?}");
        assert!(tied.holds() && tied.given() == shown.lines().count() as u64, "{tied:?}");
    }
}

/// A limit over many lines keeps the first of all of them, in the order that is wanted.
#[test]
fn a_limit_over_many_lines() {
    let lines: String = (0..200_000u64).map(|i| format!("Fell,{}\n", i * 7_919 % 200_003)).collect();
    let text = format!("coast,pieces\n{lines}");
    let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
    let trace = Build::new().trace(&brief, &mut source(text.as_bytes())).unwrap();
    let order = [LineOrder::new("pieces", true)];
    let wanted = LinesBehind::of(Address::new()).order(order).columns(["pieces"]).limit(3);
    let (tied, found) = lines_behind(&trace, &wanted, text.as_bytes()).unwrap();
    let mut all: Vec<u64> = (0..200_000).map(|i| i * 7_919 % 200_003).collect();
    all.sort_unstable_by(|a, b| b.cmp(a));
    let shown: Vec<String> =
        found.iter().flat_map(|b| pivvel::table::rows_as_texts(b).unwrap()).flatten().collect();
    assert_eq!(shown, all[..3].iter().map(u64::to_string).collect::<Vec<_>>());
    assert_eq!((tied.lines(), tied.given(), tied.holds()), (200_000, 3, true));
}

/// Lines that changed between the passes are told, and so is an address that leads nowhere.
#[test]
fn what_does_not_add_up_is_told() {
    let text = "coast,harbour,amount\nFell,Ternhaven,1.50\nSkerry,Kittick,2.00\nIsle,Kittick,4.00\n";
    let brief = Brief::new().rows(["coast", "harbour"]).columns(["amount"]).measure(("sales", "sum(amount)"));
    let trace = Build::new().trace(&brief, &mut source(text.as_bytes())).unwrap();
    let fell = LinesBehind::of("coast=Fell".parse().unwrap());
    for changed in [
        text.replace("1.50", "1.51"),
        text.replace("Fell,Ternhaven,1.50\n", ""),
        format!("{text}Fell,New,0.00\n"),
    ] {
        let (tied, _) = lines_behind(&trace, &fell, changed.as_bytes()).unwrap();
        assert_eq!(tied.holds(), changed.contains("New"), "{tied:?}");
    }
    let told = |at: &str| {
        let address = at.parse::<Address>().and_then(|address| trace.crosstab().locate(&address));
        address.map(|_| ()).unwrap_err().to_string()
    };
    let nowhere = LinesBehind::of("coast=Fell,amount=2.00".parse().unwrap());
    let errors = [
        told("harbour=Kittick"),
        told("coast=Fell,harbour=Kittick"),
        told("coast=Fall"),
        told("cost=Fell"),
        told("coast=Fell,coast=Skerry"),
        told("Fell"),
        told("coast=\"Fell"),
        lines_behind(&trace, &nowhere, text.as_bytes()).unwrap_err().to_string(),
    ];
    insta::assert_snapshot!(errors.join("\n"), @r#"
    address: harbour Kittick is under Skerry and Isle; name coast too
    address: there is no harbour Kittick under coast Fell
    address: unknown member of coast "Fall"; did you mean "Fell"?
    address: unknown dimension "cost"; did you mean "coast"?
    address: coast is named twice; a cell is of one member of it
    address: Fell is not DIMENSION=MEMBER, as in 'coast=Fell Coast,quarter=2025-Q1'; total is the grand total
    address: a quote is open in coast="Fell
    address: no line is behind coast=Fell, amount=2.00: its row and its column do not meet
    "#);
}

/// What a story names gives its number: operands by the formula, a related cell by its own value, and a
/// calculated cell by the cells that it is calculated from.
#[test]
fn operands_give_the_number() {
    let mut lines = Vec::new();
    pivvel_demo::write_lines(&mut lines, 300, 12).unwrap();
    let (mut cells, mut calculated, mut related, mut split) = (0, 0, 0, 0);
    for seed in 100..=170 {
        let mut draw = Draw::new(seed);
        let brief = brief(&mut draw);
        let crosstab = CrossTab::build(&brief, &mut source(&lines)).unwrap();
        for _ in 0..3 {
            if crosstab.cells().count() == 0 {
                continue;
            }
            let (row, column) = any_cell(&crosstab, &mut draw);
            let (measure, place) = draw.of(&[("margin", 1), ("share", 2)]);
            let address = Address::of(&crosstab, row, column);
            let mut open = || Ok(Box::new(source(&lines)) as Box<dyn LineSource>);
            let story = Build::new().explain(&brief, &mut open, &address, measure).unwrap();
            let what = format!("seed {seed}, {measure} at {address}: {story:?}");
            let cell = crosstab.cell(row, column).unwrap();
            assert_eq!((story.value(), story.lines()), (cell.value(place), cell.lines()), "{what}");
            assert_eq!(story.peers().and_then(|p| p.rank()), cell.rank(place), "{what}");
            for parts in story.parts() {
                let found: Vec<Value> = parts.parts().iter().filter_map(|part| part.value()).collect();
                let below = values_below(&crosstab, row, column, place);
                assert!(below.contains(&found), "{what}: {below:?}");
                split += found.len();
            }
            let number = |value: Option<Value>| value.map(|value| value.as_f64());
            let expected = match (&story.item(), story.operands()) {
                (Some(item), _) => {
                    calculated += 1;
                    let [actual, plan] = ["actual", "plan"].map(|name| {
                        let operand = item.operands().iter().find(|operand| operand.member() == name);
                        operand.and_then(|operand| number(operand.value()))
                    });
                    match (actual, plan) {
                        (None, None) => None,
                        (actual, plan) => Some(actual.unwrap_or(0.0) - plan.unwrap_or(0.0)),
                    }
                }
                (None, [above, below]) => {
                    if let Some(at) = &below.at() {
                        let (row, column) = crosstab.locate(at).unwrap();
                        assert_eq!(crosstab.cell(row, column).unwrap().value(0), below.value(), "{what}");
                        related += 1;
                    }
                    let (above, below) = (number(above.value()), number(below.value()));
                    above.zip(below.filter(|below| *below != 0.0)).map(|(a, b)| a / b)
                }
                (None, operands) => panic!("{what}: {operands:?}"),
            };
            let same = match (number(story.value()), expected) {
                (Some(a), Some(b)) => (a - b).abs() <= 1e-9 * a.abs().max(1.0),
                (a, b) => a == b,
            };
            assert!(same, "{what}: {expected:?}");
            cells += 1;
        }
    }
    println!("{cells} cells, {calculated} calculated, {related} that read another cell, split into {split}");
    assert!(cells >= 200 && calculated > 10 && related > 30 && split > 200);
}

/// The values one level below a cell along its row, and along its column; items are parts of items only.
fn values_below(crosstab: &CrossTab, row: RowEntry, column: ColumnEntry, measure: usize) -> [Vec<Value>; 2] {
    let (rows, columns) = (crosstab.rows(), crosstab.columns());
    let is_item = |kind| kind == EntryKind::Calculated;
    let value = |row, column| crosstab.cell(row, column)?.value(measure);
    let under = rows.entries().iter().copied().filter(|entry| rows.parent(*entry) == Some(row));
    let under = under.filter(|entry| is_item(rows.kind(row)) || !is_item(rows.kind(*entry)));
    let beside = columns.entries().iter().copied().filter(|entry| columns.parent(*entry) == Some(column));
    let beside = beside.filter(|entry| is_item(columns.kind(column)) || !is_item(columns.kind(*entry)));
    [
        under.filter_map(|row| value(row, column)).collect(),
        beside.filter_map(|column| value(row, column)).collect(),
    ]
}

/// Columns whose later lines are not as the first ones led to believe: the lines behind a cell are read as the cell was,
/// from the same source or from one that was opened anew.
#[test]
fn late_kinds_behind_a_cell() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("lines.csv");
    let mut text = String::from("coast,amount,note,fee\n");
    for i in 0..12_000 {
        let (amount, fee) = match i {
            11_000 => ("unknown".into(), "2.375".into()),
            11_500 => ("1.125".into(), String::new()),
            i => (format!("{}.50", i % 7), (i % 3).to_string()),
        };
        text += &format!("{},{amount},{i},{fee}\n", ["Fell", "Skerry"][i % 2]);
    }
    std::fs::write(&path, text).unwrap();
    let brief = Brief::new().bad_values(pivvel::brief::BadValues::Blank);
    let brief = brief.rows(["coast"]).measure(("sales", "sum(amount)"));
    let open = || pivvel::source::open_source(&path, &brief, &ReadOptions::default()).unwrap();
    let mut source = open();
    let trace = Build::new().trace(&brief, source.as_mut()).unwrap();
    let wanted = LinesBehind::of("coast=Fell".parse().unwrap());
    let mut found: Vec<(Tied, Vec<RecordBatch>)> = Vec::new();
    for mut source in [source, open()] {
        let schema = trace.lines_schema(&wanted, source.as_mut()).unwrap();
        let mut batches = Vec::new();
        let tied = trace.lines(&wanted, source.as_mut(), &mut |batch| {
            assert_eq!(batch.schema(), schema);
            batches.push(batch);
            Ok(())
        });
        found.push((tied.unwrap(), batches));
    }
    for (tied, batches) in &found {
        assert!(tied.holds() && tied.lines() == 6_000, "{tied:?}");
        let fees: i128 = sum(batches, "fee");
        // Of every second line from the first one: 0, 2, 1, 0 …, with 2.375 in place of 2, and without a 1.
        assert_eq!(fees, 6_000_000 - 2_000 + 2_375 - 1_000);
    }
    assert_eq!(found[0].1, found[1].1);
    let story = Build::new().explain(&brief, &mut || Ok(open()), wanted.address(), "sales").unwrap();
    assert_eq!(
        story.value().map(|value| value.to_string()),
        trace.crosstab().value(&["Fell"], &[], "sales").map(|v| v.to_string())
    );
}
