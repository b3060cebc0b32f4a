//! Headings that tell of the run: `{period}`, `{where}` and `{source}` stand for what it found.

use arrow_schema::Schema;

use super::cells::CellScope;
use crate::brief::Template;
use crate::error::{Error, Result};
use crate::formula::{CellFormula, Expr, Name, Node};
use crate::model::Kind;

const KNOWN: [&str; 3] = ["period", "where", "source"];

/// The formulas of the first and the last day, where the heading names the period: of the date in
/// the layout, or of the only date that the lines have.
pub(super) fn period(
    title: Option<&Template>,
    schema: &Schema,
    scope: &mut CellScope<'_>,
) -> Result<Option<[CellFormula; 2]>> {
    if !title.is_some_and(|title| title.holes().any(|name| name == "period")) {
        return Ok(None);
    }
    let in_layout = scope.rows.iter().chain(scope.across).find(|dimension| dimension.period().is_some());
    let date = match in_layout {
        Some(dimension) => dimension.date_column().to_string(),
        None => {
            let is_date =
                |f: &&std::sync::Arc<arrow_schema::Field>| Kind::of(f.data_type()) == Some(Kind::Date);
            let dates: Vec<&str> =
                schema.fields().iter().filter(is_date).map(|f| f.name().as_str()).collect();
            match dates.as_slice() {
                [one] => one.to_string(),
                [] => {
                    return Err(Error::request(
                        "title",
                        "{period} names the period of the lines, and they have no date",
                    ));
                }
                several => {
                    let message =
                        format!("{{period}} may be of {}; put one of them in the layout", several.join(", "));
                    return Err(Error::request("title", message));
                }
            }
        }
    };
    let mut of_date = |function: &str| {
        let date = Node::Name(Name { base: date.clone(), part: None });
        let call =
            Node::Call { function: function.into(), arguments: vec![date.into()], clauses: Vec::new() };
        scope.formula("title", &Expr::from(call).into())
    };
    Ok(Some([of_date("min")?, of_date("max")?]))
}

/// What a heading names that stands for nothing.
pub(super) fn doubt(title: &Template) -> Option<String> {
    let unknown = title.holes().find(|name| !KNOWN.contains(name))?;
    let near = crate::suggest::nearest(unknown, &KNOWN)
        .map(|near| format!("; did you mean {near}?"))
        .unwrap_or_default();
    Some(format!(
        "the title names {{{unknown}}}, which is no assumption and none of {}{near}",
        KNOWN.join(", ")
    ))
}

/// The heading with what the run found.
pub(crate) fn fill(
    title: &Template,
    period: Option<(String, String)>,
    condition: Option<&str>,
    source: &str,
) -> String {
    // A dash is understood in every language.
    let period = period.map_or("no lines".to_string(), |(first, last)| {
        if first == last { first } else { format!("{first} – {last}") }
    });
    let filled = title.fill(|name| match name {
        "period" => Some(period.clone()),
        "where" => Some(condition.unwrap_or("all lines").to_string()),
        "source" => Some(source.to_string()),
        _ => None,
    });
    filled.to_string()
}
