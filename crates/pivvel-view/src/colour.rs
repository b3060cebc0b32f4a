//! Colours in the perceptual space Oklch (B. Ottosson, 2020), in which equal steps look equal.

use std::str::FromStr;

use palette::{FromColor, Oklch, Srgb};
use pivvel_core::{Error, Result};

/// A colour as the screen takes it.
///
/// ```
/// use pivvel::draw::Rgb;
///
/// assert_eq!(Rgb(0, 102, 204).hex(), "#0066cc");
/// assert_eq!("teal".parse::<Rgb>()?, Rgb(0, 128, 128));
/// assert_eq!(Rgb(0, 0, 0).contrast(Rgb(255, 255, 255)), 21.0);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Rgb(pub u8, pub u8, pub u8);

impl Rgb {
    /// The colour of a lightness from 0 to 1, a chroma, and a hue in degrees. What a screen cannot
    /// show loses chroma, never lightness.
    pub(crate) fn oklch(lightness: f32, chroma: f32, hue: f32) -> Rgb {
        let mut chroma = chroma;
        loop {
            let Srgb { red, green, blue, .. } = Srgb::from_color(Oklch::new(lightness, chroma, hue));
            let fits = [red, green, blue].iter().all(|c| (-0.002..=1.002).contains(c));
            // What is no number fits nowhere, and is no colour either.
            if fits || chroma.is_nan() || chroma < 0.002 {
                let byte = |c: f32| (c.clamp(0.0, 1.0) * 255.0).round() as u8;
                return Rgb(byte(red), byte(green), byte(blue));
            }
            chroma -= 0.002;
        }
    }

    /// The same colour, lighter or darker where that lets shapes of it stand out from a ground (WCAG 2, 1.4.11 asks for
    /// 3 : 1).
    pub(crate) fn standing_out(self, ground: Rgb) -> Rgb {
        let colour: Srgb<f32> = Srgb::new(self.0, self.1, self.2).into_format();
        let Oklch { l, chroma, hue } = Oklch::from_color(colour);
        let step = if ground.luminance() > 0.5 { -0.01 } else { 0.01 };
        let mut found = (self, l);
        while found.0.contrast(ground) < 3.0 && (0.0..=1.0).contains(&found.1) {
            let lightness = found.1 + step;
            found = (Rgb::oklch(lightness, chroma, hue.into_positive_degrees()), lightness);
        }
        found.0
    }

    /// Its hue in degrees, and its chroma.
    pub(crate) fn hue(self) -> (f32, f32) {
        let colour: Srgb<f32> = Srgb::new(self.0, self.1, self.2).into_format();
        let Oklch { chroma, hue, .. } = Oklch::from_color(colour);
        (hue.into_positive_degrees(), chroma)
    }

    /// The colour as a page writes it.
    pub fn hex(self) -> String {
        format!("#{:02x}{:02x}{:02x}", self.0, self.1, self.2)
    }

    /// The nearest of the 256 colours of older terminals: their cube of 6 x 6 x 6, or their greys.
    pub(crate) fn indexed(self) -> u8 {
        let level = |step: u8| if step == 0 { 0 } else { 55 + 40 * i32::from(step) };
        let distance = |(r, g, b): (i32, i32, i32)| {
            let [dr, dg, db] = [r - i32::from(self.0), g - i32::from(self.1), b - i32::from(self.2)];
            dr * dr * 2 + dg * dg * 4 + db * db * 3
        };
        let cube = (0..216u8).map(|i| (16 + i, (level(i / 36), level(i / 6 % 6), level(i % 6))));
        let greys = (0..24u8)
            .map(|i| (232 + i, (8 + 10 * i32::from(i), 8 + 10 * i32::from(i), 8 + 10 * i32::from(i))));
        cube.chain(greys).min_by_key(|(_, colour)| distance(*colour)).map_or(16, |(index, _)| index)
    }

    /// The relative luminance of WCAG 2.
    pub fn luminance(self) -> f64 {
        let linear = |byte: u8| {
            let c = f64::from(byte) / 255.0;
            if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) }
        };
        0.2126 * linear(self.0) + 0.7152 * linear(self.1) + 0.0722 * linear(self.2)
    }

    /// The contrast ratio of WCAG 2, from 1 to 21.
    pub fn contrast(self, other: Rgb) -> f64 {
        let (a, b) = (self.luminance(), other.luminance());
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    }
}

/// Reads a colour as CSS writes it: `#2f6f9f`, `#0a7`, `teal`, `rgb(10 80 120)`, `oklch(60% 0.1 240)`. How much shows through it is
/// not used.
impl FromStr for Rgb {
    type Err = Error;

    fn from_str(text: &str) -> Result<Rgb> {
        let colour = csscolorparser::parse(text.trim()).map_err(|_| {
            Error::request("", format!("{text} is no colour; write it as CSS does, like #2f6f9f or teal"))
        })?;
        let [red, green, blue, _] = colour.to_rgba8();
        Ok(Rgb(red, green, blue))
    }
}
