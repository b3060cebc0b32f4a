//! A table whose parts are on two servers: the parts are grouped where they are.

use pivvel::plan::Plan;
use pivvel::source::{ReadOptions, open};
use pivvel::{Brief, Build};

use crate::forms::Lines;
use crate::lines::tidy_csv;
use crate::server::Server;

fn brief() -> Brief {
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.quarter"])
        .filter("quantity > 0 and channel <> 'web'")
        .measure(("sales", "sum(amount)"))
        .measure(("profit", "sum(amount - cost)"))
        .measure(("yards", "distinct(yard)"))
        .measure(("typical", "mean(sum(amount) per yard)"))
        .measure(("lines", "count()"))
}

#[test]
fn parts_are_grouped_where_they_are() {
    let (Some(first), Some(second), Some(whole)) = (Server::start(), Server::start(), Server::start()) else {
        return;
    };
    // So many that it does not pay to fetch them.
    let mut csv = Vec::new();
    pivvel_demo::write_lines(&mut csv, 50_000, pivvel_demo::SEED).unwrap();
    let lines = Lines::read(std::str::from_utf8(&csv).unwrap(), &[], Default::default()).unwrap();
    let mut script = String::from("create extension postgres_fdw;\n");
    for (place, (server, coasts)) in
        [(&first, "'Fell Coast', 'Marram Coast'"), (&second, "'Skerry Coast', 'Isle of Tarrow'")]
            .iter()
            .enumerate()
    {
        lines.postgres(server, "lines");
        server.answer(&format!("delete from lines where coast not in ({coasts}); analyze lines;"));
        script += &format!(
            "create server part{place} foreign data wrapper postgres_fdw options (host '{}', dbname 'postgres', \
             use_remote_estimate 'true', fdw_tuple_cost '0.2');\ncreate user mapping for oracle server part{place} options (user 'oracle');\n",
            server.folder().display()
        );
    }
    lines.postgres(&whole, "plain");
    script += "create table lines (like plain) partition by list (coast);\n";
    script += "create foreign table lines_0 partition of lines for values in ('Fell Coast', 'Marram Coast') server \
               part0 options (table_name 'lines');\n";
    script += "create foreign table lines_1 partition of lines for values in ('Skerry Coast', 'Isle of Tarrow') \
               server part1 options (table_name 'lines');\n";
    whole.answer(&script);

    let location = format!("{}#table=lines", whole.address());
    let mut source = open(&location, &ReadOptions::default()).unwrap();
    let found = Build::new().run(&brief(), source.as_mut()).unwrap();
    let mut plain = open(&location.replace("table=lines", "table=plain"), &ReadOptions::default()).unwrap();
    let expected = Build::new().reading_lines().run(&brief(), plain.as_mut()).unwrap();
    assert_eq!(tidy_csv(&found), tidy_csv(&expected));
    assert_eq!(found.report(), expected.report());

    // The plan of every statement that groups shows that each part's server does it.
    let plan = Plan::new(&brief(), &source.schema()).unwrap();
    let statements = plan.statements(&source.pushdown().unwrap().sql_table().unwrap()).unwrap();
    assert_eq!(statements.len(), 3);
    for statement in &statements[1..] {
        let mut sql = statement.sql().to_string();
        for (place, value) in statement.values().iter().enumerate().rev() {
            sql = sql.replace(&format!("${}", place + 1), &format!("'{}'", value.replace('\'', "''")));
        }
        let explain = format!("set enable_partitionwise_aggregate = on;\nexplain verbose {sql};");
        let shown: String = whole.answer(&explain).iter().map(|row| format!("{}\n", &row[0])).collect();
        for part in ["lines_0", "lines_1"] {
            assert!(shown.contains(&format!("Relations: Aggregate on (public.{part}")), "{shown}");
        }
        assert_eq!(shown.matches("GROUP BY").count(), 2, "{shown}");
    }
}
