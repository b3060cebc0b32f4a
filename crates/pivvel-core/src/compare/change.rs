//! Changes from an earlier result to a later one.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::mix::{Mixed, mixed};
use super::ratio::Ratio;
use super::snapshot::{RowKey, Snapshot, SnapshotRow};
use crate::brief::words::words;
use crate::error::{Error, Result};
use crate::formula::{Blanks, Operator, arithmetic};
use crate::model::Value;
use crate::rollup::EntryKind;

words! {
    /// Whether a cell stands in both results.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
    /// # use demo::*;
    /// use pivvel::CrossTab;
    /// use pivvel::compare::{Comparison, Snapshot, State};
    ///
    /// let earlier = Snapshot::of("May", &crosstab());
    /// let later = Snapshot::of("June", &CrossTab::build(&brief().filter("coast = 'Fell'"), &mut lines())?);
    /// let comparison = Comparison::new(&earlier, &later, &[])?;
    ///
    /// let skerry = comparison.changes().iter().find(|change| change.members()[0].as_deref() == Some("Skerry")).unwrap();
    /// assert_eq!((skerry.state(), skerry.state().name()), (State::Gone, "gone"));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    pub enum State is "state of a change" {
        /// In both.
        Both = "both",
        /// In the later one only.
        New = "new",
        /// In the earlier one only.
        Gone = "gone",
    }
}

/// What became of one measure of one cell.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::compare::{Comparison, Snapshot};
///
/// let earlier = Snapshot::of("May", &crosstab());
/// let later = Snapshot::of("June", &CrossTab::build(&brief().filter("coast = 'Fell'"), &mut lines())?);
/// let comparison = Comparison::new(&earlier, &later, &[])?;
///
/// let total = comparison.changes().iter().find(|change| change.levels()[0] == "total").unwrap();
/// assert_eq!((total.earlier(), total.later()), (Some(12.into()), Some(8.into())));
/// assert_eq!((total.change(), total.relative()), (Some((-4).into()), Some(-4.0 / 12.0)));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Change {
    pub(crate) members: Vec<Option<String>>,
    pub(crate) levels: [String; 2],
    pub(crate) kinds: [EntryKind; 2],
    pub(crate) measure: String,
    pub(crate) state: State,
    pub(crate) earlier: Option<Value>,
    pub(crate) later: Option<Value>,
    pub(crate) change: Option<Value>,
    pub(crate) relative: Option<f64>,
    pub(crate) lines: [u64; 2],
    pub(crate) ranks: [Option<u32>; 2],
    pub(crate) peer_count: u64,
    pub(crate) ends: Option<(f64, f64)>,
    pub(crate) position: Option<f64>,
    pub(crate) rank: Option<u32>,
}

crate::getters! {
    Change {
        /// The label in each dimension; nothing where it is rolled up.
        members: &[Option<String>],
        /// The names of the row level and the column level.
        levels: &[String; 2],
        /// The kinds of the row and the column, as in the tidy result.
        kinds: [EntryKind; 2],
        /// The measure.
        measure: &str,
        /// Whether it stands in both results.
        state: State,
        /// The earlier value; `None` where it was blank or not there.
        earlier: Option<Value>,
        /// The later one.
        later: Option<Value>,
        /// Later less earlier. A blank beside an exact value counts as nothing; beside a ratio or a mean it
        /// gives a blank.
        change: Option<Value>,
        /// The change by the size of the earlier value.
        relative: Option<f64>,
        /// How many lines were and are behind it.
        lines: [u64; 2],
        /// The earlier and the later rank among its peers.
        ranks: [Option<u32>; 2],
        /// How many changes there are of the same measure at the same levels, of members of the same kinds...
        peer_count: u64,
        /// ...the lowest and the highest of them...
        ends: Option<(f64, f64)>,
        /// ...where this one stands between these, from 0 to 1...
        position: Option<f64>,
        /// ...and its rank among them, 1 for the highest.
        rank: Option<u32>,
    }
}

/// Members of a level that came or went.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::compare::{Comparison, Snapshot};
///
/// let earlier = Snapshot::of("May", &crosstab());
/// let later = Snapshot::of("June", &CrossTab::build(&brief().filter("coast = 'Fell'"), &mut lines())?);
/// let comparison = Comparison::new(&earlier, &later, &[])?;
///
/// let coasts = &comparison.levels()[0];
/// assert_eq!((coasts.dimension(), &coasts.gone()[..]), ("coast", &[vec!["Skerry".to_string()]][..]));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct LevelChange {
    pub(crate) dimension: String,
    pub(crate) came: Vec<Vec<String>>,
    pub(crate) gone: Vec<Vec<String>>,
}

crate::getters! {
    LevelChange {
        /// The dimension.
        dimension: &str,
        /// The paths of the members that are new.
        came: &[Vec<String>],
        /// Those of the members that are gone.
        gone: &[Vec<String>],
    }
}

/// An earlier and a later result, side by side.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::compare::{Comparison, Snapshot};
/// use pivvel::source::Batches;
/// use pivvel::{Brief, CrossTab};
///
/// let result = |name: &str, coasts: Vec<&str>, pieces: Vec<i64>| {
///     let coast: ArrayRef = Arc::new(StringArray::from(coasts));
///     let pieces: ArrayRef = Arc::new(Int64Array::from(pieces));
///     let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)]).unwrap();
///     let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
///     let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch])).unwrap();
///     Snapshot::of(name, &crosstab)
/// };
/// let may = result("may", vec!["Fell", "Skerry"], vec![3, 4]);
/// let june = result("june", vec!["Fell", "Isle"], vec![5, 1]);
/// let compared = Comparison::new(&may, &june, &[])?;
/// let fell = &compared.changes()[0];
/// assert_eq!(fell.change().unwrap().to_string(), "2");
/// assert_eq!(compared.levels()[0].gone(), [["Skerry"]]);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Comparison {
    pub(super) dimensions: Vec<String>,
    rows: usize,
    changes: Vec<Change>,
    levels: Vec<LevelChange>,
    mixed: Vec<Mixed>,
    notes: Vec<String>,
}

impl Comparison {
    /// Compares two results. `ratios` says which measures are ratios of which others.
    ///
    /// # Errors
    /// Results of other dimensions, or without a measure in common.
    pub fn new(earlier: &Snapshot, later: &Snapshot, ratios: &[Ratio]) -> Result<Comparison> {
        if earlier.dimensions != later.dimensions {
            let list = |snapshot: &Snapshot| snapshot.dimensions.join(", ");
            let message = format!(
                "{} has the dimensions {}, and {} has {}: compare results of one layout",
                earlier.name,
                list(earlier),
                later.name,
                list(later)
            );
            return Err(Error::request("compare", message));
        }
        let helps = |measure: &&str| ratios.iter().any(|ratio| ratio.helpers.iter().any(|h| h == measure));
        let measures = |snapshot: &'_ Snapshot| -> Vec<String> {
            snapshot.measures().into_iter().filter(|m| !helps(m)).map(str::to_string).collect()
        };
        let (before, after) = (measures(earlier), measures(later));
        if !before.is_empty() && !after.is_empty() && !before.iter().any(|m| after.contains(m)) {
            let message = format!(
                "{} measures {}, and {} measures {}: nothing can be compared",
                earlier.name,
                before.join(", "),
                later.name,
                after.join(", ")
            );
            return Err(Error::request("compare", message));
        }
        let only = |name: &str, own: &[String], other: &[String]| {
            let own: Vec<String> = own.iter().filter(|m| !other.contains(m)).cloned().collect();
            (!own.is_empty()).then(|| format!("only {name} measures {}", own.join(", ")))
        };
        let notes =
            only(&earlier.name, &before, &after).into_iter().chain(only(&later.name, &after, &before));
        let shared = |row: &&SnapshotRow| {
            let measure = &row.key.measure;
            before.contains(measure) && after.contains(measure)
        };
        let mut changes: Vec<Change> =
            later.cells.iter().filter(shared).map(|row| change(earlier.get(&row.key), Some(row))).collect();
        let gone = earlier.cells.iter().filter(shared).filter(|row| later.get(&row.key).is_none());
        changes.extend(gone.map(|row| change(Some(row), None)));
        scale(&mut changes);
        let axes = if later.cells.is_empty() { earlier.axes() } else { later.axes() };
        Ok(Comparison {
            dimensions: later.dimensions.clone(),
            rows: axes[0].len(),
            levels: levels(earlier, later, &axes),
            mixed: mixed(earlier, later, axes[0].len(), ratios),
            notes: notes.collect(),
            changes,
        })
    }

    /// Every change: those of the later result in its order, then what is gone.
    pub fn changes(&self) -> &[Change] {
        &self.changes
    }

    /// The members that came and went, by dimension.
    pub fn levels(&self) -> &[LevelChange] {
        &self.levels
    }

    /// Changes of ratios, taken apart.
    pub fn mixed(&self) -> &[Mixed] {
        &self.mixed
    }

    /// What a reader must know.
    pub fn notes(&self) -> &[String] {
        &self.notes
    }

    /// The dimensions, rows first.
    pub fn dimensions(&self) -> &[String] {
        &self.dimensions
    }

    /// How many of the dimensions stand on the rows.
    pub fn row_dimensions(&self) -> usize {
        self.rows
    }
}

fn change(earlier: Option<&SnapshotRow>, later: Option<&SnapshotRow>) -> Change {
    let state = match (earlier, later) {
        (Some(_), Some(_)) => State::Both,
        (None, _) => State::New,
        (_, None) => State::Gone,
    };
    let Some(row) = later.or(earlier) else { unreachable!("a change is of a cell") };
    let (before, after) = (earlier.and_then(|t| t.value), later.and_then(|t| t.value));
    let change = difference(after, before);
    let relative = change.zip(before).and_then(|(change, before)| {
        let size = before.as_f64().abs();
        (size > 0.0 && !matches!(before, Value::Date(_))).then(|| change.as_f64() / size)
    });
    Change {
        members: row.key.members.clone(),
        levels: [row.key.row_level.clone(), row.key.column_level.clone()],
        kinds: row.kinds,
        measure: row.key.measure.clone(),
        state,
        earlier: before,
        later: after,
        change,
        relative,
        lines: [earlier.map_or(0, |t| t.lines), later.map_or(0, |t| t.lines)],
        ranks: [earlier.and_then(|t| t.rank), later.and_then(|t| t.rank)],
        peer_count: 0,
        ends: None,
        position: None,
        rank: None,
    }
}

/// One value less another; exact where both are, days between two dates.
fn difference(a: Option<Value>, b: Option<Value>) -> Option<Value> {
    match (a, b) {
        (None, None) => None,
        (Some(Value::Date(a)), Some(Value::Date(b))) => {
            Some(Value::Exact((i128::from(a) - i128::from(b)).into()))
        }
        (Some(Value::Date(_)), _) | (_, Some(Value::Date(_))) => None,
        // A ratio or a mean of nothing is not zero, so that there is no change from it.
        (Some(Value::Float(_)), None) | (None, Some(Value::Float(_))) => None,
        (a, b) => {
            let exact = arithmetic(Operator::Subtract, Blanks::AsNothing, a, b);
            // A difference of more than 38 digits is still a change.
            let float = |value: Option<Value>| value.map_or(0.0, |value| value.as_f64());
            exact.unwrap_or_else(|_| Some(Value::Float(float(a) - float(b))))
        }
    }
}

/// Places every change among those of its own level.
fn scale(changes: &mut [Change]) {
    let mut groups: HashMap<(String, [String; 2], [EntryKind; 2]), Vec<usize>> = HashMap::new();
    for (place, change) in changes.iter().enumerate().filter(|(_, change)| change.change.is_some()) {
        let group = (change.measure.clone(), change.levels.clone(), change.kinds);
        groups.entry(group).or_default().push(place);
    }
    for mut places in groups.into_values() {
        let value = |place: usize| changes[place].change.unwrap_or(Value::Float(0.0));
        places.sort_by(|a, b| value(*b).order(&value(*a)));
        let (high, low) = (value(places[0]).as_f64(), value(places[places.len() - 1]).as_f64());
        let values: Vec<Value> = places.iter().map(|place| value(*place)).collect();
        let mut rank = 0;
        for (i, place) in places.iter().enumerate() {
            if i == 0 || values[i - 1].order(&values[i]).is_ne() {
                rank = i as u32 + 1;
            }
            let change = &mut changes[*place];
            (change.peer_count, change.ends, change.rank) =
                (places.len() as u64, Some((low, high)), Some(rank));
            change.position = (high > low).then(|| (values[i].as_f64() - low) / (high - low));
        }
    }
}

/// The members that came and went on each level.
fn levels(earlier: &Snapshot, later: &Snapshot, axes: &[Vec<String>; 2]) -> Vec<LevelChange> {
    let mut levels = Vec::new();
    let mut first = 0;
    for axis in axes {
        for depth in 1..=axis.len() {
            let range = first..first + depth;
            let paths = |snapshot: &Snapshot| -> Vec<Vec<String>> {
                let mut found = BTreeMap::new();
                for (place, row) in snapshot.cells.iter().enumerate() {
                    let path: Option<Vec<String>> = row.key.members[range.clone()].iter().cloned().collect();
                    path.map(|path| found.entry(path).or_insert(place));
                }
                let mut paths: Vec<(usize, Vec<String>)> = found.into_iter().map(|(p, at)| (at, p)).collect();
                paths.sort();
                paths.into_iter().map(|(_, path)| path).collect()
            };
            let (before, after) = (paths(earlier), paths(later));
            let without = |own: &[Vec<String>], other: &[Vec<String>]| {
                let other: HashSet<&Vec<String>> = other.iter().collect();
                own.iter().filter(|path| !other.contains(path)).cloned().collect()
            };
            levels.push(LevelChange {
                dimension: axis[depth - 1].clone(),
                came: without(&after, &before),
                gone: without(&before, &after),
            });
        }
        first += axis.len();
    }
    levels
}

impl RowKey {
    /// The same cell of another measure.
    pub(super) fn of_measure(&self, measure: &str) -> RowKey {
        RowKey { measure: measure.to_string(), ..self.clone() }
    }
}
