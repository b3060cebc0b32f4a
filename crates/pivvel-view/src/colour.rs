//! Colours: one hue for each scale, so that a reader sees which yardstick a cell stands on.
//!
//! Tints are made in the perceptual space Oklch (B. Ottosson, 2020): equal steps of position look
//! like equal steps of colour, and every tint is light enough for dark text.

use palette::{FromColor, Oklch, Srgb};

/// A colour as the screen takes it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Rgb(pub(crate) u8, pub(crate) u8, pub(crate) u8);

impl Rgb {
    /// The colour as a page writes it.
    pub(crate) fn hex(self) -> String {
        format!("#{:02x}{:02x}{:02x}", self.0, self.1, self.2)
    }
}

/// The text on every tint.
pub(crate) const INK: Rgb = Rgb(0x1b, 0x23, 0x2b);

/// Hues of the scales in the order in which they are handed out: water, sand, heather, kelp, rust.
const HUES: [f32; 5] = [222.0, 78.0, 328.0, 150.0, 38.0];

/// The tint of a position from 0 to 1 on a scale.
pub(crate) fn tint_colour(scale: usize, position: f64) -> Rgb {
    let position = position.clamp(0.0, 1.0) as f32;
    mix(scale, 0.978 - 0.225 * position, 0.008 + 0.098 * position)
}

/// The strong colour of a scale: for rails and legends, not for text to stand on.
pub(crate) fn scale_colour(scale: usize) -> Rgb {
    mix(scale, 0.58, 0.115)
}

fn mix(scale: usize, lightness: f32, chroma: f32) -> Rgb {
    let colour = Srgb::from_color(Oklch::new(lightness, chroma, HUES[scale % HUES.len()]));
    let Srgb { red, green, blue, .. } = colour.into_format::<u8>();
    Rgb(red, green, blue)
}
