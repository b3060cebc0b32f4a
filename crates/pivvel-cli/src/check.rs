//! `pivvel check`: what a brief comes to, in plain words, before any line is counted.

use std::fmt::Write;

use pivvel::brief::{Amount, AssumptionBrief, Direction, FillBrief, OrderBy, Placement, TotalsOf};
use pivvel::draw::check_colours;
use pivvel::formula::Formula;
use pivvel::plan::{Choices, Pick, Plan, PlannedTier};
use pivvel::result::{Audience, open_yardsticks};
use pivvel::source::{Kind, ReadOptions, SqlTable, open_source};
use pivvel::table::{Target, beside};
use pivvel::{Brief, Build, Error, Result};

use crate::arguments::Check;
use crate::{check_emphasis, check_json, screen};

pub(crate) fn run(check: &Check) -> Result<()> {
    let (brief, lines) = check.lines.of(&check.brief)?;
    brief.get_to().iter().try_for_each(|path| Target::new(beside(&check.brief, path)).map(drop))?;
    let reading = ReadOptions::default().delimiter(check.lines.delimiter.delimiter);
    let mut source = open_source(&lines, &brief, &reading)?;
    let plan = Plan::new(&brief, &source.schema())?;
    if let Some(trouble) = plan.needed_names().iter().find_map(|name| source.trouble(name)) {
        return Err(Error::request(source.name(), trouble));
    }
    let views = check_emphasis::plan_views(&brief, &source.schema())?;
    let table = source.pushdown().and_then(|database| database.sql_table());
    let text = match check.json {
        true => String::new(),
        false => text(&brief, (source.name(), table.as_ref()), &plan, &views),
    };
    let mut notices = plan.notices().to_vec();
    notices.extend(check_colours(&brief)?);
    // Whether a member is there is known only once the lines are read.
    if plan.names_members() {
        let crosstab = Build::new().yardsticks(&open_yardsticks(&brief)?).run(&brief, source.as_mut())?;
        let found = crosstab.notices().into_iter().filter(|notice| !plan.notices().contains(notice));
        notices.extend(found.filter(|notice| notice.audience() == Audience::Author));
    }
    match check.json {
        true => screen::print(&check_json::checked(
            &brief,
            (source.name(), table.as_ref()),
            &plan,
            &views,
            &notices,
        ))?,
        false => {
            let warnings = notices.iter().map(|notice| format!("\nWarning: {notice}\n"));
            screen::print_text(&warnings.fold(text, |text, warning| text + &warning), &check.screen)?;
        }
    }
    match check.strict && !notices.is_empty() {
        true => Err(Error::data("--strict", "there are warnings")),
        false => Ok(()),
    }
}

/// What the brief comes to, in sentences.
fn text(
    brief: &Brief,
    (source, table): (&str, Option<&SqlTable>),
    plan: &Plan,
    views: &[(Brief, Plan)],
) -> String {
    let mut text = String::new();
    let described = brief.clone().with_files(file_name);
    // Writing into a string cannot fail.
    let _ = describe_sources(&mut text, &described, source, plan);
    let _ = describe(&mut text, plan);
    check_emphasis::views(&mut text, brief, views);
    if let Some(table) = table {
        let _ = describe_statements(&mut text, plan, table);
    }
    text
}

/// What the database is asked for, or why it is asked for lines.
fn describe_statements(out: &mut String, plan: &Plan, table: &SqlTable) -> std::fmt::Result {
    match plan.statements(table) {
        Ok(statements) => {
            writeln!(out, "\nThe database groups the lines")?;
            for statement in statements {
                writeln!(out, "  {}", statement.sql())?;
                if !statement.values().is_empty() {
                    writeln!(out, "    with {}", statement.values().join(", "))?;
                }
            }
            writeln!(out, "  Where values are not as these take them to be, the lines are read.")
        }
        Err(reason) => writeln!(out, "\nThe lines are read from the database: {reason}"),
    }
}

fn file_name(path: &str) -> String {
    std::path::Path::new(path)
        .file_name()
        .map_or(path.to_string(), |name| name.to_string_lossy().into_owned())
}

/// Which cells there are beside those of the lines.
fn filled(fill: &FillBrief) -> String {
    let mut text = format!("Fills {}", fill.get_of().join(" with "));
    let mut more = |what: &str, names: &str| text.push_str(&format!("{what}{names}"));
    fill.get_first().iter().for_each(|first| more(", from ", first));
    fill.get_last().iter().for_each(|last| more(", to ", last));
    fill.get_related().iter().for_each(|table| more(", with the rows of ", table));
    if !fill.get_members().is_empty() {
        more(", also ", &fill.get_members().join(", "));
    }
    text
}

/// What is read, and what is assumed, derived and classified before there are cells.
fn describe_sources(out: &mut String, brief: &Brief, source: &str, plan: &Plan) -> std::fmt::Result {
    writeln!(out, "{}", plan.title())?;
    let related: Vec<&str> = brief.get_related().iter().map(|related| related.get_source()).collect();
    let sources = std::iter::once(source).chain(related).collect::<Vec<_>>().join(" and ");
    writeln!(out, "\nReads from {sources}: {}", plan.needed_names().join(", "))?;
    for related in brief.get_related() {
        let keys: Vec<String> =
            related.get_keys().iter().map(|(own, theirs)| format!("{own} = {theirs}")).collect();
        writeln!(out, "Looks up {} by {}", related.get_source(), keys.join(" and "))?;
    }
    for (name, formula) in brief.get_derived() {
        writeln!(out, "Derives {name} = {formula}, line by line")?;
    }
    if let Some(condition) = &plan.condition() {
        writeln!(out, "Keeps lines where {condition}")?;
    }
    for assumption in brief.get_assumptions() {
        let bounds = bounds(assumption);
        writeln!(out, "Assumes {} = {}{bounds}", assumption.get_name(), assumption.get_value().words())?;
    }
    brief.get_fill().iter().try_for_each(|fill| writeln!(out, "{}", filled(fill)))?;
    for control in plan.controls() {
        let what = match control.choices() {
            Choices::Values { values, .. } => format!("one of {} values", values.len()),
            Choices::Members => "any members".to_string(),
            _ => "one member or all".to_string(),
        };
        writeln!(out, "Lets readers of a page choose {}: {what}", control.name())?;
    }
    plan.tiers().iter().try_for_each(|tier| describe_tier(out, tier, brief))
}

/// The values that an assumption may have, after its own.
fn bounds(assumption: &AssumptionBrief) -> String {
    match (assumption.get_low().map(Amount::words), assumption.get_high().map(Amount::words)) {
        (Some(low), Some(high)) => format!(", from {low} to {high}"),
        (Some(low), None) => format!(", {low} or more"),
        (None, Some(high)) => format!(", {high} or less"),
        (None, None) if assumption.get_choices().is_empty() => String::new(),
        _ => {
            let choices: Vec<String> = assumption.get_choices().iter().map(Amount::words).collect();
            format!(", one of {}", choices.join(", "))
        }
    }
}

fn describe_tier(out: &mut String, tier: &PlannedTier, brief: &Brief) -> std::fmt::Result {
    let within = match tier.within().is_empty() {
        true => String::new(),
        false => format!(", within each {}", tier.within().join(" and ")),
    };
    writeln!(out, "Tiers {} of {} by {}{within}", tier.name(), tier.of(), tier.by())?;
    let spec = brief.get_tiers().iter().find(|spec| spec.get_name() == tier.name());
    let cuts: Vec<&Amount> =
        spec.into_iter().flat_map(|spec| spec.get_cuts().iter().chain(spec.get_quantiles())).collect();
    for (i, label) in tier.labels().iter().enumerate() {
        let share = if tier.quantiles() { " of members" } else { "" };
        let range = match (i.checked_sub(1).and_then(|i| cuts.get(i)), cuts.get(i)) {
            (None, Some(high)) => format!("below {high}{share}"),
            (Some(low), Some(high)) => format!("from {low} to below {high}{share}"),
            (Some(low), None) => format!("from {low}{share} upward"),
            (None, None) => String::new(),
        };
        writeln!(out, "  {label}: {range}")?;
    }
    Ok(())
}

fn describe(out: &mut String, plan: &Plan) -> std::fmt::Result {
    axes(out, plan)?;
    measures(out, plan)?;
    items(out, plan)?;
    check_emphasis::emphasis(out, plan)
}

fn axes(out: &mut String, plan: &Plan) -> std::fmt::Result {
    for (axis, dimensions, totals) in
        [("Rows", plan.rows(), plan.row_totals()), ("Columns", plan.columns(), plan.column_totals())]
    {
        if dimensions.is_empty() {
            writeln!(out, "\n{axis}: none, so there is one total")?;
            continue;
        }
        writeln!(out, "\n{axis}")?;
        for (level, dimension) in dimensions.iter().enumerate() {
            let order = match (dimension.order().by(), dimension.kind()) {
                (OrderBy::Natural, _) if plan.tiers().iter().any(|tier| tier.name() == dimension.name()) => {
                    "from the lowest tier up".to_string()
                }
                (OrderBy::Natural, Kind::Date) => "in calendar order".to_string(),
                (OrderBy::Natural, Kind::Text) => {
                    "by label; by the calendar if it names months or weekdays".into()
                }
                (OrderBy::Label, _) => "by label".into(),
                (OrderBy::Cells(formula), _) => format!("by {formula}"),
                (OrderBy::Members(first), _) => format!("{} first", first.join(", ")),
                _ => "by size".into(),
            };
            let way = match dimension.order().direction() {
                Direction::Ascending => "",
                Direction::Descending => ", highest first",
            };
            let total = totals.get(level + 1).map_or("", |place| match place {
                Placement::Before => "; subtotal before its members",
                Placement::Off => "; no subtotal",
                _ => "; subtotal after its members",
            });
            writeln!(out, "  {}{}: {order}{way}{total}", "  ".repeat(level), dimension.name())?;
            for sentences in picked(dimension.pick()) {
                writeln!(out, "  {}  {sentences}", "  ".repeat(level))?;
            }
        }
        let total = match totals[0] {
            Placement::Before => "before all",
            Placement::Off => "none",
            _ => "after all",
        };
        writeln!(out, "  total: {total}")?;
    }
    Ok(())
}

fn measures(out: &mut String, plan: &Plan) -> std::fmt::Result {
    writeln!(out, "\nMeasures")?;
    for measure in plan.measures() {
        let totals = if measure.totals() { "" } else { "; leaf cells only" };
        let hidden = if measure.hidden() { "; computed and not shown" } else { "" };
        writeln!(out, "  {} = {}{totals}{hidden}", measure.name(), measure.formula())?;
        for (level, formula) in measure.level_formulas() {
            writeln!(out, "    at {level}: {}", formula.as_ref().map_or("nothing", Formula::as_str))?;
        }
        let blank = plan.blank_levels(measure);
        if measure.totals() && !blank.is_empty() {
            writeln!(out, "    blank at {}", blank.join(", "))?;
        }
    }
    Ok(())
}

fn items(out: &mut String, plan: &Plan) -> std::fmt::Result {
    if !plan.items().is_empty() {
        writeln!(out, "\nItems, in the order in which they are applied; no total takes them in")?;
    }
    for (i, item) in plan.items().iter().enumerate() {
        let when = match item.before_measures() {
            true if item.is_group() => "to lines: its members are taken together as one",
            true => "to aggregates, before formula measures",
            false => "to measures",
        };
        let hidden = if item.hidden() { "; computed and not shown" } else { "" };
        writeln!(
            out,
            "  {}. {}: {} = {}, applied {when}{hidden}",
            i + 1,
            item.dimension(),
            item.name(),
            item.formula()
        )?;
    }
    if plan.items().len() > 1 {
        writeln!(out, "  where two meet in a cell, the later one is applied to what the earlier one gives")?;
    }
    Ok(())
}

/// Which members are shown, in words.
fn picked(pick: &Pick) -> Vec<String> {
    let mut sentences = Vec::new();
    if !pick.only().is_empty() {
        sentences.push(format!("shows {} only", pick.only().join(", ")));
    }
    if !pick.except().is_empty() {
        sentences.push(format!("leaves out {}", pick.except().join(", ")));
    }
    if let Some(having) = &pick.having() {
        sentences.push(format!("shows members with {having}"));
    }
    if let Some(top) = &pick.top() {
        let which = if pick.lowest() { "lowest" } else { "highest" };
        let overall = if top.get_overall() { "overall" } else { "within each parent" };
        let rest = top.get_others().map_or(String::new(), |others| format!(", the rest as {others}"));
        sentences.push(format!("keeps the {} {which} by {}, {overall}{rest}", top.get_count(), top.get_by()));
    }
    let gathers = pick.top().as_ref().is_some_and(|top| top.get_others().is_some());
    if !sentences.is_empty() && !gathers {
        sentences.push(match pick.totals_of() {
            TotalsOf::Shown => "totals cover what is shown only".into(),
            _ => "totals cover what is not shown, too".into(),
        });
    }
    sentences
}
