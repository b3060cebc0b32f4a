//! `pivvel compare`: what changed from one result to another, level by level.

use std::path::Path;

use pivvel::{
    Brief, Change, Comparison, CrossTab, Error, LevelChange, LineColumn, Mixed, NumberFormat, Ratio, Result,
    Snapshot, State, TableOptions, Value, beside, draw_lines, open_source, open_yardsticks, read_tidy,
    show_number, with_ratios, write_comparison,
};

use crate::apply::assume;
use crate::arguments::Compare;
use crate::build::{is_brief, read_brief};
use crate::screen;

pub(crate) fn run(compare: &Compare) -> Result<()> {
    let (earlier, ..) = snapshot(compare, &compare.earlier)?;
    let (later, ratios, formats) = snapshot(compare, &compare.later)?;
    let comparison = Comparison::new(&earlier, &later, &ratios)?;
    for path in &compare.to {
        write_comparison(&comparison, path, TableOptions { inert: compare.inert })?;
        if path.as_os_str() != "-" {
            eprintln!("wrote {}", path.display());
        }
    }
    if compare.to.is_empty() {
        let heading = format!("From {} to {}\n", compare.earlier.display(), compare.later.display());
        screen::print(&(heading + &told(&comparison, &formats, compare)))?;
    }
    Ok(())
}

/// How the numbers of measures are shown, as far as a brief says it.
type Formats = Vec<(String, NumberFormat)>;

/// What is compared: a brief that is run, a brief run on these lines, or a tidy result.
fn snapshot(compare: &Compare, path: &Path) -> Result<(Snapshot, Vec<Ratio>, Formats)> {
    let name = path.display().to_string();
    let (mut brief, lines) = match &compare.brief {
        Some(brief) if is_brief(path) => {
            let message = format!("{name} is a brief, and {} is named, too; name lines", brief.display());
            return Err(Error::request("--brief", message));
        }
        Some(brief) => (read_brief(brief)?, path.to_path_buf()),
        None if is_brief(path) => {
            let brief = read_brief(path)?;
            let Some(lines) = brief.source.as_deref().map(|source| beside(path, source)) else {
                return Err(Error::request(name, "it names no lines: add source = \"lines.csv\""));
            };
            (brief, lines)
        }
        None => return Ok((read_tidy(path)?, Vec::new(), Vec::new())),
    };
    assume(&compare.assume, &mut brief)?;
    let (brief, ratios) = with_ratios(&Brief { views: Vec::new(), ..brief });
    let yardsticks = open_yardsticks(&brief)?;
    let mut source = open_source(&lines, &brief, None)?;
    let crosstab: CrossTab = compare.effort.run()?.yardsticks(&yardsticks).build(&brief, source.as_mut())?;
    let formats = brief.measures.iter().map(|m| (m.name.clone(), m.format.clone())).collect();
    Ok((Snapshot::of(name, &crosstab), ratios, formats))
}

/// The comparison in words and tables.
fn told(comparison: &Comparison, formats: &Formats, compare: &Compare) -> String {
    let mut text = String::new();
    comparison.notes().iter().for_each(|note| text += &format!("{note}\n"));
    comparison.levels().iter().for_each(|level| text += &members(level));
    let totals: Vec<&Change> =
        comparison.changes().iter().filter(|change| change.levels[1] == "total").collect();
    // Where there is no column of totals every column is told.
    let told = if totals.is_empty() { comparison.changes().iter().collect() } else { totals };
    let mut groups: Vec<(&str, &[String; 2], Vec<&Change>)> = Vec::new();
    for change in told {
        match groups.iter_mut().find(|(m, levels, _)| *m == change.measure && **levels == change.levels) {
            Some((.., group)) => group.push(change),
            None => groups.push((&change.measure, &change.levels, vec![change])),
        }
    }
    groups.sort_by_key(|(measure, levels, _)| {
        let at =
            |name: &str| comparison.dimensions().iter().position(|d| d == name).map_or(0, |place| place + 1);
        let first = comparison.changes().iter().position(|change| change.measure == *measure);
        (first, at(&levels[0]), at(&levels[1]))
    });
    for (measure, levels, mut group) in groups {
        let by =
            if levels[1] == "total" { levels[0].clone() } else { format!("{} by {}", levels[0], levels[1]) };
        text += &format!("\n{measure} by {by}\n");
        let size = |change: &Change| change.change.map_or(-1.0, |value| value.as_f64().abs());
        group.sort_by(|a, b| size(b).total_cmp(&size(a)));
        let all = group.len();
        group.truncate(compare.limit);
        let format = formats.iter().find(|(name, _)| name == measure).map(|(_, format)| format.clone());
        text += &table(&group, &format.unwrap_or_default(), compare);
        if group.len() < all {
            text += &format!("{} smaller changes are not shown; see all: --limit {all}\n", all - group.len());
        }
    }
    let whole = |mixed: &&Mixed| mixed.levels == ["total", "total"];
    comparison.mixed().iter().filter(whole).for_each(|mixed| text += &mix(mixed, comparison));
    text
}

/// Members that came and went.
fn members(level: &LevelChange) -> String {
    let list = |paths: &[Vec<String>]| {
        let named: Vec<String> = paths.iter().take(8).map(|path| path.join(" > ")).collect();
        let more = if paths.len() > 8 { format!(" and {} more", paths.len() - 8) } else { String::new() };
        format!("{}{more}", named.join(", "))
    };
    let said = [("new", &level.new), ("gone", &level.gone)];
    let said = said.into_iter().filter(|(_, paths)| !paths.is_empty());
    said.map(|(word, paths)| format!("{word} in {}: {}\n", level.dimension, list(paths))).collect()
}

fn percent(share: f64) -> String {
    let format = NumberFormat::named("percent").unwrap_or_default();
    show_number(&Value::Float(share), &format)
}

fn table(group: &[&Change], format: &NumberFormat, compare: &Compare) -> String {
    let shown = |value: Option<Value>| value.map_or(String::new(), |value| show_number(&value, format));
    let column = |name: &str, is_number| LineColumn { name: name.into(), is_number };
    let columns = [
        column("member", false),
        column("earlier", true),
        column("later", true),
        column("change", true),
        column("in percent", true),
        column("rank", false),
    ];
    let row = |change: &&Change| {
        let path: Vec<&str> = change.members.iter().flatten().map(String::as_str).collect();
        let name = if path.is_empty() { "total".to_string() } else { path.join(" > ") };
        let rank = match (change.state, change.ranks) {
            (State::New, _) => "new".to_string(),
            (State::Gone, _) => "gone".to_string(),
            (State::Both, [Some(a), Some(b)]) if a != b => format!("{a} to {b}"),
            (State::Both, [Some(a), Some(_)]) if change.peer_count > 1 => a.to_string(),
            _ => String::new(),
        };
        let relative = change.relative.map(percent).unwrap_or_default();
        vec![name, shown(change.earlier), shown(change.later), shown(change.change), relative, rank]
    };
    draw_lines(&columns, &group.iter().map(row).collect::<Vec<_>>(), &screen::options(&compare.screen))
}

/// The change of a whole ratio, taken apart.
fn mix(mixed: &Mixed, comparison: &Comparison) -> String {
    let Mixed { measure, ratios, own, mix, parts, .. } = mixed;
    let points = |share: f64| {
        let shown = format!("{:+.2}", share * 100.0);
        // What rounds to nothing has no sign.
        if shown.ends_with("0.00") && shown.len() == 5 { "0.00".to_string() } else { shown }
    };
    let outermost = comparison.dimensions().first().map_or("members", String::as_str);
    let mut text = format!(
        "\n{measure} went from {} to {}: {} points by the members' own, {} by their mix ({outermost})\n",
        percent(ratios[0]),
        percent(ratios[1]),
        points(*own),
        points(*mix)
    );
    let widest = parts.iter().map(|part| part.member.chars().count()).max().unwrap_or(0);
    for part in parts {
        let pad = " ".repeat(widest - part.member.chars().count());
        text +=
            &format!("  {}{pad}  own {:>7}  mix {:>7}\n", part.member, points(part.own), points(part.mix));
    }
    text
}
