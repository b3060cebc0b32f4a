//! Panels: one for the whole view, or one for each member of a dimension.

use pivvel_core::CrossTab;
use pivvel_core::brief::{PanelScale, ViewForm};
use pivvel_core::result::{RowEntry, View};

use super::canvas::{Canvas, Hold, NAME, fitting};
use crate::appearance::Words;
use crate::labels::label;

/// A part of a view that is drawn by itself.
#[derive(Debug, Clone)]
pub(crate) struct Panel {
    /// The member that it is of.
    pub(crate) title: Option<String>,
    /// The row of that member.
    pub(crate) root: Option<RowEntry>,
    /// Whether it is the last one of its view.
    pub(crate) last: bool,
}

/// The panels of a view.
pub(crate) fn panels(view: &View, words: &Words) -> Vec<Panel> {
    let axis = view.crosstab().rows();
    if view.spec().get_per().is_none() {
        return vec![Panel::whole()];
    }
    let mut roots: Vec<RowEntry> = Vec::new();
    for entry in axis.entries().iter().filter(|entry| !entry.is_total()) {
        let mut root = *entry;
        while root.level() > 1
            && let Some(parent) = axis.parent(root)
        {
            root = parent;
        }
        if !roots.contains(&root) {
            roots.push(root);
        }
    }
    let count = roots.len();
    let panel = |(i, root): (usize, RowEntry)| Panel {
        title: Some(label(&axis.path(root), words)),
        root: Some(root),
        last: i + 1 == count,
    };
    roots.into_iter().enumerate().map(panel).collect()
}

impl Panel {
    /// All of a view as one panel.
    fn whole() -> Panel {
        Panel { title: None, root: None, last: true }
    }

    /// How wide its field is, where one that is alone has so much: several stand side by side.
    pub(super) fn wide(&self, alone: f64) -> f64 {
        if self.root.is_some() { (alone * 0.58).round() } else { alone }
    }

    /// The rows of the deepest level in all panels: names have the same room in each, so that their fields are alike.
    pub(super) fn named(&self, crosstab: &CrossTab) -> Vec<RowEntry> {
        Panel::whole().members(crosstab)
    }

    /// Its title.
    pub(super) fn head(&self, canvas: &mut Canvas) {
        if let Some(title) = &self.title {
            canvas.text((0.0, 16.0), &fitting(title, NAME), Hold::Start, "strong");
        }
    }

    /// Whether a row is drawn in this panel.
    pub(crate) fn holds(&self, crosstab: &CrossTab, entry: RowEntry) -> bool {
        let Some(root) = self.root else { return true };
        let mut at = Some(entry);
        while let Some(entry) = at {
            if entry == root {
                return true;
            }
            at = crosstab.rows().parent(entry);
        }
        false
    }

    /// The rows of the deepest level, in display order.
    pub(crate) fn members(&self, crosstab: &CrossTab) -> Vec<RowEntry> {
        let deepest = |entry: &&RowEntry| entry.level() == crosstab.rows().depth();
        let own = crosstab.rows().entries().iter().filter(deepest);
        own.copied().filter(|entry| self.holds(crosstab, *entry)).collect()
    }

    /// The rows whose values a scale covers: those of all panels, where they share it.
    pub(crate) fn scaled(&self, view: &View) -> Vec<RowEntry> {
        match view.spec().get_scale() == PanelScale::Own || view.spec().get_form() == ViewForm::Table {
            true => self.members(view.crosstab()),
            false => Panel::whole().members(view.crosstab()),
        }
    }
}
