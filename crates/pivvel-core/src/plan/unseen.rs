//! Kinds for columns without a value: of a file that has only headings, or blank in every line.

use arrow_schema::{DataType, Field, Schema};

use super::model::Plan;
use crate::brief::Brief;
use crate::model::{Kind, UNSEEN};

/// The kinds that columns without a value need for a brief to be valid: numbers where they are added up, dates where a
/// part of a date is used. Empty where the brief is valid as it is, and where no kinds make it valid.
pub fn kinds_of_unseen(brief: &Brief, schema: &Schema) -> Vec<(String, Kind)> {
    let fields: Vec<Field> = schema.fields().iter().map(|field| field.as_ref().clone()).collect();
    let unseen: Vec<usize> =
        (0..fields.len()).filter(|i| fields[*i].metadata().contains_key(UNSEEN)).collect();
    let Some(wrong) = what_is_wrong(brief, schema).filter(|_| !unseen.is_empty()) else { return Vec::new() };
    let mut search = Search { brief, schema, unseen, tries: 200 };
    search.from(&fields, &mut Vec::new(), &wrong).unwrap_or_default()
}

/// Tries kinds column by column. A kind after which the error is another one is a step; the search ends when there
/// is no error.
struct Search<'a> {
    brief: &'a Brief,
    schema: &'a Schema,
    unseen: Vec<usize>,
    /// How many plans may still be made.
    tries: usize,
}

impl Search<'_> {
    fn from(
        &mut self,
        fields: &[Field],
        found: &mut Vec<(String, Kind)>,
        wrong: &str,
    ) -> Option<Vec<(String, Kind)>> {
        for place in self.unseen.clone() {
            let name = fields[place].name().clone();
            if found.iter().any(|(known, _)| *known == name) || !mentions(wrong, &name) {
                continue;
            }
            for (kind, own) in [(Kind::Whole, DataType::Int64), (Kind::Date, DataType::Date32)] {
                self.tries = self.tries.checked_sub(1)?;
                let mut tried = fields.to_vec();
                tried[place] = tried[place].clone().with_data_type(own);
                let schema = Schema::new_with_metadata(tried.clone(), self.schema.metadata().clone());
                let now = what_is_wrong(self.brief, &schema);
                if now.as_deref() == Some(wrong) {
                    continue;
                }
                found.push((name.clone(), kind));
                match now {
                    None => return Some(found.clone()),
                    Some(now) => {
                        if let Some(kinds) = self.from(&tried, found, &now) {
                            return Some(kinds);
                        }
                    }
                }
                found.pop();
            }
        }
        None
    }
}

/// Whether a message has a name in it, and not as a part of a longer word.
fn mentions(message: &str, name: &str) -> bool {
    let part = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    message.match_indices(name).any(|(at, _)| {
        !part(message[..at].chars().next_back()) && !part(message[at + name.len()..].chars().next())
    })
}

fn what_is_wrong(brief: &Brief, schema: &Schema) -> Option<String> {
    let views = (0..brief.views.len()).map(|view| brief.of_view(view));
    let plans = std::iter::once(Ok(brief.clone())).chain(views);
    plans
        .map(|brief| Plan::new(&brief?, schema).map(drop))
        .find_map(Result::err)
        .map(|error| error.to_string())
}
