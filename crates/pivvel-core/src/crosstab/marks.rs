//! What stands out where a row and a column meet, and where labels and figures lead.

use super::cell::Cell;
use super::table::CrossTab;
use crate::brief::Form;
use crate::emphasis::{Emphasis, Mark, link};
use crate::formula::Formula;
use crate::model::{AxisSide, Grain};
use crate::rollup::{Axis, ColumnEntry, Entry, OfAxis, RowEntry};

impl Cell<'_> {
    /// What stands out in the cell of a measure, by its place: for each form the first emphasis that decides.
    pub fn marks(&self, measure: usize) -> Vec<Mark> {
        self.crosstab().marks(self.row(), self.column(), measure)
    }
}

impl CrossTab {
    /// What stands out in the cell of a measure where a row and a column meet: for each form the
    /// first emphasis that decides.
    pub fn marks(&self, row: RowEntry, column: ColumnEntry, measure: usize) -> Vec<Mark> {
        let mut marks: Vec<Mark> = Vec::new();
        for (place, emphasis) in self.emphases().iter().enumerate() {
            let form = emphasis.planned.spec.form;
            if !emphasis.covers(Grain::new(row.level(), column.level()), measure)
                || marks.iter().any(|m| m.form == form)
            {
                continue;
            }
            let column = if emphasis.planned.spec.is_whole_row() { ColumnEntry::TOTAL } else { column };
            if let Some((grain, cell)) = self.spot(row, column) {
                marks.extend(emphasis.mark(place, grain, cell));
            }
        }
        marks
    }

    /// Whether the numbers of an emphasis's scales would tell figures that stand nowhere: those of its
    /// measure, or of one that decides instead.
    pub fn hides_scale(&self, emphasis: &Emphasis) -> bool {
        let planned = &emphasis.planned;
        let named = |measure: &str| {
            let formulas = planned.spec.by.iter().chain(&planned.spec.about);
            formulas.filter_map(Formula::expr).any(|expr| expr.names().iter().any(|n| n == measure))
        };
        let hidden = |(place, measure): (usize, &crate::plan::Measure)| {
            self.hides_figure(place) && (planned.measure == Some(place) || named(&measure.name))
        };
        self.measures().iter().enumerate().any(hidden)
    }

    /// Whether the figures of a measure stand nowhere.
    pub fn hides_figure(&self, measure: usize) -> bool {
        let hides = |e: &Emphasis| e.planned.spec.hides_figure() && e.planned.measure == Some(measure);
        self.emphases().iter().any(hides)
    }

    /// Where the label of a row leads, if an emphasis links its dimension.
    pub fn row_link(&self, row: RowEntry) -> Option<String> {
        self.member_link(AxisSide::Rows, self.rows(), row)
    }

    /// Where the label of a column leads, if an emphasis links its dimension.
    pub fn column_link(&self, column: ColumnEntry) -> Option<String> {
        self.member_link(AxisSide::Columns, self.columns(), column)
    }

    fn member_link<S: OfAxis>(&self, side: AxisSide, axis: &Axis<S>, entry: Entry<S>) -> Option<String> {
        let linked = |(_, e): &(usize, &Emphasis)| e.planned.linked == Some((side, entry.level()));
        self.emphases().iter().enumerate().filter(linked).find_map(|(place, emphasis)| {
            let mut labels = labels(axis, entry);
            labels.extend(self.beside(place, entry));
            link(emphasis.planned.spec.link.as_ref()?, &labels)
        })
    }

    /// Where the figure of a measure leads, if an emphasis links it.
    pub fn cell_link(&self, row: RowEntry, column: ColumnEntry, measure: usize) -> Option<String> {
        let grain = Grain::new(row.level(), column.level());
        let links = |e: &&Emphasis| e.planned.spec.form == Form::Link && e.covers(grain, measure);
        self.emphases().iter().filter(links).find_map(|emphasis| {
            let (grain, cell) = self.spot(row, column)?;
            let labels = [labels(self.rows(), row), labels(self.columns(), column)].concat();
            emphasis.links_at(grain, cell).then(|| link(emphasis.planned.spec.link.as_ref()?, &labels))?
        })
    }
}

/// The labels that lead to an entry, by dimension.
fn labels<S: OfAxis>(axis: &Axis<S>, entry: Entry<S>) -> Vec<(String, String)> {
    axis.path(entry).iter().map(|m| (m.dimension().name.clone(), m.label().to_string())).collect()
}
