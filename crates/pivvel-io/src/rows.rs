//! Rows of a database, fetched by a thread of their own while others work on those before.

use std::sync::Mutex;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use pivvel_core::{Error, Result};

use crate::text::{Chunk, Chunks};

/// Rows that make a chunk, and chunks that wait at most.
const ROWS: usize = 4_096;
const WAITING: usize = 4;

/// Rows as they come.
pub(crate) struct Fetched {
    receive: Mutex<Receiver<Result<Chunk>>>,
    next: u64,
}

/// Where fetched rows go to.
pub(crate) struct Fetching {
    send: SyncSender<Result<Chunk>>,
    chunk: Chunk,
    columns: usize,
}

/// Nobody wants more rows.
pub(crate) struct Enough;

impl Fetched {
    /// Fetches rows of so many columns by `fetch`, which gives each of them to what it is handed.
    pub(crate) fn start(
        columns: usize,
        fetch: impl FnOnce(&mut Fetching) -> Result<()> + Send + 'static,
    ) -> Fetched {
        let (send, receive) = sync_channel(WAITING);
        std::thread::spawn(move || {
            let mut fetching = Fetching { send, chunk: Chunk::of(columns), columns };
            let outcome = fetch(&mut fetching).map(|()| fetching.chunk);
            // A reader that is gone wants neither rows nor errors.
            let _ = fetching.send.send(outcome);
        });
        Fetched { receive: Mutex::new(receive), next: 0 }
    }
}

impl Fetching {
    /// Counts values of the next row that are no number or infinite.
    pub(crate) fn count_not_finite(&mut self, values: u64) {
        self.chunk.not_finite += values;
    }

    /// Takes a row; a blank is an empty text.
    pub(crate) fn row<'a>(&mut self, fields: impl Iterator<Item = &'a str>) -> Result<(), Enough> {
        self.chunk.push_row(fields);
        if self.chunk.len() < ROWS {
            return Ok(());
        }
        let full = std::mem::replace(&mut self.chunk, Chunk::of(self.columns));
        self.send.send(Ok(full)).map_err(|_| Enough)
    }
}

impl Chunks for Fetched {
    fn next(&mut self, chunk: &mut Chunk) -> Result<Option<u64>> {
        let received = self.receive.get_mut().map(|receive| receive.recv());
        let Ok(Ok(fetched)) = received else { return Ok(None) };
        *chunk = fetched?;
        if chunk.len() == 0 {
            return Ok(None);
        }
        self.next += 1;
        Ok(Some(self.next - 1))
    }
}

/// A table among those that there are: the one that is named, or the only one.
pub(crate) fn choose(place: &str, wanted: Option<&str>, tables: &[String]) -> Result<String> {
    match (wanted, tables) {
        (Some(wanted), _) if tables.iter().any(|table| table == wanted) => Ok(wanted.into()),
        (Some(wanted), _) => Err(Error::unknown(place, "table", wanted, tables.iter().map(String::as_str))),
        (None, [only]) => Ok(only.clone()),
        (None, []) => Err(Error::data(place, "there is no table in this database")),
        (None, _) => {
            let some: Vec<&str> = tables.iter().take(12).map(String::as_str).collect();
            let message =
                format!("say which table is meant, as in #table={}; there are {}", some[0], some.join(", "));
            Err(Error::request(place, message))
        }
    }
}

/// A name as SQL has it: in quotes, whatever it holds.
pub(crate) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}
