//! A cross-tab and its views as a picture: SVG that stands by itself, and PNG made from it.

use pivvel_core::CrossTab;
use pivvel_core::brief::{Form, ViewForm};
use pivvel_core::result::View;
use pivvel_core::text::Sentence;
use svg::node::element::{Group, Path, Rectangle, SVG, Style};

use crate::appearance::Appearance;
use crate::charts::{self, Canvas, Hold, LINE, Medium, Member, fitting, round, text_width, wrapped};
use crate::layout::{Layout, LayoutCell, LayoutRow, RowKind, TrendLine};
use crate::legend::{LegendEntry, Sample, Swatch};
use crate::page::classes::{Classes, Use};
use crate::page::members::{Hue, Marks};
use crate::palette::{Ground, Paint, ink, paper, tone_sign};
use crate::widths::{BAR, PAD, SWATCH, Widths};

/// Room around a picture and between its parts.
const MARGIN: f64 = 24.0;
/// How wide titles and notes are at least, before they go on in another line.
const PROSE: f64 = 700.0;
/// How wide panels beside one another are at most.
const SHEET: f64 = 1200.0;

/// Draws a cross-tab with its views as SVG, or one of the views alone, counted from 1. [`Appearance::svg`] does it in another
/// language and in other colours.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// assert!(pivvel::draw::svg(&crosstab, None).starts_with("<svg"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn draw_svg(crosstab: &CrossTab, view: Option<usize>) -> String {
    draw(crosstab, view, &Appearance::new())
}

pub(crate) fn draw(crosstab: &CrossTab, view: Option<usize>, appearance: &Appearance) -> String {
    let (mut classes, mut marks) = (Classes::default(), Marks::default());
    let mut parts: Vec<SVG> = Vec::new();
    let mut medium = Medium { appearance, classes: &mut classes, marks: &mut marks };
    if view.is_none() {
        parts.push(table(&Layout::of(crosstab, appearance), &mut medium));
    }
    for (place, shown) in crosstab.views().iter().enumerate() {
        if view.is_some_and(|view| view != place + 1) {
            continue;
        }
        let panels = charts::panels(shown, &appearance.words);
        let has_heading = shown.spec().get_form() != ViewForm::Table || panels.len() > 1;
        let draw_panel = |panel| match shown.spec().get_form() {
            ViewForm::Table => {
                let mut layout = Layout::of_panel(shown.crosstab(), panel, appearance);
                layout.notes = crate::notes::own_notes(shown.crosstab(), crosstab, &appearance.words);
                layout.title = panel.title.clone().unwrap_or(layout.title);
                table(&layout, &mut medium)
            }
            _ => charts::draw(shown, panel, &mut medium),
        };
        let drawn = side_by_side(panels.iter().map(draw_panel).collect());
        if has_heading {
            let widest = drawn.iter().map(|part| size(part, "width")).fold(PROSE, f64::max);
            parts.push(heading(&appearance.title(shown.crosstab()), widest));
        }
        parts.extend(drawn);
        // Under a table that is drawn as well there is all of this.
        if view.is_some() && shown.spec().get_form() != ViewForm::Table {
            parts.extend(under_chart(shown, &mut medium));
        }
    }
    stacked(parts, &classes, appearance)
}

/// A title over a picture of some width.
fn heading(text: &str, width: f64) -> SVG {
    let lines = title_lines(text, width);
    let mut canvas = Canvas::new(text, width, lines.len() as f64 * TITLE - 2.0);
    write_title(&mut canvas, &lines);
    canvas.finish()
}

/// The height of a line of a title.
const TITLE: f64 = 22.0;

fn title_lines(text: &str, width: f64) -> Vec<String> {
    // Its print is larger than that of other texts, and bold.
    wrapped(text, width / 1.5)
}

fn write_title(canvas: &mut Canvas, lines: &[String]) {
    for (i, line) in lines.iter().enumerate() {
        canvas.text((0.0, 17.0 + i as f64 * TITLE), line, Hold::Start, "title");
    }
}

fn size(part: &SVG, side: &str) -> f64 {
    part.get_attributes().get(side).and_then(|value| value.parse().ok()).unwrap_or(0.0)
}

/// Panels in rows as wide as a sheet; one alone as it is.
fn side_by_side(panels: Vec<SVG>) -> Vec<SVG> {
    let mut rows: Vec<(f64, Vec<SVG>)> = Vec::new();
    for panel in panels {
        let width = size(&panel, "width");
        match rows.last_mut() {
            Some((used, row)) if *used + MARGIN + width <= SHEET => {
                *used += MARGIN + width;
                row.push(panel);
            }
            _ => rows.push((width, vec![panel])),
        }
    }
    let joined = |(width, mut row): (f64, Vec<SVG>)| {
        if row.len() == 1 {
            return row.remove(0);
        }
        let height = row.iter().map(|part| size(part, "height")).fold(0.0, f64::max);
        let mut whole = SVG::new().set("width", round(width)).set("height", round(height));
        let mut x = 0.0;
        for part in row {
            let own = size(&part, "width");
            whole = whole.add(part.set("x", round(x)));
            x += own + MARGIN;
        }
        whole
    };
    rows.into_iter().map(joined).collect()
}

/// Parts one under the other, on a ground of their own.
fn stacked(parts: Vec<SVG>, classes: &Classes, appearance: &Appearance) -> String {
    let width = parts.iter().map(|part| size(part, "width")).fold(0.0, f64::max) + 2.0 * MARGIN;
    let height: f64 = parts.iter().map(|part| size(part, "height") + MARGIN).sum::<f64>() + MARGIN;
    let mut whole = SVG::new()
        .set("xmlns", "http://www.w3.org/2000/svg")
        .set("viewBox", format!("0 0 {} {}", round(width), round(height)))
        .set("width", round(width))
        .set("height", round(height))
        .add(Style::new(css(classes, appearance)))
        .add(
            Rectangle::new()
                .set("width", "100%")
                .set("height", "100%")
                .set("fill", paper(Ground::Light).hex()),
        );
    let mut y = MARGIN;
    for part in parts {
        let own = size(&part, "height");
        whole = whole.add(part.set("x", round(MARGIN)).set("y", round(y)));
        y += own + MARGIN;
    }
    format!("{whole}\n")
}

fn css(classes: &Classes, appearance: &Appearance) -> String {
    let fonts = appearance.theme.families().unwrap_or("'Source Sans 3','Noto Sans','DejaVu Sans',sans-serif");
    let ink = ink(Ground::Light).hex();
    format!(
        "text{{font:{}px {fonts};fill:{ink}}}\
         .strong{{font-weight:bold}}.slanted{{font-style:italic}}.title{{font-size:17px;font-weight:bold}}.soft{{fill:#59636d}}\
         .rule{{stroke:#d8dcdf}}.base{{stroke:#59636d}}.bold{{stroke:{ink};stroke-width:1.6}}.mean{{stroke:{ink};stroke-width:2}}\
         .edge{{stroke:#59636d;stroke-width:.6}}.empty{{fill:none;stroke:#d8dcdf;stroke-dasharray:3 3}}.outline{{fill:none;stroke:#59636d;stroke-width:.6}}\
         .trend{{fill:none;stroke:#2f6f9f;stroke-width:1.3}}.corner{{fill:{ink}}}\n{}",
        charts::PRINT,
        classes.picture_css()
    )
}

/// Where the columns of a layout stand.
struct Places {
    labels: f64,
    /// Room before labels, where members have colours.
    swatch: f64,
    /// From where to where each column goes, the small lines last.
    columns: Vec<(f64, f64)>,
}

impl Places {
    fn new(layout: &Layout) -> Places {
        let Widths { labels, columns: widths, trends } = Widths::new(layout);
        let swatch = if layout.rows.iter().any(|row| row.colour.is_some()) { SWATCH } else { 0.0 };
        let mut at = labels;
        let mut columns: Vec<(f64, f64)> = Vec::new();
        for (column, width) in layout.columns.iter().zip(widths) {
            at += if column.begins { 12.0 } else { 0.0 };
            columns.push((at, at + width));
            at += width;
        }
        for width in trends {
            at += 14.0;
            columns.push((at, at + width));
            at += width;
        }
        Places { labels, swatch, columns }
    }

    fn end(&self) -> f64 {
        self.columns.last().map_or(self.labels, |column| column.1)
    }
}

/// A layout as a picture.
fn table(layout: &Layout, medium: &mut Medium<'_>) -> SVG {
    let places = Places::new(layout);
    let heads = layout.heads.len() as f64 * LINE;
    let bars = layout.rows.iter().flat_map(|row| &row.cells).any(|cell| cell.dress.bar.is_some());
    let line = if bars { LINE + 6.0 } else { LINE + 2.0 };
    let width = places.end().max(foot_width(layout)).max((text_width(&layout.title) * 1.5).min(PROSE));
    let title = title_lines(&layout.title, width);
    let top = 12.0 + title.len() as f64 * TITLE;
    let body = top + heads + 4.0;
    let foot = body + layout.rows.len() as f64 * line + 12.0;
    let mut canvas = Canvas::new(&layout.title, width, foot + foot_height(layout, width) + 12.0);
    write_title(&mut canvas, &title);
    draw_heads(&mut canvas, layout, &places, top);
    canvas.line((0.0, body - 2.0), (places.end(), body - 2.0), "bold");
    for (i, row) in layout.rows.iter().enumerate() {
        draw_row(&mut canvas, layout, row, &places, (body + i as f64 * line, line), medium);
    }
    draw_foot(&mut canvas, layout, (foot + 14.0, width), medium);
    canvas.finish()
}

/// What colours mean, and the notes.
fn draw_foot(canvas: &mut Canvas, layout: &Layout, (top, width): (f64, f64), medium: &mut Medium<'_>) {
    let mut y = top;
    for entry in &layout.legend {
        draw_legend(canvas, entry, y, medium);
        y += LINE + 4.0;
    }
    for note in layout.notes.iter().flat_map(|note| wrapped(note, width)) {
        canvas.text((0.0, y), &note, Hold::Start, "soft");
        y += LINE;
    }
}

/// What a chart by itself has below it: the notes and, where it has the colours of cells, what these mean.
fn under_chart(view: &View, medium: &mut Medium<'_>) -> Option<SVG> {
    let mut layout = Layout::of(view.crosstab(), medium.appearance);
    if view.spec().get_form() != ViewForm::Bars {
        layout.legend.clear();
    }
    let width = foot_width(&layout);
    let height = foot_height(&layout, width);
    if height == 0.0 {
        return None;
    }
    let mut canvas = Canvas::new(&layout.title, width, height + 6.0);
    draw_foot(&mut canvas, &layout, (14.0, width), medium);
    Some(canvas.finish())
}

/// How wide the legend and the notes are.
fn foot_width(layout: &Layout) -> f64 {
    let longest = layout.notes.iter().map(|note| text_width(note)).fold(0.0, f64::max);
    longest.min(PROSE).max(legend_width(layout))
}

/// How high the legend and the notes are.
fn foot_height(layout: &Layout, width: f64) -> f64 {
    let notes: usize = layout.notes.iter().map(|note| wrapped(note, width).len()).sum();
    layout.legend.len() as f64 * (LINE + 4.0) + notes as f64 * LINE
}

fn draw_heads(canvas: &mut Canvas, layout: &Layout, places: &Places, top: f64) {
    let last = layout.heads.len().saturating_sub(1);
    for (i, row) in layout.heads.iter().enumerate() {
        for head in row {
            let (first, count) = head.columns;
            let (start, end) = (places.columns[first].0, places.columns[first + count - 1].1);
            let y = top + (i + head.rows - 1) as f64 * LINE + 14.0;
            let text = fitting(&head.text, end - start - PAD);
            let class = if head.made || head.blank {
                "slanted"
            } else if head.total || i == 0 {
                "strong"
            } else {
                "soft"
            };
            match count {
                1 => canvas.text((end - PAD, y), &text, Hold::End, class),
                _ => {
                    canvas.text((start + PAD, y), &text, Hold::Start, "strong");
                    canvas.line((start + PAD, y + 5.0), (end - PAD / 2.0, y + 5.0), "rule");
                }
            }
        }
    }
    let y = top + last as f64 * LINE + 14.0;
    canvas.text((0.0, y), &fitting(&layout.corner.join(" / "), places.labels - PAD), Hold::Start, "soft");
    for (trend, place) in layout.trends.iter().zip(&places.columns[layout.columns.len()..]) {
        canvas.text((place.0 + PAD, y), &trend.heading, Hold::Start, "soft");
    }
}

fn draw_row(
    canvas: &mut Canvas,
    layout: &Layout,
    row: &LayoutRow,
    places: &Places,
    (y, line): (f64, f64),
    medium: &mut Medium<'_>,
) {
    let strong = row.kind != RowKind::Member;
    if row.kind == RowKind::Total {
        canvas.line((0.0, y), (places.end(), y), "bold");
    }
    let class = if row.blank || row.made {
        "slanted"
    } else if strong {
        "strong"
    } else {
        ""
    };
    let indent = 16.0 * row.indent as f64;
    if let Some(tint) = row.tint {
        let class = medium.classes.of(tint, Use::Tint);
        canvas.rectangle((0.0, y), (places.labels, line), &class, &Member::default());
    }
    if let Some(own) = row.colour {
        let class = format!("{} f", medium.classes.category(Hue::Own(own)));
        canvas.rectangle((indent, y + 4.0), (4.0, line - 8.0), &class, &Member::default());
    }
    let indent = if row.kind == RowKind::Total { indent } else { indent + places.swatch };
    canvas.text((indent, y + 15.0), &fitting(&row.label, places.labels - indent - 4.0), Hold::Start, class);
    for (i, cell) in row.cells.iter().enumerate() {
        let heavy = strong || layout.columns[i].height > 0;
        draw_cell(canvas, cell, places.columns[i], (y, line), heavy, medium);
    }
    for (line_of, place) in row.trends.iter().zip(&places.columns[layout.columns.len()..]) {
        if let Some(small) = line_of {
            trend(canvas, small, (place.0 + PAD, y + 3.0), line - 7.0);
        }
    }
}

fn draw_cell(
    canvas: &mut Canvas,
    cell: &LayoutCell,
    (start, end): (f64, f64),
    (y, line): (f64, f64),
    strong: bool,
    medium: &mut Medium<'_>,
) {
    let nobody = Member::default();
    let dress = &cell.dress;
    if let Some(tint) = dress.tint {
        let class = medium.classes.of(tint, Use::Tint);
        canvas.rectangle((start, y), (end - start, line), &class, &nobody);
        if let Some(corner) = crate::page::edge(tint) {
            let d = match corner {
                "lo" => format!("M{} {}l0 -6l6 6Z", round(start), round(y + line)),
                _ => format!("M{} {}l0 6l-6 -6Z", round(end), round(y)),
            };
            canvas.add(Path::new().set("d", d).set("class", "corner"));
        }
    }
    if let Some(bar) = dress.bar {
        let (from, wide) = (start + PAD, end - start - 2.0 * PAD);
        let (height, at) = if cell.text.is_empty() { (line - 10.0, y + 5.0) } else { (4.5, y + line - 6.0) };
        let class = format!("{} f", medium.classes.of(bar.paint, Use::Shape));
        let (a, b) = (from + wide * bar.span.from(), from + wide * bar.span.to());
        canvas.rectangle((a, at), (b - a, height), &class, &nobody);
        let zero = from + wide * bar.span.zero();
        canvas.line((zero, at - 1.0), (zero, at + height + 1.0), "base");
    }
    if let Some((symbol, paint)) = dress.symbol {
        let (stroked, filled) = symbol.paths();
        let class = medium.classes.of(paint, Use::Shape);
        let place = format!("translate({} {}) scale(0.82)", round(start + PAD - 2.0), round(y + 3.5));
        let drawn = Group::new()
            .set("transform", place)
            .add(Path::new().set("d", stroked).set("class", format!("{class} k")).set("stroke-width", 1.5))
            .add(Path::new().set("d", filled).set("class", format!("{class} f")));
        canvas.add(drawn);
    }
    let sign = if let Some(Paint::Tone(tone)) = dress.ink { tone_sign(tone) } else { None };
    let text = match sign.filter(|_| !cell.text.is_empty()) {
        Some(sign) => format!("{sign} {}", cell.text),
        None => cell.text.clone(),
    };
    let ink = dress.ink.map_or(String::new(), |ink| {
        medium.classes.of(ink, if dress.tint.is_some() { Use::InkOnTint } else { Use::Ink })
    });
    let class = if strong { format!("strong {ink}") } else { ink };
    canvas.text((end - PAD, y + 15.0), &text, Hold::End, class.trim());
}

fn trend(canvas: &mut Canvas, line: &TrendLine, (x, y): (f64, f64), height: f64) {
    let (mut d, mut down) = (String::new(), false);
    for (across, up) in &line.points {
        match up {
            Some(up) => {
                let (x, y) = (x + BAR * across, y + height * (1.0 - up));
                d.push_str(&format!("{}{} {}", if down { "L" } else { "M" }, round(x), round(y)));
                down = true;
            }
            None => down = false,
        }
    }
    canvas.add(Path::new().set("d", d).set("class", "trend"));
}

const SAMPLE: f64 = 120.0;

fn legend_width(layout: &Layout) -> f64 {
    let one = |entry: &LegendEntry| match &entry.sample {
        Sample::Ramp { ends, .. } => {
            low_end(ends) + 80.0 + SAMPLE + text_width(&ends[1]) + text_width(&entry.text)
        }
        Sample::Named(swatches) => {
            swatches.iter().map(|s| text_width(&s.name) + 46.0).sum::<f64>() + text_width(&entry.text)
        }
        Sample::Words => 60.0 + text_width(&entry.text),
    };
    layout.legend.iter().map(one).fold(0.0, f64::max)
}

/// Where the text of a scale's lower end ends: the same in most legends.
fn low_end(ends: &[String; 2]) -> f64 {
    text_width(&ends[0]).max(90.0)
}

fn draw_legend(canvas: &mut Canvas, entry: &LegendEntry, y: f64, medium: &mut Medium<'_>) {
    let nobody = Member::default();
    let mut at = 0.0;
    match &entry.sample {
        Sample::Ramp { paints, ends, middle } => {
            let low = low_end(ends);
            canvas.text((low, y), &ends[0], Hold::End, "");
            let used = if entry.form == Form::Bar { Use::Shape } else { Use::Tint };
            let wide = SAMPLE / paints.len() as f64;
            for (i, paint) in paints.iter().enumerate() {
                let class = format!("{} f", medium.classes.of(*paint, used));
                canvas.rectangle(
                    (low + 8.0 + wide * i as f64, y - 10.0),
                    (wide + 0.3, 12.0),
                    &class,
                    &nobody,
                );
            }
            at += low + 8.0 + SAMPLE + 8.0;
            let high = middle.as_ref().map_or(ends[1].clone(), |middle| {
                let sentence = Sentence::from("{high} (middle {middle})").with("high", &ends[1]);
                medium.appearance.words.say(sentence.with("middle", middle))
            });
            canvas.text((at, y), &high, Hold::Start, "");
            at += text_width(&high) + 14.0;
        }
        Sample::Named(swatches) => {
            for swatch in swatches {
                at = draw_swatch(canvas, entry.form, swatch, (at, y), medium);
            }
        }
        Sample::Words => {
            let d = format!("M0 {}l14 -7l14 4l16 -8", round(y));
            canvas.add(Path::new().set("d", d).set("class", "trend"));
            at = 54.0;
        }
    }
    canvas.text((at, y), &entry.text, Hold::Start, "soft");
}

fn draw_swatch(
    canvas: &mut Canvas,
    form: Form,
    swatch: &Swatch,
    (x, y): (f64, f64),
    medium: &mut Medium<'_>,
) -> f64 {
    let cell = LayoutCell {
        text: if form == Form::Ink { "12".into() } else { String::new() },
        dress: crate::dress::Dress {
            tint: (form == Form::Tint).then_some(swatch.paint),
            ink: (form == Form::Ink).then_some(swatch.paint),
            symbol: swatch.symbol.map(|symbol| (symbol, swatch.paint)),
            ..crate::dress::Dress::default()
        },
        ..LayoutCell::default()
    };
    if form == Form::Bar {
        let class = format!("{} f", medium.classes.of(swatch.paint, Use::Shape));
        canvas.rectangle((x, y - 7.0), (24.0, 6.0), &class, &Member::default());
    } else {
        draw_cell(canvas, &cell, (x, x + 34.0), (y - 14.0, 18.0), false, medium);
    }
    canvas.text((x + 40.0, y), &swatch.name, Hold::Start, "");
    x + 40.0 + text_width(&swatch.name) + 16.0
}

/// The most pixels of a PNG either way.
#[cfg(feature = "png")]
const LARGEST: f32 = 16_000.0;

/// The size in the attributes of an SVG.
#[cfg(feature = "png")]
fn size_of(svg: &str) -> Option<(f32, f32)> {
    let of = |name: &str| {
        let rest = svg.split_once(&format!("{name}=\""))?.1;
        rest.split_once('"')?.0.parse().ok()
    };
    Some((of(" width")?, of(" height")?))
}

/// Draws SVG as PNG, at twice its size so that print is sharp.
///
/// # Errors
/// A machine without any font: there would be no figures; a picture that is too large to be held.
#[cfg(feature = "png")]
pub fn draw_png(svg: &str) -> Result<Vec<u8>, String> {
    use resvg::{tiny_skia, usvg};
    if let Some((width, height)) = size_of(svg).filter(|(width, height)| width.max(*height) > LARGEST) {
        return Err(format!(
            "this picture is {width:.0} by {height:.0} pixels, and a PNG holds at most {LARGEST:.0} either way; show fewer members (only, \
             having, top), or write .svg"
        ));
    }
    let mut options = usvg::Options::default();
    options.fontdb_mut().load_system_fonts();
    if options.fontdb.is_empty() {
        let message =
            "no font is found on this machine; install one, such as fonts-dejavu-core, or write .svg";
        return Err(message.into());
    }
    let family = sans_serif(&options.fontdb);
    options.fontdb_mut().set_sans_serif_family(family);
    let tree = usvg::Tree::from_str(svg, &options).map_err(|e| e.to_string())?;
    let size = tree.size();
    let scale = (LARGEST / size.width().max(size.height())).min(2.0);
    let (width, height) = ((size.width() * scale).ceil() as u32, (size.height() * scale).ceil() as u32);
    let mut pixels = tiny_skia::Pixmap::new(width, height).ok_or("the picture is too large")?;
    resvg::render(&tree, tiny_skia::Transform::from_scale(scale, scale), &mut pixels.as_mut());
    pixels.encode_png().map_err(|e| e.to_string())
}

/// A family of fonts that is there.
#[cfg(feature = "png")]
fn sans_serif(fonts: &resvg::usvg::fontdb::Database) -> String {
    let names = || fonts.faces().flat_map(|face| face.families.iter().map(|(name, _)| name.clone()));
    let known = ["Source Sans 3", "Noto Sans", "DejaVu Sans", "Liberation Sans"];
    let there = known.iter().find(|known| names().any(|name| name == **known));
    there.map(|name| name.to_string()).or_else(|| names().next()).unwrap_or_default()
}
