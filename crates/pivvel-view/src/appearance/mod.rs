//! How drawings speak and look: the words of a language, and the colours, fonts and logo of a company.

mod german;
mod theme;
mod words;

use pivvel_core::brief::NumberFormat;
use pivvel_core::compare::Comparison;
use pivvel_core::drill::{LinesBehind, Story, Tied};
use pivvel_core::plan::PlannedRule;
use pivvel_core::result::Variants;
use pivvel_core::{CrossTab, Result, Value};

use crate::layout::Layout;
use crate::number::show_number;
use crate::report::{self, ChangeFormats, Report};
use crate::terminal::LineColumn;
use crate::{page, picture};

pub use theme::{Logo, Theme};
pub use words::Words;

/// How cross-tabs and reports are drawn: in which words, and in which colours.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// use pivvel::draw::{Appearance, Rgb, TerminalOptions, Theme, Words, terminal};
/// use pivvel::brief::PaletteName;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, CrossTab};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry"]));
/// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![1_400, 8]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)])?;
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
///
/// let theme = Theme::new().palette(PaletteName::Water, None, Rgb(0x7a, 0x1f, 0x5c));
/// let appearance = Appearance::new().words(Words::german()).theme(theme);
/// let text = terminal(&appearance.layout(&crosstab), &TerminalOptions::default());
/// assert!(text.contains("gesamt") && text.contains("1.400"));
/// assert!(appearance.page(&crosstab).contains("<html lang=\"de\">"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Appearance {
    pub(crate) words: Words,
    pub(crate) theme: Theme,
    pub(crate) without_script: bool,
}

impl Appearance {
    /// English words, and the colours and fonts of the library.
    pub fn new() -> Appearance {
        Appearance::default()
    }

    /// In these words.
    pub fn words(self, words: Words) -> Appearance {
        Appearance { words, ..self }
    }

    /// In these colours.
    pub fn theme(self, theme: Theme) -> Appearance {
        Appearance { theme, ..self }
    }

    /// Whether pages hold the script that folds, sorts and finds. Without one a page can be mailed, and shows the same.
    pub fn script(self, script: bool) -> Appearance {
        Appearance { without_script: !script, ..self }
    }

    /// Lays a cross-tab out, for a terminal or for drawing of one's own.
    pub fn layout(&self, crosstab: &CrossTab) -> Layout {
        Layout::of(crosstab, self)
    }

    /// Draws a cross-tab with all its views as a page: see [`page`](crate::draw_page).
    pub fn page(&self, crosstab: &CrossTab) -> String {
        page::draw(crosstab, self)
    }

    /// Draws a cross-tab with all its views as a page on which readers choose: see
    /// [`page_with_controls`](crate::draw_page_with_controls).
    ///
    /// # Errors
    /// A cross-tab that cannot be computed; variants that take more than a page holds.
    pub fn page_with_controls(&self, variants: &Variants<'_>) -> Result<String> {
        page::draw_with_controls(variants, self)
    }

    /// Draws a cross-tab with its views as SVG, or one of the views alone, counted from 1.
    pub fn svg(&self, crosstab: &CrossTab, view: Option<usize>) -> String {
        picture::draw(crosstab, view, self)
    }

    /// The story of one number as a report.
    pub fn story(&self, story: &Story) -> Report {
        report::story(story, self)
    }

    /// The lines behind a cell with what they add up to, as a report.
    pub fn lines(
        &self,
        wanted: &LinesBehind,
        tied: &Tied,
        columns: Vec<LineColumn>,
        rows: Vec<Vec<String>>,
    ) -> Report {
        report::lines((wanted, tied), columns, rows, self)
    }

    /// What the lines behind a cell add up to, in sentences, each with how many steps it stands in.
    pub fn lines_summary(&self, wanted: &LinesBehind, tied: &Tied) -> Vec<(usize, String)> {
        report::lines_summary(wanted, tied, &self.words)
    }

    /// A comparison as a report: the members that came and went, the changes level by level with the largest
    /// first, and the change of ratios taken apart.
    pub fn changes(&self, comparison: &Comparison, title: String, formats: &ChangeFormats) -> Report {
        report::changes(comparison, title, formats, self)
    }

    /// The heading of a cross-tab.
    pub(crate) fn title(&self, crosstab: &CrossTab) -> String {
        crosstab.default_title().map_or_else(|| crosstab.title().into(), |made| self.words.say(made.clone()))
    }

    /// What a legend calls a rule.
    pub(crate) fn rule_name(&self, rule: &PlannedRule) -> String {
        rule.default_name().map_or_else(|| rule.name().to_string(), |made| self.words.say(made.clone()))
    }

    /// A sentence in the words of this appearance; one that they do not have stays in English.
    ///
    /// ```
    /// use pivvel::draw::{Appearance, Words};
    ///
    /// assert_eq!(Appearance::new().words(Words::german()).sentence("total"), "gesamt");
    /// ```
    pub fn sentence(&self, sentence: impl Into<pivvel_core::text::Sentence>) -> String {
        self.words.sentence(sentence)
    }

    /// A value as its measure's format shows it, with the marks of the language.
    pub(crate) fn number(&self, value: &Value, format: &NumberFormat) -> String {
        show_number(value, &self.words.format(format))
    }
}
