//! Notices: what a user should know and that is no error. Each has a stable code, an audience and a sentence.

use std::fmt;
use std::str::FromStr;

use super::Sentence;
use crate::named::{NoName, by_name};

/// Something that a user should know of a run and that is no error: what was excluded, blanked, misspelt, empty,
/// mixed or not used.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::result::NoticeCode;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, CrossTab};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry"]));
/// let quantity: ArrayRef = Arc::new(Int64Array::from(vec![3, 4]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("quantity", quantity)])?;
/// let brief = Brief::new().measure(("pieces", "sum(quantity)")).filter("coast = 'Fel'");
/// let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
/// let misspelt = crosstab.notices().into_iter().find(|n| n.code() == NoticeCode::UnknownMember).unwrap();
/// assert_eq!(misspelt.to_string(), "coast is compared with 'Fel', which no line has; did you mean 'Fell'?");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Notice {
    code: NoticeCode,
    audience: Audience,
    text: String,
    /// The same as data, where it is for readers.
    sentence: Option<Sentence>,
    /// The part that it is about.
    of: Option<String>,
}

/// Whom a notice is for.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::result::Audience;
///
/// let crosstab = CrossTab::build(&brief().filter("coast = 'Fel'"), &mut lines())?;
/// let for_readers = crosstab.notices().iter().filter(|notice| notice.audience() == Audience::Reader).count();
/// assert!(for_readers < crosstab.notices().len());
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Audience {
    /// The author of the brief: what was most likely not meant.
    Author,
    /// The reader of the result: what the numbers cover.
    Reader,
}

crate::named! { Audience is "audience" { Author = "author", Reader = "reader", } }

macro_rules! codes {
    ($($(#[doc = $doc:literal])* $variant:ident = $name:literal,)*) => {
        /// What a notice is about. The names stay the same from version to version.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        #[non_exhaustive]
        pub enum NoticeCode {
            $($(#[doc = $doc])* $variant,)*
        }

        impl NoticeCode {
            /// Every code.
            pub const ALL: &'static [NoticeCode] = &[$(NoticeCode::$variant,)*];

            /// Its name, in small letters with hyphens.
            pub fn name(self) -> &'static str {
                match self {
                    $(NoticeCode::$variant => $name,)*
                }
            }
        }

        impl fmt::Display for NoticeCode {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(self.name())
            }
        }

        impl FromStr for NoticeCode {
            type Err = NoName;

            fn from_str(text: &str) -> Result<NoticeCode, NoName> {
                by_name("code of a notice", text, NoticeCode::ALL.iter().map(|code| (code.name(), *code)))
            }
        }
    };
}

codes! {
    /// Lines that the condition of the brief leaves out.
    LinesExcluded = "lines-excluded",
    /// Lines for which that condition was blank.
    ConditionBlank = "condition-blank",
    /// No line is left.
    EmptyResult = "empty-result",
    /// Lines in which every column is empty.
    EmptyLines = "empty-lines",
    /// Values that did not fit their column and were taken as blank.
    BadValues = "bad-values-blanked",
    /// Floating-point values that are no number or infinite, and were taken as blank.
    NotFinite = "not-finite",
    /// Divisions by zero, which gave blanks.
    ZeroDivision = "division-by-zero",
    /// Lines that found no partner in a related table.
    Unmatched = "unmatched-keys",
    /// Lines that hold nothing in a dimension.
    BlankMembers = "blank-members",
    /// Members that are not shown, or are gathered.
    MembersNotShown = "members-not-shown",
    /// An item that is computed without members that it names, because they are gathered.
    ItemLacks = "item-lacks-members",
    /// A top or bottom of no fewer members than there are.
    TopKeepsAll = "top-keeps-all",
    /// A member or a text that is named and that no line has.
    UnknownMember = "unknown-member",
    /// A dimension, level or total that is named and is not in the layout.
    NotInLayout = "not-in-layout",
    /// An emphasis or an item that could not be used.
    NotUsed = "not-used",
    /// A rule that no value can reach, or values that no rule is for.
    RuleGap = "rule-gap",
    /// A scale or rules that put totals beside their parts.
    Mixed = "mixed-scale",
    /// Cells that lie beyond a kept scale, or have none there.
    KeptScale = "kept-scale",
    /// Figures that are hidden, and stand in no table.
    FiguresHidden = "figures-hidden",
    /// A measure that nothing shows or uses.
    UnusedMeasure = "unused-measure",
    /// A measure that is blank in every cell.
    BlankMeasure = "blank-measure",
    /// A total that adds up members that an item subtracts or divides, as actual and plan.
    MixedTotal = "mixed-total",
    /// An item that adds up a measure that is no sum.
    ItemAddsUp = "item-adds-up-ratios",
    /// A name in the title that has no value.
    TitleName = "title-name",
    /// A last line that looks like a total of the others.
    TotalLine = "total-line",
    /// A calculated item or an others member with the name of a member of the lines.
    SameName = "same-name",
    /// Colours of a brief's own that some readers cannot tell apart, or that are drawn lighter or darker.
    Colours = "colours",
    /// Something odd about the headings, sheets or files of the source.
    Source = "source",
    /// Days that were moments, and the time zone that they are days of.
    TimeZone = "time-zone",
    /// An order that is blank for every member.
    NoEffect = "no-effect",
    /// A running total or a window along text that looks like periods.
    NoPeriods = "no-periods",
}

impl NoticeCode {
    /// Whether it reports what the brief asked for, rather than what may be wrong.
    pub fn is_asked_for(self) -> bool {
        use NoticeCode::*;
        matches!(
            self,
            LinesExcluded | MembersNotShown | TopKeepsAll | BlankMembers | FiguresHidden | TimeZone
        )
    }
}

impl Notice {
    /// A notice for the author of a brief, as what draws it may have.
    pub fn author(code: NoticeCode, text: impl Into<String>) -> Notice {
        Notice { code, audience: Audience::Author, text: text.into(), sentence: None, of: None }
    }

    /// A notice for readers of the result.
    pub(crate) fn reader(code: NoticeCode, sentence: Sentence) -> Notice {
        let text = sentence.to_string();
        Notice { code, audience: Audience::Reader, text, sentence: Some(sentence), of: None }
    }

    /// The same notice about one part, as a view, whose name it begins with.
    pub fn of(self, part: &str) -> Notice {
        Notice { text: format!("{part}: {}", self.text), of: Some(part.into()), ..self }
    }

    /// What it is about.
    pub fn code(&self) -> NoticeCode {
        self.code
    }

    /// Whom it is for.
    pub fn audience(&self) -> Audience {
        self.audience
    }

    /// The sentence.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The sentence as data, for translation; `None` for notices to the author of a brief, which are in English.
    pub fn sentence(&self) -> Option<&Sentence> {
        self.sentence.as_ref()
    }

    /// The part that it is about, by [`Notice::of`], with which its text begins.
    pub fn part(&self) -> Option<&str> {
        self.of.as_deref()
    }
}

impl fmt::Display for Notice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// By its code, its audience and its sentence.
impl serde::Serialize for Notice {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(serde::Serialize)]
        struct Written<'a> {
            code: &'a str,
            audience: &'a str,
            text: &'a str,
        }
        let audience = match self.audience {
            Audience::Author => "author",
            Audience::Reader => "reader",
        };
        Written { code: self.code.name(), audience, text: &self.text }.serialize(serializer)
    }
}
