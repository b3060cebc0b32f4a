//! Every variant of a cross-tab that readers of a page can choose, by one pass over the lines.

use std::borrow::Cow;
use std::collections::HashSet;
use std::fmt;

use super::assemble::{BuildContext, assemble};
use super::build::Build;
use super::jobs::Job;
use super::table::CrossTab;
use crate::brief::{Amount, Brief, ViewBrief};
use crate::error::{Error, Result};
use crate::grouping::LeafGroups;
use crate::lines::{BLANK, LineSource, Member, MemberId, Members, Tally};
use crate::model::with_thousands;
use crate::plan::{Choices, Plan, PlannedControl, check_variants, is_same};
use crate::rollup::{Collapsed, collapse, without_empty_paths};

/// Every variant that the controls of a brief can be in, and the cross-tab of each.
///
/// The variants are numbered: the choice of the last control changes from one to the next.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::Build;
/// use pivvel::brief::PageBrief;
///
/// let variants = Build::new().variants(&brief().page(PageBrief::new().controls(["coast"])), &mut lines())?;
/// assert_eq!(variants.len(), 3);
/// let coasts: Vec<String> = variants.controls()[0].choices().iter().map(|choice| choice.to_string()).collect();
/// assert_eq!(coasts, ["all", "Fell", "Skerry"]);
/// let all = variants.crosstab(variants.first())?.value(&[], &[], "pieces");
/// let fell = variants.crosstab(1)?.value(&[], &[], "pieces");
/// assert_eq!((all, fell), (Some(12.into()), Some(8.into())));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug)]
pub struct Variants<'a> {
    controls: Vec<Control>,
    /// By the values of all assumptions, the last one changing first.
    requests: Vec<Request>,
    /// The leaf groups that requests are made of, each grouped once.
    groups: Vec<LeafGroups>,
    source: String,
    tally: Tally,
    context: BuildContext<'a>,
}

/// A control with what there is to choose.
#[derive(Debug, Clone)]
pub struct Control {
    planned: PlannedControl,
    choices: Vec<Choice>,
    first: usize,
}

/// What readers of a page may choose for a control.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Choice {
    /// A value of an assumption.
    Value(Amount),
    /// All members of a dimension.
    All,
    /// Some members of a dimension, in their order.
    Members(Vec<Member>),
}

/// In words: the value, the labels, `all` for all members and `blank` for the blank one.
impl fmt::Display for Choice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let label =
            |member: &Member| if *member == Member::Blank { BLANK.to_string() } else { member.label() };
        match self {
            Choice::Value(value) => f.write_str(&value.words()),
            Choice::All => f.write_str("all"),
            Choice::Members(members) => {
                f.write_str(&members.iter().map(label).collect::<Vec<_>>().join(", "))
            }
        }
    }
}

impl Control {
    /// The name of the assumption or of the dimension.
    pub fn name(&self) -> &str {
        &self.planned.name
    }

    /// What it is called.
    pub fn label(&self) -> &str {
        &self.planned.label
    }

    /// What there is to choose.
    pub fn choices(&self) -> &[Choice] {
        &self.choices
    }

    /// The place of the choice that the brief itself makes.
    pub fn first(&self) -> usize {
        self.first
    }

    /// Whether members of a dimension are chosen.
    pub fn is_of_members(&self) -> bool {
        !matches!(self.planned.choices, Choices::Values { .. })
    }

    /// Whether the choices are numbers that lie a step apart.
    pub fn is_steps(&self) -> bool {
        matches!(self.planned.choices, Choices::Values { steps: true, .. })
    }

    /// Whether several members may be chosen at once.
    pub fn is_several(&self) -> bool {
        self.planned.choices == Choices::Members
    }
}

/// A brief with values for all of its assumptions.
#[derive(Debug)]
struct Request {
    views: Vec<ViewBrief>,
    jobs: Vec<Asked>,
    plans: Vec<Job>,
}

/// What a job is made of.
#[derive(Debug)]
struct Asked {
    /// Which of all leaf groups.
    groups: usize,
    /// How many of their row keys are the layout's own.
    own: usize,
    /// By control: the row key that its members are.
    keys: Vec<Option<usize>>,
}

impl<'a> Build<'a> {
    /// Groups the lines once for every variant that the controls of a brief can be in: see
    /// [`PageBrief::controls`](crate::brief::PageBrief::controls).
    ///
    /// # Errors
    /// As for [`Build::run`]; more variants than a page holds.
    pub fn variants(&self, brief: &Brief, source: &mut dyn LineSource) -> Result<Variants<'a>> {
        let context = self.context();
        self.grouped_for(
            brief,
            source,
            |source| {
                let mut unique = Vec::new();
                let planned = Plan::new(brief, &source.schema())?.controls;
                let requests = combinations(&planned)
                    .into_iter()
                    .map(|values| request(brief, values, source, &mut unique))
                    .collect::<Result<Vec<_>>>()?;
                Ok((unique, (planned, requests)))
            },
            |_, (planned, requests), scans, source, tally| {
                let groups: Vec<LeafGroups> =
                    scans.into_iter().map(|scan| scan.finish(self.context().threads)).collect();
                let members = |place: usize| {
                    let of = |request: &Request| {
                        let Asked { groups: own, keys, .. } = &request.jobs[0];
                        keys[place].map(|key| &groups[*own].rows.members[key])
                    };
                    requests.iter().filter_map(of).collect::<Vec<_>>()
                };
                let controls = planned.into_iter().enumerate();
                let controls = controls.map(|(place, planned)| control(planned, brief, &members(place)));
                let controls = controls.collect::<Result<Vec<_>>>()?;
                check(&controls)?;
                let (source, tally) = (source.name().to_string(), tally.clone());
                Ok(Variants { controls, requests, groups, source, tally, context })
            },
        )
    }
}

/// That there are no more variants than a page holds.
fn check(controls: &[Control]) -> Result<()> {
    let counts: Vec<(&str, usize)> = controls.iter().map(|own| (own.name(), own.choices.len())).collect();
    check_variants(&counts)
}

/// The values of all assumptions that are chosen, one combination after the other.
fn combinations(controls: &[PlannedControl]) -> Vec<Vec<(String, Amount)>> {
    let mut all = vec![Vec::new()];
    for control in controls {
        let Choices::Values { values, .. } = &control.choices else { continue };
        all = all
            .into_iter()
            .flat_map(|so_far| {
                values.iter().map(move |value| {
                    let mut next = so_far.clone();
                    next.push((control.name.clone(), value.clone()));
                    next
                })
            })
            .collect();
    }
    all
}

/// The jobs of a brief; those whose lines are not grouped yet go to `unique`.
fn request(
    brief: &Brief,
    values: Vec<(String, Amount)>,
    source: &mut dyn LineSource,
    unique: &mut Vec<Job>,
) -> Result<Request> {
    let mut brief = brief.clone();
    for (name, value) in values {
        brief.assume(&name, value)?;
    }
    let plans = Job::all(&brief, source)?;
    let mut jobs = Vec::new();
    for job in &plans {
        let mut plan = job.plan.clone();
        let own = plan.grouping.rows.len();
        let keys = plan.group_by_controls(&brief, &source.schema())?;
        let is_same =
            |known: &Job| known.plan.grouping == plan.grouping && known.plan.needed() == plan.needed();
        let groups = unique.iter().position(is_same).unwrap_or(unique.len());
        if groups == unique.len() {
            unique.push(Job::of(plan));
        }
        jobs.push(Asked { groups, own, keys });
    }
    Ok(Request { views: brief.views.clone(), jobs, plans })
}

/// At most so many members may be chosen in any combination.
const SEVERAL: usize = 8;

/// A control with its choices; of members, those that any value of an assumption lets in.
fn control(planned: PlannedControl, brief: &Brief, members: &[&Members]) -> Result<Control> {
    if let Choices::Values { values, .. } = &planned.choices {
        let value = brief.assumptions.iter().find(|own| own.name == planned.name).map(|own| &own.value);
        let is_first = |own: &Amount| value.is_some_and(|value| is_same(value, own));
        let first = values.iter().position(is_first).unwrap_or(0);
        let choices = values.iter().cloned().map(Choice::Value).collect();
        return Ok(Control { planned, choices, first });
    }
    let mut met = HashSet::new();
    let every = members.iter().flat_map(|own| own.in_order().map(|id| own.member(id)));
    let all = Members::new(every.filter(|member| met.insert(member.clone())).map(Cow::into_owned).collect());
    let all: Vec<Member> = all.in_order().map(|id| all.member(id).into_owned()).collect();
    let sets: Vec<Vec<Member>> = match planned.choices {
        Choices::Members if all.len() > SEVERAL => {
            let message = format!(
                "it has {} members, and several can be chosen of up to {SEVERAL}; leave out several, so that one is \
                 chosen or all",
                with_thousands(all.len() as u64)
            );
            return Err(Error::request(format!("control {}", planned.name), message));
        }
        Choices::Members => {
            let set = |set: usize| {
                all.iter()
                    .enumerate()
                    .filter(|(i, _)| set >> i & 1 == 1)
                    .map(|(_, own)| own.clone())
                    .collect()
            };
            (1..(1_usize << all.len()).saturating_sub(1)).map(set).collect()
        }
        _ => all.into_iter().map(|member| vec![member]).collect(),
    };
    let choices = std::iter::once(Choice::All).chain(sets.into_iter().map(Choice::Members)).collect();
    Ok(Control { planned, choices, first: 0 })
}

impl Variants<'_> {
    /// What is chosen.
    pub fn controls(&self) -> &[Control] {
        &self.controls
    }

    /// How many variants there are: one at least.
    pub fn len(&self) -> usize {
        self.controls.iter().map(|control| control.choices.len()).product()
    }

    /// Never.
    pub fn is_empty(&self) -> bool {
        false
    }

    /// The variant of the brief itself.
    pub fn first(&self) -> usize {
        self.controls.iter().fold(0, |variant, control| variant * control.choices.len() + control.first)
    }

    /// The choice of each control in a variant.
    pub fn choices(&self, variant: usize) -> Vec<usize> {
        let mut rest = variant;
        let mut choices: Vec<usize> = self
            .controls
            .iter()
            .rev()
            .map(|control| {
                let own = rest % control.choices.len();
                rest /= control.choices.len();
                own
            })
            .collect();
        choices.reverse();
        choices
    }

    /// The cross-tab of a variant, with its views.
    ///
    /// # Errors
    /// As for [`Build::run`]; a number that no variant has.
    pub fn crosstab(&self, variant: usize) -> Result<CrossTab> {
        if variant >= self.len() {
            return Err(Error::request(
                "variant",
                format!("there is no variant {variant}; the last one is {}", self.len() - 1),
            ));
        }
        let choices = self.choices(variant);
        let of_values = self.controls.iter().zip(&choices).filter(|(control, _)| !control.is_of_members());
        let place = of_values.fold(0, |place, (control, own)| place * control.choices.len() + own);
        let request = &self.requests[place];
        let jobs = request.jobs.iter().zip(&request.plans);
        let groups = jobs.map(|(asked, job)| self.narrowed(asked, job, &choices)).collect::<Result<_>>()?;
        assemble(&request.views, &request.plans, groups, (&self.source, &self.tally), self.context)
    }

    /// The leaf groups of a job, of the members that are chosen.
    fn narrowed(&self, asked: &Asked, job: &Job, choices: &[usize]) -> Result<LeafGroups> {
        let leaves = &self.groups[asked.groups];
        let mut keys: Vec<Collapsed> = Vec::new();
        for ((control, choice), key) in self.controls.iter().zip(choices).zip(&asked.keys) {
            if let (Choice::Members(chosen), Some(key)) = (&control.choices[*choice], key) {
                let (members, own) = (&leaves.rows.members[*key], leaves.rows.members_at(*key));
                let keeps = |member: u32| chosen.contains(&*members.member(MemberId(member)));
                keys.push(Collapsed::Filter(own.into_iter().map(keeps).collect()));
            }
        }
        if keys.is_empty() && leaves.rows.levels.len() == asked.own {
            return Ok(leaves.clone());
        }
        keys.extend((0..asked.own).map(Collapsed::Key));
        let (rows, row_targets) = collapse(&leaves.rows, &keys);
        let same: Vec<Collapsed> = (0..leaves.columns.levels.len()).map(Collapsed::Key).collect();
        let (columns, column_targets) = collapse(&leaves.columns, &same);
        let overflow = |_| Error::overflow("the totals");
        let narrowed =
            leaves.regrouped((rows, &row_targets), (columns, &column_targets)).map_err(overflow)?;
        let mut narrowed = without_empty_paths(narrowed).map_err(overflow)?;
        // Lines that a choice leaves out are none that a condition excludes: the report is of all lines.
        narrowed.count_blank_members(&job.plan.grouping);
        Ok(narrowed)
    }
}
