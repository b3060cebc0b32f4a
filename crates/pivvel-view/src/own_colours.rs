//! Colours of a brief's own: which are none, and which some readers cannot tell apart.

use palette::{FromColor, LinSrgb, Oklab, Srgb};
use pivvel_core::result::NoticeCode;
use pivvel_core::{Brief, Error, Notice, Result};

use crate::colour::Rgb;
use crate::palette::{Ground, Palette, paper};

/// Below this distance in Oklab two colours are easily taken for one.
const ALIKE: f32 = 0.06;

/// What the eyes of readers with the three kinds of deficiency make of a colour, after G. M. Machado, M. M. Oliveira and
/// L. A. F. Fernandes ("A physiologically-based model for simulation of color vision deficiency", 2009, severity 1.0).
const SIGHTS: [(&str, [[f32; 3]; 3]); 4] = [
    ("everybody", [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]),
    (
        "people who do not see red",
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    ),
    (
        "people who do not see green",
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    ),
    (
        "people who do not see blue",
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
    ),
];

fn seen(colour: Rgb, sight: &[[f32; 3]; 3]) -> Oklab {
    let linear: LinSrgb = Srgb::new(colour.0, colour.1, colour.2).into_format::<f32>().into_linear();
    let [r, g, b] = sight.map(|row| row[0] * linear.red + row[1] * linear.green + row[2] * linear.blue);
    Oklab::from_color(LinSrgb::new(r.clamp(0.0, 1.0), g.clamp(0.0, 1.0), b.clamp(0.0, 1.0)))
}

/// To whom two colours look alike; nobody where all can tell them apart.
fn alike(a: Rgb, b: Rgb) -> Option<&'static str> {
    let is_alike = |sight: &[[f32; 3]; 3]| {
        let (a, b) = (seen(a, sight), seen(b, sight));
        ((a.l - b.l).powi(2) + (a.a - b.a).powi(2) + (a.b - b.b).powi(2)).sqrt() < ALIKE
    };
    SIGHTS.iter().find(|(_, sight)| is_alike(sight)).map(|(who, _)| *who)
}

/// Checks the palettes and the colours of members that a brief has: what readers may not see as it is meant is a notice.
///
/// ```
/// use pivvel::Brief;
/// use pivvel::brief::PaletteBrief;
/// use pivvel::draw::check_colours;
///
/// let brief = Brief::new().palette(PaletteBrief::new("house", "grren"));
/// assert_eq!(
///     check_colours(&brief).unwrap_err().to_string(),
///     "palettes.house: grren is no colour; write it as CSS does, like #2f6f9f or teal"
/// );
/// let alike = Brief::new().palette(PaletteBrief::new("house", "#c33").low("#7a7a00"));
/// assert_eq!(check_colours(&alike)?.len(), 1);
/// # Ok::<(), pivvel::Error>(())
/// ```
///
/// # Errors
/// What is no colour, with its place; a value of an assumption that is not allowed.
pub fn check_colours(brief: &Brief) -> Result<Vec<Notice>> {
    let brief = brief.assumed()?;
    let mut notices = Vec::new();
    let mut notice = |text: String| notices.push(Notice::author(NoticeCode::Colours, text));
    let read = |place: &str, text: &str| text.parse::<Rgb>().map_err(|error: Error| error.within(place));
    for palette in brief.get_palettes() {
        let place = format!("palettes.{}", palette.get_name());
        let high = read(&place, palette.get_high())?;
        let Some(low) = palette.get_low().map(|low| read(&place, low)).transpose()? else {
            continue;
        };
        let own = Palette::own(0, Some(low), high);
        if let Some(who) = alike(own.tint(-1.0, Ground::Light), own.tint(1.0, Ground::Light)) {
            notice(format!(
                "{place}: its two ends look alike to {who}; a mark shows on which side of the middle a cell is"
            ));
        }
    }
    for dimension in brief.get_dimensions() {
        let mut known: Vec<(&str, Rgb)> = Vec::new();
        for (member, text) in dimension.get_colours() {
            let place = format!("dimensions.{}.colours.{member}", dimension.get_name());
            let colour = read(&place, text)?;
            for ground in [Ground::Light, Ground::Dark] {
                if colour.standing_out(paper(ground)) != colour {
                    let (more, page) =
                        if ground == Ground::Light { ("darker", "light") } else { ("lighter", "dark") };
                    notice(format!(
                        "{place}: {text} hardly stands out from a {page} page, and is drawn {more} there"
                    ));
                }
            }
            for (other, _) in known.iter().filter(|(_, other)| *other == colour) {
                notice(format!("{place}: {other} has the same colour"));
            }
            let near = known.iter().filter(|(_, other)| *other != colour);
            for (other, who) in near.filter_map(|(label, other)| Some((label, alike(*other, colour)?))) {
                notice(format!("{place}: it looks like that of {other} to {who}"));
            }
            known.push((member, colour));
        }
    }
    Ok(notices)
}
