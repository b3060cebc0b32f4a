//! Decisions, from values and their peers: which scale a cell is on, and which rule matches first.

use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::sync::Arc;

use super::mark::{Decided, Emphasis};
use super::scale::Scale;
use crate::brief::{FilledCells, Form, MeanSide, PeersOf, YardstickOf};
use crate::error::{Error, Result};
use crate::eval::{Engine, Frame, GroupKey};
use crate::formula::{CellFormula, Values};
use crate::model::{ByGrain, CellValues, Grain, Notice, NoticeCode, Sentence, Value};
use crate::peers::{KeptScale, Measured, Peers, Yardsticks, within};
use crate::plan::{BoundsOf, Plan, PlannedEmphasis, PlannedRule};
use crate::watch::Watch;

/// What is known of peers that this layout does not show.
pub(crate) struct Known<'a> {
    /// By emphasis: the peers of everything, before members are picked.
    pub(crate) everything: Vec<Everything>,
    /// By file: the yardsticks of earlier runs.
    pub(crate) kept: &'a [(String, Yardsticks)],
    pub(crate) watch: Watch<'a>,
}

/// Groups of peers by name.
pub(crate) type Everything = BTreeMap<String, Whole>;

/// What was measured of a group, and its values, the highest first.
#[derive(Debug, Clone)]
pub(crate) struct Whole {
    measured: Measured,
    values: Vec<Value>,
}

/// What was measured of the peers of everything, for those emphases that ask for it.
///
/// # Errors
/// A number that outgrows 38 digits.
pub(crate) fn reference(plan: &Plan, engine: &Engine<'_>) -> Result<Vec<Everything>> {
    let one = |emphasis: &PlannedEmphasis| {
        if emphasis.spec.yardstick != YardstickOf::All {
            return Ok(Everything::new());
        }
        let mut everything = Everything::new();
        for (grain, found) in measured(emphasis, engine)?.iter() {
            let Some((values, peers)) = found else { continue };
            for ((key, measured), members) in peers.groups().zip(peers.members(values)) {
                let name = name(emphasis, engine.frame(), (grain, peers), key);
                let whole = || Whole { measured: measured.clone(), values: Vec::new() };
                let known = everything.entry(name).or_insert_with(whole);
                known.values.extend(members.into_iter().map(|(_, value)| value));
            }
        }
        everything.values_mut().for_each(|whole| whole.values.sort_by(|a, b| b.order(a)));
        Ok(everything)
    };
    plan.emphasis.iter().map(one).collect()
}

fn name(
    emphasis: &PlannedEmphasis,
    frame: &Frame,
    (grain, peers): (Grain, &Peers),
    key: &GroupKey,
) -> String {
    frame.peers_id(&emphasis.scale_name(), grain, peers, key)
}

/// Decides about every cell.
///
/// # Errors
/// A number that outgrows 38 digits; a file of yardsticks that was not given or has not what is
/// needed.
pub(crate) fn decide(
    plan: &Plan,
    engine: &Engine<'_>,
    known: &Known<'_>,
    notices: &mut Vec<Notice>,
) -> Result<Vec<Emphasis>> {
    let mut all = Vec::new();
    for (i, planned) in plan.emphasis.iter().enumerate() {
        known.watch.check_cancelled()?;
        let grains = ByGrain::new(plan.deepest(), |_| None);
        let mut emphasis = Emphasis { planned: planned.clone(), scales: Vec::new(), grains };
        if planned.has_scale() {
            let mut grains = measured(planned, engine)?;
            measure_by(planned, engine.frame(), &mut grains, known, i, notices)?;
            emphasis.grains = grains.try_map(|grain, found| {
                known.watch.check_cancelled()?;
                found.map(|found| decide_grain(&mut emphasis, engine, grain, found)).transpose()
            })?;
            order_scales(&mut emphasis, engine.frame());
        } else if planned.spec.form == Form::Link {
            emphasis.grains = linked(planned, engine)?;
        }
        all.push(emphasis);
    }
    Ok(all)
}

/// The values that decide and their peers, by grain, where the emphasis decides.
fn measured(planned: &PlannedEmphasis, engine: &Engine<'_>) -> Result<ByGrain<Option<(Values, Peers)>>> {
    let frame = engine.frame();
    let mut found = ByGrain::new(frame.grains.deepest(), |_| None);
    let Some(basis) = &planned.basis else { return Ok(found) };
    for grain in &planned.grains {
        let grain = planned.deciding(*grain);
        if found[grain].is_none() {
            let values = values(planned, engine, basis, grain)?;
            let mut groups = frame.groups(grain, planned.spec.peers.group());
            if planned.spec.filled == FilledCells::Apart {
                groups.leave_out(|cell| frame.grains[grain].lacks_lines(cell));
            }
            let peers = Peers::new(&values, groups, &planned.wanted, frame.threads);
            found[grain] = Some((values, peers));
        }
    }
    if planned.spec.peers == PeersOf::All {
        let mut joined: Vec<(&CellValues, &mut Peers)> = found
            .iter_mut()
            .filter_map(|(_, found)| found.as_mut())
            .map(|(values, peers)| (&**values, peers))
            .collect();
        Peers::join(&mut joined, &planned.wanted);
    }
    Ok(found)
}

fn values(
    planned: &PlannedEmphasis,
    engine: &Engine<'_>,
    formula: &CellFormula,
    grain: Grain,
) -> Result<Values> {
    engine.values(formula, grain).map_err(|_| Error::overflow(&planned.place))
}

/// Puts reference numbers from elsewhere in the place of those of what is shown.
fn measure_by(
    planned: &PlannedEmphasis,
    frame: &Frame,
    grains: &mut ByGrain<Option<(Values, Peers)>>,
    known: &Known<'_>,
    place: usize,
    notices: &mut Vec<Notice>,
) -> Result<()> {
    match &planned.spec.yardstick {
        YardstickOf::Shown => Ok(()),
        YardstickOf::All => {
            if let Some(everything) = known.everything.get(place) {
                let missing = measure_by_everything(planned, frame, grains, everything);
                notices.extend(missing_notice(planned, missing, "all"));
            }
            Ok(())
        }
        YardstickOf::Kept(file) => {
            let kept = known.kept.iter().find(|(name, _)| name == file).map(|(_, kept)| kept);
            let wrong = || Error::request(&planned.place, format!("the yardsticks of {file} were not given"));
            measure_by_file(planned, frame, grains, (file, kept.ok_or_else(wrong)?), notices)
        }
    }
}

/// Measures by all members, before some were picked: cells stand, are counted and ranked among all of them.
/// Gives how many groups are not among them.
fn measure_by_everything(
    planned: &PlannedEmphasis,
    frame: &Frame,
    grains: &mut ByGrain<Option<(Values, Peers)>>,
    everything: &Everything,
) -> usize {
    let mut missing = 0;
    for (grain, (values, peers)) in
        grains.iter_mut().filter_map(|(grain, found)| Some((grain, found.as_mut()?)))
    {
        // What is made of members is measured as it is shown.
        let is_of_members = |key: &GroupKey| key.classes == GroupKey::MEMBERS.classes;
        let whole = |(key, _): (&GroupKey, &Measured)| {
            everything.get(&name(planned, frame, (grain, peers), key)).filter(|_| is_of_members(key))
        };
        let wholes: Vec<Option<&Whole>> = peers.groups().map(whole).collect();
        let of_lines: Vec<bool> = peers.groups().map(|(key, _)| is_of_members(key)).collect();
        let mut next = wholes.iter().zip(of_lines);
        missing += peers.measure_by(|shown| match next.next() {
            Some((whole, true)) => whole.map(|whole| whole.measured.clone()),
            _ => Some(shown.clone()),
        });
        let all: Vec<Option<&[Value]>> =
            wholes.iter().map(|whole| whole.map(|whole| whole.values.as_slice())).collect();
        peers.rank_among(values, &all);
    }
    missing
}

/// Measures by what an earlier run kept. A file keeps no members, so ranks stay those among what is shown.
fn measure_by_file(
    planned: &PlannedEmphasis,
    frame: &Frame,
    grains: &mut ByGrain<Option<(Values, Peers)>>,
    (file, kept): (&str, &Yardsticks),
    notices: &mut Vec<Notice>,
) -> Result<()> {
    let (mut missing, mut groups, mut beyond) = (0, 0, 0);
    for (grain, (values, peers)) in
        grains.iter_mut().filter_map(|(grain, found)| Some((grain, found.as_mut()?)))
    {
        let mut scales = Vec::new();
        for (key, _) in peers.groups() {
            let name = name(planned, frame, (grain, peers), key);
            let scale = kept.get(&name).map(|scale| scale.measured(&planned.wanted));
            if let Some((_, Some(part))) = &scale {
                let message = format!("{file} keeps no {part} for {name}; save it again with this brief");
                return Err(Error::request(&planned.place, message));
            }
            scales.push(scale.map(|(measured, _)| measured));
        }
        groups += scales.len();
        let mut next = scales.into_iter();
        missing += peers.measure_by(|_| next.next().flatten());
        let lies_beyond = |(cell, value): &(usize, Option<Value>)| {
            let (value, yardstick) = (value.map(|v| v.as_f64()), peers.yardstick_of(*cell));
            value.zip(yardstick).is_some_and(|(v, y)| v < y.low.as_f64() || v > y.high.as_f64())
        };
        beyond += values.iter().enumerate().filter(lies_beyond).count();
    }
    if groups > 0 && missing == groups {
        let message = format!(
            "{file} has no yardstick of any of its peers, so it was kept for another layout or other measures; keep one anew"
        );
        return Err(Error::request(&planned.place, message));
    }
    if beyond > 0 {
        let cells = Sentence::counted(
            beyond as u64,
            "{place}: {count} cell lies beyond the end of its scale in {file}",
            "{place}: {count} cells lie beyond the ends of its scale in {file}",
        );
        let sentence = cells.with("place", &planned.place).with("file", file);
        notices.push(Notice::reader(NoticeCode::KeptScale, sentence));
    }
    notices.extend(missing_notice(planned, missing, file));
    Ok(())
}

/// What a reader must know of groups that are not measured.
fn missing_notice(planned: &PlannedEmphasis, missing: usize, from: &str) -> Option<Notice> {
    let groups = Sentence::counted(
        missing as u64,
        "{place}: {count} group of peers has no yardstick in {file}, and no place on its scale",
        "{place}: {count} groups of peers have no yardstick in {file}, and no place on its scale",
    );
    let sentence = groups.with("place", &planned.place).with("file", from);
    (missing > 0).then(|| Notice::reader(NoticeCode::KeptScale, sentence))
}

fn decide_grain(
    emphasis: &mut Emphasis,
    engine: &Engine<'_>,
    grain: Grain,
    (values, peers): (Values, Peers),
) -> Result<Decided> {
    let (frame, planned) = (engine.frame(), &emphasis.planned);
    let overflow = |_| Error::overflow(&planned.place);
    let applies = planned.condition.as_ref().map(|c| engine.holds(c, grain).map_err(overflow)).transpose()?;
    // A scale on which no cell stands out needs no legend.
    let mut used = vec![applies.is_none(); peers.groups().count()];
    for cell in applies.iter().flat_map(|applies| (0..applies.len()).filter(|cell| applies[*cell])) {
        peers.group(cell).into_iter().for_each(|group| used[group] = true);
    }
    let mut scales = Vec::new();
    let mut scale_of = Vec::new();
    for ((key, measured), used) in peers.groups().zip(used) {
        let apart = [frame.rows.class_name(key.classes.0), frame.columns.class_name(key.classes.1)];
        let names =
            (name(planned, frame, (grain, &peers), key), apart, within(&frame.rows, &frame.columns, key));
        let scale = Scale::new(planned, measured, names, grain, *key).filter(Scale::has_places);
        scale_of.push(scale.filter(|_| used).map(|scale| {
            scales.push(scale);
            emphasis.scales.len() + scales.len() - 1
        }));
    }
    emphasis.scales.append(&mut scales);
    let planned = &emphasis.planned;
    let mut decided = Decided { values, peers, scale_of, applies, winners: None };
    if !planned.rules.is_empty() {
        let whens =
            planned.rules.iter().map(|rule| rule.when.as_ref().map(|c| engine.holds(c, grain)).transpose());
        let whens = whens.collect::<Result<Vec<_>, _>>().map_err(overflow)?;
        let wins = |cell: usize| {
            let matches = |(i, rule): (usize, &PlannedRule)| {
                let when = whens[i].as_ref().is_none_or(|when| when[cell]);
                (when && matches(rule, i, cell, &decided, &emphasis.scales)).then_some(i as u16)
            };
            planned.rules.iter().enumerate().find_map(matches)
        };
        decided.winners = Some((0..decided.values.len()).map(wins).collect());
    }
    Ok(decided)
}

/// Whether all that a rule says of a cell's value holds.
fn matches(rule: &PlannedRule, place: usize, cell: usize, decided: &Decided, scales: &[Scale]) -> bool {
    let Some(value) = decided.values.get(cell) else {
        return rule.blank || !rule.bounds.is_any() && rule.count.is_none() && rule.mean.is_none();
    };
    if rule.blank {
        return false;
    }
    let group = decided.peers.group(cell);
    let scale = group.and_then(|group| decided.scale_of[group]).map(|scale| &scales[scale]);
    let measured = group.and_then(|group| decided.peers.groups().nth(group)).map(|(_, measured)| measured);
    let within = match rule.bounds.of {
        BoundsOf::Values => rule.bounds.hold(&value),
        BoundsOf::Positions => scale
            .and_then(|scale| scale.position(&value, decided.peers.rank(cell)))
            .is_some_and(|position| rule.bounds.hold(&Value::Float(position))),
        BoundsOf::Percentiles => {
            let bounds = rule.bounds.at(|share| measured?.percentile(share));
            bounds.is_some_and(|bounds| bounds.hold(&value))
        }
    };
    let counted = rule.count.is_none_or(|(_, bottom)| {
        let cut = measured.and_then(|measured| *measured.cuts.get(place)?);
        cut.is_some_and(|cut| if bottom { value.order(&cut).is_le() } else { value.order(&cut).is_ge() })
    });
    let mean = rule.mean.is_none_or(|side| {
        let mean = measured.and_then(|measured| measured.yardstick?.mean);
        mean.is_some_and(|mean| match side {
            MeanSide::Above => value.as_f64() > mean,
            MeanSide::Below => value.as_f64() < mean,
        })
    });
    within && counted && mean
}

/// Brings the scales into the order in which a legend tells them: the finest grain first, plain
/// members before what is made of them, then as the members stand that they are of.
fn order_scales(emphasis: &mut Emphasis, frame: &Frame) {
    let places = [frame.rows.places(), frame.columns.places()];
    let place_of = |places: &[Vec<u32>], spot: Option<(u16, u32)>| {
        spot.map(|(level, node)| (level, places[usize::from(level)][node as usize]))
    };
    let mut scales: Vec<(usize, Scale)> =
        std::mem::take(&mut emphasis.scales).into_iter().enumerate().collect();
    scales.sort_by_cached_key(|(_, Scale { grain, key, .. })| {
        let apart = (frame.rows.apart(key.classes.0).to_vec(), frame.columns.apart(key.classes.1).to_vec());
        (Reverse(*grain), apart, place_of(&places[0], key.row), place_of(&places[1], key.column))
    });
    let mut now = vec![0; scales.len()];
    scales.iter().enumerate().for_each(|(new, (old, _))| now[*old] = new);
    emphasis.scales = scales.into_iter().map(|(_, scale)| scale).collect();
    for decided in emphasis.grains.iter_mut().filter_map(|(_, decided)| decided.as_mut()) {
        decided.scale_of.iter_mut().flatten().for_each(|scale| *scale = now[*scale]);
    }
}

/// The cells that link: all of its grains that meet the condition.
fn linked(planned: &PlannedEmphasis, engine: &Engine<'_>) -> Result<ByGrain<Option<Decided>>> {
    let frame = engine.frame();
    let mut grains = ByGrain::new(frame.grains.deepest(), |_| None);
    for grain in planned.grains.iter().copied() {
        let values = Arc::new(CellValues::blank(frame.grains[grain].len()));
        let peers = Peers::default();
        let holds = |c: &CellFormula| engine.holds(c, grain).map_err(|_| Error::overflow(&planned.place));
        let applies = planned.condition.as_ref().map(holds).transpose()?;
        grains[grain] = Some(Decided { values, peers, scale_of: Vec::new(), applies, winners: None });
    }
    Ok(grains)
}

impl Emphasis {
    /// Every group of peers that was measured, as it is kept for later runs.
    pub(crate) fn kept(&self) -> impl Iterator<Item = (&str, KeptScale)> {
        let wanted = &self.planned.wanted;
        let kept = |scale: &'_ Scale| KeptScale::of(&scale.measured, wanted);
        self.scales.iter().filter_map(move |scale| Some((scale.peers.as_str(), kept(scale)?)))
    }

    /// Whether a link stands in a cell of a grain.
    pub(crate) fn links_at(&self, grain: Grain, cell: usize) -> bool {
        let decided = self.grains[grain].as_ref();
        decided.is_some_and(|decided| decided.applies.as_ref().is_none_or(|applies| applies[cell]))
    }
}
