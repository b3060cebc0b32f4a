//! The plan as data: a brief checked against a source's columns. Every name is resolved, and every type is right.

use std::cmp::Ordering;
use std::collections::BTreeSet;

use crate::brief::{
    Amount, EmphasisBrief, FillBrief, Filled, Form, Level, MeanSide, NumberFormat, Order, PaletteBrief,
    Placement, Show, Template, TopBrief, TotalsOf,
};
use crate::formula::{CellFormula, CellLeaf, Formula, Spot, all_leaves};
use crate::grouping::{Aggregate, Grouping};
use crate::lines::Member;
use crate::model::{AxisSide, ByGrain, DatePart, Grain, Kind, Notice, Sentence, Value};

/// A brief checked against a source's columns, ready to run.
#[derive(Debug, Clone)]
pub struct Plan {
    pub(crate) title: Template,
    /// The heading as data, where the brief has none.
    pub(crate) default_title: Option<Sentence>,
    pub(crate) rows: Vec<Dimension>,
    pub(crate) columns: Vec<Dimension>,
    pub(crate) measures: Vec<Measure>,
    pub(crate) emphasis: Vec<PlannedEmphasis>,
    pub(crate) condition: Option<String>,
    pub(crate) notices: Vec<Notice>,
    pub(crate) row_totals: Vec<Placement>,
    pub(crate) column_totals: Vec<Placement>,
    pub(crate) items: Vec<PlannedItem>,
    pub(crate) tiers: Vec<PlannedTier>,
    pub(crate) controls: Vec<PlannedControl>,
    pub(crate) palettes: Vec<PaletteBrief>,
    pub(crate) fills: Vec<PlannedFill>,
    pub(crate) grouping: Grouping,
    pub(crate) aggregates: Vec<Aggregate>,
    /// How each of these is written.
    pub(crate) aggregate_texts: Vec<String>,
    /// Measures in an order in which each comes after those that it builds on.
    pub(crate) measure_order: Vec<usize>,
    /// How the keys of the scan make up the dimensions of each axis.
    pub(crate) row_keys: Vec<AxisKey>,
    pub(crate) column_keys: Vec<AxisKey>,
    pub(crate) assumptions: Assumptions,
    /// The first and the last day of the lines, where the heading names their period.
    pub(crate) period: Option<[CellFormula; 2]>,
    pub(super) needed: Vec<usize>,
    pub(super) needed_names: Vec<String>,
}

crate::getters! {
    Plan {
        /// The heading.
        title: &Template,
        /// Dimensions on the rows, outermost first.
        rows: &[Dimension],
        /// Dimensions on the columns, outermost first.
        columns: &[Dimension],
        /// What is computed, hidden measures among it.
        measures: &[Measure],
        /// What stands out, in the order in which it is tried.
        emphasis: &[PlannedEmphasis],
        /// The condition that lines must meet, as a formula's text.
        condition: Option<&str>,
        /// What the author should know before running it.
        notices: &[Notice],
        /// Where the totals stand, by level from the grand total inward, on the rows.
        row_totals: &[Placement],
        /// Where the totals stand, by level from the grand total inward, on the columns.
        column_totals: &[Placement],
        /// Members that are computed from their siblings, in the order in which they are applied.
        items: &[PlannedItem],
        /// Classes of members.
        tiers: &[PlannedTier],
        /// What readers of a page choose.
        controls: &[PlannedControl],
        /// Palettes of the brief's own.
        palettes: &[PaletteBrief],
    }
}

/// A dimension that gives the members of another one their colours, where each of them has one member of it.
#[derive(Debug, Clone)]
pub(crate) struct Family {
    /// Its name.
    pub(crate) name: String,
    /// Colours of its members, as CSS writes them.
    pub(crate) colours: Vec<(String, String)>,
}

/// A dimension of the layout.
#[derive(Debug, Clone)]
pub struct Dimension {
    pub(crate) name: String,
    pub(crate) label: String,
    pub(crate) order: Order,
    pub(crate) labels: Vec<(String, String)>,
    pub(crate) colours: Vec<(String, String)>,
    /// The dimension that gives its members their colours.
    pub(crate) family: Option<Family>,
    pub(crate) kind: Kind,
    pub(crate) part: Option<DatePart>,
    pub(crate) pick: Pick,
    pub(crate) order_by: Option<CellFormula>,
}

crate::getters! {
    Dimension {
        /// Its name, as the layout writes it.
        name: &str,
        /// Its heading.
        label: &str,
        /// The order of its members.
        order: &Order,
        /// Labels that are shown instead of members' own.
        labels: &[(String, String)],
        /// Colours of members, as CSS writes them.
        colours: &[(String, String)],
        /// What the column behind it holds.
        kind: Kind,
        /// The part of a date that it is made of.
        part: Option<DatePart>,
        /// Which of its members are shown.
        pick: &Pick,
    }
}

impl Dimension {
    /// The part of a date that its members are; days where it is a whole date.
    pub(crate) fn period(&self) -> Option<DatePart> {
        self.part.or((self.kind == Kind::Date).then_some(DatePart::Day))
    }

    /// The column that it is made of, or its own name where it is no part of a date.
    pub(crate) fn date_column(&self) -> &str {
        match self.part {
            Some(_) => self.name.rsplit_once('.').map_or(self.name.as_str(), |(column, _)| column),
            None => &self.name,
        }
    }
}

/// Which members of a dimension are shown.
#[derive(Debug, Clone, Default)]
pub struct Pick {
    pub(crate) only: Vec<String>,
    pub(crate) except: Vec<String>,
    pub(crate) having: Option<Formula>,
    pub(crate) top: Option<TopBrief>,
    pub(crate) lowest: bool,
    pub(crate) totals_of: TotalsOf,
    pub(crate) condition: Option<CellFormula>,
    pub(crate) by: Option<CellFormula>,
    pub(crate) count: Count,
}

crate::getters! {
    Pick {
        /// The only ones (default: all).
        only: &[String],
        /// Those that are not.
        except: &[String],
        /// The condition on cells that they must meet.
        having: Option<&Formula>,
        /// How many, and by what.
        top: Option<&TopBrief>,
        /// Whether these are the lowest rather than the highest.
        lowest: bool,
        /// What totals cover.
        totals_of: TotalsOf,
    }
}

/// How many members are kept.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) enum Count {
    #[default]
    All,
    Members(usize),
    /// A share of the members, in hundredths of a percent.
    Share(u32),
}

impl Count {
    /// How many that is of so many. Part of a member is a member: 20 % of six are two.
    pub(crate) fn of(self, all: usize) -> usize {
        match self {
            Count::All => all,
            Count::Members(count) => count,
            Count::Share(share) => (all * share as usize).div_ceil(10_000),
        }
    }

    /// The same as it is written: `3` or `2.5%`.
    pub(crate) fn words(self) -> Option<String> {
        match self {
            Count::All => None,
            Count::Members(count) => Some(count.to_string()),
            Count::Share(share) => Some(format!("{}%", f64::from(share) / 100.0)),
        }
    }
}

impl Pick {
    /// Whether any member may be left out.
    pub fn is_any(&self) -> bool {
        !self.only.is_empty() || !self.except.is_empty() || self.having.is_some() || self.top.is_some()
    }
}

/// A measure of the cross-tab.
#[derive(Debug, Clone)]
pub struct Measure {
    pub(crate) name: String,
    pub(crate) label: String,
    pub(crate) formula: Formula,
    pub(crate) format: NumberFormat,
    pub(crate) totals: bool,
    pub(crate) hidden: bool,
    /// What it has in a cell without lines; none where that is what its formula gives.
    pub(crate) without_lines: Option<Filled>,
    pub(crate) cell: CellFormula,
    pub(crate) levels: Vec<(Level, Option<CellFormula>)>,
    pub(crate) level_specs: Vec<(Level, Option<Formula>)>,
    /// For each grain, which formula it has there.
    pub(crate) grains: ByGrain<Choice>,
}

crate::getters! {
    Measure {
        /// Its name in data.
        name: &str,
        /// Its heading.
        label: &str,
        /// Its formula.
        formula: &Formula,
        /// How its numbers are shown.
        format: &NumberFormat,
        /// Whether it is shown at totals and subtotals too.
        totals: bool,
        /// Whether it is computed for others only.
        hidden: bool,
    }
}

/// Which formula a measure has at a grain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Choice {
    Main,
    Level(usize),
    Nothing,
}

impl Measure {
    /// The levels at which it has another formula, or none.
    pub fn level_formulas(&self) -> &[(Level, Option<Formula>)] {
        &self.level_specs
    }

    /// Gives every leaf of its formulas to `visit`, and those that it reads other cells by.
    pub(crate) fn each_leaf(&self, visit: &mut dyn FnMut(&CellLeaf)) {
        all_leaves(&self.cell, visit);
        self.levels.iter().filter_map(|(_, formula)| formula.as_ref()).for_each(|f| all_leaves(f, visit));
    }

    /// The formula at a grain, if it has one there.
    pub(crate) fn formula_at(&self, grain: Grain) -> Option<&CellFormula> {
        match self.grains[grain] {
            Choice::Nothing => None,
            Choice::Level(i) => self.levels[i].1.as_ref(),
            Choice::Main => Some(&self.cell),
        }
    }

    /// Whether it has a formula at a grain.
    pub(crate) fn shows_at(&self, grain: Grain) -> bool {
        self.grains[grain] != Choice::Nothing
    }
}

/// A member that is computed from its siblings.
#[derive(Debug, Clone)]
pub struct PlannedItem {
    pub(crate) dimension: String,
    pub(crate) name: String,
    pub(crate) formula: Formula,
    pub(crate) format: Option<NumberFormat>,
    pub(crate) hidden: bool,
    pub(crate) before_measures: bool,
    pub(crate) is_group: bool,
    pub(crate) operands: Vec<String>,
    pub(crate) spot: Spot,
}

crate::getters! {
    PlannedItem {
        /// The dimension that it is a member of.
        dimension: &str,
        /// Its label.
        name: &str,
        /// Its formula.
        formula: &Formula,
        /// How its numbers are shown, where not as the measure's.
        format: Option<&NumberFormat>,
        /// Whether it is computed for others only.
        hidden: bool,
        /// Whether it is applied to aggregates, before formula measures.
        before_measures: bool,
        /// Whether it is a group of members: their lines are aggregated anew as those of one member.
        is_group: bool,
        /// The siblings that its formula names.
        operands: &[String],
    }
}

/// A class of members, checked.
#[derive(Debug, Clone)]
pub struct PlannedTier {
    pub(crate) name: String,
    pub(crate) of: String,
    pub(crate) by: Formula,
    pub(crate) within: Vec<String>,
    pub(crate) labels: Vec<String>,
    pub(crate) cuts: Vec<Value>,
    pub(crate) quantiles: bool,
    pub(crate) by_formula: Option<CellFormula>,
}

crate::getters! {
    PlannedTier {
        /// The name of the dimension that the tiers make.
        name: &str,
        /// The dimension whose members are classified.
        of: &str,
        /// What they are classified by.
        by: &Formula,
        /// Dimensions within which they are classified.
        within: &[String],
        /// The labels, lowest first.
        labels: &[String],
        /// The cuts, lowest first: values, or shares of the members.
        cuts: &[Value],
        /// Whether the cuts are shares.
        quantiles: bool,
    }
}

/// Dimensions that are filled, checked.
#[derive(Debug, Clone)]
pub(crate) struct PlannedFill {
    /// What it is called in messages.
    pub(crate) place: String,
    pub(crate) spec: FillBrief,
    pub(crate) spots: Vec<Spot>,
    pub(crate) with: FillWith,
}

/// What dimensions are filled with.
#[derive(Debug, Clone)]
pub(crate) enum FillWith {
    /// Combinations of members beside those of the lines.
    Members(Vec<Vec<Member>>),
    /// The periods of all days, from the first to the last; those of the lines where none is given.
    Calendar { first: Option<i32>, last: Option<i32> },
}

/// Something that readers of a page choose, checked.
#[derive(Debug, Clone, PartialEq)]
pub struct PlannedControl {
    pub(crate) name: String,
    pub(crate) label: String,
    pub(crate) choices: Choices,
}

crate::getters! {
    PlannedControl {
        /// The name of an assumption or of a dimension.
        name: &str,
        /// What it is called on the page.
        label: &str,
        /// What there is to choose.
        choices: &Choices,
    }
}

/// What there is to choose.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Choices {
    /// A value of an assumption; whether these lie a step apart from the lowest to the highest.
    Values {
        /// The values in their order.
        values: Vec<Amount>,
        /// Whether they are steps.
        steps: bool,
    },
    /// A member of a dimension, or all of them.
    OneMember,
    /// Any members of a dimension.
    Members,
}

/// How keys of the scan make up a dimension of an axis.
#[derive(Debug, Clone)]
pub(crate) enum AxisKey {
    /// One key, by its place.
    Key(usize),
    Tier(TierKey),
    /// No dimension: whether each tier is kept; the last value is for members without a tier.
    Filter(Box<TierKey>, Vec<bool>),
}

/// The keys that a tier is found by.
#[derive(Debug, Clone)]
pub(crate) struct TierKey {
    pub(crate) tier: usize,
    pub(crate) within: Vec<usize>,
    pub(crate) of: usize,
}

/// A rule, ready to be tried. All that it says must hold.
#[derive(Debug, Clone)]
pub struct PlannedRule {
    pub(crate) name: String,
    pub(crate) show: Option<Show>,
    pub(crate) words: String,
    /// Its name as data, where the brief gives none.
    pub(crate) default_name: Option<Sentence>,
    pub(crate) bounds: Bounds,
    /// So many of the highest, or of the lowest.
    pub(crate) count: Option<(Count, bool)>,
    pub(crate) mean: Option<MeanSide>,
    pub(crate) blank: bool,
    pub(crate) when: Option<CellFormula>,
}

crate::getters! {
    PlannedRule {
        /// What the legend calls it: its own name, or its conditions in words.
        name: &str,
        /// How it shows, where it says so.
        show: Option<&Show>,
        /// Its conditions in words.
        words: &str,
    }
}

/// A place between values: just before one, or just after it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Edge {
    pub(crate) value: Value,
    pub(crate) after: bool,
}

impl Edge {
    pub(crate) fn before(value: Value) -> Edge {
        Edge { value, after: false }
    }

    pub(crate) fn after(value: Value) -> Edge {
        Edge { value, after: true }
    }

    pub(crate) fn order(&self, other: &Edge) -> Ordering {
        self.value.order(&other.value).then(self.after.cmp(&other.after))
    }
}

/// From which edge to which a rule matches; open where there is none.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Bounds {
    pub(crate) low: Option<Edge>,
    pub(crate) high: Option<Edge>,
    pub(crate) of: BoundsOf,
}

/// What bounds are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum BoundsOf {
    #[default]
    Values,
    /// Positions on the scale.
    Positions,
    /// Percentiles of the peers.
    Percentiles,
}

impl Bounds {
    pub(crate) fn is_any(&self) -> bool {
        self.low.is_some() || self.high.is_some()
    }

    /// Whether a single value matches.
    pub(super) fn is_single(&self) -> bool {
        self.low.zip(self.high).is_some_and(|(low, high)| low.value.order(&high.value).is_eq())
    }

    /// The percentiles that they name, in shares.
    pub(crate) fn percentiles(&self) -> impl Iterator<Item = f64> {
        let edges = [self.low, self.high].into_iter().flatten();
        edges.filter(|_| self.of == BoundsOf::Percentiles).map(|edge| edge.value.as_f64())
    }

    /// The same with the value at each percentile in its place; `None` where one of them has none.
    pub(crate) fn at(&self, value: impl Fn(f64) -> Option<f64>) -> Option<Bounds> {
        let moved = |edge: Option<Edge>| match edge {
            Some(edge) => {
                value(edge.value.as_f64()).map(|value| Some(Edge { value: Value::Float(value), ..edge }))
            }
            None => Some(None),
        };
        Some(Bounds { low: moved(self.low)?, high: moved(self.high)?, of: BoundsOf::Values })
    }

    /// Whether a value lies within.
    pub(crate) fn hold(&self, value: &Value) -> bool {
        let own = Edge::before(*value);
        self.low.is_none_or(|low| own.order(&low).is_ge())
            && self.high.is_none_or(|high| own.order(&high).is_lt())
    }
}

/// What stands out, and at which grains.
#[derive(Debug, Clone)]
pub struct PlannedEmphasis {
    pub(crate) place: String,
    pub(crate) spec: EmphasisBrief,
    pub(crate) measure: Option<usize>,
    pub(crate) linked: Option<(AxisSide, usize)>,
    pub(crate) grains: Vec<Grain>,
    pub(crate) rules: Vec<PlannedRule>,
    pub(crate) along: Option<String>,
    pub(crate) basis: Option<CellFormula>,
    pub(crate) condition: Option<CellFormula>,
    pub(crate) middle: Option<Middle>,
    pub(crate) ends: [Option<f64>; 2],
    pub(crate) wanted: YardstickSpec,
    /// Members that its conditions name.
    pub(super) compared: Vec<(Spot, String)>,
}

crate::getters! {
    PlannedEmphasis {
        /// What it is called in messages.
        place: &str,
        /// As it was asked for.
        spec: &EmphasisBrief,
        /// The measure's place among those that are shown; none for a link on a dimension.
        measure: Option<usize>,
        /// The axis and the level of the dimension that a link is on.
        linked: Option<(AxisSide, usize)>,
        /// The grains whose cells stand out.
        grains: &[Grain],
        /// The rules, in the order in which they are tried.
        rules: &[PlannedRule],
        /// The periods that a trend goes along.
        along: Option<&str>,
    }
}

/// What positions are about.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Middle {
    Value(f64),
    Mean,
    Median,
    /// A formula over cells, which the basis is less, so that the middle is zero.
    Formula,
}

impl PlannedEmphasis {
    /// Every formula over cells that it has.
    pub(crate) fn formulas(&self) -> impl Iterator<Item = &CellFormula> {
        self.basis
            .iter()
            .chain(&self.condition)
            .chain(self.rules.iter().filter_map(|rule| rule.when.as_ref()))
    }

    /// Members that its conditions name, with who names them.
    pub(crate) fn compared_members(&self) -> impl Iterator<Item = (String, Spot, String)> {
        self.compared.iter().map(|(spot, label)| (self.place.clone(), *spot, label.clone()))
    }

    /// What decides, in words: the measure, or the formula that `by` gives.
    pub fn by(&self) -> &str {
        self.spec.by.as_ref().map_or(&self.spec.on, Formula::as_str)
    }

    /// The scale's name: what decides and, where a formula is the middle, what it is less.
    pub fn scale_name(&self) -> String {
        match self.about_formula() {
            Some(about) => format!("{} less {about}", self.by()),
            None => self.by().to_string(),
        }
    }

    /// The formula that positions are about, where it is no number and not the mean.
    pub fn about_formula(&self) -> Option<&Formula> {
        self.spec.about.as_ref().filter(|_| self.middle == Some(Middle::Formula))
    }

    /// Whether its positions are about a middle, from −1 to 1.
    pub fn is_diverging(&self) -> bool {
        self.middle.is_some()
    }

    /// Whether it has a scale of its own at all: trends and links have none.
    pub fn has_scale(&self) -> bool {
        !matches!(self.spec.form, Form::Trend | Form::Link)
    }

    /// The same as the grain that decides: for whole rows the total of the columns.
    pub(crate) fn deciding(&self, grain: Grain) -> Grain {
        if self.spec.is_whole_row() { grain.at(AxisSide::Columns, 0) } else { grain }
    }
}

/// What is wanted of peers beside their yardstick.
#[derive(Debug, Clone, Default)]
pub(crate) struct YardstickSpec {
    /// The shares at which a scale ends.
    pub(crate) clip: Option<(f64, f64)>,
    /// The values that so many of the highest reach, or of the lowest.
    pub(crate) cuts: Vec<(Count, bool)>,
    /// Percentiles, in shares.
    pub(crate) percentiles: Vec<f64>,
    /// Whether the median is.
    pub(crate) median: bool,
}

/// The values that are assumed, checked against their bounds.
#[derive(Debug, Clone, Default)]
pub(crate) struct Assumptions(pub(super) Vec<(String, Amount)>);

impl Plan {
    /// Places in the schema of the columns that the scan must be given, in this order.
    pub fn needed(&self) -> &[usize] {
        &self.needed
    }

    /// Names of the columns that the scan must be given, in this order.
    pub fn needed_names(&self) -> &[String] {
        &self.needed_names
    }

    /// The aggregates that a measure is made of, by their places.
    pub(crate) fn aggregates_of(&self, measure: usize, found: &mut BTreeSet<usize>) {
        let Measure { cell, levels, .. } = &self.measures[measure];
        for formula in levels.iter().filter_map(|(_, formula)| formula.as_ref()).chain([cell]) {
            all_leaves(formula, &mut |leaf| match leaf {
                CellLeaf::Aggregate(place) => drop(found.insert(*place)),
                CellLeaf::Measure(other) => self.aggregates_of(*other, found),
                _ => {}
            });
        }
    }

    /// The emphasis whose peers and yardstick a measure's cells of a grain have everywhere: the first on it that
    /// shows it by its own values. Where there is none, all of the grain are peers.
    pub(crate) fn scaled_by(&self, shown: usize, grain: Grain) -> Option<usize> {
        let scales = |e: &PlannedEmphasis| {
            let spec = &e.spec;
            e.measure == Some(shown)
                && e.has_scale()
                && spec.by.is_none()
                && e.about_formula().is_none()
                && !spec.is_whole_row()
                && e.grains.contains(&grain)
        };
        self.emphasis.iter().position(scales)
    }

    /// The grain of the leaves.
    pub(crate) fn deepest(&self) -> Grain {
        Grain::new(self.rows.len(), self.columns.len())
    }

    /// The dimensions of an axis.
    pub(crate) fn axis(&self, side: AxisSide) -> &[Dimension] {
        side.pick(&self.rows, &self.columns)
    }
}
