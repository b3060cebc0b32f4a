//! The cross-tab: every cell of every grain, with its axes, peers and notices.

use std::sync::{LazyLock, OnceLock};

use super::trend::{Labels, Trend};
use crate::brief::{NumberFormat, PaletteBrief, ViewBrief};
use crate::emphasis::{Emphasis, Scale};
use crate::eval::{CellGroups, period_places};
use crate::formula::{Group, Values};
use crate::grouping::{PairTable, ScanReport};
use crate::lines::Tally;
use crate::model::{ByGrain, Grain, Notice, Sentence, Value};
use crate::peers::{KeptScale, Peers, Yardsticks, peers_id};
use crate::plan::Measure;
use crate::plan::YardstickSpec;
use crate::rollup::{Apart, Axis, Class, ColumnEntry, Columns, Entry, OfAxis, RowEntry, Rows};

/// A multidimensional cross-tab: cells of every grain, each with its value, its lines and its
/// place among its peers.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// # use pivvel_core as pivvel;
/// use pivvel::source::Batches;
/// use pivvel::{Brief, CrossTab};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
/// let quantity: ArrayRef = Arc::new(Int64Array::from(vec![3, 4, 5]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("quantity", quantity)])?;
/// let mut source = Batches::new(batch.schema(), [batch]);
///
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(quantity)"));
/// let crosstab = CrossTab::build(&brief, &mut source)?;
/// assert_eq!(crosstab.value(&["Fell"], &[], "pieces").unwrap().to_string(), "8");
/// assert_eq!(crosstab.value(&[], &[], "pieces").unwrap().to_string(), "12");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct CrossTab {
    pub(super) title: String,
    pub(super) default_title: Option<Sentence>,
    pub(super) fingerprint: String,
    pub(super) measures: Vec<Measure>,
    pub(super) rows: Axis<Rows>,
    pub(super) columns: Axis<Columns>,
    pub(super) grains: ByGrain<GrainCells>,
    pub(super) emphases: Vec<Emphasis>,
    pub(super) trends: Vec<Trend>,
    pub(super) labels: Vec<Labels>,
    pub(super) views: Vec<View>,
    pub(super) palettes: Vec<PaletteBrief>,
    pub(super) condition: Option<String>,
    pub(super) source: String,
    pub(super) report: ScanReport,
    pub(super) tally: Tally,
    pub(super) notices: Vec<Notice>,
    pub(super) picked: Vec<Notice>,
    /// How the numbers of each item are shown, where not as the measure's.
    pub(super) item_formats: Vec<Option<NumberFormat>>,
    /// How many threads may be used for what is computed of it later.
    pub(crate) threads: usize,
}

/// A view of the brief: a cross-tab that is drawn in a form of its own.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::brief::{ViewBrief, ViewForm};
///
/// let bars = ViewBrief::new(ViewForm::Bars).rows(["coast"]);
/// let crosstab = CrossTab::build(&brief().view(bars), &mut lines())?;
/// assert_eq!(crosstab.views()[0].crosstab().value(&["Fell"], &[], "pieces"), Some(8.into()));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct View {
    pub(crate) spec: ViewBrief,
    pub(crate) crosstab: CrossTab,
}

crate::getters! {
    View {
        /// What was asked for.
        spec: &ViewBrief,
        /// What it shows.
        crosstab: &CrossTab,
    }
}

/// The cells of one grain.
#[derive(Debug, Clone)]
pub(crate) struct GrainCells {
    /// Row node and column node of every cell.
    pub(crate) cells: PairTable,
    pub(crate) lines: Vec<u64>,
    /// Values by measure, then by cell.
    pub(crate) values: Vec<Values>,
    /// The emphasis whose peers these are, by measure, if any...
    scaled_by: Vec<Option<usize>>,
    /// ...and the peers of the others, once they are asked for: to rank a million cells is to sort them.
    peers: Vec<OnceLock<Peers>>,
}

/// How numbers are shown of which nothing else is known.
static PLAIN: LazyLock<NumberFormat> = LazyLock::new(NumberFormat::default);

impl GrainCells {
    pub(super) fn new(
        cells: PairTable,
        lines: Vec<u64>,
        values: Vec<Values>,
        scaled_by: Vec<Option<usize>>,
    ) -> GrainCells {
        let peers = vec![OnceLock::new(); values.len()];
        GrainCells { cells, lines, values, scaled_by, peers }
    }
}

impl CrossTab {
    /// The heading.
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The heading as data, for translation; `None` where the brief has one.
    pub fn default_title(&self) -> Option<&Sentence> {
        self.default_title.as_ref()
    }

    /// A number in hexadecimal digits that is the same for briefs by which the same is computed.
    pub fn fingerprint(&self) -> &str {
        &self.fingerprint
    }

    /// What is computed, in the order of the brief.
    pub fn measures(&self) -> &[Measure] {
        &self.measures
    }

    /// Palettes of the brief's own, by which it names them.
    pub fn palettes(&self) -> &[PaletteBrief] {
        &self.palettes
    }

    /// The rows.
    pub fn rows(&self) -> &Axis<Rows> {
        &self.rows
    }

    /// The columns.
    pub fn columns(&self) -> &Axis<Columns> {
        &self.columns
    }

    /// What stands out, in the order in which it is tried.
    pub fn emphases(&self) -> &[Emphasis] {
        &self.emphases
    }

    /// The trends of its rows.
    pub fn trends(&self) -> &[Trend] {
        &self.trends
    }

    /// The columns of the deepest level with where they stand from the first to the last, from 0 to 1:
    /// periods by the calendar, so that gaps count.
    pub fn period_places(&self) -> Vec<(ColumnEntry, f64)> {
        let deepest = |entry: &ColumnEntry| entry.level() == self.columns.depth();
        let entries: Vec<ColumnEntry> = self.columns.entries().iter().copied().filter(deepest).collect();
        entries.iter().copied().zip(period_places(&self.columns, &entries)).collect()
    }

    /// Further views of the same lines.
    pub fn views(&self) -> &[View] {
        &self.views
    }

    /// What columns beside the layout say of a member, for the link of an emphasis.
    pub(super) fn beside<S: OfAxis>(&self, emphasis: usize, entry: Entry<S>) -> Vec<(String, String)> {
        let own = |labels: &&Labels| labels.emphasis == emphasis;
        self.labels.iter().filter(own).filter_map(|labels| labels.of(entry)).collect()
    }

    /// The condition that lines had to meet.
    pub fn condition(&self) -> Option<&str> {
        self.condition.as_deref()
    }

    /// What the source is called.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// What the scan met.
    pub fn report(&self) -> &ScanReport {
        &self.report
    }

    /// What the source left out or took as blank.
    pub fn tally(&self) -> &Tally {
        &self.tally
    }

    /// Whether there is no cell at all, because there was no line.
    pub fn is_empty(&self) -> bool {
        self.grains[Grain::TOTAL].lines.is_empty()
    }

    /// The grain of the leaves.
    pub(crate) fn deepest(&self) -> Grain {
        self.grains.deepest()
    }

    /// The grain and the place of the cell where a row and a column meet.
    pub(super) fn spot(&self, row: RowEntry, column: ColumnEntry) -> Option<(Grain, usize)> {
        let grain = Grain::new(row.level(), column.level());
        Some((grain, self.grains.get(grain)?.cells.find(row.node, column.node)? as usize))
    }

    /// The yardsticks of all peers by name: of every measure at every grain, and those that emphasis
    /// stands on. Kept, they are what a later run compares with.
    pub fn yardsticks(&self) -> Yardsticks {
        let mut all = Yardsticks::default();
        for (grain, _) in self.grains.iter() {
            for measure in 0..self.measures.len() {
                let peers = self.peers_at(measure, grain);
                let names = self.names_of_peers(measure, grain, peers);
                for ((_, measured), name) in peers.groups().zip(names) {
                    KeptScale::of(measured, &YardstickSpec::default())
                        .into_iter()
                        .for_each(|scale| all.insert(name.clone(), scale));
                }
            }
        }
        for emphasis in &self.emphases {
            emphasis.kept().for_each(|(name, scale)| all.insert(name, scale));
        }
        all
    }

    /// The values of the peers of a cell.
    pub(crate) fn peer_values(&self, measure: usize, grain: Grain, cell: usize) -> Vec<f64> {
        let (peers, values) = (self.peers_at(measure, grain), &self.grains[grain].values[measure]);
        let members = peers.group(cell).and_then(|group| peers.members(values).into_iter().nth(group));
        members.into_iter().flatten().map(|(_, value)| value.as_f64()).collect()
    }

    /// How many cells a grain has; none of a level that is not there.
    pub fn cell_count(&self, grain: Grain) -> usize {
        self.grains.get(grain).map_or(0, |grain| grain.cells.len())
    }

    /// The value of a measure where two paths of labels meet; empty paths are totals. `None` is a blank, and also
    /// a name that is not known: [`CrossTab::find`] tells these apart.
    pub fn value(&self, row: &[&str], column: &[&str], measure: &str) -> Option<Value> {
        let cell = self.cell(self.rows.find(row)?, self.columns.find(column)?)?;
        cell.value(self.measures.iter().position(|m| m.name == measure)?)
    }

    /// The peers of a measure at a grain; `None` for a level or a measure that is not there.
    pub fn peers(&self, measure: usize, grain: Grain) -> Option<&Peers> {
        let is_there = self.grains.get(grain).is_some() && measure < self.measures.len();
        is_there.then(|| self.peers_at(measure, grain))
    }

    /// The same where both are there.
    pub(crate) fn peers_at(&self, measure: usize, grain: Grain) -> &Peers {
        let axes = (&self.rows, &self.columns);
        let GrainCells { cells, values, scaled_by, peers, .. } = &self.grains[grain];
        let scaled = scaled_by[measure].and_then(|emphasis| self.emphases[emphasis].peers(grain));
        scaled.unwrap_or_else(|| {
            peers[measure].get_or_init(|| {
                let groups = CellGroups::new(axes, grain, cells.pairs(), Group::Level);
                Peers::new(&values[measure], groups, &YardstickSpec::default(), self.threads)
            })
        })
    }

    /// What the groups of some peers of a measure at a grain are called.
    pub(crate) fn names_of_peers<'p>(&self, measure: usize, grain: Grain, peers: &'p Peers) -> &'p [String] {
        let grain = (!peers.is_joined()).then_some(grain);
        let axes = (&self.rows, &self.columns);
        peers.names(|key| peers_id(&self.measures[measure].name, axes, grain, key))
    }

    /// The names of all groups of peers of a measure at a grain, with the empty one of cells in no group; none where it shows
    /// nothing there.
    pub(crate) fn peers_names(&self, measure: usize, grain: Grain) -> impl Iterator<Item = &str> {
        let shows = self.measures[measure].shows_at(grain);
        let peers = shows.then(|| self.peers_at(measure, grain));
        peers.into_iter().flat_map(move |peers| {
            let names = self.names_of_peers(measure, grain, peers);
            names.iter().map(String::as_str).chain(peers.leaves_out().then_some(""))
        })
    }

    /// How the numbers of a measure are shown where a row and a column meet: as the latest of their
    /// items that has a format says, or as the measure does.
    pub fn format(&self, row: RowEntry, column: ColumnEntry, measure: usize) -> &NumberFormat {
        self.format_of_class((self.rows.class_of(row), self.columns.class_of(column)), measure)
    }

    /// How the numbers of a measure are shown that a scale measures.
    pub fn format_apart(&self, scale: &Scale, measure: usize) -> &NumberFormat {
        self.format_of_class(scale.key.classes, measure)
    }

    /// How the numbers of a measure are shown in cells of one class.
    fn format_of_class(&self, (row, column): (Class, Class), measure: usize) -> &NumberFormat {
        let apart = self.rows.apart(row).iter().chain(self.columns.apart(column));
        let formatted = |apart: &Apart| match apart {
            Apart::Item(item) => Some((*item, self.item_formats[*item as usize].as_ref()?)),
            Apart::Others(_) => None,
        };
        let latest = apart.filter_map(formatted).max_by_key(|(item, _)| *item);
        let own = self.measures.get(measure).map_or_else(|| &*PLAIN, |measure| &measure.format);
        latest.map_or(own, |(_, format)| format)
    }
}
