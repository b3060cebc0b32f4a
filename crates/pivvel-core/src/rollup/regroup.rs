//! Other groups of the same lines: members gathered or left out, and keys that are collapsed into
//! tiers once these are known.

use crate::grouping::NOWHERE;
use crate::grouping::{AxisPaths, LeafGroups, PairTable};
use crate::lines::{Member, Members};
use crate::model::Overflow;

/// What becomes of a node.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fate {
    Kept,
    /// Gathered into the member that stands for all that were not picked.
    Gathered,
    Dropped,
}

/// The same lines with some members gathered into another one, or left out. `rows` and `columns`
/// say for each level from 1 on what becomes of its nodes, and what gathered ones are called.
pub(crate) fn regroup(
    leaves: &LeafGroups,
    rows: &[Level],
    columns: &[Level],
) -> Result<LeafGroups, Overflow> {
    let (row_paths, row_targets) = moved(&leaves.rows, rows);
    let (column_paths, column_targets) = moved(&leaves.columns, columns);
    let regrouped = leaves.regrouped((row_paths, &row_targets), (column_paths, &column_targets))?;
    let drops = |levels: &[Level]| levels.iter().any(|(fates, _)| fates.contains(&Fate::Dropped));
    if drops(rows) || drops(columns) { without_empty_paths(regrouped) } else { Ok(regrouped) }
}

/// The same without the paths that no line is left of, so that what was left out makes no row and no
/// column.
pub(crate) fn without_empty_paths(leaves: LeafGroups) -> Result<LeafGroups, Overflow> {
    let mut used = [vec![false; leaves.rows.len()], vec![false; leaves.columns.len()]];
    for (row, column) in leaves.groups.pairs() {
        used[0][*row as usize] = true;
        used[1][*column as usize] = true;
    }
    if used.iter().flatten().all(|used| *used) {
        return Ok(leaves);
    }
    let kept = |paths: &AxisPaths, used: &[bool]| {
        let keys: Vec<Collapsed> = (0..paths.levels.len()).map(Collapsed::Key).collect();
        collapse(
            paths,
            &[vec![Collapsed::Filter(used.to_vec())], keys].into_iter().flatten().collect::<Vec<_>>(),
        )
    };
    let (rows, row_targets) = kept(&leaves.rows, &used[0]);
    let (columns, column_targets) = kept(&leaves.columns, &used[1]);
    leaves.regrouped((rows, &row_targets), (columns, &column_targets))
}

/// What becomes of the nodes of a level, and the label of the member that gathers.
pub(crate) type Level = (Vec<Fate>, Option<String>);

/// The paths after a move, and for every deepest path before it the one after it.
fn moved(paths: &AxisPaths, levels: &[Level]) -> (AxisPaths, Vec<u32>) {
    let mut targets = vec![0];
    let mut new = AxisPaths { members: Vec::new(), levels: Vec::new() };
    for (i, (fates, others)) in levels.iter().enumerate() {
        let (members, gathering) = match others {
            Some(label) => {
                let (members, id) = paths.members[i].with(Member::Others(label.as_str().into()));
                (members, id.index() as u32)
            }
            None => (paths.members[i].clone(), NOWHERE),
        };
        let member = |(node, (_, member)): (usize, &(u32, u32))| match fates[node] {
            Fate::Kept => *member,
            Fate::Gathered => gathering,
            Fate::Dropped => NOWHERE,
        };
        let own: Vec<u32> = paths.levels[i].pairs().iter().enumerate().map(member).collect();
        let (level, moved) =
            level_of(paths.levels[i].pairs().iter().map(|(parent, _)| targets[*parent as usize]), &own);
        targets = moved;
        new.members.push(members);
        new.levels.push(level);
    }
    (new, targets)
}

/// Numbers pairs of parents and members; a pair of which one is nowhere is nowhere.
fn level_of(parents: impl Iterator<Item = u32>, members: &[u32]) -> (PairTable, Vec<u32>) {
    let pairs: Vec<(u32, u32)> = parents.zip(members.iter().copied()).collect();
    let here = |(parent, member): &&(u32, u32)| *parent != NOWHERE && *member != NOWHERE;
    let (a, b): (Vec<u32>, Vec<u32>) = pairs.iter().filter(here).copied().unzip();
    let (mut level, mut numbers) = (PairTable::default(), Vec::new());
    level.intern(&a, &b, &mut numbers);
    let mut numbers = numbers.into_iter();
    let targets = pairs.iter().map(|pair| if here(&pair) { numbers.next() } else { None });
    let targets = targets.map(|number| number.unwrap_or(NOWHERE)).collect();
    (level, targets)
}

/// The axis with several of its keys made one. `keys` says for each key of the result how many
/// keys here make it up; where it is made otherwise than as the key itself, `made` gives the
/// members and, for every deepest path, which of them it is under ([`NOWHERE`] leaves the
/// path out); a key that makes up nothing is dropped.
pub(crate) fn collapse(paths: &AxisPaths, keys: &[Collapsed]) -> (AxisPaths, Vec<u32>) {
    let deepest = paths.len();
    let mut targets = vec![0; deepest];
    let mut new = AxisPaths { members: Vec::new(), levels: Vec::new() };
    for key in keys {
        let (members, own) = match key {
            Collapsed::Key(level) => (paths.members[*level].clone(), paths.members_at(*level)),
            Collapsed::Made(members, own) => (members.clone(), own.clone()),
            Collapsed::Filter(own) => {
                let nowhere = |(target, keeps): (&mut u32, &bool)| {
                    if !keeps {
                        *target = NOWHERE
                    }
                };
                targets.iter_mut().zip(own).for_each(nowhere);
                continue;
            }
        };
        let (level, moved) = level_of(targets.iter().copied(), &own);
        targets = moved;
        new.members.push(members);
        new.levels.push(level);
    }
    (new, targets)
}

/// A key of an axis after collapsing.
pub(crate) enum Collapsed {
    /// A key as it was, by its place.
    Key(usize),
    /// Members made of others, and which of them each deepest path is under.
    Made(Members, Vec<u32>),
    /// No key: which of the deepest paths are kept.
    Filter(Vec<bool>),
}

/// The members of every deepest path at several keys, as one number for each combination.
pub(crate) fn combined(paths: &AxisPaths, levels: &[usize]) -> (Vec<u32>, usize) {
    let mut numbers = vec![0; paths.len()];
    let mut count = 1;
    for level in levels {
        let (table, next) = level_of(numbers.into_iter(), &paths.members_at(*level));
        count = table.len();
        numbers = next;
    }
    (numbers, count)
}
