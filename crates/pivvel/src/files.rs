//! Files in and out by name: the source that an ending stands for, the form that one does.

use std::path::{Path, PathBuf};

use pivvel_core::{Brief, CrossTab, Error, LineSource, Related, Result};
use pivvel_io::{ReadOptions, Source, open, write_tidy_csv, write_whole};
use pivvel_view::{draw_page, draw_svg};

/// A file that a cross-tab is written to, in the form that its ending says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    path: PathBuf,
    form: Form,
    view: Option<usize>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Page,
    TidyCsv,
    Svg,
    Png,
}

const FORMS: [(&str, Form); 5] = [
    ("html", Form::Page),
    ("htm", Form::Page),
    ("csv", Form::TidyCsv),
    ("svg", Form::Svg),
    ("png", Form::Png),
];

impl Target {
    /// The target of a path; `-` is tidy CSV on standard output.
    ///
    /// # Errors
    /// An ending that stands for no form.
    ///
    /// ```
    /// assert!(pivvel::Target::new("sales.html").is_ok());
    /// let error = pivvel::Target::new("sales.htlm").unwrap_err();
    /// assert_eq!(error.to_string(), "--to sales.htlm: there is no form \"htlm\"; nearest: \"html\"");
    /// ```
    pub fn new(path: impl Into<PathBuf>) -> Result<Target> {
        let path = path.into();
        if path.as_os_str() == "-" {
            return Ok(Target { path, form: Form::TidyCsv, view: None });
        }
        let place = format!("--to {}", path.display());
        let Some(ending) = path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase) else {
            return Err(Error::request(
                place,
                "the ending says the form: .html for a page, .csv for a tidy table, .svg or .png for a picture",
            ));
        };
        match FORMS.iter().find(|(known, _)| *known == ending) {
            Some((_, Form::Png)) if !cfg!(feature = "png") => {
                let message = "this build draws no PNG; write .svg, or install it with: cargo install --path crates/pivvel-cli --features png";
                Err(Error::request(place, message))
            }
            Some((_, form)) => Ok(Target { form: *form, path, view: None }),
            None => Err(Error::unknown(place, "form", &ending, FORMS.iter().map(|(known, _)| *known))),
        }
    }

    /// The same of one view of the brief alone, counted from 1, where it is a picture.
    pub fn of_view(mut self, view: usize) -> Target {
        self.view = Some(view);
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
    /// What the file system finds wrong; a view that the brief has not.
    pub fn write(&self, crosstab: &CrossTab) -> Result<()> {
        if self.is_standard_output() {
            let out = std::io::stdout().lock();
            return write_tidy_csv(crosstab, out).map_err(|e| Error::io("standard output", e));
        }
        let views = crosstab.views().len();
        if let Some(view) = self.view.filter(|view| *view == 0 || *view > views) {
            let message = format!("the brief has {views} views, and none is number {view}");
            return Err(Error::request("--view", message));
        }
        let other = |message: String| std::io::Error::other(message);
        write_whole(&self.path, |out| match self.form {
            Form::Page => out.write_all(draw_page(crosstab).as_bytes()),
            Form::TidyCsv => write_tidy_csv(crosstab, out),
            Form::Svg => out.write_all(draw_svg(crosstab, self.view).as_bytes()),
            Form::Png => out.write_all(&png(&draw_svg(crosstab, self.view)).map_err(other)?),
        })
    }
}

#[cfg(feature = "png")]
fn png(svg: &str) -> Result<Vec<u8>, String> {
    pivvel_view::draw_png(svg)
}

#[cfg(not(feature = "png"))]
fn png(_: &str) -> Result<Vec<u8>, String> {
    Err("this build draws no PNG".into())
}

/// Opens the lines of a brief, wherever they are: see [`open`](pivvel_io::open).
///
/// # Errors
/// A file that cannot be opened or whose form is not read.
pub fn open_lines(path: &Path, brief: &Brief, delimiter: Option<u8>) -> Result<Box<dyn Source>> {
    let options = ReadOptions {
        delimiter,
        kinds: brief.kinds.clone(),
        bad_values: brief.bad_values,
        ..ReadOptions::default()
    };
    open(&path.to_string_lossy(), &options)
}

/// Opens the lines of a brief with the columns of its related tables.
///
/// # Errors
/// A file that cannot be opened or whose form is not read; keys that are not there.
pub fn open_source(path: &Path, brief: &Brief, delimiter: Option<u8>) -> Result<Box<dyn LineSource>> {
    // Kinds may be those of the lines' columns or of a related table's.
    let known = |source: &dyn Source| source.columns().iter().map(|c| c.name.clone()).collect::<Vec<_>>();
    if brief.related.is_empty() {
        return Ok(open_lines(path, brief, delimiter)?);
    }
    let plain = Brief { kinds: Vec::new(), bad_values: brief.bad_values, ..Brief::new() };
    let paths =
        std::iter::once(path.to_path_buf()).chain(brief.related.iter().map(|r| PathBuf::from(&r.source)));
    let mut sources = Vec::new();
    let mut met: Vec<String> = Vec::new();
    for path in paths {
        if path.as_os_str() == "-" {
            let message = "lines on standard input cannot be joined with related files; name a file";
            return Err(Error::request("related", message));
        }
        let source = open_lines(&path, &plain, delimiter)?;
        let columns = known(source.as_ref());
        let kinds: Vec<_> =
            brief.kinds.iter().filter(|(column, _)| columns.contains(column)).cloned().collect();
        sources.push(match kinds.is_empty() {
            true => source,
            false => open_lines(&path, &Brief { kinds, ..plain.clone() }, delimiter)?,
        });
        met.extend(columns);
    }
    if let Some((column, _)) = brief.kinds.iter().find(|(column, _)| !met.contains(column)) {
        return Err(Error::unknown("kinds", "column", column, met.iter().map(String::as_str)));
    }
    let mut sources = sources.into_iter().map(|source| source as Box<dyn LineSource>);
    let Some(mut lines) = sources.next() else { unreachable!("the lines themselves are a source") };
    for (related, table) in brief.related.iter().zip(sources) {
        lines = Box::new(Related::new(lines, &related.name, table, &related.keys)?);
    }
    Ok(lines)
}

/// A path that a brief names, seen from the folder that the brief is in.
pub fn beside(brief: &Path, path: &str) -> PathBuf {
    match brief.parent() {
        Some(folder) if path != "-" && !path.contains("://") => folder.join(path),
        _ => path.into(),
    }
}
