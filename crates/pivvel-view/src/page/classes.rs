//! The colours that a page uses, each as a class with a light and a dark form.

use std::collections::{BTreeMap, BTreeSet};

use pivvel_core::brief::SymbolSet;
use pivvel_core::result::{Axis, Entry, OfAxis};

use super::members::{Hue, own_colour};
use crate::palette::{CATEGORIES, Ground, Paint};
use crate::signs::Symbol;

/// How many steps a position has on a page: more than an eye can see.
const STEPS: f64 = 48.0;

/// The classes that were asked for.
#[derive(Debug, Default)]
pub(crate) struct Classes {
    rules: BTreeMap<String, String>,
    /// The same for a picture by itself, which has a light ground only.
    pictured: BTreeMap<String, String>,
    symbols: BTreeSet<(u8, u8, u8)>,
}

/// What a colour is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Use {
    /// The ground that text stands on.
    Tint,
    /// Text.
    Ink,
    /// Text on a tint.
    InkOnTint,
    /// Bars, points and signs.
    Shape,
}

impl Classes {
    /// The class of a colour.
    pub(crate) fn of(&mut self, paint: Paint, used: Use) -> String {
        let prefix = match used {
            Use::Tint => 't',
            Use::Ink => 'i',
            Use::InkOnTint => 'j',
            Use::Shape => 's',
        };
        let (name, paint) = match paint {
            Paint::Place { palette, position } => {
                // Shapes have one colour a side.
                let low = if palette.is_diverging() { -1.0 } else { 0.0 };
                let step = match used {
                    Use::Shape => {
                        if position < 0.0 {
                            -STEPS
                        } else {
                            STEPS
                        }
                    }
                    _ => (position.clamp(low, 1.0) * STEPS).round(),
                };
                let side = if step < 0.0 { "m" } else { "" };
                let name = format!("{prefix}{}-{side}{}", palette.place, step.abs());
                (name, Paint::Place { palette, position: step / STEPS })
            }
            Paint::Tone(tone) => (format!("{prefix}-{}", tone.name()), paint),
        };
        if !self.rules.contains_key(&name) {
            let colour = |ground: Ground| match used {
                Use::Tint => paint.tint(ground),
                Use::Ink => paint.ink(ground),
                Use::InkOnTint => paint.ink_on_tint(ground),
                Use::Shape => paint.shape(ground),
            };
            let both = format!("light-dark({},{})", colour(Ground::Light).hex(), colour(Ground::Dark).hex());
            let rule = match used {
                Use::Tint => format!(".{name}{{background-color:{both};fill:{both}}}"),
                Use::Ink | Use::InkOnTint => format!(".{name}{{color:{both}}}"),
                Use::Shape => format!(".{name}{{--c:{both}}}"),
            };
            self.rules.insert(name.clone(), rule);
            self.pictured.insert(name.clone(), pictured(&name, colour(Ground::Light).hex(), used));
        }
        name
    }

    /// The class of a member's colour.
    pub(crate) fn category(&mut self, hue: Hue) -> String {
        let name = match hue {
            Hue::Category(number) => format!("c{}", number % CATEGORIES),
            Hue::Own(colour) => format!("o{}", &colour.hex()[1..]),
        };
        let [light, dark] = [Ground::Light, Ground::Dark].map(|ground| hue.on(ground).hex());
        self.rules.insert(name.clone(), format!(".{name}{{--c:light-dark({light},{dark})}}"));
        self.pictured.insert(name.clone(), pictured(&name, light, Use::Shape));
        name
    }

    /// The classes of the heading of a member whose dimension has colours of its own; the member may have none.
    pub(crate) fn own_colour<S: OfAxis>(&mut self, axis: &Axis<S>, entry: Entry<S>) -> Option<String> {
        let path = axis.path(entry);
        let member = path.last().filter(|member| !member.dimension().colours().is_empty())?;
        Some(own_colour(member).map_or("own".into(), |own| format!("own {}", self.category(Hue::Own(own)))))
    }

    /// The id of a symbol's drawing.
    pub(crate) fn symbol(&mut self, symbol: Symbol) -> String {
        self.symbols.insert((symbol.set as u8, symbol.step, symbol.of));
        symbol_id(symbol)
    }

    pub(crate) fn symbols(&self) -> Vec<Symbol> {
        let sets = [SymbolSet::Tide, SymbolSet::Slope, SymbolSet::Pips];
        self.symbols
            .iter()
            .map(|(set, step, of)| Symbol { set: sets[usize::from(*set)], step: *step, of: *of })
            .collect()
    }

    pub(crate) fn picture_css(&self) -> String {
        self.pictured.values().map(|rule| format!("{rule}\n")).collect()
    }

    pub(crate) fn css(&self) -> String {
        self.rules.values().map(|rule| format!("{rule}\n")).collect()
    }
}

/// The rule of a class in a picture by itself.
fn pictured(name: &str, colour: String, used: Use) -> String {
    match used {
        Use::Tint | Use::Ink | Use::InkOnTint => format!(".{name}{{fill:{colour}}}"),
        Use::Shape => format!(".{name}.f{{fill:{colour}}}.{name}.k{{stroke:{colour};fill:none}}"),
    }
}

pub(crate) fn symbol_id(symbol: Symbol) -> String {
    let set = ["tide", "slope", "pips"][symbol.set as usize];
    format!("{set}-{}-{}", symbol.step, symbol.of)
}

/// A text as HTML holds it.
pub(crate) fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    push_escaped(&mut escaped, text);
    escaped
}

/// Adds a text as HTML holds it.
pub(crate) fn push_escaped(out: &mut String, text: &str) {
    // Nearly all figures.
    if text.bytes().all(|byte| matches!(byte, b' '..=b'~') && !matches!(byte, b'&' | b'<' | b'>' | b'"')) {
        return out.push_str(text);
    }
    for c in pivvel_core::text::printable(text).chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            c => out.push(c),
        }
    }
}
