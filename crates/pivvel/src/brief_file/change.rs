//! Changes of what stands out for one run, written in the keys of a brief.

use pivvel_core::brief::EmphasisBrief;
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
/// assert_eq!((brief.get_emphasis().len(), brief.get_emphasis()[0].get_form()), (1, Form::Bar));
/// # Ok::<(), pivvel::Error>(())
/// ```
///
/// # Errors
/// What [`from_toml`](super::from_toml) finds wrong with the keys.
pub fn set_emphasis(brief: &mut Brief, keys: &str) -> Result<()> {
    let given = table(keys)?;
    let name = given.get("name").and_then(Value::as_str);
    let place =
        brief.get_emphasis().iter().position(|own| own.get_name().is_some() && own.get_name() == name);
    let mut whole = InlineTable::new();
    if let Some(own) = place.map(|place| &brief.get_emphasis()[place]) {
        let written = own.serialize(toml_edit::ser::ValueSerializer::new());
        if let Ok(Value::InlineTable(own)) = written {
            whole = own;
        }
    }
    given.into_iter().for_each(|(key, value)| drop(whole.insert(&key, value)));
    let read = read(&whole.to_string())?;
    let mut all = brief.get_emphasis().to_vec();
    match place {
        Some(place) => all[place] = read,
        None => all.push(read),
    }
    *brief = std::mem::take(brief).emphasis(all);
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
/// assert_eq!(brief.get_emphasis()[0].get_rules()[0].get_below(), Some(&1000.into()));
/// # Ok::<(), pivvel::Error>(())
/// ```
///
/// # Errors
/// A name that no emphasis has, with the nearest one; what [`from_toml`](super::from_toml) finds wrong with the keys.
pub fn set_rule(brief: &mut Brief, emphasis: &str, keys: &str) -> Result<()> {
    table(keys)?;
    let place = emphasis_called(brief, emphasis)?;
    let given = read(&format!("{{ on = \"sales\", rules = [{{ {keys} }}] }}"))?;
    let rule = given.get_rules().last().cloned().unwrap_or_default();
    let mut all = brief.get_emphasis().to_vec();
    let mut rules = all[place].get_rules().to_vec();
    match rules.iter().position(|own| own.get_name().is_some() && own.get_name() == rule.get_name()) {
        Some(own) => rules[own] = rule,
        None => rules.insert(0, rule),
    }
    all[place] = std::mem::take(&mut all[place]).rules(rules);
    *brief = std::mem::take(brief).emphasis(all);
    Ok(())
}

/// Takes an emphasis away, by its name or by what it is on.
///
/// # Errors
/// A name that no emphasis has, with the nearest one.
pub fn drop_emphasis(brief: &mut Brief, name: &str) -> Result<()> {
    let place = emphasis_called(brief, name)?;
    let mut all = brief.get_emphasis().to_vec();
    all.remove(place);
    *brief = std::mem::take(brief).emphasis(all);
    Ok(())
}

/// The emphasis of a name, or the only one that is on what is named.
fn emphasis_called(brief: &Brief, name: &str) -> Result<usize> {
    let all = || brief.get_emphasis().iter().enumerate();
    if let Some((place, _)) = all().find(|(_, own)| own.get_name() == Some(name)) {
        return Ok(place);
    }
    let on: Vec<usize> = all().filter(|(_, own)| own.get_on() == name).map(|(place, _)| place).collect();
    match on[..] {
        [only] => Ok(only),
        [] => {
            let known = all().flat_map(|(_, own)| own.get_name().into_iter().chain([own.get_on()]));
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
    let brief = from_toml("", &format!("emphasis = [{emphasis}]"))?;
    brief.get_emphasis().last().cloned().ok_or_else(|| Error::request("", "no key is given"))
}
