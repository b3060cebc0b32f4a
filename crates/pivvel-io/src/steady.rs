//! A file that must not change while it is read, and whose reader may panic where it is damaged.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use pivvel_core::source::{
    Bound, Kind, LineSource, Pushdown, ReadProgress, SqlTable, Statement, Taker, Tally,
};
use pivvel_core::{Error, Result};

use crate::damaged::guarded;
use crate::source::Source;
use crate::text::{Chunk, Column};

/// A source that is a file, and the state of that file when it was opened.
pub(crate) struct Steady {
    source: Box<dyn Source>,
    path: PathBuf,
    was: Option<Stamp>,
    form: Held,
}

/// What a file holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Held {
    Text,
    /// A binary form, whose reader may panic on a damaged file.
    Binary,
}

impl Held {
    fn read<T>(self, path: &Path, read: impl FnOnce() -> Result<T>) -> Result<T> {
        match self {
            Held::Text => read(),
            Held::Binary => guarded(&path.display().to_string(), read),
        }
    }
}

/// What changes when a file does.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Stamp {
    bytes: u64,
    modified: Option<SystemTime>,
    #[cfg(unix)]
    file: (u64, u64),
}

impl Stamp {
    fn of(path: &Path) -> Option<Stamp> {
        let file = std::fs::metadata(path).ok()?;
        Some(Stamp {
            bytes: file.len(),
            modified: file.modified().ok(),
            #[cfg(unix)]
            file: {
                use std::os::unix::fs::MetadataExt;
                (file.dev(), file.ino())
            },
        })
    }
}

impl Steady {
    /// What `open` makes of a file, which may not change from now on.
    ///
    /// # Errors
    /// What `open` finds wrong.
    pub(crate) fn open(
        path: &Path,
        form: Held,
        open: impl FnOnce() -> Result<Box<dyn Source>>,
    ) -> Result<Box<dyn Source>> {
        let was = Stamp::of(path);
        Ok(Box::new(Steady { source: form.read(path, open)?, path: path.into(), was, form }))
    }

    /// What was read of a file that is still as it was.
    fn same<T>(&self, read: Result<T>) -> Result<T> {
        if Stamp::of(&self.path) == self.was {
            return read;
        }
        let message = "it changed while it was read; run it again once nothing writes to it";
        Err(Error::data(self.source.name(), message))
    }
}

impl LineSource for Steady {
    fn name(&self) -> &str {
        self.source.name()
    }

    fn notes(&self) -> &[String] {
        self.source.notes()
    }

    fn schema(&self) -> SchemaRef {
        self.source.schema()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let read = self.form.read(&self.path, || self.source.scan(columns, take));
        self.same(read)
    }

    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> Result<Tally> {
        let read = self.form.read(&self.path, || self.source.scan_shared(columns, takers));
        self.same(read)
    }

    fn pushdown(&mut self) -> Option<&mut dyn Pushdown> {
        if self.source.pushdown().is_some() { Some(self) } else { None }
    }

    fn narrow(&mut self, bounds: &[Bound]) {
        self.source.narrow(bounds);
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        self.source.progress()
    }

    fn widen(&mut self, column: &str, kind: Kind) -> bool {
        self.source.widen(column, kind)
    }

    fn reconsider(&mut self, column: &str) -> Result<bool> {
        let again = self.source.reconsider(column);
        self.same(again)
    }

    fn is_settled(&self, column: &str) -> bool {
        self.source.is_settled(column)
    }

    fn trouble(&self, column: &str) -> Option<String> {
        self.source.trouble(column)
    }
}

impl Pushdown for Steady {
    fn sql_table(&mut self) -> Option<SqlTable> {
        self.source.pushdown()?.sql_table()
    }

    fn ask(&mut self, statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
        let ask = || match self.source.pushdown() {
            Some(database) => database.ask(statement, take),
            None => Err(Error::data(self.source.name(), "it answers no statements")),
        };
        let answered = self.form.read(&self.path, ask);
        self.same(answered)
    }

    fn keep_only(&mut self, condition: Option<Statement>) {
        if let Some(database) = self.source.pushdown() {
            database.keep_only(condition);
        }
    }
}

impl Source for Steady {
    fn columns(&self) -> &[Column] {
        self.source.columns()
    }

    fn delimiter(&self) -> Option<char> {
        self.source.delimiter()
    }

    fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally> {
        let read = self.form.read(&self.path, || self.source.read_texts(take));
        self.same(read)
    }
}
