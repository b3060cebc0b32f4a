//! Filled cells against PostgreSQL: a calendar joined with all members, and windows over it.

use pivvel::brief::FillBrief;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};

use crate::server::{Server, table_of};

const MEASURES: [(&str, &str, &str); 6] = [
    ("sales", "sum(amount)", "sales"),
    ("running", "running(sales along month)", "sum(sales) over (partition by coast, harbour order by month)"),
    (
        "window",
        "moving(sum sales over 4 along month)",
        "case when row_number() over (partition by coast, harbour order by month) > 3
         then sum(sales) over (partition by coast, harbour order by month rows 3 preceding) end",
    ),
    ("before", "sales at previous month", "lag(sales) over (partition by coast, harbour order by month)"),
    ("place", "rank(sales among column)", "rank() over (partition by month order by sales desc)"),
    ("least", "min(sales among column)", "min(sales) over (partition by month)"),
];

#[test]
fn filled_months_equal_postgres_windows() {
    let Some(server) = Server::start() else { return };
    for seed in 1..=3 {
        // So few lines that most harbours lack most months.
        let mut lines = Vec::new();
        pivvel_demo::write_lines(&mut lines, 150, seed).unwrap();
        let text = String::from_utf8(lines.clone()).unwrap();
        let brief = Brief::new()
            .rows(["coast", "harbour"])
            .columns(["sold_on.month"])
            .fill(FillBrief::new("sold_on.month").last("2026-03"));
        let brief = MEASURES.iter().fold(brief, |brief, (name, ours, _)| brief.measure((*name, *ours)));
        let mut source =
            TextSource::from_reader("lines", std::io::Cursor::new(lines), &ReadOptions::default()).unwrap();
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        let values: Vec<&str> = MEASURES.iter().map(|(.., sql)| *sql).collect();
        let answer = server.answer(&format!(
            "{}with months as (select generate_series(date_trunc('month', min(sold_on)), '2026-03-01', '1 month') as month from lines),
             places as (select distinct coast, harbour from lines),
             cells as (select p.coast, p.harbour, m.month, coalesce(sum(l.amount), 0) as sales
                       from places p cross join months m left join lines l
                       on l.coast = p.coast and l.harbour = p.harbour and date_trunc('month', l.sold_on) = m.month
                       group by 1, 2, 3)
             select coast, harbour, to_char(month, 'YYYY-MM'), {} from cells;\n",
            table_of(&text),
            values.join(", ")
        ));
        assert!(answer.len() > 200, "{}", answer.len());
        for record in &answer {
            let fields: Vec<&str> = record.iter().collect();
            for ((name, ..), theirs) in MEASURES.iter().zip(&fields[3..]) {
                let ours = crosstab.value(&fields[..2], &fields[2..3], name).map(|value| value.as_f64());
                let theirs: Option<f64> = theirs.parse().ok();
                assert_eq!(ours, theirs, "seed {seed}: {fields:?} {name}");
            }
        }
        let cells = crosstab.cells().filter(|cell| cell.row().level() == 2 && cell.column().level() == 1);
        assert_eq!(cells.count(), answer.len());
    }
}
