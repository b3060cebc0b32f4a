//! Tables and views of SQLite databases as a source. SQLite has types by value, not by column, so kinds
//! are found from the first rows as those of a text are.

mod dialect;

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use pivvel_core::source::Statement;
use pivvel_core::{Error, Result};
use rusqlite::types::ValueRef;
use rusqlite::{Connection, OpenFlags, params_from_iter};

use crate::csv::HEAD_LINES;
use crate::kinds::Evidence;
use crate::location::Part;
use crate::rows::{Fetched, choose, quoted};
use crate::source::ReadOptions;
use crate::text::{AsItIs, Chunk, Chunks, Form, Split, Table, TableColumn, TextColumns, TextSource, gather};

struct TableForm {
    path: PathBuf,
    name: String,
    /// The table and its columns, in quotes.
    table: String,
    columns: Vec<String>,
    /// One connection for all statements, so that they see the same lines.
    asking: Mutex<Option<Connection>>,
    kept: Option<Statement>,
}

/// A table of a database.
pub(crate) fn open(path: &Path, name: String, part: &Part, options: &ReadOptions) -> Result<TextSource> {
    check_length(path, &name)?;
    let connection = connect(path, &name)?;
    let fail = |e| failed(&name, e);
    let list = "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\\_%' \
                ESCAPE '\\' ORDER BY name";
    let mut tables = connection.prepare(list).map_err(fail)?;
    let tables: Result<Vec<String>, _> = tables.query_map([], |row| row.get(0)).map_err(fail)?.collect();
    let table = choose(&name, part.get("table"), &tables.map_err(fail)?)?;
    let head = format!("SELECT * FROM {} LIMIT {HEAD_LINES}", quoted(&table));
    let statement = connection.prepare(&head).map_err(fail)?;
    let columns: Vec<String> = statement.column_names().map(str::to_string).collect();
    drop(statement);
    let mut chunk = Chunk::of(columns.len());
    each_row(&connection, &name, &head, &[], |fields| {
        chunk.push_row(fields.iter().map(String::as_str));
        Ok(true)
    })?;
    let mut evidence = vec![Evidence::default(); columns.len()];
    gather(&chunk, chunk.len(), &mut evidence);
    let kinds = TextColumns::find(columns.clone(), evidence, &options.kinds, Some('.'))?;
    let form = TableForm {
        path: path.into(),
        name: name.clone(),
        table: quoted(&table),
        columns: columns.iter().map(|column| quoted(column)).collect(),
        asking: Mutex::default(),
        kept: None,
    };
    Ok(TextSource::new(name, kinds, Vec::new(), options.bad_values, Box::new(form)))
}

fn connect(path: &Path, name: &str) -> Result<Connection> {
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    Connection::open_with_flags(path, flags).map_err(|e| failed(name, e))
}

/// That the file is as long as its first page says: of one that was cut short, SQLite itself may read
/// rows that hold nothing.
fn check_length(path: &Path, name: &str) -> Result<()> {
    let fail = |e| Error::io(path.display().to_string(), e);
    let mut file = File::open(path).map_err(fail)?;
    let mut head = [0; 32];
    file.read_exact(&mut head).map_err(fail)?;
    let size = match u16::from_be_bytes([head[16], head[17]]) {
        1 => 65_536,
        size => u64::from(size),
    };
    let pages = u64::from(u32::from_be_bytes([head[28], head[29], head[30], head[31]]));
    match file.metadata().map_err(fail)?.len() < pages * size {
        true => Err(Error::data(name, "the database file is shorter than it was written: it was cut short")),
        false => Ok(()),
    }
}

fn failed(name: &str, error: rusqlite::Error) -> Error {
    Error::data(name, format!("the database says: {error}")).with_cause(error)
}

/// Gives every row of a statement as texts, until `take` wants no more.
fn each_row(
    connection: &Connection,
    name: &str,
    sql: &str,
    values: &[String],
    mut take: impl FnMut(&[String]) -> Result<bool>,
) -> Result<()> {
    let fail = |e| failed(name, e);
    let mut statement = connection.prepare(sql).map_err(fail)?;
    let mut texts = vec![String::new(); statement.column_count()];
    let mut rows = statement.query(params_from_iter(values)).map_err(fail)?;
    while let Some(row) = rows.next().map_err(fail)? {
        for (i, text) in texts.iter_mut().enumerate() {
            text.clear();
            match row.get_ref(i).map_err(fail)? {
                ValueRef::Null => {}
                ValueRef::Integer(number) => *text = number.to_string(),
                ValueRef::Real(number) => *text = number.to_string(),
                ValueRef::Text(bytes) => match std::str::from_utf8(bytes) {
                    Ok(own) => text.push_str(own),
                    Err(_) => return Err(Error::data(name, "a text of the table is not encoded as UTF-8")),
                },
                ValueRef::Blob(bytes) => *text = format!("({} bytes)", bytes.len()),
            }
        }
        if !take(&texts)? {
            return Ok(());
        }
    }
    Ok(())
}

impl Form for TableForm {
    fn chunks(&mut self, wanted: &[usize]) -> Result<Box<dyn Chunks>> {
        let connection = connect(&self.path, &self.name)?;
        let own = |(i, column): (usize, &String)| match wanted.contains(&i) {
            true => column.clone(),
            false => "NULL".into(),
        };
        let list: Vec<String> = self.columns.iter().enumerate().map(own).collect();
        let mut sql = format!("SELECT {} FROM {}", list.join(", "), self.table);
        let values = self.kept.as_ref().map(|kept| kept.values().to_vec()).unwrap_or_default();
        if let Some(kept) = &self.kept {
            sql += &format!(" WHERE {}", kept.sql());
        }
        let name = self.name.clone();
        Ok(Box::new(Fetched::start(self.columns.len(), move |fetching| {
            each_row(&connection, &name, &sql, &values, |texts| {
                Ok(fetching.row(texts.iter().map(String::as_str)).is_ok())
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
        // Any column may hold anything; statements see to it that it does not.
        let column =
            |sql: &String| TableColumn { sql: sql.clone(), guard: None, holds: None, scale_is_fixed: false };
        let columns = self.columns.iter().map(column).collect();
        Some(Table { dialect: &dialect::Sqlite, from: self.table.clone(), columns })
    }

    fn ask(&mut self, statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
        let asking = self.asking.get_mut().unwrap_or_else(PoisonError::into_inner);
        let connection = match asking.take() {
            Some(connection) => connection,
            None => {
                let connection = connect(&self.path, &self.name)?;
                connection.execute_batch("BEGIN").map_err(|e| failed(&self.name, e))?;
                connection
            }
        };
        each_row(&connection, &self.name, statement.sql(), statement.values(), |texts| {
            take(&texts.iter().map(String::as_str).collect::<Vec<_>>())?;
            Ok(true)
        })?;
        *asking = Some(connection);
        Ok(())
    }

    fn keep_only(&mut self, condition: Option<Statement>) {
        self.kept = condition;
    }
}
