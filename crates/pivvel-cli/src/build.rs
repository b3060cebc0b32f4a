//! `pivvel build`: the cross-tab of a brief, or of a file of lines and flags.

use std::num::NonZero;
use std::path::{Path, PathBuf};

use pivvel::draw::{Appearance, check_colours};
use pivvel::plan::Plan;
use pivvel::result::{
    Groups, Variants, Yardsticks, open_groups, open_yardsticks, save_groups, save_yardsticks,
};
use pivvel::source::open_source;
use pivvel::table::{
    LevelFiles, Shape, TableSpec, Target, TargetOptions, beside, check_outputs, write_whole,
};
use pivvel::text::without_secrets;
use pivvel::{Brief, CrossTab, Error, Result, brief};

use crate::arguments::{Build, TableShape};
use crate::briefs::{apart_on_standard_input, inputs, is_brief, read_brief};
use crate::effort::watched;
use crate::messages::print_message;
use crate::screen;
use crate::texts::names;

pub(crate) fn run(build: &Build) -> Result<()> {
    match build.more.is_empty() {
        true => one(build),
        false => several(build),
    }
}

/// Runs several briefs, each by itself, and says in the end which of them failed.
fn several(build: &Build) -> Result<()> {
    let inputs: Vec<&PathBuf> = std::iter::once(&build.input).chain(&build.more).collect();
    if let Some(other) = inputs.iter().find(|input| !is_brief(input)) {
        let message = format!("{} is no brief, and several inputs are briefs (.toml) each", other.display());
        return Err(Error::request("build", message));
    }
    let one_file =
        build.to.iter().chain(&build.save_brief).chain(&build.save_yardsticks).chain(&build.save_groups);
    let to_standard_output = (!build.form.paths(&[]).is_empty()).then(|| PathBuf::from("-"));
    if let Some(file) = one_file.chain(&build.split_levels).chain(&to_standard_output).next() {
        let file =
            if file.as_os_str() == "-" { "standard output".into() } else { file.display().to_string() };
        let message = format!(
            "{} briefs would all write {file}; let each brief name its own file with to = […]",
            inputs.len(),
        );
        return Err(Error::request("build", message));
    }
    one_writes_to_standard_output(&inputs)?;
    let mut failed: Vec<(String, Error)> = Vec::new();
    for input in &inputs {
        print_message(&format!("{}:", input.display()));
        let own = Build { input: (*input).clone(), more: Vec::new(), ..build.clone() };
        match one(&own) {
            Err(error) if error.is_broken_pipe() => return Err(error),
            Err(error) => {
                print_message(&format!("pivvel: {error}"));
                failed.push((input.display().to_string(), error));
            }
            Ok(()) => {}
        }
    }
    let names: Vec<&str> = failed.iter().map(|(name, _)| name.as_str()).collect();
    let message = format!("{} of {} briefs failed: {}", names.len(), inputs.len(), names.join(", "));
    match failed.iter().any(|(_, error)| !error.is_request()) {
        _ if failed.is_empty() => {
            print_message(&format!("{} briefs done", inputs.len()));
            Ok(())
        }
        true => Err(Error::data("build", message)),
        false => Err(Error::request("build", message)),
    }
}

/// Checks that the tables of several briefs do not follow one another on standard output. A brief that cannot be read is
/// reported when it is run.
fn one_writes_to_standard_output(inputs: &[&PathBuf]) -> Result<()> {
    let writes =
        |input: &&&PathBuf| read_brief(input).is_ok_and(|brief| brief.get_to().iter().any(|to| to == "-"));
    let names: Vec<String> = inputs.iter().filter(writes).map(|input| input.display().to_string()).collect();
    match names.len() {
        0 | 1 => Ok(()),
        _ => {
            let message = format!(
                "{} all write to standard output, where only one table can stand; let each name its own file",
                names.join(" and ")
            );
            Err(Error::request("build", message))
        }
    }
}

/// The brief before flags change it, the files that it names, and where the lines are.
fn brief_and_targets(build: &Build) -> Result<(Brief, Vec<Target>, Option<PathBuf>)> {
    let mut brief = Brief::new();
    let mut targets = Vec::new();
    let mut lines = build.source.clone();
    if build.is_brief() {
        apart_on_standard_input(&build.input, build.source.as_deref())?;
        brief = read_brief(&build.input)?;
        // What a brief names is beside it; what is typed is beside the one who types.
        lines = lines.or(brief.get_source().map(|source| beside(&build.input, source)));
        let own = brief.get_to().iter().map(|path| Target::new(beside(&build.input, path)));
        targets = own.collect::<Result<_>>()?;
        // What is tried takes no place of what the brief keeps.
        if build.flags.change() && build.save_brief.is_none() {
            let kept: Vec<String> =
                targets.drain(..).map(|target| target.path().display().to_string()).collect();
            if !kept.is_empty() && !build.notices.quiet {
                let files = kept.join(", ");
                print_message(&format!(
                    "not written, because flags changed the brief for this run: {files}; add --to to write a file"
                ));
            }
        }
    } else if let Some(other) = &build.source {
        let message =
            format!("{} and {} both name lines; leave one out", build.input.display(), other.display());
        return Err(Error::request("--source", message));
    } else {
        lines = Some(build.input.clone());
    }
    Ok((brief, targets, lines))
}

fn one(build: &Build) -> Result<()> {
    let (brief, own_targets, lines) = brief_and_targets(build)?;
    let brief = build.flags.apply(brief)?;
    check_colours(&brief)?;
    let to = build.form.paths(&build.to);
    let typed = to.iter().map(|path| match path.as_os_str() == "-" {
        true => Target::to_standard_output(build.form.ending()),
        false => Target::new(path),
    });
    let targets = own_targets.into_iter().map(Ok).chain(typed).collect::<Result<Vec<_>>>()?;
    let appearance = screen::appearance(&build.drawing, Some(&brief))?;
    let options = options(build, &appearance)?;
    let level_files = build.split_levels.as_ref().map(LevelFiles::new).transpose()?;
    let targets: Vec<Target> = targets.into_iter().map(|target| target.with(options.clone())).collect();
    if let Some(view) = build.view.filter(|view| *view == 0 || *view > brief.get_views().len()) {
        let message = format!("the brief has {} views, and none is number {view}", brief.get_views().len());
        return Err(Error::request("--view", message));
    }
    let kept = build.save_brief.iter().chain(&build.save_yardsticks).chain(&build.save_groups);
    let kept: Vec<&Path> = kept.map(PathBuf::as_path).collect();
    check_folders(&targets, kept.iter().copied())?;
    let outputs = targets.iter().filter(|t| !t.is_standard_output()).map(Target::path).chain(kept);
    check_outputs(&build.inputs(&brief, lines.as_deref()), &outputs.collect::<Vec<_>>())?;
    let yardsticks = open_yardsticks(&brief)?;
    let answers = targets.iter().any(Target::is_page);
    let Built { crosstab, groups, variants } = built(build, &brief, lines.as_deref(), &yardsticks, answers)?;
    // Check all targets before the first one is written.
    targets.iter().try_for_each(|target| target.check_size(&crosstab))?;
    let to_screen = to.is_empty() && build.split_levels.is_none();
    // On a screen they stand under the cross-tab.
    if !to_screen || build.notices.strict {
        build.notices.report(&crosstab.notices())?;
    }
    keep(build, (&brief, lines.as_deref()), &crosstab, groups.as_ref())?;
    for target in &targets {
        match variants.as_ref().filter(|_| target.is_page()) {
            Some(variants) => target.write_variants(variants)?,
            None => target.write(&crosstab)?,
        }
        if !target.is_standard_output() {
            build.notices.report_written(target.path());
        }
    }
    if let Some(files) = &level_files {
        files.write(&crosstab, &options)?.iter().for_each(|path| build.notices.report_written(path));
    }
    // Whoever wants a file wants no screenful beside it.
    if !to_screen {
        return Ok(());
    }
    screen::print_crosstab(&crosstab, &appearance, &build.drawing)?;
    if !build.notices.quiet {
        views_not_drawn(&crosstab).iter().for_each(|message| print_message(message));
    }
    Ok(())
}

/// Writes the groups, the yardsticks and the brief, where they are to be kept for later runs.
fn keep(
    build: &Build,
    (brief, lines): (&Brief, Option<&Path>),
    crosstab: &CrossTab,
    groups: Option<&Groups>,
) -> Result<()> {
    if let (Some(path), Some(groups)) = (&build.save_groups, groups) {
        save_groups(path, groups)?;
        build.notices.report_written(path);
    }
    if let Some(path) = &build.save_yardsticks {
        save_yardsticks(path, &crosstab.yardsticks())?;
        build.notices.report_written(path);
    }
    if let (Some(path), Some(lines)) = (&build.save_brief, lines) {
        save_brief(brief, build, path, lines)?;
    }
    Ok(())
}

/// What a run makes of lines or of kept groups.
struct Built<'a> {
    crosstab: CrossTab,
    /// Those that are to be kept.
    groups: Option<Groups>,
    /// What readers of a page can choose.
    variants: Option<Variants<'a>>,
}

/// The cross-tab of lines or of kept groups; for a page also what its readers can choose.
fn built<'a>(
    build: &Build,
    brief: &Brief,
    lines: Option<&Path>,
    yardsticks: &'a [(String, Yardsticks)],
    page: bool,
) -> Result<Built<'a>> {
    let answers = page && !brief.get_page().get_controls().is_empty();
    if !build.groups.is_empty() {
        if answers && !build.notices.quiet {
            print_message("the page has no controls: these need the lines, and kept groups are read");
        }
        let groups = build.groups.iter().map(|path| open_groups(path)).collect::<Result<Vec<Groups>>>()?;
        let crosstab = build.effort.build()?.yardsticks(yardsticks).from_groups(brief, &groups)?;
        return Ok(Built { crosstab, groups: None, variants: None });
    }
    let variants = match lines.filter(|_| answers) {
        Some(lines) => Some(variants(build, brief, lines, yardsticks)?),
        None => None,
    };
    let (crosstab, groups) = match &variants {
        Some(variants) if build.save_groups.is_none() => (variants.crosstab(variants.first())?, None),
        _ => from_lines(build, brief, lines, yardsticks)?,
    };
    Ok(Built { crosstab, groups, variants })
}

/// What a terminal does not show of a brief.
fn views_not_drawn(crosstab: &CrossTab) -> Option<String> {
    let titles: Vec<&str> = crosstab.views().iter().map(|view| view.crosstab().title()).collect();
    let them = match titles.len() {
        0 => return None,
        1 => "1 view is not drawn on a terminal".to_string(),
        many => format!("{many} views are not drawn on a terminal"),
    };
    Some(format!("{them}: {}; add --to page.html to see all on a page", titles.join("; ")))
}

impl Build {
    /// Whether a brief is run: - stands for lines, or, where these are named, for a brief.
    fn is_brief(&self) -> bool {
        is_brief(&self.input) || self.input.as_os_str() == "-" && self.source.is_some()
    }

    /// All that the run reads.
    fn inputs(&self, brief: &Brief, lines: Option<&Path>) -> Vec<String> {
        let none = Path::new("-");
        // A brief may be written over itself: its keys and comments are kept.
        let again = self.save_brief.as_ref().is_some_and(|saved| *saved == self.input);
        let own = if self.is_brief() && !again { &self.input } else { none };
        let lines = lines.filter(|_| self.groups.is_empty()).unwrap_or(none);
        let mut all = inputs(own, brief, lines);
        all.extend(self.groups.iter().map(|path| path.display().to_string()));
        all
    }
}

/// How files are written.
fn options(build: &Build, appearance: &Appearance) -> Result<TargetOptions> {
    if build.with_decisions && !matches!(build.shape, None | Some(TableShape::Tidy)) {
        let message = "only the tidy result has these columns; leave --shape out";
        return Err(Error::request("--with-decisions", message));
    }
    let shape = |shape| match shape {
        TableShape::Tidy => Shape::Tidy,
        TableShape::Cells => Shape::Cells,
        TableShape::Wide => Shape::Wide,
    };
    Ok(TargetOptions::default()
        .view(build.view)
        .shape(build.shape.map(shape))
        .levels(build.only_levels.as_deref().map(names).unwrap_or_default())
        .inert(build.inert)
        .with_hidden(build.with_hidden)
        .with_decisions(build.with_decisions)
        .threads(build.effort.threads.and_then(NonZero::new))
        .appearance(appearance.clone()))
}

/// The cross-tab of lines; its groups are kept where that is asked for.
fn from_lines(
    build: &Build,
    brief: &Brief,
    lines: Option<&Path>,
    yardsticks: &[(String, Yardsticks)],
) -> Result<(CrossTab, Option<Groups>)> {
    let Some(lines) = lines else {
        let message = "it names no lines: add source = \"lines.csv\" or say --source lines.csv";
        return Err(Error::request(build.input.display().to_string(), message));
    };
    let mut source = open_source(lines, brief, &build.effort.reading(build.delimiter.delimiter)?)?;
    if let Some(levels) = build.only_levels.as_deref().map(names) {
        let spec = TableSpec::default().levels(levels);
        spec.check(&Plan::new(brief, &source.schema())?)?;
    }
    let builder = build.effort.build()?.yardsticks(yardsticks);
    watched(source.progress(), || match &build.save_groups {
        None => builder.run(brief, source.as_mut()).map(|crosstab| (crosstab, None)),
        Some(_) => builder.keep(brief, source.as_mut()).map(|(crosstab, groups)| (crosstab, Some(groups))),
    })
}

/// What readers of a page can choose, by one pass over the lines.
fn variants<'a>(
    build: &Build,
    brief: &Brief,
    lines: &Path,
    yardsticks: &'a [(String, Yardsticks)],
) -> Result<Variants<'a>> {
    let mut source = open_source(lines, brief, &build.effort.reading(build.delimiter.delimiter)?)?;
    let builder = build.effort.build()?.yardsticks(yardsticks);
    watched(source.progress(), || builder.variants(brief, source.as_mut()))
}

/// Folders that do not exist are reported before the work, not after it.
fn check_folders<'p>(targets: &'p [Target], kept: impl Iterator<Item = &'p Path>) -> Result<()> {
    let paths = targets.iter().filter(|t| !t.is_standard_output()).map(Target::path).chain(kept);
    for path in paths {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        if let Some(folder) = folder.filter(|folder| !folder.is_dir()) {
            let message = format!("there is no folder {} to write into", folder.display());
            return Err(Error::request(path.display().to_string(), message));
        }
    }
    Ok(())
}

/// Keeps what was asked for. Where a brief is written again, its comments stay.
fn save_brief(brief: &Brief, build: &Build, path: &Path, lines: &Path) -> Result<()> {
    let to = build.to.iter().filter(|target| target.as_os_str() != "-");
    let to: Vec<String> = brief.get_to().iter().cloned().chain(to.map(|to| seen_from(path, to))).collect();
    let kept = brief.clone().with_files(|file| seen_from(path, Path::new(file))).to(to);
    let kept = match lines.as_os_str() == "-" {
        true => kept.without_source(),
        false => kept.source(seen_from(path, lines)),
    };
    let earlier = if build.is_brief() { &build.input } else { path };
    let text = match std::fs::read_to_string(earlier) {
        Ok(earlier) => brief::rewrite(&earlier, &kept),
        Err(_) => brief::to_toml(&kept),
    };
    write_whole(path, |out| out.write_all(text.as_bytes()))?;
    build.notices.report_written(path);
    Ok(())
}

/// A path as a brief must name it to mean the same file: from the folder of the brief where it is in there,
/// and in full where it is not.
fn seen_from(brief: &Path, path: &Path) -> String {
    // A password is not kept: PGPASSWORD or a password file gives it again.
    if path.to_string_lossy().contains("://") {
        return without_secrets(&path.display().to_string()).replace(":…@", "@");
    }
    let full = |path: &Path| std::path::absolute(path).unwrap_or_else(|_| path.into());
    let folder = full(brief).parent().map(Path::to_path_buf).unwrap_or_default();
    let here = brief.parent().is_none_or(|folder| folder.as_os_str().is_empty());
    match full(path).strip_prefix(&folder) {
        Ok(inside) => inside.display().to_string(),
        Err(_) if here => path.display().to_string(),
        Err(_) => full(path).display().to_string(),
    }
}
