//! Views of the same lines beside the cross-tab.

/// A view beside the cross-tab, drawn from the same lines in the same pass.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ViewBrief {
    /// The heading (default: made from the layout).
    pub title: Option<String>,
    /// How it is drawn.
    pub form: ViewForm,
    /// Dimensions on its rows (default: the brief's own).
    pub rows: Option<Vec<String>>,
    /// Dimensions on its columns; the brief's own for a cross-tab, and none else.
    pub columns: Option<Vec<String>>,
    /// The condition that its lines must meet beside the brief's.
    pub filter: Option<String>,
    /// The measures that it shows, by name; all for a cross-tab, and else as many as it takes.
    pub measures: Vec<String>,
    /// The dimension of which each member gets a picture of its own.
    pub per: Option<String>,
    /// Whether each of these has its own scales, rather than all of them the same.
    pub own_scales: bool,
    /// The periods that lines go along.
    pub along: Option<String>,
    /// Where places stand on a grid: member, column and row, from 1.
    pub grid: Vec<(String, (u32, u32))>,
}

/// How a view is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum ViewForm {
    /// As a cross-tab.
    #[default]
    Table,
    /// As bars, one a member.
    Bars,
    /// As lines over periods, one a member.
    Line,
    /// As a strip of points for each group: its members against their mean.
    Strip,
    /// As points: two measures of the same members against each other.
    Scatter,
    /// As tiles on a grid: one or two measures by place.
    Tiles,
}

impl ViewForm {
    /// The forms by name.
    pub const NAMES: [(&'static str, ViewForm); 6] = [
        ("table", ViewForm::Table),
        ("bars", ViewForm::Bars),
        ("line", ViewForm::Line),
        ("strip", ViewForm::Strip),
        ("scatter", ViewForm::Scatter),
        ("tiles", ViewForm::Tiles),
    ];

    /// The name of this form.
    pub fn name(self) -> &'static str {
        ViewForm::NAMES.iter().find(|(_, form)| *form == self).map_or("", |(name, _)| name)
    }

    /// How many measures it shows.
    pub(crate) fn measures(self) -> (usize, usize) {
        match self {
            ViewForm::Table => (0, usize::MAX),
            ViewForm::Bars | ViewForm::Line | ViewForm::Strip => (1, 1),
            ViewForm::Scatter => (2, 2),
            ViewForm::Tiles => (1, 2),
        }
    }
}
