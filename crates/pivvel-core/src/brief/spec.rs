//! The brief as data: what the analyst wants, in names and formulas, not yet checked.

use super::assumption::AssumptionBrief;
use super::emphasis::{EmphasisBrief, Form};
use super::format::NumberFormat;
use super::views::ViewBrief;
use crate::error::{Error, Result, unknown_message};
use crate::formula::Expr;

/// What the analyst wants: layout, measures, order, totals, emphasis.
///
/// ```
/// use pivvel_core::Brief;
///
/// let brief = Brief::new()
///     .rows(["coast", "harbour"])
///     .columns(["sold_on.quarter"])
///     .measure(("sales", "sum(amount)"))
///     .tint("sales");
/// assert_eq!(brief.rows.len(), 2);
/// ```
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Brief {
    /// The heading (default: made from the layout).
    pub title: Option<String>,
    /// Where the lines are.
    pub source: Option<String>,
    /// Dimensions on the rows, outermost first: columns, or parts of dates as `sold_on.quarter`.
    pub rows: Vec<String>,
    /// Dimensions on the columns, outermost first.
    pub columns: Vec<String>,
    /// The condition that lines must meet.
    pub filter: Option<String>,
    /// Columns that are computed from others, line by line: name and formula.
    pub derived: Vec<(String, String)>,
    /// Files that bring further columns in.
    pub related: Vec<RelatedBrief>,
    /// What-if values.
    pub assumptions: Vec<AssumptionBrief>,
    /// Classes of members by an aggregate.
    pub tiers: Vec<TierBrief>,
    /// Members that are computed from their siblings.
    pub items: Vec<ItemBrief>,
    /// What is computed (default: the count of lines).
    pub measures: Vec<MeasureBrief>,
    /// Kinds that columns are given rather than found to be, by column.
    pub kinds: Vec<(String, String)>,
    /// What is said about single dimensions.
    pub dimensions: Vec<DimensionBrief>,
    /// Where totals stand: `rows`, `columns`, a dimension, `row total` or `column total`; an empty
    /// name means all. Later ones go before earlier ones.
    pub totals: Vec<(String, Placement)>,
    /// What stands out.
    pub emphasis: Vec<EmphasisBrief>,
    /// Further views of the same lines.
    pub views: Vec<ViewBrief>,
    /// What to do about values that do not fit their column's kind.
    pub bad_values: BadValues,
    /// Files to write, each in the form that its ending says.
    pub to: Vec<String>,
}

/// A measure: a name for data, a formula, and how it is shown.
#[derive(Debug, Clone, PartialEq)]
pub struct MeasureBrief {
    /// Its name in formulas and data.
    pub name: String,
    /// The aggregate, as in `sum(price * quantity)`.
    pub formula: String,
    /// Its heading (default: the name).
    pub label: Option<String>,
    /// How its numbers are shown.
    pub format: NumberFormat,
    /// Whether it is shown at totals and subtotals too, or in the leaf cells only.
    pub totals: bool,
    /// Whether it is computed for other measures only, and not shown.
    pub hidden: bool,
    /// Another formula at a level, or none there: the levels in the words of [`EmphasisBrief::levels`].
    pub levels: Vec<(String, Option<String>)>,
}

/// A member that is computed from its siblings, for every measure and at every level.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct ItemBrief {
    /// The dimension that it is a member of.
    pub dimension: String,
    /// Its label.
    pub name: String,
    /// The formula over siblings, as in `actual - plan`.
    pub formula: String,
    /// How its numbers are shown, whatever the measure (default: as the measure's).
    pub format: Option<NumberFormat>,
    /// Whether it is computed for other items only, and not shown.
    pub hidden: bool,
    /// Whether it is applied to aggregates, before formula measures, rather than to measures.
    pub before_measures: Option<bool>,
}

/// Classes of the members of a dimension by an aggregate. The name is used like a column's.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct TierBrief {
    /// The name of the dimension that the tiers make.
    pub name: String,
    /// The dimension whose members are classified.
    pub of: String,
    /// What they are classified by, as in `sum(amount)`.
    pub by: String,
    /// The cuts, lowest first: a value on a cut belongs to the tier above it.
    pub cuts: Vec<String>,
    /// Whether cuts are shares of the members (`50%` is the median) rather than values.
    pub quantiles: bool,
    /// The tiers' labels, lowest first: one more than there are cuts.
    pub labels: Vec<String>,
    /// Dimensions within which members are classified, each by itself.
    pub within: Vec<String>,
}

/// A file that brings further columns in by key.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RelatedBrief {
    /// What it is called in messages.
    pub name: String,
    /// The file.
    pub source: String,
    /// Columns of the lines with the columns of the file that they are looked up in.
    pub keys: Vec<(String, String)>,
}

/// What is said about one dimension.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct DimensionBrief {
    /// The dimension as the layout names it.
    pub name: String,
    /// Its heading (default: the name).
    pub label: Option<String>,
    /// The order of its members: `label`, `calendar` or a formula over cells as `sales at scenario
    /// 'plan'`, then `asc` or `desc`.
    pub order: Option<String>,
    /// The members that come first, in this order.
    pub listed: Vec<String>,
    /// Which members are kept, by a measure.
    pub top: Option<TopBrief>,
    /// The condition on cells that members must meet, as in `sales > 10000`.
    pub having: Option<String>,
    /// The only members that are shown (default: all).
    pub only: Vec<String>,
    /// Members that are not shown.
    pub except: Vec<String>,
    /// What totals cover where members are not shown.
    pub totals_of: TotalsOf,
    /// Labels that are shown instead of members' own.
    pub labels: Vec<(String, String)>,
}

/// Which members of a dimension are kept, by a measure.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TopBrief {
    /// How many, as a number, a share such as `20%`, or the name of an assumption.
    pub count: String,
    /// What they are ranked by: a measure, or a formula over cells.
    pub by: String,
    /// Whether the lowest are kept rather than the highest.
    pub bottom: bool,
    /// Whether they are ranked overall rather than within each parent.
    pub overall: bool,
    /// The label of the member that gathers the rest (default: the rest is dropped).
    pub others: Option<String>,
}

/// What totals cover where some members are not shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum TotalsOf {
    /// Everything, shown or not.
    #[default]
    All,
    /// What is shown.
    Shown,
}

/// Where a total stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Placement {
    /// Before its members.
    Before,
    /// After its members.
    After,
    /// Nowhere.
    Off,
}

/// What to do about values that do not fit their column's kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum BadValues {
    /// Stop, and list up to ten of them.
    #[default]
    Stop,
    /// Take them as blank, and say how many.
    Blank,
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
    pub fn filter(mut self, condition: impl Into<String>) -> Brief {
        self.filter = Some(condition.into());
        self
    }

    /// Sorts the members of a dimension, as in `brief.sort("harbour", "sales desc")`.
    pub fn sort(mut self, dimension: &str, order: impl Into<String>) -> Brief {
        self.dimension(dimension).order = Some(order.into());
        self
    }

    /// A member computed from its siblings: `brief.item("scenario", "variance", "actual - plan")`.
    pub fn item(mut self, dimension: &str, name: &str, formula: &str) -> Brief {
        let [dimension, name, formula] = [dimension, name, formula].map(str::to_string);
        self.items.push(ItemBrief { dimension, name, formula, ..ItemBrief::default() });
        self
    }

    /// A column computed line by line: `brief.derive("takings", "price * quantity")`.
    pub fn derive(mut self, name: &str, formula: &str) -> Brief {
        self.derived.push((name.into(), formula.into()));
        self
    }

    /// Places totals; see [`Brief::totals`].
    pub fn total(mut self, of: impl Into<String>, placement: Placement) -> Brief {
        self.totals.push((of.into(), placement));
        self
    }

    /// The heading.
    pub fn title(mut self, title: impl Into<String>) -> Brief {
        self.title = Some(title.into());
        self
    }

    /// What is said about a dimension, to be added to.
    pub fn dimension(&mut self, name: &str) -> &mut DimensionBrief {
        let place = self.dimensions.iter().position(|d| d.name == name).unwrap_or_else(|| {
            self.dimensions.push(DimensionBrief { name: name.into(), ..DimensionBrief::default() });
            self.dimensions.len() - 1
        });
        &mut self.dimensions[place]
    }
}

impl MeasureBrief {
    /// A measure of this name and formula, shown in the plainest way.
    pub fn new(name: impl Into<String>, formula: impl Into<String>) -> MeasureBrief {
        MeasureBrief {
            name: name.into(),
            formula: formula.into(),
            label: None,
            format: NumberFormat::default(),
            totals: true,
            hidden: false,
            levels: Vec::new(),
        }
    }
}

/// A measure whose formula is a tree that was built without text.
///
/// ```
/// use pivvel_core::{Brief, Expr, Name, Node};
///
/// let amount = Node::Name(Name { base: "amount".into(), part: None });
/// let sum = Node::Call { function: "sum".into(), arguments: vec![amount.into()], clauses: Vec::new() };
/// let brief = Brief::new().measure(("sales", Expr::from(sum)));
/// assert_eq!(brief.measures[0].formula, "sum(amount)");
/// ```
impl From<(&str, Expr)> for MeasureBrief {
    fn from((name, formula): (&str, Expr)) -> MeasureBrief {
        MeasureBrief::new(name, formula.to_string())
    }
}

impl From<(&str, &str)> for MeasureBrief {
    fn from((name, formula): (&str, &str)) -> MeasureBrief {
        MeasureBrief::new(name, formula)
    }
}

impl Placement {
    /// The placements by name.
    pub const NAMES: [&'static str; 3] = ["before", "after", "off"];

    /// The placement of this name.
    ///
    /// # Errors
    /// A name that is none of [`Placement::NAMES`].
    pub fn named(name: &str) -> Result<Placement> {
        match name {
            "before" => Ok(Placement::Before),
            "after" => Ok(Placement::After),
            "off" => Ok(Placement::Off),
            _ => Err(Error::request("", unknown_message("place for totals", name, Placement::NAMES))),
        }
    }

    /// The name of this placement.
    pub fn name(self) -> &'static str {
        match self {
            Placement::Before => "before",
            Placement::After => "after",
            Placement::Off => "off",
        }
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
