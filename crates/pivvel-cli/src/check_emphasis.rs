//! The part of `pivvel check` that says what stands out, by which rules, and what is drawn beside.

use std::fmt::Write;

use pivvel::brief::{PanelScale, Reach, ViewBrief, emphasis_keys};
use pivvel::plan::{Dimension, Plan, PlannedEmphasis};
use pivvel::{Brief, Result};

/// What stands out, in the order in which it is tried.
pub(crate) fn emphasis(out: &mut String, plan: &Plan) -> std::fmt::Result {
    if !plan.emphasis().is_empty() {
        writeln!(out, "\nStands out, in the order in which it is tried")?;
    }
    for emphasis in plan.emphasis() {
        let spec = emphasis.spec();
        let by = if spec.get_by().is_some() { format!(" by {}", emphasis.by()) } else { String::new() };
        let levels = levels(plan, emphasis);
        let levels = if levels.is_empty() { "at no level of this layout".into() } else { levels.join(", ") };
        let reach = if spec.get_reach() == Reach::Row { ", on the whole row" } else { "" };
        writeln!(out, "  {} on {}{by}{reach}: {levels}", spec.get_form().name(), spec.get_on())?;
        if let Some(only) = &spec.get_only() {
            writeln!(out, "    where {only}")?;
        }
        if let Some(link) = &spec.get_link() {
            writeln!(out, "    leads to {link}")?;
        }
        if let Some(along) = &spec.get_along() {
            writeln!(out, "    along {along}")?;
        }
        if emphasis.has_scale() {
            writeln!(out, "    {}", scale(emphasis))?;
        }
        if !emphasis.rules().is_empty() {
            writeln!(out, "    rules, of which the first that matches wins")?;
        }
        for (i, rule) in emphasis.rules().iter().enumerate() {
            let name = if rule.name() == rule.words() { String::new() } else { format!("{}: ", rule.name()) };
            let show = rule.show().map_or(String::new(), |show| format!(" (shows {show})"));
            writeln!(out, "      {}. {name}{}{show}", i + 1, rule.words())?;
        }
    }
    Ok(())
}

/// The levels of an emphasis, finest first.
pub(crate) fn levels(plan: &Plan, emphasis: &PlannedEmphasis) -> Vec<String> {
    if let Some((side, level)) = emphasis.linked() {
        let axis = side.pick(plan.rows(), plan.columns());
        return vec![format!("members of {}", axis[level - 1].name())];
    }
    let name = |dimensions: &[Dimension], level: usize| match level {
        0 => "total".to_string(),
        level => dimensions[level - 1].name().to_string(),
    };
    let grains = emphasis.grains().iter().rev();
    grains
        .map(|grain| {
            format!("{} by {}", name(plan.rows(), grain.row()), name(plan.columns(), grain.column()))
        })
        .collect()
}

/// Keys that stand in other lines.
const IN_OTHER_LINES: [&str; 10] =
    ["on", "as", "by", "where", "levels", "reach", "peers", "along", "link", "rules"];

/// The scale: its peers, and every other key of the brief that is not the default.
fn scale(emphasis: &PlannedEmphasis) -> String {
    let spec = emphasis.spec();
    let mut words = vec![format!("peers: {}", spec.get_peers())];
    if let (None, Some(steps)) =
        (spec.get_steps(), spec.scale_steps().filter(|_| spec.get_rules().is_empty()))
    {
        words.push(format!("steps: {steps}"));
    }
    let others = emphasis_keys(spec).into_iter().filter(|(key, _)| !IN_OTHER_LINES.contains(&key.as_str()));
    words.extend(others.map(|(key, value)| format!("{key}: {value}")));
    words.join("; ")
}

/// What is drawn beside the cross-tab, each checked like a brief of its own.
///
/// # Errors
/// What is wrong with a view.
pub(crate) fn plan_views(brief: &Brief, schema: &pivvel::source::Schema) -> Result<Vec<(Brief, Plan)>> {
    let plan = |(i, view): (usize, &ViewBrief)| {
        let own = brief.of_view(i)?;
        let plan = Plan::new(&own, schema)
            .map_err(|e| e.within(format_args!("view {} ({})", i + 1, view.get_form().name())))?;
        Ok((own, plan))
    };
    brief.get_views().iter().enumerate().map(plan).collect()
}

/// The views, in sentences.
pub(crate) fn views(out: &mut String, brief: &Brief, plans: &[(Brief, Plan)]) {
    if !plans.is_empty() {
        out.push_str("\nViews beside it, from the same lines\n");
    }
    for (i, (view, (_, plan))) in brief.get_views().iter().zip(plans).enumerate() {
        let per = view.get_per().map_or(String::new(), |per| {
            format!(
                ", one for each {per} on {}",
                if view.get_scale() == PanelScale::Own { "its own scale" } else { "one scale" }
            )
        });
        out.push_str(&format!("  {}. {}: {}{per}\n", i + 1, view.get_form().name(), plan.title()));
        if let Some(condition) = &plan.condition() {
            out.push_str(&format!("     of lines where {condition}\n"));
        }
        for notice in plan.notices() {
            out.push_str(&format!("     Warning: {notice}\n"));
        }
    }
}
