//! `pivvel compare`: what changed from one result to another, level by level.

use std::path::Path;

use pivvel::brief::MeasureBrief;
use pivvel::brief::NumberFormat;
use pivvel::compare::{Comparison, Ratio, Snapshot, read_tidy, with_ratios};
use pivvel::draw::{ChangeFormats, check_colours};
use pivvel::result::open_yardsticks;
use pivvel::source::open_source;
use pivvel::table::{TableOptions, beside, check_outputs};
use pivvel::{Brief, CrossTab, Error, Notice, Result, draw};

use crate::arguments::Compare;
use crate::briefs::{is_brief, read_brief};
use crate::outputs::report_targets;
use crate::screen;

pub(crate) fn run(compare: &Compare) -> Result<()> {
    let brief = compare.brief.as_deref().map(read_brief).transpose()?;
    let appearance = screen::appearance(&compare.drawing, brief.as_ref())?;
    let targets = report_targets(&compare.to, &compare.form, &appearance)?;
    let inputs = [&compare.earlier, &compare.later].into_iter().chain(&compare.brief);
    let inputs: Vec<String> = inputs.map(|path| path.display().to_string()).collect();
    check_outputs(&inputs, &compare.to)?;
    let (earlier, ..) = snapshot(compare, brief.as_ref(), &compare.earlier)?;
    let (later, ratios, measures) = snapshot(compare, brief.as_ref(), &compare.later)?;
    let comparison = Comparison::new(&earlier, &later, &ratios)?;
    let title = format!("From {} to {}", compare.earlier.display(), compare.later.display());
    let everything = ChangeFormats::default().measures(measures).inner(true);
    for target in &targets {
        let options = TableOptions::default().inert(compare.inert);
        target.write_changes(&comparison, (title.clone(), &everything), options)?;
        if !target.is_standard_output() {
            compare.notices.report_written(target.path());
        }
    }
    if targets.is_empty() {
        let formats = everything.limit(compare.limit).inner(false);
        let report = appearance.changes(&comparison, title, &formats);
        screen::print(&draw::report(&report, &screen::options(&compare.drawing)))?;
    }
    Ok(())
}

/// How the numbers of measures are shown, as far as a brief says it.
type Formats = Vec<(String, NumberFormat)>;

/// What is compared: a brief that is run, a brief run on these lines, or a tidy result.
fn snapshot(
    compare: &Compare,
    brief: Option<&Brief>,
    path: &Path,
) -> Result<(Snapshot, Vec<Ratio>, Formats)> {
    let name = path.display().to_string();
    let (brief, lines) = match brief {
        Some(_) if is_brief(path) => {
            let message = format!("{name} is a brief, and --brief names one, too; name lines");
            return Err(Error::request("--brief", message));
        }
        Some(brief) => (brief.clone(), path.to_path_buf()),
        None if is_brief(path) => {
            let brief = read_brief(path)?;
            let Some(lines) = brief.get_source().map(|source| beside(path, source)) else {
                return Err(Error::request(name, "it names no lines: add source = \"lines.csv\""));
            };
            (brief, lines)
        }
        None if compare.flags.change() || compare.delimiter.delimiter.is_some() => {
            let message = "flags of lines and assumptions change briefs, and this is a tidy result";
            return Err(Error::request(name, message));
        }
        None => return Ok((read_tidy(path)?, Vec::new(), Vec::new())),
    };
    let brief = compare.flags.apply(brief)?;
    check_colours(&brief)?;
    let brief = brief.views([]);
    let (brief, ratios) = with_ratios(&brief);
    let yardsticks = open_yardsticks(&brief)?;
    let mut source = open_source(&lines, &brief, &compare.effort.reading(compare.delimiter.delimiter)?)?;
    let crosstab: CrossTab = compare.effort.build()?.yardsticks(&yardsticks).run(&brief, source.as_mut())?;
    let of_run = |notice: Notice| notice.of(&name);
    // What the brief asks for is asked for both; what may be wrong is of one of them.
    let notices = crosstab.notices().into_iter().filter(|notice| !notice.code().is_asked_for()).map(of_run);
    compare.notices.report(&notices.collect::<Vec<_>>())?;
    let format = |own: &MeasureBrief| (own.get_name().to_string(), own.get_format().clone());
    let formats = brief.get_measures().iter().map(format).collect();
    Ok((Snapshot::of(name, &crosstab), ratios, formats))
}
