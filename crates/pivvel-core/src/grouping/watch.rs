//! Texts that formulas compare columns with and that no line has: most often misspelt members.

use std::collections::BTreeSet;

use arrow_array::cast::AsArray;
use arrow_array::{ArrayRef, RecordBatch};

use super::spec::{Finer, Grouping, LineValue};
use crate::formula::{LineFormula, LineLeaf, Operator, Step, column_texts};
use crate::suggest::nearest;

/// Columns of more different texts are not searched for misspelt members.
const FEW: usize = 1_000;

/// A text that a column is compared with and that no line has.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
///
/// let crosstab = CrossTab::build(&brief().filter("coast = 'Fel'"), &mut lines())?;
/// let unknown = &crosstab.report().unknown_texts()[0];
/// assert_eq!((unknown.text(), unknown.nearest()), ("Fel", Some("Fell")));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct UnknownText {
    /// The column, by its place among those that the scan is given.
    pub(crate) slot: usize,
    pub(crate) text: String,
    pub(crate) nearest: Option<String>,
}

crate::getters! {
    UnknownText {
        /// The text.
        text: &str,
        /// The most similar text of the column.
        nearest: Option<&str>,
    }
}

/// The compared texts of all columns.
#[derive(Debug, Clone, Default)]
pub(super) struct Watch {
    columns: Vec<Watched>,
}

#[derive(Debug, Clone)]
struct Watched {
    slot: usize,
    /// Texts that no line has had so far.
    wanted: Vec<String>,
    members: BTreeSet<String>,
    /// Whether there are too many members to find a misspelt one among.
    many: bool,
}

impl Watch {
    pub(super) fn new(grouping: &Grouping) -> Watch {
        let mut watch = Watch::default();
        let keys = grouping.rows.iter().chain(&grouping.columns).map(|key| &key.formula);
        keys.chain(&grouping.filter).for_each(|formula| watch.gather(formula));
        watch.gather_values(&grouping.values, &grouping.finer);
        watch
    }

    fn gather_values(&mut self, values: &[LineValue], finer: &[Finer]) {
        values.iter().for_each(|value| self.gather(&value.formula));
        for finer in finer {
            finer.keys.iter().map(|key| &key.formula).chain(&finer.filter).for_each(|f| self.gather(f));
            self.gather_values(&finer.values, &finer.finer);
        }
    }

    fn gather(&mut self, formula: &LineFormula) {
        formula.each(&mut |part| {
            match &part.step {
                Step::Compare(Operator::Equal | Operator::NotEqual, a, b) => {
                    self.compare(a, b);
                    self.compare(b, a);
                }
                Step::Leaf(
                    LineLeaf::PartOf(inner, _) | LineLeaf::Presence(inner) | LineLeaf::Hash(inner),
                ) => {
                    self.gather(inner);
                }
                Step::Leaf(LineLeaf::Where(inner, condition)) => {
                    self.gather(inner);
                    self.gather(condition);
                }
                _ => {}
            };
        });
    }

    fn compare(&mut self, column: &LineFormula, text: &LineFormula) {
        let (Step::Leaf(LineLeaf::Column(slot)), Step::Word(word)) = (&column.step, &text.step) else {
            return;
        };
        if word.is_empty() {
            return;
        }
        let known = self.columns.iter().position(|watched| watched.slot == *slot);
        let place = known.unwrap_or_else(|| {
            let (wanted, members) = (Vec::new(), BTreeSet::new());
            self.columns.push(Watched { slot: *slot, wanted, members, many: false });
            self.columns.len() - 1
        });
        if !self.columns[place].wanted.contains(word) {
            self.columns[place].wanted.push(word.clone());
        }
    }

    /// Looks at a batch. A text that it holds is wanted no more.
    pub(super) fn look(&mut self, batch: &RecordBatch) {
        for watched in self.columns.iter_mut().filter(|watched| !watched.wanted.is_empty()) {
            let column = batch.column(watched.slot);
            texts(column, &mut |text| watched.take(text));
        }
    }

    pub(super) fn absorb(&mut self, other: &Watch) {
        for (mine, theirs) in self.columns.iter_mut().zip(&other.columns) {
            mine.wanted.retain(|text| theirs.wanted.contains(text));
            mine.many |= theirs.many;
            theirs.members.iter().for_each(|text| mine.take(text));
        }
    }

    /// The texts that no line has, of columns of few members.
    pub(super) fn unknown(&self) -> Vec<UnknownText> {
        let few = self.columns.iter().filter(|watched| !watched.many);
        let unknown = few.flat_map(|watched| {
            let known: Vec<&str> = watched.members.iter().map(String::as_str).collect();
            watched.wanted.iter().map(move |text| UnknownText {
                slot: watched.slot,
                text: text.clone(),
                nearest: nearest(text, &known).map(str::to_string),
            })
        });
        unknown.collect()
    }
}

impl Watched {
    fn take(&mut self, text: &str) {
        if self.many || self.members.contains(text) {
            return;
        }
        self.wanted.retain(|wanted| wanted != text);
        if self.members.len() < FEW {
            self.members.insert(text.to_string());
        } else {
            // Nothing will be said of it, so nothing more is looked for.
            (self.many, self.wanted) = (true, Vec::new());
        }
    }
}

/// Gives the texts of an array to `take`, each at least once.
fn texts(array: &ArrayRef, take: &mut dyn FnMut(&str)) {
    let values = array.as_any_dictionary_opt().map_or(array, |dictionary| dictionary.values());
    let texts = column_texts(values);
    // Neighbours are most often alike.
    texts.chunk_by(|a, b| a == b).for_each(|alike| take(alike[0]));
}
