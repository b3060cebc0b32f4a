//! The brief as data: what the analyst wants, in names and formulas, not yet checked.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::amount::Amount;
use super::assumption::AssumptionBrief;
use super::dimension::DimensionBrief;
use super::emphasis::{EmphasisBrief, Form, YardstickOf};
use super::fill::{FillBrief, Filled};
use super::format::NumberFormat;
use super::formulas::{formula, formula_levels};
use super::keyed::{Keyed, keyed, or_text};
use super::level::Level;
use super::lists::{Named, SomeTexts, Texts, by_name, pairs, related_keys, some, some_texts, texts};
use super::order::Order;
use super::page::PageBrief;
use super::palette::PaletteBrief;
use super::parts;
use super::template::Template;
use super::totals::{Placement, placements};
use super::views::ViewBrief;
use super::words::words;
use crate::formula::Formula;

/// What the analyst wants: layout, measures, order, totals, emphasis.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
///
/// let brief = Brief::new()
///     .rows(["coast", "harbour"])
///     .columns(["sold_on.quarter"])
///     .measure(("sales", "sum(amount)"))
///     .tint("sales");
/// assert_eq!(brief.get_rows().len(), 2);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", default, deny_unknown_fields)]
#[schemars(title = "A brief for Pivvel")]
pub struct Brief {
    /// The heading (default: made from the layout); {period}, {where}, {source} and assumptions stand in braces.
    pub(crate) title: Option<Template>,
    /// Where the lines are.
    pub(crate) source: Option<String>,
    /// Dimensions on the rows, outermost first: columns, or parts of dates as `sold_on.quarter`.
    #[serde(deserialize_with = "texts")]
    #[schemars(with = "Texts")]
    pub(crate) rows: Vec<String>,
    /// Dimensions on the columns, outermost first.
    #[serde(deserialize_with = "texts")]
    #[schemars(with = "Texts")]
    pub(crate) columns: Vec<String>,
    /// The condition that lines must meet, as in `channel <> 'staff'`.
    #[serde(rename = "where")]
    pub(crate) filter: Option<Formula>,
    /// Columns that are computed from others, line by line: name and formula.
    #[serde(with = "pairs")]
    #[schemars(with = "BTreeMap<String, Formula>")]
    pub(crate) derived: Vec<(String, Formula)>,
    /// Files that bring further columns in.
    #[serde(with = "by_name")]
    #[schemars(with = "BTreeMap<String, RelatedBrief>")]
    pub(crate) related: Vec<RelatedBrief>,
    /// What-if values.
    #[serde(with = "by_name")]
    #[schemars(with = "BTreeMap<String, AssumptionBrief>")]
    pub(crate) assumptions: Vec<AssumptionBrief>,
    /// Classes of members by an aggregate.
    #[serde(with = "by_name")]
    #[schemars(with = "BTreeMap<String, TierBrief>")]
    pub(crate) tiers: Vec<TierBrief>,
    /// Members that are computed from their siblings.
    pub(crate) items: Vec<ItemBrief>,
    /// What is computed (default: the count of lines).
    #[serde(with = "by_name")]
    #[schemars(with = "BTreeMap<String, MeasureBrief>")]
    pub(crate) measures: Vec<MeasureBrief>,
    /// Kinds that columns are given rather than found to be, by column.
    #[serde(with = "pairs")]
    #[schemars(with = "BTreeMap<String, String>")]
    pub(crate) kinds: Vec<(String, String)>,
    /// Labels, order and members of single dimensions.
    #[serde(with = "by_name")]
    #[schemars(with = "BTreeMap<String, DimensionBrief>")]
    pub(crate) dimensions: Vec<DimensionBrief>,
    /// Dimensions whose every member has its cell, whether lines have it or not.
    pub(crate) fill: Vec<FillBrief>,
    /// Where totals stand: `rows`, `columns`, a dimension, `row total` or `column total`; an empty
    /// name means all. Later ones go before earlier ones.
    #[serde(with = "placements")]
    #[schemars(schema_with = "placements::schema")]
    pub(crate) totals: Vec<(String, Placement)>,
    /// Palettes of the brief's own, by name.
    #[serde(with = "by_name")]
    #[schemars(with = "BTreeMap<String, PaletteBrief>")]
    pub(crate) palettes: Vec<PaletteBrief>,
    /// What stands out.
    pub(crate) emphasis: Vec<EmphasisBrief>,
    /// Further views of the same lines.
    pub(crate) views: Vec<ViewBrief>,
    /// How a page answers its readers.
    pub(crate) page: PageBrief,
    /// The language or the file of the words, colours, fonts and logo that it is drawn in.
    pub(crate) appearance: Option<String>,
    /// What to do about values that do not fit their column's kind.
    pub(crate) bad_values: BadValues,
    /// Files to write, each in the form that its ending says.
    #[serde(deserialize_with = "texts")]
    #[schemars(with = "Texts")]
    pub(crate) to: Vec<String>,
}

/// A measure: a name for data, a formula, and how it is shown.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::{MeasureBrief, NumberFormat};
///
/// let margin = MeasureBrief::new("margin", "(sum(amount) - sum(cost)) / sum(amount)");
/// let brief = Brief::new().measure(("sales", "sum(amount)")).measure(margin.format(NumberFormat::named("percent")?));
/// assert_eq!(brief.get_measures()[1].get_format().get_after(), " %");
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
#[schemars(transform = or_text)]
pub struct MeasureBrief {
    /// Its name in formulas and data.
    #[serde(skip)]
    pub(crate) name: String,
    /// The aggregate, as in `sum(price * quantity)`.
    pub(crate) formula: Formula,
    /// Its heading (default: the name).
    pub(crate) label: Option<Template>,
    /// How its numbers are shown.
    #[serde(default)]
    pub(crate) format: NumberFormat,
    /// Whether it is shown at totals and subtotals too, or in the leaf cells only.
    #[serde(default = "yes")]
    pub(crate) totals: bool,
    /// Whether it is computed for other measures only, and not shown.
    #[serde(default)]
    pub(crate) hidden: bool,
    /// What it has in a cell without lines (default: zero for sums and counts, and what adds or subtracts these).
    pub(crate) fill: Option<Filled>,
    /// Another formula at a level, or `none` for none there.
    #[serde(default, with = "formula_levels")]
    #[schemars(with = "BTreeMap<String, Formula>")]
    pub(crate) levels: Vec<(Level, Option<Formula>)>,
}

/// A member that is computed from its siblings, for every measure and at every level.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::ItemBrief;
///
/// let brief = Brief::new().columns(["scenario"]).measure(("sales", "sum(amount)"));
/// let short = brief.clone().item("scenario", "variance", "actual - plan");
/// assert_eq!(brief.add_item(ItemBrief::new("scenario", "variance", "actual - plan")), short);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
pub struct ItemBrief {
    /// The dimension that it is a member of.
    pub(crate) dimension: String,
    /// Its label.
    pub(crate) name: String,
    /// The formula over siblings, as in `actual - plan`.
    pub(crate) formula: Formula,
    /// How its numbers are shown, whatever the measure (default: as the measure's).
    pub(crate) format: Option<NumberFormat>,
    /// Whether it is computed for other items only, and not shown.
    #[serde(default)]
    pub(crate) hidden: bool,
    /// Whether it is applied to measures, or to the aggregates that these are made of (default: the
    /// latter for a sum of members).
    pub(crate) apply: Option<Apply>,
}

/// Classes of the members of a dimension by an aggregate. The name is used like a column's.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
#[schemars(transform = cuts_or_quantiles)]
pub struct TierBrief {
    /// The name of the dimension that the tiers make.
    #[serde(skip)]
    pub(crate) name: String,
    /// The dimension whose members are classified.
    pub(crate) of: String,
    /// What they are classified by, as in `sum(amount)`.
    pub(crate) by: Formula,
    /// The cuts as values, lowest first: a value on a cut belongs to the tier above it.
    #[serde(default, deserialize_with = "some", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "Vec<Amount>", length(min = 1))]
    pub(crate) cuts: Vec<Amount>,
    /// The cuts as shares of the members, lowest first: `50%` is the median.
    #[serde(default, deserialize_with = "some", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "Vec<Amount>", length(min = 1))]
    pub(crate) quantiles: Vec<Amount>,
    /// The tiers' labels, lowest first: one more than there are cuts.
    #[serde(default, deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) labels: Vec<Template>,
    /// Dimensions within which members are classified, each by itself.
    #[serde(default, deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) within: Vec<String>,
}

/// A file that brings further columns in by key.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::RelatedBrief;
///
/// // What yards.csv knows of a yard becomes a column of its lines.
/// let brief = Brief::new().rows(["kind"]).related(RelatedBrief::new("yards", "yards.csv", ["yard"]));
/// assert_eq!(brief.get_related()[0].get_keys(), [("yard".to_string(), "yard".to_string())]);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
pub struct RelatedBrief {
    /// What it is called in messages.
    #[serde(skip)]
    pub(crate) name: String,
    /// The file.
    pub(crate) source: String,
    /// The columns that both have, or by column of the lines the one of the file that it is looked up in.
    #[serde(rename = "key", with = "related_keys")]
    #[schemars(schema_with = "related_keys::schema")]
    pub(crate) keys: Vec<(String, String)>,
}

words! {
    /// What to do about values that do not fit their column's kind.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::Brief;
    /// use pivvel::brief::BadValues;
    ///
    /// assert_eq!(Brief::new().get_bad_values(), BadValues::Stop);
    /// assert_eq!(Brief::new().bad_values(BadValues::Blank).get_bad_values().name(), "blank");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum BadValues is "choice" {
        /// Stop, and list up to ten of them.
        #[default]
        Stop = "stop",
        /// Take them as blank, and say how many.
        Blank = "blank",
    }
}

words! {
    /// What a calculated item is applied to.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{Apply, ItemBrief};
    ///
    /// // The margin of both harbours together, rather than the sum of their margins.
    /// let both = ItemBrief::new("harbour", "north", "Kittick + Skarn").apply(Apply::BeforeMeasures);
    /// assert_eq!(both.get_apply(), Some("before measures".parse()?));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[non_exhaustive]
    pub enum Apply is "choice" {
        /// Measures.
        AfterMeasures = "after measures",
        /// The aggregates that formula measures are made of.
        BeforeMeasures = "before measures",
    }
}

impl Brief {
    /// A brief that asks for nothing yet.
    pub fn new() -> Brief {
        Brief::default()
    }

    /// Dimensions on the rows, outermost first.
    pub fn rows<S: Into<String>>(mut self, names: impl IntoIterator<Item = S>) -> Brief {
        self.rows = names.into_iter().map(Into::into).collect();
        self
    }

    /// Dimensions on the columns, outermost first.
    pub fn columns<S: Into<String>>(mut self, names: impl IntoIterator<Item = S>) -> Brief {
        self.columns = names.into_iter().map(Into::into).collect();
        self
    }

    /// One measure more: a name and a formula, or a whole [`MeasureBrief`].
    pub fn measure(mut self, measure: impl Into<MeasureBrief>) -> Brief {
        self.measures.push(measure.into());
        self
    }

    /// The condition that lines must meet, as in `channel <> 'staff'`.
    pub fn filter(mut self, condition: impl Into<Formula>) -> Brief {
        self.filter = Some(condition.into());
        self
    }

    /// Without a condition that lines must meet.
    pub fn without_filter(mut self) -> Brief {
        self.filter = None;
        self
    }

    /// Without a place where the lines are.
    pub fn without_source(mut self) -> Brief {
        self.source = None;
        self
    }

    /// Changes the path of each file that is read beside the lines: related tables, kept yardsticks, and an appearance that
    /// is a file, as its ending shows, and not a language.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::Brief;
    /// use pivvel::brief::RelatedBrief;
    ///
    /// let brief = Brief::new().appearance("de").related(RelatedBrief::new("yards", "yards.csv", ["yard"]));
    /// let brief = brief.with_files(|file| format!("may/{file}"));
    /// assert_eq!(brief.get_related()[0].get_source(), "may/yards.csv");
    /// assert_eq!(brief.files(), ["may/yards.csv"]);
    /// ```
    pub fn with_files(mut self, mut place: impl FnMut(&str) -> String) -> Brief {
        self.each_file(&mut |file| *file = place(file));
        self
    }

    /// The paths of the files that are read beside the lines: see [`Brief::with_files`].
    pub fn files(&self) -> Vec<String> {
        let mut files = Vec::new();
        self.clone().each_file(&mut |file| files.push(file.clone()));
        files
    }

    fn each_file(&mut self, visit: &mut dyn FnMut(&mut String)) {
        self.related.iter_mut().for_each(|related| visit(&mut related.source));
        for emphasis in &mut self.emphasis {
            if let YardstickOf::Kept(file) = &mut emphasis.yardstick {
                visit(file);
            }
        }
        let is_file = |name: &&mut String| std::path::Path::new(name.as_str()).extension().is_some();
        self.appearance.iter_mut().filter(is_file).for_each(visit);
    }

    /// Sorts the members of a dimension, as in `brief.sort("harbour", "sales desc")`.
    pub fn sort(mut self, dimension: &str, order: impl Into<Order>) -> Brief {
        self.keys_of(dimension).order = Some(order.into());
        self
    }

    /// A member computed from its siblings: `brief.item("scenario", "variance", "actual - plan")`.
    pub fn item(mut self, dimension: &str, name: &str, formula: impl Into<Formula>) -> Brief {
        self.items.push(ItemBrief::new(dimension, name, formula));
        self
    }

    /// A column computed line by line: `brief.derive("takings", "price * quantity")`.
    pub fn derive(mut self, name: &str, formula: impl Into<Formula>) -> Brief {
        self.derived.push((name.into(), formula.into()));
        self
    }

    /// Places totals; see [`Brief::totals`].
    pub fn total(mut self, of: impl Into<String>, placement: Placement) -> Brief {
        self.totals.push((of.into(), placement));
        self
    }

    /// One dimension more whose every member has its cell; see [`Brief::fill`].
    pub fn fill(mut self, fill: impl Into<FillBrief>) -> Brief {
        self.fill.push(fill.into());
        self
    }

    /// The heading.
    pub fn title(mut self, title: impl Into<Template>) -> Brief {
        self.title = Some(title.into());
        self
    }

    /// Changes the keys of a dimension, which need not have any yet:
    /// `brief.dimension("harbour", |harbour| harbour.label("Port"))`.
    pub fn dimension(mut self, name: &str, change: impl FnOnce(DimensionBrief) -> DimensionBrief) -> Brief {
        let own = self.keys_of(name);
        *own = change(std::mem::take(own));
        self
    }

    /// Gives a dimension these keys, in place of those that it has.
    pub fn add_dimension(mut self, dimension: DimensionBrief) -> Brief {
        let name = dimension.name.clone();
        *self.keys_of(&name) = dimension;
        self
    }

    /// The keys of a dimension, which may be changed.
    pub(super) fn keys_of(&mut self, name: &str) -> &mut DimensionBrief {
        let place = self.dimensions.iter().position(|d| d.name == name).unwrap_or_else(|| {
            self.dimensions.push(DimensionBrief { name: name.into(), ..DimensionBrief::default() });
            self.dimensions.len() - 1
        });
        &mut self.dimensions[place]
    }
}

impl MeasureBrief {
    /// A measure of this name and formula, shown in the plainest way.
    pub fn new(name: impl Into<String>, formula: impl Into<Formula>) -> MeasureBrief {
        MeasureBrief {
            name: name.into(),
            formula: formula.into(),
            label: None,
            format: NumberFormat::default(),
            totals: true,
            hidden: false,
            fill: None,
            levels: Vec::new(),
        }
    }
}

/// A name and a formula, as text or built in Rust.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::formula::{col, sum};
///
/// let brief = Brief::new().measure(("sales", "sum(amount)")).measure(("cost", sum(col("cost"))));
/// assert_eq!(brief.get_measures()[1].get_formula().as_str(), "sum(cost)");
/// ```
impl<F: Into<Formula>> From<(&str, F)> for MeasureBrief {
    fn from((name, formula): (&str, F)) -> MeasureBrief {
        MeasureBrief::new(name, formula)
    }
}

impl Brief {
    /// Tints a measure's cells by their position, each level on a scale of its own.
    pub fn tint(self, measure: impl Into<String>) -> Brief {
        self.emphasize(EmphasisBrief::new(measure, Form::Tint))
    }

    /// Draws bars in a measure's cells, each level on a scale of its own.
    pub fn bar(self, measure: impl Into<String>) -> Brief {
        self.emphasize(EmphasisBrief::new(measure, Form::Bar))
    }

    /// One palette more.
    pub fn palette(mut self, palette: PaletteBrief) -> Brief {
        self.palettes.push(palette);
        self
    }

    /// One emphasis more.
    pub fn emphasize(mut self, emphasis: EmphasisBrief) -> Brief {
        self.emphasis.push(emphasis);
        self
    }

    /// One view more.
    pub fn view(mut self, view: ViewBrief) -> Brief {
        self.views.push(view);
        self
    }
}

fn yes() -> bool {
    true
}

impl<'de> Keyed<'de> for TierBrief {
    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<TierBrief, D::Error> {
        let tier = TierBrief::deserialize(deserializer)?;
        match tier.cuts.is_empty() == tier.quantiles.is_empty() {
            true => Err(serde::de::Error::custom("has either cuts or quantiles, as in cuts = [1000, 5000]")),
            false => Ok(tier),
        }
    }
}

keyed!(TierBrief with its own forms);

impl Serialize for TierBrief {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        TierBrief::serialize(self, serializer)
    }
}

/// A tier has cuts of one sort.
fn cuts_or_quantiles(schema: &mut schemars::Schema) {
    let one =
        schemars::_private::serde_json::json!([{ "required": ["cuts"] }, { "required": ["quantiles"] }]);
    schema.insert("oneOf".into(), one);
}

impl<'de> Keyed<'de> for MeasureBrief {
    const WANTED: &'static str = "a formula, or a table with one";

    fn from_text(text: &str) -> Option<Result<MeasureBrief, String>> {
        Some(formula(text).map(|formula| MeasureBrief::new("", formula)))
    }

    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<MeasureBrief, D::Error> {
        MeasureBrief::deserialize(deserializer)
    }
}

keyed!(MeasureBrief with its own forms);
keyed!(Brief);
keyed!(ItemBrief);
keyed!(RelatedBrief);

/// A measure that has only a formula is written as that formula.
impl Serialize for MeasureBrief {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match *self == MeasureBrief::new(self.name.as_str(), self.formula.clone()) {
            true => self.formula.serialize(serializer),
            false => MeasureBrief::serialize(self, serializer),
        }
    }
}

impl Named for MeasureBrief {
    fn name(&self) -> &str {
        &self.name
    }

    fn set_name(&mut self, name: String) {
        self.name = name;
    }
}

impl Named for TierBrief {
    fn name(&self) -> &str {
        &self.name
    }

    fn set_name(&mut self, name: String) {
        self.name = name;
    }
}

impl Named for RelatedBrief {
    fn name(&self) -> &str {
        &self.name
    }

    fn set_name(&mut self, name: String) {
        self.name = name;
    }
}

impl Brief {
    /// Gives every part to `visit`: what files are called and how columns are read is none.
    pub(crate) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let Brief {
            title,
            source: _,
            rows,
            columns,
            filter,
            derived,
            related,
            assumptions,
            tiers,
            items,
            measures,
            kinds: _,
            dimensions,
            fill,
            totals,
            palettes,
            emphasis,
            views,
            page,
            appearance: _,
            bad_values: _,
            to: _,
        } = self;
        parts::texts(title, visit);
        parts::names(rows.iter_mut().chain(columns), visit);
        parts::formulas(filter, visit);
        // What a column that is computed is called is no name of something else.
        parts::formulas(derived.iter_mut().map(|(_, formula)| formula), visit);
        for RelatedBrief { name: _, source: _, keys: _ } in related {}
        for AssumptionBrief { name: _, value: _, low: _, high: _, step: _, choices: _ } in assumptions {}
        tiers.iter_mut().for_each(|tier| tier.each_part(visit));
        items.iter_mut().for_each(|item| item.each_part(visit));
        measures.iter_mut().for_each(|measure| measure.each_part(visit));
        dimensions.iter_mut().for_each(|dimension| dimension.each_part(visit));
        fill.iter_mut().for_each(|fill| fill.each_part(visit));
        parts::names(totals.iter_mut().map(|(level, _)| level), visit);
        palettes.iter_mut().for_each(|palette| palette.each_part(visit));
        emphasis.iter_mut().for_each(|emphasis| emphasis.each_part(visit));
        views.iter_mut().for_each(|view| view.each_part(visit));
        page.each_part(visit);
    }
}

impl MeasureBrief {
    /// As [`Brief::each_part`].
    pub(crate) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let MeasureBrief { name: _, formula, label, format: _, totals: _, hidden: _, fill: _, levels } = self;
        parts::formulas([formula], visit);
        parts::texts(label, visit);
        for (level, formula) in levels {
            parts::levels([level], visit);
            parts::formulas(formula, visit);
        }
    }
}

impl TierBrief {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let TierBrief { name: _, of, by, cuts, quantiles, labels, within } = self;
        parts::names(std::iter::once(of).chain(within), visit);
        parts::formulas([by], visit);
        parts::amounts(cuts.iter_mut().chain(quantiles), visit);
        parts::texts(labels, visit);
    }
}

impl ItemBrief {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let ItemBrief { dimension, name, formula, format: _, hidden: _, apply: _ } = self;
        parts::names([dimension, name], visit);
        parts::formulas([formula], visit);
    }
}
