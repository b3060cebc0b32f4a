//! JSON as a form of text: an object a line, or an array of objects, whose names are the columns. Numbers keep the
//! digits that they are written with.

use std::borrow::Cow;
use std::collections::HashMap;
use std::fmt;
use std::sync::Arc;

use pivvel_core::source::ReadProgress;
use pivvel_core::{Error, Result};
use serde::de::{Deserialize, Deserializer, MapAccess, Visitor};
use serde_json::value::RawValue;

use crate::bytes::{Bytes, Head};
use crate::csv::HEAD_LINES;
use crate::json_array::{Objects, first_objects};
use crate::kinds::Evidence;
use crate::source::ReadOptions;
use crate::text::{Blocks, Chunk, Chunks, Form, Split, TextColumns, TextSource, gather};

struct JsonLines {
    bytes: Bytes,
    names: Arc<[String]>,
    block_bytes: Option<usize>,
    /// Whether the objects stand in an array.
    is_array: bool,
}

/// The lines of a text that begins like an object, or like an array of them. The columns are the names that the first
/// lines have.
pub(crate) fn open(bytes: Bytes, head: &Head, is_array: bool, options: &ReadOptions) -> Result<TextSource> {
    let mut names: Vec<String> = Vec::new();
    let objects: Cow<'_, [u8]> = match (is_array, head.ended) {
        (true, _) => first_objects(head.text()).into(),
        (false, true) => head.bytes.as_slice().into(),
        (false, false) => head.bytes[..memchr::memrchr(b'\n', &head.bytes).map_or(0, |at| at + 1)].into(),
    };
    for line in objects.split(|b| *b == b'\n').take(HEAD_LINES) {
        let Ok(fields) = serde_json::from_slice::<Fields>(line) else { continue };
        for (name, _) in fields.0 {
            if !names.iter().any(|known| *known == name) {
                names.push(name.into_owned());
            }
        }
    }
    if names.is_empty() {
        return Err(Error::data(&bytes.name, "no line is a JSON object with names and values"));
    }
    let names: Arc<[String]> = names.into();
    let mut splitter = Splitter::new(names.clone());
    let mut chunk = Chunk::of(names.len());
    chunk.bytes.extend_from_slice(&objects);
    splitter.split(&mut chunk);
    let mut evidence = vec![Evidence::default(); names.len()];
    gather(&chunk, chunk.len().min(HEAD_LINES), &mut evidence);
    let columns = TextColumns::find(names.to_vec(), evidence, &options.kinds, Some('.'))?;
    let (name, block_bytes) = (bytes.name.clone(), options.block_bytes);
    let form = JsonLines { bytes, names, block_bytes, is_array };
    Ok(TextSource::new(name, columns, Vec::new(), options.bad_values, Box::new(form)))
}

impl Form for JsonLines {
    fn chunks(&mut self, _: &[usize]) -> Result<Box<dyn Chunks>> {
        let reader = self.bytes.read()?;
        match self.is_array {
            true => Ok(Box::new(Objects::start(reader, &self.bytes.name, self.block_bytes))),
            false => Ok(Box::new(Blocks::new(reader, &self.bytes.name, None, self.block_bytes))),
        }
    }

    fn splitter(&self) -> Box<dyn Split> {
        Box::new(Splitter::new(self.names.clone()))
    }

    fn repeats(&self) -> bool {
        self.bytes.repeats()
    }

    fn first_line(&self) -> u64 {
        1
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        Some(self.bytes.progress.clone())
    }
}

struct Splitter {
    places: HashMap<String, usize>,
    names: Arc<[String]>,
    raw: Vec<u8>,
}

impl Splitter {
    fn new(names: Arc<[String]>) -> Splitter {
        let places = names.iter().enumerate().map(|(i, name)| (name.clone(), i)).collect();
        Splitter { places, names, raw: Vec::new() }
    }
}

impl Split for Splitter {
    fn split(&mut self, chunk: &mut Chunk) {
        std::mem::swap(&mut self.raw, &mut chunk.bytes);
        chunk.bytes.clear();
        let raw = self.raw.strip_suffix(b"\n").unwrap_or(&self.raw);
        let mut texts: Vec<Cow<'_, str>> = Vec::with_capacity(self.names.len());
        for line in raw.split(|b| *b == b'\n') {
            texts.clear();
            texts.resize(self.names.len(), Cow::Borrowed(""));
            if !line.iter().all(u8::is_ascii_whitespace) {
                match serde_json::from_slice::<Fields>(line) {
                    Ok(fields) => {
                        for (i, (name, value)) in fields.0.into_iter().enumerate() {
                            // Objects of one file have their names in one order, as a rule.
                            let here = self.names.get(i).is_some_and(|known| *known == name);
                            let place = if here { Some(i) } else { self.places.get(&*name).copied() };
                            if let Some(place) = place {
                                texts[place] = text(value);
                            }
                        }
                    }
                    Err(error) => {
                        // The line within the file stands in the place.
                        let message = error.to_string();
                        let message = message.split(" at line ").next().unwrap_or_default();
                        let at = error.column();
                        let wrong = format!(
                            "this is no JSON object with names and values: {message} at character {at}"
                        );
                        chunk.broken.push((chunk.stretch, wrong));
                        chunk.stretch += 1;
                        continue;
                    }
                }
            }
            chunk.push(texts.iter().map(Cow::as_ref));
        }
    }
}

/// A value as text: a string's own, nothing for null, and anything else as it is written.
fn text(value: &RawValue) -> Cow<'_, str> {
    match value.get() {
        "null" => Cow::Borrowed(""),
        quoted if quoted.starts_with('"') => match quoted.contains('\\') {
            false => Cow::Borrowed(&quoted[1..quoted.len() - 1]),
            true => serde_json::from_str::<String>(quoted).map_or(Cow::Borrowed(""), Cow::Owned),
        },
        text => Cow::Borrowed(text),
    }
}

/// The names and values of an object, in their order.
struct Fields<'a>(Vec<(Cow<'a, str>, &'a RawValue)>);

impl<'de> Deserialize<'de> for Fields<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Fields<'de>, D::Error> {
        struct Object;
        impl<'de> Visitor<'de> for Object {
            type Value = Fields<'de>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("an object")
            }

            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<Fields<'de>, M::Error> {
                let mut fields = Vec::new();
                while let Some(name) = map.next_key::<Name<'de>>()? {
                    fields.push((name.0, map.next_value()?));
                }
                Ok(Fields(fields))
            }
        }
        deserializer.deserialize_map(Object)
    }
}

/// A name, which is borrowed where nothing in it is escaped.
struct Name<'a>(Cow<'a, str>);

impl<'de> Deserialize<'de> for Name<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Name<'de>, D::Error> {
        struct Text;
        impl<'de> Visitor<'de> for Text {
            type Value = Name<'de>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a name")
            }

            fn visit_borrowed_str<E>(self, text: &'de str) -> Result<Name<'de>, E> {
                Ok(Name(Cow::Borrowed(text)))
            }

            fn visit_str<E>(self, text: &str) -> Result<Name<'de>, E> {
                Ok(Name(Cow::Owned(text.into())))
            }
        }
        deserializer.deserialize_str(Text)
    }
}
