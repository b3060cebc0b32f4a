//! Formulas that read one column of texts by dictionary: computed once for each text of the dictionary, and looked up for
//! each line.

use std::any::Any;
use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, RecordBatch, new_null_array};
use arrow_schema::{ArrowError, DataType, Field, Schema};
use arrow_select::concat::concat;

use super::check::Step;
use super::evaluate::{Evaluated, Evaluation};
use super::line::{LineFormula, LineLeaf};
use crate::lines::dictionary_keys;

/// The results for the texts of a dictionary, with that for a blank behind them, and which of them each line has.
pub(super) type Coded<'a, T> = (Arc<T>, Cow<'a, [u32]>);

impl<'a> Evaluation<'a> {
    /// What a formula gives for each line.
    pub(super) fn looked_up<T: Any + Copy + Send + Sync>(
        &mut self,
        formula: &LineFormula,
        of: impl Fn(&mut Evaluation<'_>, &LineFormula) -> Evaluated<Vec<T>>,
    ) -> Evaluated<Vec<T>> {
        Ok(match self.by_entry(formula, &of)? {
            Some((of_entry, entry_of_line)) => {
                entry_of_line.iter().map(|entry| of_entry[*entry as usize]).collect()
            }
            None => of(self, formula)?,
        })
    }

    /// What a formula gives for each text of a dictionary; `None` where it reads anything else, or where that does not pay
    /// since there are more texts than lines.
    pub(super) fn by_entry<T: Any + Send + Sync>(
        &mut self,
        formula: &LineFormula,
        of: impl FnOnce(&mut Evaluation<'_>, &LineFormula) -> Evaluated<T>,
    ) -> Evaluated<Option<Coded<'a, T>>> {
        let Some(slot) = only_column(formula) else { return Ok(None) };
        let array = self.column(slot);
        let DataType::Dictionary(..) = array.data_type() else { return Ok(None) };
        let texts = array.as_any_dictionary().values();
        if texts.is_empty() {
            return Ok(None);
        }
        if let Some(results) = self.entries.find(formula, texts) {
            return Ok(Some((results, entry_of_line(array))));
        }
        if texts.len() >= array.len() && !self.entries.comes_again(slot, texts) {
            return Ok(None);
        }
        let Ok(batch) = with_blank(texts) else { return Ok(None) };
        let alone = formula.clone().map(&mut |_| LineLeaf::Column(0));
        let results = Arc::new(of(&mut Evaluation::new(&batch), &alone)?);
        self.entries.keep(formula, texts, results.clone());
        Ok(Some((results, entry_of_line(array))))
    }
}

/// The column that a formula reads, if it reads no other, and makes something of it that fails and divides nowhere.
fn only_column(formula: &LineFormula) -> Option<usize> {
    let (mut slots, mut fits) = (Vec::new(), true);
    formula.each(&mut |part| match &part.step {
        Step::Leaf(LineLeaf::Column(slot)) => slots.push(*slot),
        Step::Leaf(_) | Step::Arithmetic(..) => fits = false,
        _ => {}
    });
    let one = slots.first().copied().filter(|first| slots.iter().all(|slot| slot == first));
    one.filter(|_| fits)
}

/// The texts as lines, and a blank behind them.
fn with_blank(texts: &ArrayRef) -> Result<RecordBatch, ArrowError> {
    let lines = concat(&[texts, &new_null_array(texts.data_type(), 1)])?;
    let field = Field::new("", lines.data_type().clone(), true);
    RecordBatch::try_new(Arc::new(Schema::new(vec![field])), vec![lines])
}

/// Of each line of a column by dictionary the place of its text, or the one behind all texts for a blank.
fn entry_of_line(array: &ArrayRef) -> Cow<'_, [u32]> {
    if let Some(keys) = dictionary_keys(array).filter(|_| array.null_count() == 0) {
        return Cow::Borrowed(keys);
    }
    let dictionary = array.as_any_dictionary();
    let blank = dictionary.values().len();
    let keys = dictionary.normalized_keys().into_iter().enumerate();
    keys.map(|(line, key)| if array.is_null(line) { blank } else { key } as u32).collect()
}
