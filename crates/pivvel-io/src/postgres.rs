//! Tables and views of PostgreSQL servers as a source, and of any engine that speaks their protocol.
//!
//! Sessions are read-only and have a time limit for each statement. Values come as text, so that
//! a numeric keeps its digits; names are quoted, and values are bound.

use std::str::FromStr;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use pivvel_core::{Dialect, Error, Kind, Result, Statement};
use postgres::fallible_iterator::FallibleIterator;
use postgres::{Client, Config, NoTls};

use crate::csv::HEAD_LINES;
use crate::kinds::{ColumnKind, Evidence};
use crate::location::Location;
use crate::rows::{Fetched, choose, quoted};
use crate::source::ReadOptions;
use crate::text::{AsItIs, Chunk, Chunks, Form, Split, Table, TableColumn, TextColumns, TextSource, gather};

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
    sql: String,
    kind: Option<ColumnKind>,
    scale_is_fixed: bool,
}

/// A table of a server.
pub(crate) fn open(location: &str, options: &ReadOptions) -> Result<TextSource> {
    let Location { base, part } = Location::parse(location)?;
    let config = config(base)?;
    let name = address(&config);
    part.only(&name, "a database", &["table"])?;
    let mut client = connect(&config, &name)?;
    let fail = |e| failed(&name, &e);
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

/// The address with what a session is set to.
fn config(address: &str) -> Result<Config> {
    // Schemes are the same in letters of any size.
    let (_, rest) = address.split_once("://").unwrap_or(("", address));
    let authority = rest.split(['/', '?']).next().unwrap_or(rest);
    if authority.matches('@').count() > 1 {
        let message = "an @ in a password is written %40, and there is more than one here";
        return Err(Error::request("postgresql://…", message));
    }
    let mut config = Config::from_str(&format!("postgresql://{rest}")).map_err(|e| {
        // What is wrong is told, what the address holds is not.
        let message = format!("the address of the database cannot be read: {e}");
        Error::request("postgresql://…", message)
    })?;
    if config.get_password().is_none()
        && let Some(password) = crate::passwords::password(&config)
    {
        config.password(password);
    }
    if config.get_connect_timeout().is_none() {
        config.connect_timeout(Duration::from_secs(10));
    }
    Ok(config)
}

/// The address without its secrets.
fn address(config: &Config) -> String {
    let host = config.get_hosts().first().map_or(String::new(), |host| match host {
        postgres::config::Host::Tcp(host) => host.clone(),
        #[cfg(unix)]
        postgres::config::Host::Unix(path) => path.display().to_string(),
    });
    let user = config.get_user().map(|user| format!("{user}@")).unwrap_or_default();
    let base = config.get_dbname().map(|base| format!("/{base}")).unwrap_or_default();
    format!("postgresql://{user}{host}{base}")
}

fn connect(config: &Config, name: &str) -> Result<Client> {
    let mut client = config.connect(NoTls).map_err(|e| match e.as_db_error() {
        Some(said) => Error::data(name, format!("the server refused the connection: {}", said.message())),
        None => Error::data(name, format!("the server cannot be reached: {}", causes(&e))),
    })?;
    crate::statements::register(client.cancel_token());
    let said = config.get_options().unwrap_or("");
    for (place, (key, value)) in SETTINGS.iter().enumerate().filter(|(_, (key, _))| !said.contains(key)) {
        match client.batch_execute(&format!("SET {key} = '{value}'")) {
            Err(error) if place == 0 || error.is_closed() => return Err(failed(name, &error)),
            _ => {}
        }
    }
    Ok(client)
}

fn failed(name: &str, error: &postgres::Error) -> Error {
    match error.as_db_error() {
        Some(said) => Error::data(name, format!("the server says: {}", said.message())),
        None => Error::data(name, format!("the connection was lost: {}", causes(error))),
    }
}

/// An error with what caused it.
fn causes(error: &postgres::Error) -> String {
    let mut said = error.to_string();
    let mut cause = std::error::Error::source(error);
    while let Some(next) = cause {
        // The system's number tells nothing that its words do not.
        let words = next.to_string();
        let words = words.split(" (os error").next().unwrap_or_default().to_string();
        if !said.contains(&words) {
            said += &format!(": {words}");
        }
        cause = next.source();
    }
    said
}

/// The table of a name, as statements name it: with its schema or without. Both may have dots of their own.
fn table_of(client: &mut Client, wanted: &str, name: &str) -> Result<Option<String>> {
    let dots = wanted.match_indices('.').map(|(at, _)| at);
    let split = dots.map(|at| format!("{}.{}", quoted(&wanted[..at]), quoted(&wanted[at + 1..])));
    for table in std::iter::once(quoted(wanted)).chain(split) {
        let row = client.query_one("SELECT to_regclass($1) IS NOT NULL", &[&table]);
        if row.map_err(|e| failed(name, &e))?.get(0) {
            return Ok(Some(table));
        }
    }
    Ok(None)
}

/// How a column is read, and its kind where the type tells it.
fn column_as(column: &str, own: &str, modifier: i32) -> OwnColumn {
    // What is no number, or has no end, is no value.
    let finite = format!("CASE WHEN {column} NOT IN ('NaN', 'Infinity', '-Infinity') THEN {column} END");
    let kept = |sql: &str, kind: Kind| OwnColumn {
        sql: sql.to_string(),
        kind: Some(ColumnKind::of(kind)),
        scale_is_fixed: true,
    };
    match own {
        "smallint" | "integer" | "bigint" => kept(column, Kind::Whole),
        "numeric" if modifier >= 4 && (modifier - 4) & 0x7ff <= 18 => {
            let (precision, scale) = ((modifier - 4) >> 16 & 0xffff, ((modifier - 4) & 0x7ff) as u8);
            let kind = if scale == 0 { Kind::Whole } else { Kind::Decimal { scale } };
            let kind = ColumnKind { wide: precision > 18, ..ColumnKind::of(kind) };
            OwnColumn { sql: finite, kind: Some(kind), scale_is_fixed: true }
        }
        "numeric" => OwnColumn { sql: finite, kind: None, scale_is_fixed: false },
        "money" => OwnColumn { sql: format!("{column}::numeric"), kind: None, scale_is_fixed: false },
        "real" | "double precision" => kept(&finite, Kind::Float),
        "boolean" => kept(column, Kind::YesNo),
        "date" => kept(column, Kind::Date),
        "timestamp without time zone" | "timestamp with time zone" => {
            kept(&format!("{column}::date"), Kind::Date)
        }
        "text" => kept(column, Kind::Text),
        _ => kept(&format!("{column}::text"), Kind::Text),
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
    let fail = |e| failed(name, &e);
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
            true => format!("({})::text", column.sql),
            false => "NULL::text".into(),
        };
        let list: Vec<String> = self.columns.iter().enumerate().map(own).collect();
        let mut sql = format!("SELECT {} FROM {}", list.join(", "), self.table);
        let values = self.kept.as_ref().map(|kept| kept.values.clone()).unwrap_or_default();
        if let Some(kept) = &self.kept {
            sql += &format!(" WHERE {}", kept.sql);
        }
        let name = self.name.clone();
        Ok(Box::new(Fetched::start(self.columns.len(), move |fetching| {
            each_row(&mut client, &name, &sql, &values, |texts| {
                Ok(fetching.row(texts.iter().copied()).is_ok())
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
            // A numeric of no fixed scale is a number all the same.
            holds: Some(own.kind.as_ref().map_or(Kind::Whole, |kind| kind.kind)),
            scale_is_fixed: own.scale_is_fixed,
        };
        let columns = self.columns.iter().map(column).collect();
        Some(Table { dialect: Dialect::PostgreSql, from: self.table.clone(), columns })
    }

    fn ask(&mut self, statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
        let asking = self.asking.get_mut().unwrap_or_else(PoisonError::into_inner);
        let mut client = match asking.take() {
            Some(client) => client,
            None => {
                let mut client = connect(&self.config, &self.name)?;
                let begin = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY";
                client.batch_execute(begin).map_err(|e| failed(&self.name, &e))?;
                client
            }
        };
        each_row(&mut client, &self.name, &statement.sql, &statement.values, |texts| {
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
