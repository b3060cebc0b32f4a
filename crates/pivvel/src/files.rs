//! Files in and out by name: the source that an ending stands for, the form that one does.

use std::io::Write;
use std::num::NonZero;
use std::path::{Path, PathBuf};

use pivvel_core::error::{Argument, ErrorPlace};
use pivvel_core::plan::kinds_of_unseen;
use pivvel_core::result::Variants;
use pivvel_core::source::{LineSource, Related};
use pivvel_core::table::{Shape, TableSpec};
use pivvel_core::{Brief, CrossTab, Error, Result};
use pivvel_io::{ReadOptions, Source, TableForm, TableOptions, open, write_table, write_whole};
use pivvel_view::Appearance;

use crate::drawings::{Drawing, unknown_form};
use crate::too_large::check_workbook;

/// A file that a cross-tab is written to, in the form that its ending says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    path: PathBuf,
    form: Form,
    options: TargetOptions,
}

/// How a cross-tab is written, where the form has a choice.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,pieces\nFell,3\nSkerry,4\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::table::{Shape, Target, TargetOptions};
///
/// let path = std::env::temp_dir().join(format!("pivvel-wide-{}.csv", std::process::id()));
/// let options = TargetOptions::default().shape(Shape::Wide).levels(["coast"]);
/// Target::new(&path)?.with(options).write(&crosstab)?;
/// let text = std::fs::read_to_string(&path)?;
/// assert_eq!(text.lines().next(), Some("coast,row_level,row_kind,pieces"));
/// # std::fs::remove_file(&path)?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct TargetOptions {
    pub(crate) view: Option<usize>,
    pub(crate) shape: Option<Shape>,
    pub(crate) levels: Vec<String>,
    pub(crate) inert: bool,
    pub(crate) with_hidden: bool,
    pub(crate) with_decisions: bool,
    pub(crate) threads: Option<NonZero<usize>>,
    pub(crate) appearance: Appearance,
}

pivvel_core::setters! { TargetOptions {
    /// The view of the brief that is drawn alone, counted from 1, where it is a picture.
    value view: Option<usize>,
    /// The shape of a table (default: as shown in Markdown, and tidy otherwise).
    value shape: Option<Shape>,
    /// The levels that a table keeps; all where none is named.
    list levels: String,
    /// Puts an apostrophe before texts in CSV that a spreadsheet would take for a formula.
    value inert: bool,
    /// Whether tables hold the figures that the brief hides, too.
    value with_hidden: bool,
    /// Whether tidy tables say what makes each cell stand out, too.
    value with_decisions: bool,
    /// How many threads make and write tables at most (default: as many as there are processors).
    value threads: Option<NonZero<usize>>,
    /// The words and colours of pages, pictures and laid-out sheets.
    value appearance: Appearance,
} }

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Drawing(&'static Drawing),
    Table(TableForm),
}

impl Target {
    /// The target of a path; `-` is tidy CSV on standard output.
    ///
    /// # Errors
    /// An ending that stands for no form, or for one that this build does not write.
    ///
    /// ```
    /// assert!(pivvel::table::Target::new("sales.html").is_ok());
    /// let error = pivvel::table::Target::new("sales.htlm").unwrap_err();
    /// assert_eq!(error.to_string(), "file sales.htlm: unknown form \"htlm\"; did you mean \"html\"?");
    /// ```
    pub fn new(path: impl Into<PathBuf>) -> Result<Target> {
        let path = path.into();
        if path.as_os_str() == "-" {
            return Target::to_standard_output("csv");
        }
        let place = ErrorPlace::of(Argument::Target, path.display().to_string());
        let Some(ending) = path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase) else {
            let (page, picture) = (Drawing::usual_endings("page"), Drawing::usual_endings("picture"));
            let message = format!(
                "the ending says the form: {page} for a page; {} for a table; {picture} for a picture",
                TableForm::usual_endings()
            );
            return Err(Error::request(place, message));
        };
        Target::of_ending(path, &place, &ending)
    }

    /// Standard output, in the form that an ending of file names stands for: `json`, `arrow`, `html` …
    ///
    /// # Errors
    /// An ending that stands for no form, or for one that this build does not write.
    ///
    /// ```
    /// assert!(pivvel::table::Target::to_standard_output("jsonl").is_ok());
    /// let error = pivvel::table::Target::to_standard_output("jsnl").unwrap_err();
    /// assert_eq!(error.to_string(), "form jsnl: unknown form \"jsnl\"; did you mean \"jsonl\"?");
    /// ```
    pub fn to_standard_output(ending: &str) -> Result<Target> {
        Target::of_ending("-".into(), &ErrorPlace::of(Argument::Form, ending), &ending.to_lowercase())
    }

    fn of_ending(path: PathBuf, place: &ErrorPlace, ending: &str) -> Result<Target> {
        let form = match (Drawing::of_ending(place, ending)?, TableForm::of_ending(ending)) {
            (Some(drawing), _) => Form::Drawing(drawing),
            (None, Some(table)) => {
                table.check(place)?;
                Form::Table(table)
            }
            (None, None) => {
                let known = Drawing::endings().chain(TableForm::endings());
                return Err(unknown_form(place.clone(), "form", ending, known));
            }
        };
        Ok(Target { path, form, options: TargetOptions::default() })
    }

    /// The same with a choice of how it is written.
    pub fn with(mut self, options: TargetOptions) -> Target {
        self.options = options;
        self
    }

    /// The path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Whether it is standard output.
    pub fn is_standard_output(&self) -> bool {
        self.path.as_os_str() == "-"
    }

    /// Writes the cross-tab. An earlier file stands until the new one is whole.
    ///
    /// # Errors
    /// What the file system finds wrong; a view or a level that the brief has not.
    pub fn write(&self, crosstab: &CrossTab) -> Result<()> {
        let views = crosstab.views().len();
        if let Some(view) = self.options.view.filter(|view| *view == 0 || *view > views) {
            let message = format!("the brief has {views} views, and none is number {view}");
            return Err(Error::request(Argument::View, message));
        }
        // A level that is not there is an error before a file is begun, and so is what would be too large.
        crosstab.table(&self.spec(TableForm::CSV))?;
        self.check_size(crosstab)?;
        if self.is_standard_output() {
            return self.fill(crosstab, &mut std::io::stdout()).map_err(|e| Error::io("standard output", e));
        }
        write_whole(&self.path, |out| self.fill(crosstab, out))
    }

    /// Whether it is a page, on which readers choose where the brief has [controls](crate::brief::PageBrief::controls).
    pub fn is_page(&self) -> bool {
        matches!(self.form, Form::Drawing(drawing) if drawing.what == "page")
    }

    /// Writes a page on which readers choose; in any other form the cross-tab of what the brief itself chooses.
    ///
    /// # Errors
    /// As for [`Target::write`]; variants that take more than a page holds.
    pub fn write_variants(&self, variants: &Variants<'_>) -> Result<()> {
        let crosstab = variants.crosstab(variants.first())?;
        if !self.is_page() {
            return self.write(&crosstab);
        }
        self.check_size(&crosstab)?;
        let page = self.options.appearance.page_with_controls(variants)?;
        let fill = |out: &mut dyn Write| out.write_all(page.as_bytes());
        if self.is_standard_output() {
            return fill(&mut std::io::stdout()).map_err(|e| Error::io("standard output", e));
        }
        write_whole(&self.path, |out| fill(out))
    }

    /// Checks that the form can hold the cross-tab: pages, pictures and sheets have bounds. [`Target::write`] checks it,
    /// too.
    ///
    /// # Errors
    /// What would be too large, with the number and what to do.
    pub fn check_size(&self, crosstab: &CrossTab) -> Result<()> {
        let place = self.path.display().to_string();
        match self.form {
            Form::Drawing(drawing) => (drawing.check_size)(&place, crosstab, self.options.view),
            Form::Table(form) if form == TableForm::WORKBOOK => {
                let is_laid_out = self.options.shape.is_none();
                let is_tidy = self.options.shape.is_none_or(|shape| shape == Shape::Tidy);
                let tidy = is_tidy && self.options.levels.is_empty();
                if is_laid_out || tidy { check_workbook(&place, crosstab, tidy) } else { Ok(()) }
            }
            Form::Table(_) => Ok(()),
        }
    }

    /// The table that a form holds.
    fn spec(&self, form: TableForm) -> TableSpec {
        let usual = if form == TableForm::MARKDOWN { Shape::Wide } else { Shape::Tidy };
        TableSpec::default()
            .shape(self.options.shape.unwrap_or(usual))
            .exact(form.is_text())
            .levels(self.options.levels.clone())
            .with_hidden(self.options.with_hidden)
            .with_decisions(self.options.with_decisions)
            .dictionaries(form.has_dictionaries())
    }

    fn fill(&self, crosstab: &CrossTab, out: &mut (dyn Write + Send)) -> std::io::Result<()> {
        let other = |message: String| std::io::Error::other(message);
        match self.form {
            Form::Drawing(drawing) => out.write_all(
                &(drawing.draw)(crosstab, &self.options.appearance, self.options.view).map_err(other)?,
            ),
            #[cfg(feature = "workbook")]
            Form::Table(form) if form == TableForm::WORKBOOK && self.options.shape.is_none() => {
                out.write_all(&crate::book::workbook(crosstab, &self.options)?)
            }
            Form::Table(form) => {
                let table = crosstab.table(&self.spec(form)).map_err(std::io::Error::other)?;
                let TargetOptions { inert, threads, .. } = self.options;
                write_table(form, table, out, TableOptions::default().inert(inert).threads(threads))
            }
        }
    }
}

/// One table for each pair of levels, so that totals cannot be added into their parts: in a folder as CSV, or
/// where a pattern says, as `parts/*.parquet`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LevelFiles {
    folder: PathBuf,
    name: String,
}

impl LevelFiles {
    /// The files of a folder or of a pattern. A folder that is not there is made when they are written.
    ///
    /// # Errors
    /// A form that is no table, or that this build does not write; a folder that cannot be made for want of
    /// the one that it is in.
    ///
    /// ```
    /// assert!(pivvel::table::LevelFiles::new("parts").is_ok());
    /// let error = pivvel::table::LevelFiles::new("*.svg").unwrap_err();
    /// assert!(error.to_string().starts_with("files by level *.svg: one table for each pair of levels"));
    /// ```
    pub fn new(pattern: impl AsRef<Path>) -> Result<LevelFiles> {
        let pattern = pattern.as_ref();
        let name = pattern.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let (folder, name) = match name.contains('*') {
            true => (pattern.parent().unwrap_or(Path::new("")), name),
            false => (pattern, "*.csv".to_string()),
        };
        let files = LevelFiles { folder: folder.into(), name };
        let place = ErrorPlace::of(Argument::LevelFiles, pattern.display().to_string());
        if !matches!(files.target("levels")?.form, Form::Table(_)) {
            let endings = TableForm::usual_endings();
            let message = format!("one table for each pair of levels is written as {endings}");
            return Err(Error::request(place, message));
        }
        let above = folder.parent().filter(|above| !above.as_os_str().is_empty() && !above.is_dir());
        if let Some(above) = above.filter(|_| !folder.is_dir()) {
            let message = format!("there is no folder {} to make it in", above.display());
            return Err(Error::request(place, message));
        }
        if folder.is_file() {
            return Err(Error::request(place, "this is a file, and a folder is wanted"));
        }
        Ok(files)
    }

    fn target(&self, pair: &str) -> Result<Target> {
        let safe = |c: char| if c.is_alphanumeric() || "._- ".contains(c) { c } else { '_' };
        Target::new(self.folder.join(self.name.replace('*', &pair.chars().map(safe).collect::<String>())))
    }

    /// Writes a table for each pair of levels, and says which files these are.
    ///
    /// # Errors
    /// What the file system finds wrong.
    pub fn write(&self, crosstab: &CrossTab, options: &TargetOptions) -> Result<Vec<PathBuf>> {
        if !self.folder.as_os_str().is_empty() && !self.folder.exists() {
            let folder = &self.folder;
            std::fs::create_dir(folder).map_err(|e| Error::io(folder.display().to_string(), e))?;
        }
        let mut written = Vec::new();
        for (pair, levels) in crosstab.level_pairs() {
            let shape = options.shape.or(Some(Shape::Tidy));
            let mut target = self.target(&pair)?;
            // Names that differ in marks alone, which no file has, are one file's.
            for again in 2.. {
                if !written.contains(&target.path) {
                    break;
                }
                target = self.target(&format!("{pair} {again}"))?;
            }
            let target = target.with(TargetOptions { levels, shape, ..options.clone() });
            target.write(crosstab)?;
            written.push(target.path);
        }
        Ok(written)
    }
}

/// Opens the lines of a brief, wherever they are: see [`open`](pivvel_io::open). Of the options the kinds and
/// bad values are the brief's.
///
/// # Errors
/// A file that cannot be opened or whose form is not read.
pub fn open_lines(path: &Path, brief: &Brief, options: &ReadOptions) -> Result<Box<dyn Source>> {
    let options = options.clone().kinds(brief.get_kinds().to_vec()).bad_values(brief.get_bad_values());
    open(location_of(path)?, &options)
}

/// The location that a path is.
///
/// # Errors
/// A name that is no text.
pub(crate) fn location_of(path: &Path) -> Result<&str> {
    path.to_str().ok_or_else(|| {
        let message =
            "the name of this file is not UTF-8; rename it, or read it through a pipe, as in: pivvel build - < FILE";
        Error::request(path.display().to_string(), message)
    })
}

/// Opens the lines of a brief with the columns of its related tables. Of the options the kinds and bad values are
/// the brief's.
///
/// # Errors
/// A file that cannot be opened or whose form is not read; keys that are not there.
pub fn open_source(path: &Path, brief: &Brief, options: &ReadOptions) -> Result<Box<dyn LineSource>> {
    // Kinds may be those of the lines' columns or of a related table's.
    let known =
        |source: &dyn Source| source.columns().iter().map(|c| c.name().to_string()).collect::<Vec<_>>();
    if brief.get_related().is_empty() {
        return settled(open_lines(path, brief, options)?, brief);
    }
    let without_kinds = Brief::new().bad_values(brief.get_bad_values());
    let paths = std::iter::once(path.to_path_buf())
        .chain(brief.get_related().iter().map(|r| PathBuf::from(r.get_source())));
    let mut sources = Vec::new();
    let mut met: Vec<String> = Vec::new();
    for path in paths {
        if path.as_os_str() == "-" {
            let message = "lines on standard input cannot be joined with related files; name a file";
            return Err(Error::request("related", message));
        }
        let source = open_lines(&path, &without_kinds, options)?;
        let columns = known(source.as_ref());
        let kinds: Vec<_> =
            brief.get_kinds().iter().filter(|(column, _)| columns.contains(column)).cloned().collect();
        sources.push(match kinds.is_empty() {
            true => source,
            false => open_lines(&path, &without_kinds.clone().kinds(kinds), options)?,
        });
        met.extend(columns);
    }
    if let Some((column, _)) = brief.get_kinds().iter().find(|(column, _)| !met.contains(column)) {
        return Err(Error::unknown("kinds", "column", column, met.iter().map(String::as_str)));
    }
    let mut sources = sources.into_iter().map(|source| source as Box<dyn LineSource>);
    let Some(mut lines) = sources.next() else { unreachable!("the lines themselves are a source") };
    for (related, table) in brief.get_related().iter().zip(sources) {
        lines = Box::new(Related::new(lines, related.get_name(), table, related.get_keys())?);
    }
    settled(lines, brief)
}

/// Lines whose columns without a value have the kinds that the brief needs; those whose first lines alone hold
/// nothing are looked at to their end before.
fn settled(mut lines: Box<dyn LineSource>, brief: &Brief) -> Result<Box<dyn LineSource>> {
    for (column, _) in kinds_of_unseen(brief, &lines.schema()) {
        lines.reconsider(&column)?;
    }
    for (column, kind) in kinds_of_unseen(brief, &lines.schema()) {
        lines.widen(&column, kind);
    }
    Ok(lines)
}

/// A path that a brief names, seen from the folder that the brief is in.
///
/// ```
/// use std::path::Path;
///
/// use pivvel::table::beside;
///
/// assert_eq!(beside(Path::new("briefs/may.toml"), "lines.csv"), Path::new("briefs/lines.csv"));
/// ```
pub fn beside(brief: &Path, path: &str) -> PathBuf {
    match brief.parent() {
        Some(folder) if path != "-" && !path.contains("://") => folder.join(path),
        _ => path.into(),
    }
}
