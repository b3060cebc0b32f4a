//! Sentences as data, for translation: a phrase with names in braces, and what stands in their place.

use std::fmt;

/// A sentence: an English phrase with names in braces, and what stands in their place. [`Display`](fmt::Display) is the
/// sentence in English; [`Sentence::in_words`] is the same in other words.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::text::Sentence;
///
/// let sentence = Sentence::new("{count} lines with no {dimension}", [("count", 1_204_u64.into()), ("dimension", "coast".into())]);
/// assert_eq!(sentence.to_string(), "1,204 lines with no coast");
/// let german = |_: &str| Some("{count} Zeilen ohne {dimension}".into());
/// assert_eq!(sentence.in_words(&german, &|count| count.to_string()), "1204 Zeilen ohne coast");
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sentence {
    phrase: &'static str,
    parts: Vec<(&'static str, Part)>,
}

/// What stands in the place of a name in braces.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Part {
    /// How many of something.
    Count(u64),
    /// A name, a formula or a number that is shown as it is.
    Text(String),
    /// Other words.
    Sentence(Sentence),
}

impl Sentence {
    /// A phrase with what stands in the place of its names.
    pub fn new(phrase: &'static str, parts: impl IntoIterator<Item = (&'static str, Part)>) -> Sentence {
        Sentence { phrase, parts: parts.into_iter().collect() }
    }

    /// One of two phrases: for one of something, or for any other number, which stands in `{count}`.
    pub fn counted(count: u64, one: &'static str, others: &'static str) -> Sentence {
        Sentence::new(if count == 1 { one } else { others }, [("count", count.into())])
    }

    /// The same with what stands in the place of one more name.
    pub fn with(mut self, name: &'static str, part: impl Into<Part>) -> Sentence {
        self.parts.push((name, part.into()));
        self
    }

    /// The English phrase.
    pub fn phrase(&self) -> &'static str {
        self.phrase
    }

    /// What stands in the place of the names.
    pub fn parts(&self) -> &[(&'static str, Part)] {
        &self.parts
    }

    /// The sentence in another language: `words` gives the translation of a phrase, if there is one, and `count` writes a
    /// count.
    pub fn in_words(
        &self,
        words: &dyn Fn(&'static str) -> Option<String>,
        count: &dyn Fn(u64) -> String,
    ) -> String {
        let phrase = words(self.phrase);
        let mut rest = phrase.as_deref().unwrap_or(self.phrase);
        let mut sentence = String::new();
        while let Some((before, name, after)) = hole(rest) {
            sentence.push_str(before);
            match self.parts.iter().find(|(known, _)| *known == name) {
                Some((_, Part::Count(number))) => sentence.push_str(&count(*number)),
                Some((_, Part::Text(text))) => sentence.push_str(text),
                Some((_, Part::Sentence(own))) => sentence.push_str(&own.in_words(words, count)),
                None => sentence.push_str(&format!("{{{name}}}")),
            }
            rest = after;
        }
        sentence + rest
    }
}

/// What stands before a name in braces, the name, and what stands after it.
fn hole(phrase: &str) -> Option<(&str, &str, &str)> {
    let (before, rest) = phrase.split_once('{')?;
    let (name, after) = rest.split_once('}')?;
    Some((before, name, after))
}

impl From<&'static str> for Sentence {
    fn from(phrase: &'static str) -> Sentence {
        Sentence::new(phrase, [])
    }
}

/// The sentence in English.
impl fmt::Display for Sentence {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.in_words(&|_| None, &with_thousands))
    }
}

impl From<u64> for Part {
    fn from(count: u64) -> Part {
        Part::Count(count)
    }
}

impl From<usize> for Part {
    fn from(count: usize) -> Part {
        Part::Count(count as u64)
    }
}

impl From<String> for Part {
    fn from(text: String) -> Part {
        Part::Text(text)
    }
}

impl From<&str> for Part {
    fn from(text: &str) -> Part {
        Part::Text(text.into())
    }
}

impl From<&String> for Part {
    fn from(text: &String) -> Part {
        Part::Text(text.clone())
    }
}

impl From<Sentence> for Part {
    fn from(sentence: Sentence) -> Part {
        Part::Sentence(sentence)
    }
}

/// A count in English.
pub(crate) fn with_thousands(count: u64) -> String {
    with_marks(count, ",")
}

/// A count with a mark between thousands.
///
/// ```
/// assert_eq!(pivvel_core::text::with_marks(1_204_000, "."), "1.204.000");
/// ```
pub fn with_marks(count: u64, mark: &str) -> String {
    let digits = count.to_string();
    let parts: Vec<&str> =
        digits.as_bytes().rchunks(3).rev().filter_map(|part| std::str::from_utf8(part).ok()).collect();
    parts.join(mark)
}
