//! Related tables: files that bring further columns in by key. To all that comes after, the lines
//! have these columns themselves.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::{
    Array, ArrayRef, DictionaryArray, RecordBatch, RecordBatchOptions, UInt32Array, make_array,
};
use arrow_data::transform::MutableArrayData;
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::coder::Coder;
use super::{LineSource, ReadProgress, Tally, Unmatched};
use crate::error::{Error, Result};
use crate::model::Kind;

/// Lines with the columns of a related table, looked up by key.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::source::{Batches, Related};
/// use pivvel::{Brief, CrossTab};
///
/// let text = |texts: &[&str]| Arc::new(StringArray::from(texts.to_vec())) as ArrayRef;
/// let lines = RecordBatch::try_from_iter([
///     ("article", text(&["rope", "jib", "rope", "tar"])),
///     ("pieces", Arc::new(Int64Array::from(vec![1, 2, 4, 8])) as ArrayRef),
/// ])?;
/// let articles = RecordBatch::try_from_iter([
///     ("code", text(&["rope", "jib"])),
///     ("range", text(&["Deck", "Sails"])),
/// ])?;
/// let mut lines = Related::new(
///     Box::new(Batches::new(lines.schema(), [lines])),
///     "articles",
///     Box::new(Batches::new(articles.schema(), [articles])),
///     &[("article".into(), "code".into())],
/// )?;
/// let brief = Brief::new().rows(["range"]).measure(("pieces", "sum(pieces)"));
/// let crosstab = CrossTab::build(&brief, &mut lines)?;
/// assert_eq!(crosstab.value(&["Deck"], &[], "pieces").unwrap().to_string(), "5");
/// // Tar found no partner: its line is kept, under a blank range, and counted.
/// assert_eq!(crosstab.value(&[""], &[], "pieces").unwrap().to_string(), "8");
/// assert_eq!(crosstab.tally().unmatched()[0].lines(), 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Related<'a> {
    lines: Box<dyn LineSource + 'a>,
    name: String,
    table: Box<dyn LineSource + 'a>,
    /// Key columns of the lines and of the table, by their places.
    keys: Vec<(usize, usize)>,
    /// The table's other columns: place there, and the name here.
    brought: Vec<(usize, String)>,
    /// What is odd about the lines' source, then about the table's.
    notes: Vec<String>,
    /// All of the table, once that was read for its own sake.
    whole: Option<(Vec<RecordBatch>, Tally)>,
}

/// Keys without a partner that are named to the reader.
const NAMED: usize = 3;

/// The key in a schema's metadata for the names of the related tables that lines were opened with, one on a line.
pub(crate) const RELATED: &str = "pivvel.related";

impl<'a> Related<'a> {
    /// Brings a table's columns to lines. `keys` pairs columns of the lines with columns of the
    /// table. A column that is called like one of the lines gets the table's name before its own,
    /// as `articles.name`.
    ///
    /// # Errors
    /// A key column that is not there, or that holds another kind in one than in the other.
    pub fn new(
        lines: Box<dyn LineSource + 'a>,
        name: &str,
        table: Box<dyn LineSource + 'a>,
        keys: &[(String, String)],
    ) -> Result<Related<'a>> {
        let place = format!("related {name}");
        let (own, theirs) = (lines.schema(), table.schema());
        let find = |schema: &Schema, source: &str, column: &str| {
            let known = schema.fields().iter().map(|field| field.name().as_str());
            schema
                .index_of(column)
                .map_err(|_| Error::unknown(format!("{place}, {source}"), "column", column, known))
        };
        let mut pairs = Vec::with_capacity(keys.len());
        for (a, b) in keys {
            let pair = (find(&own, lines.name(), a)?, find(&theirs, table.name(), b)?);
            let kinds = (Kind::of(own.field(pair.0).data_type()), Kind::of(theirs.field(pair.1).data_type()));
            if let (Some(x), Some(y)) = kinds
                && x != y
            {
                let message = format!(
                    "{a} holds {} in {} and {b} holds {} in {}; give both one kind",
                    x.plural(),
                    lines.name(),
                    y.plural(),
                    table.name()
                );
                return Err(Error::request(place, message));
            }
            pairs.push(pair);
        }
        let is_key = |i: &usize| pairs.iter().any(|(_, key)| key == i);
        let brought = (0..theirs.fields().len()).filter(|i| !is_key(i)).map(|i| {
            let column = theirs.field(i).name();
            let taken = own.index_of(column).is_ok();
            (i, if taken { format!("{name}.{column}") } else { column.clone() })
        });
        let brought = brought.collect();
        let of_table = table.notes().iter().map(|note| format!("{place}: {note}"));
        let notes = lines.notes().iter().cloned().chain(of_table).collect();
        Ok(Related { name: name.to_string(), keys: pairs, brought, notes, lines, table, whole: None })
    }

    /// The rows of the table, in some of its columns.
    fn rows(&mut self, places: &[usize]) -> Result<(Vec<RecordBatch>, Tally)> {
        if let Some((batches, tally)) = &self.whole {
            let projected = batches.iter().map(|batch| batch.project(places));
            let batches =
                projected.collect::<Result<_, _>>().map_err(|e| Error::caused(self.table.name(), e))?;
            return Ok((batches, tally.clone()));
        }
        let mut batches = Vec::new();
        let tally = self.table.scan(places, &mut |batch| {
            batches.push(batch);
            Ok(())
        })?;
        Ok((batches, tally))
    }

    /// The place in the table of a column that the lines call so.
    fn place_of(&self, column: &str) -> Result<usize> {
        let own = self.lines.schema();
        let key =
            || self.keys.iter().find(|(key, _)| own.field(*key).name() == column).map(|(_, place)| *place);
        let brought = self.brought.iter().find(|(_, name)| name == column).map(|(place, _)| *place);
        brought.or_else(key).ok_or_else(|| {
            let keys = self.keys.iter().map(|(key, _)| own.field(*key).name().as_str());
            let known: Vec<&str> = keys.chain(self.brought.iter().map(|(_, name)| name.as_str())).collect();
            Error::unknown("", &format!("column of the related table {}", self.name), column, known)
        })
    }

    /// Reads the table: its rows by key, and the columns that are wanted.
    fn read_table(&mut self, wanted: &[usize]) -> Result<PartnerTable> {
        let places: Vec<usize> =
            self.keys.iter().map(|(_, key)| *key).chain(wanted.iter().copied()).collect();
        let (batches, tally) = self.rows(&places)?;
        let schema = self.table.schema();
        let keys = self.keys.iter().map(|(_, key)| Coder::new(kind(&schema, *key), None)).collect();
        let mut table = PartnerTable { coders: keys, rows: HashMap::new(), columns: Vec::new(), tally };
        let mut row = 0;
        for batch in &batches {
            for (key, label) in table.keys_of(&batch.columns()[..self.keys.len()])? {
                if let Some(key) = key
                    && table.rows.insert(key, row).is_some()
                {
                    let message = format!(
                        "the key {label} stands in {} twice, so which row is meant is not clear",
                        self.table.name()
                    );
                    return Err(Error::data(format!("related {}", self.name), message));
                }
                row += 1;
            }
        }
        let whole = |place: usize| -> Result<ArrayRef> {
            let parts: Vec<_> = batches.iter().map(|batch| batch.column(place).to_data()).collect();
            let mut all = MutableArrayData::new(parts.iter().collect(), true, row as usize);
            for (i, part) in parts.iter().enumerate() {
                all.try_extend(i, 0, part.len()).map_err(|e| Error::caused(self.table.name(), e))?;
            }
            Ok(make_array(all.freeze()))
        };
        if !batches.is_empty() {
            table.columns = (self.keys.len()..places.len()).map(whole).collect::<Result<_>>()?;
        }
        Ok(table)
    }
}

/// What was read of a related table.
struct PartnerTable {
    coders: Vec<Coder>,
    /// Rows by the codes of their keys.
    rows: HashMap<Vec<u32>, u32>,
    columns: Vec<ArrayRef>,
    /// Values that did not fit their column's kind and were taken as blank.
    tally: Tally,
}

impl PartnerTable {
    /// The key of every line, none where a part of it is blank, and what it is called.
    fn keys_of(&mut self, arrays: &[ArrayRef]) -> Result<Vec<(Option<Vec<u32>>, String)>> {
        let lines = arrays.first().map_or(0, |array| array.len());
        let mut codes = vec![Vec::new(); arrays.len()];
        for ((array, coder), codes) in arrays.iter().zip(&mut self.coders).zip(&mut codes) {
            coder.code(array, codes)?;
        }
        let key = |line: usize| {
            let parts: Vec<u32> = codes.iter().map(|codes| codes[line]).collect();
            let members = || parts.iter().zip(&self.coders).map(|(code, coder)| coder.member(*code));
            let blank = members().any(|member| matches!(*member, super::Member::Blank));
            let label = || members().map(|member| member.label()).collect::<Vec<_>>().join(", ");
            let label = if blank { "(blank)".to_string() } else { label() };
            ((!blank).then_some(parts), label)
        };
        Ok((0..lines).map(key).collect())
    }

    /// A column of the table for lines whose rows are known.
    fn gather(&self, column: usize, rows: &[Option<u32>], data_type: &DataType) -> Result<ArrayRef> {
        let Some(values) = self.columns.get(column) else {
            return Ok(arrow_array::new_null_array(data_type, rows.len()));
        };
        let failed = |e: arrow_schema::ArrowError| Error::caused("related", e);
        if let DataType::Dictionary(..) = data_type {
            let keys: UInt32Array = rows.iter().copied().collect();
            return Ok(Arc::new(DictionaryArray::try_new(keys, values.clone()).map_err(failed)?));
        }
        let data = values.to_data();
        let mut gathered = MutableArrayData::new(vec![&data], true, rows.len());
        for row in rows {
            match row {
                Some(row) => gathered.try_extend(0, *row as usize, *row as usize + 1).map_err(failed)?,
                None => gathered.try_extend_nulls(1).map_err(failed)?,
            }
        }
        Ok(make_array(gathered.freeze()))
    }
}

fn kind(schema: &Schema, place: usize) -> Kind {
    Kind::of(schema.field(place).data_type()).unwrap_or(Kind::Text)
}

/// Texts are brought as dictionaries, whose values are the table's own column.
fn brought_type(own: &DataType) -> DataType {
    match own {
        DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View => {
            DataType::Dictionary(Box::new(DataType::UInt32), Box::new(own.clone()))
        }
        own => own.clone(),
    }
}

impl LineSource for Related<'_> {
    fn name(&self) -> &str {
        self.lines.name()
    }

    fn schema(&self) -> SchemaRef {
        let (own, theirs) = (self.lines.schema(), self.table.schema());
        let brought = self.brought.iter().map(|(place, name)| {
            Arc::new(Field::new(name, brought_type(theirs.field(*place).data_type()), true))
        });
        let mut metadata = own.metadata().clone();
        let read = own.metadata().get(RELATED).map_or("", String::as_str);
        metadata.insert(RELATED.to_string(), format!("{read}{}\n", self.name));
        Arc::new(Schema::new_with_metadata(
            own.fields().iter().cloned().chain(brought).collect::<Vec<_>>(),
            metadata,
        ))
    }

    fn notes(&self) -> &[String] {
        &self.notes
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let schema = self.schema();
        let own = self.lines.schema().fields().len();
        let wanted: Vec<usize> =
            columns.iter().filter_map(|i| Some(self.brought.get(i.checked_sub(own)?)?.0)).collect();
        if wanted.is_empty() {
            return self.lines.scan(columns, take);
        }
        let mut table = self.read_table(&wanted)?;
        // The lines' own columns that are asked for, then those of the keys.
        let mut needed: Vec<usize> = columns.iter().copied().filter(|i| *i < own).collect();
        let key_places = needed.len();
        needed.extend(self.keys.iter().map(|(key, _)| *key));
        let projected = Arc::new(schema.project(columns).map_err(|e| Error::caused(self.lines.name(), e))?);
        let mut misses = Misses::default();
        let mut tally = self.lines.scan(&needed, &mut |batch| {
            let mut rows = Vec::with_capacity(batch.num_rows());
            for (key, label) in table.keys_of(&batch.columns()[key_places..])? {
                let row = key.as_ref().and_then(|key| table.rows.get(key).copied());
                if row.is_none() {
                    *misses.0.entry(label).or_default() += 1;
                }
                rows.push(row);
            }
            let (mut own_columns, mut brought) = (0, 0);
            let mut arrays = Vec::with_capacity(columns.len());
            for (i, field) in columns.iter().zip(projected.fields()) {
                arrays.push(if *i < own {
                    own_columns += 1;
                    batch.column(own_columns - 1).clone()
                } else {
                    brought += 1;
                    table.gather(brought - 1, &rows, field.data_type())?
                });
            }
            let options = RecordBatchOptions::new().with_row_count(Some(batch.num_rows()));
            let joined = RecordBatch::try_new_with_options(projected.clone(), arrays, &options);
            take(joined.map_err(|e| Error::caused("related", e))?)
        })?;
        tally.unmatched.extend(misses.report(&self.name));
        tally.blanked += table.tally.blanked;
        tally.not_finite += table.tally.not_finite;
        Ok(tally)
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        self.lines.progress()
    }

    fn related_rows(&mut self, table: &str, columns: &[&str]) -> Result<Option<Vec<RecordBatch>>> {
        if table != self.name {
            return self.lines.related_rows(table, columns);
        }
        let places: Vec<usize> = columns.iter().map(|column| self.place_of(column)).collect::<Result<_>>()?;
        if self.whole.is_none() {
            // A table that can be read once is read by the lines as well.
            let all: Vec<usize> = (0..self.table.schema().fields().len()).collect();
            self.whole = Some(self.rows(&all)?);
        }
        Ok(Some(self.rows(&places)?.0))
    }

    fn widen(&mut self, column: &str, kind: Kind) -> bool {
        self.whole = None;
        if self.lines.schema().index_of(column).is_ok() && self.lines.widen(column, kind) {
            return true;
        }
        self.table.schema().index_of(column).is_ok() && self.table.widen(column, kind)
    }

    fn reconsider(&mut self, column: &str) -> Result<bool> {
        self.whole = None;
        // A key may be called alike in both.
        let own = self.lines.schema().index_of(column).is_ok() && self.lines.reconsider(column)?;
        let theirs = self.table.schema().index_of(column).is_ok() && self.table.reconsider(column)?;
        Ok(own || theirs)
    }

    fn is_settled(&self, column: &str) -> bool {
        let of =
            |source: &dyn LineSource| source.schema().index_of(column).is_err() || source.is_settled(column);
        of(self.lines.as_ref()) && of(self.table.as_ref())
    }

    fn trouble(&self, column: &str) -> Option<String> {
        let theirs = self.table.schema();
        let brought = self.brought.iter().find(|(_, name)| name == column);
        match brought {
            Some((place, _)) => self.table.trouble(theirs.field(*place).name()),
            None => self.lines.trouble(column),
        }
    }
}

impl std::fmt::Debug for Related<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} with {}", self.lines.name(), self.name)
    }
}

/// How many lines have each key that the table does not.
#[derive(Default)]
struct Misses(HashMap<String, u64>);

impl Misses {
    fn report(self, table: &str) -> Option<Unmatched> {
        let (lines, keys) = (self.0.values().sum(), self.0.len() as u64);
        let mut labels: Vec<(String, u64)> = self.0.into_iter().collect();
        labels.sort_by(|(a, x), (b, y)| y.cmp(x).then_with(|| a.cmp(b)));
        let examples = labels.into_iter().take(NAMED).map(|(label, _)| label).collect();
        (keys > 0).then(|| Unmatched { table: table.to_string(), lines, keys, examples })
    }
}
