//! A column of a batch to member ids, a column at a time.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef, ArrowPrimitiveType, DictionaryArray, PrimitiveArray};
use arrow_buffer::NullBuffer;
use arrow_schema::DataType;
use hashbrown::HashTable;

use super::dictionary::{Dictionary, mix};
use super::{DatePart, Kind, Member};
use crate::error::{Error, Result};

/// Days from 1880 to 2135 find their period's code by one look into a table.
const FIRST_DAY: i32 = -32_872;
const WINDOW: usize = 93_000;
const NONE: u32 = u32::MAX;

/// Gives every member of one dimension a gap-free number in the order of first sight.
#[derive(Debug, Clone)]
pub(crate) struct Coder {
    part: Option<DatePart>,
    kind: Kind,
    texts: Dictionary,
    /// Code of each text of the dictionary, which may leave a gap for the blank member.
    text_codes: Vec<u32>,
    keys: HashTable<(i128, u32)>,
    days: Vec<u32>,
    members: Vec<Member>,
    blank: Option<u32>,
    /// The dictionary of the last batch and what its entries are here: batches of one row group
    /// or one file share theirs.
    last: Option<(ArrayRef, Vec<u32>)>,
}

impl Coder {
    pub(crate) fn new(kind: Kind, part: Option<DatePart>) -> Coder {
        Coder {
            part,
            kind,
            texts: Dictionary::default(),
            text_codes: Vec::new(),
            keys: HashTable::new(),
            days: Vec::new(),
            members: Vec::new(),
            blank: None,
            last: None,
        }
    }

    /// What a code stands for.
    pub(crate) fn member(&self, code: u32) -> &Member {
        &self.members[code as usize]
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
        self.members.len() * 3 * size_of::<Member>() + self.days.len() * size_of::<u32>()
    }

    pub(crate) fn into_members(self) -> Vec<Member> {
        self.members
    }

    /// The codes here of the members that another coder of the same dimension has, by its codes.
    pub(crate) fn absorb(&mut self, other: &Coder) -> Vec<u32> {
        let code = |member: &Member| match member {
            Member::Text(text) => {
                let number = self.texts.number_of(text);
                self.code_of_text(number)
            }
            Member::Period(_, period) => self.code_of_key(Some((*period).into())),
            Member::Number { digits, .. } => self.code_of_key(Some(*digits)),
            Member::Float(bits) => self.code_of_key(Some((*bits).into())),
            Member::YesNo(yes) => self.code_of_key(Some((*yes).into())),
            // What is made of members is no member of a line.
            Member::Blank | Member::Tier(..) | Member::Others(_) | Member::Calculated(..) => {
                self.blank_code()
            }
        };
        other.members.iter().map(code).collect()
    }

    /// The codes of a column, one a line, into `codes`.
    pub(crate) fn code(&mut self, array: &ArrayRef, codes: &mut Vec<u32>) -> Result<()> {
        codes.clear();
        codes.reserve(array.len());
        match array.data_type() {
            DataType::Utf8View => {
                let array = array.as_string_view();
                self.code_views(array.views(), array.nulls(), |i| array.value(i), codes);
            }
            DataType::BinaryView => {
                let array = array.as_binary_view();
                // A source checks its text before it gives it away as bytes.
                let text = |i: usize| std::str::from_utf8(array.value(i)).unwrap_or_default();
                self.code_views(array.views(), array.nulls(), text, codes);
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
        *self.blank.get_or_insert_with(|| {
            self.members.push(Member::Blank);
            self.members.len() as u32 - 1
        })
    }

    /// Texts by their views: the low half of a view is the length, and an empty text is a blank.
    fn code_views<'a>(
        &mut self,
        views: &[u128],
        nulls: Option<&NullBuffer>,
        text: impl Fn(usize) -> &'a str,
        codes: &mut Vec<u32>,
    ) {
        for (i, view) in views.iter().enumerate() {
            let blank = *view as u32 == 0 || nulls.is_some_and(|nulls| nulls.is_null(i));
            let code = match blank {
                true => self.blank_code(),
                false => {
                    let number = self.texts.number_of_view(*view, || text(i));
                    self.code_of_text(number)
                }
            };
            codes.push(code);
        }
    }

    fn code_texts<'a>(&mut self, texts: impl Iterator<Item = Option<&'a str>>, codes: &mut Vec<u32>) {
        for text in texts {
            let code = match text {
                None | Some("") => self.blank_code(),
                Some(text) => {
                    let number = self.texts.number_of(text);
                    self.code_of_text(number)
                }
            };
            codes.push(code);
        }
    }

    #[inline]
    fn code_of_text(&mut self, number: u32) -> u32 {
        if let Some(code) = self.text_codes.get(number as usize) {
            return *code;
        }
        let code = self.members.len() as u32;
        self.members.push(Member::Text(self.texts.texts()[number as usize].clone()));
        self.text_codes.push(code);
        code
    }

    fn code_dictionary(&mut self, array: &ArrayRef, codes: &mut Vec<u32>) -> Result<()> {
        let dictionary = array.as_any_dictionary();
        let values = dictionary.values();
        let last = self.last.take();
        let known = match last {
            Some((last, known)) if Arc::ptr_eq(&last, values) => known,
            _ => {
                let mut known = Vec::new();
                self.code(values, &mut known)?;
                known
            }
        };
        codes.clear();
        if values.is_empty() {
            codes.resize_with(array.len(), || self.blank_code());
        } else if let (Some(array), None) =
            (array.as_any().downcast_ref::<DictionaryArray<UInt32Type>>(), array.nulls())
        {
            codes.extend(array.keys().values().iter().map(|key| known[*key as usize]));
        } else if let (Some(array), None) =
            (array.as_any().downcast_ref::<DictionaryArray<Int32Type>>(), array.nulls())
        {
            codes.extend(array.keys().values().iter().map(|key| known[*key as usize]));
        } else {
            for (i, key) in dictionary.normalized_keys().into_iter().enumerate() {
                let code = if array.is_null(i) { self.blank_code() } else { known[key] };
                codes.push(code);
            }
        }
        self.last = Some((values.clone(), known));
        Ok(())
    }

    fn code_days(&mut self, array: &PrimitiveArray<Date32Type>, codes: &mut Vec<u32>) {
        if self.days.is_empty() {
            self.days = vec![NONE; WINDOW];
        }
        let days = &self.days;
        let slot = |day: i32| day.wrapping_sub(FIRST_DAY) as usize;
        codes.extend(array.values().iter().map(|day| days.get(slot(*day)).copied().unwrap_or(NONE)));
        if let Some(nulls) = array.nulls().filter(|nulls| nulls.null_count() > 0) {
            // What stands under a blank is anything.
            let blank = self.blank_code();
            (0..codes.len()).filter(|i| nulls.is_null(*i)).for_each(|i| codes[i] = blank);
        }
        // Most days were met before; new ones are looked for only where there are some.
        if codes.iter().copied().max() == Some(NONE) {
            for (code, day) in codes.iter_mut().zip(array.values()).filter(|(code, _)| **code == NONE) {
                *code = match self.days.get(slot(*day)) {
                    Some(known) if *known != NONE => *known,
                    _ => self.code_of_day(*day, slot(*day)),
                };
            }
        }
    }

    /// The code of a day that is met for the first time.
    #[cold]
    fn code_of_day(&mut self, day: i32, slot: usize) -> u32 {
        let part = self.part.unwrap_or(DatePart::Day);
        let code = self.code_of_key(part.period(day).map(i128::from));
        if let Some(known) = self.days.get_mut(slot) {
            *known = code;
        }
        code
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
            // Adding zero turns a negative zero into a plain one.
            let value = value.map(|v| wide(v) + 0.0).filter(|v| v.is_finite());
            let code = self.code_of_key(value.map(|v| i128::from(v.to_bits())));
            codes.push(code);
        }
    }

    fn code_of_key(&mut self, key: Option<i128>) -> u32 {
        let Some(key) = key else { return self.blank_code() };
        let hash = |key: i128| mix(key as u64, (key >> 64) as u64);
        if let Some((_, code)) = self.keys.find(hash(key), |(known, _)| *known == key) {
            return *code;
        }
        let code = self.members.len() as u32;
        self.members.push(self.member_of_key(key));
        self.keys.insert_unique(hash(key), (key, code), |(key, _)| hash(*key));
        code
    }

    fn member_of_key(&self, key: i128) -> Member {
        match (self.kind, self.part) {
            (Kind::Date, part) => Member::Period(part.unwrap_or(DatePart::Day), key as i32),
            (Kind::YesNo, _) => Member::YesNo(key != 0),
            (Kind::Float, _) => Member::Float(key as u64),
            (Kind::Decimal { scale }, _) => Member::Number { digits: key, scale },
            _ => Member::Number { digits: key, scale: 0 },
        }
    }
}
