//! What makes cells stand out, as columns of the tidy result.

use std::sync::Arc;

use arrow_array::{ArrayRef, Float64Array, UInt64Array};
use arrow_schema::{DataType, Field};

use super::pools::{Pool, text_array};
use crate::brief::Form;
use crate::crosstab::{Cell, CrossTab};
use crate::emphasis::Mark;

/// What there is to say of each form that decides about a cell.
const PARTS: [(&str, DataType); 4] = [
    ("rule", DataType::Utf8),
    ("shows", DataType::Utf8),
    ("step", DataType::UInt64),
    ("position", DataType::Float64),
];

/// The columns that the tidy result has of what stands out, on request: of each form that decides about cells its `rule` by
/// name, what the rule `shows`, the `step` from 1, and the `position` on its scale, as `tint_rule`. Of several emphases of
/// one form, the columns have the first that decides about the cell.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
/// use pivvel::table::{TableSpec, decision_columns};
///
/// let crosstab = CrossTab::build(&brief().tint("pieces"), &mut lines())?;
/// assert_eq!(decision_columns(&crosstab), ["tint_rule", "tint_shows", "tint_step", "tint_position"]);
/// let table = crosstab.table(&TableSpec::default().with_decisions(true))?;
/// assert!(table.schema().column_with_name("tint_position").is_some());
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn decision_columns(crosstab: &CrossTab) -> Vec<String> {
    let names = decided_forms(crosstab).into_iter().flat_map(decision_fields);
    names.map(|field| field.name().clone()).collect()
}

/// Whether a column of a tidy result says what stands out.
pub(crate) fn is_decision(name: &str) -> bool {
    let of_form = |(form, _): &(&str, Form)| {
        let part = name.strip_prefix(form).and_then(|rest| rest.strip_prefix('_'));
        part.is_some_and(|part| PARTS.iter().any(|(known, _)| *known == part))
    };
    Form::NAMES.iter().any(of_form)
}

/// The forms that decide about cells, in the order of their names' list.
pub(super) fn decided_forms(crosstab: &CrossTab) -> Vec<Form> {
    let decides = |form: &Form| {
        let planned = crosstab.emphases().iter().map(|emphasis| &emphasis.planned);
        planned.into_iter().any(|planned| planned.spec.form == *form && planned.has_scale())
    };
    Form::NAMES.iter().map(|(_, form)| *form).filter(decides).collect()
}

pub(super) fn decision_fields(form: Form) -> impl Iterator<Item = Field> {
    PARTS.into_iter().map(move |(part, holds)| Field::new(format!("{form}_{part}"), holds, true))
}

/// The columns of texts that a form has, with all texts that may stand there.
pub(super) fn decision_texts(crosstab: &CrossTab, form: Form) -> [(String, Vec<String>); 2] {
    let planned = crosstab.emphases().iter().map(|emphasis| &emphasis.planned);
    let rules =
        || planned.clone().filter(|planned| planned.spec.form == form).flat_map(|planned| &planned.rules);
    let shown = rules().filter_map(|rule| rule.show.as_ref()).map(ToString::to_string);
    [
        (format!("{form}_rule"), rules().map(|rule| rule.name.clone()).collect()),
        (format!("{form}_shows"), shown.collect()),
    ]
}

/// The decisions about rows of the tidy result, for each form.
pub(super) struct Decisions<'a> {
    crosstab: &'a CrossTab,
    forms: &'a [Form],
    marks: Vec<Vec<Mark>>,
}

impl<'a> Decisions<'a> {
    pub(super) fn new(
        crosstab: &'a CrossTab,
        forms: &'a [Form],
        rows: impl Iterator<Item = (Cell<'a>, usize)>,
    ) -> Decisions<'a> {
        let marks = match forms.is_empty() {
            true => Vec::new(),
            false => rows.map(|(cell, measure)| cell.marks(measure)).collect(),
        };
        Decisions { crosstab, forms, marks }
    }

    /// The columns of [`decision_columns`]; `pool` gives the pool that one of them has.
    pub(super) fn arrays<'p>(&self, pool: impl Fn(usize) -> Option<&'p Pool>) -> Vec<ArrayRef> {
        let rule = |mark: &Mark| {
            let planned = &self.crosstab.emphases()[mark.emphasis].planned;
            Some(&planned.rules[mark.rule?])
        };
        let of_form = |(place, form): (usize, &Form)| -> [ArrayRef; 4] {
            let marks = || self.marks.iter().map(|marks| marks.iter().find(|mark| mark.form == *form));
            let shows = |mark: &Mark| rule(mark)?.show.as_ref().map(ToString::to_string);
            let shown: Vec<Option<String>> = marks().map(|mark| shows(mark?)).collect();
            let rules = marks().map(|mark| Some(rule(mark?)?.name.as_str()));
            [
                text_array(rules, pool(place * PARTS.len())),
                text_array(shown.iter().map(Option::as_deref), pool(place * PARTS.len() + 1)),
                Arc::new(marks().map(|mark| Some(u64::from(mark?.step?.0) + 1)).collect::<UInt64Array>()),
                Arc::new(marks().map(|mark| mark?.position).collect::<Float64Array>()),
            ]
        };
        self.forms.iter().enumerate().flat_map(of_form).collect()
    }
}
