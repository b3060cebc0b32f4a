//! What a cross-tab is drawn as in a file, an entry each: pages and pictures.

use pivvel_core::error::ErrorPlace;
use pivvel_core::{CrossTab, Error, Result};
use pivvel_view::Appearance;

use crate::too_large::{check_page, check_picture};

/// What draws a cross-tab, or one of its views alone.
type Draw = fn(&CrossTab, &Appearance, Option<usize>) -> Result<Vec<u8>, String>;

/// A form that a cross-tab is drawn in.
pub(crate) struct Drawing {
    /// What it is, in words.
    pub(crate) what: &'static str,
    /// Endings of file names that stand for it, the usual one first.
    endings: &'static [&'static str],
    /// Why this build does not draw it, where it does not.
    off: Option<&'static str>,
    /// Checks that it can hold the cross-tab, or the view of it that is drawn alone.
    pub(crate) check_size: fn(&str, &CrossTab, Option<usize>) -> Result<()>,
    /// The bytes of the file.
    pub(crate) draw: Draw,
}

static PAGE: Drawing = Drawing {
    what: "page",
    endings: &["html", "htm"],
    off: None,
    check_size: |place, crosstab, _| {
        check_page(
            place,
            std::iter::once(crosstab).chain(crosstab.views().iter().map(|view| view.crosstab())),
        )
    },
    draw: |crosstab, appearance, _| Ok(appearance.page(crosstab).into_bytes()),
};

static SVG: Drawing = Drawing {
    what: "picture",
    endings: &["svg"],
    off: None,
    check_size: check_views,
    draw: |crosstab, appearance, view| Ok(appearance.svg(crosstab, view).into_bytes()),
};

static PNG: Drawing = Drawing {
    what: "picture",
    endings: &["png"],
    off: match cfg!(feature = "png") {
        true => None,
        false => Some(
            "this build draws no PNG; write .svg, or install it with: cargo install --path crates/pivvel-cli --features png",
        ),
    },
    check_size: check_views,
    #[cfg(feature = "png")]
    draw: |crosstab, appearance, view| pivvel_view::draw_png(&appearance.svg(crosstab, view)),
    #[cfg(not(feature = "png"))]
    draw: |_, _, _| Err("this build draws no PNG".into()),
};

static DRAWINGS: [&Drawing; 3] = [&PAGE, &SVG, &PNG];

fn check_views(place: &str, crosstab: &CrossTab, view: Option<usize>) -> Result<()> {
    let mut views = crosstab.views().iter().map(|view| view.crosstab());
    match view {
        Some(view) => check_picture(place, views.nth(view - 1)),
        None => check_picture(place, std::iter::once(crosstab).chain(views)),
    }
}

impl Drawing {
    /// The form that an ending of a file name stands for.
    ///
    /// # Errors
    /// One that this build does not draw.
    pub(crate) fn of_ending(place: &ErrorPlace, ending: &str) -> Result<Option<&'static Drawing>> {
        let found = DRAWINGS.iter().find(|drawing| drawing.endings.contains(&ending));
        match found.and_then(|drawing| drawing.off) {
            Some(off) => Err(Error::request(place.clone(), off)),
            None => Ok(found.copied()),
        }
    }

    /// All endings.
    pub(crate) fn endings() -> impl Iterator<Item = &'static str> {
        DRAWINGS.iter().flat_map(|drawing| drawing.endings.iter().copied())
    }

    /// The usual endings of pages and of pictures, as a list for people.
    pub(crate) fn usual_endings(what: &str) -> String {
        let of = DRAWINGS.iter().filter(|drawing| drawing.what == what);
        of.map(|drawing| format!(".{}", drawing.endings[0])).collect::<Vec<_>>().join(" or ")
    }

    /// Whether an ending stands for a page, which is the only drawing of lines, stories and comparisons.
    pub(crate) fn is_page(ending: &str) -> bool {
        PAGE.endings.contains(&ending)
    }

    /// The endings of pages.
    pub(crate) fn page_endings() -> impl Iterator<Item = &'static str> {
        PAGE.endings.iter().copied()
    }
}

impl PartialEq for Drawing {
    fn eq(&self, other: &Drawing) -> bool {
        self.endings == other.endings
    }
}

impl Eq for Drawing {}

impl std::fmt::Debug for Drawing {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.endings[0])
    }
}

/// An ending that stands for no form.
pub(crate) fn unknown_form<'a>(
    place: ErrorPlace,
    what: &str,
    ending: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> Error {
    match ending {
        "pdf" => Error::request(
            place,
            "a browser makes a PDF: write a page (.html), open it, and print it to a file",
        ),
        _ => Error::unknown(place, what, ending, known),
    }
}
