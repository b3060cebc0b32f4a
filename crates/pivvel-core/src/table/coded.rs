//! Columns of texts that come again from row to row: each text is looked up once for the place or the group that it
//! is of, and the rows hold codes.

use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::types::Int32Type;
use arrow_array::{Array, ArrayRef, DictionaryArray, Int32Array, RecordBatch, StringArray, UInt32Array};
use arrow_buffer::OffsetBuffer;
use arrow_schema::{FieldRef, Schema, SchemaRef};
use arrow_select::take::take;
use foldhash::fast::FixedState;

use super::pools::Pool;
use super::spec::Texts;
use crate::lines::MemberId;
use crate::rollup::{Axis, Entry, OfAxis};

/// A column of texts: the code of each row, and the text of each code.
pub(super) struct Coded<'r, 'a> {
    codes: Cow<'r, [u32]>,
    texts: Vec<Option<&'a str>>,
}

impl<'r, 'a> Coded<'r, 'a> {
    pub(super) fn new(codes: &'r [u32], texts: impl Iterator<Item = Option<&'a str>>) -> Coded<'r, 'a> {
        Coded { codes: Cow::Borrowed(codes), texts: texts.collect() }
    }

    /// The text of each code.
    pub(super) fn texts(&self) -> impl Iterator<Item = Option<&'a str>> + Clone {
        self.texts.iter().copied()
    }

    /// As a column that has a pool, or none.
    pub(super) fn array(&self, form: Texts, pool: Option<&Pool>) -> ArrayRef {
        match (form, pool) {
            (Texts::Dictionary, _) => Arc::new(self.dictionary()),
            (Texts::OfTable, Some(pool)) => pool.array(self.texts(), self.codes.iter().copied()),
            (Texts::OfTable, None) => self.utf8(),
        }
    }

    fn utf8(&self) -> ArrayRef {
        let texts = texts_of(&self.texts);
        let codes = UInt32Array::from(self.codes.to_vec());
        take(&texts, &codes, None).unwrap_or_else(|e| unreachable!("every code has its text: {e}"))
    }

    /// Texts that are the same one after the other have one code, so that a row has the code of the row before
    /// wherever it has its text.
    fn dictionary(&self) -> DictionaryArray<Int32Type> {
        let mut kept: Vec<Option<&str>> = Vec::new();
        let mut own_code = |text: &Option<&'a str>| {
            if kept.last() != Some(text) {
                kept.push(*text);
            }
            kept.len() as i32 - 1
        };
        let codes: Vec<i32> = self.texts.iter().map(&mut own_code).collect();
        let key = |code: &u32| codes[*code as usize];
        let keys: Int32Array = match kept.contains(&None) {
            true => self.codes.iter().map(|code| kept[key(code) as usize].map(|_| key(code))).collect(),
            false => self.codes.iter().map(key).collect::<Vec<i32>>().into(),
        };
        DictionaryArray::new(keys, Arc::new(texts_of(&kept)))
    }
}

/// Texts as an array. There may be millions, which its builder takes one by one.
fn texts_of(texts: &[Option<&str>]) -> StringArray {
    let mut bytes = Vec::with_capacity(texts.iter().flatten().map(|text| text.len()).sum());
    texts.iter().flatten().for_each(|text| bytes.extend_from_slice(text.as_bytes()));
    let lengths = texts.iter().map(|text| text.map_or(0, str::len));
    let nulls = texts.contains(&None).then(|| texts.iter().map(Option::is_some).collect());
    let array = StringArray::try_new(OffsetBuffer::from_lengths(lengths), bytes.into(), nulls);
    array.unwrap_or_else(|e| unreachable!("these are texts: {e}"))
}

/// Numbers the different ones of some things in the order in which they come.
struct Interner<T> {
    known: HashMap<T, u32, FixedState>,
    all: Vec<T>,
    /// The number that was given last.
    last: usize,
}

impl<T: Copy + Eq + std::hash::Hash> Interner<T> {
    fn new() -> Interner<T> {
        Interner { known: HashMap::default(), all: Vec::new(), last: 0 }
    }

    /// The number of a thing. Often it is the last one or the one after it, or they begin anew, as columns do in every row.
    fn intern(&mut self, thing: T) -> u32 {
        let guesses = [self.last, self.last + 1, 0];
        let known = guesses.into_iter().find(|guess| self.all.get(*guess) == Some(&thing));
        self.last = known.unwrap_or_else(|| {
            let number = *self.known.entry(thing).or_insert(self.all.len() as u32) as usize;
            if number == self.all.len() {
                self.all.push(thing);
            }
            number
        });
        self.last as u32
    }
}

/// The entries of an axis that rows of a table stand in, and the code of each row's own.
pub(super) struct AxisCodes<'a, S> {
    pub(super) axis: &'a Axis<S>,
    pub(super) entries: Vec<Entry<S>>,
    pub(super) codes: Vec<u32>,
}

impl<'a, S: OfAxis> AxisCodes<'a, S> {
    /// The codes of rows where those of one entry stand together. There may be millions of entries, so none is looked up.
    pub(super) fn of_runs(axis: &'a Axis<S>, rows: impl Iterator<Item = Entry<S>>) -> AxisCodes<'a, S> {
        let mut entries: Vec<Entry<S>> = Vec::new();
        let mut code = |entry: Entry<S>| {
            if entries.last() != Some(&entry) {
                entries.push(entry);
            }
            entries.len() as u32 - 1
        };
        let codes = rows.map(&mut code).collect();
        AxisCodes { axis, entries, codes }
    }

    pub(super) fn new(axis: &'a Axis<S>, rows: impl Iterator<Item = Entry<S>>) -> AxisCodes<'a, S> {
        let mut entries = Interner::new();
        let codes = rows.map(|entry| entries.intern(entry)).collect();
        AxisCodes { axis, entries: entries.all, codes }
    }

    /// The member of a level that each entry is, or is under; none where it is rolled up.
    pub(super) fn members(&self, level: usize) -> Vec<Option<MemberId>> {
        self.entries.iter().map(|entry| self.axis.member_id_at(*entry, level)).collect()
    }

    /// The labels of members of a level, by entry.
    pub(super) fn labels(&self, level: usize, members: &[Option<MemberId>]) -> Coded<'_, 'a> {
        let of_level = self.axis.members(level - 1);
        Coded::new(&self.codes, members.iter().map(|id| id.map(|id| of_level.label(id))))
    }

    pub(super) fn levels(&self) -> Coded<'_, 'a> {
        self.of_few(Entry::level, |level| self.axis.level_name(level))
    }

    pub(super) fn kinds(&self) -> Coded<'_, 'a> {
        self.of_few(|entry| self.axis.kind(entry), |kind| kind.name())
    }

    /// Texts of which there are few, each by what it says of entries.
    fn of_few<K: Copy + PartialEq>(
        &self,
        what: impl Fn(Entry<S>) -> K,
        text: impl Fn(K) -> &'a str,
    ) -> Coded<'_, 'a> {
        let mut few: Vec<K> = Vec::new();
        let mut number = |entry: &Entry<S>| {
            let own = what(*entry);
            let known = few.iter().position(|known| *known == own);
            known.unwrap_or_else(|| {
                few.push(own);
                few.len() - 1
            }) as u32
        };
        let numbers: Vec<u32> = self.entries.iter().map(&mut number).collect();
        let codes = self.codes.iter().map(|code| numbers[*code as usize]).collect();
        Coded { codes: Cow::Owned(codes), texts: few.into_iter().map(|own| Some(text(own))).collect() }
    }
}

/// A batch of columns of a schema; the texts among them may be coded.
pub(super) fn batch_of(schema: &SchemaRef, columns: Vec<ArrayRef>) -> RecordBatch {
    let field = |(field, column): (&FieldRef, &ArrayRef)| match field.data_type() == column.data_type() {
        true => field.clone(),
        false => Arc::new(field.as_ref().clone().with_data_type(column.data_type().clone())),
    };
    let fields: Vec<FieldRef> = schema.fields().iter().zip(&columns).map(field).collect();
    let schema = Schema::new(fields).with_metadata(schema.metadata().clone());
    RecordBatch::try_new(Arc::new(schema), columns)
        .unwrap_or_else(|e| unreachable!("every column is as the schema says: {e}"))
}
