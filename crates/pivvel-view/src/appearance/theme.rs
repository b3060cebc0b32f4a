//! The colours, fonts and logo of a company.

use std::collections::BTreeMap;

use base64::Engine;
use pivvel_core::brief::PaletteName;

use crate::colour::Rgb;
use crate::palette::{PALETTES, Palette};

/// The colours, fonts and logo of a company. Of a colour the hue and the strength are taken: lightness says how high
/// a value is, and keeps figures readable on every ground.
///
/// ```
/// use pivvel::brief::PaletteName;
/// use pivvel::draw::{Logo, Rgb, Theme};
///
/// let logo = Logo::svg("<svg xmlns='http://www.w3.org/2000/svg'/>", "Pellam Quay Chandlers");
/// let theme = Theme::new().palette(PaletteName::Water, None, Rgb(0, 90, 156)).logo(logo);
/// assert_ne!(theme, Theme::new());
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Theme {
    palettes: BTreeMap<&'static str, (Option<Rgb>, Rgb)>,
    fonts: Option<String>,
    logo: Option<Logo>,
}

/// A picture that stands at the head of pages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Logo {
    media_type: &'static str,
    bytes: Vec<u8>,
    words: String,
}

impl Logo {
    /// A picture as SVG, with words for who cannot see it.
    pub fn svg(text: impl Into<String>, words: impl Into<String>) -> Logo {
        Logo { media_type: "image/svg+xml", bytes: text.into().into_bytes(), words: words.into() }
    }

    /// A picture as PNG, with words for who cannot see it.
    pub fn png(bytes: impl Into<Vec<u8>>, words: impl Into<String>) -> Logo {
        Logo { media_type: "image/png", bytes: bytes.into(), words: words.into() }
    }

    /// The address of the picture that holds all of it, so that a page needs no other file.
    pub(crate) fn address(&self) -> String {
        let bytes = base64::engine::general_purpose::STANDARD.encode(&self.bytes);
        format!("data:{};base64,{bytes}", self.media_type)
    }

    /// What it shows, in words.
    pub(crate) fn words(&self) -> &str {
        &self.words
    }
}

impl Theme {
    /// The colours and fonts of the library, and no logo.
    pub fn new() -> Theme {
        Theme::default()
    }

    /// Gives a palette other hues: of its high end, and of its low end where it has a middle. A low end for a palette
    /// without a middle is not used.
    pub fn palette(mut self, name: PaletteName, low: Option<Rgb>, high: Rgb) -> Theme {
        self.palettes.insert(name.name(), (low, high));
        self
    }

    /// The font families, in order of preference, as CSS lists them: `'Source Sans 3', sans-serif`. Pages and
    /// pictures contain no fonts, so the reader's machine must have them. What CSS takes for the end of the list is
    /// left out.
    pub fn fonts(mut self, families: impl Into<String>) -> Theme {
        let families: String = families.into();
        self.fonts = Some(families.chars().filter(|c| !"{};<>&@\\/".contains(*c)).collect());
        self
    }

    /// The logo at the head of pages.
    pub fn logo(mut self, logo: Logo) -> Theme {
        self.logo = Some(logo);
        self
    }

    /// A palette as it is here.
    pub fn palette_of(&self, name: PaletteName) -> Palette {
        self.palette_at(Palette::named(name))
    }

    /// A palette by its place.
    pub(crate) fn palette_at(&self, place: usize) -> Palette {
        let palette = PALETTES[place];
        let named = palette.name().and_then(|name| self.palettes.get(name.name()));
        match named {
            Some((low, high)) => palette.with_hues(low.map(Rgb::hue), high.hue()),
            None => palette,
        }
    }

    /// The font families.
    pub(crate) fn families(&self) -> Option<&str> {
        self.fonts.as_deref()
    }

    /// The logo.
    pub(crate) fn head_logo(&self) -> Option<&Logo> {
        self.logo.as_ref()
    }
}
