//! Addresses: a cell named by the members that it is of, as `coast=Fell Coast, quarter=2025-Q1`.

use std::fmt;

use crate::crosstab::CrossTab;
use crate::error::{Argument, Error, Result};
use crate::lines::BLANK;
use crate::model::AxisSide;
use crate::rollup::{Axis, ColumnEntry, Entry, MemberRef, OfAxis, RowEntry};

/// Members by dimension. Dimensions that are not named are rolled up, so that no members at all are the
/// address of the grand total.
///
/// ```
/// # use pivvel_core as pivvel;
/// let address: pivvel::drill::Address = "coast=Fell Coast, harbour='Quay, old'".parse()?;
/// assert_eq!(address.to_string(), "coast=Fell Coast, harbour='Quay, old'");
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Address {
    /// Dimensions and the labels of their members, in the order in which they were written.
    members: Vec<(String, String)>,
}

/// As a table of members by dimension.
impl serde::Serialize for Address {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> std::result::Result<S::Ok, S::Error> {
        serializer.collect_map(self.members.iter().map(|(dimension, member)| (dimension, member)))
    }
}

impl Address {
    /// The address of the grand total.
    pub fn new() -> Address {
        Address::default()
    }

    /// The same with a member of a further dimension; an empty label is the blank member.
    pub fn with(mut self, dimension: impl Into<String>, member: impl Into<String>) -> Address {
        self.members.push((dimension.into(), member.into()));
        self
    }

    /// Dimensions and labels.
    pub fn members(&self) -> &[(String, String)] {
        &self.members
    }

    /// The address of a cell.
    pub fn of(crosstab: &CrossTab, row: RowEntry, column: ColumnEntry) -> Address {
        let members = crosstab.rows().path(row).into_iter().chain(crosstab.columns().path(column));
        let pair = |member: MemberRef<'_>| (member.dimension().name.clone(), member.label().to_string());
        Address { members: members.map(pair).collect() }
    }
}

impl std::str::FromStr for Address {
    type Err = Error;

    fn from_str(text: &str) -> Result<Address> {
        let mut address = Address::default();
        let place = || Argument::Address;
        if text.trim() == "total" {
            return Ok(address);
        }
        for part in
            parts(text).ok_or_else(|| Error::request(place(), format!("a quote is open in {text}")))?
        {
            let pair = part.iter().position(|(c, quoted)| *c == '=' && !quoted);
            let Some(at) = pair else {
                let part_text: String = part.iter().map(|(c, _)| *c).collect();
                let part_text = part_text.trim();
                // A comma in a label ends the member, unless it is quoted.
                let quoted = address.members.last().map_or(
                    "total is the grand total".to_string(),
                    |(dimension, label)| {
                        format!("put a member with a comma in quotes: {dimension}=\"{label}, {part_text}\"")
                    },
                );
                let message = format!(
                    "{part_text} is not DIMENSION=MEMBER, as in 'coast=Fell Coast,quarter=2025-Q1'; {quoted}"
                );
                return Err(Error::request(place(), message));
            };
            address.members.push((trimmed(&part[..at]), trimmed(&part[at + 1..])));
        }
        Ok(address)
    }
}

/// The parts between commas, each character with whether it was quoted; none where a quote is open.
fn parts(text: &str) -> Option<Vec<Vec<(char, bool)>>> {
    let (mut parts, mut part) = (Vec::new(), Vec::new());
    let mut open: Option<char> = None;
    let mut chars = text.chars().peekable();
    // A quote opens a name or a member; within one it is a letter, as in Gull's Reach.
    let mut at_start = true;
    while let Some(c) = chars.next() {
        match open {
            Some(mark) if c == mark && chars.peek() == Some(&mark) => {
                chars.next();
                part.push((c, true));
            }
            Some(mark) if c == mark => open = None,
            Some(_) => part.push((c, true)),
            None if at_start && (c == '\'' || c == '"') => (open, at_start) = (Some(c), false),
            None if c == ',' => {
                parts.push(std::mem::take(&mut part));
                at_start = true;
            }
            None => {
                at_start = c == '=' || (at_start && c.is_whitespace());
                part.push((c, false));
            }
        }
    }
    parts.push(part);
    // Commas and blanks too many say nothing.
    parts.retain(|part| part.iter().any(|(c, quoted)| *quoted || !c.is_whitespace()));
    open.is_none().then_some(parts)
}

/// A text without the blanks around it that were not quoted.
fn trimmed(part: &[(char, bool)]) -> String {
    let blank = |(c, quoted): &&(char, bool)| !quoted && c.is_whitespace();
    let lead = part.iter().take_while(blank).count();
    let tail = part[lead..].iter().rev().take_while(blank).count();
    part[lead..part.len() - tail].iter().map(|(c, _)| *c).collect()
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.members.is_empty() {
            return f.write_str("total");
        }
        let quoted = |text: &str| {
            let needs_no_quotes =
                !text.contains([',', '=']) && text.trim() == text && !text.starts_with(['\'', '"']);
            if needs_no_quotes { text.to_string() } else { format!("'{}'", text.replace('\'', "''")) }
        };
        let pairs = self.members.iter().map(|(dimension, member)| {
            format!(
                "{}={}",
                quoted(dimension),
                if member.is_empty() { String::new() } else { quoted(member) }
            )
        });
        f.write_str(&pairs.collect::<Vec<_>>().join(", "))
    }
}

impl CrossTab {
    /// The row and the column that an address leads to. Dimensions may be called by their headings and,
    /// where that is clear, parts of dates by the part alone; members by the labels of the data or those
    /// that are shown. Levels above a member need not be named where there is only one such member.
    ///
    /// # Errors
    /// A dimension or a member that is not there, members that do not meet, and an address that could be
    /// that of several rows or columns.
    pub fn locate(&self, address: &Address) -> Result<(RowEntry, ColumnEntry)> {
        let mut rows = vec![None; self.rows().depth()];
        let mut columns = vec![None; self.columns().depth()];
        for (name, member) in address.members() {
            let (side, level) = self.dimension_called(name)?;
            let spot = &mut side.pick(&mut rows, &mut columns)[level];
            if spot.replace(member.as_str()).is_some_and(|earlier| earlier != member) {
                let message = format!("{name} is named twice; a cell is of one member of it");
                return Err(Error::request(Argument::Address, message));
            }
        }
        Ok((entry(self.rows(), &rows)?, entry(self.columns(), &columns)?))
    }

    /// The axis and the place there of a dimension by name, heading, or part of a date.
    fn dimension_called(&self, name: &str) -> Result<(AxisSide, usize)> {
        let axes =
            [(AxisSide::Rows, self.rows().dimensions()), (AxisSide::Columns, self.columns().dimensions())];
        let all: Vec<_> = axes
            .into_iter()
            .flat_map(|(side, dimensions)| dimensions.iter().enumerate().map(move |(i, d)| (side, i, d)))
            .collect();
        let part = |full: &str| full.rsplit_once('.').is_some_and(|(_, part)| part == name);
        let exact = all.iter().find(|(.., d)| d.name == name).or(all.iter().find(|(.., d)| d.label == name));
        if let Some((side, level, _)) = exact {
            return Ok((*side, *level));
        }
        let of_part: Vec<_> = all.iter().filter(|(.., d)| part(&d.name)).collect();
        match &of_part[..] {
            [(side, level, _)] => Ok((*side, *level)),
            [] if all.is_empty() => Err(Error::request(
                Argument::Address,
                "there is no dimension in this layout; total is its only cell",
            )),
            [] => Err(Error::unknown(
                Argument::Address,
                "dimension",
                name,
                all.iter().map(|(.., d)| d.name.as_str()),
            )),
            several => {
                let names: Vec<&str> = several.iter().map(|(.., d)| d.name.as_str()).collect();
                let message = format!("{name} could be {}; name it in full", names.join(" or "));
                Err(Error::request(Argument::Address, message))
            }
        }
    }
}

/// The entry at the deepest level that is named.
fn entry<S: OfAxis>(axis: &Axis<S>, labels: &[Option<&str>]) -> Result<Entry<S>> {
    let Some(deepest) = labels.iter().rposition(Option::is_some) else { return Ok(Entry::TOTAL) };
    let mut found: Vec<u32> = vec![0];
    for (i, label) in labels[..=deepest].iter().enumerate() {
        let mut under = vec![false; axis.len(i)];
        found.iter().for_each(|node| under[*node as usize] = true);
        let under = (0..axis.len(i + 1) as u32).filter(|node| under[axis.parent_node(i + 1, *node) as usize]);
        let under: Vec<u32> = under.collect();
        let next = match label {
            Some(label) => called_so(axis, i + 1, &under, label),
            None => under,
        };
        if next.is_empty() {
            return Err(not_there(axis, labels, i));
        }
        found = next;
    }
    match &found[..] {
        [only] => Ok(Entry::at(deepest + 1, *only)),
        several => {
            let dimension = &axis.dimensions()[deepest].name;
            let above = |node: &u32| {
                let path = axis.path(Entry::at(deepest + 1, *node));
                path[..deepest].iter().map(MemberRef::label).collect::<Vec<_>>().join(", ")
            };
            let named: Vec<String> = several.iter().take(4).map(above).collect();
            let more =
                if several.len() > 4 { format!(" and {} more", several.len() - 4) } else { String::new() };
            let above =
                axis.dimensions()[..deepest].iter().map(|d| d.name.as_str()).collect::<Vec<_>>().join(", ");
            let message = format!(
                "{dimension} {} is under {}{more}; name {above} too",
                labels[deepest].unwrap_or_default(),
                named.join(" and ")
            );
            Err(Error::request(Argument::Address, message))
        }
    }
}

/// Those of some nodes that have a label or, where none has it, that are called so otherwise.
fn called_so<S: OfAxis>(axis: &Axis<S>, level: usize, nodes: &[u32], label: &str) -> Vec<u32> {
    let has_label = |node: &u32| axis.members(level - 1).label(axis.member_of(level, *node)) == label;
    let labelled: Vec<u32> = nodes.iter().copied().filter(has_label).collect();
    if !labelled.is_empty() {
        return labelled;
    }
    nodes.iter().copied().filter(|node| called(axis, Entry::at(level, *node), label)).collect()
}

/// Whether a member is called so: by its label, or by what is shown.
fn called<S: OfAxis>(axis: &Axis<S>, entry: Entry<S>, label: &str) -> bool {
    axis.path(entry).last().is_some_and(|member| {
        let no_member = || format!("no {}", member.dimension().label);
        let blank = member.is_blank() && (label == BLANK || label == no_member());
        member.label() == label || member.shown() == label || blank
    })
}

/// Why no member of a level is the one that is named.
fn not_there<S: OfAxis>(axis: &Axis<S>, labels: &[Option<&str>], level: usize) -> Error {
    let dimension = &axis.dimensions()[level].name;
    let label = labels[level].unwrap_or_default();
    let anywhere =
        (0..axis.len(level + 1) as u32).any(|node| called(axis, Entry::at(level + 1, node), label));
    if anywhere {
        let above = axis.dimensions().iter().zip(&labels[..level]);
        let above: Vec<String> =
            above.filter_map(|(d, label)| label.map(|label| format!("{} {label}", d.name))).collect();
        let message = format!("there is no {dimension} {label} under {}", above.join(", "));
        return Error::request(Argument::Address, message);
    }
    let known = axis.members(level).labels();
    Error::unknown(Argument::Address, &format!("member of {dimension}"), label, known)
}
