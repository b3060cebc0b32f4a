//! Record batches as a source of lines, from whatever yields them.

use std::sync::Arc;

use arrow_array::{Array, ArrayRef, RecordBatch, RecordBatchOptions, RecordBatchReader};
use arrow_schema::{DataType, Schema, SchemaRef};

use super::arrow_types::{usable_array, usable_schema, usable_type};
use super::source::{LineSource, Tally};
use crate::error::{Error, Result};
use crate::model::Kind;

/// What [`Batches`] can be made of: record batches, or results of reading them.
pub trait IntoBatch {
    /// The batch, or what went wrong with it.
    ///
    /// # Errors
    /// What the reader found wrong.
    fn into_batch(self) -> Result<RecordBatch, Box<dyn std::error::Error + Send + Sync>>;
}

impl IntoBatch for RecordBatch {
    fn into_batch(self) -> Result<RecordBatch, Box<dyn std::error::Error + Send + Sync>> {
        Ok(self)
    }
}

impl<E: Into<Box<dyn std::error::Error + Send + Sync>>> IntoBatch for Result<RecordBatch, E> {
    fn into_batch(self) -> Result<RecordBatch, Box<dyn std::error::Error + Send + Sync>> {
        self.map_err(Into::into)
    }
}

/// Record batches as a source of lines: any iterator of batches or of results, and any reader of batches.
///
/// Text is taken in every encoding; numbers are whole numbers, decimals and floats of every width; dates and moments
/// are days. A moment whose type has a time zone is the day in that zone, which a notice says. Every batch is
/// checked against the schema. The batches can be read once.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::source::{Batches, LineSource};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry"]));
/// let quantity: ArrayRef = Arc::new(Int64Array::from(vec![3, 4]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("quantity", quantity)])?;
/// let source = Batches::new(batch.schema(), [batch]);
/// assert_eq!(source.schema().fields().len(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Batches<I> {
    name: String,
    own: SchemaRef,
    schema: SchemaRef,
    batches: I,
    read: bool,
}

impl<I: Iterator<Item: IntoBatch>> Batches<I> {
    /// Batches of one schema, or results of reading them, read once from the first to the last.
    pub fn new(schema: SchemaRef, batches: impl IntoIterator<IntoIter = I>) -> Batches<I> {
        let usable = Arc::new(usable_schema(&schema));
        Batches {
            name: "batches".into(),
            own: schema,
            schema: usable,
            batches: batches.into_iter(),
            read: false,
        }
    }

    /// The same with a name for messages.
    pub fn named(mut self, name: impl Into<String>) -> Batches<I> {
        self.name = name.into();
        self
    }

    /// That a batch has the columns of the schema.
    fn check(&self, batch: &RecordBatch) -> Result<()> {
        let (own, theirs) = (self.own.fields(), batch.schema_ref().fields());
        for (place, field) in own.iter().enumerate() {
            let wanted = || format!("{} ({})", field.name(), field.data_type());
            let wrong = |found: String| Err(Error::schema(&self.name, field.name(), wanted(), found));
            match theirs.get(place) {
                None => return wrong("no such column".into()),
                Some(found) if found.name() != field.name() => {
                    return wrong(format!("column {} in its place", found.name()));
                }
                Some(found) if !are_alike(field.data_type(), found.data_type()) => {
                    return wrong(found.data_type().to_string());
                }
                Some(_) => {}
            }
        }
        match theirs.get(own.len()) {
            Some(more) => Err(Error::schema(&self.name, more.name(), "no such column", "one")),
            None => Ok(()),
        }
    }

    /// Some columns of a batch, which is taken apart. The schema is that of the batch before, which most have.
    fn columns(&self, batch: RecordBatch, columns: &[usize], schema: &mut SchemaRef) -> Result<RecordBatch> {
        // These lie all over the memory. Looked at together they come together, and a change of the first
        // count of owners would have to wait for each of them.
        for column in batch.columns() {
            std::hint::black_box((Arc::strong_count(column), column.len()));
        }
        let (_, all, lines) = batch.into_parts();
        let mut all: Vec<Option<ArrayRef>> = all.into_iter().map(Some).collect();
        let mut arrays = Vec::with_capacity(columns.len());
        for (place, column) in columns.iter().enumerate() {
            // They are moved: a count of owners that is in no cache takes long to change.
            let array = match columns[place + 1..].contains(column) {
                true => all[*column].clone(),
                false => all[*column].take(),
            };
            let field = self.schema.field(*column);
            let named = |e| Error::caused(format!("{}, column {}", self.name, field.name()), e);
            arrays.extend(array.map(usable_array).transpose().map_err(named)?);
        }
        let types = || arrays.iter().map(|array| array.data_type());
        if !schema.fields().iter().map(|field| field.data_type()).eq(types()) {
            let field = |(column, own): (&usize, &DataType)| {
                self.schema.field(*column).clone().with_data_type(own.clone())
            };
            *schema = Arc::new(Schema::new(columns.iter().zip(types()).map(field).collect::<Vec<_>>()));
        }
        let options = RecordBatchOptions::new().with_row_count(Some(lines));
        RecordBatch::try_new_with_options(schema.clone(), arrays, &options)
            .map_err(|e| Error::caused(&self.name, e))
    }
}

impl<R: RecordBatchReader> Batches<R> {
    /// What a reader of batches yields, as those of files, streams and queries do.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use arrow_array::{ArrayRef, Int64Array, RecordBatch, RecordBatchIterator};
    /// # use pivvel_core as pivvel;
    /// use pivvel::source::Batches;
    /// use pivvel::{Brief, CrossTab};
    ///
    /// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![3, 4]));
    /// let batch = RecordBatch::try_from_iter([("pieces", pieces)])?;
    /// let reader = RecordBatchIterator::new([Ok(batch.clone())], batch.schema());
    /// let brief = Brief::new().measure(("pieces", "sum(pieces)"));
    /// let crosstab = CrossTab::build(&brief, &mut Batches::from_reader(reader))?;
    /// assert_eq!(crosstab.value(&[], &[], "pieces").unwrap().to_string(), "7");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn from_reader(reader: R) -> Batches<R> {
        Batches::new(reader.schema(), reader)
    }
}

/// Whether values of two types are the same in all that is computed; text may be encoded in any way.
fn are_alike(a: &DataType, b: &DataType) -> bool {
    let is_text = |own: &DataType| Kind::of(&usable_type(own)) == Some(Kind::Text) && *own != DataType::Null;
    a == b || (is_text(a) && is_text(b))
}

impl<I: Iterator<Item: IntoBatch>> LineSource for Batches<I> {
    fn name(&self) -> &str {
        &self.name
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        if std::mem::replace(&mut self.read, true) {
            let message = "these batches were read already, and can be read only once; give them again";
            return Err(Error::data(&self.name, message));
        }
        let mut checked: Option<SchemaRef> = None;
        let mut schema = Arc::new(Schema::empty());
        while let Some(batch) = self.batches.next() {
            let batch = batch.into_batch().map_err(|e| Error::caused(&self.name, e))?;
            // Most sources give all of their batches one schema.
            if !checked.as_ref().is_some_and(|known| Arc::ptr_eq(known, batch.schema_ref())) {
                self.check(&batch)?;
                checked = Some(batch.schema());
            }
            take(self.columns(batch, columns, &mut schema)?)?;
        }
        Ok(Tally::default())
    }
}
