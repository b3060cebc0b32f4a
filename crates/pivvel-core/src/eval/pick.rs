//! Picks: which members are shown, by name, by a condition on their cells, or as the top of a
//! measure; the rest is dropped or gathered.

use std::collections::{BTreeMap, BTreeSet};

use super::evaluate::Engine;
use super::frame::Frame;
use crate::brief::{Template, TotalsOf};
use crate::error::{Error, Result};
use crate::lines::MemberId;
use crate::model::{AxisSide, Grain, Notice, NoticeCode, Sentence, Value};
use crate::plan::{Count, Dimension, Pick, Plan};
use crate::rollup::{Apart, Axis, Either, Fate};

/// What becomes of the members of both axes.
pub(crate) struct Picks {
    /// By level from 1: the fates of its nodes, and the label of what gathers.
    pub(crate) rows: Vec<(Vec<Fate>, Option<String>)>,
    pub(crate) columns: Vec<(Vec<Fate>, Option<String>)>,
    /// Members that are not shown although totals cover them: the axis, and the path that leads there.
    pub(crate) hidden: Vec<(AxisSide, Path)>,
    /// What a reader must know.
    pub(crate) notes: Vec<Notice>,
}

/// The members that lead to one, outermost first; none for the member that gathers at its level.
type Path = Vec<Option<MemberId>>;

impl Picks {
    /// Keeps what is not shown from being shown.
    pub(crate) fn hide(&self, frame: &mut Frame) {
        for (side, path) in &self.hidden {
            let (axis, levels) =
                side.pick((&mut frame.rows, &self.rows), (&mut frame.columns, &self.columns));
            let gathering = |level: usize| {
                let label = levels[level].1.as_deref()?;
                axis.members(level).gathering(label)
            };
            let step = |(level, node): (usize, u32), member: &Option<MemberId>| {
                let member = member.or_else(|| gathering(level))?;
                Some((level + 1, axis.child(level + 1, node, member)?))
            };
            if let Some((level, node)) = path.iter().try_fold((0, 0), step) {
                axis.hide(level, node);
            }
        }
        frame.rows.hide_under_hidden();
        frame.columns.hide_under_hidden();
    }

    /// Whether members are gathered that have members of their own to decide about.
    pub(crate) fn gathers_above(&self, plan: &Plan) -> bool {
        let gathers = |(fates, _): &(Vec<Fate>, Option<String>)| fates.contains(&Fate::Gathered);
        let deeper = |levels: &[(Vec<Fate>, Option<String>)], dimensions: &[Dimension]| {
            let first = levels.iter().position(gathers);
            first.is_some_and(|first| dimensions[first + 1..].iter().any(|dimension| dimension.pick.is_any()))
        };
        deeper(&self.rows, &plan.rows) || deeper(&self.columns, &plan.columns)
    }

    /// Whether any line goes elsewhere than it was.
    pub(crate) fn regroups(&self) -> bool {
        let all = self.rows.iter().chain(&self.columns);
        all.flat_map(|(fates, _)| fates).any(|fate| *fate != Fate::Kept)
    }
}

/// Decides which members are shown, from the values of everything. What is gathered has members of its
/// own only once it is gathered, so those are decided about afterwards: first (at depth 0) the members that
/// stand under none that gathers, then those that stand under one, and so on.
///
/// # Errors
/// A number that outgrows 38 digits.
pub(crate) fn pick(plan: &Plan, frame: &Frame, engine: &Engine<'_>, depth: usize) -> Result<Picks> {
    let mut picks = Picks { rows: Vec::new(), columns: Vec::new(), hidden: Vec::new(), notes: Vec::new() };
    for side in AxisSide::BOTH {
        let axis = frame.axis(side);
        // What is gathered now, or stands under it.
        let mut gathered = vec![false];
        for (i, dimension) in plan.axis(side).iter().enumerate() {
            let level = i + 1;
            let mut open = open(axis, level, depth);
            let mut ranked = open.clone();
            let under: Vec<bool> = (0..axis.len(level) as u32)
                .map(|node| gathered[axis.parent_node(level, node) as usize])
                .collect();
            open.iter_mut().zip(&under).for_each(|(open, under)| *open &= !under);
            // A top over all parents is one for all of them, whatever becomes of these.
            match dimension.pick.top.as_ref().is_some_and(|top| top.overall) {
                true if depth > 0 => ranked.fill(false),
                true => {}
                false => ranked.clone_from(&open),
            }
            let keeps = kept(frame, engine, (axis, level, side), dimension, (&open, &ranked))?;
            let others =
                dimension.pick.top.as_ref().and_then(|top| top.others.as_ref()).map(Template::to_string);
            let shown_only = dimension.pick.totals_of == TotalsOf::Shown;
            // Nodes of items are made anew, and are no nodes of the lines.
            let of_lines = (0..axis.len(level)).filter(|node| axis.made(level, *node as u32).is_none());
            let fate = |node: usize| match (&keeps[node], &others) {
                (Verdict::Yes, _) => Fate::Kept,
                (Verdict::NotOnTop, Some(_)) => Fate::Gathered,
                _ if shown_only => Fate::Dropped,
                _ => Fate::Kept,
            };
            let fates: Vec<Fate> = of_lines.clone().map(fate).collect();
            let own = side.pick(&mut picks.rows, &mut picks.columns);
            own.push((fates, others));
            let not_shown = |node: usize| keeps[node] != Verdict::Yes;
            picks.hidden.extend(hidden(axis, level, own, &not_shown).into_iter().map(|path| (side, path)));
            let fates = &own[i].0;
            // Under members that gather, a top chooses later on.
            let is_final = !under.contains(&true);
            gathered = under;
            fates.iter().enumerate().for_each(|(node, fate)| gathered[node] |= *fate == Fate::Gathered);
            picks.notes.extend(note(axis, level, dimension, &keeps));
            let lacking = |others| items_that_lack(plan, axis, (side, level), fates, others);
            picks.notes.extend(own[i].1.as_deref().map(lacking).unwrap_or_default());
            if is_final && depth == 0 {
                picks.notes.extend(keeps_all(axis, level, dimension, &keeps));
            }
        }
    }
    Ok(picks)
}

/// The members of a level that are in the result and not shown. Where several become one because what they are
/// under is gathered, that is shown if one of them is.
fn hidden(
    axis: &Axis<Either>,
    level: usize,
    levels: &[(Vec<Fate>, Option<String>)],
    not_shown: &dyn Fn(usize) -> bool,
) -> Vec<Path> {
    let mut paths: BTreeMap<Path, bool> = BTreeMap::new();
    for node in (0..levels[level - 1].0.len()).filter(|node| axis.made(level, *node as u32).is_none()) {
        let becomes = |at: usize| {
            let above = axis.ancestor(level, node as u32, at);
            match levels[at - 1].0[above as usize] {
                Fate::Kept => Some(Some(axis.member_of(at, above))),
                Fate::Gathered => Some(None),
                Fate::Dropped => None,
            }
        };
        if let Some(path) = (1..=level).map(becomes).collect::<Option<Path>>() {
            let hidden = not_shown(node) && levels[level - 1].0[node] == Fate::Kept;
            *paths.entry(path).or_insert(true) &= hidden;
        }
    }
    paths.into_iter().filter(|(_, hidden)| *hidden).map(|(path, _)| path).collect()
}

/// The nodes of a level that are members of the lines and stand under so many members that gather.
fn open(axis: &Axis<Either>, level: usize, depth: usize) -> Vec<bool> {
    let gathering = |level: usize, node: u32| {
        let apart = axis.apart(axis.class(level, node));
        apart.iter().filter(|apart| matches!(apart, Apart::Others(_))).count()
    };
    let is_open = |node: u32| {
        let above = gathering(level - 1, axis.parent_node(level, node));
        above == depth && gathering(level, node) == above
    };
    (0..axis.len(level) as u32).map(is_open).collect()
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Verdict {
    Yes,
    No,
    NotOnTop,
}

/// What becomes of each node of a level: of those that are `open` by name and condition, of those that are
/// `ranked` by the top.
fn kept(
    frame: &Frame,
    engine: &Engine<'_>,
    (axis, level, side): (&Axis<Either>, usize, AxisSide),
    dimension: &Dimension,
    (open, ranked): (&[bool], &[bool]),
) -> Result<Vec<Verdict>> {
    let Pick { only, except, condition, by, count, top, .. } = &dimension.pick;
    let nodes = axis.len(level);
    let mut meets = vec![true; nodes];
    let ids = |names: &[String]| -> Vec<MemberId> {
        names.iter().filter_map(|name| axis.members(level - 1).find(name)).collect()
    };
    let (only_these, not_these) = (ids(only), ids(except));
    for (node, meets) in meets.iter_mut().enumerate() {
        let member = axis.member_of(level, node as u32);
        *meets = (only.is_empty() || only_these.contains(&member)) && !not_these.contains(&member);
    }
    let grain = Grain::TOTAL.at(side, level);
    let cell = |node: usize| {
        let pair = side.pair(node as u32, 0);
        frame.grains[grain].pairs.find(pair.0, pair.1).map(|cell| cell as usize)
    };
    let place = || Error::overflow(format!("dimension {}", dimension.name));
    if let Some(condition) = condition {
        let holds = engine.holds(condition, grain).map_err(|_| place())?;
        for (node, meets) in meets.iter_mut().enumerate() {
            *meets &= cell(node).is_some_and(|cell| holds[cell]);
        }
    }
    let keep = |node: usize| if open[node] && !meets[node] { Verdict::No } else { Verdict::Yes };
    let mut keeps: Vec<Verdict> = (0..nodes).map(keep).collect();
    let (Some(by), Some(top)) = (by, top) else { return Ok(keeps) };
    let values = engine.values(by, grain).map_err(|_| place())?;
    let mut groups: BTreeMap<u32, Vec<(usize, Option<Value>)>> = BTreeMap::new();
    let candidate = |node: &usize| ranked[*node] && meets[*node] && axis.made(level, *node as u32).is_none();
    for node in (0..nodes).filter(candidate) {
        let parent = if top.overall { 0 } else { axis.parent_node(level, node as u32) };
        groups.entry(parent).or_default().push((node, cell(node).and_then(|cell| values.get(cell))));
    }
    for members in groups.values_mut() {
        members.sort_by(|(a, x), (b, y)| {
            let by_value = match (x, y) {
                (Some(x), Some(y)) if dimension.pick.lowest => x.order(y),
                (Some(x), Some(y)) => y.order(x),
                (x, y) => x.is_none().cmp(&y.is_none()),
            };
            by_value.then_with(|| natural(axis, level, *a).cmp(&natural(axis, level, *b)))
        });
        let wanted = count.of(members.len());
        members.iter().skip(wanted).for_each(|(node, _)| keeps[*node] = Verdict::NotOnTop);
    }
    Ok(keeps)
}

/// Where a node stands among all of its level: of equal values the first in natural order, that of the outermost
/// members before all else.
fn natural(axis: &Axis<Either>, level: usize, node: usize) -> Vec<u32> {
    let ancestor = |at: usize| axis.member_of(at, axis.ancestor(level, node as u32, at));
    (1..=level).map(|at| axis.members(at - 1).place(ancestor(at))).collect()
}

/// What a reader must know of members that are not shown.
fn note(axis: &Axis<Either>, level: usize, dimension: &Dimension, keeps: &[Verdict]) -> Option<Notice> {
    let of_lines = (0..axis.len(level)).filter(|node| axis.made(level, *node as u32).is_none());
    let all = of_lines.clone().count();
    let shown = of_lines.filter(|node| keeps[*node] == Verdict::Yes).count();
    if shown == all {
        return None;
    }
    let label = &dimension.label;
    let gathered = dimension.pick.top.as_ref().and_then(|top| top.others.as_ref());
    let rest = match (gathered, dimension.pick.totals_of) {
        (Some(others), _) => {
            Sentence::from("the rest is gathered in {others}").with("others", others.to_string())
        }
        (None, TotalsOf::All) => "totals cover all of them".into(),
        (None, TotalsOf::Shown) => "totals cover these only".into(),
    };
    let what = match (&dimension.pick.top, &dimension.pick.having) {
        (Some(top), _) => {
            let end = if dimension.pick.lowest { ", the bottom by {by}" } else { ", the top by {by}" };
            Sentence::from(end).with("by", top.by.to_string())
        }
        (None, Some(having)) => {
            Sentence::from(", those with {condition}").with("condition", having.to_string())
        }
        _ => "".into(),
    };
    let sentence = Sentence::from("{shown} of {all} in {dimension} are shown{what}; {rest}");
    let sentence = sentence.with("shown", shown).with("all", all).with("dimension", label);
    Some(Notice::reader(NoticeCode::MembersNotShown, sentence.with("what", what).with("rest", rest)))
}

/// That items are computed without members that they name, because these are gathered.
fn items_that_lack(
    plan: &Plan,
    axis: &Axis<Either>,
    (side, level): (AxisSide, usize),
    fates: &[Fate],
    others: &str,
) -> Vec<Notice> {
    let gathered = (0..).zip(fates).filter(|(_, fate)| **fate == Fate::Gathered);
    let gathered: BTreeSet<MemberId> = gathered.map(|(node, _)| axis.member_of(level, node)).collect();
    let is_gathered =
        |name: &&String| axis.members(level - 1).find(name).is_some_and(|id| gathered.contains(&id));
    let items = plan.items.iter().filter(|item| (item.spot.side, item.spot.level) == (side, level));
    let lacking = items.filter_map(|item| {
        let members: Vec<&str> = item.operands.iter().filter(is_gathered).map(String::as_str).collect();
        let sentence = Sentence::from("{item} is computed without {members}: gathered in {others}");
        let sentence = sentence.with("item", &item.name).with("members", members.join(", "));
        (!members.is_empty()).then(|| Notice::reader(NoticeCode::ItemLacks, sentence.with("others", others)))
    });
    lacking.collect()
}

/// That a top is of no fewer members than there are.
fn keeps_all(axis: &Axis<Either>, level: usize, dimension: &Dimension, keeps: &[Verdict]) -> Option<Notice> {
    let (top, Count::Members(count)) = (dimension.pick.top.as_ref()?, dimension.pick.count) else {
        return None;
    };
    let mut groups: BTreeMap<u32, usize> = BTreeMap::new();
    for node in (0..axis.len(level)).filter(|node| axis.made(level, *node as u32).is_none()) {
        match keeps[node] {
            Verdict::NotOnTop => return None,
            Verdict::Yes => *groups.entry(axis.parent_node(level, node as u32)).or_default() += 1,
            Verdict::No => {}
        }
    }
    let most = if top.overall { groups.values().sum() } else { *groups.values().max()? };
    let (end, name) = (if dimension.pick.lowest { "bottom" } else { "top" }, &dimension.name);
    let why = match level == 1 || top.overall {
        true => format!("there are only {most}"),
        false => format!("no parent has more than {most}"),
    };
    let text = format!("{end} {count} of {name} keeps every member: {why}");
    Some(Notice::author(NoticeCode::TopKeepsAll, text))
}
