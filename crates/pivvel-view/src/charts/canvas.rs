//! What all charts are drawn with: texts, lines, axes with round numbers, members that can be marked.

use pivvel_core::brief::{Negative, NumberFormat};
use pivvel_core::result::{ColumnEntry, RowEntry};
use pivvel_core::{CrossTab, Value};
use svg::Node;
use svg::node::element::{Line, Rectangle, SVG, Text, Title};
use unicode_width::UnicodeWidthStr;

use crate::appearance::Appearance;
use crate::number::show_number;
use crate::page::classes::{Classes, Use};
use crate::page::members::Marks;
use crate::palette::Paint;

/// Where a picture is drawn to, and the classes and numbers of members that it shares with what
/// stands beside it.
pub(crate) struct Medium<'a> {
    pub(crate) appearance: &'a Appearance,
    pub(crate) classes: &'a mut Classes,
    pub(crate) marks: &'a mut Marks,
}

impl Medium<'_> {
    /// The class of a shape of this colour.
    pub(crate) fn shape(&mut self, paint: Paint) -> String {
        self.classes.of(paint, Use::Shape)
    }
}

/// The size of print in pictures.
pub(crate) const PRINT: f64 = 12.5;
/// The height of a line of text.
pub(crate) const LINE: f64 = 20.0;

/// The widest that a name is: about a hundred characters.
pub(crate) const NAME: f64 = 720.0;

/// About how wide a text is.
pub(crate) fn text_width(text: &str) -> f64 {
    PRINT * 0.57 * UnicodeWidthStr::width(text) as f64
}

/// The text in at most so much room, cut with a mark where it is wider.
pub(crate) fn fitting(text: &str, room: f64) -> String {
    let clean = pivvel_core::text::printable(text);
    if text_width(&clean) <= room {
        return clean;
    }
    let mut short = String::new();
    for c in clean.chars() {
        short.push(c);
        if text_width(&short) + PRINT * 0.57 > room {
            short.pop();
            break;
        }
    }
    short.push('…');
    short
}

/// The text in lines of at most so much room, broken between words; within one only where it is longer than a line.
pub(crate) fn wrapped(text: &str, room: f64) -> Vec<String> {
    let clean = pivvel_core::text::printable(text);
    let mut lines: Vec<String> = Vec::new();
    let mut line = String::new();
    for word in clean.split(' ') {
        let longer = if line.is_empty() { word.to_string() } else { format!("{line} {word}") };
        if text_width(&longer) <= room {
            line = longer;
            continue;
        }
        if !line.is_empty() {
            lines.push(std::mem::take(&mut line));
        }
        for c in word.chars() {
            if !line.is_empty() && text_width(&line) + text_width(c.encode_utf8(&mut [0; 4])) > room {
                lines.push(std::mem::take(&mut line));
            }
            line.push(c);
        }
    }
    lines.push(line);
    lines
}

/// A picture under way. It is as wide as it was thought, and wider where a text in it is longer.
pub(crate) struct Canvas {
    svg: SVG,
    width: f64,
    height: f64,
}

/// Where a text is held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Hold {
    Start,
    Middle,
    End,
}

impl Canvas {
    pub(crate) fn new(title: &str, width: f64, height: f64) -> Canvas {
        let svg = SVG::new()
            .set("class", "chart")
            .set("xmlns", "http://www.w3.org/2000/svg")
            .set("role", "img")
            .set("aria-label", pivvel_core::text::printable(title));
        Canvas { svg, width, height }
    }

    pub(crate) fn add(&mut self, node: impl Node) {
        self.svg.append(node);
    }

    pub(crate) fn finish(self) -> SVG {
        let Canvas { svg, width, height } = self;
        svg.set("viewBox", format!("0 0 {width:.0} {height:.0}"))
            .set("width", format!("{width:.0}"))
            .set("height", format!("{height:.0}"))
    }

    /// A text; `class` may be empty.
    pub(crate) fn text(&mut self, at: (f64, f64), text: &str, hold: Hold, class: &str) {
        self.text_on(&Member::default(), at, text, hold, class);
    }

    /// A text that stands for a member.
    pub(crate) fn text_on(
        &mut self,
        member: &Member,
        (x, y): (f64, f64),
        text: &str,
        hold: Hold,
        class: &str,
    ) {
        let clean = pivvel_core::text::printable(text);
        let (anchor, right) = match hold {
            Hold::Start => ("start", text_width(&clean)),
            Hold::Middle => ("middle", text_width(&clean) / 2.0),
            Hold::End => ("end", 0.0),
        };
        self.width = self.width.max(x + right);
        let node = Text::new(clean).set("x", round(x)).set("y", round(y)).set("text-anchor", anchor);
        self.add(member.on(if class.is_empty() { node } else { node.set("class", class) }));
    }

    pub(crate) fn line(&mut self, (x1, y1): (f64, f64), (x2, y2): (f64, f64), class: &str) {
        let line = Line::new()
            .set("x1", round(x1))
            .set("y1", round(y1))
            .set("x2", round(x2))
            .set("y2", round(y2))
            .set("class", class);
        self.add(line);
    }

    /// The lines of a scale that goes across, from one height to another, with what they stand for where there is a
    /// format; the line of zero has a class of its own.
    pub(super) fn scale_below(
        &mut self,
        scale: &Scale,
        (top, foot): (f64, f64),
        zero: &str,
        (appearance, format): (&Appearance, Option<&NumberFormat>),
    ) {
        let texts = format.map(|format| {
            let format = appearance.words.format(format);
            move |tick: f64| tick_text(tick, &format)
        });
        let ticks = scale.ticks();
        // As many of them have a name as there is room for; the one of zero always has.
        let widest = texts.iter().flat_map(|text| ticks.iter().map(|tick| text_width(&text(*tick))));
        let apart = (scale.place(scale.step()) - scale.place(0.0)).abs();
        let every = ((widest.fold(0.0, f64::max) + 8.0) / apart).ceil().max(1.0) as i64;
        for tick in ticks {
            let x = scale.place(tick);
            self.line((x, top), (x, foot), if tick == 0.0 { zero } else { "rule" });
            if let Some(text) = texts.as_ref().filter(|_| (tick / scale.step()).round() as i64 % every == 0) {
                self.text((x, foot + 16.0), &text(tick), Hold::Middle, "soft");
            }
        }
    }

    /// A rectangle that stands for a member.
    pub(crate) fn rectangle(&mut self, (x, y): (f64, f64), (w, h): (f64, f64), class: &str, member: &Member) {
        let rectangle = Rectangle::new()
            .set("x", round(x))
            .set("y", round(y))
            .set("width", round(w.max(0.0)))
            .set("height", round(h.max(0.0)))
            .set("class", class);
        self.add(member.on(rectangle));
    }
}

pub(crate) fn round(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").map_or(text.clone(), str::to_string)
}

/// What a shape stands for.
#[derive(Debug, Clone, Default)]
pub(crate) struct Member {
    mark: Option<usize>,
    label: String,
    words: Vec<String>,
}

impl Member {
    pub(crate) fn new(
        crosstab: &CrossTab,
        entry: RowEntry,
        words: Vec<String>,
        medium: &mut Medium<'_>,
    ) -> Member {
        let path = crosstab.rows().path(entry);
        let label = path.iter().map(|m| m.shown()).collect::<Vec<_>>().join(" · ");
        Member { mark: medium.marks.of(crosstab.rows(), entry), label, words }
    }

    /// Lets a shape be marked, found and described.
    pub(crate) fn on<N: Node>(&self, mut node: N) -> N {
        let clean = pivvel_core::text::printable;
        if let Some(mark) = self.mark {
            node.assign("data-m", format!("m{mark}"));
        }
        if !self.label.is_empty() {
            node.assign("data-t", clean(&self.label));
            let words: Vec<String> =
                std::iter::once(clean(&self.label)).chain(self.words.iter().map(|w| clean(w))).collect();
            node.assign("data-w", words.join("\n"));
            node.append(Title::new(words.join("; ")));
        }
        node
    }
}

/// A measure with its figure, for the description of a shape.
pub(crate) fn figure_words(
    appearance: &Appearance,
    crosstab: &CrossTab,
    (row, column): (RowEntry, ColumnEntry),
    measure: usize,
) -> String {
    let label = crosstab.measures()[measure].label();
    if crosstab.hides_figure(measure) {
        return label.to_string();
    }
    let value = crosstab.cell(row, column).and_then(|cell| cell.value(measure));
    let format = crosstab.format(row, column, measure);
    format!(
        "{label}: {}",
        value.map_or_else(|| appearance.words.say("blank"), |value| appearance.number(&value, format))
    )
}

/// An axis from value to place, with round numbers along it.
#[derive(Debug, Clone)]
pub(crate) struct Scale {
    low: f64,
    high: f64,
    from: f64,
    to: f64,
}

impl Scale {
    /// The axis of values, drawn between two places; with zero where bars stand on it.
    pub(crate) fn new(values: &[f64], zero: bool, (from, to): (f64, f64)) -> Scale {
        let mut low = values.iter().copied().fold(f64::INFINITY, f64::min);
        let mut high = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        if !low.is_finite() {
            (low, high) = (0.0, 1.0);
        }
        if zero {
            (low, high) = (low.min(0.0), high.max(0.0));
        }
        // Around what is all the same there is room, as much as numbers of that size can tell.
        let size = low.abs().max(high.abs());
        if high - low <= size * 1e-12 {
            let room = (size * 1e-6).max(0.5);
            (low, high) = (low - room, high + room);
        }
        Scale { low, high, from, to }
    }

    pub(crate) fn place(&self, value: f64) -> f64 {
        self.from + (self.to - self.from) * (value - self.low) / (self.high - self.low)
    }

    /// The same from a round number on, so that its foot has a name.
    pub(crate) fn begun_at_a_tick(self) -> Scale {
        let step = self.step();
        Scale { low: (self.low / step).floor() * step, ..self }
    }

    /// From one round number to the next.
    fn step(&self) -> f64 {
        let rough = (self.high - self.low) / 5.0;
        let power = 10f64.powf(rough.log10().floor());
        [1.0, 2.0, 2.5, 5.0, 10.0].iter().map(|s| s * power).find(|step| *step >= rough).unwrap_or(power)
    }

    /// Three to seven round numbers within.
    pub(crate) fn ticks(&self) -> Vec<f64> {
        let step = self.step();
        let first = (self.low / step).ceil() as i64;
        let last = (self.high / step).floor() as i64;
        (first..=last).map(|i| i as f64 * step).collect()
    }
}

/// A round number along an axis, as short as it can be.
pub(crate) fn tick_text(value: f64, format: &NumberFormat) -> String {
    let full = show_number(&Value::Float(value), &format.clone().decimals(6).negative(Negative::Minus));
    // Digits that are all noughts say nothing.
    let point = format.get_point();
    let (number, after) = full.split_at(full.len() - format.get_after().len().min(full.len()));
    let short = match number.contains(point) && !point.is_empty() {
        true => number.trim_end_matches('0').trim_end_matches(point),
        false => number,
    };
    format!("{short}{after}")
}
