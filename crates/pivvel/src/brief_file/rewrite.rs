//! A brief that is written again: what did not change stays as its writer has it, with every comment.

use pivvel_core::Brief;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, TableLike};

use super::{from_toml, to_toml};

/// Writes a brief into the text of an earlier one: what is the same stays as it stands there, comments,
/// order and layout; what differs is written anew in its place, and what is new is added.
///
/// Reading it again gives the same brief. An earlier text that is no brief is not kept.
///
/// ```
/// use pivvel::brief;
///
/// let earlier = "# For the board.\nrows = ['coast']  # outermost first\n\n[measures]\nsales = 'sum(amount)'\n";
/// let brief = brief::from_toml("brief", earlier)?.columns(["range"]);
/// let text = brief::rewrite(earlier, &brief);
/// assert!(text.starts_with("# For the board.\nrows = ['coast']  # outermost first\ncolumns = [\"range\"]\n"));
/// assert_eq!(brief::from_toml("again", &text)?, brief);
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn rewrite(earlier: &str, brief: &Brief) -> String {
    let without_comments = to_toml(brief);
    let read = |text: &str| from_toml("brief", text).ok();
    let Some(before) = read(earlier) else { return without_comments };
    if before == *brief {
        return earlier.to_string();
    }
    let parsed = |text: &str| text.parse::<DocumentMut>().ok();
    let (Some(mut own), Some(before), Some(after)) =
        (parsed(earlier), parsed(&to_toml(&before)), parsed(&without_comments))
    else {
        return without_comments;
    };
    // What was written anew stands where its old form did.
    merge(own.as_table_mut(), before.as_table(), after.as_table());
    let text = own.to_string();
    // Whatever could not be merged is not worth a brief that says something else.
    if read(&text).as_ref() == Some(brief) { text } else { without_comments }
}

/// Brings a table from its earlier to its later state; all three are one table of the brief.
/// The order of a brief's own keys says nothing, that of others does.
fn merge(own: &mut dyn TableLike, before: &dyn TableLike, after: &dyn TableLike) {
    let keys: Vec<String> = own.iter().map(|(key, _)| key.to_string()).collect();
    for key in &keys {
        let Some(now) = after.get(key) else {
            // What says what is so anyhow may stand.
            if before.contains_key(key) {
                own.remove(key);
            }
            continue;
        };
        let then = before.get(key);
        if then.is_some_and(|then| value_text(then) == value_text(now)) {
            continue;
        }
        let Some(item) = own.get_mut(key) else { continue };
        let tables = item.is_table_like() && now.is_table_like();
        match then {
            // What was a table with a heading and is none any more stands elsewhere.
            _ if item.is_value() != now.is_value() && !tables => {
                own.remove(key);
                own.insert(key, now.clone());
            }
            Some(then) => bring(item, then, now),
            None => replace(item, now),
        }
    }
    for (key, now) in after.iter().filter(|(key, _)| !keys.iter().any(|known| known == key)) {
        own.insert(key, now.clone());
    }
}

/// What an item says, with all that is in it: a table by itself is written without the tables in it.
fn value_text(item: &Item) -> String {
    let mut document = DocumentMut::new();
    document["it"] = item.clone();
    document.to_string()
}

fn bring(item: &mut Item, then: &Item, now: &Item) {
    if let (Item::ArrayOfTables(own), Some(then), Some(now)) =
        (&mut *item, then.as_array_of_tables(), now.as_array_of_tables())
    {
        return *own = listed(own, then, now);
    }
    let in_order = |own: &dyn TableLike, now: &dyn TableLike| {
        let place = |key: &str| now.iter().position(|(known, _)| known == key);
        own.iter().filter_map(|(key, _)| place(key)).is_sorted()
    };
    match (item.as_table_like_mut(), then.as_table_like(), now.as_table_like()) {
        (Some(own), Some(then), Some(now)) if in_order(own, now) => merge(own, then, now),
        _ => replace(item, now),
    }
}

/// Puts another value in place of one, with the comment behind it.
fn replace(item: &mut Item, now: &Item) {
    let mut now = now.clone();
    if let (Some(own), Some(new)) = (item.as_value(), now.as_value_mut()) {
        *new.decor_mut() = own.decor().clone();
    }
    if let (Some(own), Some(new)) = (item.as_table(), now.as_table_mut()) {
        *new.decor_mut() = own.decor().clone();
    }
    *item = now;
}

/// A list of tables: each later one stands as its writer has it, where it stood before.
fn listed(own: &ArrayOfTables, before: &ArrayOfTables, after: &ArrayOfTables) -> ArrayOfTables {
    let mut taken = vec![false; before.len()];
    let text = |table: &Table| value_text(&Item::Table(table.clone()));
    let mut places: Vec<Option<usize>> = after
        .iter()
        .map(|now| {
            let same =
                before.iter().enumerate().position(|(i, then)| !taken[i] && text(then) == text(now))?;
            taken[same] = true;
            Some(same)
        })
        .collect();
    // One that is changed was the one that has most of it.
    let shared = |then: &Table, now: &Table| {
        now.iter()
            .filter(|(key, item)| then.get(key).is_some_and(|own| value_text(own) == value_text(item)))
            .count()
    };
    for (place, now) in places.iter_mut().zip(after.iter()).filter(|(place, _)| place.is_none()) {
        let free =
            before.iter().enumerate().filter(|(i, _)| !taken[*i]).map(|(i, then)| (shared(then, now), i));
        if let Some((_, i)) =
            free.filter(|(count, _)| *count > 0).max_by_key(|(count, i)| (*count, usize::MAX - i))
        {
            taken[i] = true;
            *place = Some(i);
        }
    }
    let table = |(now, place): (&Table, Option<usize>)| {
        let found = place.and_then(|place| Some((own.get(place)?, before.get(place)?)));
        let Some((mine, then)) = found else { return now.clone() };
        let mut table = mine.clone();
        merge(&mut table, then, now);
        table
    };
    let mut tables: Vec<Table> = after.iter().zip(places).map(table).collect();
    // A document is written in the order of these places, so they go along with the tables.
    let mut positions: Vec<isize> = tables.iter().filter_map(Table::position).collect();
    positions.sort_unstable();
    let placed = tables.iter_mut().filter(|table| table.position().is_some());
    placed.zip(positions).for_each(|(table, position)| table.set_position(Some(position)));
    tables.into_iter().collect()
}
