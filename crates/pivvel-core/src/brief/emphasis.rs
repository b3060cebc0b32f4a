//! Emphasis as it is wanted: what stands out, how, by what, among which peers and by which rules.

use std::convert::Infallible;
use std::fmt;
use std::str::FromStr;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::amount::Amount;
use super::fill::FilledCells;
use super::keyed::keyed;
use super::level::Level;
use super::lists::{SomeTexts, some, some_texts};
use super::palette::PaletteOf;
use super::parts;
use super::template::Template;
use super::words::{as_text, schema, words};
use crate::error::{Error, Result};
use crate::formula::{Formula, Group};

/// What makes a measure's cells stand out.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{EmphasisBrief, Form, PeersOf, RuleBrief};
/// use pivvel::Brief;
///
/// let within = EmphasisBrief::new("sales", Form::Bar).peers(PeersOf::Siblings);
/// let ruled = EmphasisBrief::new("profit", Form::Ink).rule(RuleBrief::new().named("loss").below(0));
/// let brief = Brief::new().rows(["coast", "harbour"]).emphasize(within).emphasize(ruled);
/// assert_eq!(brief.get_emphasis().len(), 2);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
pub struct EmphasisBrief {
    /// What it is called where one is changed or dropped for a run: `--emphasis`, `--rule`, `--drop`.
    pub(crate) name: Option<String>,
    /// The measure whose cells stand out; for a link a dimension may be named, whose members link.
    pub(crate) on: String,
    /// How they do.
    #[serde(rename = "as", default)]
    pub(crate) form: Form,
    /// What decides, where it is not the measure itself: another measure, or a formula over cells.
    pub(crate) by: Option<Formula>,
    /// The condition that cells must meet, as in `coast = 'Fell Coast' and range = 'Rope'`.
    #[serde(rename = "where")]
    pub(crate) only: Option<Formula>,
    /// The levels that it is for (default: all but the grand totals).
    #[serde(default, deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) levels: Vec<Level>,
    /// Whether the cell or its whole row stands out; for a row, its value in the total of the columns decides.
    #[serde(default)]
    pub(crate) reach: Reach,
    /// The cells that are scaled together.
    #[serde(default)]
    pub(crate) peers: PeersOf,
    /// Which of them the yardstick measures: shown, all, or those of a file of kept yardsticks (.json).
    #[serde(default)]
    pub(crate) yardstick: YardstickOf,
    /// Whether cells without lines, which a `fill` makes, are among them.
    #[serde(default)]
    pub(crate) filled: FilledCells,
    /// Whether places are by value or by rank.
    #[serde(default)]
    pub(crate) scale: ScaleBy,
    /// The middle that positions are about: a number, `mean`, `median`, or a formula over cells.
    #[serde(default, deserialize_with = "number_or_formula")]
    #[schemars(with = "Option<Amount>")]
    pub(crate) about: Option<Formula>,
    /// The shares of the peers at which the scale ends, as `5%` and `95%`.
    pub(crate) clip: Option<(Amount, Amount)>,
    /// A fixed low end, in true units.
    pub(crate) low: Option<Amount>,
    /// A fixed high end, in true units.
    pub(crate) high: Option<Amount>,
    /// In how many steps it shows, where not continuously.
    pub(crate) steps: Option<u8>,
    /// Which direction is good, if either is.
    pub(crate) good: Option<Side>,
    /// The palette.
    pub(crate) palette: Option<PaletteOf>,
    /// The set of symbols.
    pub(crate) symbols: Option<SymbolSet>,
    /// Whether the number stands beside its symbol or bar.
    #[serde(default)]
    pub(crate) figure: Figure,
    /// The periods that a trend goes along.
    pub(crate) along: Option<String>,
    /// What a link leads to, with `{dimension}` for the label of the cell's member.
    pub(crate) link: Option<Template>,
    /// The rules: the first that matches decides. Without rules the scale does.
    #[serde(default, deserialize_with = "some", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "Vec<RuleBrief>", length(min = 1))]
    pub(crate) rules: Vec<RuleBrief>,
}

/// One rule of an emphasis. All that it says must hold.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{EmphasisBrief, Form, RuleBrief, Tone};
///
/// let short = RuleBrief::new().below(0).named("short of plan").show(Tone::Loss);
/// assert_eq!(EmphasisBrief::new("variance", Form::Ink).rule(short).get_rules().len(), 1);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", default, deny_unknown_fields)]
pub struct RuleBrief {
    /// What the legend calls it.
    pub(crate) name: Option<Template>,
    /// How it shows: a tone, or the number of a symbol (default: by its place among the rules).
    pub(crate) show: Option<Show>,
    /// The lowest value that matches: a number, a position such as `25%`, a date or an assumption.
    pub(crate) from: Option<Amount>,
    /// The highest value that no longer matches, below those that do.
    pub(crate) above: Option<Amount>,
    /// The lowest value that no longer matches, above those that do.
    pub(crate) below: Option<Amount>,
    /// The highest value that matches.
    pub(crate) up_to: Option<Amount>,
    /// The only value that matches.
    pub(crate) is: Option<Amount>,
    /// So many, or such a share, of the highest of its peers.
    pub(crate) top: Option<Amount>,
    /// So many, or such a share, of the lowest of its peers.
    pub(crate) bottom: Option<Amount>,
    /// Above or below the mean of its peers.
    pub(crate) mean: Option<MeanSide>,
    /// Whether it is for cells without a value.
    pub(crate) blank: bool,
    /// A condition over the cell.
    pub(crate) when: Option<Formula>,
    /// What a percentage among the bounds means.
    pub(crate) unit: Unit,
}

words! {
    /// How an emphasis shows.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form};
    ///
    /// let bar = EmphasisBrief::new("sales", Form::Bar);
    /// assert_eq!((bar.get_form(), bar.get_form().name()), ("bar".parse()?, "bar"));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum Form is "form" {
        /// A background colour.
        #[default]
        Tint = "tint",
        /// A colour of the figure.
        Ink = "ink",
        /// A bar within the cell, from a zero line that all its peers share.
        Bar = "bar",
        /// A small drawn sign beside the figure.
        Symbol = "symbol",
        /// A small line over periods, one in each row.
        Trend = "trend",
        /// A link from the member or the figure.
        Link = "link",
    }
}

words! {
    /// The cells that are scaled together: of one measure, and of one class (plain members, the others,
    /// each calculated item).
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form, PeersOf};
    ///
    /// let tint = EmphasisBrief::new("sales", Form::Tint).peers(PeersOf::Siblings);
    /// assert_eq!(tint.get_peers().to_string(), "siblings");
    /// assert_eq!("column siblings".parse::<PeersOf>()?, PeersOf::ColumnSiblings);
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum PeersOf is "group of peers" {
        /// All of one grain.
        #[default]
        Level = "level",
        /// Those of one row parent, in one column.
        Siblings = "siblings",
        /// Those of one column parent, in one row.
        ColumnSiblings = "column siblings",
        /// Those of one row, at one level of the columns.
        Row = "row",
        /// Those of one column, at one level of the rows.
        Column = "column",
        /// Those of one grain within one member of the outermost row dimension.
        Branch = "branch",
        /// Those of every level that stands out, totals with their parts.
        All = "all",
    }
}

words! {
    /// What stands out: the cell, or the whole row that it is in.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form, Reach};
    ///
    /// let row = EmphasisBrief::new("variance", Form::Tint).reach(Reach::Row);
    /// assert_eq!(row.get_reach().name(), "row");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum Reach is "choice" {
        /// The cell.
        #[default]
        Cell = "cell",
        /// The whole row.
        Row = "row",
    }
}

words! {
    /// What places on a scale go by.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form, ScaleBy};
    ///
    /// // One harbour that sells ten times as much as the others leaves them all pale, unless ranks are shaded.
    /// let by_rank = EmphasisBrief::new("sales", Form::Tint).scale(ScaleBy::Rank);
    /// assert_eq!(by_rank.get_scale().name(), "rank");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum ScaleBy is "scale" {
        /// The value.
        #[default]
        Linear = "linear",
        /// The rank among the peers.
        Rank = "rank",
    }
}

words! {
    /// Whether the figure stands in the cell.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Figure, Form};
    ///
    /// let bars_alone = EmphasisBrief::new("salary", Form::Bar).figure(Figure::Hidden);
    /// assert!(bars_alone.hides_figure());
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum Figure is "choice" {
        /// It does.
        #[default]
        Shown = "shown",
        /// It stands nowhere.
        Hidden = "hidden",
    }
}

words! {
    /// One of two sides.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form, Side};
    ///
    /// assert_eq!(EmphasisBrief::new("cost", Form::Symbol).good(Side::Low).get_good(), Some("low".parse()?));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    pub enum Side is "direction" {
        /// High values.
        High = "high",
        /// Low values.
        Low = "low",
    }
}

words! {
    /// One of the two sides of a mean.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{MeanSide, RuleBrief};
    ///
    /// assert_eq!(RuleBrief::new().mean(MeanSide::Above).get_mean(), Some("above".parse()?));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    pub enum MeanSide is "side" {
        /// Above it.
        Above = "above",
        /// Below it.
        Below = "below",
    }
}

words! {
    /// What a percentage among a rule's bounds means.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{RuleBrief, Unit};
    ///
    /// // The cells that hold the first tenth of what all peers add up to.
    /// assert_eq!(RuleBrief::new().below("10%").unit(Unit::Share).get_unit().name(), "share");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum Unit is "unit" {
        /// A position on the scale: 25% is a quarter of the way from its low end to its high end.
        #[default]
        Position = "position",
        /// A percentile of the peers: a quarter of them lie below 25%.
        Percentile = "percentile",
        /// A share in true units: 25% is 0.25.
        Share = "share",
    }
}

words! {
    /// What a rule shows by name.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{RuleBrief, Show, Tone};
    ///
    /// assert_eq!(RuleBrief::new().show(Tone::Watch).get_show(), Some(&Show::Tone("watch".parse()?)));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[non_exhaustive]
    pub enum Tone is "tone" {
        /// Good.
        Gain = "gain",
        /// Bad.
        Loss = "loss",
        /// To be looked at.
        Watch = "watch",
        /// As it should be.
        Calm = "calm",
        /// Strong, without a judgement.
        Strong = "strong",
        /// Of little weight.
        Faint = "faint",
    }
}

words! {
    /// A set of symbols. What they look like is a matter of views.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form, SymbolSet};
    ///
    /// assert_eq!(EmphasisBrief::new("growth", Form::Symbol).symbols(SymbolSet::Slope).get_symbols(), Some("slope".parse()?));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum SymbolSet is "set of symbols" {
        /// From an empty to a full form.
        #[default]
        Tide = "tide",
        /// From falling to rising.
        Slope = "slope",
        /// From one part to all of them.
        Pips = "pips",
    }
}

/// Which cells a yardstick measures.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{EmphasisBrief, Form, YardstickOf};
///
/// // The scales of May, for June: the same colour is the same amount.
/// let tint = EmphasisBrief::new("sales", Form::Tint).yardstick(YardstickOf::Kept("may.json".into()));
/// assert_eq!(tint.get_yardstick().to_string(), "may.json");
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum YardstickOf {
    /// Those that are shown.
    #[default]
    Shown,
    /// All that there are before members are picked.
    All,
    /// Those of an earlier run, whose yardsticks a file keeps.
    Kept(String),
}

impl FromStr for YardstickOf {
    type Err = Infallible;

    fn from_str(text: &str) -> std::result::Result<YardstickOf, Infallible> {
        Ok(match text {
            "shown" => YardstickOf::Shown,
            "all" => YardstickOf::All,
            file => YardstickOf::Kept(file.to_string()),
        })
    }
}

impl fmt::Display for YardstickOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            YardstickOf::Shown => "shown",
            YardstickOf::All => "all",
            YardstickOf::Kept(file) => file,
        })
    }
}

as_text!(YardstickOf is "shown, all or a file");
schema!(YardstickOf is { "type": "string" });

/// How a rule shows: in a tone, in the colour of a palette, or by one of the symbols of a set.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{PaletteName, Show, Tone};
///
/// assert_eq!("gain".parse::<Show>()?, Show::Tone(Tone::Gain));
/// assert_eq!("sand".parse::<Show>()?, Show::Palette(PaletteName::Sand.into()));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Show {
    /// A tone.
    Tone(Tone),
    /// The high end of a palette.
    Palette(PaletteOf),
    /// A symbol, by its number from 1 to 5.
    Symbol(u8),
}

impl Show {
    /// As [`Brief::each_part`](super::Brief::each_part): a name may be an assumption's.
    fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let mut name = self.to_string();
        parts::names([&mut name], visit);
        if let Ok(show) = name.parse() {
            *self = show;
        }
    }
}

impl From<Tone> for Show {
    fn from(tone: Tone) -> Show {
        Show::Tone(tone)
    }
}

impl From<PaletteOf> for Show {
    fn from(palette: PaletteOf) -> Show {
        Show::Palette(palette)
    }
}

impl FromStr for Show {
    type Err = Error;

    fn from_str(text: &str) -> Result<Show> {
        match text.parse() {
            Ok(number @ 1..=5) => Ok(Show::Symbol(number)),
            Ok(number) => Err(Error::request("", format!("symbols go from 1 to 5, and this is {number}"))),
            Err(_) => Ok(text.parse().map_or_else(|_| Show::Palette(text.into()), Show::Tone)),
        }
    }
}

impl fmt::Display for Show {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Show::Tone(tone) => tone.fmt(f),
            Show::Palette(palette) => palette.fmt(f),
            Show::Symbol(number) => number.fmt(f),
        }
    }
}

impl Serialize for Show {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> std::result::Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Show {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> std::result::Result<Show, D::Error> {
        super::words::from_text_or_number(
            deserializer,
            "a tone, a palette, or the number of a symbol from 1 to 5",
        )
    }
}

schema!(Show is {
    "anyOf": [
        { "enum": Tone::NAMES.iter().map(|(name, _)| *name).chain(["1", "2", "3", "4", "5"]).collect::<Vec<_>>() },
        { "type": "string", "not": { "pattern": "^\\+?[0-9]+$" } },
        { "type": "integer", "minimum": 1, "maximum": 5 }
    ]
});

fn number_or_formula<'de, D: serde::Deserializer<'de>>(
    deserializer: D,
) -> std::result::Result<Option<Formula>, D::Error> {
    struct Middle(Formula);

    impl<'de> Deserialize<'de> for Middle {
        fn deserialize<D: serde::Deserializer<'de>>(
            deserializer: D,
        ) -> std::result::Result<Middle, D::Error> {
            super::words::from_text_or_number(deserializer, "a number, mean or a formula").map(Middle)
        }
    }

    Ok(Option::<Middle>::deserialize(deserializer)?.map(|Middle(formula)| formula))
}

keyed!(EmphasisBrief);
keyed!(RuleBrief);

impl PeersOf {
    /// The same within one grain.
    pub(crate) fn group(self) -> Group {
        match self {
            PeersOf::Level | PeersOf::All => Group::Level,
            PeersOf::Siblings => Group::Siblings,
            PeersOf::ColumnSiblings => Group::ColumnSiblings,
            PeersOf::Row => Group::Row,
            PeersOf::Column => Group::Column,
            PeersOf::Branch => Group::Branch,
        }
    }
}

impl EmphasisBrief {
    /// An emphasis of this form on a measure, by the measure itself, each level on its own scale.
    pub fn new(on: impl Into<String>, form: Form) -> EmphasisBrief {
        EmphasisBrief { on: on.into(), form, ..EmphasisBrief::default() }
    }

    /// How many steps its scale has, if any: three by default where it is symbols.
    pub fn scale_steps(&self) -> Option<u8> {
        self.steps.or((self.form == Form::Symbol).then_some(3))
    }

    /// Whether the whole row stands out.
    pub(crate) fn is_whole_row(&self) -> bool {
        self.reach == Reach::Row
    }

    /// Whether places are by rank.
    pub(crate) fn is_by_rank(&self) -> bool {
        self.scale == ScaleBy::Rank
    }

    /// Whether the figure stands nowhere.
    pub fn hides_figure(&self) -> bool {
        self.figure == Figure::Hidden
    }
}

impl EmphasisBrief {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let EmphasisBrief {
            name: _,
            on,
            form: _,
            by,
            only,
            levels,
            reach: _,
            peers: _,
            yardstick: _,
            filled: _,
            scale: _,
            about,
            clip,
            low,
            high,
            steps: _,
            good: _,
            palette,
            symbols: _,
            figure: _,
            along,
            link,
            rules,
        } = self;
        parts::names(std::iter::once(on).chain(along), visit);
        parts::levels(levels, visit);
        parts::formulas(by.iter_mut().chain(only).chain(about), visit);
        parts::amounts(clip.iter_mut().flat_map(|(low, high)| [low, high]).chain(low).chain(high), visit);
        parts::texts(link, visit);
        palette.iter_mut().for_each(|palette| palette.each_part(visit));
        rules.iter_mut().for_each(|rule| rule.each_part(visit));
    }
}

impl RuleBrief {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let RuleBrief {
            name,
            show,
            from,
            above,
            below,
            up_to,
            is,
            top,
            bottom,
            mean: _,
            blank: _,
            when,
            unit: _,
        } = self;
        parts::texts(name, visit);
        show.iter_mut().for_each(|show| show.each_part(visit));
        let bounds = from.iter_mut().chain(above).chain(below).chain(up_to).chain(is);
        parts::amounts(bounds.chain(top).chain(bottom), visit);
        parts::formulas(when, visit);
    }
}
