//! From leaf groups to cross-tabs.

use super::beside::trends;
use super::doubts::doubts;
use super::families::take_colours;
use super::groups::hashed;
use super::jobs::{Job, What};
use super::table::{CrossTab, GrainCells, View};
use super::trend::{Labels, Trend};
use crate::brief::ViewBrief;
use crate::brief::{Order, OrderBy};
use crate::emphasis::{Everything, Known, decide, reference};
use crate::error::{Error, Result};
use crate::eval::{Engine, Frame, Picks, pick, settle_tiers};
use crate::formula::Values;
use crate::grouping::{LeafGroups, Moved};
use crate::lines::Tally;
use crate::model::{AxisSide, ByGrain, Grain, Notice, NoticeCode};
use crate::peers::Yardsticks;
use crate::plan::{Dimension, Plan, fill_title};
use crate::rollup::{SortBy, filled, regroup};
use crate::watch::{Phase, Watch};

/// What a cross-tab was computed in, for those who ask where a number comes from.
#[derive(Debug, Clone)]
pub(crate) struct Inside {
    pub(crate) frame: Frame,
    /// Values by measure of the plan, hidden ones among them, then by grain.
    pub(crate) measures: Vec<ByGrain<Values>>,
    pub(crate) moved: Moved,
}

/// What a cross-tab is computed with, beside its groups.
#[derive(Debug, Clone, Copy)]
pub(crate) struct BuildContext<'a> {
    /// The yardsticks of earlier runs, by the name that the brief has for them.
    pub(crate) kept: &'a [(String, Yardsticks)],
    pub(crate) threads: usize,
    pub(crate) watch: Watch<'a>,
}

/// The cross-tab of one plan, with what it was computed in.
pub(crate) fn opened(
    plan: &Plan,
    groups: LeafGroups,
    (source, tally): (&str, &Tally),
    context: BuildContext<'_>,
) -> Result<(CrossTab, Inside)> {
    let mut inside = None;
    let crosstab = from_groups(plan, groups, source, tally.clone(), context, &mut |engine, moved| {
        let measures =
            (0..plan.measures.len()).map(|measure| engine.measure_by_grain(measure).clone()).collect();
        inside = Some(Inside { frame: engine.frame().clone(), measures, moved: moved.clone() });
    })?;
    let Some(inside) = inside else { unreachable!("whoever builds a cross-tab looks inside") };
    Ok((crosstab, inside))
}

/// The cross-tab with its views and trends.
pub(super) fn assemble(
    specs: &[ViewBrief],
    jobs: &[Job],
    groups: Vec<LeafGroups>,
    (source, tally): (&str, &Tally),
    context: BuildContext<'_>,
) -> Result<CrossTab> {
    let mut done: Vec<CrossTab> = Vec::new();
    let mut trended: Vec<(usize, Trend)> = Vec::new();
    let mut labelled: Vec<(usize, Labels)> = Vec::new();
    let mut families = Vec::new();
    for (job, groups) in jobs.iter().zip(groups) {
        let crosstab = from_groups(&job.plan, groups, source, tally.clone(), context, &mut |_, _| ())?;
        match &job.what {
            What::Own => done.push(crosstab),
            What::Trend { of, emphasis } => {
                let planned = &jobs[*of].plan.emphasis[*emphasis];
                trended.push((*of, trends(&done[*of], *emphasis, planned, &crosstab)));
            }
            What::Labels { of, emphasis, column } => {
                let Some(spot) = jobs[*of].plan.emphasis[*emphasis].linked else { continue };
                labelled.push((*of, Labels::read(&done[*of], *emphasis, column, spot, &crosstab)));
            }
            What::Families { of, spot } => families.push((*of, *spot, crosstab)),
        }
    }
    for (of, spot, crosstab) in families {
        let notice = take_colours(&mut done[of], spot, &crosstab);
        done[of].notices.extend(notice);
    }
    trended.into_iter().for_each(|(of, trend)| done[of].trends.push(trend));
    for (of, labels) in labelled {
        let notice = labels.notice(&jobs[of].plan.emphasis[labels.emphasis].place);
        done[of].notices.extend(notice);
        done[of].labels.push(labels);
    }
    let views = done.split_off(1);
    let Some(mut main) = done.pop() else { unreachable!("the first job is the brief's own") };
    main.views = specs.iter().cloned().zip(views).map(|(spec, crosstab)| View { spec, crosstab }).collect();
    Ok(main)
}

/// The cross-tab of leaf groups, wherever they came from.
fn from_groups(
    plan: &Plan,
    leaves: LeafGroups,
    source: &str,
    tally: Tally,
    context: BuildContext<'_>,
    look: &mut dyn FnMut(&Engine<'_>, &Moved),
) -> Result<CrossTab> {
    let mut report = leaves.report.clone();
    let mut notices = plan.notices.clone();
    let (watch, lines) = (context.watch, report.read);
    let Framed { mut frame, known, picks, moved } = framed(plan, leaves, context)?;
    notices.extend(doubts(plan, &frame, &report));
    notices.extend(arrange(plan, &mut frame, watch)?);
    let engine = Engine::run(plan, &mut frame, watch)?;
    report.zero_cells = engine.zero_divisions();
    look(&engine, &moved);
    watch.enter(Phase::Emphasis, lines)?;
    let emphases = decide(plan, &engine, &known, &mut notices)?;
    let title = fill_title(&plan.title, period(plan, &engine)?, plan.condition.as_deref(), source);
    let mut shown = shown(plan, &engine);
    drop(engine);
    let grains = frame.grains.map(|grain, cells| {
        let (values, scaled_by) = std::mem::take(&mut shown[grain]);
        GrainCells::new(cells.pairs, cells.lines, values, scaled_by)
    });
    Ok(CrossTab {
        fingerprint: hashed(&plan.computed()),
        title,
        default_title: plan.default_title.clone(),
        measures: plan.measures.iter().filter(|m| !m.hidden).cloned().collect(),
        rows: frame.rows.settled(),
        columns: frame.columns.settled(),
        grains,
        emphases,
        trends: Vec::new(),
        labels: Vec::new(),
        views: Vec::new(),
        palettes: plan.palettes.clone(),
        condition: plan.condition.clone(),
        source: source.to_string(),
        report,
        tally,
        notices,
        item_formats: plan.items.iter().map(|item| item.format.clone()).collect(),
        picked: picks.map(|picks| picks.notes).unwrap_or_default(),
        threads: context.threads,
    })
}

/// The frame of a cross-tab, and what its members were picked by.
struct Framed<'a> {
    frame: Frame,
    known: Known<'a>,
    picks: Option<Picks>,
    moved: Moved,
}

/// Classifies members, adds what is filled, picks members, and rolls up what is left.
fn framed<'a>(plan: &Plan, leaves: LeafGroups, context: BuildContext<'a>) -> Result<Framed<'a>> {
    let (watch, lines) = (context.watch, leaves.report.read);
    watch.enter(Phase::Totals, lines)?;
    let leaves = filled(plan, settle_tiers(plan, leaves)?)?;
    let mut known = Known { everything: Vec::new(), kept: context.kept, watch };
    let picking = plan.rows.iter().chain(&plan.columns).any(|dimension| dimension.pick.is_any());
    let (mut leaves, picks) = match picking {
        true => {
            let (leaves, picks, everything) = picked(plan, leaves, context)?;
            known.everything = everything;
            (leaves, Some(picks))
        }
        false => (leaves, None),
    };
    let moved = std::mem::take(&mut leaves.moved);
    watch.check_cancelled()?;
    let mut frame = Frame::new(plan, leaves, context.threads)?;
    watch.enter(Phase::Formulas, lines)?;
    if let Some(picks) = &picks {
        picks.hide(&mut frame);
        frame.arrange_naturally();
    }
    Ok(Framed { frame, known, picks, moved })
}

/// The values of the measures that are shown, at each grain, and the emphasis that each is scaled by there.
fn shown(plan: &Plan, engine: &Engine<'_>) -> ByGrain<(Vec<Values>, Vec<Option<usize>>)> {
    let shown: Vec<usize> = (0..plan.measures.len()).filter(|i| !plan.measures[*i].hidden).collect();
    ByGrain::new(plan.deepest(), |grain| {
        let values = shown.iter().map(|measure| engine.measure(*measure, grain).clone()).collect();
        let scaled_by = (0..shown.len()).map(|measure| plan.scaled_by(measure, grain)).collect();
        (values, scaled_by)
    })
}

/// The leaf groups of the members that are shown, what was decided about members, and what all of them measure.
fn picked(
    plan: &Plan,
    leaves: LeafGroups,
    BuildContext { threads, watch, .. }: BuildContext<'_>,
) -> Result<(LeafGroups, Picks, Vec<Everything>)> {
    let mut everything = Frame::new(plan, leaves.clone(), threads)?;
    let engine = Engine::run(plan, &mut everything, watch)?;
    let mut decided = pick(plan, engine.frame(), &engine, 0)?;
    let reference = reference(plan, &engine)?;
    drop(engine);
    let mut leaves = apply_picks(&decided, leaves)?;
    let (mut depth, mut deeper) = (1, decided.gathers_above(plan));
    while deeper {
        let mut gathered = Frame::new(plan, leaves.clone(), threads)?;
        decided.hide(&mut gathered);
        let engine = Engine::run(plan, &mut gathered, watch)?;
        let more = pick(plan, engine.frame(), &engine, depth)?;
        drop(engine);
        leaves = apply_picks(&more, leaves)?;
        (depth, deeper) = (depth + 1, more.gathers_above(plan));
        decided.hidden.extend(more.hidden);
    }
    Ok((leaves, decided, reference))
}

/// The leaf groups after picks: members gathered or left out.
fn apply_picks(picks: &Picks, leaves: LeafGroups) -> Result<LeafGroups> {
    if !picks.regroups() {
        return Ok(leaves);
    }
    regroup(&leaves, &picks.rows, &picks.columns).map_err(|_| Error::overflow("the totals"))
}

/// The first and the last day of the lines, where the heading tells them.
fn period(plan: &Plan, engine: &Engine<'_>) -> Result<Option<(String, String)>> {
    let Some(formulas) = &plan.period else { return Ok(None) };
    let mut days = Vec::new();
    for formula in formulas {
        let values = engine.values(formula, Grain::TOTAL).map_err(|_| Error::overflow("title"))?;
        days.extend(values.iter().next().flatten().map(|day| day.to_string()));
    }
    Ok(days.first().cloned().zip(days.get(1).cloned()))
}

/// Brings both axes into display order. Members that are sorted by a formula over cells are sorted
/// by its values in the total of the other axis.
fn arrange(plan: &Plan, frame: &mut Frame, watch: Watch<'_>) -> Result<Vec<Notice>> {
    let sorted = |dimension: &Dimension| dimension.order_by.is_some() || dimension.order.by == OrderBy::Label;
    let anything = |dimension: &Dimension| sorted(dimension) || dimension.order != Order::default();
    if !plan.rows.iter().chain(&plan.columns).any(anything) {
        return Ok(Vec::new());
    }
    let engine = Engine::run(plan, frame, watch)?;
    let by = |side: AxisSide| -> Result<Vec<SortBy>> {
        let frame = engine.frame();
        let one = |(i, dimension): (usize, &Dimension)| {
            let level = i + 1;
            let Some(formula) = &dimension.order_by else {
                return Ok(if dimension.order.by == OrderBy::Label {
                    SortBy::Label
                } else {
                    SortBy::Natural
                });
            };
            let grain = Grain::TOTAL.at(side, level);
            let values = engine
                .values(formula, grain)
                .map_err(|_| Error::overflow(format!("order of {}", dimension.name)))?;
            let of_node = |node: u32| {
                let pair = side.pair(node, 0);
                values.get(frame.grains[grain].pairs.find(pair.0, pair.1)? as usize)
            };
            let axis = frame.axis(side);
            Ok(SortBy::Values((0..axis.len(level) as u32).map(of_node).collect()))
        };
        plan.axis(side).iter().enumerate().map(one).collect()
    };
    let (rows, columns) = (by(AxisSide::Rows)?, by(AxisSide::Columns)?);
    drop(engine);
    frame.rows.arrange(&rows);
    frame.columns.arrange(&columns);
    let orders = plan.rows.iter().zip(&rows).chain(plan.columns.iter().zip(&columns));
    Ok(orders.filter_map(|(dimension, by)| without_effect(dimension, by)).collect())
}

/// That a dimension is sorted by values that are all blank.
fn without_effect(dimension: &Dimension, by: &SortBy) -> Option<Notice> {
    let SortBy::Values(values) = by else { return None };
    let message = format!(
        "order of {}: {} is blank for every member, so it decides nothing",
        dimension.name,
        dimension.order.words()
    );
    let all_blank = values.len() > 1 && values.iter().all(Option::is_none);
    all_blank.then(|| Notice::author(NoticeCode::NoEffect, message))
}
