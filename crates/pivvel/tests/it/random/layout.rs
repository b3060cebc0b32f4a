//! A layout as SQL: the cells of roll-ups, what goes together in them, and calculated items.

use super::measures::Compared;
use crate::server::sql_of;

/// A layout, as far as SQL needs to know it.
#[derive(Default)]
pub(super) struct Layout {
    pub(super) rows: Vec<&'static str>,
    pub(super) columns: Vec<&'static str>,
    /// Named queries that stand before all others, each with a comma behind it.
    pub(super) with: String,
    /// Tables of lines, each with the dimensions that are not rolled up there: those of calculated items, whose
    /// lines no total takes in.
    pub(super) lines: Vec<(String, Vec<&'static str>)>,
    /// Dimensions whose members are others than in the lines, as where some are gathered: the column
    /// `shown_coast` has them.
    pub(super) relabelled: Vec<&'static str>,
    /// Calculated items and members that gather: cells whose paths pass through them have peers of their own.
    pub(super) apart: Vec<&'static str>,
    /// Columns of the lines, with their axis and level, that say whether the member there is not shown.
    pub(super) hidden: Vec<(String, char, usize)>,
    /// Items that are applied to measures, in order: the column that they stand in, their name, and the members
    /// that they are the difference of.
    pub(super) differences: Vec<(String, &'static str, [&'static str; 2])>,
}

impl Layout {
    pub(super) fn new(rows: &[&'static str], columns: &[&'static str]) -> Layout {
        let columns = columns.iter().copied().filter(|name| !rows.contains(name)).collect();
        Layout {
            rows: rows.to_vec(),
            columns,
            lines: vec![("lines".into(), Vec::new())],
            ..Layout::default()
        }
    }

    pub(super) fn names(&self) -> Vec<String> {
        let rows = (1..=self.rows.len()).map(|i| format!("r{i}"));
        rows.chain((1..=self.columns.len()).map(|i| format!("c{i}"))).collect()
    }

    /// The column of the cells that a dimension of the layout is.
    pub(super) fn name_of(&self, dimension: &str) -> String {
        let place = self.rows.iter().chain(&self.columns).position(|name| *name == dimension);
        self.names()[place.unwrap()].clone()
    }

    /// A dimension of the layout in SQL.
    fn sql(&self, name: &str) -> String {
        match name {
            _ if self.relabelled.contains(&name) => format!("shown_{name}"),
            "size" => name.to_string(),
            _ => sql_of(name).to_string(),
        }
    }

    /// The row's path with so many levels less, as SQL over `g`.
    pub(super) fn row_path(&self, less: usize) -> String {
        let level = |i| format!("case when {i} <= g.rl - {less} then g.r{i} else '^' end");
        (1..=self.rows.len()).map(level).collect::<Vec<_>>().join(", ")
    }

    pub(super) fn column_path(&self, less: usize) -> String {
        let level = |i| format!("case when {i} <= g.cl - {less} then g.c{i} else '^' end");
        (1..=self.columns.len()).map(level).collect::<Vec<_>>().join(", ")
    }

    /// Which cells go together, as a partition.
    pub(super) fn partition(&self, group: &str) -> String {
        let (row, column) = (self.row_path(0), self.column_path(0));
        let parts = match group {
            "siblings" => [self.row_path(1), column].join(", "),
            "column siblings" => [row, self.column_path(1)].join(", "),
            "row" => row,
            "column" => column,
            _ => String::new(),
        };
        let mut all = vec!["g.rl, g.cl, g.s is null".to_string()];
        if !self.apart.is_empty() {
            let apart = self.apart.iter().map(|name| format!("'{name}'")).collect::<Vec<_>>().join(", ");
            all.extend(
                self.names().iter().map(|name| format!("case when g.{name} in ({apart}) then g.{name} end")),
            );
        }
        all.push(parts.trim_matches([',', ' ']).replace(", , ", ", "));
        all.retain(|part| !part.is_empty());
        all.join(", ")
    }

    /// The sum at another cell, whose levels and paths are given.
    pub(super) fn at(&self, row_level: &str, column_level: &str, row: &str, column: &str) -> String {
        let list = |prefix: char, count: usize| {
            (1..=count).map(|i| format!("t.{prefix}{i}")).collect::<Vec<_>>().join(", ")
        };
        let mut conditions = vec![format!("t.rl = {row_level} and t.cl = {column_level}")];
        if !self.rows.is_empty() {
            conditions.push(format!("({}) = ({row})", list('r', self.rows.len())));
        }
        if !self.columns.is_empty() {
            conditions.push(format!("({}) = ({column})", list('c', self.columns.len())));
        }
        format!("(select t.s from cells t where {})", conditions.join(" and "))
    }

    /// The members of a cell, `^` where they are rolled up, and its levels.
    fn member_columns(&self) -> String {
        let member = |(prefix, i, name): (char, usize, &&'static str)| {
            let sql = self.sql(name);
            format!("case when grouping({sql}) = 1 then '^' else {sql} end {prefix}{}", i + 1)
        };
        let level = |of: &[&'static str]| {
            let parts: Vec<String> =
                of.iter().map(|name| format!("1 - grouping({})", self.sql(name))).collect();
            if parts.is_empty() { "0".into() } else { parts.join(" + ") }
        };
        let rows = self.rows.iter().enumerate().map(|(i, name)| member(('r', i, name)));
        let columns = self.columns.iter().enumerate().map(|(i, name)| member(('c', i, name)));
        let levels = [format!("{} rl", level(&self.rows)), format!("{} cl", level(&self.columns))];
        rows.chain(columns).chain(levels).collect::<Vec<_>>().join(", ")
    }

    /// These aggregates in every cell of every table of lines; `finer` is what they are grouped by besides.
    pub(super) fn rolled_up(&self, aggregates: &str, condition: &str, finer: &str) -> String {
        let list = |of: &[&'static str]| of.iter().map(|name| self.sql(name)).collect::<Vec<_>>().join(", ");
        let columns = if self.columns.is_empty() {
            String::new()
        } else {
            format!(", rollup({})", list(&self.columns))
        };
        let of_table = |(table, fixed): &(String, Vec<&'static str>)| {
            let fixed = fixed.iter().map(|name| format!(" and grouping({}) = 0", self.sql(name)));
            format!(
                "select {}, {aggregates} from {table} lines where {condition} group by rollup({}){columns}{finer} having true{}",
                self.member_columns(),
                list(&self.rows),
                fixed.collect::<String>(),
            )
        };
        self.lines.iter().map(of_table).collect::<Vec<_>>().join(" union all ")
    }

    /// Members of every cell that is shown, and its measures.
    pub(super) fn query(&self, condition: &str, measures: &[Compared], nested: &str) -> String {
        let aggregates =
            measures.iter().filter_map(|m| Some(format!("{} {}", m.aggregate.as_ref()?, m.name)));
        let hidden = self.hidden.iter().map(|(name, ..)| format!("bool_and({name}) {name}"));
        let cells = self.rolled_up(&aggregates.chain(hidden).collect::<Vec<_>>().join(", "), condition, "");
        let names = self.names();
        let members = names.iter().map(|name| format!("g.{name}"));
        let values = measures.iter().map(|m| format!("{} {}", m.cell, m.name));
        let select = members.chain(values).collect::<Vec<_>>().join(", ");
        let shown = self.hidden.iter().map(|(name, axis, level)| {
            format!(" and not (g.{axis}l >= {level} and coalesce(g.{name}, false))")
        });
        // What each cell looks up is made once, and not once for each cell.
        let mut query = format!(
            "with {}cells as materialized ({cells}), nested as materialized ({nested}), result0 as (select {select} from cells g where true{})",
            self.with,
            shown.collect::<String>(),
        );
        for (i, difference) in self.differences.iter().enumerate() {
            let more = self.difference(&format!("result{i}"), difference, measures);
            query += &format!(", result{} as (select * from result{i} union all {more})", i + 1);
        }
        format!("{query} select * from result{};\n", self.differences.len())
    }

    /// The cells of an item: in each, every measure's difference. A blank beside a value counts as nothing.
    fn difference(
        &self,
        cells: &str,
        (place, item, [first, second]): &(String, &'static str, [&'static str; 2]),
        measures: &[Compared],
    ) -> String {
        let names = self.names();
        let member = |name: &String| if name == place { format!("'{item}'") } else { name.clone() };
        let value = |m: &Compared| {
            let at = |label: &str| format!("max({}) filter (where {place} = '{label}')", m.name);
            let (a, b) = (at(first), at(second));
            format!("case when {a} is null then -{b} else {a} - coalesce({b}, 0) end")
        };
        let others = names.iter().filter(|name| *name != place).cloned().collect::<Vec<_>>();
        let select = names.iter().map(member).chain(measures.iter().map(value)).collect::<Vec<_>>();
        let by = if others.is_empty() { String::new() } else { format!(" group by {}", others.join(", ")) };
        format!("select {} from {cells} where {place} in ('{first}', '{second}'){by}", select.join(", "))
    }
}
