//! A column of a batch to member ids, a column at a time.

use std::borrow::Cow;
use std::ops::{Deref, Range};
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef, ArrowPrimitiveType, PrimitiveArray};
use arrow_buffer::NullBuffer;
use arrow_schema::DataType;
use hashbrown::HashTable;

use super::Member;
use super::coded_members::{CodedMembers, FoundBy};
use super::dictionary::{Dictionary, mix};
use super::key_table::KeyTable;
use crate::error::{Error, Result};
use crate::model::{DatePart, DayTable, Kind, Period, in_shares};

/// Stands for the code of a member that has none yet.
const NEW: u32 = u32::MAX;

/// How many members of another coder are looked at to see whether most of them are new.
const FIRST: usize = 1_024;

/// Gives every member of one dimension a gap-free number in the order of first sight.
#[derive(Debug, Clone)]
pub(crate) struct Coder {
    part: Option<DatePart>,
    kind: Kind,
    texts: Dictionary,
    keys: KeyTable,
    /// Keys of more than 64 bits.
    long_keys: HashTable<(i128, u32)>,
    /// Codes of the periods of days.
    days: DayTable,
    members: CodedMembers,
    blank: Option<u32>,
    /// The dictionary of the last batch and what its entries are here: batches of one row group
    /// or one file share theirs.
    last: Option<ArrayRef>,
    known: Vec<u32>,
    /// Whether these are the entries' own numbers, as they are of the first dictionary.
    same: bool,
}

/// The codes of the lines of a batch: written down, or the batch's own where these are the same.
#[derive(Debug, Clone)]
pub(crate) enum Codes {
    Own(Vec<u32>),
    /// The keys of an array by dictionary.
    Keys(ArrayRef),
}

impl Codes {
    /// Room to write them down.
    fn own(&mut self) -> &mut Vec<u32> {
        if let Codes::Keys(_) = self {
            *self = Codes::default();
        }
        match self {
            Codes::Own(codes) => codes,
            Codes::Keys(_) => unreachable!("they were just made own ones"),
        }
    }
}

impl Default for Codes {
    fn default() -> Codes {
        Codes::Own(Vec::new())
    }
}

impl Deref for Codes {
    type Target = [u32];

    fn deref(&self) -> &[u32] {
        match self {
            Codes::Own(codes) => codes,
            Codes::Keys(array) => dictionary_keys(array).unwrap_or_default(),
        }
    }
}

/// The keys of an array by dictionary, where they are as wide as codes. None of them is negative.
pub(crate) fn dictionary_keys(array: &ArrayRef) -> Option<&[u32]> {
    let keys = array.as_dictionary_opt::<UInt32Type>().map(|array| array.keys().values().inner());
    let signed = || array.as_dictionary_opt::<Int32Type>().map(|array| array.keys().values().inner());
    keys.or_else(signed).map(|keys| keys.typed_data())
}

impl Coder {
    pub(crate) fn new(kind: Kind, part: Option<DatePart>) -> Coder {
        Coder {
            part,
            kind,
            texts: Dictionary::default(),
            keys: KeyTable::default(),
            long_keys: HashTable::new(),
            days: DayTable::default(),
            members: CodedMembers::new(kind, part),
            blank: None,
            last: None,
            known: Vec::new(),
            same: false,
        }
    }

    /// What a code stands for.
    pub(crate) fn member(&self, code: u32) -> Cow<'_, Member> {
        self.members.get(code).unwrap_or(Cow::Owned(Member::Blank))
    }

    /// Whether a code stands for a blank.
    pub(crate) fn is_blank(&self, code: u32) -> bool {
        self.blank == Some(code)
    }

    /// What the members are.
    pub(crate) fn kind(&self) -> Kind {
        self.kind
    }

    /// How many members there are.
    pub(crate) fn len(&self) -> usize {
        self.members.len()
    }

    /// About how many bytes they take: the member, its text, and its places in two tables.
    pub(crate) fn bytes(&self) -> usize {
        self.len() * 3 * size_of::<Member>() + self.days.bytes()
    }

    /// What the codes stand for.
    pub(crate) fn into_members(self) -> CodedMembers {
        self.members
    }

    /// The codes here of the members that another coder of the same dimension has, by its codes. With so many threads, where
    /// it is the last one: nothing can be coded after it.
    pub(crate) fn absorb(&mut self, other: Coder, last: Option<usize>) -> Vec<u32> {
        let all = other.into_members();
        if let Some(threads) = last {
            return self.absorb_last(all, threads);
        }
        let first = all.len().min(FIRST);
        let before = self.len();
        let mut codes = Vec::with_capacity(all.len());
        for code in 0..all.len() {
            // Where most of the first are new, most of the others are, too, and no table has to grow step by step.
            if code == first && self.len() - before > first / 2 {
                self.reserve(all.len() - first);
            }
            codes.push(match all.found_by(code) {
                FoundBy::Blank => self.blank_code(),
                FoundBy::Text(text) => {
                    let members = self.members.members();
                    self.texts.code_of(text, |text| add_text(members, text))
                }
                FoundBy::Key(key) => self.code_of_key(Some(key)),
            });
        }
        codes
    }

    /// Members are only looked up, by so many threads; new ones get their codes, and no place in a table.
    fn absorb_last(&mut self, mut all: CodedMembers, threads: usize) -> Vec<u32> {
        let look_up = |codes: Range<usize>| {
            let known = codes.map(|code| self.known_code(all.found_by(code)).unwrap_or(NEW));
            known.collect::<Vec<u32>>()
        };
        let mut codes = in_shares(all.len(), threads, look_up).concat();
        (self.texts, self.keys, self.long_keys) = Default::default();
        let new = |code: &u32| *code == NEW;
        self.members.reserve(codes.iter().copied().filter(new).count());
        for (place, code) in codes.iter_mut().enumerate().filter(|(_, code)| new(code)) {
            *code = self.len() as u32;
            match all.found_by(place) {
                FoundBy::Blank => *code = self.blank_code(),
                FoundBy::Key(key) => self.members.push_key(key, (self.kind, self.part)),
                FoundBy::Text(_) => self.members.members().extend(all.take_text(place)),
            }
        }
        codes
    }

    /// The code of a member that was met.
    fn known_code(&self, found_by: FoundBy<'_>) -> Option<u32> {
        match found_by {
            FoundBy::Blank => self.blank,
            FoundBy::Text(text) => self.texts.find(text),
            FoundBy::Key(key) => match i64::try_from(key) {
                Ok(key) => self.keys.find(key),
                Err(_) => self.find_long(key),
            },
        }
    }

    /// Makes room for so many more members.
    fn reserve(&mut self, more: usize) {
        self.members.reserve(more);
        match self.kind {
            Kind::Text => self.texts.reserve(more),
            _ => self.keys.reserve(more),
        }
    }

    /// The codes of a column, one a line.
    pub(crate) fn codes(&mut self, array: ArrayRef, codes: &mut Codes) -> Result<()> {
        if matches!(array.data_type(), DataType::Dictionary(..)) && array.null_count() == 0 {
            self.know(&array)?;
            if self.same && dictionary_keys(&array).is_some() {
                *codes = Codes::Keys(array);
                return Ok(());
            }
        }
        self.code(&array, codes.own())
    }

    /// The codes of a column, one a line, into `codes`.
    pub(crate) fn code(&mut self, array: &ArrayRef, codes: &mut Vec<u32>) -> Result<()> {
        codes.clear();
        codes.reserve(array.len());
        match array.data_type() {
            DataType::Utf8View => {
                let array = array.as_string_view();
                self.code_views(array.views(), array.nulls(), |i| array.value(i).as_bytes(), codes);
            }
            DataType::BinaryView => {
                let array = array.as_binary_view();
                self.code_views(array.views(), array.nulls(), |i| array.value(i), codes);
            }
            DataType::Utf8 => self.code_texts(array.as_string::<i32>().iter(), codes),
            DataType::LargeUtf8 => self.code_texts(array.as_string::<i64>().iter(), codes),
            DataType::Dictionary(_, _) => return self.code_dictionary(array, codes),
            DataType::Date32 => self.code_days(array.as_primitive::<Date32Type>(), codes),
            DataType::Boolean => {
                for value in array.as_boolean().iter() {
                    let code = self.code_of_key(value.map(i128::from));
                    codes.push(code);
                }
            }
            DataType::Float64 => self.code_floats(array.as_primitive::<Float64Type>(), |v| v, codes),
            DataType::Float32 => self.code_floats(array.as_primitive::<Float32Type>(), f64::from, codes),
            DataType::Int8 => self.code_numbers(array.as_primitive::<Int8Type>(), codes),
            DataType::Int16 => self.code_numbers(array.as_primitive::<Int16Type>(), codes),
            DataType::Int32 => self.code_numbers(array.as_primitive::<Int32Type>(), codes),
            DataType::Int64 => self.code_numbers(array.as_primitive::<Int64Type>(), codes),
            DataType::UInt8 => self.code_numbers(array.as_primitive::<UInt8Type>(), codes),
            DataType::UInt16 => self.code_numbers(array.as_primitive::<UInt16Type>(), codes),
            DataType::UInt32 => self.code_numbers(array.as_primitive::<UInt32Type>(), codes),
            DataType::UInt64 => self.code_numbers(array.as_primitive::<UInt64Type>(), codes),
            DataType::Decimal64(..) => self.code_numbers(array.as_primitive::<Decimal64Type>(), codes),
            DataType::Decimal128(..) => self.code_numbers(array.as_primitive::<Decimal128Type>(), codes),
            other => {
                return Err(Error::request("", format!("columns of type {other} cannot be a dimension")));
            }
        }
        Ok(())
    }

    fn blank_code(&mut self) -> u32 {
        let code = self.len() as u32;
        *self.blank.get_or_insert_with(|| {
            self.members.push_blank();
            code
        })
    }

    /// Texts by their views: the low half of a view is the length, and an empty text is a blank.
    fn code_views<'a>(
        &mut self,
        views: &[u128],
        nulls: Option<&NullBuffer>,
        text: impl Fn(usize) -> &'a [u8],
        codes: &mut Vec<u32>,
    ) {
        self.members.leave_keys();
        codes.extend(views.iter().enumerate().map(|(i, view)| {
            if *view as u32 == 0 || nulls.is_some_and(|nulls| nulls.is_null(i)) {
                return self.blank_code();
            }
            self.texts.code_of_view(*view, || text(i), |text| add_text(self.members.members(), text))
        }));
    }

    fn code_texts<'a>(&mut self, texts: impl Iterator<Item = Option<&'a str>>, codes: &mut Vec<u32>) {
        self.members.leave_keys();
        codes.extend(texts.map(|text| match text {
            None | Some("") => self.blank_code(),
            Some(text) => self.texts.code_of(text, |text| add_text(self.members.members(), text)),
        }));
    }

    /// Sees to it that the codes of a dictionary's entries are known.
    fn know(&mut self, array: &ArrayRef) -> Result<()> {
        let values = array.as_any_dictionary().values();
        if self.last.as_ref().is_none_or(|last| !Arc::ptr_eq(last, values)) {
            let mut known = std::mem::take(&mut self.known);
            self.last = None;
            self.code(values, &mut known)?;
            self.same = !values.is_empty() && known.iter().zip(0..).all(|(code, entry)| *code == entry);
            (self.last, self.known) = (Some(values.clone()), known);
        }
        Ok(())
    }

    fn code_dictionary(&mut self, array: &ArrayRef, codes: &mut Vec<u32>) -> Result<()> {
        self.know(array)?;
        let dictionary = array.as_any_dictionary();
        let values = dictionary.values();
        codes.clear();
        let known: &[u32] = &self.known;
        let without_nulls = array.null_count() == 0 && !values.is_empty();
        if let Some(array) = array.as_dictionary_opt::<UInt32Type>().filter(|_| without_nulls) {
            codes.extend(array.keys().values().iter().map(|key| known[*key as usize]));
        } else if let Some(array) = array.as_dictionary_opt::<Int32Type>().filter(|_| without_nulls) {
            codes.extend(array.keys().values().iter().map(|key| known[*key as usize]));
        } else if values.is_empty() {
            codes.resize_with(array.len(), || self.blank_code());
        } else {
            for (i, key) in dictionary.normalized_keys().into_iter().enumerate() {
                let code = if array.is_null(i) { self.blank_code() } else { self.known[key] };
                codes.push(code);
            }
        }
        Ok(())
    }

    fn code_days(&mut self, array: &PrimitiveArray<Date32Type>, codes: &mut Vec<u32>) {
        let days = array.values();
        match array.nulls().filter(|nulls| nulls.null_count() > 0) {
            None => self.days.look_up(days, codes),
            // What stands under a blank is anything.
            Some(nulls) => {
                let blank = self.blank_code();
                let code =
                    |(i, day): (usize, &i32)| if nulls.is_null(i) { blank } else { self.days.get(*day) };
                codes.extend(days.iter().enumerate().map(code));
            }
        }
        // Most days were met before; new ones are looked for only where there are some.
        if codes.iter().copied().max() == Some(DayTable::NONE) {
            let unknown = |(code, _): &(&mut u32, &i32)| **code == DayTable::NONE;
            codes.iter_mut().zip(days).filter(unknown).for_each(|(code, day)| *code = self.code_of_day(*day));
        }
    }

    /// The code of a day.
    pub(crate) fn code_of_day(&mut self, day: i32) -> u32 {
        let known = self.days.get(day);
        if known != DayTable::NONE {
            return known;
        }
        let part = self.part.unwrap_or(DatePart::Day);
        let code = self.code_of_key(part.number(day).map(i128::from));
        self.days.set(day, code);
        code
    }

    /// The first and the last of the days around one that have its code.
    pub(crate) fn days_beside(&self, day: i32) -> Option<(i32, i32)> {
        Period::days_beside(self.part.unwrap_or(DatePart::Day), day)
    }

    fn code_numbers<T: ArrowPrimitiveType>(&mut self, array: &PrimitiveArray<T>, codes: &mut Vec<u32>)
    where
        T::Native: Into<i128>,
    {
        for value in array.iter() {
            let code = self.code_of_key(value.map(Into::into));
            codes.push(code);
        }
    }

    fn code_floats<T: ArrowPrimitiveType>(
        &mut self,
        array: &PrimitiveArray<T>,
        wide: impl Fn(T::Native) -> f64,
        codes: &mut Vec<u32>,
    ) {
        for value in array.iter() {
            // Adding zero turns a negative zero into zero.
            let value = value.map(|v| wide(v) + 0.0).filter(|v| v.is_finite());
            let code = self.code_of_key(value.map(|v| (v.to_bits() as i64).into()));
            codes.push(code);
        }
    }

    fn code_of_key(&mut self, key: Option<i128>) -> u32 {
        let Some(wide) = key else { return self.blank_code() };
        let new = self.len() as u32;
        let code = match i64::try_from(wide) {
            Ok(key) => self.keys.code_of(key, new),
            Err(_) => self.code_of_long(wide, new),
        };
        if code == new {
            self.members.push_key(wide, (self.kind, self.part));
        }
        code
    }

    #[cold]
    fn code_of_long(&mut self, key: i128, new: u32) -> u32 {
        self.find_long(key).unwrap_or_else(|| {
            self.long_keys.insert_unique(hash_long(key), (key, new), |(key, _)| hash_long(*key));
            new
        })
    }

    fn find_long(&self, key: i128) -> Option<u32> {
        self.long_keys.find(hash_long(key), |(known, _)| *known == key).map(|(_, code)| *code)
    }
}

fn hash_long(key: i128) -> u64 {
    mix(key as u64, (key >> 64) as u64)
}

/// A source checks its text before it gives it away as bytes.
fn add_text(members: &mut Vec<Member>, text: &[u8]) -> u32 {
    members.push(Member::Text(String::from_utf8_lossy(text).into()));
    members.len() as u32 - 1
}
