//! A JSON array of objects, brought into lines: each object is a line of its own, and lines are counted by objects.

use std::io::{BufReader, Read};
use std::sync::Mutex;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use pivvel_core::{Error, Result};
use serde::de::{Deserializer as _, Error as _, SeqAccess, Visitor};
use serde_json::value::RawValue;

use crate::bytes::failed;
use crate::text::{Chunk, Chunks};

/// Bytes that make a block, and blocks that wait at most.
const BLOCK_BYTES: usize = 256 << 10;
const WAITING: usize = 4;

/// The objects of an array, read by a thread of their own while others split those before.
pub(crate) struct Objects {
    receive: Mutex<Receiver<Result<Vec<u8>>>>,
    next: u64,
}

impl Objects {
    /// Reads an array from its beginning.
    pub(crate) fn start(reader: Box<dyn Read + Send>, name: &str, size: Option<usize>) -> Objects {
        let (send, receive) = sync_channel(WAITING);
        let (name, size) = (name.to_string(), size.unwrap_or(BLOCK_BYTES));
        std::thread::spawn(move || {
            // A reader that is gone wants neither lines nor errors.
            let _ = match read(reader, size, &send) {
                Ok(rest) => send.send(Ok(rest)),
                Err(error) => send.send(Err(wrong(&name, error))),
            };
        });
        Objects { receive: Mutex::new(receive), next: 0 }
    }
}

impl Chunks for Objects {
    fn next(&mut self, chunk: &mut Chunk) -> Result<Option<u64>> {
        let received = self.receive.get_mut().map(|receive| receive.recv());
        let Ok(Ok(lines)) = received else { return Ok(None) };
        chunk.bytes = lines?;
        if chunk.bytes.is_empty() {
            return Ok(None);
        }
        self.next += 1;
        Ok(Some(self.next - 1))
    }
}

/// The whole objects of an array's beginning, as lines.
pub(crate) fn first_objects(head: &[u8]) -> Vec<u8> {
    let mut lines = Vec::new();
    // What follows the last whole object is read later, and what is wrong is found then.
    let _ = each_object(head, &mut |object| {
        push(&mut lines, object);
        true
    });
    lines
}

/// Sends blocks of objects; what is left in the end is the answer.
fn read(
    reader: impl Read,
    size: usize,
    send: &SyncSender<Result<Vec<u8>>>,
) -> Result<Vec<u8>, serde_json::Error> {
    let mut lines = Vec::new();
    each_object(BufReader::new(reader), &mut |object| {
        push(&mut lines, object);
        lines.len() < size || send.send(Ok(std::mem::take(&mut lines))).is_ok()
    })?;
    Ok(lines)
}

/// Adds a line. Line breaks of JSON are white space, for those in texts are escaped.
fn push(lines: &mut Vec<u8>, object: &str) {
    lines.extend(object.bytes().map(|byte| if matches!(byte, b'\n' | b'\r') { b' ' } else { byte }));
    lines.push(b'\n');
}

/// Hands out each object of an array as it is written, while `take` wants more.
fn each_object(
    reader: impl Read,
    take: &mut dyn FnMut(&str) -> bool,
) -> std::result::Result<(), serde_json::Error> {
    struct Array<'a>(&'a mut dyn FnMut(&str) -> bool);
    impl<'de> Visitor<'de> for Array<'_> {
        type Value = ();

        fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
            f.write_str("an array")
        }

        fn visit_seq<S: SeqAccess<'de>>(self, mut objects: S) -> std::result::Result<(), S::Error> {
            while let Some(object) = objects.next_element::<Box<RawValue>>()? {
                if !(self.0)(object.get()) {
                    return Err(S::Error::custom("no more objects are wanted"));
                }
            }
            Ok(())
        }
    }
    let mut reader = serde_json::Deserializer::from_reader(reader);
    reader.deserialize_seq(Array(take))?;
    reader.end()
}

/// What is wrong with an array, in words.
fn wrong(name: &str, error: serde_json::Error) -> Error {
    if error.is_io() {
        return failed(name, error.into());
    }
    match error.is_eof() {
        true => Error::data(name, "the JSON array has no end: the file was cut short"),
        false => Error::data(name, format!("this is no JSON array of objects: {error}")),
    }
}
