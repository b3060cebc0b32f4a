//! The plan: a brief checked against a source's columns. Every name is resolved and every type is
//! right before any line is read.

use std::collections::BTreeSet;

use arrow_schema::Schema;

use super::NumberFormat;
use super::assume::Assumptions;
use super::cells::CellScope;
use super::emphasize::{self, PlannedEmphasis};
use super::items::PlannedItem;
use super::layout::{self, Order};
use super::spec::{Brief, MeasureBrief, Placement, TopBrief, TotalsOf};
use super::tiers::{AxisKey, PlannedTier, all_leaves, plan_axis, plan_tiers, split_condition};
use crate::error::{Error, Result};
use crate::formula::{
    CellFormula, CellLeaf, Columns, Function, Operator, Relation, Spot, Step, check_condition, check_formula,
    parse,
};
use crate::grouping::{Aggregate, Grouping};
use crate::lines::{SqlTable, Statement};
use crate::model::{DatePart, Kind, Notice, NoticeCode};
use crate::pushdown::push;

/// A brief checked against a source's columns, ready to run.
#[derive(Debug, Clone)]
pub struct Plan {
    /// The heading.
    pub title: String,
    /// Dimensions on the rows, outermost first.
    pub rows: Vec<Dimension>,
    /// Dimensions on the columns, outermost first.
    pub columns: Vec<Dimension>,
    /// What is computed, hidden measures among it.
    pub measures: Vec<Measure>,
    /// What stands out, in the order in which it is tried.
    pub emphasis: Vec<PlannedEmphasis>,
    /// The condition that lines must meet, as a formula's text.
    pub condition: Option<String>,
    /// What the author should know before running it.
    pub notices: Vec<Notice>,
    /// Where the totals stand, by level from the grand total inward, on the rows.
    pub row_totals: Vec<Placement>,
    /// Where the totals stand, by level from the grand total inward, on the columns.
    pub column_totals: Vec<Placement>,
    /// Members that are computed from their siblings, in the order in which they are applied.
    pub items: Vec<PlannedItem>,
    /// Classes of members.
    pub tiers: Vec<PlannedTier>,
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
    needed: Vec<usize>,
    needed_names: Vec<String>,
}

/// A dimension of the layout.
#[derive(Debug, Clone)]
pub struct Dimension {
    /// Its name, as the layout writes it.
    pub name: String,
    /// Its heading.
    pub label: String,
    /// The order of its members.
    pub order: Order,
    /// The members that come first, in this order.
    pub listed: Vec<String>,
    /// Labels that are shown instead of members' own.
    pub labels: Vec<(String, String)>,
    /// What the column behind it holds.
    pub kind: Kind,
    /// The part of a date that it is made of.
    pub part: Option<DatePart>,
    /// Which of its members are shown.
    pub pick: Pick,
    pub(crate) order_by: Option<CellFormula>,
}

impl Dimension {
    /// The part of a date that its members are; days where it is a whole date.
    pub(crate) fn period(&self) -> Option<DatePart> {
        self.part.or((self.kind == Kind::Date).then_some(DatePart::Day))
    }

    /// The column that it is made of.
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
    /// The only ones; all where nothing is said.
    pub only: Vec<String>,
    /// Those that are not.
    pub except: Vec<String>,
    /// The condition on cells that they must meet, as text.
    pub having: Option<String>,
    /// How many, and by what.
    pub top: Option<TopBrief>,
    /// What totals cover.
    pub totals_of: TotalsOf,
    pub(crate) condition: Option<CellFormula>,
    pub(crate) by: Option<CellFormula>,
    pub(crate) count: Count,
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
    /// Its name in data.
    pub name: String,
    /// Its heading.
    pub label: String,
    /// Its formula, as it was written.
    pub formula: String,
    /// How its numbers are shown.
    pub format: NumberFormat,
    /// Whether it is shown at totals and subtotals too.
    pub totals: bool,
    /// Whether it is computed for others only.
    pub hidden: bool,
    pub(crate) cell: CellFormula,
    pub(crate) levels: Vec<(String, Option<CellFormula>)>,
    pub(crate) level_texts: Vec<(String, Option<String>)>,
    /// For each grain, which formula it has there.
    pub(crate) grains: Vec<Choice>,
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
    pub fn level_formulas(&self) -> &[(String, Option<String>)] {
        &self.level_texts
    }

    /// Gives every leaf of its formulas to `visit`, and those that it reads other cells by.
    pub(crate) fn each_leaf(&self, visit: &mut dyn FnMut(&CellLeaf)) {
        all_leaves(&self.cell, visit);
        self.levels.iter().filter_map(|(_, formula)| formula.as_ref()).for_each(|f| all_leaves(f, visit));
    }

    /// The formula at a grain, if it has one there.
    pub(crate) fn formula_at(&self, grain: usize) -> Option<&CellFormula> {
        match self.grains.get(grain) {
            Some(Choice::Nothing) => None,
            Some(Choice::Level(i)) => self.levels[*i].1.as_ref(),
            _ => Some(&self.cell),
        }
    }

    /// Whether it has a formula at a grain (row level, column level), where columns have so many
    /// dimensions.
    pub(crate) fn shows_at(&self, grain: usize) -> bool {
        self.grains.get(grain).is_none_or(|choice| *choice != Choice::Nothing)
    }
}

impl Plan {
    /// Checks a brief against the columns of a source.
    ///
    /// # Errors
    /// Any name that is not known, with the nearest known one; any formula that cannot be read or
    /// does not make sense, with the spot marked.
    pub fn new(brief: &Brief, schema: &Schema) -> Result<Plan> {
        let assumptions = Assumptions::new(&brief.assumptions)?;
        let brief = &brief.settled(&assumptions);
        let mut columns = Columns::new(schema);
        let mut notices = Vec::new();
        derive_columns(brief, &assumptions, &mut columns)?;
        let mut grouping = Grouping::default();
        let (mut tiers, tier_sources) = plan_tiers(brief, &columns)?;
        let (rows, row_keys) =
            plan_axis("rows", &brief.rows, &tiers, &tier_sources, &mut columns, &mut grouping.rows)?;
        let (across, column_keys) =
            plan_axis("columns", &brief.columns, &tiers, &tier_sources, &mut columns, &mut grouping.columns)?;
        let mut row_keys = row_keys;
        let mut names: Vec<&str> = rows.iter().chain(&across).map(|d: &Dimension| d.name.as_str()).collect();
        names.sort_unstable();
        if let Some(twice) = names.windows(2).find(|pair| pair[0] == pair[1]) {
            return Err(Error::request("layout", format!("{} stands in it twice", twice[0])));
        }
        if let Some(text) = &brief.filter {
            let expr = parse("where", text)?;
            let (of_lines, of_tiers) = split_condition(&expr, &tiers)?;
            if let Some(expr) = of_lines {
                grouping.filter = Some(check_condition("where", text, &expr, &mut columns)?);
            }
            for (tier, keeps) in of_tiers {
                let key = super::tiers::hidden_key(tier, &tier_sources, &mut columns, &mut grouping.rows)?;
                row_keys.push(AxisKey::Filter(Box::new(key), keeps));
            }
        }
        let lines = [MeasureBrief::new("lines", "count()")];
        let briefs = if brief.measures.is_empty() { &lines[..] } else { &brief.measures };
        let mut aggregates = Vec::new();
        let (mut rows, mut across) = (rows, across);
        let (measures, measure_order, aggregate_texts, mut emphasis, period) = {
            let (r, c) = (rows.clone(), across.clone());
            let mut scope = CellScope::new(
                (&mut columns, &mut grouping, &mut aggregates),
                (&r, &c),
                &assumptions,
                briefs,
            );
            scope.measures()?;
            layout::describe_dimensions(brief, (&mut rows, &mut across), &mut scope, &mut notices)?;
            super::tiers::plan_by(brief, &mut tiers, &mut scope)?;
            let emphasis = emphasize::plan_emphasis(brief, &mut scope, &mut notices)?;
            let period = super::title::period(brief.title.as_deref(), schema, &mut scope)?;
            let (measures, order, texts) = scope.finish();
            (measures, order, texts, emphasis, period)
        };
        super::tiers::check_by(brief, &tiers, &measures)?;
        let mut plan = Plan {
            title: String::new(),
            rows,
            columns: across,
            measures,
            emphasis: Vec::new(),
            condition: brief.filter.clone(),
            notices: Vec::new(),
            row_totals: Vec::new(),
            column_totals: Vec::new(),
            items: Vec::new(),
            tiers,
            grouping,
            aggregates,
            aggregate_texts,
            measure_order,
            row_keys,
            column_keys,
            assumptions: Assumptions::default(),
            period,
            needed: Vec::new(),
            needed_names: Vec::new(),
        };
        plan.items = super::items::plan_items(brief, &plan, &assumptions, &mut columns, &mut notices)?;
        layout::choose_grains(&mut plan, &mut columns, &mut notices)?;
        (plan.row_totals, plan.column_totals) =
            layout::place_totals(brief, &plan, &mut columns, &mut notices)?;
        emphasize::choose_grains(&mut emphasis, &plan, &mut columns, &mut notices)?;
        plan.emphasis = emphasis;
        notices.extend(plan.doubts(brief));
        let unknown = brief.title.as_deref().and_then(super::title::doubt);
        notices.extend(unknown.map(|unknown| Notice::author(NoticeCode::TitleName, unknown)));
        plan.title = brief.title.clone().unwrap_or_else(|| plan.made_title());
        plan.notices = notices;
        plan.needed_names = columns.needed_names().map(str::to_string).collect();
        plan.needed = columns.needed().to_vec();
        plan.assumptions = assumptions;
        Ok(plan)
    }

    /// Places in the schema of the columns that the scan must be given, in this order.
    pub fn needed(&self) -> &[usize] {
        &self.needed
    }

    /// Names of the columns that the scan must be given, in this order.
    pub fn needed_names(&self) -> &[String] {
        &self.needed_names
    }

    /// The columns that further formulas over the same lines may name, those that the scan is given first.
    pub(crate) fn columns(&self, brief: &Brief, schema: &Schema) -> Result<Columns> {
        let mut columns = Columns::new(schema).after(&self.needed);
        derive_columns(&brief.settled(&self.assumptions), &self.assumptions, &mut columns)?;
        Ok(columns)
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

    /// All that decides which cells there are and what their values are, as text.
    pub(crate) fn computed(&self) -> String {
        let layout = |dimensions: &[Dimension]| {
            let one = |d: &Dimension| format!("{} {:?} {:?} {:?}", d.name, d.order, d.listed, d.pick);
            dimensions.iter().map(one).collect::<Vec<_>>().join("; ")
        };
        let measure = |m: &Measure| format!("{} = {} {:?}", m.name, m.formula, m.level_texts);
        let measures: Vec<String> = self.measures.iter().map(measure).collect();
        let item = |item: &PlannedItem| format!("{}: {} = {}", item.dimension, item.name, item.formula);
        let items: Vec<String> = self.items.iter().map(item).collect();
        format!(
            "{} | {} | {measures:?} | {items:?} | {:?} | {:?} {:?}",
            layout(&self.rows),
            layout(&self.columns),
            self.tiers,
            self.needed_names,
            self.grouping
        )
    }

    /// The statements by which a database groups the lines of this plan: that which counts them, and one
    /// for each set of groups.
    ///
    /// # Errors
    /// Why it cannot, so that the lines are read.
    pub fn statements(&self, table: &SqlTable) -> Result<Vec<Statement>, String> {
        let pushed = push(&self.grouping, &self.needed, table)?;
        Ok(std::iter::once(pushed.counts).chain(pushed.groups).collect())
    }

    /// Members that formulas and picks name, each with who names it and where it should be found: only
    /// the lines can tell whether they are there.
    pub(crate) fn named_members(&self) -> Vec<(String, Spot, String)> {
        let mut named = Vec::new();
        for item in &self.items {
            let of = |label: &String| (format!("item {}", item.name), item.spot, label.clone());
            named.extend(item.operands.iter().map(of));
        }
        let mut places = Vec::new();
        let mut read = |place: &str, formula: &CellFormula| {
            all_leaves(formula, &mut |leaf| {
                if let CellLeaf::At(_, Relation::Member(spot, label)) = leaf {
                    places.push((place.to_string(), *spot, label.clone()));
                }
            });
        };
        for measure in &self.measures {
            let all = measure.levels.iter().filter_map(|(_, f)| f.as_ref()).chain([&measure.cell]);
            all.for_each(|formula| read(&format!("measure {}", measure.name), formula));
        }
        for on_rows in [true, false] {
            for (i, dimension) in self.axis(on_rows).iter().enumerate() {
                let place = format!("dimension {}", dimension.name);
                let formulas =
                    dimension.order_by.iter().chain(&dimension.pick.condition).chain(&dimension.pick.by);
                formulas.for_each(|formula| read(&place, formula));
                let spot = Spot { on_rows, level: i + 1 };
                let labels =
                    dimension.pick.only.iter().chain(&dimension.pick.except).chain(&dimension.listed);
                named.extend(labels.map(|label| (place.clone(), spot, label.clone())));
            }
        }
        for emphasis in &self.emphasis {
            emphasis.formulas().for_each(|formula| read(&emphasis.place, formula));
            named.extend(emphasis.compared_members());
        }
        named.extend(places);
        named
    }

    /// Whether it names members, which only the lines can tell to be there.
    pub fn names_members(&self) -> bool {
        !self.named_members().is_empty()
    }

    /// The emphasis whose peers and yardstick a measure's cells of a grain have everywhere: the first on it that
    /// shows it by its own values. Where there is none, all of the grain are peers.
    pub(crate) fn scaled_by(&self, shown: usize, grain: (usize, usize)) -> Option<usize> {
        let scales = |e: &PlannedEmphasis| {
            let said = &e.said;
            e.measure == Some(shown)
                && e.has_scale()
                && said.by.is_none()
                && e.about_formula().is_none()
                && !said.whole_row
                && e.grains.contains(&grain)
        };
        self.emphasis.iter().position(scales)
    }

    /// The dimensions of an axis.
    pub(crate) fn axis(&self, on_rows: bool) -> &[Dimension] {
        if on_rows { &self.rows } else { &self.columns }
    }

    /// What the analyst most likely did not mean.
    fn doubts(&self, brief: &Brief) -> Vec<Notice> {
        let mut doubts = Vec::new();
        let mut used = vec![false; self.measures.len()];
        let mut note = |formula: &CellFormula| {
            all_leaves(formula, &mut |leaf| {
                if let CellLeaf::Measure(i) = leaf {
                    used[*i] = true;
                }
            });
        };
        for measure in &self.measures {
            note(&measure.cell);
            measure.levels.iter().filter_map(|(_, f)| f.as_ref()).for_each(&mut note);
        }
        for dimension in self.rows.iter().chain(&self.columns) {
            dimension
                .order_by
                .iter()
                .chain(&dimension.pick.condition)
                .chain(&dimension.pick.by)
                .for_each(&mut note);
        }
        self.tiers.iter().filter_map(|tier| tier.by_formula.as_ref()).for_each(&mut note);
        self.emphasis.iter().flat_map(PlannedEmphasis::formulas).for_each(&mut note);
        // What views show and build on is used there.
        let views = (0..brief.views.len()).filter_map(|view| brief.of_view(view).ok());
        let shown_by_views: Vec<String> = views.flat_map(|view| view.measures).map(|m| m.name).collect();
        for (measure, used) in self.measures.iter().zip(used) {
            if measure.hidden && !used && !shown_by_views.contains(&measure.name) {
                let message = format!("measure {} is hidden, and nothing uses it", measure.name);
                doubts.push(Notice::author(NoticeCode::UnusedMeasure, message));
            }
            let grains = (self.rows.len() + 1) * (self.columns.len() + 1);
            if self.blank_grains(measure).len() == grains {
                let message = format!("measure {} is blank everywhere in this layout", measure.name);
                doubts.push(Notice::author(NoticeCode::BlankMeasure, message));
            }
        }
        let first = |(i, item): &(usize, &PlannedItem)| {
            self.items[..*i].iter().all(|earlier| earlier.spot != item.spot)
        };
        let items = self.items.iter().enumerate().filter(first);
        let mixed = items.filter_map(|(_, item)| self.doubtful_total(item));
        doubts.extend(mixed.map(|mixed| Notice::author(NoticeCode::MixedTotal, mixed)));
        let ratio = self.measures.iter().find(|m| !m.hidden && !self.is_additive(&m.cell));
        for item in self.items.iter().filter(|item| !item.before_measures && item.adds_up()) {
            let Some(ratio) = ratio else { break };
            let message = format!(
                "item {} adds up measure {}, which is no sum; apply = \"before measures\" computes it anew",
                item.name, ratio.name
            );
            doubts.push(Notice::author(NoticeCode::ItemAddsUp, message));
        }
        doubts
    }

    /// Whether the values of several members add up to that of all of them: sums and counts, and what is
    /// added or taken from them.
    fn is_additive(&self, formula: &CellFormula) -> bool {
        match &formula.step {
            Step::Leaf(CellLeaf::Aggregate(place)) => match &self.aggregates[*place] {
                Aggregate::Lines => true,
                Aggregate::Of { function, .. } => matches!(function, Function::Sum | Function::Count),
                _ => false,
            },
            Step::Leaf(CellLeaf::Measure(place)) => self.is_additive(&self.measures[*place].cell),
            Step::Arithmetic(Operator::Add | Operator::Subtract, _, a, b) => {
                self.is_additive(a) && self.is_additive(b)
            }
            Step::Negate(a) | Step::Convert(a) => self.is_additive(a),
            _ => false,
        }
    }

    /// A total that adds up what an item sets against each other, as actual and plan.
    fn doubtful_total(&self, item: &PlannedItem) -> Option<String> {
        let (on_rows, level) = (item.spot.on_rows, item.spot.level);
        let totals = if on_rows { &self.row_totals } else { &self.column_totals };
        if !item.sets_against() || totals.get(level - 1) == Some(&Placement::Off) {
            return None;
        }
        let total = match (level, on_rows) {
            (1, true) => "column total",
            (1, false) => "row total",
            (level, _) => &self.axis(on_rows)[level - 2].name,
        };
        Some(format!(
            "{total} adds up members of {} that item {} sets against each other ({}); leave it out with totals: \"{total}\" = \"off\"",
            item.dimension,
            item.name,
            item.operands.join(", ")
        ))
    }

    fn made_title(&self) -> String {
        let shown = self.measures.iter().filter(|m| !m.hidden);
        let mut title = shown.map(|m| m.label.as_str()).collect::<Vec<_>>().join(", ");
        let labels = |dimensions: &[Dimension]| {
            dimensions.iter().map(|d| d.label.clone()).collect::<Vec<_>>().join(", ")
        };
        if !self.rows.is_empty() {
            title.push_str(&format!(" by {}", labels(&self.rows)));
        }
        if !self.columns.is_empty() {
            let word = if self.rows.is_empty() { "by" } else { "and" };
            title.push_str(&format!(" {word} {}", labels(&self.columns)));
        }
        title
    }
}

/// Lets assumptions and derived columns stand in formulas over lines, each after the ones before it.
fn derive_columns(brief: &Brief, assumptions: &Assumptions, columns: &mut Columns) -> Result<()> {
    for name in assumptions.names() {
        if let Some(formula) = assumptions.formula(name) {
            columns.derive(name, formula).map_err(|e| Error::request(format!("assumption {name}"), e))?;
        }
    }
    for (name, text) in &brief.derived {
        let place = format!("derived column {name}");
        let formula = check_formula(&place, text, &parse(&place, text)?, columns)?;
        columns.derive(name, formula).map_err(|e| Error::request(place, e))?;
    }
    Ok(())
}
