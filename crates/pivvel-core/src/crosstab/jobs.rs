//! What a brief asks for in all: itself, its views, and what their emphasis needs beside. Each has a
//! plan, and all plans are filled by one pass over the lines.

use arrow_schema::Schema;

use super::beside::trend_brief;
use super::families::families_brief;
use super::trend::Labels;
use crate::brief::{Brief, Form};
use crate::error::{Error, Result};
use crate::lines::LineSource;
use crate::model::{AxisSide, Notice, NoticeCode, Sentence, TIME_ZONE};
use crate::plan::Plan;

/// A plan, and what its cross-tab is for.
#[derive(Debug)]
pub(crate) struct Job {
    pub(crate) plan: Plan,
    pub(super) what: What,
}

#[derive(Debug)]
pub(super) enum What {
    /// The brief itself, or a view of it.
    Own,
    /// The trend of an emphasis of an earlier job.
    Trend { of: usize, emphasis: usize },
    /// What a column beside the layout says of a dimension's members, for a link of an earlier job.
    Labels { of: usize, emphasis: usize, column: String },
    /// Which member of another dimension each member has, whose colours an earlier job shows.
    Families { of: usize, spot: (AxisSide, usize) },
}

impl Job {
    /// The job of a plan by itself.
    pub(crate) fn of(plan: Plan) -> Job {
        Job { plan, what: What::Own }
    }

    /// The jobs of a brief: first itself and its views, then what their emphasis needs beside.
    pub(super) fn all(brief: &Brief, source: &mut dyn LineSource) -> Result<Vec<Job>> {
        let schema = source.schema();
        let mut jobs = vec![Job { plan: Plan::new(brief, &schema)?, what: What::Own }];
        let mut briefs = vec![brief.clone()];
        for (place, view) in brief.views.iter().enumerate() {
            let own = brief.of_view(place)?;
            let name = format!("view {} ({})", place + 1, view.form.name());
            let plan = Plan::new(&own, &schema).map_err(|e| e.within(name))?;
            jobs.push(Job { plan, what: What::Own });
            briefs.push(own);
        }
        for (of, own) in briefs.iter().enumerate() {
            let emphasis = jobs[of].plan.emphasis.clone();
            for (place, planned) in emphasis.iter().enumerate() {
                if let Some(along) = planned.along.as_ref().filter(|_| planned.spec.form == Form::Trend) {
                    let plan = Plan::new(&trend_brief(own, planned, along), &schema);
                    match plan {
                        Ok(plan) => jobs.push(Job { plan, what: What::Trend { of, emphasis: place } }),
                        Err(error) => {
                            let message = format!("{}: there is no trend of it: {error}", planned.place);
                            jobs[of].plan.notices.push(Notice::author(NoticeCode::NotUsed, message));
                        }
                    }
                }
                for column in planned.columns_beside(&jobs[of].plan) {
                    let Some(spot) = planned.linked else { continue };
                    let plan = Plan::new(&Labels::brief(own, spot, &column), &schema)
                        .map_err(|e| e.within(&planned.place))?;
                    jobs.push(Job { plan, what: What::Labels { of, emphasis: place, column } });
                }
            }
        }
        for (of, own) in briefs.iter().enumerate() {
            let plan = &jobs[of].plan;
            let rows = plan.rows.iter().enumerate().map(|(level, d)| ((AxisSide::Rows, level), d));
            let across = plan.columns.iter().enumerate().map(|(level, d)| ((AxisSide::Columns, level), d));
            let mut beside = Vec::new();
            for (spot, dimension) in rows.chain(across) {
                let Some(family) = &dimension.family else { continue };
                let plan = Plan::new(&families_brief(own, &dimension.name, &family.name), &schema)?;
                beside.push(Job { plan, what: What::Families { of, spot } });
            }
            jobs.extend(beside);
        }
        jobs.iter_mut().try_for_each(|job| job.plan.take_related(source))?;
        let notes = source.notes().iter().map(|note| Notice::author(NoticeCode::Source, note));
        jobs[0].plan.notices.extend(notes);
        let zones = time_zones(&jobs[0].plan, &schema);
        jobs[0].plan.notices.extend(zones);
        for job in &jobs {
            if let Some(trouble) = job.plan.needed_names().iter().find_map(|name| source.trouble(name)) {
                return Err(Error::request(source.name(), trouble));
            }
        }
        Ok(jobs)
    }
}

/// Which time zones the days of the columns are those of.
fn time_zones(plan: &Plan, schema: &Schema) -> Vec<Notice> {
    let zone = |name: &String| {
        let zone = schema.field_with_name(name).ok()?.metadata().get(TIME_ZONE)?;
        let sentence = Sentence::from("{column} holds moments; their days are those of the time zone {zone}");
        Some(Notice::reader(NoticeCode::TimeZone, sentence.with("column", name).with("zone", zone)))
    };
    plan.needed_names().iter().filter_map(zone).collect()
}
