//! A cell on a terminal: symbol, bar, figure, and without colour a sign in the place of each tint.

use std::borrow::Cow;

use anstyle::{Ansi256Color, Color, RgbColor, Style};

use super::{Colours, Pen, cut, width};
use crate::colour::Rgb;
use crate::dress::Bar;
use pivvel_core::brief::Tone;

use crate::layout::{LayoutCell, LayoutRow, TrendLine};
use crate::palette::{Ground, Paint, ink, tone_sign};

/// How many characters a bar has.
const BAR: usize = 12;
/// How many characters a small line has at most.
const TREND: usize = 24;

/// What the cells of a column take, in characters.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Room {
    symbol: usize,
    bar: usize,
    pub(super) figure: usize,
    shade: usize,
}

impl Room {
    /// The room of small lines of so many characters.
    pub(super) fn of_trend(figure: usize) -> Room {
        Room { figure, ..Room::default() }
    }

    /// Makes room for a cell more.
    pub(super) fn hold(&mut self, cell: &LayoutCell, colours: Colours) {
        let dress = &cell.dress;
        self.symbol = self.symbol.max(if dress.symbol.is_some() { 2 } else { 0 });
        self.bar = self.bar.max(if dress.bar.is_some() { BAR + 1 } else { 0 });
        self.figure = self.figure.max(width(&figure(cell, colours)));
        self.shade = self.shade.max(dress.tint.map_or(0, |tint| width(&shade(tint, colours))));
    }

    pub(super) fn width(&self) -> usize {
        (self.symbol + self.bar + self.figure + self.shade).max(4)
    }
}

/// The sign of a tone, so that no colour says alone what is good or bad, and without colour every tone has one.
pub(super) fn sign(paint: Paint, colours: Colours) -> Option<char> {
    let Paint::Tone(tone) = paint else { return None };
    tone_sign(tone).or_else(|| match tone {
        _ if colours != Colours::None => None,
        Tone::Strong => Some('◆'),
        Tone::Calm => Some('◇'),
        Tone::Faint => Some('◦'),
        _ => None,
    })
}

/// The figure with the sign of its tone.
fn figure(cell: &LayoutCell, colours: Colours) -> Cow<'_, str> {
    let sign = cell.dress.ink.and_then(|paint| sign(paint, colours));
    match sign.filter(|_| !cell.text.is_empty()) {
        Some(sign) => format!("{sign} {}", cell.text).into(),
        None => cell.text.as_str().into(),
    }
}

/// What stands for a tint where there is no colour, and for what it must say beside its hue.
fn shade(paint: Paint, colours: Colours) -> String {
    match paint {
        Paint::Tone(_) => sign(paint, colours).map_or(String::new(), |sign| format!(" {sign}")),
        _ if colours != Colours::None => String::new(),
        Paint::Place { palette, position } if palette.is_diverging() => {
            let step = ((position.clamp(-1.0, 1.0) + 1.0) * 2.0).round() as usize;
            format!(" {}", ["╲╲", "╲ ", "· ", "╱ ", "╱╱"][step])
        }
        Paint::Place { position, .. } => {
            let step = (position.clamp(0.0, 1.0) * 4.0).round() as usize;
            format!(" {}", ['·', '░', '▒', '▓', '█'][step])
        }
    }
}

/// Draws a cell right in its column.
pub(super) fn draw(pen: &mut Pen, cell: &LayoutCell, room: &Room, column: usize, style: Style) {
    let dress = &cell.dress;
    pen.space(column.saturating_sub(room.width()));
    pen.space(room.width() - (room.symbol + room.bar + room.figure + room.shade));
    if room.symbol > 0 {
        match dress.symbol {
            Some((symbol, paint)) => {
                pen.put(&symbol.glyph().to_string(), pen.fore(style, paint.shape(pen.ground)));
                pen.space(1);
            }
            None => pen.space(2),
        }
    }
    if room.bar > 0 {
        match dress.bar {
            Some(bar) => draw_bar(pen, &bar),
            None => pen.space(BAR),
        }
        pen.space(1);
    }
    let figure = figure(cell, pen.colours);
    let text = cut(&figure, room.figure);
    let shade = dress.tint.map_or(String::new(), |tint| shade(tint, pen.colours));
    let style = match (dress.tint, dress.ink) {
        (Some(tint), None) => pen.on(style, tint.tint(pen.ground), ink(pen.ground)),
        (Some(tint), Some(paint)) => pen.on(style, tint.tint(pen.ground), paint.ink_on_tint(pen.ground)),
        (None, Some(paint)) => pen.ink(style, paint),
        (None, None) => style,
    };
    pen.put_behind(room.figure - width(&text), &text, style);
    pen.put(&shade, Style::new());
    pen.space(room.shade - width(&shade));
}

/// A bar from its zero line, to an eighth of a character above it and to a half below.
fn draw_bar(pen: &mut Pen, bar: &Bar) {
    let places = BAR as f64;
    let zero = (bar.span.zero() * places).round() as usize;
    let style = pen.fore(Style::new(), bar.paint.shape(pen.ground));
    let mut text = String::new();
    if bar.span.below() {
        let halves = ((bar.span.zero() - bar.span.from()) * places * 2.0).round() as usize;
        let (full, half) = (halves / 2, halves % 2);
        let blank = zero.saturating_sub(full + half);
        text.push_str(&" ".repeat(blank));
        text.push_str(&"▐".repeat(half.min(zero - blank)));
        text.push_str(&if pen.colours == Colours::None { "▒" } else { "█" }.repeat(full.min(zero)));
    } else {
        let eighths = ((bar.span.to() - bar.span.zero()) * places * 8.0).round() as usize;
        text.push_str(&" ".repeat(zero));
        text.push_str(&"█".repeat(eighths / 8));
        text.extend(['▏', '▎', '▍', '▌', '▋', '▊', '▉'].get((eighths % 8).wrapping_sub(1)));
    }
    let text: String = text.chars().take(BAR).collect();
    pen.put(&text, style);
    pen.space(BAR - width(&text));
}

/// How many characters the small lines of a layout's trend take.
pub(super) fn trend_width(rows: &[LayoutRow], trend: usize) -> usize {
    let longest = rows.iter().filter_map(|row| row.trends.get(trend)?.as_ref()).map(|line| line.points.len());
    longest.max().unwrap_or(0).min(TREND)
}

/// A small line in eighths of a character.
pub(super) fn trend(line: &TrendLine, places: usize) -> String {
    let glyphs = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let glyph = |place: usize| {
        let from = place * line.points.len() / places;
        let to = ((place + 1) * line.points.len() / places).max(from + 1);
        let some: Vec<f64> = line.points[from..to].iter().filter_map(|(_, up)| *up).collect();
        match some.len() {
            0 => ' ',
            count => glyphs[((some.iter().sum::<f64>() / count as f64) * 7.0).round() as usize],
        }
    };
    (0..places).map(glyph).collect()
}

impl Pen {
    /// A style with a text colour.
    pub(super) fn fore(&self, style: Style, colour: Rgb) -> Style {
        style.fg_color(self.colour(colour))
    }

    /// A style with the colour of a figure. Where the ground is not known to be dark, one that can be read on
    /// both.
    pub(super) fn ink(&self, style: Style, paint: Paint) -> Style {
        self.fore(
            style,
            if self.ground == Ground::Dark { paint.ink(Ground::Dark) } else { paint.shape(Ground::Dark) },
        )
    }

    /// A style with a ground and a text colour.
    pub(super) fn on(&self, style: Style, ground: Rgb, text: Rgb) -> Style {
        style.bg_color(self.colour(ground)).fg_color(self.colour(text))
    }

    fn colour(&self, colour: Rgb) -> Option<Color> {
        match self.colours {
            Colours::None => None,
            Colours::Indexed => Some(Color::Ansi256(Ansi256Color(colour.indexed()))),
            Colours::Full => Some(Color::Rgb(RgbColor(colour.0, colour.1, colour.2))),
        }
    }
}
