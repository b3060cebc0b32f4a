//! What the author of a brief most likely did not mean, as far as only the lines can tell.

use crate::brief::Template;
use crate::eval::Frame;
use crate::formula::CellLeaf;
use crate::grouping::{ScanReport, UnknownText};
use crate::lines::{Member, MemberId};
use crate::model::{AxisSide, Kind, Notice, NoticeCode};
use crate::plan::{Dimension, Plan};

pub(super) fn doubts(plan: &Plan, frame: &Frame, report: &ScanReport) -> Vec<Notice> {
    [
        unknown_texts(plan, report),
        unknown_members(plan, frame),
        same_names(plan, frame),
        no_periods(plan, frame),
    ]
    .concat()
}

/// Members that the brief names and that no line has, with the nearest one that there is.
fn unknown_members(plan: &Plan, frame: &Frame) -> Vec<Notice> {
    let mut notices: Vec<Notice> = Vec::new();
    for (place, spot, label) in plan.named_members() {
        let axis = frame.axis(spot.side);
        let members = axis.members(spot.level - 1);
        if members.is_empty() || members.find(&label).is_some() {
            continue;
        }
        let dimension = &axis.dimensions()[spot.level - 1].name;
        let known: Vec<&str> = members.labels().collect();
        let near = crate::suggest::nearest(&label, &known);
        let near = near.map(|near| format!("; did you mean {near}?")).unwrap_or_default();
        let message = format!("{place} names {label}, which is no member of {dimension}{near}");
        let notice = Notice::author(NoticeCode::UnknownMember, message);
        if !notices.contains(&notice) {
            notices.push(notice);
        }
    }
    notices
}

/// Calculated items and others members with the name of a member of the lines: readers cannot tell them apart.
fn same_names(plan: &Plan, frame: &Frame) -> Vec<Notice> {
    let items = plan.items.iter().map(|item| (item.spot.side, item.spot.level, item.name.as_str()));
    let mut made: Vec<(AxisSide, usize, &str)> = items.collect();
    for side in AxisSide::BOTH {
        for (i, dimension) in plan.axis(side).iter().enumerate() {
            let others =
                dimension.pick.top.as_ref().and_then(|top| top.others.as_ref()).map(Template::as_str);
            made.extend(others.map(|others| (side, i + 1, others)));
        }
    }
    let twice = |(side, level, name): (AxisSide, usize, &str)| {
        let members = frame.axis(side).members(level - 1);
        let is_of_members =
            |id: MemberId| !matches!(*members.member(id), Member::Others(_) | Member::Calculated(..));
        let id = members.find(name).filter(|id| is_of_members(*id))?;
        let dimension = &plan.axis(side)[level - 1].name;
        let message = format!(
            "two members of {dimension} have the name {}: one of the lines, and a calculated item or others member",
            members.label(id)
        );
        Some(Notice::author(NoticeCode::SameName, message))
    };
    made.into_iter().filter_map(twice).collect()
}

/// Texts that formulas over lines compare columns with and that no line has.
fn unknown_texts(plan: &Plan, report: &ScanReport) -> Vec<Notice> {
    let notice = |unknown: &UnknownText| {
        let column = plan.needed_names().get(unknown.slot).map_or("a column", String::as_str);
        let near = unknown.nearest.as_ref().map_or(String::new(), |near| format!("; did you mean '{near}'?"));
        let message = format!("{column} is compared with '{}', which no line has{near}", unknown.text);
        Notice::author(NoticeCode::UnknownMember, message)
    };
    report.unknown_texts.iter().map(notice).collect()
}

/// Running totals and windows along dimensions whose members look like periods but are text.
fn no_periods(plan: &Plan, frame: &Frame) -> Vec<Notice> {
    let mut along: Vec<(&str, AxisSide, usize)> = Vec::new();
    for measure in &plan.measures {
        measure.each_leaf(&mut |leaf| {
            if let CellLeaf::Running(_, way) | CellLeaf::Moving(_, _, way, _) = leaf {
                along.push((&measure.name, way.spot.side, way.spot.level));
            }
        });
    }
    let mut notices: Vec<Notice> = Vec::new();
    for (measure, side, level) in along {
        let dimension: &Dimension = &plan.axis(side)[level - 1];
        let labels: Vec<&str> =
            frame.axis(side).members(level - 1).labels().filter(|l| !l.is_empty()).collect();
        if dimension.kind != Kind::Text
            || labels.len() < 2
            || !labels.iter().all(|label| is_like_period(label))
        {
            continue;
        }
        let name = &dimension.name;
        let message = format!(
            "{measure} goes along {name}, whose members look like periods ({}) but are text: it follows their order and \
             sees no gaps; parts of a date, as sold_on.quarter, follow the calendar",
            labels[0]
        );
        let notice = Notice::author(NoticeCode::NoPeriods, message);
        if !notices.contains(&notice) {
            notices.push(notice);
        }
    }
    notices
}

/// Whether a label has a year in it and nothing but numbers and single letters besides: `2024`, `FY24`, `2024-Q1`,
/// `2023/24`.
fn is_like_period(label: &str) -> bool {
    let parts: Vec<&str> =
        label.split(|c: char| !c.is_alphanumeric()).filter(|part| !part.is_empty()).collect();
    let split = |part: &str| {
        let letters = part.chars().take_while(|c| c.is_ascii_alphabetic()).count();
        let (letters, digits) = part.split_at(letters);
        let is_whole = digits.len() <= 4 && digits.bytes().all(|b| b.is_ascii_digit());
        is_whole.then(|| (letters.to_ascii_uppercase(), digits.to_string()))
    };
    let Some(parts) = parts.into_iter().map(split).collect::<Option<Vec<_>>>() else { return false };
    let is_fiscal = |letters: &str| letters == "FY";
    let is_year = |(letters, digits): &(String, String)| match digits.len() {
        4 => {
            (letters.is_empty() || is_fiscal(letters))
                && (digits.starts_with("19") || digits.starts_with("20"))
        }
        2 => is_fiscal(letters),
        _ => false,
    };
    let is_small = |(letters, digits): &(String, String)| {
        is_fiscal(letters) && digits.is_empty() || letters.len() <= 1 && (1..=2).contains(&digits.len())
    };
    parts.iter().any(is_year) && parts.iter().all(|part| is_year(part) || is_small(part))
}
