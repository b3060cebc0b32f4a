//! The statements for a grouping.

use super::sql::{Reason, Writer};
use crate::grouping::{Finer, Grouping, Key, LineValue};
use crate::lines::{Dialect, SqlTable, Statement};

/// The statements for one grouping.
#[derive(Debug, Clone)]
pub(crate) struct Pushed {
    /// How many lines there are, are kept, are undecided, and meet what none may meet.
    pub(crate) counts: Statement,
    /// One for the cells, then one for each set of finer groups, depth first. Keys come first, then
    /// states, then how many lines meet what none may meet.
    pub(crate) groups: Vec<Statement>,
}

/// The statements of a grouping, or why the database cannot do it.
pub(crate) fn push(grouping: &Grouping, slots: &[usize], table: &SqlTable) -> Result<Pushed, Reason> {
    let keys: Vec<&Key> = grouping.rows.iter().chain(&grouping.columns).collect();
    let filter = grouping.filter.as_ref();
    let mut groups = Vec::new();
    let own = Part { table, slots, keys, filters: filter.into_iter().collect() };
    own.statements(&grouping.values, &grouping.finer, &mut groups)?;
    Ok(Pushed { counts: counts(grouping, slots, table)?, groups })
}

/// The statement that counts lines, those that are kept and those that are undecided.
pub(crate) fn counts(grouping: &Grouping, slots: &[usize], table: &SqlTable) -> Result<Statement, Reason> {
    let mut writer = Writer::new(table, slots);
    let kept = match &grouping.filter {
        Some(condition) => writer.truth(condition).map_err(|reason| format!("where: {reason}"))?,
        None => "1 = 1".into(),
    };
    let mut columns = vec![
        "count(*)".to_string(),
        format!("count(CASE WHEN {kept} THEN 1 END)"),
        format!("count(CASE WHEN ({kept}) IS NULL THEN 1 END)"),
    ];
    columns.extend(guards(&writer));
    Ok(Statement { sql: select(table, &columns, &[], 0), values: writer.values })
}

/// The condition of a grouping, where it has one that the database can decide.
pub(crate) fn condition(grouping: &Grouping, slots: &[usize], table: &SqlTable) -> Option<Statement> {
    let mut writer = Writer::new(table, slots);
    let sql = writer.truth(grouping.filter.as_ref()?).ok()?;
    Some(Statement { sql, values: writer.values })
}

/// How many lines meet what none may meet.
fn guards(writer: &Writer<'_>) -> Vec<String> {
    writer.guards.iter().map(|guard| format!("count(CASE WHEN {guard} THEN 1 END)")).collect()
}

/// Groups by some keys under some conditions.
struct Part<'a> {
    table: &'a SqlTable,
    slots: &'a [usize],
    keys: Vec<&'a Key>,
    filters: Vec<&'a crate::formula::LineFormula>,
}

impl<'a> Part<'a> {
    fn statements(
        &self,
        values: &[LineValue],
        finer: &'a [Finer],
        groups: &mut Vec<Statement>,
    ) -> Result<(), Reason> {
        let mut writer = Writer::new(self.table, self.slots);
        let mut columns = Vec::new();
        for key in &self.keys {
            let sql = writer.key(&key.formula).map_err(|reason| format!("{}: {reason}", key.name))?;
            columns.push(sql);
        }
        columns.push("count(*)".into());
        for value in values {
            let wanted =
                states(value, self.table.dialect).map_err(|reason| format!("{}: {reason}", value.name))?;
            let sql = writer.number(&value.formula).map_err(|reason| format!("{}: {reason}", value.name))?;
            columns.push(format!("count({sql})"));
            columns.extend(wanted.iter().map(|state| state.replace('#', &sql)));
        }
        let mut conditions = Vec::new();
        for filter in &self.filters {
            conditions.push(writer.truth(filter).map_err(|reason| format!("where: {reason}"))?);
        }
        columns.extend(guards(&writer));
        let sql = select(self.table, &columns, &conditions, self.keys.len());
        groups.push(Statement { sql, values: writer.values });
        for finer in finer {
            let part = Part {
                table: self.table,
                slots: self.slots,
                keys: self.keys.iter().copied().chain(&finer.keys).collect(),
                filters: self.filters.iter().copied().chain(&finer.filter).collect(),
            };
            part.statements(&finer.values, &finer.finer, groups)?;
        }
        Ok(())
    }
}

/// The states of a value beside its count, each as SQL with `#` for the value.
fn states(value: &LineValue, dialect: &dyn Dialect) -> Result<Vec<&'static str>, Reason> {
    let needs = value.needs;
    if needs.first || needs.last {
        return Err("first and last are found here".into());
    }
    if needs.list {
        return Err("quantiles need every value".into());
    }
    if needs.distinct || needs.spread {
        return Err("estimates are made here".into());
    }
    if needs.squares && !dialect.has_decimals() {
        return Err("there are no exact sums of squares there".into());
    }
    let states = [
        (needs.sum, "sum(#)"),
        (needs.low, "min(#)"),
        (needs.high, "max(#)"),
        (needs.squares, "sum((#) * (#))"),
    ];
    Ok(states.into_iter().filter(|(needed, _)| *needed).map(|(_, sql)| sql).collect())
}

fn select(table: &SqlTable, columns: &[String], conditions: &[String], keys: usize) -> String {
    let named = columns.iter().enumerate().map(|(i, sql)| format!("{sql} AS c{}", i + 1));
    let named: Vec<String> = named.collect();
    let conditions = match conditions.is_empty() {
        true => String::new(),
        false => format!(" WHERE {}", conditions.join(" AND ")),
    };
    let groups = match keys {
        0 => String::new(),
        _ => format!(" GROUP BY {}", columns[..keys].join(", ")),
    };
    let own = format!("SELECT {} FROM {}{conditions}{groups}", named.join(", "), table.from);
    table.dialect.answer(own, columns.len())
}
