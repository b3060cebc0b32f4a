//! What readers of a page choose: values of assumptions, and members of dimensions.

use arrow_schema::Schema;

use super::assume::is_same;
use super::model::{Assumptions, Choices, Plan, PlannedControl};
use crate::brief::{Amount, AssumptionBrief, Brief, ControlBrief};
use crate::error::{Error, Result};
use crate::formula::Columns;
use crate::grouping::Key;
use crate::model::{Decimal, with_thousands};

/// A page holds no more variants than this.
const MOST_VARIANTS: usize = 500;

/// Checks what readers choose.
pub(super) fn plan_controls(
    brief: &Brief,
    assumptions: &Assumptions,
    columns: &Columns,
) -> Result<Vec<PlannedControl>> {
    let mut controls: Vec<PlannedControl> = Vec::new();
    if !brief.page.script && !brief.page.controls.is_empty() {
        let message =
            "readers choose by the script of the page, and it is to have none; leave out script = false";
        return Err(Error::request("controls", message));
    }
    for control in &brief.page.controls {
        let place = format!("control {}", control.name);
        if controls.iter().any(|known| known.name == control.name) {
            return Err(Error::request(place, "there is another control of this name"));
        }
        let choices = match brief.assumptions.iter().find(|known| known.name == control.name) {
            Some(assumption) if control.several => {
                let message = format!("{} is an assumption, which has one value at a time", assumption.name);
                return Err(Error::request(place, message));
            }
            Some(assumption) => {
                Choices::Values { values: values(&place, assumption)?, steps: assumption.choices.is_empty() }
            }
            None => of_members(&place, control, assumptions, columns)?,
        };
        let label = match &control.label {
            Some(label) => label.to_string(),
            None => label_of(brief, &control.name),
        };
        controls.push(PlannedControl { name: control.name.clone(), label, choices });
    }
    let counts = controls.iter().filter_map(|control| match &control.choices {
        Choices::Values { values, .. } => Some((control.name.as_str(), values.len())),
        Choices::OneMember | Choices::Members => None,
    });
    check_variants(&counts.collect::<Vec<_>>())?;
    Ok(controls)
}

/// That a page holds the variants that controls of so many choices make; otherwise what may be taken away.
pub(crate) fn check_variants(controls: &[(&str, usize)]) -> Result<()> {
    let variants = controls.iter().fold(1, |variants: usize, (_, choices)| variants.saturating_mul(*choices));
    if variants <= MOST_VARIANTS {
        return Ok(());
    }
    let each: Vec<String> = controls
        .iter()
        .map(|(name, choices)| format!("{name} has {}", with_thousands(*choices as u64)))
        .collect();
    let message = format!(
        "they make {} variants, and a page holds {MOST_VARIANTS}: {}; take a control away, or some of its choices",
        with_thousands(variants as u64),
        each.join(", ")
    );
    Err(Error::request("controls", message))
}

/// A control of members, where there is such a dimension.
fn of_members(
    place: &str,
    control: &ControlBrief,
    assumptions: &Assumptions,
    columns: &Columns,
) -> Result<Choices> {
    columns.clone().dimension(&control.name).map_err(|remark| {
        let near = crate::suggest::nearest(&control.name, &assumptions.names().collect::<Vec<_>>());
        match near {
            Some(near) => Error::unknown(place, "assumption", &control.name, [near]),
            None => Error::remarked(place, remark),
        }
    })?;
    Ok(if control.several { Choices::Members } else { Choices::OneMember })
}

/// What the page calls a control that has no label of its own.
fn label_of(brief: &Brief, name: &str) -> String {
    let dimension = brief.dimensions.iter().find(|dimension| dimension.name == name);
    let label = dimension.and_then(|dimension| dimension.label.as_ref()).map(ToString::to_string);
    label.unwrap_or_else(|| name.replace(['_', '.'], " "))
}

/// The values of an assumption that a page offers.
fn values(place: &str, assumption: &AssumptionBrief) -> Result<Vec<Amount>> {
    if !assumption.choices.is_empty() {
        return Ok(assumption.choices.clone());
    }
    let AssumptionBrief { name, value, low, high, step, .. } = assumption;
    let bounds = [low, high, step].map(|amount| amount.as_ref().and_then(Amount::number));
    let (Some(percent), [Some(low), Some(high), Some(step)]) = (value.value().map(|(_, own)| own), bounds)
    else {
        let message = format!("assumption {name} has no choices; give it choices, or low, high and step");
        return Err(Error::request(place, message));
    };
    if step <= Decimal::new(0, 0) {
        return Err(Error::request(place, format!("the step of assumption {name} is not above zero")));
    }
    let (mut values, mut next) = (Vec::new(), Some(low));
    while let Some(number) = next.filter(|number| *number <= high) {
        if values.len() == MOST_VARIANTS {
            let message =
                format!("assumption {name} has more than {MOST_VARIANTS} values; give it a larger step");
            return Err(Error::request(place, message));
        }
        values.push(Amount::Number { number, percent });
        next = number.checked_add(step);
    }
    match values.iter().any(|known| is_same(known, value)) {
        true => Ok(values),
        false => {
            let message =
                format!("{} is none of the values of assumption {name} that steps lead to", value.words());
            Err(Error::request(place, message))
        }
    }
}

impl Plan {
    /// Lets lines be grouped by the dimensions whose members readers choose, too: the place of the key of each control
    /// among those of the rows, for one of members.
    ///
    /// # Errors
    /// A dimension that is not there.
    pub(crate) fn group_by_controls(&mut self, brief: &Brief, schema: &Schema) -> Result<Vec<Option<usize>>> {
        let mut columns = self.columns_of(brief, schema)?;
        let mut places = Vec::new();
        for control in &self.controls {
            if matches!(control.choices, Choices::Values { .. }) {
                places.push(None);
                continue;
            }
            let keys = &mut self.grouping.rows;
            let known = keys.iter().position(|key| key.name == control.name);
            let place = match known {
                Some(place) => place,
                None => {
                    let of = format!("control {}", control.name);
                    let formula =
                        columns.dimension(&control.name).map_err(|remark| Error::remarked(of, remark))?;
                    keys.push(Key { name: control.name.clone(), formula });
                    keys.len() - 1
                }
            };
            places.push(Some(place));
        }
        self.needed = columns.needed().to_vec();
        self.needed_names = columns.needed_names().map(str::to_string).collect();
        Ok(places)
    }
}
