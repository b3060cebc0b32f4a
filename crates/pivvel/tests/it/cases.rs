//! Cases as files: lines, a brief, and the tidy result or the error that comes of them.
//!
//! A case is a text file in `tests/cases/` with the parts `== brief`, `== lines`, and `== tidy`,
//! `== marks` (what stands out) or `== error`; `== related NAME` holds a file that the brief looks
//! lines up in. Every case runs by every route that lines can come in, and each must give the same
//! bytes. `PIVVEL_KEEP=1` writes what came out into the file, to be reviewed like code.

use std::path::{Path, PathBuf};

use pivvel::result::{Audience, Axis, Entry, OfAxis};
use pivvel::source::{Batches, LineSource, ReadOptions, Related, TextSource};
use pivvel::table::{TableSpec, decision_columns, tidy};
use pivvel::{Brief, CrossTab, Error, Result, brief};

use crate::lines::tidy_csv;

pub(crate) struct Case {
    pub(crate) path: PathBuf,
    /// What stands before the first part: what the case shows.
    about: String,
    pub(crate) brief: String,
    pub(crate) lines: String,
    /// Related files by the name that the brief has for them.
    related: Vec<(String, String)>,
    /// What is expected, `tidy`, `marks` or `error`, and its text.
    pub(crate) expected: (&'static str, String),
}

impl Case {
    fn read(path: PathBuf) -> Case {
        let text = std::fs::read_to_string(&path).unwrap();
        let mut parts: Vec<(&str, String)> = vec![("about", String::new())];
        for line in text.split_inclusive('\n') {
            match line.strip_prefix("== ") {
                Some(name) => parts.push((name.trim(), String::new())),
                None => parts.last_mut().unwrap().1.push_str(line),
            }
        }
        let part = |name: &str| parts.iter().find(|(known, _)| *known == name).map(|(_, text)| text.clone());
        let wanted = |name: &str| part(name).unwrap_or_else(|| panic!("{} has no {name}", path.display()));
        let known = ["error", "marks", "tidy"].into_iter().find_map(|kind| Some((kind, part(kind)?)));
        let expected = known.unwrap_or_default();
        let related = parts
            .iter()
            .filter_map(|(name, text)| Some((name.strip_prefix("related ")?.to_string(), text.clone())));
        let related = related.collect();
        Case {
            about: wanted("about"),
            brief: wanted("brief"),
            lines: wanted("lines"),
            related,
            expected,
            path,
        }
    }

    pub(crate) fn brief(&self) -> Result<Brief> {
        brief::from_toml("brief.toml", &self.brief)
    }

    fn source(&self, brief: &Brief, block_bytes: Option<usize>) -> Result<TextSource> {
        let options = ReadOptions::default()
            .kinds(brief.get_kinds().to_vec())
            .bad_values(brief.get_bad_values())
            .block_bytes(block_bytes);
        TextSource::from_reader("lines.csv", std::io::Cursor::new(self.lines.clone().into_bytes()), &options)
    }

    pub(crate) fn stream(&self, block_bytes: Option<usize>) -> Result<CrossTab> {
        let brief = self.brief()?;
        let lines = Box::new(self.source(&brief, block_bytes)?);
        self.joined(&brief, lines)
    }

    /// The cross-tab of lines with what the related files bring to them.
    pub(crate) fn joined(&self, brief: &Brief, mut lines: Box<dyn LineSource>) -> Result<CrossTab> {
        for said in brief.get_related() {
            let (_, text) = self.related.iter().find(|(name, _)| name == said.get_name()).unwrap();
            let text = std::io::Cursor::new(text.clone().into_bytes());
            let table = TextSource::from_reader(said.get_source(), text, &ReadOptions::default())?;
            lines = Box::new(Related::new(lines, said.get_name(), Box::new(table), said.get_keys())?);
        }
        CrossTab::build(brief, lines.as_mut())
    }

    fn whole(&self) -> Result<CrossTab> {
        self.stream(None)
    }

    /// A line at a time.
    fn crumbs(&self) -> Result<CrossTab> {
        self.stream(Some(1))
    }

    /// Through a file, which may be read twice.
    fn file(&self) -> Result<CrossTab> {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("lines.csv");
        std::fs::write(&path, &self.lines).unwrap();
        let brief = self.brief()?;
        for related in brief.get_related() {
            let (_, text) = self.related.iter().find(|(name, _)| name == related.get_name()).unwrap();
            std::fs::write(folder.path().join(related.get_source()), text).unwrap();
        }
        let brief = brief.with_files(|file| folder.path().join(file).display().to_string());
        CrossTab::build(&brief, pivvel::source::open_source(&path, &brief, &ReadOptions::default())?.as_mut())
    }

    /// Through record batches that anything may have made.
    fn batches(&self) -> Result<CrossTab> {
        let brief = self.brief()?;
        let mut source = self.source(&brief, Some(3))?;
        let schema = source.schema();
        // A batch holds days; whoever makes it has to know which ones.
        if let Some(trouble) = schema.fields().iter().find_map(|field| source.trouble(field.name())) {
            return Err(Error::request(source.name(), trouble));
        }
        let all: Vec<usize> = (0..schema.fields().len()).collect();
        let mut batches = Vec::new();
        source.scan(&all, &mut |batch| {
            batches.push(batch);
            Ok(())
        })?;
        self.joined(&brief, Box::new(Batches::new(schema, batches).named("lines.csv")))
    }
}

type Route = (&'static str, fn(&Case) -> Result<CrossTab>);

const ROUTES: [Route; 4] = [
    ("a stream", Case::whole),
    ("a line at a time", Case::crumbs),
    ("a file", Case::file),
    ("record batches", Case::batches),
];

pub(crate) fn cases() -> Vec<Case> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/cases");
    let mut paths: Vec<PathBuf> =
        std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.sort();
    paths.into_iter().map(Case::read).collect()
}

#[test]
fn every_case_by_every_route() {
    let mut failed = Vec::new();
    for mut case in cases() {
        let name = case.path.file_stem().unwrap().to_string_lossy().into_owned();
        let wanted = case.expected.0;
        let outcome = |result: Result<CrossTab>| outcome(wanted, result);
        if std::env::var_os("PIVVEL_KEEP").is_some() {
            case.expected = outcome(case.whole());
            let Case { about, brief, lines, related, expected, .. } = &case;
            let related: String =
                related.iter().map(|(name, text)| format!("== related {name}\n{text}")).collect();
            let text = format!(
                "{about}== brief\n{brief}== lines\n{lines}{related}== {}\n{}",
                expected.0, expected.1
            );
            std::fs::write(&case.path, text).unwrap();
        }
        for (route, run) in ROUTES {
            let found = outcome(run(&case));
            // A kind that a later line widens, or values that do not fit, are found while reading.
            if found != case.expected {
                failed.push(format!("{name} by {route}:\n{}", found.1));
            }
        }
    }
    assert!(failed.is_empty(), "{}", failed.join("\n"));
}

/// What a case comes to, as it is written down.
pub(crate) fn outcome(wanted: &str, result: Result<CrossTab>) -> (&'static str, String) {
    match result {
        Ok(crosstab) if wanted == "marks" => ("marks", marks(&crosstab)),
        Ok(crosstab) => ("tidy", tidy_csv(&crosstab)),
        Err(error) => ("error", format!("{error}\n")),
    }
}

/// A brief that is written and read again is the same brief.
#[test]
fn briefs_of_cases_survive_writing() {
    for case in cases() {
        let Ok(brief) = case.brief() else { continue };
        let text = brief::to_toml(&brief);
        assert_eq!(brief::from_toml("again", &text).unwrap(), brief, "{text}");
    }
}

/// What the tidy result says of decisions, on request, is what stands out; all else in it stays as it is, and a comparison reads
/// it as it was.
#[test]
fn decisions_in_tables_are_those_of_the_marks() {
    let mut said = [0; 4];
    for case in cases() {
        let Ok(crosstab) = case.whole() else { continue };
        let spec = TableSpec::default().exact(true).with_hidden(true);
        let texts = |spec: &TableSpec| -> Vec<Vec<String>> {
            let table = crosstab.table(spec).unwrap();
            table.batches().flat_map(|batch| pivvel::table::rows_as_texts(&batch).unwrap()).collect()
        };
        let forms: Vec<String> = decision_columns(&crosstab);
        let all = texts(&spec.clone().with_decisions(true));
        let usual: Vec<Vec<String>> = all.iter().map(|row| row[..row.len() - forms.len()].to_vec()).collect();
        assert_eq!(usual, texts(&spec), "{}", case.path.display());
        for (texts, row) in all.iter().zip(tidy(&crosstab)) {
            let marks = row.marks();
            let decided = texts[texts.len() - forms.len()..].chunks(4).zip(forms.chunks(4));
            for (found, names) in decided {
                let form = names[0].strip_suffix("_rule").unwrap();
                let mark = marks.iter().find(|mark| mark.form().name() == form);
                let rule =
                    mark.and_then(|mark| Some(&crosstab.emphases()[mark.emphasis()].rules()[mark.rule()?]));
                let shows = rule.and_then(|rule| rule.show());
                let wanted = [
                    rule.map(|rule| rule.name().to_string()),
                    shows.map(ToString::to_string),
                    mark.and_then(|mark| Some((mark.step()?.0 + 1).to_string())),
                    mark.and_then(|mark| mark.position()).map(|position| position.to_string()),
                ];
                for ((found, wanted), said) in found.iter().zip(&wanted).zip(&mut said) {
                    assert_eq!(found, wanted.as_deref().unwrap_or_default(), "{}", case.path.display());
                    *said += usize::from(wanted.is_some());
                }
            }
        }
    }
    assert!(said.iter().all(|count| *count > 10), "{said:?}");
}

/// What stands out, one line a cell and form, then trends, links and warnings.
fn marks(crosstab: &CrossTab) -> String {
    use std::fmt::Write;
    fn name<S: OfAxis>(axis: &Axis<S>, entry: Entry<S>) -> String {
        let labels = axis.labels(entry);
        if labels.is_empty() { "total".to_string() } else { labels.join(">") }
    }
    let mut text = String::new();
    for row in crosstab.rows().entries() {
        for column in crosstab.columns().entries() {
            for (place, measure) in crosstab.measures().iter().enumerate() {
                let at = format!(
                    "{} | {} | {}",
                    name(crosstab.rows(), *row),
                    name(crosstab.columns(), *column),
                    measure.name()
                );
                for mark in crosstab.marks(*row, *column, place) {
                    let emphasis = &crosstab.emphases()[mark.emphasis()];
                    let mut said = vec![mark.form().name().to_string()];
                    said.extend(
                        mark.position().map(|position| format!("at {}", (position * 1e6).round() / 1e6)),
                    );
                    said.extend(mark.step().map(|(step, of)| format!("step {} of {of}", step + 1)));
                    said.extend(
                        mark.span()
                            .map(|s| format!("{:.4} to {:.4}, zero at {:.4}", s.from(), s.to(), s.zero())),
                    );
                    said.extend(mark.rule().map(|rule| format!("rule {}", emphasis.rules()[rule].name())));
                    said.extend(mark.scale().map(|scale| format!("on {}", emphasis.scales()[scale].peers())));
                    let _ = writeln!(text, "{at} | {}", said.join(", "));
                }
                let link = crosstab.cell_link(*row, *column, place);
                if let Some(link) = link {
                    let _ = writeln!(text, "{at} | link {link}");
                }
            }
        }
        for trend in crosstab.trends() {
            let Some(points) = trend.points(*row) else { continue };
            let point = |(at, up): (&f64, &Option<f64>)| {
                format!("{at:.2}:{}", up.map_or("gap".into(), |up| format!("{up:.3}")))
            };
            let points: Vec<String> = trend.places().iter().zip(&points).map(point).collect();
            let _ = writeln!(text, "{} | trend {}", name(crosstab.rows(), *row), points.join(" "));
        }
        if let Some(link) = crosstab.row_link(*row) {
            let _ = writeln!(text, "{} | leads to {link}", name(crosstab.rows(), *row));
        }
    }

    let author = crosstab.notices().into_iter().filter(|notice| notice.audience() == Audience::Author);
    text.extend(author.map(|notice| format!("! {notice}\n")));
    text
}
