//! The plan: a brief checked against a source's columns. Every name is resolved and every type is
//! right before any line is read.

use arrow_schema::Schema;

use super::cells::CellScope;
use super::emphasize;
use super::layout;
use super::model::{Assumptions, AxisKey, Dimension, Plan, PlannedTier};
use super::tiers::{TierSources, hidden_key, plan_axis, plan_tiers, split_condition};
use crate::brief::{Brief, MeasureBrief, Template};
use crate::error::{Error, Result};
use crate::formula::{Columns, Formula, check_condition, check_formula};
use crate::grouping::Grouping;
use crate::model::{Notice, NoticeCode, Sentence};

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
        let Axes { mut rows, columns: mut across, row_keys, column_keys, mut tiers } =
            plan_axes(brief, &mut columns, &mut grouping)?;
        let lines = [MeasureBrief::new("lines", "count()")];
        let briefs = if brief.measures.is_empty() { &lines[..] } else { &brief.measures };
        let mut aggregates = Vec::new();
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
            let period = super::title::period(brief.title.as_ref(), schema, &mut scope)?;
            let (measures, order, texts) = scope.finish();
            (measures, order, texts, emphasis, period)
        };
        super::tiers::check_by(brief, &tiers, &measures)?;
        let mut plan = Plan {
            title: Template::default(),
            default_title: None,
            rows,
            columns: across,
            measures,
            emphasis: Vec::new(),
            condition: brief.filter.as_ref().map(ToString::to_string),
            notices: Vec::new(),
            row_totals: Vec::new(),
            column_totals: Vec::new(),
            items: Vec::new(),
            tiers,
            controls: Vec::new(),
            palettes: brief.palettes.clone(),
            fills: Vec::new(),
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
        plan.plan_fills(brief, &mut columns, &mut notices)?;
        plan.controls = super::controls::plan_controls(brief, &assumptions, &columns)?;
        plan.assumptions = assumptions;
        Ok(plan.finished(brief, &columns, notices))
    }

    /// With its heading, its notices and the columns that it reads.
    fn finished(mut self, brief: &Brief, columns: &Columns, mut notices: Vec<Notice>) -> Plan {
        notices.extend(self.doubts(brief));
        let unknown = brief.title.as_ref().and_then(super::title::doubt);
        notices.extend(unknown.map(|unknown| Notice::author(NoticeCode::TitleName, unknown)));
        self.default_title = brief.title.is_none().then(|| self.default_title());
        self.title = match (&brief.title, &self.default_title) {
            (None, Some(made)) => made.to_string().into(),
            (title, _) => title.clone().unwrap_or_default(),
        };
        self.notices = notices;
        self.needed_names = columns.needed_names().map(str::to_string).collect();
        self.needed = columns.needed().to_vec();
        self
    }

    /// The columns that further formulas over the same lines may name, those that the scan is given first.
    pub(crate) fn columns_of(&self, brief: &Brief, schema: &Schema) -> Result<Columns> {
        let mut columns = Columns::new(schema).after(&self.needed);
        derive_columns(&brief.settled(&self.assumptions), &self.assumptions, &mut columns)?;
        Ok(columns)
    }

    /// The heading where the brief has none: the measures by the dimensions.
    fn default_title(&self) -> Sentence {
        let shown = self.measures.iter().filter(|m| !m.hidden);
        let measures = shown.map(|m| m.label.as_str()).collect::<Vec<_>>().join(", ");
        let labels = |dimensions: &[Dimension]| {
            let labels: Vec<&str> = dimensions.iter().map(|d| d.label.as_str()).collect();
            (!labels.is_empty()).then(|| labels.join(", "))
        };
        let title = match (labels(&self.rows), labels(&self.columns)) {
            (Some(rows), Some(columns)) => {
                Sentence::from("{measure} by {row} and {column}").with("row", rows).with("column", columns)
            }
            (Some(part), None) | (None, Some(part)) => {
                Sentence::from("{measure} by {part}").with("part", part)
            }
            (None, None) => Sentence::from("{measure}"),
        };
        title.with("measure", measures)
    }
}

/// The dimensions of both axes, how the keys of the scan make them up, and the classes of their members.
struct Axes {
    rows: Vec<Dimension>,
    columns: Vec<Dimension>,
    row_keys: Vec<AxisKey>,
    column_keys: Vec<AxisKey>,
    tiers: Vec<PlannedTier>,
}

fn plan_axes(brief: &Brief, columns: &mut Columns, grouping: &mut Grouping) -> Result<Axes> {
    let (tiers, sources) = plan_tiers(brief, columns)?;
    let (rows, mut row_keys) = plan_axis("rows", &brief.rows, &tiers, &sources, columns, &mut grouping.rows)?;
    let (across, column_keys) =
        plan_axis("columns", &brief.columns, &tiers, &sources, columns, &mut grouping.columns)?;
    each_once(rows.iter().chain(&across))?;
    if let Some(condition) = &brief.filter {
        row_keys.extend(filter_lines(condition, (&tiers, &sources), columns, grouping)?);
    }
    Ok(Axes { rows, columns: across, row_keys, column_keys, tiers })
}

/// Lets assumptions and derived columns stand in formulas over lines, each after the ones before it.
fn derive_columns(brief: &Brief, assumptions: &Assumptions, columns: &mut Columns) -> Result<()> {
    for name in assumptions.names() {
        if let Some(formula) = assumptions.formula(name) {
            columns.derive(name, formula).map_err(|e| Error::request(format!("assumption {name}"), e))?;
        }
    }
    for (name, formula) in &brief.derived {
        let place = format!("derived column {name}");
        let formula = check_formula(&place, formula, columns)?;
        columns.derive(name, formula).map_err(|e| Error::request(place, e))?;
    }
    Ok(())
}

/// That no dimension stands in the layout twice.
fn each_once<'d>(dimensions: impl Iterator<Item = &'d Dimension>) -> Result<()> {
    let mut names: Vec<&str> = dimensions.map(|dimension| dimension.name.as_str()).collect();
    names.sort_unstable();
    match names.windows(2).find(|pair| pair[0] == pair[1]) {
        Some(twice) => Err(Error::request("layout", format!("{} stands in it twice", twice[0]))),
        None => Ok(()),
    }
}

/// The condition on lines; what it says of tiers is decided once these are known, by further keys of the rows.
fn filter_lines(
    condition: &Formula,
    (tiers, sources): (&[PlannedTier], &TierSources),
    columns: &mut Columns,
    grouping: &mut Grouping,
) -> Result<Vec<AxisKey>> {
    let (of_lines, of_tiers) = split_condition(condition.tree("where")?, tiers)?;
    if let Some(expr) = of_lines {
        grouping.filter = Some(check_condition("where", condition, &expr, columns)?);
    }
    let key = |(tier, keeps)| {
        let key = hidden_key(tier, sources, columns, &mut grouping.rows)?;
        Ok(AxisKey::Filter(Box::new(key), keeps))
    };
    of_tiers.into_iter().map(key).collect()
}
