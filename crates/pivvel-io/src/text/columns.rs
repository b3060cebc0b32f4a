//! The columns of a source of text: their names, and how the values of each are read.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_schema::{DataType, Field, Schema, SchemaRef};
use pivvel_core::source::{Kind, NO_WORD, UNSEEN, YES_WORD};
use pivvel_core::{Error, Result};

use super::Chunk;
use crate::kinds::{ColumnKind, Evidence, GivenKind};

/// A column: its name and how it is read.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// use pivvel::source::{Kind, Source};
///
/// let pieces = &lines.columns()[2];
/// assert_eq!((pieces.name(), pieces.kind().kind()), ("pieces", Kind::Whole));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Column {
    pub(crate) name: String,
    pub(crate) kind: ColumnKind,
    /// The kind that it was given.
    pub(crate) given: Option<GivenKind>,
}

pivvel_core::getters! {
    Column {
        /// The name that formulas use.
        name: &str,
        /// How its values are read.
        kind: &ColumnKind,
    }
}

/// The columns of a source.
#[derive(Debug, Clone, Default)]
pub(crate) struct TextColumns {
    pub(crate) all: Vec<Column>,
    /// What stands before decimals, where the columns agree about it.
    point: Option<char>,
}

impl TextColumns {
    /// Finds out what columns hold from the first lines, where it is not given. `point` is what stands before
    /// decimals, where the form of the lines says it.
    pub(crate) fn find(
        names: Vec<String>,
        evidence: Vec<Evidence>,
        given: &[(String, String)],
        point: Option<char>,
    ) -> Result<TextColumns> {
        check_given(given, &names)?;
        let mut points: Vec<char> = evidence.iter().filter_map(Evidence::point).collect();
        points.dedup();
        let point = point.or(if let [one] = points[..] { Some(one) } else { None });
        let mut all = Vec::with_capacity(names.len());
        for (name, evidence) in names.into_iter().zip(evidence) {
            let given = given.iter().rev().find(|(column, _)| *column == name);
            let given = given.map(|(_, given)| GivenKind::parse(&name, given)).transpose()?;
            let kind = match given {
                Some(given) => evidence.given(&name, given)?,
                None => evidence.kind(&name, point),
            };
            all.push(Column { name, kind, given });
        }
        Ok(TextColumns { all, point })
    }

    /// One column alone.
    pub(crate) fn one(column: Column) -> TextColumns {
        TextColumns { all: vec![column], point: None }
    }

    /// Reads a column by what all of its values say; whether that is otherwise than before.
    ///
    /// # Errors
    /// A kind that was given and cannot be read.
    pub(crate) fn settle(&mut self, place: usize, evidence: &Evidence) -> Result<bool> {
        let column = &mut self.all[place];
        let kind = match column.given {
            Some(given) => evidence.given(&column.name, given)?,
            None => evidence.kind(&column.name, self.point),
        };
        let before = std::mem::replace(&mut column.kind, ColumnKind { settled: true, ..kind });
        Ok(before != ColumnKind { settled: before.settled, ..column.kind.clone() })
    }

    /// Notes that all values of some columns were read as what they are.
    pub(crate) fn were_read(&mut self, places: &[usize]) {
        places.iter().for_each(|place| self.all[*place].kind.settled = true);
    }

    pub(crate) fn schema(&self) -> SchemaRef {
        let field = |column: &Column| {
            let field = Field::new(&column.name, column.kind.data_type(), true);
            // What members of such a column are called is as it is written.
            let words = column.kind.yes_no_words.iter().flat_map(|[no, yes]| {
                [(NO_WORD.to_string(), no.clone()), (YES_WORD.to_string(), yes.clone())]
            });
            let unseen = column.kind.unseen.then(|| (UNSEEN.to_string(), String::new()));
            field.with_metadata(words.chain(unseen).collect::<HashMap<String, String>>())
        };
        Arc::new(Schema::new(self.all.iter().map(field).collect::<Vec<_>>()))
    }

    /// Gives a column a wider kind.
    pub(crate) fn widen(&mut self, column: &str, kind: Kind) -> bool {
        let Some(column) = self.all.iter_mut().find(|known| known.name == column) else { return false };
        // The same kind again means that its digits are too many for the narrow form.
        column.kind.wide |= column.kind.kind == kind;
        column.kind.kind = kind;
        true
    }

    pub(crate) fn trouble(&self, column: &str) -> Option<String> {
        self.all.iter().find(|known| known.name == column)?.kind.trouble.clone()
    }
}

/// That kinds are given to columns that there are.
pub(crate) fn check_given(given: &[(String, String)], names: &[String]) -> Result<()> {
    match given.iter().find(|(column, _)| !names.contains(column)) {
        Some((column, _)) => Err(Error::unknown("kinds", "column", column, names.iter().map(String::as_str))),
        None => Ok(()),
    }
}

/// What the lines of a chunk say about each column.
pub(crate) fn gather(chunk: &Chunk, lines: usize, evidence: &mut [Evidence]) {
    for (i, evidence) in evidence.iter_mut().enumerate() {
        // What is not quickly taken is taken once: a text that comes again says the same.
        let mut places: HashMap<&[u8], usize, foldhash::fast::RandomState> = HashMap::default();
        let mut texts: Vec<(&[u8], u64)> = Vec::new();
        for text in chunk.fields(i).take(lines).map(|field| field.text()) {
            if evidence.take_quickly(text, 1) {
                continue;
            }
            let place = *places.entry(text).or_insert(texts.len());
            match texts.get_mut(place) {
                Some((_, times)) => *times += 1,
                None => texts.push((text, 1)),
            }
        }
        texts.into_iter().for_each(|(text, times)| evidence.take(&String::from_utf8_lossy(text), times));
    }
}

impl ColumnKind {
    /// The type of the column's arrays.
    pub(crate) fn data_type(&self) -> DataType {
        match self.kind {
            Kind::Text => DataType::Utf8View,
            Kind::Date => DataType::Date32,
            Kind::Whole if self.wide => DataType::Decimal128(38, 0),
            Kind::Whole => DataType::Int64,
            Kind::Decimal { scale } if self.wide => DataType::Decimal128(38, scale as i8),
            Kind::Decimal { scale } => DataType::Decimal64(18, scale as i8),
            Kind::Float => DataType::Float64,
            Kind::YesNo => DataType::Boolean,
        }
    }
}
