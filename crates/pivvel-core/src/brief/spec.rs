//! The brief as data: what the analyst wants, in names and formulas, not yet checked.

use super::format::NumberFormat;
use crate::error::{Error, Result, unknown_message};

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
    /// The heading; made from the layout where it is not given.
    pub title: Option<String>,
    /// Where the lines are.
    pub source: Option<String>,
    /// Dimensions on the rows, outermost first: columns, or parts of dates as `sold_on.quarter`.
    pub rows: Vec<String>,
    /// Dimensions on the columns, outermost first.
    pub columns: Vec<String>,
    /// The condition that lines must meet.
    pub filter: Option<String>,
    /// What is computed; the count of lines where nothing is said.
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
    /// Its heading; the name where it is not given.
    pub label: Option<String>,
    /// How its numbers are shown.
    pub format: NumberFormat,
    /// Whether it is shown at totals and subtotals too, or in the leaf cells only.
    pub totals: bool,
}

/// What is said about one dimension.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct DimensionBrief {
    /// The dimension as the layout names it.
    pub name: String,
    /// Its heading; the name where it is not given.
    pub label: Option<String>,
    /// The order of its members: `label`, `calendar` or a measure, then `asc` or `desc`.
    pub order: Option<String>,
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

/// What makes a measure's cells stand out.
#[derive(Debug, Clone, PartialEq)]
pub struct EmphasisBrief {
    /// The measure.
    pub on: String,
    /// How it shows.
    pub form: Form,
    /// The levels that it is for; all but the grand totals where nothing is said.
    pub levels: Vec<String>,
}

/// How an emphasis shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A background colour by the cell's position among its peers.
    Tint,
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

    /// Places totals; see [`Brief::totals`].
    pub fn total(mut self, of: impl Into<String>, placement: Placement) -> Brief {
        self.totals.push((of.into(), placement));
        self
    }

    /// Tints a measure's cells by their position, each level on a scale of its own.
    pub fn tint(self, measure: impl Into<String>) -> Brief {
        self.emphasize(EmphasisBrief { on: measure.into(), form: Form::Tint, levels: Vec::new() })
    }

    /// One emphasis more.
    pub fn emphasize(mut self, emphasis: EmphasisBrief) -> Brief {
        self.emphasis.push(emphasis);
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
        }
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
