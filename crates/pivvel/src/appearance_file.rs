//! The words, colours, fonts and logo of drawings as a TOML file.

use std::collections::BTreeMap;
use std::path::Path;

use pivvel_core::brief::PaletteName;
use pivvel_core::{Error, Result};
use pivvel_view::{Appearance, Logo, Rgb, Theme, Words};
use serde::Deserialize;

use crate::brief_file::toml_fault;
use crate::files::beside;

/// A look as its file writes it.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct AppearanceFile {
    /// The language that words are taken from: `en` or `de`; another one for words that are all given.
    language: Option<String>,
    /// The marks between thousands and before decimals.
    marks: Option<[String; 2]>,
    /// The font families, as CSS lists them.
    fonts: Option<String>,
    logo: Option<LogoFile>,
    /// A colour for the high end of a palette, or two for both ends of one with a middle.
    #[serde(default)]
    palettes: BTreeMap<String, Hues>,
    /// Other words for English phrases.
    #[serde(default)]
    words: BTreeMap<String, String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct LogoFile {
    /// An .svg or .png file.
    file: String,
    /// What it shows, for who cannot see it.
    words: String,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum Hues {
    High(String),
    Both([String; 2]),
}

/// The look of a language that is built in (`en`, `de`), or of a file.
///
/// # Errors
/// A file that cannot be read; what [`appearance_from_toml`] finds wrong.
pub fn open_appearance(name: &str) -> Result<Appearance> {
    let path = Path::new(name);
    if path.extension().is_none() {
        return Ok(Appearance::new().words(Words::of_language(name)?));
    }
    let text = std::fs::read_to_string(path).map_err(|e| Error::io(name, e))?;
    appearance_from_toml(name, &text)
}

/// Reads an appearance from TOML. `name` is what the file is called in messages; a logo is looked for beside it.
///
/// ```
/// let appearance = pivvel::draw::appearance_from_toml("house.toml", "language = \"de\"\n[palettes]\nwater = \"#7a1f5c\"\n")?;
/// let error = pivvel::draw::appearance_from_toml("house.toml", "[palettes]\nwater = \"redd\"\n").unwrap_err();
/// assert_eq!(error.to_string(), "house.toml: palettes.water: redd is no colour; write it as CSS does, like #2f6f9f or teal");
/// # Ok::<(), pivvel::Error>(())
/// ```
///
/// # Errors
/// Text that is no TOML; keys, palettes or phrases that are not known, with the nearest one; what is no colour; a logo
/// that is not there, or neither SVG nor PNG.
pub fn appearance_from_toml(name: &str, text: &str) -> Result<Appearance> {
    let file: AppearanceFile =
        toml_edit::de::from_str(text).map_err(|error| toml_fault(name, text, &error))?;
    let place = |key: String| format!("{name}: {key}");
    let tag = file.language.as_deref().unwrap_or("en");
    let mut words = Words::of_language(tag).or_else(|error| match file.words.is_empty() {
        true => Err(error.within(name)),
        false => Ok(Words::english().language(tag)),
    })?;
    if let Some([thousands, point]) = file.marks {
        words = words.marks(thousands, point);
    }
    for (english, own) in file.words {
        words = words.phrase(&english, own).map_err(|error| error.within(name))?;
    }
    let mut theme = Theme::new();
    for (palette, hues) in file.palettes {
        let at = place(format!("palettes.{palette}"));
        let palette: PaletteName = palette.parse().map_err(|error: Error| error.within(name))?;
        let (low, high) = match hues {
            Hues::High(high) => (None, high),
            Hues::Both([low, high]) => (Some(low), high),
        };
        if low.is_some() && !theme.palette_of(palette).is_diverging() {
            return Err(Error::request(at, "this palette has no middle, so it takes one colour"));
        }
        theme = theme.palette(palette, low.map(|low| colour(&at, &low)).transpose()?, colour(&at, &high)?);
    }
    if let Some(fonts) = file.fonts {
        theme = theme.fonts(fonts);
    }
    if let Some(logo) = file.logo {
        let path = beside(Path::new(name), &logo.file);
        let bytes = std::fs::read(&path).map_err(|e| Error::io(path.display().to_string(), e))?;
        theme = theme.logo(match bytes.starts_with(b"\x89PNG\r\n") {
            true => Logo::png(bytes, logo.words),
            false => {
                let svg = String::from_utf8(bytes).ok().filter(|text| text.contains("<svg"));
                let message = format!("{} is neither SVG nor PNG", path.display());
                let svg = svg.ok_or_else(|| Error::request(place("logo".into()), message))?;
                Logo::svg(svg, logo.words)
            }
        });
    }
    Ok(Appearance::new().words(words).theme(theme))
}

/// A colour as CSS writes it.
fn colour(place: &str, text: &str) -> Result<Rgb> {
    text.parse().map_err(|error: Error| error.within(place))
}
