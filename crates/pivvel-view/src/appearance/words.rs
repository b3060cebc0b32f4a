//! The words of drawings in one language.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use pivvel_core::brief::NumberFormat;
use pivvel_core::text::{Sentence, with_marks};
use pivvel_core::{Error, Notice, Result};

use super::german::GERMAN;

/// The words of drawings: headings of totals, months, notes for readers, legends, what pages and reports say; and the
/// marks within numbers. What stands in data and briefs (members, names of measures, titles, formulas) stays as it is,
/// and notices to the author of a brief are in English.
///
/// English is built in, and so is German. Others are made phrase by phrase:
///
/// ```
/// use pivvel::draw::Words;
///
/// let words = Words::english().language("fr").marks("\u{202f}", ",").phrase("total", "total général")?;
/// let error = Words::english().phrase("totl", "total général").unwrap_err();
/// assert_eq!(error.to_string(), "words: unknown phrase \"totl\"; did you mean \"total\"?");
/// assert!(Words::phrases().any(|phrase| phrase == "{count} lines read from {source}"));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Words {
    language: Cow<'static, str>,
    marks: Cow<'static, str>,
    point: Cow<'static, str>,
    phrases: Arc<BTreeMap<&'static str, Cow<'static, str>>>,
}

impl Default for Words {
    fn default() -> Words {
        Words::english()
    }
}

impl Words {
    /// English, with `1,234.50`.
    pub fn english() -> Words {
        Words { language: "en".into(), marks: ",".into(), point: ".".into(), phrases: Arc::default() }
    }

    /// German, with `1.234,50`.
    pub fn german() -> Words {
        let phrases = GERMAN.iter().map(|(english, german)| (*english, Cow::Borrowed(*german)));
        Words {
            language: "de".into(),
            marks: ".".into(),
            point: ",".into(),
            phrases: Arc::new(phrases.collect()),
        }
    }

    /// The words of a language that is built in, by its tag: `en` or `de`.
    ///
    /// # Errors
    /// Another language.
    pub fn of_language(tag: &str) -> Result<Words> {
        match tag {
            "en" => Ok(Words::english()),
            "de" => Ok(Words::german()),
            other => Err(Error::unknown("words", "language", other, ["en", "de"])),
        }
    }

    /// The same as the words of another language, by its tag (BCP 47), which pages say.
    pub fn language(self, tag: impl Into<String>) -> Words {
        Words { language: Cow::Owned(tag.into()), ..self }
    }

    /// The same with other marks between thousands and before decimals, for numbers whose format says no marks of its
    /// own: those that are shown as `1,234.50` otherwise.
    pub fn marks(self, thousands: impl Into<String>, point: impl Into<String>) -> Words {
        Words { marks: Cow::Owned(thousands.into()), point: Cow::Owned(point.into()), ..self }
    }

    /// The same with other words for an English phrase. What stands in braces is filled in, in whatever order.
    ///
    /// # Errors
    /// A phrase that no drawing says; braces that it has not.
    pub fn phrase(mut self, english: &str, own: impl Into<String>) -> Result<Words> {
        let Some(known) = Words::phrases().find(|known| *known == english) else {
            return Err(Error::unknown("words", "phrase", english, Words::phrases()));
        };
        let own: String = own.into();
        if let Some(hole) = holes(&own).find(|hole| !holes(known).any(|known| known == *hole)) {
            let place = format!("words for {english:?}");
            return Err(Error::unknown(place, "name in braces", hole, holes(known)));
        }
        Arc::make_mut(&mut self.phrases).insert(known, Cow::Owned(own));
        Ok(self)
    }

    /// Every English phrase that drawings say, in alphabetical order.
    pub fn phrases() -> impl Iterator<Item = &'static str> {
        GERMAN.iter().map(|(english, _)| *english)
    }

    /// The tag of the language.
    pub fn tag(&self) -> &str {
        &self.language
    }

    /// A sentence of drawings in these words.
    pub(crate) fn say(&self, sentence: impl Into<Sentence>) -> String {
        self.sentence_by(sentence.into(), &|phrase| {
            let is_known =
                !has_words(phrase) || GERMAN.binary_search_by_key(&phrase, |(known, _)| known).is_ok();
            debug_assert!(is_known, "{phrase:?} is not among the phrases of drawings");
        })
    }

    /// A sentence in these words. One that they do not have stays in English.
    pub(crate) fn sentence(&self, sentence: impl Into<Sentence>) -> String {
        self.sentence_by(sentence.into(), &|_| ())
    }

    fn sentence_by(&self, sentence: Sentence, meets: &dyn Fn(&'static str)) -> String {
        let words = |phrase: &'static str| {
            meets(phrase);
            self.phrases.get(phrase).map(|own| own.to_string())
        };
        sentence.in_words(&words, &|count| with_marks(count, &self.marks))
    }

    /// A notice in these words, as far as they reach.
    pub(crate) fn notice(&self, notice: &Notice) -> String {
        match (notice.sentence(), notice.part()) {
            (None, _) => notice.to_string(),
            (Some(sentence), None) => self.say(sentence.clone()),
            (Some(sentence), Some(part)) => format!("{part}: {}", self.say(sentence.clone())),
        }
    }

    /// What a month or a weekday is called.
    pub(crate) fn of_calendar(&self, english: &str) -> Option<String> {
        self.phrases.get(english).map(|own| own.to_string())
    }

    /// All words that are not English, by the English phrase.
    pub(crate) fn own(&self) -> impl Iterator<Item = (&str, &str)> {
        self.phrases.iter().map(|(english, own)| (*english, own.as_ref()))
    }

    /// The marks between thousands and before decimals.
    pub(crate) fn number_marks(&self) -> [&str; 2] {
        [&self.marks, &self.point]
    }

    /// A format with the marks of these words, where it has none of its own.
    pub(crate) fn format<'f>(&self, format: &'f NumberFormat) -> Cow<'f, NumberFormat> {
        let is_usual = format.get_marks() == "," && format.get_point() == ".";
        if !is_usual || self.marks == "," && self.point == "." {
            return Cow::Borrowed(format);
        }
        let (marks, point) = (self.marks.to_string(), self.point.to_string());
        Cow::Owned(format.clone().marks(marks).point(point))
    }
}

/// What stands in the braces of a phrase.
fn holes(phrase: &str) -> impl Iterator<Item = &str> {
    phrase.split('{').skip(1).filter_map(|rest| rest.split_once('}')).map(|(name, _)| name)
}

/// Whether a phrase is more than what fills its braces.
fn has_words(phrase: &str) -> bool {
    let outside = phrase.split('{').enumerate().map(|(i, part)| match i {
        0 => part,
        _ => part.split_once('}').map_or(part, |(_, after)| after),
    });
    outside.flat_map(str::chars).any(char::is_alphabetic)
}
