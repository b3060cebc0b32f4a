//! Changes of what stands out for one run, written in the keys of a brief.

use pivvel_core::brief::{EmphasisBrief, RuleBrief};
use pivvel_core::{Brief, Error, Result};
use serde::Serialize;
use toml_edit::{InlineTable, Value};

use super::read::from_toml;

/// Lets more stand out, or something else of what has the same name: keys as a brief has them, in one line.
///
/// ```
/// use pivvel::Brief;
/// use pivvel::brief::{Form, set_emphasis};
///
/// let mut brief = Brief::new().measure(("sales", "sum(amount)"));
/// set_emphasis(&mut brief, "name = 'scale', on = 'sales', as = 'tint'")?;
/// set_emphasis(&mut brief, "name = 'scale', as = 'bar'")?;
/// assert_eq!((brief.emphasis.len(), brief.emphasis[0].form), (1, Form::Bar));
/// # Ok::<(), pivvel::Error>(())
/// ```
///
/// # Errors
/// What [`from_toml`](super::from_toml) finds wrong with the keys.
pub fn set_emphasis(brief: &mut Brief, keys: &str) -> Result<()> {
    let given = table(keys)?;
    let name = given.get("name").and_then(Value::as_str);
    let place = brief.emphasis.iter().position(|own| own.name.is_some() && own.name.as_deref() == name);
    let mut whole = InlineTable::new();
    if let Some(own) = place.map(|place| &brief.emphasis[place]) {
        let written = own.serialize(toml_edit::ser::ValueSerializer::new());
        if let Ok(Value::InlineTable(own)) = written {
            whole = own;
        }
    }
    given.into_iter().for_each(|(key, value)| drop(whole.insert(&key, value)));
    let read = read(&whole.to_string())?;
    match place {
        Some(place) => brief.emphasis[place] = read,
        None => brief.emphasis.push(read),
    }
    Ok(())
}

/// Gives an emphasis, by its name or by what it is on, a rule: in the place of the one of the same name, or before all
/// others.
///
/// ```
/// use pivvel::Brief;
/// use pivvel::brief::set_rule;
///
/// let mut brief = Brief::new().measure(("sales", "sum(amount)")).tint("sales");
/// set_rule(&mut brief, "sales", "name = 'low', below = 1000, show = 'loss'")?;
/// assert_eq!(brief.emphasis[0].rules[0].below, Some(1000.into()));
/// # Ok::<(), pivvel::Error>(())
/// ```
///
/// # Errors
/// A name that no emphasis has, with the nearest one; what [`from_toml`](super::from_toml) finds wrong with the keys.
pub fn set_rule(brief: &mut Brief, emphasis: &str, keys: &str) -> Result<()> {
    table(keys)?;
    let place = emphasis_called(brief, emphasis)?;
    let rule = match read(&format!("{{ on = \"sales\", rules = [{{ {keys} }}] }}"))?.rules.pop() {
        Some(rule) => rule,
        None => RuleBrief::new(),
    };
    let rules = &mut brief.emphasis[place].rules;
    match rules.iter().position(|own| own.name.is_some() && own.name == rule.name) {
        Some(own) => rules[own] = rule,
        None => rules.insert(0, rule),
    }
    Ok(())
}

/// Takes an emphasis away, by its name or by what it is on.
///
/// # Errors
/// A name that no emphasis has, with the nearest one.
pub fn drop_emphasis(brief: &mut Brief, name: &str) -> Result<()> {
    let place = emphasis_called(brief, name)?;
    brief.emphasis.remove(place);
    Ok(())
}

/// The emphasis of a name, or the only one that is on what is named.
fn emphasis_called(brief: &Brief, name: &str) -> Result<usize> {
    let all = || brief.emphasis.iter().enumerate();
    if let Some((place, _)) = all().find(|(_, own)| own.name.as_deref() == Some(name)) {
        return Ok(place);
    }
    let on: Vec<usize> = all().filter(|(_, own)| own.on == name).map(|(place, _)| place).collect();
    match on[..] {
        [only] => Ok(only),
        [] => {
            let known = brief
                .emphasis
                .iter()
                .flat_map(|own| own.name.as_deref().into_iter().chain([own.on.as_str()]));
            Err(Error::unknown("", "emphasis", name, known))
        }
        _ => {
            let message =
                format!("{} are on {name}; give each a name, and say which: name = \"scale\"", on.len());
            Err(Error::request("", message))
        }
    }
}

/// Keys in one line.
fn table(keys: &str) -> Result<InlineTable> {
    let text = format!("{{ {keys} }}");
    text.parse::<Value>().ok().and_then(|value| value.as_inline_table().cloned()).ok_or_else(|| {
        let message = format!("{keys} is not written like name = 'low', below = 1000, show = 'loss'");
        Error::request("", message)
    })
}

fn read(emphasis: &str) -> Result<EmphasisBrief> {
    let mut brief = from_toml("", &format!("emphasis = [{emphasis}]"))?;
    brief.emphasis.pop().ok_or_else(|| Error::request("", "no key is given"))
}
