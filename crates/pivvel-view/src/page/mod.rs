//! A cross-tab and its views as a page: one HTML file without any outside reference.

pub(crate) mod classes;
mod facts;
pub(crate) mod members;
mod report;
mod table;

use askama::Template;
use pivvel_core::CrossTab;
use pivvel_core::brief::ViewForm;

use crate::charts::{self, Medium};
use crate::layout::Layout;
use crate::palette::{Ground, ink, paper};
use crate::signs::Symbol;
use classes::Classes;
use members::Marks;
pub use report::draw_report_page;
use table::Table;
pub(crate) use table::edge;

#[derive(Template)]
#[template(path = "page.html")]
struct Page<'a> {
    title: &'a str,
    sections: Vec<Section>,
    notes: Vec<String>,
    symbols: Vec<(String, String, String)>,
    css: String,
    script: &'static str,
}

/// A view as it stands on the page.
struct Section {
    /// Its heading, where it is not the page's.
    title: Option<String>,
    /// A table or a picture, as HTML.
    body: String,
    wide: bool,
    notes: Vec<String>,
}

/// Draws a cross-tab with all its views as a page.
pub fn draw_page(crosstab: &CrossTab) -> String {
    let mut classes = Classes::default();
    let mut marks = Marks::default();
    let main = Layout::new(crosstab);
    let body = Table::draw(crosstab, &main, 0, &mut classes, &mut marks);
    let mut sections = vec![Section { title: None, body, wide: true, notes: Vec::new() }];
    for (place, view) in crosstab.views().iter().enumerate() {
        let title = Some(view.crosstab.title().to_string());
        let panels = charts::panels(view);
        let mut parts = Vec::new();
        for (i, panel) in panels.iter().enumerate() {
            parts.push(match view.spec.form {
                ViewForm::Table => {
                    let layout = Layout::of_panel(&view.crosstab, panel);
                    let table =
                        Table::draw(&view.crosstab, &layout, 1 + place * 100 + i, &mut classes, &mut marks);
                    match &panel.title {
                        Some(title) => {
                            format!("<div class=\"panel\"><h3>{}</h3>{table}</div>", classes::escaped(title))
                        }
                        None => table,
                    }
                }
                _ => charts::draw(view, panel, &mut Medium { classes: &mut classes, marks: &mut marks })
                    .to_string(),
            });
        }
        let body = if parts.len() > 1 {
            format!("<div class=\"panels\">{}</div>", parts.concat())
        } else {
            parts.concat()
        };
        let notes = crate::notes::own_notes(&view.crosstab, crosstab);
        sections.push(Section { title, body, wide: view.spec.form == ViewForm::Table, notes });
    }
    let page = Page {
        title: crosstab.title(),
        sections,
        notes: main.notes,
        symbols: classes.symbols().iter().map(symbol).collect(),
        css: css(&classes),
        script: include_str!("../../templates/page.js"),
    };
    page.render().unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}"))
}

/// The id and the paths of a symbol.
fn symbol(symbol: &Symbol) -> (String, String, String) {
    let (stroked, filled) = symbol.paths();
    (classes::symbol_id(*symbol), stroked, filled)
}

fn css(classes: &Classes) -> String {
    let [(ink_light, ink_dark), (paper_light, paper_dark)] =
        [ink, paper].map(|colour| (colour(Ground::Light).hex(), colour(Ground::Dark).hex()));
    let grounds = format!(
        ":root{{--ink:light-dark({ink_light},{ink_dark});--paper:light-dark({paper_light},{paper_dark})}}\n"
    );
    format!("{grounds}{}{}", include_str!("../../templates/page.css"), classes.css())
}
