//! The legend of a terminal.

use anstyle::Style;
use pivvel_core::brief::Form;
use pivvel_core::text::Sentence;

use super::cell::sign;
use super::{Colours, GAP, Pen, clean, width};
use crate::layout::Layout;
use crate::legend::{LegendEntry, Sample, Swatch};
use crate::palette::{Paint, ink};

/// How many characters a ramp has.
const RAMP: usize = 12;

pub(super) fn draw(pen: &mut Pen, layout: &Layout, places: usize) {
    if layout.legend.is_empty() {
        return;
    }
    pen.text.push('\n');
    let end = |entry: &LegendEntry, i: usize| match &entry.sample {
        Sample::Ramp { ends, .. } => width(&ends[i]),
        _ => 0,
    };
    let [low, high] = [0, 1].map(|i| layout.legend.iter().map(|entry| end(entry, i)).max().unwrap_or(0));
    for entry in &layout.legend {
        match &entry.sample {
            Sample::Ramp { paints, ends, middle } => {
                pen.space(low - width(&ends[0]));
                pen.put(&ends[0], Style::new());
                pen.space(1);
                ramp(pen, entry.form, paints);
                pen.space(1);
                pen.put(&ends[1], Style::new());
                pen.space(high - width(&ends[1]) + GAP);
                let text = match middle {
                    Some(middle) => layout.appearance.words.say(
                        Sentence::from("{scale} about {middle}")
                            .with("scale", &entry.text)
                            .with("middle", middle),
                    ),
                    None => entry.text.clone(),
                };
                let used = low + high + RAMP + 2 + GAP;
                wrapped(pen, &clean(&text), used, places);
            }
            Sample::Named(swatches) => {
                let mut used = 0;
                for swatch in swatches.iter().filter(|swatch| !swatch.name.is_empty()) {
                    let wants = width(&swatch.name) + 5 + GAP;
                    if used > 0 && used + wants > places {
                        pen.end();
                        used = 0;
                    }
                    used += wants;
                    draw_swatch(pen, entry.form, swatch);
                    pen.space(GAP);
                }
                wrapped(pen, &clean(&entry.text), used, places);
            }
            Sample::Words => {
                let line = Sentence::from("trend {scale}").with("scale", &entry.text);
                wrapped(pen, &clean(&layout.appearance.words.say(line)), 0, places);
            }
        }
    }
}

/// Writes words in the room that is left, and on further lines what has none.
fn wrapped(pen: &mut Pen, text: &str, used: usize, places: usize) {
    let faint = Style::new().dimmed();
    let (mut line, mut at) = (String::new(), used);
    for word in text.split(' ') {
        if at + width(&line) + 1 + width(word) > places && !(line.is_empty() && at <= GAP) {
            pen.line(&line, faint);
            pen.space(GAP);
            (line, at) = (String::new(), GAP);
        }
        if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
    }
    pen.line(&line, faint);
}

fn ramp(pen: &mut Pen, form: Form, paints: &[Paint]) {
    let at = |i: usize| paints[i * (paints.len() - 1) / (RAMP - 1)];
    for i in 0..RAMP {
        let (paint, style) = (at(i), Style::new());
        match form {
            Form::Bar => pen.put("█", pen.fore(style, paint.shape(pen.ground))),
            Form::Ink => pen.put("▪", pen.ink(style, paint)),
            _ if pen.colours == Colours::None => pen.put(shade(paint), style),
            _ => pen.put(" ", pen.on(style, paint.tint(pen.ground), ink(pen.ground))),
        }
    }
}

/// One character of a ramp without colour.
fn shade(paint: Paint) -> &'static str {
    match paint {
        Paint::Tone(_) => "─",
        Paint::Place { palette, position } if palette.is_diverging() => match position {
            low if low < -0.25 => "╲",
            high if high > 0.25 => "╱",
            _ => "·",
        },
        Paint::Place { position, .. } => {
            ["·", "░", "▒", "▓", "█"][(position.clamp(0.0, 1.0) * 4.0).round() as usize]
        }
    }
}

fn draw_swatch(pen: &mut Pen, form: Form, swatch: &Swatch) {
    let (paint, style) = (swatch.paint, Style::new());
    let tone = sign(paint, pen.colours);
    match (form, swatch.symbol) {
        (_, Some(symbol)) => pen.put(&symbol.glyph().to_string(), pen.fore(style, paint.shape(pen.ground))),
        (Form::Bar, _) => pen.put("██", pen.fore(style, paint.shape(pen.ground))),
        (Form::Ink, _) => {
            let sign = tone.map_or("12".to_string(), String::from);
            pen.put(&sign, pen.ink(style, paint));
        }
        _ => {
            let sign = match (tone, pen.colours) {
                (Some(sign), _) => format!(" {sign}"),
                (None, Colours::None) => format!(" {}", shade(paint)),
                (None, _) => "  ".into(),
            };
            pen.put(&sign, pen.on(style, paint.tint(pen.ground), ink(pen.ground)));
        }
    }
    pen.space(1);
    pen.put(&clean(&swatch.name), style);
}
