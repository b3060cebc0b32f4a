//! What does not fit, gathered from chunks that several threads read, and reported in the order of the
//! lines whatever order it was found in.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use pivvel_core::error::Misfit;
use pivvel_core::source::Kind;
use pivvel_core::{Error, Result};

/// Misfits that are listed at once.
const LISTED: usize = 10;

/// What a chunk was found to hold that stops the work. Lines are counted from 0 at its beginning.
#[derive(Debug)]
pub(crate) enum Trouble {
    Misfits(Vec<Misfit>),
    /// A value that would fit a wider kind.
    Wider {
        line: u64,
        column: String,
        found: Kind,
        needed: Kind,
    },
    /// A value that does not fit what the first lines led to believe, of a column that can be looked at again.
    Again {
        column: String,
        misfit: Misfit,
    },
    NotUtf8 {
        line: u64,
        column: String,
    },
}

/// The troubles of all chunks.
#[derive(Debug, Default)]
pub(crate) struct Troubles {
    enough: AtomicBool,
    misfits: AtomicUsize,
    /// Chunk, and how many lines of the file it stretches over.
    stretches: Mutex<Vec<(u64, u64)>>,
    met: Mutex<Vec<(u64, Trouble)>>,
}

impl Troubles {
    /// Notes that a chunk was read. Chunks are handed out in order, and whoever was handed one notes
    /// it, so that the place of each is known in the end.
    pub(crate) fn read(&self, chunk: u64, stretch: u64) {
        self.stretches.lock().unwrap_or_else(PoisonError::into_inner).push((chunk, stretch));
    }

    /// Notes what is wrong with a chunk.
    pub(crate) fn meet(&self, chunk: u64, trouble: Trouble) {
        let enough = match &trouble {
            Trouble::Misfits(misfits) => {
                self.misfits.fetch_add(misfits.len(), Ordering::Relaxed) + misfits.len() >= LISTED
            }
            Trouble::Wider { .. } | Trouble::Again { .. } | Trouble::NotUtf8 { .. } => true,
        };
        self.met.lock().unwrap_or_else(PoisonError::into_inner).push((chunk, trouble));
        if enough {
            self.stop();
        }
    }

    /// Lets no more chunks be handed out.
    pub(crate) fn stop(&self) {
        self.enough.store(true, Ordering::Relaxed);
    }

    /// Whether reading on tells nothing more.
    pub(crate) fn is_enough(&self) -> bool {
        self.enough.load(Ordering::Relaxed)
    }

    /// The first trouble as an error. `first` is the line of the file that the first chunk begins at.
    pub(crate) fn finish(self, name: &str, first: u64) -> Result<()> {
        let mut met = self.met.into_inner().unwrap_or_else(PoisonError::into_inner);
        let mut stretches = self.stretches.into_inner().unwrap_or_else(PoisonError::into_inner);
        met.sort_by_key(|(chunk, _)| *chunk);
        stretches.sort_unstable();
        let mut lines = stretches.into_iter().scan(first, |line, (chunk, stretch)| {
            let begins = *line;
            *line += stretch;
            Some((chunk, begins))
        });
        let mut listed: Vec<Misfit> = Vec::new();
        for (chunk, trouble) in met {
            let begins = lines.find(|(known, _)| *known == chunk).map_or(first, |(_, line)| line);
            match trouble {
                Trouble::Misfits(misfits) => {
                    let placed = misfits.into_iter().map(|misfit| misfit.after(begins));
                    listed.extend(placed);
                }
                Trouble::Wider { line, column, found, needed } if listed.is_empty() => {
                    let place = format!("{name}, line {}", begins + line);
                    return Err(Error::widen(place, &column, found, needed));
                }
                Trouble::Again { column, misfit } if listed.is_empty() => {
                    return Err(Error::reconsider(column, list(name, vec![misfit.after(begins)])));
                }
                Trouble::NotUtf8 { line, column } if listed.is_empty() => {
                    return Err(not_utf8(name, begins + line, &column));
                }
                Trouble::Wider { .. } | Trouble::Again { .. } | Trouble::NotUtf8 { .. } => {}
            }
            if listed.len() >= LISTED {
                break;
            }
        }
        if listed.is_empty() { Ok(()) } else { Err(list(name, listed)) }
    }
}

/// That a text in a line of a file is not encoded as UTF-8.
pub(crate) fn not_utf8(name: &str, line: u64, column: &str) -> Error {
    let message = "the text is not encoded as UTF-8; save the file as UTF-8";
    Error::data(format!("{name}, line {line}, column {column}"), message)
}

fn list(name: &str, mut misfits: Vec<Misfit>) -> Error {
    misfits.sort_by_key(|misfit| misfit.line());
    let many = misfits.len() >= LISTED;
    misfits.truncate(LISTED);
    let column = misfits[0].column();
    let more = if many { "these are the first ten; " } else { "" };
    let text = match column.is_empty() {
        true => String::new(),
        false => format!(", or --as '{column}=text' to take the column as it is"),
    };
    let hint = format!("{more}say --bad-values blank to go on without them{text}");
    Error::misfits(name, misfits, hint)
}
