//! Palettes: sequential ones for scales, diverging ones for scales about a middle, colours of
//! categories, and tones that rules name. Each has a light and a dark form.
//!
//! People with the common deficiencies of colour vision can distinguish the hues, and lightness never
//! falls so far that the text on a tint is hard to read; tests hold both. What is good or bad is
//! never shown by hue alone: views add a sign.

use pivvel_core::brief::{PaletteName, Tone};

use crate::colour::Rgb;

/// On which ground is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum Ground {
    /// Dark text on a light ground.
    #[default]
    Light,
    /// Light text on a dark ground.
    Dark,
}

pivvel_core::named! { Ground is "ground" { Light = "light", Dark = "dark", } }

/// A palette: the hues of its low and high side.
///
/// ```
/// use pivvel::brief::PaletteName;
/// use pivvel::draw::{Ground, PALETTES, Palette};
///
/// let water = &PALETTES[Palette::named(PaletteName::Water)];
/// assert!(!water.is_diverging());
/// // The higher, the darker on light ground.
/// assert!(water.tint(0.0, Ground::Light).luminance() > water.tint(1.0, Ground::Light).luminance());
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Palette {
    /// Its place: among [`PALETTES`], or behind them among those of a brief's own.
    pub(crate) place: usize,
    /// The hue and the chroma below the middle, where it has one.
    low: Option<(f32, f32)>,
    /// The hue and the chroma of the high end.
    high: (f32, f32),
}

/// Every palette in the order of their names: sequential ones in the order in which scales get them, then diverging ones.
pub const PALETTES: [Palette; 9] = [
    Palette { place: 0, low: None, high: (228.0, 0.105) },
    Palette { place: 1, low: None, high: (80.0, 0.115) },
    Palette { place: 2, low: None, high: (322.0, 0.110) },
    Palette { place: 3, low: None, high: (150.0, 0.105) },
    Palette { place: 4, low: None, high: (40.0, 0.115) },
    Palette { place: 5, low: None, high: (255.0, 0.016) },
    Palette { place: 6, low: Some((48.0, 0.135)), high: (245.0, 0.120) },
    Palette { place: 7, low: Some((92.0, 0.135)), high: (290.0, 0.125) },
    Palette { place: 8, low: Some((22.0, 0.125)), high: (268.0, 0.120) },
];

/// How many palettes scales are handed in turn: the sequential ones with a hue.
const IN_TURN: usize = 5;
/// Where the diverging palettes begin.
const DIVERGING: usize = 6;

/// What something is painted with: a place on a palette, or a tone.
///
/// ```
/// use pivvel::brief::Tone;
/// use pivvel::draw::{Ground, Paint, ink};
///
/// // A figure on a tint can be read on both grounds.
/// for ground in [Ground::Light, Ground::Dark] {
///     assert!(Paint::Tone(Tone::Loss).tint(ground).contrast(ink(ground)) >= 4.5);
/// }
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub enum Paint {
    /// A place on a palette: 0 to 1, or −1 to 1 where it diverges.
    Place {
        /// The palette.
        palette: Palette,
        /// The position on it.
        position: f64,
    },
    /// A tone.
    Tone(Tone),
}

impl Palette {
    /// The same palette in other hues, each with its chroma; of the low end where it has a middle.
    pub(crate) fn with_hues(self, low: Option<(f32, f32)>, high: (f32, f32)) -> Palette {
        // More chroma than those of all palettes would take lightness from a screen's colours.
        let within = |(hue, chroma): (f32, f32)| (hue, chroma.min(0.135));
        Palette { low: self.low.map(|own| low.map_or(own, within)), high: within(high), ..self }
    }

    /// A palette of a brief's own, by its place behind those that there are.
    pub(crate) fn own(place: usize, low: Option<Rgb>, high: Rgb) -> Palette {
        let base = if low.is_some() { PALETTES[DIVERGING] } else { PALETTES[0] };
        Palette { place: PALETTES.len() + place, ..base.with_hues(low.map(Rgb::hue), high.hue()) }
    }

    /// Its name, where it is none of a brief's own.
    pub fn name(&self) -> Option<PaletteName> {
        PaletteName::NAMES.get(self.place).map(|(_, name)| *name)
    }

    /// Whether it has a middle.
    pub fn is_diverging(&self) -> bool {
        self.low.is_some()
    }

    /// The hue and the chroma at a position, and how far from the pale end it is.
    fn side(&self, position: f64) -> ((f32, f32), f32) {
        let reach = position.abs().min(1.0) as f32;
        match self.low {
            Some(low) if position < 0.0 => (low, reach),
            _ => (self.high, if self.low.is_none() { position.clamp(0.0, 1.0) as f32 } else { reach }),
        }
    }

    /// The background of a position.
    pub fn tint(&self, position: f64, ground: Ground) -> Rgb {
        let ((hue, chroma), reach) = self.side(position);
        match ground {
            Ground::Light => Rgb::oklch(0.978 - 0.225 * reach, 0.008 + (chroma - 0.008) * reach, hue),
            Ground::Dark => Rgb::oklch(0.255 + 0.215 * reach, 0.006 + (0.85 * chroma - 0.006) * reach, hue),
        }
    }

    /// The text colour of a position: all of them can be read on the page's ground.
    pub fn ink(&self, position: f64, ground: Ground) -> Rgb {
        let ((hue, chroma), reach) = self.side(position);
        match ground {
            Ground::Light => Rgb::oklch(0.53 - 0.15 * reach, 0.015 + 1.1 * chroma * reach, hue),
            Ground::Dark => Rgb::oklch(0.72 + 0.12 * reach, 0.015 + 1.0 * chroma * reach, hue),
        }
    }

    /// The colour of bars and lines, for shapes that no text stands on.
    pub fn shape(&self, position: f64, ground: Ground) -> Rgb {
        let ((hue, chroma), _) = self.side(position);
        match ground {
            Ground::Light => Rgb::oklch(0.66, 1.05 * chroma, hue),
            Ground::Dark => Rgb::oklch(0.62, 0.95 * chroma, hue),
        }
    }

    /// The place of the palette of this name among [`PALETTES`].
    pub fn named(name: PaletteName) -> usize {
        PaletteName::NAMES.iter().position(|(_, known)| *known == name).unwrap_or(0)
    }

    /// The palette of a scale without one of its own, by the scale's turn.
    pub(crate) fn in_turn(turn: usize, diverging: bool) -> usize {
        match diverging {
            true => DIVERGING + turn % (PALETTES.len() - DIVERGING),
            false => turn % IN_TURN,
        }
    }
}

/// The hue and the chroma of a tone.
fn tone_hue(tone: Tone) -> (f32, f32) {
    match tone {
        Tone::Gain => (245.0, 0.125),
        Tone::Loss => (45.0, 0.140),
        Tone::Watch => (92.0, 0.125),
        Tone::Calm => (190.0, 0.060),
        Tone::Strong => (255.0, 0.020),
        _ => (255.0, 0.010),
    }
}

/// The sign that tells a tone without its hue.
pub fn tone_sign(tone: Tone) -> Option<char> {
    match tone {
        Tone::Gain => Some('╱'),
        Tone::Loss => Some('╲'),
        Tone::Watch => Some('•'),
        _ => None,
    }
}

impl Paint {
    /// The background.
    pub fn tint(self, ground: Ground) -> Rgb {
        match (self, ground) {
            (Paint::Place { palette, position }, _) => palette.tint(position, ground),
            (Paint::Tone(tone), Ground::Light) => {
                let lightness = if tone == Tone::Faint { 0.95 } else { 0.86 };
                Rgb::oklch(lightness, tone_hue(tone).1 * 0.62, tone_hue(tone).0)
            }
            (Paint::Tone(tone), Ground::Dark) => {
                let lightness = if tone == Tone::Faint { 0.28 } else { 0.40 };
                Rgb::oklch(lightness, tone_hue(tone).1 * 0.62, tone_hue(tone).0)
            }
        }
    }

    /// The text colour.
    pub fn ink(self, ground: Ground) -> Rgb {
        match (self, ground) {
            (Paint::Place { palette, position }, _) => palette.ink(position, ground),
            (Paint::Tone(Tone::Strong), Ground::Light) => Rgb::oklch(0.22, 0.02, 255.0),
            (Paint::Tone(Tone::Strong), Ground::Dark) => Rgb::oklch(0.97, 0.01, 255.0),
            (Paint::Tone(tone), Ground::Light) => {
                let lightness = if tone == Tone::Faint { 0.55 } else { 0.45 };
                Rgb::oklch(lightness, tone_hue(tone).1, tone_hue(tone).0)
            }
            (Paint::Tone(tone), Ground::Dark) => {
                let lightness = if tone == Tone::Faint { 0.66 } else { 0.78 };
                Rgb::oklch(lightness, tone_hue(tone).1, tone_hue(tone).0)
            }
        }
    }

    /// The text colour where a tint is behind it: darker than [`Paint::ink`] on light ground, and lighter on dark ground.
    pub fn ink_on_tint(self, ground: Ground) -> Rgb {
        let (hue, chroma) = match self {
            Paint::Place { palette, position } => {
                let ((hue, chroma), reach) = palette.side(position);
                (hue, 0.015 + chroma * reach)
            }
            Paint::Tone(tone) => tone_hue(tone),
        };
        match ground {
            Ground::Light => Rgb::oklch(0.34, chroma, hue),
            Ground::Dark => Rgb::oklch(0.92, 0.7 * chroma, hue),
        }
    }

    /// The colour of bars and signs.
    pub fn shape(self, ground: Ground) -> Rgb {
        match (self, ground) {
            (Paint::Place { palette, position }, _) => palette.shape(position, ground),
            (Paint::Tone(Tone::Faint), Ground::Light) => Rgb::oklch(0.82, 0.01, 255.0),
            (Paint::Tone(Tone::Faint), Ground::Dark) => Rgb::oklch(0.42, 0.01, 255.0),
            (Paint::Tone(Tone::Strong), _) => self.ink(ground),
            (Paint::Tone(tone), Ground::Light) => Rgb::oklch(0.62, tone_hue(tone).1, tone_hue(tone).0),
            (Paint::Tone(tone), Ground::Dark) => Rgb::oklch(0.66, tone_hue(tone).1, tone_hue(tone).0),
        }
    }
}

/// The text and the ground of what is drawn.
pub fn ink(ground: Ground) -> Rgb {
    match ground {
        Ground::Light => Rgb(0x1b, 0x23, 0x2b),
        Ground::Dark => Rgb(0xe9, 0xec, 0xee),
    }
}

/// The ground of a page.
pub fn paper(ground: Ground) -> Rgb {
    match ground {
        Ground::Light => Rgb(0xfd, 0xfd, 0xfb),
        Ground::Dark => Rgb(0x17, 0x1b, 0x20),
    }
}

/// How many categories have a colour of their own; more share them in turn.
pub const CATEGORIES: usize = 8;

/// The colour of a category: hues that differ in lightness, too, so that no two are alike to
/// anybody.
///
/// ```
/// use pivvel::draw::{CATEGORIES, Ground, category};
///
/// assert_ne!(category(0, Ground::Light), category(1, Ground::Light));
/// assert_eq!(category(0, Ground::Light), category(CATEGORIES, Ground::Light));
/// ```
pub fn category(place: usize, ground: Ground) -> Rgb {
    const HUES: [(f32, f32, f32); CATEGORIES] = [
        (0.500, 0.120, 248.0),
        (0.702, 0.110, 3.4),
        (0.340, 0.130, 319.4),
        (0.760, 0.130, 108.1),
        (0.343, 0.114, 134.4),
        (0.722, 0.108, 249.1),
        (0.487, 0.104, 2.0),
        (0.589, 0.130, 114.1),
    ];
    let (lightness, chroma, hue) = HUES[place % CATEGORIES];
    match ground {
        Ground::Light => Rgb::oklch(lightness, chroma, hue),
        Ground::Dark => Rgb::oklch(lightness * 0.72 + 0.26, chroma, hue),
    }
}
