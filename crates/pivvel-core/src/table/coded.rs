//! Columns of texts that come again from row to row: each text is looked up once for the place or the group that it
//! is of, and the rows hold codes.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::types::Int32Type;
use arrow_array::{Array, ArrayRef, DictionaryArray, Int32Array, RecordBatch, StringArray, UInt32Array};
use arrow_schema::{FieldRef, Schema, SchemaRef};
use arrow_select::take::take;
use foldhash::fast::FixedState;

use super::pools::Pool;
use super::spec::Texts;
use crate::crosstab::Cell;
use crate::model::Value;
use crate::peers::{Peers, Yardstick};
use crate::rollup::{Axis, Entry, OfAxis};

/// A column of texts: the code of each row, and the text of each code.
pub(super) struct Coded<'r, 'a> {
    codes: &'r [u32],
    texts: Vec<Option<&'a str>>,
}

impl<'r, 'a> Coded<'r, 'a> {
    pub(super) fn new(codes: &'r [u32], texts: impl Iterator<Item = Option<&'a str>>) -> Coded<'r, 'a> {
        Coded { codes, texts: texts.collect() }
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
        let texts: StringArray = self.texts.iter().copied().collect();
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
        DictionaryArray::new(keys, Arc::new(kept.into_iter().collect::<StringArray>()))
    }
}

/// Numbers the different ones of some things in the order in which they come.
struct Interner<T> {
    known: HashMap<T, u32, FixedState>,
    last: Option<(T, u32)>,
}

impl<T: Copy + Eq + std::hash::Hash> Interner<T> {
    fn new() -> Interner<T> {
        Interner { known: HashMap::default(), last: None }
    }

    /// The number of a thing, and whether it is new.
    fn intern(&mut self, thing: T) -> (u32, bool) {
        if let Some((_, number)) = self.last.filter(|(last, _)| *last == thing) {
            return (number, false);
        }
        let next = self.known.len() as u32;
        let number = *self.known.entry(thing).or_insert(next);
        self.last = Some((thing, number));
        (number, number == next)
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
        let (mut interner, mut entries) = (Interner::new(), Vec::new());
        let mut code = |entry: Entry<S>| {
            let (code, is_new) = interner.intern(entry);
            if is_new {
                entries.push(entry);
            }
            code
        };
        let codes = rows.map(&mut code).collect();
        AxisCodes { axis, entries, codes }
    }

    fn coded(&self, text: impl Fn(Entry<S>) -> Option<&'a str>) -> Coded<'_, 'a> {
        Coded::new(&self.codes, self.entries.iter().map(|entry| text(*entry)))
    }

    /// The labels at a level; nothing where it is rolled up.
    pub(super) fn labels(&self, level: usize) -> Coded<'_, 'a> {
        self.coded(move |entry| self.axis.label_at(entry, level))
    }

    pub(super) fn levels(&self) -> Coded<'_, 'a> {
        self.coded(|entry| Some(self.axis.level_name(entry.level())))
    }

    pub(super) fn kinds(&self) -> Coded<'_, 'a> {
        self.coded(|entry| Some(self.axis.kind(entry).name()))
    }
}

/// The peers of rows of the tidy result.
pub(super) struct RowPeers<'a> {
    groups: Vec<PeerGroup<'a>>,
    codes: Vec<u32>,
}

/// A group of peers.
pub(super) struct PeerGroup<'a> {
    pub(super) peers: &'a Peers,
    pub(super) yardstick: Option<&'a Yardstick>,
    name: &'a str,
}

impl<'a> RowPeers<'a> {
    /// Of rows that each hold a measure of a cell.
    pub(super) fn new(rows: impl Iterator<Item = (Cell<'a>, usize)>) -> RowPeers<'a> {
        let (mut interner, mut groups) = (Interner::new(), Vec::new());
        let mut code = |(cell, measure): (Cell<'a>, usize)| {
            let peers = cell.crosstab().peers_at(measure, cell.grain());
            let id = cell.id as usize;
            let (code, is_new) = interner.intern((std::ptr::from_ref(peers), peers.group(id)));
            if is_new {
                let name = cell.peers_name(measure, peers).unwrap_or_default();
                groups.push(PeerGroup { peers, yardstick: peers.yardstick_of(id), name });
            }
            code
        };
        let codes = rows.map(&mut code).collect();
        RowPeers { groups, codes }
    }

    pub(super) fn names(&self) -> Coded<'_, 'a> {
        Coded::new(&self.codes, self.groups.iter().map(|group| Some(group.name)))
    }

    /// The group of each row.
    pub(super) fn of_rows(&self) -> impl Iterator<Item = &PeerGroup<'a>> {
        self.codes.iter().map(|code| &self.groups[*code as usize])
    }

    /// Something of the yardstick of each row.
    pub(super) fn of_yardsticks<T: Copy>(
        &self,
        of: impl Fn(Option<&Yardstick>) -> T,
    ) -> impl ExactSizeIterator<Item = T> {
        let by_group: Vec<T> = self.groups.iter().map(|group| of(group.yardstick)).collect();
        self.codes.iter().map(move |code| by_group[*code as usize])
    }

    /// A number of the yardstick of each row, with all its digits.
    pub(super) fn digits_of(&self, of: impl Fn(&Yardstick) -> Value, form: Texts) -> ArrayRef {
        let digits = |group: &PeerGroup<'_>| group.yardstick.map(|yardstick| of(yardstick).to_string());
        let texts: Vec<Option<String>> = self.groups.iter().map(digits).collect();
        Coded::new(&self.codes, texts.iter().map(Option::as_deref)).array(form, None)
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
