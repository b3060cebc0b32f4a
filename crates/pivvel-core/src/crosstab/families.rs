//! Colours of members by a member of another dimension that each of them has.

use super::beside::{brief_of_rows, unsettled};
use super::table::CrossTab;
use crate::brief::Brief;
use crate::lines::BLANK;
use crate::model::{AxisSide, Notice};
use crate::plan::{Dimension, Family};

/// The brief of the cross-tab that has the members of the other dimension under each member of a dimension.
pub(super) fn families_brief(brief: &Brief, dimension: &str, family: &str) -> Brief {
    brief_of_rows(brief, vec![dimension.to_string(), family.to_string()])
}

/// Gives the members of a dimension the colours of the one family that each has; a colour of its own goes before.
pub(super) fn take_colours(
    of: &mut CrossTab,
    (side, level): (AxisSide, usize),
    found: &CrossTab,
) -> Option<Notice> {
    let axis = found.rows();
    let dimension = side.pick(of.rows.dimensions(), of.columns.dimensions()).get(level)?;
    let Dimension { name, colours, family: Some(family), .. } = dimension else { return None };
    let Family { name: family, colours: of_family } = family;
    let mut own = colours.clone();
    let mut several = Vec::new();
    for member in axis.entries().iter().filter(|entry| entry.level() == 1) {
        let families: Vec<&str> =
            axis.below_all(*member).filter_map(|entry| axis.label_at(entry, 2)).collect();
        let label = match axis.label_at(*member, 1).unwrap_or_default() {
            "" => BLANK,
            label => label,
        };
        match families[..] {
            [one] => own.extend(
                of_family
                    .iter()
                    .find(|(known, _)| known == one)
                    .map(|(_, colour)| (label.into(), colour.clone())),
            ),
            [] => {}
            _ => several.push(label),
        }
    }
    let place = format!("dimension {name}, colours_of");
    let notice =
        unsettled(&place, "colour", family, (several.len(), several.first().copied().unwrap_or_default()));
    match side {
        AxisSide::Rows => of.rows.set_colours(level, own),
        AxisSide::Columns => of.columns.set_colours(level, own),
    }
    notice
}
