//! Tables and views of PostgreSQL servers as a source, and of any engine that speaks their protocol.
//!
//! Sessions are read-only and have a time limit for each statement. Values come as text, so that
//! a numeric keeps its digits; names are quoted, and values are bound.

mod address;
mod dialect;
mod passwords;
mod services;
mod statements;

use std::sync::{Mutex, PoisonError};

use pivvel_core::source::{Kind, Statement};
use pivvel_core::{Error, Result};
use postgres::fallible_iterator::FallibleIterator;
use postgres::{Client, Config, NoTls};

use crate::csv::HEAD_LINES;
use crate::kinds::{ColumnKind, Evidence};
use crate::location::Location;
use crate::rows::{Fetched, choose, quoted};
use crate::source::ReadOptions;
use crate::text::{AsItIs, Chunk, Chunks, Form, Split, Table, TableColumn, TextColumns, TextSource, gather};

pub(crate) use statements::cancel;

/// What a session is set to, unless the address sets it. Engines that know no such setting do
/// without, but a session is read-only.
const SETTINGS: [(&str, &str); 6] = [
    ("default_transaction_read_only", "on"),
    ("statement_timeout", "3600000"),
    ("datestyle", "ISO"),
    // A timestamp has the same day as in files, whatever the time zone of the role.
    ("timezone", "UTC"),
    ("extra_float_digits", "1"),
    // A table whose parts are on several servers is grouped there.
    ("enable_partitionwise_aggregate", "on"),
];

/// What numbers may be that have no digits.
const NOT_FINITE: [&str; 3] = ["NaN", "Infinity", "-Infinity"];

struct TableForm {
    config: Config,
    name: String,
    table: String,
    columns: Vec<OwnColumn>,
    /// One session for all statements, so that they see the same lines.
    asking: Mutex<Option<Client>>,
    kept: Option<Statement>,
}

/// A column: what a statement reads for it, and what its type says.
struct OwnColumn {
    /// Its values; nothing for what is no number or infinite.
    sql: String,
    /// Its values as they are.
    raw: String,
    /// Which lines hold what is no number or infinite, where a column can.
    not_finite: Option<String>,
    kind: Option<ColumnKind>,
    scale_is_fixed: bool,
}

/// A table of a server.
pub(crate) fn open(location: &str, options: &ReadOptions) -> Result<TextSource> {
    let Location { base, part } = Location::parse(location)?;
    let config = address::config(base)?;
    let name = address::shown(&config);
    part.only(&name, "a database", &["table"])?;
    let mut client = connect(&config, &name)?;
    let fail = |e| failed(&name, e);
    let list = "SELECT CASE WHEN n.nspname = ANY (current_schemas(false)) THEN c.relname ELSE n.nspname || '.' || \
                c.relname END FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN \
                ('r', 'v', 'm', 'f', 'p') AND NOT c.relispartition AND n.nspname NOT IN ('pg_catalog', \
                'information_schema') AND n.nspname NOT LIKE 'pg\\_%' ORDER BY 1";
    let tables: Vec<String> = client.query(list, &[]).map_err(fail)?.iter().map(|row| row.get(0)).collect();
    let table = match part.get("table").map(|wanted| table_of(&mut client, wanted, &name)).transpose()? {
        Some(Some(table)) => table,
        wanted => {
            let chosen = choose(&name, part.get("table").filter(|_| wanted.is_some()), &tables)?;
            table_of(&mut client, &chosen, &name)?.unwrap_or_else(|| quoted(&chosen))
        }
    };
    // A column of a domain has the domain's base type.
    let list = "WITH RECURSIVE own AS (SELECT attnum, attname, atttypid AS type, atttypmod AS modifier FROM pg_attribute \
                WHERE attrelid = $1::text::regclass AND attnum > 0 AND NOT attisdropped UNION ALL SELECT own.attnum, \
                own.attname, t.typbasetype, t.typtypmod FROM own JOIN pg_type t ON t.oid = own.type WHERE t.typtype = 'd') \
                SELECT attname::text, format_type(type, NULL), modifier FROM own JOIN pg_type t ON t.oid = own.type WHERE \
                t.typtype <> 'd' ORDER BY attnum";
    let (mut names, mut columns) = (Vec::new(), Vec::new());
    for row in client.query(list, &[&table]).map_err(fail)? {
        let (column, own, modifier): (String, String, i32) = (row.get(0), row.get(1), row.get(2));
        columns.push(column_as(&quoted(&column), &own, modifier));
        names.push(column);
    }
    let list: Vec<String> = columns.iter().map(|column| format!("({})::text", column.sql)).collect();
    let head = format!("SELECT {} FROM {table} LIMIT {HEAD_LINES}", list.join(", "));
    let mut chunk = Chunk::of(columns.len());
    each_row(&mut client, &name, &head, &[], |fields| {
        chunk.push_row(fields.iter().copied());
        Ok(true)
    })?;
    let mut evidence = vec![Evidence::default(); columns.len()];
    gather(&chunk, chunk.len(), &mut evidence);
    let mut kinds = TextColumns::find(names, evidence, &options.kinds, Some('.'))?;
    for (column, known) in kinds.all.iter_mut().zip(&columns) {
        if let (false, Some(known)) = (column.kind.given, &known.kind) {
            column.kind = known.clone();
        }
    }
    let asking = Mutex::default();
    let form = TableForm { config, name: name.clone(), table, columns, asking, kept: None };
    Ok(TextSource::new(name, kinds, Vec::new(), options.bad_values, Box::new(form)))
}

fn connect(config: &Config, name: &str) -> Result<Client> {
    let mut client = config.connect(NoTls).map_err(|e| match e.as_db_error() {
        Some(answer) => Error::data(name, format!("the server refused the connection: {}", answer.message())),
        None => Error::data(name, format!("the server cannot be reached: {}", causes(&e))),
    })?;
    statements::register(client.cancel_token());
    let options = config.get_options().unwrap_or("");
    for (place, (key, value)) in SETTINGS.iter().enumerate().filter(|(_, (key, _))| !options.contains(key)) {
        match client.batch_execute(&format!("SET {key} = '{value}'")) {
            Err(error) if place == 0 || error.is_closed() => return Err(failed(name, error)),
            _ => {}
        }
    }
    Ok(client)
}

fn failed(name: &str, error: postgres::Error) -> Error {
    let message = match error.as_db_error() {
        Some(answer) => format!("the server says: {}", answer.message()),
        None => format!("the connection was lost: {}", causes(&error)),
    };
    Error::data(name, message).with_cause(error)
}

/// An error with what caused it.
fn causes(error: &postgres::Error) -> String {
    let mut text = error.to_string();
    let mut cause = std::error::Error::source(error);
    while let Some(next) = cause {
        // The system's number tells nothing that its words do not.
        let words = next.to_string();
        let words = words.split(" (os error").next().unwrap_or_default().to_string();
        if !text.contains(&words) {
            text += &format!(": {words}");
        }
        cause = next.source();
    }
    text
}

/// The table of a name, as statements name it: with its schema or without. Both may have dots of their own.
fn table_of(client: &mut Client, wanted: &str, name: &str) -> Result<Option<String>> {
    let dots = wanted.match_indices('.').map(|(at, _)| at);
    let split = dots.map(|at| format!("{}.{}", quoted(&wanted[..at]), quoted(&wanted[at + 1..])));
    for table in std::iter::once(quoted(wanted)).chain(split) {
        let row = client.query_one("SELECT to_regclass($1) IS NOT NULL", &[&table]);
        if row.map_err(|e| failed(name, e))?.get(0) {
            return Ok(Some(table));
        }
    }
    Ok(None)
}

/// How a column is read, and its kind where the type tells it.
fn column_as(column: &str, own: &str, modifier: i32) -> OwnColumn {
    let kept = |sql: &str, kind: Option<ColumnKind>| OwnColumn {
        sql: sql.to_string(),
        raw: sql.to_string(),
        not_finite: None,
        scale_is_fixed: kind.is_some(),
        kind,
    };
    // What is no number or infinite is no value, and is counted.
    let finite = |kind: Option<ColumnKind>| {
        let condition = format!("{column} IN ('NaN', 'Infinity', '-Infinity')");
        let sql = format!("CASE WHEN NOT {condition} THEN {column} END");
        OwnColumn { sql, not_finite: Some(condition), ..kept(column, kind) }
    };
    let of = |kind: Kind| Some(ColumnKind::of(kind));
    match own {
        "smallint" | "integer" | "bigint" => kept(column, of(Kind::Whole)),
        "numeric" if modifier >= 4 && (modifier - 4) & 0x7ff <= 18 => {
            let (precision, scale) = ((modifier - 4) >> 16 & 0xffff, ((modifier - 4) & 0x7ff) as u8);
            let kind = if scale == 0 { Kind::Whole } else { Kind::Decimal { scale } };
            finite(Some(ColumnKind { wide: precision > 18, ..ColumnKind::of(kind) }))
        }
        "numeric" => finite(None),
        "money" => kept(&format!("{column}::numeric"), None),
        "real" | "double precision" => finite(of(Kind::Float)),
        "boolean" => kept(column, of(Kind::YesNo)),
        "date" => kept(column, of(Kind::Date)),
        "timestamp without time zone" | "timestamp with time zone" => {
            kept(&format!("{column}::date"), of(Kind::Date))
        }
        "text" => kept(column, of(Kind::Text)),
        _ => kept(&format!("{column}::text"), of(Kind::Text)),
    }
}

/// Gives every row of a statement as texts, until `take` wants no more.
fn each_row(
    client: &mut Client,
    name: &str,
    sql: &str,
    values: &[String],
    mut take: impl FnMut(&[&str]) -> Result<bool>,
) -> Result<()> {
    let fail = |e| failed(name, e);
    let mut rows = client.query_raw(sql, values).map_err(fail)?;
    while let Some(row) = rows.next().map_err(fail)? {
        let texts: Result<Vec<&str>, _> = (0..row.len())
            .map(|i| row.try_get::<_, Option<&str>>(i).map(Option::unwrap_or_default))
            .collect();
        if !take(&texts.map_err(fail)?)? {
            return Ok(());
        }
    }
    Ok(())
}

impl Form for TableForm {
    fn chunks(&mut self, wanted: &[usize]) -> Result<Box<dyn Chunks>> {
        let mut client = connect(&self.config, &self.name)?;
        let own = |(i, column): (usize, &OwnColumn)| match wanted.contains(&i) {
            true => format!("({})::text", column.raw),
            false => "NULL::text".into(),
        };
        let list: Vec<String> = self.columns.iter().enumerate().map(own).collect();
        let mut sql = format!("SELECT {} FROM {}", list.join(", "), self.table);
        let values = self.kept.as_ref().map(|kept| kept.values().to_vec()).unwrap_or_default();
        if let Some(kept) = &self.kept {
            sql += &format!(" WHERE {}", kept.sql());
        }
        let name = self.name.clone();
        let numbers: Vec<bool> = self.columns.iter().map(|column| column.not_finite.is_some()).collect();
        Ok(Box::new(Fetched::start(self.columns.len(), move |fetching| {
            each_row(&mut client, &name, &sql, &values, |texts| {
                let is_finite = |(text, is_number): (&&str, &bool)| !is_number || !NOT_FINITE.contains(text);
                let finite: Vec<bool> = texts.iter().zip(&numbers).map(is_finite).collect();
                fetching.count_not_finite(finite.iter().filter(|finite| !**finite).count() as u64);
                let own = texts.iter().zip(finite).map(|(text, finite)| if finite { *text } else { "" });
                Ok(fetching.row(own).is_ok())
            })
        })))
    }

    fn splitter(&self) -> Box<dyn Split> {
        Box::new(AsItIs)
    }

    fn repeats(&self) -> bool {
        true
    }

    fn first_line(&self) -> u64 {
        1
    }

    fn table(&self) -> Option<Table> {
        let column = |own: &OwnColumn| TableColumn {
            sql: own.sql.clone(),
            guard: own.not_finite.clone(),
            // A numeric of no fixed scale is a number all the same.
            holds: Some(own.kind.as_ref().map_or(Kind::Whole, |kind| kind.kind)),
            scale_is_fixed: own.scale_is_fixed,
        };
        let columns = self.columns.iter().map(column).collect();
        Some(Table { dialect: &dialect::PostgreSql, from: self.table.clone(), columns })
    }

    fn ask(&mut self, statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
        let asking = self.asking.get_mut().unwrap_or_else(PoisonError::into_inner);
        let mut client = match asking.take() {
            Some(client) => client,
            None => {
                let mut client = connect(&self.config, &self.name)?;
                let begin = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY";
                client.batch_execute(begin).map_err(|e| failed(&self.name, e))?;
                client
            }
        };
        each_row(&mut client, &self.name, statement.sql(), statement.values(), |texts| {
            take(texts)?;
            Ok(true)
        })?;
        *asking = Some(client);
        Ok(())
    }

    fn keep_only(&mut self, condition: Option<Statement>) {
        self.kept = condition;
    }
}
