//! How the parts of a brief are built in Rust: each is made with what it cannot be without, and every other key has a
//! setter of its name.

use super::{
    Amount, Apply, AssumptionBrief, BadValues, Brief, ControlBrief, DimensionBrief, EmphasisBrief, Figure,
    FillBrief, Filled, FilledCells, ItemBrief, Level, MeanSide, MeasureBrief, Negative, NumberFormat, Order,
    PageBrief, PaletteBrief, PaletteOf, PanelScale, PeersOf, Placement, Reach, RelatedBrief, RuleBrief,
    ScaleBy, Scaling, Show, Side, SymbolSet, Template, TierBrief, TopBrief, TotalsOf, Unit, ViewBrief,
    ViewForm, YardstickOf,
};
use crate::formula::Formula;
use crate::setters;

setters! { MeasureBrief {
    option label: Template,
    value format: NumberFormat,
    value totals: bool,
    value hidden: bool,
    option fill: Filled,
    list levels: (Level, Option<Formula>),
} }

setters! { ItemBrief {
    option format: NumberFormat,
    value hidden: bool,
    option apply: Apply,
} }

setters! { AssumptionBrief {
    option low: Amount,
    option high: Amount,
    option step: Amount,
    list choices: Amount,
} }

setters! { RelatedBrief {
    list keys: (String, String),
} }

setters! { PageBrief {
    list controls: ControlBrief,
    value script: bool,
} }

setters! { ControlBrief {
    option label: Template,
    value several: bool,
} }

setters! { TierBrief {
    list cuts: Amount,
    list quantiles: Amount,
    list labels: Template,
    list within: String,
} }

setters! { DimensionBrief {
    option label: Template,
    option order: Order,
    option having: Formula,
    list only: String,
    list except: String,
    value totals_of: TotalsOf,
    list labels: (String, Template),
    list colours: (String, String),
    option colours_of: String,
} }

setters! { PaletteBrief {
    option low: String,
} }

setters! { FillBrief {
    list members: String,
    option related: String,
    option first: String,
    option last: String,
} }

setters! { TopBrief {
    value overall: bool,
    option others: Template,
} }

setters! { EmphasisBrief {
    option name as named: String,
    option by: Formula,
    option only: Formula,
    list levels: Level,
    value reach: Reach,
    value peers: PeersOf,
    value yardstick: YardstickOf,
    value filled: FilledCells,
    value scale: ScaleBy,
    option about: Formula,
    option clip: (Amount, Amount),
    option low: Amount,
    option high: Amount,
    option steps: u8,
    option good: Side,
    option palette: PaletteOf,
    option symbols: SymbolSet,
    value figure: Figure,
    option along: String,
    option link: Template,
    all rules: RuleBrief,
    more rules as rule: RuleBrief,
} }

setters! { RuleBrief {
    option name as named: Template,
    option show: Show,
    option from as at_least: Amount,
    option above: Amount,
    option below: Amount,
    option up_to: Amount,
    option is: Amount,
    option top: Amount,
    option bottom: Amount,
    option mean: MeanSide,
    value blank: bool,
    option when: Formula,
    value unit: Unit,
} }

setters! { NumberFormat {
    value decimals: Option<u8>,
    value scaling: Scaling,
    value marks: String,
    value point: String,
    value before: String,
    value after: String,
    value negative: Negative,
    value blank: String,
} }

setters! { ViewBrief {
    option title: Template,
    option filter: Formula,
    list measures: String,
    option per: String,
    value scale: PanelScale,
    option along: String,
    list grid: (String, (u32, u32)),
} }

impl ItemBrief {
    /// A member of a dimension that is computed from its siblings, as `actual - plan`.
    pub fn new(
        dimension: impl Into<String>,
        name: impl Into<String>,
        formula: impl Into<Formula>,
    ) -> ItemBrief {
        let (dimension, name, formula) = (dimension.into(), name.into(), formula.into());
        ItemBrief { dimension, name, formula, ..ItemBrief::default() }
    }
}

impl AssumptionBrief {
    /// A value of a name, which formulas and texts use.
    pub fn new(name: impl Into<String>, value: impl Into<Amount>) -> AssumptionBrief {
        AssumptionBrief { name: name.into(), value: value.into(), ..AssumptionBrief::default() }
    }
}

impl TierBrief {
    /// Classes of the members of a dimension by a formula, as `sum(amount)`.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::Brief;
    /// use pivvel::brief::TierBrief;
    ///
    /// let size = TierBrief::new("size", "client", "sum(amount)").cuts([1_000]).labels(["small", "large"]);
    /// assert_eq!(Brief::new().rows(["size"]).tier(size).get_tiers().len(), 1);
    /// ```
    pub fn new(name: impl Into<String>, of: impl Into<String>, by: impl Into<Formula>) -> TierBrief {
        TierBrief { name: name.into(), of: of.into(), by: by.into(), ..TierBrief::default() }
    }
}

impl RelatedBrief {
    /// A file that brings further columns in, by columns that both have.
    pub fn new<K: Into<String>>(
        name: impl Into<String>,
        source: impl Into<String>,
        keys: impl IntoIterator<Item = K>,
    ) -> RelatedBrief {
        let both = |key: K| {
            let key: String = key.into();
            (key.clone(), key)
        };
        RelatedBrief { name: name.into(), source: source.into(), keys: keys.into_iter().map(both).collect() }
    }
}

impl DimensionBrief {
    /// Keeps the highest members only, in place of the lowest.
    pub fn top(self, top: impl Into<TopBrief>) -> DimensionBrief {
        DimensionBrief { top: Some(top.into()), bottom: None, ..self }
    }

    /// Keeps the lowest members only, in place of the highest.
    pub fn bottom(self, bottom: impl Into<TopBrief>) -> DimensionBrief {
        DimensionBrief { bottom: Some(bottom.into()), top: None, ..self }
    }

    /// A dimension as the layout names it.
    pub fn new(name: impl Into<String>) -> DimensionBrief {
        DimensionBrief { name: name.into(), ..DimensionBrief::default() }
    }
}

impl TopBrief {
    /// So many members, or such a share of them, by a measure or a formula over cells.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::Brief;
    /// use pivvel::brief::TopBrief;
    ///
    /// let brief = Brief::new().rows(["harbour"]).measure(("sales", "sum(amount)"));
    /// let brief = brief.top("harbour", TopBrief::new(5, "sales").others("All other harbours"));
    /// assert!(brief.get_dimensions()[0].get_top().is_some());
    /// ```
    pub fn new(count: impl Into<Amount>, by: impl Into<Formula>) -> TopBrief {
        TopBrief { count: count.into(), by: by.into(), overall: false, others: None }
    }
}

impl RuleBrief {
    /// A rule that says nothing yet, and so holds for every cell.
    pub fn new() -> RuleBrief {
        RuleBrief::default()
    }
}

impl ViewBrief {
    /// A view of this form, of the brief's own layout and measures.
    pub fn new(form: ViewForm) -> ViewBrief {
        ViewBrief { form, ..ViewBrief::default() }
    }

    /// With these dimensions on its rows.
    pub fn rows<S: Into<String>>(mut self, names: impl IntoIterator<Item = S>) -> ViewBrief {
        self.rows = Some(names.into_iter().map(Into::into).collect());
        self
    }

    /// With these dimensions on its columns.
    pub fn columns<S: Into<String>>(mut self, names: impl IntoIterator<Item = S>) -> ViewBrief {
        self.columns = Some(names.into_iter().map(Into::into).collect());
        self
    }
}

setters! { Brief {
    all measures: MeasureBrief,
    all items: ItemBrief,
    more items as add_item: ItemBrief,
    all dimensions: DimensionBrief,
    all tiers: TierBrief,
    all assumptions: AssumptionBrief,
    all totals: (String, Placement),
    all palettes: PaletteBrief,
    all emphasis: EmphasisBrief,
    all views: ViewBrief,
    option source: String,
    option appearance: String,
    value page: PageBrief,
    value bad_values: BadValues,
    more related as related: RelatedBrief,
    list to: String,
    all derived: (String, Formula),
    all kinds: (String, String),
} }

impl Brief {
    /// With the kind that a column has, as `decimal(2)`, where it is not to be found out.
    pub fn kind(mut self, column: impl Into<String>, kind: impl Into<String>) -> Brief {
        self.kinds.push((column.into(), kind.into()));
        self
    }

    /// A what-if value, which formulas and texts use by its name.
    pub fn assumption(mut self, assumption: AssumptionBrief) -> Brief {
        self.assumptions.push(assumption);
        self
    }

    /// Classes of members by an aggregate.
    pub fn tier(mut self, tier: TierBrief) -> Brief {
        self.tiers.push(tier);
        self
    }

    /// Keeps the highest members of a dimension only.
    pub fn top(self, dimension: &str, top: TopBrief) -> Brief {
        self.dimension(dimension, |own| own.top(top))
    }

    /// Keeps the lowest members of a dimension only.
    pub fn bottom(self, dimension: &str, bottom: TopBrief) -> Brief {
        self.dimension(dimension, |own| own.bottom(bottom))
    }
}
