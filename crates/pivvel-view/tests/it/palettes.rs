//! Colours that anybody can tell and read: contrast by WCAG 2, and the common deficiencies of colour
//! vision as G. M. Machado, M. M. Oliveira and L. A. F. Fernandes simulate them ("A
//! physiologically-based model for simulation of color vision deficiency", 2009, severity 1.0).

use palette::{FromColor, LinSrgb, Oklab, Srgb};
use pivvel_core::brief::{PaletteName, SymbolSet, Tone};
use pivvel_view::{CATEGORIES, Ground, PALETTES, Paint, Rgb, Symbol, category, ink, paper, tone_sign};

const GROUNDS: [Ground; 2] = [Ground::Light, Ground::Dark];

/// Nobody's deficiency, then the lack of long, middle and short cones.
const SIGHTS: [(&str, [[f32; 3]; 3]); 4] = [
    ("full", [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]),
    (
        "protanopia",
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    ),
    (
        "deuteranopia",
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    ),
    (
        "tritanopia",
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
    ),
];

/// How a colour looks, in a space in which distances look alike.
fn seen(colour: Rgb, sight: &[[f32; 3]; 3]) -> Oklab {
    let linear: LinSrgb = Srgb::new(colour.0, colour.1, colour.2).into_format::<f32>().into_linear();
    let [r, g, b] = sight.map(|row| row[0] * linear.red + row[1] * linear.green + row[2] * linear.blue);
    Oklab::from_color(LinSrgb::new(r.clamp(0.0, 1.0), g.clamp(0.0, 1.0), b.clamp(0.0, 1.0)))
}

fn distance(a: Rgb, b: Rgb, sight: &[[f32; 3]; 3]) -> f32 {
    let (a, b) = (seen(a, sight), seen(b, sight));
    ((a.l - b.l).powi(2) + (a.a - b.a).powi(2) + (a.b - b.b).powi(2)).sqrt()
}

/// Positions all along a palette.
fn along(place: usize) -> Vec<f64> {
    let from = if PALETTES[place].is_diverging() { -20 } else { 0 };
    (from..=20).map(|step| f64::from(step) / 20.0).collect()
}

fn tones() -> Vec<Tone> {
    Tone::NAMES.iter().map(|(_, tone)| *tone).collect()
}

/// What a cell may wear: each place of each palette, and each tone.
fn paints() -> Vec<Paint> {
    let places = (0..PALETTES.len()).flat_map(|palette| {
        let of = PALETTES[palette];
        along(palette).into_iter().map(move |position| Paint::Place { palette: of, position })
    });
    places.chain(tones().into_iter().map(Paint::Tone)).collect()
}

#[test]
fn figures_can_be_read_on_every_tint_and_in_every_ink() {
    for ground in GROUNDS {
        let (text, page) = (ink(ground), paper(ground));
        assert!(text.contrast(page) > 10.0);
        for paint in paints() {
            let on_tint = text.contrast(paint.tint(ground));
            assert!(on_tint >= 4.5, "{paint:?} on {ground:?}: {on_tint:.2}");
            let as_ink = paint.ink(ground).contrast(page);
            assert!(as_ink >= 4.5, "ink {paint:?} on {ground:?}: {as_ink:.2}");
        }
    }
}

/// A figure may have a colour of its own on a tint.
#[test]
fn figures_in_a_colour_can_be_read_on_every_tint() {
    for ground in GROUNDS {
        let tints: Vec<Rgb> = paints().into_iter().map(|paint| paint.tint(ground)).collect();
        for paint in paints() {
            let ink = paint.ink_on_tint(ground);
            let least = tints.iter().map(|tint| ink.contrast(*tint)).fold(f64::INFINITY, f64::min);
            assert!(least >= 4.5, "{paint:?} on {ground:?}: {least:.2}");
        }
    }
}

/// Shapes that carry meaning stand out from the page (WCAG 2, 1.4.11 asks for 3 : 1 of them).
#[test]
fn shapes_stand_out_from_the_page() {
    for ground in GROUNDS {
        for tone in [Tone::Gain, Tone::Loss, Tone::Watch, Tone::Strong] {
            let contrast = Paint::Tone(tone).shape(ground).contrast(paper(ground));
            assert!(contrast >= 3.0, "{tone:?} on {ground:?}: {contrast:.2}");
        }
        for palette in &PALETTES {
            for position in [-1.0, 1.0] {
                let contrast = palette.shape(position, ground).contrast(paper(ground));
                assert!(contrast >= 2.7, "{:?} {position} on {ground:?}: {contrast:.2}", palette.name());
            }
        }
        for place in 0..CATEGORIES {
            let contrast = category(place, ground).contrast(paper(ground));
            assert!(contrast >= 1.9, "category {place} on {ground:?}: {contrast:.2}");
        }
    }
}

/// A scale goes one way: each step is further from its pale end than the one before, to every eye.
#[test]
fn scales_go_one_way_to_every_eye() {
    for (name, sight) in &SIGHTS {
        for ground in GROUNDS {
            for palette in &PALETTES {
                for side in [-1.0, 1.0] {
                    let pale = palette.tint(0.0, ground);
                    let far: Vec<f32> = (0..=10)
                        .map(|i| distance(pale, palette.tint(side * f64::from(i) / 10.0, ground), sight))
                        .collect();
                    let grows = side < 0.0 && !palette.is_diverging()
                        || far.windows(2).all(|pair| pair[1] > pair[0] - 0.004);
                    assert!(grows, "{:?} {side} seen with {name} on {ground:?}: {far:?}", palette.name());
                    let end = far.last().copied().unwrap_or(0.0);
                    assert!(
                        end > 0.12 || side < 0.0 && !palette.is_diverging(),
                        "{:?} ends at {end}",
                        palette.name()
                    );
                }
            }
        }
    }
}

/// The two sides of a middle, and gain and loss, are told apart by every eye; where hues come close
/// the signs that views add do it, and those differ by shape.
#[test]
fn sides_and_tones_are_told_apart_by_every_eye() {
    for (name, sight) in &SIGHTS {
        for ground in GROUNDS {
            for palette in PALETTES.iter().filter(|palette| palette.is_diverging()) {
                let apart = distance(palette.tint(-1.0, ground), palette.tint(1.0, ground), sight);
                assert!(apart > 0.08, "{:?} seen with {name} on {ground:?}: {apart}", palette.name());
            }
            let pairs = [(Tone::Gain, Tone::Loss), (Tone::Gain, Tone::Watch)];
            for (a, b) in pairs {
                let [a, b] = [a, b].map(Paint::Tone);
                for (what, x, y) in [
                    ("tint", a.tint(ground), b.tint(ground)),
                    ("ink", a.ink(ground), b.ink(ground)),
                    ("shape", a.shape(ground), b.shape(ground)),
                ] {
                    let apart = distance(x, y, sight);
                    assert!(apart > 0.05, "{what} of {a:?} and {b:?} with {name} on {ground:?}: {apart}");
                }
            }
        }
    }
    assert_ne!(tone_sign(Tone::Gain), tone_sign(Tone::Loss));
    assert!([Tone::Gain, Tone::Loss, Tone::Watch].iter().all(|tone| tone_sign(*tone).is_some()));
}

/// No two categories are alike, to any eye.
#[test]
fn categories_are_told_apart_by_every_eye() {
    for (name, sight) in &SIGHTS {
        for ground in GROUNDS {
            for a in 0..CATEGORIES {
                for b in 0..a {
                    let apart = distance(category(a, ground), category(b, ground), sight);
                    assert!(apart > 0.1, "categories {b} and {a} with {name} on {ground:?}: {apart}");
                }
            }
        }
    }
}

/// Every step of a set has a drawing and a character of its own.
#[test]
fn symbols_differ_by_shape() {
    for set in SymbolSet::NAMES.iter().map(|(_, set)| *set) {
        for of in 3..=5 {
            let steps: Vec<Symbol> = (0..of).map(|step| Symbol::new(set, step, of)).collect();
            for (i, a) in steps.iter().enumerate() {
                for b in &steps[..i] {
                    assert_ne!(a.paths(), b.paths());
                    assert_ne!(a.glyph(), b.glyph(), "{a:?} {b:?}");
                }
            }
        }
    }
}

/// What briefs may name is what there is.
#[test]
fn names_are_those_of_briefs() {
    let names: Vec<PaletteName> = PaletteName::NAMES.iter().map(|(_, name)| *name).collect();
    assert_eq!(PALETTES.map(|palette| palette.name().unwrap()).to_vec(), names);
}
