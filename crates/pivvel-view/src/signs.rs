//! Symbols: drawn signs in 3, 4 or 5 steps, each with a shape of its own.
//!
//! `tide` is a basin that fills, `slope` a stroke that turns from falling to rising, `pips` a growing
//! number of dots.

use pivvel_core::brief::SymbolSet;

/// One symbol: a step of a set.
///
/// ```
/// use pivvel::brief::SymbolSet;
/// use pivvel::draw::Symbol;
///
/// let (low, high) = (Symbol::new(SymbolSet::Slope, 0, 3), Symbol::new(SymbolSet::Slope, 2, 3));
/// assert_ne!(low.glyph(), high.glyph());
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Symbol {
    pub(crate) set: SymbolSet,
    pub(crate) step: u8,
    pub(crate) of: u8,
}

pivvel_core::getters! {
    Symbol {
        /// The set.
        set: SymbolSet,
        /// Which step, from 0.
        step: u8,
        /// Of how many.
        of: u8,
    }
}

impl Symbol {
    /// A step of a set, from 0, of so many.
    pub fn new(set: SymbolSet, step: u8, of: u8) -> Symbol {
        Symbol { set, step, of }
    }

    /// Where the step is between the first and the last, from 0 to 1.
    fn share(self) -> f64 {
        f64::from(self.step) / f64::from((self.of - 1).max(1))
    }

    /// The symbol as a character of a terminal.
    pub fn glyph(self) -> char {
        let pick = |glyphs: [char; 5]| glyphs[(self.share() * 4.0).round() as usize];
        match self.set {
            SymbolSet::Slope => pick(['╲', '⠑', '─', '⠊', '╱']),
            SymbolSet::Pips => ['·', ':', '⁖', '⁘', '⁙'][usize::from(self.step.min(4))],
            // The tide.
            _ => pick(['▁', '▃', '▄', '▆', '█']),
        }
    }

    /// The symbol as SVG path data in a square of 16 by 16: what is stroked, and what is filled.
    pub fn paths(self) -> (String, String) {
        let share = self.share();
        match self.set {
            SymbolSet::Slope => {
                let angle = (-52.0 + 104.0 * share).to_radians();
                let (x, y) = (6.5 * angle.cos(), 6.5 * angle.sin());
                let (x1, y1, x2, y2) = (8.0 - x, 8.0 + y, 8.0 + x, 8.0 - y);
                let dot = format!("M{:.1} {y2:.1}a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0-3.2 0Z", x2 - 1.6);
                (format!("M{x1:.1} {y1:.1}L{x2:.1} {y2:.1}"), dot)
            }
            SymbolSet::Pips => {
                let places: &[(f64, f64)] = match self.step {
                    0 => &[(8.0, 8.0)],
                    1 => &[(4.5, 8.0), (11.5, 8.0)],
                    2 => &[(8.0, 4.5), (4.5, 11.0), (11.5, 11.0)],
                    3 => &[(4.5, 4.5), (11.5, 4.5), (4.5, 11.5), (11.5, 11.5)],
                    _ => &[(4.0, 4.0), (12.0, 4.0), (8.0, 8.0), (4.0, 12.0), (12.0, 12.0)],
                };
                let dot = |(x, y): &(f64, f64)| {
                    format!("M{:.1} {y}a1.8 1.8 0 1 0 3.6 0a1.8 1.8 0 1 0-3.6 0Z", x - 1.8)
                };
                (String::new(), places.iter().map(dot).collect())
            }
            // The tide.
            _ => {
                let level = 13.0 - 10.0 * share;
                let filled = format!("M3 {level:.1}H13V12A1 1 0 0 1 12 13H4A1 1 0 0 1 3 12Z");
                let filled = if self.step == 0 { String::new() } else { filled };
                ("M2.5 2.5V12A1.5 1.5 0 0 0 4 13.5H12A1.5 1.5 0 0 0 13.5 12V2.5".into(), filled)
            }
        }
    }
}
