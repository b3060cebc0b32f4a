//! A layout as an HTML table: real headings, levels to fold, figures in full for whoever points at them.

use std::fmt::Write;

use askama::Template;
use pivvel_core::CrossTab;
use pivvel_core::text::Sentence;

use super::classes::{Classes, Use, escaped, push_escaped};
use super::members::Marks;
use crate::charts::text_width;
use crate::dress::Dress;
use crate::layout::{Head, Layout, LayoutCell, LayoutColumn, LayoutRow, RowKind, TrendLine};
use crate::legend::{LegendEntry, Sample, Swatch};
use crate::palette::{Paint, tone_sign};
use crate::widths::Widths;

#[derive(Template)]
#[template(path = "table.html")]
pub(super) struct Table<'a> {
    id: usize,
    layout: &'a Layout,
    /// Each with the number of its member, and the class of the colour that the brief gives that.
    heads: Vec<Vec<(&'a Head, String, String)>>,
    rows: Vec<Row>,
    legend: Vec<Line<'a>>,
    /// The widths of columns where the browser is not to find them out, as CSS.
    widths: Option<String>,
    /// The size of print on paper, in points.
    print_size: String,
    /// What the script needs to know of columns and scales, as JSON.
    facts: String,
}

/// A row with what it says of itself as attributes.
struct Row {
    attributes: String,
    cells: String,
    label: String,
    style: usize,
    scope: &'static str,
    folds: bool,
    /// The classes of its head.
    class: String,
    link: Option<String>,
    span: usize,
}

/// A line of the legend with its sample as HTML.
struct Line<'a> {
    entry: &'a LegendEntry,
    sample: String,
}

impl<'a> Table<'a> {
    pub(super) fn draw(
        crosstab: &CrossTab,
        layout: &'a Layout,
        id: usize,
        classes: &mut Classes,
        marks: &mut Marks,
    ) -> String {
        let columns: Vec<String> = layout
            .columns
            .iter()
            .map(|column| {
                marks.of(crosstab.columns(), column.entry).map_or(String::new(), |mark| format!("m{mark}"))
            })
            .collect();
        let mut head = |head: &'a Head| {
            let mark =
                marks.of(crosstab.columns(), head.entry).map_or(String::new(), |mark| format!("m{mark}"));
            (head, mark, classes.own_colour(crosstab.columns(), head.entry).unwrap_or_default())
        };
        let heads = layout.heads.iter().map(|row| row.iter().map(&mut head).collect()).collect();
        let rows = layout
            .rows
            .iter()
            .enumerate()
            .map(|(i, row)| row_of(crosstab, layout, i, row, classes, marks))
            .collect();
        let legend =
            layout.legend.iter().map(|entry| Line { entry, sample: sample(entry, classes) }).collect();
        let facts = super::facts::facts(crosstab, layout, &columns);
        let widths = is_large(layout).then(|| widths(layout, id));
        let table = Table { id, layout, heads, rows, legend, widths, print_size: print_size(layout), facts };
        table.render().unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}"))
    }

    fn say(&self, phrase: &'static str) -> String {
        self.layout.appearance.words.say(phrase)
    }

    fn fold(&self, row: &Row) -> String {
        self.layout.appearance.words.say(Sentence::from("fold {member}").with("member", &row.label))
    }

    fn head_scope(&self, head: &Head) -> &'static str {
        if head.columns.1 > 1 { "colgroup" } else { "col" }
    }

    /// Where a heading stands among the columns, for a table whose headings are a grid.
    fn head_area(&self, row: &usize, head: &&Head) -> String {
        let (first, count) = head.columns;
        format!("grid-area:{}/{}/span {}/span {count}", row + 1, first + 2, head.rows)
    }

    fn head_class(&self, head: &Head) -> String {
        let mut classes = Vec::new();
        let column = &self.layout.columns[head.columns.0];
        let marked = [
            (head.total, "total"),
            (head.rows > 1, "reach"),
            (head.blank, "blank"),
            (head.made, "made"),
            (column.height > 0 && head.columns.1 == 1, "sum"),
            (column.begins, "gap"),
        ];
        classes.extend(marked.iter().filter(|(is, _)| *is).map(|(_, class)| *class));
        classes.join(" ")
    }
}

/// The size of print, in points, at which the whole width fits on a landscape sheet. Below a size that can
/// be read the page's script prints the table in parts.
fn print_size(layout: &Layout) -> String {
    const SHEET: f64 = 690.0;
    // Digits are about 0.62 of their size wide, and each column has some room around it.
    let width = |longest: usize| 0.62 * longest as f64 + 1.0;
    let mut longest = vec![4; layout.columns.len()];
    for row in &layout.rows {
        for (longest, cell) in longest.iter_mut().zip(&row.cells) {
            *longest = cell.text.chars().count().max(*longest);
        }
    }
    let figures: f64 = longest.into_iter().map(width).sum();
    let labels = layout.rows.iter().map(|row| row.label.chars().count() + 2 * row.indent).max();
    let trends = 14.0 * layout.trends.len() as f64;
    let size = SHEET / (figures + trends + width(labels.unwrap_or(0).min(45)));
    format!("{:.1}", size.clamp(1.0, 9.0))
}

/// Of a table of more cells than this, only the rows that are in sight are laid out. Its columns have widths that
/// are known beforehand, since no browser can find them out from rows that it does not lay out.
const LARGE: usize = 15_000;

fn is_large(layout: &Layout) -> bool {
    layout.rows.len() * layout.columns.len() > LARGE
}

/// The widths of columns, in digits of the page's print, and what bars add to the height of rows.
fn widths(layout: &Layout, id: usize) -> String {
    let Widths { labels, columns, trends } = Widths::new(layout);
    // Bold digits are up to a tenth wider than others.
    let digits = |width: f64| format!("{:.1} * var(--digit)", 1.1 * width / text_width("0"));
    let begins = layout.columns.iter().map(|column| column.begins).chain(trends.iter().map(|_| true));
    let widths: Vec<String> = columns.iter().chain(&trends).map(|width| digits(*width)).collect();
    let track = |(width, begins)| format!("calc({width}{})", if begins { " + .9rem" } else { "" });
    let tracks: Vec<String> = widths.iter().zip(begins).map(track).collect();
    let has_bars = layout.rows.iter().flat_map(|row| &row.cells).any(|cell| cell.dress.bar.is_some());
    let bars = if has_bars { "--bars:.2rem;" } else { "" };
    let mut css = format!("#t{id}{{{bars}--labels:calc({});--columns:{}}}", digits(labels), tracks.join(" "));
    for (i, width) in widths.iter().enumerate() {
        let _ = write!(css, "#t{id} td:nth-child({}){{width:calc({width})}}", i + 2);
    }
    format!("@media screen{{{css}}}")
}

fn row_of(
    crosstab: &CrossTab,
    layout: &Layout,
    place: usize,
    row: &LayoutRow,
    classes: &mut Classes,
    marks: &mut Marks,
) -> Row {
    let kind = match row.kind {
        RowKind::Heading => "heading",
        RowKind::Member => "member",
        RowKind::Subtotal => "subtotal",
        RowKind::Total => "grand",
    };
    let level = row.entry.level();
    let next = layout.rows.get(place + 1).map_or(0, |next| next.entry.level());
    let folds = matches!(row.kind, RowKind::Heading | RowKind::Subtotal) && next > level;
    let mark =
        marks.of(crosstab.rows(), row.entry).map_or(String::new(), |mark| format!(" data-m=\"m{mark}\""));
    let made = if row.made { " data-made" } else { "" };
    let attributes = format!("class=\"{kind}\" data-l=\"{level}\"{mark}{made}");
    let mut cells = String::new();
    for (column, cell) in row.cells.iter().enumerate() {
        let _ = write_cell(&mut cells, layout, column, cell, classes);
    }
    for line in row.trends.iter().filter(|_| !row.cells.is_empty()) {
        let _ = match line {
            Some(line) => write!(cells, "<td class=\"trend gap\">{}</td>", trend(line)),
            None => write!(cells, "<td class=\"trend gap\"></td>"),
        };
    }
    let mut head_class = String::from(if row.blank {
        "blank"
    } else if row.made {
        "made"
    } else {
        ""
    });
    if let Some(tint) = row.tint {
        head_class = format!("{head_class} {}", classes.of(tint, Use::Tint)).trim().to_string();
    }
    if let Some(own) = classes.own_colour(crosstab.rows(), row.entry) {
        head_class = format!("{head_class} {own}").trim().to_string();
    }
    Row {
        attributes,
        cells,
        label: row.label.clone(),
        style: row.indent,
        scope: if row.cells.is_empty() { "rowgroup" } else { "row" },
        folds,
        link: row.link.clone(),
        class: head_class,
        span: if row.cells.is_empty() { layout.columns.len() + layout.trends.len() + 1 } else { 1 },
    }
}

fn write_cell(
    out: &mut String,
    layout: &Layout,
    column: usize,
    cell: &LayoutCell,
    classes: &mut Classes,
) -> std::fmt::Result {
    let at = &layout.columns[column];
    out.push_str("<td");
    write_classes(out, at, &cell.dress, classes);
    if let Some(bar) = cell.dress.bar {
        let percent = |share: f64| format!("{:.1}%", share * 100.0);
        let (from, to, zero) = (percent(bar.span.from()), percent(bar.span.to()), percent(bar.span.zero()));
        write!(out, " style=\"--a:{from};--b:{to};--z:{zero}\"")?;
    }
    if at.ranked && cell.rank > 0 {
        write!(out, " data-r=\"{}\"", cell.rank)?;
    }
    if let Some(value) = cell.value {
        let before = out.len();
        write!(out, " data-v=\"{value}")?;
        let full = &out.as_bytes()[before + " data-v=\"".len()..];
        // A figure that is shown in full is not written twice.
        if full.iter().eq(cell.text.as_bytes().iter().filter(|byte| **byte != b',')) {
            out.truncate(before);
        } else {
            out.push('"');
        }
    }
    if let Some(on) = cell.on {
        let scale = on.scale.map_or(String::new(), |scale| scale.to_string());
        let position = on.position.map_or(String::new(), |p| format!("{:.3}", p + 0.0));
        let rule = on.rule.map_or(String::new(), |rule| rule.to_string());
        write!(out, " data-p=\"{}:{scale}:{position}:{rule}\"", on.emphasis)?;
    }
    out.push('>');
    write_figure(out, cell, classes)?;
    out.push_str("</td>");
    Ok(())
}

/// What a cell wears, as its attribute of classes; none where it wears nothing.
fn write_classes(out: &mut String, at: &LayoutColumn, dress: &Dress, classes: &mut Classes) {
    let before = out.len();
    out.push_str(" class=\"");
    let first = out.len();
    let mut add = |class: &str| {
        if out.len() > first {
            out.push(' ');
        }
        out.push_str(class);
    };
    if at.height > 0 {
        add("sum");
    }
    if at.begins {
        add("gap");
    }
    if let Some(tint) = dress.tint {
        add(&classes.of(tint, Use::Tint));
        edge(tint).into_iter().for_each(&mut add);
    }
    if let Some(paint) = dress.ink {
        add(&classes.of(paint, if dress.tint.is_some() { Use::InkOnTint } else { Use::Ink }));
    }
    if let Some(bar) = dress.bar {
        add(if at.hidden { "bar alone" } else { "bar" });
        add(&classes.of(bar.paint, Use::Shape));
    }
    if out.len() > first {
        out.push('"');
    } else {
        out.truncate(before);
    }
}

/// The figure with its symbol and its sign, or as a link.
fn write_figure(out: &mut String, cell: &LayoutCell, classes: &mut Classes) -> std::fmt::Result {
    let dress = &cell.dress;
    if let Some((symbol, paint)) = dress.symbol {
        let (id, paint) = (classes.symbol(symbol), classes.of(paint, Use::Shape));
        write!(out, "<svg class=\"sign {paint}\" aria-hidden=\"true\"><use href=\"#{id}\"/></svg>")?;
    }
    if let Some(Paint::Tone(tone)) = dress.ink
        && let Some(sign) = tone_sign(tone)
    {
        write!(out, "<span class=\"tone\" aria-hidden=\"true\">{sign}</span>")?;
    }
    match &dress.link {
        Some(link) if !cell.text.is_empty() => {
            write!(
                out,
                "<a href=\"{}\" rel=\"noopener noreferrer\">{}</a>",
                escaped(link),
                escaped(&cell.text)
            )?;
        }
        _ => push_escaped(out, &cell.text),
    }
    Ok(())
}

/// What tells the two sides of a middle, and tones, without their hue.
pub(crate) fn edge(paint: Paint) -> Option<&'static str> {
    match paint {
        Paint::Place { palette, position } if palette.is_diverging() => match position {
            low if low < -0.02 => Some("lo"),
            high if high > 0.02 => Some("hi"),
            _ => None,
        },
        Paint::Place { .. } => None,
        Paint::Tone(tone) => match tone.name() {
            "gain" => Some("hi"),
            "loss" => Some("lo"),
            _ => None,
        },
    }
}

/// A small line as SVG; a gap where a period has no value.
fn trend(line: &TrendLine) -> String {
    let mut path = String::new();
    let mut down = false;
    let mut last = None;
    for (across, up) in &line.points {
        let Some(up) = up else {
            down = false;
            continue;
        };
        let (x, y) = (2.0 + 92.0 * across, 18.0 - 16.0 * up);
        let _ = write!(path, "{}{x:.1} {y:.1}", if down { "L" } else { "M" });
        (down, last) = (true, Some((x, y)));
    }
    let dot = last.map_or(String::new(), |(x, y)| format!("<circle cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"1.8\"/>"));
    let words = escaped(&line.words);
    format!(
        "<svg class=\"line\" viewBox=\"0 0 96 20\" role=\"img\" aria-label=\"{words}\"><title>{words}</title><path d=\"{path}\"/>{dot}</svg>"
    )
}

/// A sample of a scale or of named colours.
fn sample(entry: &LegendEntry, classes: &mut Classes) -> String {
    use pivvel_core::brief::Form;
    match &entry.sample {
        Sample::Ramp { paints, ends, middle } => {
            let last = paints.len() - 1;
            let mut step = |(i, paint): (usize, &Paint)| {
                let (used, text) = match entry.form {
                    Form::Bar => (Use::Shape, ""),
                    Form::Ink => (Use::Ink, "8"),
                    _ => (Use::Tint, ""),
                };
                // The signs of both sides stand at the ends, and say enough there.
                let edge = edge(*paint).filter(|_| i == 0 || i == last).unwrap_or("");
                format!("<i class=\"{} {edge}\">{text}</i>", classes.of(*paint, used))
            };
            let steps: String = paints.iter().enumerate().map(&mut step).collect();
            let middle = middle.as_ref().map_or(String::new(), |m| format!("<b>{}</b>", escaped(m)));
            let kind = entry.form.name();
            format!("<span>{}</span><span class=\"ramp {kind}\" aria-hidden=\"true\">{steps}{middle}</span><span>{}</span>", escaped(&ends[0]), escaped(&ends[1]))
        }
        Sample::Named(swatches) => swatches.iter().map(|s| swatch(entry.form, s, classes)).collect(),
        Sample::Words => "<svg class=\"line\" viewBox=\"0 0 96 20\" aria-hidden=\"true\"><path d=\"M2 16L24 9L48 12L94 3\"/></svg>".into(),
    }
}

fn swatch(form: pivvel_core::brief::Form, swatch: &Swatch, classes: &mut Classes) -> String {
    use pivvel_core::brief::Form;
    let sign = |paint: Paint| match paint {
        Paint::Tone(tone) => {
            tone_sign(tone).map_or(String::new(), |sign| format!("<span class=\"tone\">{sign}</span>"))
        }
        Paint::Place { .. } => String::new(),
    };
    let drawn = match (form, swatch.symbol) {
        (_, Some(symbol)) => {
            let (id, paint) = (classes.symbol(symbol), classes.of(swatch.paint, Use::Shape));
            format!("<svg class=\"sign {paint}\" aria-hidden=\"true\"><use href=\"#{id}\"/></svg>")
        }
        (Form::Ink, _) => {
            format!("<i class=\"text {}\">{}12</i>", classes.of(swatch.paint, Use::Ink), sign(swatch.paint))
        }
        (Form::Bar, _) => format!(
            "<i class=\"box {}\" style=\"background:var(--c)\"></i>",
            classes.of(swatch.paint, Use::Shape)
        ),
        _ => format!(
            "<i class=\"box {} {}\"></i>",
            classes.of(swatch.paint, Use::Tint),
            edge(swatch.paint).unwrap_or("")
        ),
    };
    format!("<span class=\"swatch\">{drawn} {}</span>", escaped(&swatch.name))
}
