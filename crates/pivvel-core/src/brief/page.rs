//! What a page lets its readers choose.

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::keyed::{Keyed, keyed, or_text};
use super::parts;
use super::template::Template;

/// How a page answers its readers.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::{ControlBrief, PageBrief};
///
/// let page = PageBrief::new().controls(["uplift"]).control(ControlBrief::new("coast").several(true));
/// assert_eq!(Brief::new().page(page).get_page().get_controls().len(), 2);
/// ```
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", default, deny_unknown_fields)]
pub struct PageBrief {
    /// What readers choose: assumptions with `choices`, or with `low`, `high` and `step`; dimensions, whose members they
    /// choose.
    pub(crate) controls: Vec<ControlBrief>,
    /// Whether it holds the script that folds, sorts and finds. Without one a page can be mailed, and shows the same.
    pub(crate) script: bool,
}

/// Something that readers of a page choose.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
#[schemars(transform = or_text)]
pub struct ControlBrief {
    /// The name of an assumption, or of a dimension: a column, or a part of a date.
    pub(crate) name: String,
    /// What it is called on the page (default: the name).
    pub(crate) label: Option<Template>,
    /// Whether several members may be chosen at once, where without it is one or all.
    #[serde(default)]
    pub(crate) several: bool,
}

impl<'de> Keyed<'de> for ControlBrief {
    const WANTED: &'static str = "a name, or a table with one";

    fn from_text(text: &str) -> Option<Result<ControlBrief, String>> {
        Some(Ok(ControlBrief::new(text)))
    }

    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<ControlBrief, D::Error> {
        ControlBrief::deserialize(deserializer)
    }
}

keyed!(ControlBrief with its own forms);
keyed!(PageBrief);

/// A control that has only a name is written as that name.
impl Serialize for ControlBrief {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match *self == ControlBrief::new(self.name.as_str()) {
            true => self.name.serialize(serializer),
            false => ControlBrief::serialize(self, serializer),
        }
    }
}

impl Default for PageBrief {
    fn default() -> PageBrief {
        PageBrief { controls: Vec::new(), script: true }
    }
}

impl<T: Into<String>> From<T> for ControlBrief {
    fn from(name: T) -> ControlBrief {
        ControlBrief::new(name)
    }
}

impl PageBrief {
    /// A page without controls.
    pub fn new() -> PageBrief {
        PageBrief::default()
    }

    /// One control more.
    pub fn control(mut self, control: impl Into<ControlBrief>) -> PageBrief {
        self.controls.push(control.into());
        self
    }

    /// As [`Brief::each_part`](super::Brief::each_part).
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let PageBrief { controls, script: _ } = self;
        for ControlBrief { name, label, several: _ } in controls {
            parts::names([name], visit);
            parts::texts(label, visit);
        }
    }
}

impl ControlBrief {
    /// The control of an assumption or of a dimension.
    pub fn new(name: impl Into<String>) -> ControlBrief {
        ControlBrief { name: name.into(), label: None, several: false }
    }
}
