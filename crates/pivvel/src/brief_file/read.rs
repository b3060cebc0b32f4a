//! TOML to brief. Unknown keys are errors with the nearest known key, and every error says the line.

use std::ops::Range;

use pivvel_core::{
    BadValues, Brief, DimensionBrief, EmphasisBrief, Error, Form, MeasureBrief, Negative, NumberFormat,
    Placement, Result, Scaling,
};
use toml_edit::{Document, Item, TableLike};

use super::keys;

/// Reads a brief from TOML. `name` is what the file is called in messages.
///
/// # Errors
/// Text that is no TOML, keys that a brief does not have, values of the wrong kind; each with its
/// line. Formulas are checked later, against the columns of a source.
///
/// ```
/// let brief = pivvel::brief_from_toml("sales.toml", r#"
///     rows = ["coast"]
///     [measures]
///     sales = "sum(amount)"
/// "#)?;
/// assert_eq!(brief.measures[0].formula, "sum(amount)");
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn brief_from_toml(name: &str, text: &str) -> Result<Brief> {
    let reader = Reader { name, text };
    let document = Document::parse(text).map_err(|e| {
        let message = e.message().trim().replace('\n', "; ");
        Error::request(reader.line(e.span()), format!("this is not TOML: {message}"))
    })?;
    reader.brief(document.as_table())
}

struct Reader<'a> {
    name: &'a str,
    text: &'a str,
}

/// A value with the path of keys that leads to it.
#[derive(Clone)]
struct At<'a> {
    item: &'a Item,
    path: String,
}

impl Reader<'_> {
    fn line(&self, span: Option<Range<usize>>) -> String {
        match span {
            Some(span) => {
                let line = 1 + self.text.as_bytes()[..span.start.min(self.text.len())]
                    .iter()
                    .filter(|b| **b == b'\n')
                    .count();
                format!("{}, line {line}", self.name)
            }
            None => self.name.to_string(),
        }
    }

    fn wrong(&self, at: &At<'_>, wanted: &str) -> Error {
        let found = match at.item.type_name() {
            "string" => "a text",
            "integer" | "float" => "a number",
            "boolean" => "true or false",
            "array" => "a list",
            "array of tables" => "a list of tables",
            "table" | "inline table" => "a table",
            other => other,
        };
        Error::request(self.line(at.item.span()), format!("{} wants {wanted}, not {found}", at.path))
    }

    /// Wraps what is wrong with a value in the place where it stands.
    fn placed<T>(&self, at: &At<'_>, result: Result<T>) -> Result<T> {
        result.map_err(|e| Error::request(self.line(at.item.span()), format!("{}: {e}", at.path)))
    }

    fn table<'t>(&self, at: &At<'t>, known: &[&str], wanted: &str) -> Result<Vec<(String, At<'t>)>> {
        let table = at.item.as_table_like().ok_or_else(|| self.wrong(at, wanted))?;
        self.entries(table, &at.path, Some(known))
    }

    fn entries<'t>(
        &self,
        table: &'t dyn TableLike,
        path: &str,
        known: Option<&[&str]>,
    ) -> Result<Vec<(String, At<'t>)>> {
        let mut entries = Vec::new();
        for (key, item) in table.iter() {
            if let Some(known) = known.filter(|known| !known.contains(&key)) {
                let line = self.line(table.key(key).and_then(|key| key.span()));
                let place = if path.is_empty() { line } else { format!("{line}, {path}") };
                return Err(Error::unknown(place, "key", key, known.iter().copied()));
            }
            let path = if path.is_empty() { key.to_string() } else { format!("{path}.{key}") };
            entries.push((key.to_string(), At { item, path }));
        }
        Ok(entries)
    }

    fn text(&self, at: &At<'_>) -> Result<String> {
        at.item.as_str().map(str::to_string).ok_or_else(|| self.wrong(at, "a text"))
    }

    /// A list of texts, or a single one.
    fn texts(&self, at: &At<'_>) -> Result<Vec<String>> {
        if let Some(one) = at.item.as_str() {
            return Ok(vec![one.to_string()]);
        }
        let list = at.item.as_array().ok_or_else(|| self.wrong(at, "a list of texts"))?;
        let text = |value: &toml_edit::Value| value.as_str().map(str::to_string);
        list.iter().map(text).collect::<Option<_>>().ok_or_else(|| self.wrong(at, "a list of texts only"))
    }

    fn flag(&self, at: &At<'_>) -> Result<bool> {
        at.item.as_bool().ok_or_else(|| self.wrong(at, "true or false"))
    }

    /// One of a few words.
    fn choice<T: Copy>(&self, at: &At<'_>, what: &str, words: &[&str], values: &[T]) -> Result<T> {
        let text = self.text(at)?;
        match words.iter().position(|word| *word == text) {
            Some(place) => Ok(values[place]),
            None => self.placed(at, Err(Error::unknown("", what, &text, words.iter().copied()))),
        }
    }

    fn brief(&self, table: &dyn TableLike) -> Result<Brief> {
        let mut brief = Brief::new();
        for (key, at) in self.entries(table, "", Some(&keys::TOP))? {
            match key.as_str() {
                "title" => brief.title = Some(self.text(&at)?),
                "source" => brief.source = Some(self.text(&at)?),
                "rows" => brief.rows = self.texts(&at)?,
                "columns" => brief.columns = self.texts(&at)?,
                "where" => brief.filter = Some(self.text(&at)?),
                "to" => brief.to = self.texts(&at)?,
                "bad_values" => {
                    let values = [BadValues::Stop, BadValues::Blank];
                    brief.bad_values = self.choice(&at, "choice", &keys::BAD_VALUES, &values)?;
                }
                "measures" => {
                    for (name, at) in self.named(&at, "a table of measures")? {
                        brief.measures.push(self.measure(&name, &at)?);
                    }
                }
                "dimensions" => {
                    for (name, at) in self.named(&at, "a table of dimensions")? {
                        brief.dimensions.push(self.dimension(&name, &at)?);
                    }
                }
                "kinds" => {
                    for (name, at) in self.named(&at, "a table of kinds by column")? {
                        brief.kinds.push((name, self.text(&at)?));
                    }
                }
                "totals" => brief.totals = self.totals(&at)?,
                _ => brief.emphasis = self.emphasis(&at)?,
            }
        }
        Ok(brief)
    }

    /// The entries of a table whose keys are names.
    fn named<'t>(&self, at: &At<'t>, wanted: &str) -> Result<Vec<(String, At<'t>)>> {
        let table = at.item.as_table_like().ok_or_else(|| self.wrong(at, wanted))?;
        self.entries(table, &at.path, None)
    }

    fn measure(&self, name: &str, at: &At<'_>) -> Result<MeasureBrief> {
        let mut measure = MeasureBrief::new(name, "");
        if let Some(formula) = at.item.as_str() {
            measure.formula = formula.to_string();
            return Ok(measure);
        }
        for (key, at) in self.table(at, &keys::MEASURE, "a formula, or a table with one")? {
            match key.as_str() {
                "formula" => measure.formula = self.text(&at)?,
                "label" => measure.label = Some(self.text(&at)?),
                "totals" => measure.totals = self.flag(&at)?,
                _ => measure.format = self.format(&at)?,
            }
        }
        if measure.formula.is_empty() {
            let message = format!("{} has no formula, as in formula = \"sum(amount)\"", at.path);
            return Err(Error::request(self.line(at.item.span()), message));
        }
        Ok(measure)
    }

    fn format(&self, at: &At<'_>) -> Result<NumberFormat> {
        if let Some(name) = at.item.as_str() {
            return self.placed(at, NumberFormat::named(name));
        }
        let entries = self.table(at, &keys::FORMAT, "the name of a format, or a table")?;
        let mut format = match entries.iter().find(|(key, _)| key == "like") {
            Some((_, at)) => self.placed(at, NumberFormat::named(&self.text(at)?))?,
            None => NumberFormat::default(),
        };
        for (key, at) in entries {
            match key.as_str() {
                "decimals" => {
                    let decimals =
                        at.item.as_integer().and_then(|n| u8::try_from(n).ok()).filter(|n| *n <= 18);
                    format.decimals =
                        Some(decimals.ok_or_else(|| self.wrong(&at, "a whole number from 0 to 18"))?);
                }
                "in" => {
                    let units = [Scaling::Ones, Scaling::Thousands, Scaling::Millions, Scaling::Percent];
                    format.scaling = self.choice(&at, "unit", &keys::UNITS, &units)?;
                }
                "marks" => format.marks = self.text(&at)?,
                "point" => format.point = self.text(&at)?,
                "before" => format.before = self.text(&at)?,
                "after" => format.after = self.text(&at)?,
                "blank" => format.blank = self.text(&at)?,
                "negative" => {
                    let ways = [Negative::Minus, Negative::Brackets];
                    format.negative =
                        self.choice(&at, "way to tell a negative number", &keys::NEGATIVES, &ways)?;
                }
                _ => {}
            }
        }
        Ok(format)
    }

    fn dimension(&self, name: &str, at: &At<'_>) -> Result<DimensionBrief> {
        // [dimensions.sold_on.quarter] without quotes is a table in a table.
        let nested = at.item.as_table_like().and_then(|table| {
            let (key, inner) = table.iter().next()?;
            (!keys::DIMENSION.contains(&key) && inner.is_table_like()).then(|| key.to_string())
        });
        if let Some(part) = nested {
            let message = format!("write the name in quotes: [dimensions.\"{name}.{part}\"]");
            return Err(Error::request(self.line(at.item.span()), message));
        }
        let mut dimension = DimensionBrief { name: name.to_string(), ..DimensionBrief::default() };
        for (key, at) in self.table(at, &keys::DIMENSION, "a table")? {
            match key.as_str() {
                "label" => dimension.label = Some(self.text(&at)?),
                _ => dimension.order = Some(self.text(&at)?),
            }
        }
        Ok(dimension)
    }

    fn totals(&self, at: &At<'_>) -> Result<Vec<(String, Placement)>> {
        let place = |at: &At<'_>| self.placed(at, Placement::named(&self.text(at)?));
        if at.item.is_str() {
            return Ok(vec![(String::new(), place(at)?)]);
        }
        let entries = self.named(at, "before, after or off, or a table of these by level")?;
        entries.into_iter().map(|(name, at)| Ok((name, place(&at)?))).collect()
    }

    fn emphasis(&self, at: &At<'_>) -> Result<Vec<EmphasisBrief>> {
        let list = at.item.as_array_of_tables().ok_or_else(|| self.wrong(at, "[[emphasis]] tables"))?;
        let one = |(i, table): (usize, &toml_edit::Table)| {
            let path = format!("emphasis {}", i + 1);
            let mut emphasis = EmphasisBrief { on: String::new(), form: Form::Tint, levels: Vec::new() };
            for (key, at) in self.entries(table, &path, Some(&keys::EMPHASIS))? {
                match key.as_str() {
                    "on" => emphasis.on = self.text(&at)?,
                    "as" => emphasis.form = self.choice(&at, "form", &keys::FORMS, &[Form::Tint])?,
                    _ => emphasis.levels = self.texts(&at)?,
                }
            }
            if emphasis.on.is_empty() {
                let message = format!("{path} says on which measure it is: on = \"sales\"");
                return Err(Error::request(self.line(table.span()), message));
            }
            Ok(emphasis)
        };
        list.iter().enumerate().map(one).collect()
    }
}
