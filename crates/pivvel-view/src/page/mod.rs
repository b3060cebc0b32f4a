//! A cross-tab and its views as a page: one HTML file without any outside reference.

pub(crate) mod classes;
mod controls;
mod facts;
pub(crate) mod members;
mod report;
mod table;

use askama::Template;
use pivvel_core::CrossTab;
use pivvel_core::brief::ViewForm;

use crate::appearance::Appearance;
use crate::charts::{self, Medium};
use crate::layout::Layout;
use crate::palette::{Ground, ink, paper};
use crate::signs::Symbol;
use classes::Classes;
use controls::Controls;
pub(crate) use controls::draw as draw_with_controls;
pub use controls::draw_page_with_controls;
use members::Marks;
pub use report::draw_report_page;
use table::Table;
pub(crate) use table::edge;

#[derive(Template)]
#[template(path = "page.html")]
struct Page<'a> {
    title: &'a str,
    body: &'a str,
    symbols: Vec<(String, String, String)>,
    css: String,
    words: PageWords<'a>,
    script: &'static str,
    has_script: bool,
    controls: Option<Controls>,
}

/// What changes where readers choose otherwise: tables, charts and notes.
#[derive(Template)]
#[template(path = "body.html")]
struct Body<'a> {
    sections: Vec<Section>,
    notes: Vec<String>,
    words: PageWords<'a>,
}

/// What stands on every page in the words of its language.
struct PageWords<'a> {
    appearance: &'a Appearance,
    /// What the script says, as JSON.
    script: String,
}

impl PageWords<'_> {
    fn of(appearance: &Appearance) -> PageWords<'_> {
        let [marks, point] = appearance.words.number_marks();
        let own: serde_json::Map<_, _> =
            appearance.words.own().map(|(english, own)| (english.to_string(), own.into())).collect();
        let script = facts::embedded(serde_json::json!({ "marks": marks, "point": point, "words": own }));
        PageWords { appearance, script }
    }

    fn say(&self, phrase: &'static str) -> String {
        self.appearance.words.say(phrase)
    }

    fn language(&self) -> &str {
        self.appearance.words.tag()
    }
}

/// A view as it stands on the page.
struct Section {
    /// Its heading, where it is not the page's.
    title: Option<String>,
    /// A table or a picture, as HTML.
    body: String,
    /// What it is to the style: a table is nothing apart.
    class: Option<&'static str>,
    notes: Vec<String>,
}

/// Draws a cross-tab with all its views as a page: one HTML file that needs no other.
/// [`Appearance::page`] does it in another language and in other colours.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// let page = pivvel::draw::page(&crosstab);
/// assert!(page.starts_with("<!doctype html>") && page.contains("<table"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn draw_page(crosstab: &CrossTab) -> String {
    draw(crosstab, &Appearance::new())
}

pub(crate) fn draw(crosstab: &CrossTab, appearance: &Appearance) -> String {
    let (mut classes, mut marks) = (Classes::default(), Marks::default());
    let body = body(crosstab, appearance, &mut classes, &mut marks);
    page((&appearance.title(crosstab), &body), &classes, appearance, None)
}

/// A page of a title and a body.
fn page(
    (title, body): (&str, &str),
    classes: &Classes,
    appearance: &Appearance,
    controls: Option<Controls>,
) -> String {
    let page = Page {
        title,
        body,
        symbols: classes.symbols().iter().map(symbol).collect(),
        css: css(classes, appearance),
        words: PageWords::of(appearance),
        script: include_str!("../../templates/page.js"),
        has_script: !appearance.without_script,
        controls,
    };
    page.render().unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}"))
}

fn body(crosstab: &CrossTab, appearance: &Appearance, classes: &mut Classes, marks: &mut Marks) -> String {
    let main = Layout::of(crosstab, appearance);
    let table = Table::draw(crosstab, &main, 0, classes, marks);
    let mut sections = vec![Section { title: None, body: table, class: None, notes: Vec::new() }];
    for (place, view) in crosstab.views().iter().enumerate() {
        let title = Some(appearance.title(view.crosstab()));
        let panels = charts::panels(view, &appearance.words);
        let mut parts = Vec::new();
        for (i, panel) in panels.iter().enumerate() {
            parts.push(match view.spec().get_form() {
                ViewForm::Table => {
                    let layout = Layout::of_panel(view.crosstab(), panel, appearance);
                    let table = Table::draw(view.crosstab(), &layout, 1 + place * 100 + i, classes, marks);
                    match &panel.title {
                        Some(title) => {
                            format!("<div class=\"panel\"><h3>{}</h3>{table}</div>", classes::escaped(title))
                        }
                        None => table,
                    }
                }
                _ => charts::draw(view, panel, &mut Medium { appearance, classes, marks }).to_string(),
            });
        }
        let body = if parts.len() > 1 {
            format!("<div class=\"panels\">{}</div>", parts.concat())
        } else {
            parts.concat()
        };
        let notes = crate::notes::own_notes(view.crosstab(), crosstab, &appearance.words);
        let class = match (view.spec().get_form(), panels.len()) {
            (ViewForm::Table, _) => None,
            (_, 0 | 1) => Some("chart"),
            _ => Some("chart several"),
        };
        sections.push(Section { title, body, class, notes });
    }
    let body = Body { sections, notes: main.notes, words: PageWords::of(appearance) };
    body.render().unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}"))
}

/// The id and the paths of a symbol.
fn symbol(symbol: &Symbol) -> (String, String, String) {
    let (stroked, filled) = symbol.paths();
    (classes::symbol_id(*symbol), stroked, filled)
}

fn css(classes: &Classes, appearance: &Appearance) -> String {
    let [(ink_light, ink_dark), (paper_light, paper_dark)] =
        [ink, paper].map(|colour| (colour(Ground::Light).hex(), colour(Ground::Dark).hex()));
    let grounds = format!(
        ":root{{--ink:light-dark({ink_light},{ink_dark});--paper:light-dark({paper_light},{paper_dark})}}\n"
    );
    let fonts = appearance
        .theme
        .families()
        .map_or(String::new(), |families| format!(":root{{--fonts:{families}}}\n"));
    format!("{grounds}{fonts}{}{}", include_str!("../../templates/page.css"), classes.css())
}
