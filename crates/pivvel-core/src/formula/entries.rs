//! What is known of the texts of dictionaries from batch to batch.

use std::any::Any;
use std::sync::Arc;

use arrow_array::ArrayRef;

use super::line::LineFormula;

/// What formulas gave for the texts of the dictionaries that came last: batches of one row group or of one file share
/// theirs.
#[derive(Debug, Clone, Default)]
pub(crate) struct Entries {
    known: Vec<Known>,
    /// How many runs there were.
    runs: u64,
    /// The last dictionary of a column that is larger than its batch, and the run in which it came first.
    large: Vec<(usize, ArrayRef, u64)>,
}

#[derive(Debug, Clone)]
struct Known {
    formula: LineFormula,
    texts: ArrayRef,
    /// Results of some type; those of different types are of different use.
    results: Arc<dyn Any + Send + Sync>,
}

impl Entries {
    pub(super) fn find<T: Any + Send + Sync>(
        &self,
        formula: &LineFormula,
        texts: &ArrayRef,
    ) -> Option<Arc<T>> {
        let known = self.known.iter().filter(|k| Arc::ptr_eq(&k.texts, texts) && k.formula == *formula);
        known.filter_map(|known| known.results.clone().downcast().ok()).next()
    }

    pub(super) fn keep<T: Any + Send + Sync>(
        &mut self,
        formula: &LineFormula,
        texts: &ArrayRef,
        results: Arc<T>,
    ) {
        self.known.retain(|known| !known.results.is::<T>() || known.formula != *formula);
        self.known.push(Known { formula: formula.clone(), texts: texts.clone(), results });
    }

    /// The same in another run.
    pub(super) fn again(self) -> Entries {
        Entries { runs: self.runs + 1, ..self }
    }

    /// Whether a dictionary came with an earlier batch, so that it pays to look at all of it: it will come again then. There are
    /// at most two runs over a batch.
    pub(super) fn comes_again(&mut self, slot: usize, texts: &ArrayRef) -> bool {
        let place = self.large.iter().position(|(of, ..)| *of == slot);
        match place.map(|place| self.large.swap_remove(place)) {
            Some((_, last, first)) if Arc::ptr_eq(&last, texts) => {
                self.large.push((slot, last, first));
                first + 2 <= self.runs
            }
            _ => {
                self.large.push((slot, texts.clone(), self.runs));
                false
            }
        }
    }
}
