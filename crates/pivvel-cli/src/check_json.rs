//! What a brief comes to, as JSON, for programs that check briefs.

use pivvel::formula::Formula;
use pivvel::plan::{Dimension, Measure, Plan, PlannedEmphasis};
use pivvel::source::{SqlTable, Statement};
use pivvel::{Brief, Notice};
use serde_json::{Value, json};

use crate::check_emphasis::levels;

/// The plan, and what is to be known of it.
pub(crate) fn checked(
    brief: &Brief,
    (source, table): (&str, Option<&SqlTable>),
    plan: &Plan,
    views: &[(Brief, Plan)],
    notices: &[Notice],
) -> String {
    let mut checked = planned(plan, notices);
    checked["source"] = source.into();
    checked["reads"] = plan.needed_names().into();
    checked["related"] = brief.get_related().iter().map(|related| related.get_name()).collect();
    let assumptions =
        brief.get_assumptions().iter().map(|a| (a.get_name().to_string(), a.get_value().words().into()));
    checked["assumptions"] = Value::Object(assumptions.collect());
    checked["controls"] = plan.controls().iter().map(|control| control.name()).collect();
    checked["fill"] = json!(brief.get_fill());
    let view = |(view, (_, plan)): (&pivvel::brief::ViewBrief, &(Brief, Plan))| {
        let mut planned = planned(plan, plan.notices());
        planned["form"] = view.get_form().name().into();
        planned
    };
    checked["views"] = brief.get_views().iter().zip(views).map(view).collect();
    if let Some(table) = table {
        checked["statements"] = match plan.statements(table) {
            Ok(statements) => statements.iter().map(statement).collect(),
            Err(reason) => json!({ "reads_lines_because": reason }),
        };
    }
    format!("{checked:#}\n")
}

/// A plan, of the brief or of a view of it.
fn planned(plan: &Plan, notices: &[Notice]) -> Value {
    json!({
        "title": plan.title().to_string(),
        "condition": plan.condition(),
        "rows": plan.rows().iter().map(dimension).collect::<Value>(),
        "columns": plan.columns().iter().map(dimension).collect::<Value>(),
        "tiers": plan.tiers().iter().map(|tier| json!({
            "name": tier.name(), "of": tier.of(), "by": tier.by().as_str(), "labels": tier.labels(),
        })).collect::<Value>(),
        "measures": plan.measures().iter().map(|m| measure(plan, m)).collect::<Value>(),
        "items": plan.items().iter().map(|item| json!({
            "dimension": item.dimension(), "name": item.name(), "formula": item.formula().as_str(),
            "before_measures": item.before_measures(), "hidden": item.hidden(),
        })).collect::<Value>(),
        "emphasis": plan.emphasis().iter().map(|e| emphasis(plan, e)).collect::<Value>(),
        "notices": notices,
    })
}

fn dimension(dimension: &Dimension) -> Value {
    json!({ "name": dimension.name(), "label": dimension.label(), "kind": dimension.kind().to_string() })
}

fn measure(plan: &Plan, measure: &Measure) -> Value {
    let by_level = measure.level_formulas().iter().map(|(level, formula)| {
        (level.to_string(), formula.as_ref().map_or(Value::Null, |f: &Formula| f.as_str().into()))
    });
    json!({
        "name": measure.name(),
        "formula": measure.formula().as_str(),
        "levels": Value::Object(by_level.collect()),
        "blank_at": plan.blank_levels(measure),
        "hidden": measure.hidden(),
    })
}

fn emphasis(plan: &Plan, emphasis: &PlannedEmphasis) -> Value {
    json!({
        "form": emphasis.spec().get_form().name(),
        "on": emphasis.spec().get_on(),
        "by": emphasis.by(),
        "levels": levels(plan, emphasis),
        "rules": emphasis.rules().iter().map(|rule| json!({
            "name": rule.name(), "condition": rule.words(), "shows": rule.show().map(ToString::to_string),
        })).collect::<Value>(),
    })
}

fn statement(statement: &Statement) -> Value {
    json!({ "sql": statement.sql(), "values": statement.values() })
}
