//! Dictionaries of a whole table: the different texts of each column, once for all of its parts.

use std::sync::Arc;

use arrow_array::builder::StringBuilder;
use arrow_array::types::Int32Type;
use arrow_array::{ArrayRef, DictionaryArray, Int32Array, StringArray};
use arrow_schema::{DataType, FieldRef, Schema, SchemaRef};

use crate::lines::Dictionary;

/// The different texts of a column, and the code of each.
pub(super) struct Pool {
    texts: Arc<StringArray>,
    codes: Dictionary,
}

impl Pool {
    /// Of texts that may come again, in the order in which they come first; `None` if they are more than an array holds.
    pub(super) fn new<'t>(texts: impl Iterator<Item = &'t str>) -> Option<Pool> {
        let (mut kept, mut codes) = (StringBuilder::new(), Dictionary::default());
        let (mut count, mut last) = (0, None);
        for text in texts.filter(|text| last.replace(*text) != Some(*text)) {
            let mut is_new = false;
            codes.code_of(text, |_| {
                is_new = true;
                count
            });
            if is_new {
                i32::try_from(kept.values_slice().len() + text.len()).ok()?;
                kept.append_value(text);
                count += 1;
            }
        }
        Some(Pool { texts: Arc::new(kept.finish()), codes })
    }

    /// The code of one of the texts.
    fn code(&self, text: &str) -> i32 {
        match self.codes.find(text) {
            Some(code) => code as i32,
            None => unreachable!("all texts of a column are known beforehand, and {text:?} is not"),
        }
    }

    /// A column of rows that each have one of some texts.
    pub(super) fn array<'t>(
        &self,
        texts: impl Iterator<Item = Option<&'t str>>,
        rows: impl Iterator<Item = u32> + Clone,
    ) -> ArrayRef {
        let codes: Vec<Option<i32>> = texts.map(|text| text.map(|text| self.code(text))).collect();
        let keys: Int32Array = match codes.iter().copied().collect::<Option<Vec<i32>>>() {
            Some(codes) => rows.map(|row| codes[row as usize]).collect::<Vec<i32>>().into(),
            None => rows.map(|row| codes[row as usize]).collect(),
        };
        Arc::new(DictionaryArray::<Int32Type>::new(keys, self.texts.clone()))
    }
}

/// The pools of a table's columns, by their places; a column without one has its texts as they are.
#[derive(Default)]
pub(super) struct Pools(Vec<Option<Pool>>);

impl Pools {
    /// Those of the first columns.
    pub(super) fn new(first: Vec<Option<Pool>>) -> Pools {
        Pools(first)
    }

    /// Gives a column its pool.
    pub(super) fn set<'t>(&mut self, column: usize, texts: impl Iterator<Item = &'t str>) {
        self.0.resize_with(self.0.len().max(column + 1), || None);
        self.0[column] = Pool::new(texts);
    }

    pub(super) fn get(&self, column: usize) -> Option<&Pool> {
        self.0.get(column)?.as_ref()
    }

    /// The schema of the table with the types that its texts have then.
    pub(super) fn typed(&self, schema: &Schema) -> SchemaRef {
        let texts = DataType::Dictionary(Box::new(DataType::Int32), Box::new(DataType::Utf8));
        let field = |(column, field): (usize, &FieldRef)| match self.get(column) {
            Some(_) => Arc::new(field.as_ref().clone().with_data_type(texts.clone())),
            None => field.clone(),
        };
        let fields: Vec<FieldRef> = schema.fields().iter().enumerate().map(field).collect();
        Arc::new(Schema::new(fields).with_metadata(schema.metadata.clone()))
    }
}

/// A column of texts that has a pool, or none.
pub(super) fn text_array<'t>(texts: impl Iterator<Item = Option<&'t str>>, pool: Option<&Pool>) -> ArrayRef {
    let Some(pool) = pool else { return Arc::new(texts.collect::<StringArray>()) };
    let texts: Vec<Option<&str>> = texts.collect();
    pool.array(texts.iter().copied(), 0..texts.len() as u32)
}
