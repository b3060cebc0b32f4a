//! Texts over the lines of one batch.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, DictionaryArray, StringArray, StringViewArray, UInt32Array};
use arrow_schema::DataType;

use super::check::Step;
use super::evaluate::{Evaluated, Evaluation};
use super::line::{LineFormula, LineLeaf};

impl<'a> Evaluation<'a> {
    /// The texts that a formula gives; a blank is an empty text.
    pub(crate) fn texts<'b>(&mut self, formula: &'b LineFormula) -> Evaluated<Vec<Cow<'b, str>>>
    where
        'a: 'b,
    {
        let lines = self.lines();
        Ok(match &formula.step {
            Step::Leaf(LineLeaf::Column(slot)) => {
                column_texts(self.column(*slot)).into_iter().map(Cow::Borrowed).collect()
            }
            Step::Leaf(LineLeaf::Where(inner, condition)) => {
                let truths = self.truths(condition)?;
                let kept = |(text, truth)| if truth == Some(true) { text } else { Cow::Borrowed("") };
                self.texts(inner)?.into_iter().zip(truths).map(kept).collect()
            }
            Step::Word(word) => vec![Cow::Borrowed(word.as_str()); lines],
            Step::Case(branches, otherwise) => {
                let of_line = self.branch_of_line(branches)?;
                let mut result = self.texts(otherwise)?;
                for (place, (_, value)) in (0..).zip(branches) {
                    let given = self.texts(value)?.into_iter().enumerate();
                    given
                        .filter(|(line, _)| of_line[*line] == place)
                        .for_each(|(line, text)| result[line] = text);
                }
                result
            }
            Step::Apply(call, arguments) => {
                if let Some(change) = call.of_text() {
                    let texts = self.texts(&arguments[0])?.into_iter();
                    return Ok(texts.map(|text| Cow::Owned(change(&text))).collect());
                }
                let mut result = vec![Cow::Borrowed(""); lines];
                for argument in arguments {
                    for (known, text) in result.iter_mut().zip(self.texts(argument)?) {
                        if known.is_empty() {
                            *known = text;
                        }
                    }
                }
                result
            }
            _ => vec![Cow::Borrowed(""); lines],
        })
    }

    /// The texts that a formula gives as a column, by dictionary where these are few.
    pub(super) fn text_column(&mut self, formula: &LineFormula) -> Evaluated<ArrayRef> {
        let by_entry = self.by_entry(formula, |entries, formula| {
            let texts = StringArray::from_iter_values(entries.texts(formula)?);
            Ok(Arc::new(texts) as ArrayRef)
        })?;
        let (texts, text_of_line) = match by_entry {
            Some((texts, entry_of_line)) => (ArrayRef::clone(&texts), entry_of_line.into_owned()),
            None => match self.words_of_case(formula)? {
                Some(words) => words,
                None => return Ok(Arc::new(StringViewArray::from_iter_values(self.texts(formula)?))),
            },
        };
        Ok(Arc::new(DictionaryArray::new(UInt32Array::from(text_of_line), texts)))
    }

    /// The words that a `case` gives, and which of them each line has; `None` for what gives anything else.
    fn words_of_case(&mut self, formula: &LineFormula) -> Evaluated<Option<(ArrayRef, Vec<u32>)>> {
        let Step::Case(branches, otherwise) = &formula.step else { return Ok(None) };
        let values = branches.iter().map(|(_, value)| value).chain([&**otherwise]);
        let word = |value: &LineFormula| match &value.step {
            Step::Word(word) => Some(word.clone()),
            Step::Nothing => Some(String::new()),
            _ => None,
        };
        let Some(words) = values.map(word).collect::<Option<Vec<String>>>() else { return Ok(None) };
        Ok(Some((Arc::new(StringArray::from(words)), self.branch_of_line(branches)?)))
    }
}

/// The texts of a column, one a line; a blank is an empty text.
pub(crate) fn column_texts(array: &ArrayRef) -> Vec<&str> {
    match array.data_type() {
        DataType::Utf8View => array.as_string_view().iter().map(Option::unwrap_or_default).collect(),
        DataType::BinaryView => {
            let texts = array.as_binary_view().iter().flatten();
            texts.map(|bytes| std::str::from_utf8(bytes).unwrap_or_default()).collect()
        }
        DataType::Utf8 => array.as_string::<i32>().iter().map(Option::unwrap_or_default).collect(),
        DataType::LargeUtf8 => array.as_string::<i64>().iter().map(Option::unwrap_or_default).collect(),
        _ => {
            let dictionary = array.as_any_dictionary();
            let values = column_texts(dictionary.values());
            if values.is_empty() {
                return vec![""; array.len()];
            }
            let keys = dictionary.normalized_keys().into_iter().enumerate();
            keys.map(|(i, key)| if array.is_null(i) { "" } else { values[key] }).collect()
        }
    }
}
