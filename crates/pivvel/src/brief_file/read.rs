//! TOML to brief. Unknown keys are errors with the nearest known key, and every error says the line.

use std::ops::Range;

use pivvel_core::{
    Assumed, AssumptionBrief, BadValues, Brief, DimensionBrief, Error, ItemBrief, MeasureBrief, Negative,
    NumberFormat, Placement, RelatedBrief, Result, Scaling, TierBrief, TopBrief, TotalsOf,
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

pub(super) struct Reader<'a> {
    name: &'a str,
    text: &'a str,
}

/// A table of a list, and where it stands.
pub(super) type Listed<'a> = (&'a dyn TableLike, Option<Range<usize>>);

/// A value with the path of keys that leads to it.
#[derive(Clone)]
pub(super) struct At<'a> {
    pub(super) item: &'a Item,
    pub(super) path: String,
}

impl Reader<'_> {
    pub(super) fn line(&self, span: Option<Range<usize>>) -> String {
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

    pub(super) fn wrong(&self, at: &At<'_>, wanted: &str) -> Error {
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
    pub(super) fn placed<T>(&self, at: &At<'_>, result: Result<T>) -> Result<T> {
        result.map_err(|e| Error::request(self.line(at.item.span()), format!("{}: {e}", at.path)))
    }

    pub(super) fn table<'t>(
        &self,
        at: &At<'t>,
        known: &[&str],
        wanted: &str,
    ) -> Result<Vec<(String, At<'t>)>> {
        let table = at.item.as_table_like().ok_or_else(|| self.wrong(at, wanted))?;
        self.entries(table, &at.path, Some(known))
    }

    pub(super) fn entries<'t>(
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

    pub(super) fn text(&self, at: &At<'_>) -> Result<String> {
        at.item.as_str().map(str::to_string).ok_or_else(|| self.wrong(at, "a text"))
    }

    /// A list of texts, or a single one.
    pub(super) fn texts(&self, at: &At<'_>) -> Result<Vec<String>> {
        if let Some(one) = at.item.as_str() {
            return Ok(vec![one.to_string()]);
        }
        let list = at.item.as_array().ok_or_else(|| self.wrong(at, "a list of texts"))?;
        let text = |value: &toml_edit::Value| value.as_str().map(str::to_string);
        list.iter().map(text).collect::<Option<_>>().ok_or_else(|| self.wrong(at, "a list of texts only"))
    }

    /// The same where an empty list would mean what leaving the key out means, or the opposite.
    pub(super) fn some_texts(&self, at: &At<'_>) -> Result<Vec<String>> {
        let texts = self.texts(at)?;
        self.not_empty(at, texts)
    }

    pub(super) fn not_empty<T>(&self, at: &At<'_>, list: Vec<T>) -> Result<Vec<T>> {
        match list.is_empty() {
            true => Err(Error::request(
                self.line(at.item.span()),
                format!("{} is an empty list; leave the key out", at.path),
            )),
            false => Ok(list),
        }
    }

    /// A list of tables, written either way, each with where it stands.
    pub(super) fn tables<'t>(&self, at: &At<'t>, wanted: &str) -> Result<Vec<Listed<'t>>> {
        if let Some(tables) = at.item.as_array_of_tables() {
            return Ok(tables.iter().map(|table| (table as &dyn TableLike, table.span())).collect());
        }
        let list = at.item.as_array().ok_or_else(|| self.wrong(at, wanted))?;
        let table = |value: &'t toml_edit::Value| {
            let table = value.as_inline_table().ok_or_else(|| self.wrong(at, wanted))?;
            Ok((table as &dyn TableLike, table.span()))
        };
        list.iter().map(table).collect()
    }

    pub(super) fn flag(&self, at: &At<'_>) -> Result<bool> {
        at.item.as_bool().ok_or_else(|| self.wrong(at, "true or false"))
    }

    /// One of a few words.
    pub(super) fn choice<T: Copy>(&self, at: &At<'_>, what: &str, words: &[&str], values: &[T]) -> Result<T> {
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
                "derived" => {
                    for (name, at) in self.named(&at, "a table of formulas by column")? {
                        brief.derived.push((name, self.text(&at)?));
                    }
                }
                "related" => {
                    for (name, at) in self.named(&at, "a table of related files")? {
                        brief.related.push(self.related(&name, &at)?);
                    }
                }
                "assumptions" => {
                    for (name, at) in self.named(&at, "a table of assumptions")? {
                        brief.assumptions.push(self.assumption(&name, &at)?);
                    }
                }
                "tiers" => {
                    for (name, at) in self.named(&at, "a table of tiers")? {
                        brief.tiers.push(self.tier(&name, &at)?);
                    }
                }
                "items" => brief.items = self.items(&at)?,
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
                "views" => brief.views = self.views(&at)?,
                _ => brief.emphasis = self.emphasis(&at)?,
            }
        }
        Ok(brief)
    }

    /// The entries of a table whose keys are names.
    pub(super) fn named<'t>(&self, at: &At<'t>, wanted: &str) -> Result<Vec<(String, At<'t>)>> {
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
                "hidden" => measure.hidden = self.flag(&at)?,
                "levels" => {
                    for (level, at) in self.named(&at, "a table of formulas by level")? {
                        let formula = self.text(&at)?;
                        measure.levels.push((level, (formula != "none").then_some(formula)));
                    }
                }
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
                "order" if at.item.is_array() => dimension.listed = self.some_texts(&at)?,
                "order" => dimension.order = Some(self.text(&at)?),
                "top" | "bottom" if dimension.top.is_some() => {
                    let message =
                        format!("{} and its opposite stand together; keep one of top and bottom", at.path);
                    return Err(Error::request(self.line(at.item.span()), message));
                }
                "top" => dimension.top = Some(self.top(&at, false)?),
                "bottom" => dimension.top = Some(self.top(&at, true)?),
                "having" => dimension.having = Some(self.text(&at)?),
                "only" => dimension.only = self.some_texts(&at)?,
                "except" => dimension.except = self.some_texts(&at)?,
                "totals_of" => {
                    let ways = [TotalsOf::All, TotalsOf::Shown];
                    dimension.totals_of = self.choice(&at, "choice", &keys::TOTALS_OF, &ways)?;
                }
                _ => {
                    for (member, at) in self.named(&at, "a table of labels by member")? {
                        dimension.labels.push((member, self.text(&at)?));
                    }
                }
            }
        }
        Ok(dimension)
    }

    fn top(&self, at: &At<'_>, bottom: bool) -> Result<TopBrief> {
        let mut top =
            TopBrief { count: String::new(), by: String::new(), bottom, overall: false, others: None };
        for (key, at) in self.table(at, &keys::TOP_N, "a table, as in { count = 5, by = \"sales\" }")? {
            match key.as_str() {
                "count" => top.count = self.number_or_text(&at)?,
                "by" => top.by = self.text(&at)?,
                "overall" => top.overall = self.flag(&at)?,
                _ => top.others = Some(self.text(&at)?),
            }
        }
        if top.count.is_empty() || top.by.is_empty() {
            let message = format!("{} says how many and by what: {{ count = 5, by = \"sales\" }}", at.path);
            return Err(Error::request(self.line(at.item.span()), message));
        }
        Ok(top)
    }

    /// A number as it is written, or a text.
    pub(super) fn number_or_text(&self, at: &At<'_>) -> Result<String> {
        let number = at.item.as_value().filter(|value| value.is_integer() || value.is_float());
        match number.and_then(toml_edit::Value::span) {
            Some(span) => Ok(self.text[span].replace('_', "")),
            None => at.item.as_str().map(str::to_string).ok_or_else(|| self.wrong(at, "a number or a text")),
        }
    }

    fn related(&self, name: &str, at: &At<'_>) -> Result<RelatedBrief> {
        let mut related = RelatedBrief { name: name.to_string(), ..RelatedBrief::default() };
        for (key, at) in self.table(at, &keys::RELATED, "a table with source and key")? {
            match key.as_str() {
                "source" => related.source = self.text(&at)?,
                _ if at.item.is_table_like() => {
                    for (own, at) in self.named(&at, "keys")? {
                        related.keys.push((own, self.text(&at)?));
                    }
                }
                _ => related.keys = self.texts(&at)?.into_iter().map(|key| (key.clone(), key)).collect(),
            }
        }
        if related.source.is_empty() || related.keys.is_empty() {
            let message = format!("{} says source = \"file.csv\" and key = \"column\"", at.path);
            return Err(Error::request(self.line(at.item.span()), message));
        }
        Ok(related)
    }

    fn assumption(&self, name: &str, at: &At<'_>) -> Result<AssumptionBrief> {
        let plain = |value| AssumptionBrief {
            name: name.to_string(),
            value,
            low: None,
            high: None,
            choices: Vec::new(),
        };
        if !at.item.is_table_like() {
            return Ok(plain(Assumed::read(&self.number_or_text(at)?)));
        }
        let mut assumption = plain(Assumed::Text(String::new()));
        for (key, at) in self.table(at, &keys::ASSUMPTION, "a value, or a table with one")? {
            match key.as_str() {
                "value" => assumption.value = Assumed::read(&self.number_or_text(&at)?),
                "low" => assumption.low = Some(Assumed::read(&self.number_or_text(&at)?)),
                "high" => assumption.high = Some(Assumed::read(&self.number_or_text(&at)?)),
                _ => assumption.choices = self.some_texts(&at)?,
            }
        }
        if assumption.value == Assumed::Text(String::new()) {
            let message = format!("{} has no value, as in value = \"4%\"", at.path);
            return Err(Error::request(self.line(at.item.span()), message));
        }
        Ok(assumption)
    }

    fn tier(&self, name: &str, at: &At<'_>) -> Result<TierBrief> {
        let mut tier = TierBrief { name: name.to_string(), ..TierBrief::default() };
        for (key, at) in self.table(at, &keys::TIER, "a table with of, by and cuts")? {
            match key.as_str() {
                "of" => tier.of = self.text(&at)?,
                "by" => tier.by = self.text(&at)?,
                "labels" => tier.labels = self.some_texts(&at)?,
                "within" => tier.within = self.some_texts(&at)?,
                cuts => {
                    tier.quantiles = cuts == "quantiles";
                    let list = at.item.as_array().ok_or_else(|| self.wrong(&at, "a list of cuts"))?;
                    let cut = |value: &toml_edit::Value| match value.as_str() {
                        Some(text) => Ok(text.to_string()),
                        None => {
                            let span = value.span().filter(|_| value.is_integer() || value.is_float());
                            span.map(|span| self.text[span].replace('_', ""))
                                .ok_or_else(|| self.wrong(&at, "a list of numbers"))
                        }
                    };
                    tier.cuts = list.iter().map(cut).collect::<Result<_>>()?;
                }
            }
        }
        if tier.of.is_empty() || tier.by.is_empty() || tier.cuts.is_empty() {
            let message = format!(
                "{} says of which dimension, by what, and where the cuts are: of = \"yard\", by = \"sum(amount)\", cuts = [1000]",
                at.path
            );
            return Err(Error::request(self.line(at.item.span()), message));
        }
        Ok(tier)
    }

    fn items(&self, at: &At<'_>) -> Result<Vec<ItemBrief>> {
        let one = |(i, (table, span)): (usize, Listed<'_>)| {
            let path = format!("item {}", i + 1);
            let mut item = ItemBrief::default();
            for (key, at) in self.entries(table, &path, Some(&keys::ITEM))? {
                match key.as_str() {
                    "dimension" => item.dimension = self.text(&at)?,
                    "name" => item.name = self.text(&at)?,
                    "formula" => item.formula = self.text(&at)?,
                    "hidden" => item.hidden = self.flag(&at)?,
                    "format" => item.format = Some(self.format(&at)?),
                    _ => {
                        item.before_measures =
                            Some(self.choice(&at, "choice", &keys::APPLY, &[false, true])?)
                    }
                }
            }
            if item.dimension.is_empty() || item.name.is_empty() || item.formula.is_empty() {
                let message =
                    format!("{path} says dimension, name and formula, as in formula = \"actual - plan\"");
                return Err(Error::request(self.line(span), message));
            }
            Ok(item)
        };
        self.tables(at, "[[items]] tables")?.into_iter().enumerate().map(one).collect()
    }

    fn totals(&self, at: &At<'_>) -> Result<Vec<(String, Placement)>> {
        let place = |at: &At<'_>| self.placed(at, Placement::named(&self.text(at)?));
        if at.item.is_str() {
            return Ok(vec![(String::new(), place(at)?)]);
        }
        let entries = self.named(at, "before, after or off, or a table of these by level")?;
        entries.into_iter().map(|(name, at)| Ok((name, place(&at)?))).collect()
    }
}
