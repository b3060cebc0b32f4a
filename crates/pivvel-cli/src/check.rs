//! `pivvel check`: what a brief comes to, in plain words, before any line is counted.

use std::fmt::Write;

use pivvel::{Direction, Error, Kind, OrderBy, Placement, Plan, Result, Target, beside, open_source};

use crate::arguments::Check;
use crate::build::{folder_of, read_brief};
use crate::screen;

pub(crate) fn run(check: &Check) -> Result<()> {
    let brief = read_brief(&check.brief)?;
    brief.to.iter().try_for_each(|path| Target::new(beside(&check.brief, path)).map(drop))?;
    let lines = check.source.clone().or(brief.source.as_deref().map(|s| beside(&check.brief, s)));
    let Some(lines) = lines else {
        let message = "it names no lines: add source = \"lines.csv\" or say --source lines.csv";
        return Err(Error::request(check.brief.display().to_string(), message));
    };
    let source = open_source(&lines, &brief, folder_of(&check.brief), None)?;
    let plan = Plan::new(&brief, &source.schema())?;
    if let Some(trouble) = plan.needed_names().iter().find_map(|name| source.trouble(name)) {
        return Err(Error::request(source.name(), trouble));
    }
    let mut text = String::new();
    // Writing into a string cannot fail.
    let _ = describe(&mut text, &plan, source.name());
    screen::print(&text)
}

fn describe(out: &mut String, plan: &Plan, source: &str) -> std::fmt::Result {
    writeln!(out, "{}", plan.title)?;
    writeln!(out, "\nReads from {source}: {}", plan.needed_names().join(", "))?;
    if let Some(condition) = &plan.condition {
        writeln!(out, "Keeps lines where {condition}")?;
    }
    for (axis, dimensions, totals) in
        [("Rows", &plan.rows, &plan.row_totals), ("Columns", &plan.columns, &plan.column_totals)]
    {
        if dimensions.is_empty() {
            writeln!(out, "\n{axis}: none, so there is one total")?;
            continue;
        }
        writeln!(out, "\n{axis}")?;
        for (level, dimension) in dimensions.iter().enumerate() {
            let order = match (&dimension.order.by, dimension.kind) {
                (OrderBy::Natural, Kind::Date) => "in calendar order".to_string(),
                (OrderBy::Natural, Kind::Text) => {
                    "by label; by the calendar if it names months or weekdays".into()
                }
                (OrderBy::Natural, _) => "by size".into(),
                (OrderBy::Label, _) => "by label".into(),
                (OrderBy::Cells(formula), _) => format!("by {formula}"),
            };
            let way = match dimension.order.direction {
                Direction::Ascending => "",
                Direction::Descending => ", highest first",
            };
            let total = totals.get(level + 1).map_or("", |place| match place {
                Placement::Before => "; subtotal before its members",
                Placement::After => "; subtotal after its members",
                Placement::Off => "; no subtotal",
            });
            writeln!(out, "  {}{}: {order}{way}{total}", "  ".repeat(level), dimension.name)?;
        }
        let total = match totals[0] {
            Placement::Before => "before all",
            Placement::After => "after all",
            Placement::Off => "none",
        };
        writeln!(out, "  total: {total}")?;
    }
    writeln!(out, "\nMeasures")?;
    for measure in &plan.measures {
        let totals = if measure.totals { "" } else { "; leaf cells only" };
        writeln!(out, "  {} = {}{totals}", measure.name, measure.formula)?;
    }
    if !plan.tints.is_empty() {
        writeln!(out, "\nTints, each on a scale of its own")?;
    }
    for tint in &plan.tints {
        let name = |dimensions: &[pivvel::Dimension], level: usize| match level {
            0 => "total".to_string(),
            level => dimensions[level - 1].name.clone(),
        };
        for (row, column) in tint.grains.iter().rev() {
            let measure =
                plan.measures.iter().filter(|m| !m.hidden).nth(tint.measure).map_or("", |m| &m.name);
            writeln!(out, "  {measure}: {} by {}", name(&plan.rows, *row), name(&plan.columns, *column))?;
        }
    }
    for warning in &plan.warnings {
        writeln!(out, "\nWarning: {warning}")?;
    }
    Ok(())
}
