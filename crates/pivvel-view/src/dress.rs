//! Decisions of the core to colours and shapes: which palette each scale gets, what a rule shows,
//! which way colours run.

use std::cell::RefCell;
use std::collections::{HashMap, HashSet};

use pivvel_core::CrossTab;
use pivvel_core::brief::{Form, PaletteBrief, PaletteOf, PeersOf, Reach, Show, Side, SymbolSet, Tone};
use pivvel_core::result::{ColumnEntry, Emphasis, Grain, Mark, RowEntry, Scale, Span};

use crate::appearance::Appearance;
use crate::colour::Rgb;
use crate::palette::{PALETTES, Paint, Palette};
use crate::signs::Symbol;

/// What a cell wears.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::draw::{Ground, Layout};
///
/// let layout = Layout::new(&crosstab);
/// let fell = &layout.rows()[0].cells()[0];
/// let paint = fell.dress().tint().unwrap();
/// assert!(paint.tint(Ground::Light).contrast(paint.ink(Ground::Light)) > 1.0);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq)]
#[non_exhaustive]
pub struct Dress {
    pub(crate) tint: Option<Paint>,
    pub(crate) ink: Option<Paint>,
    pub(crate) bar: Option<Bar>,
    pub(crate) symbol: Option<(Symbol, Paint)>,
    pub(crate) link: Option<String>,
}

pivvel_core::getters! {
    Dress {
        /// Its background.
        tint: Option<Paint>,
        /// The colour of its figure.
        ink: Option<Paint>,
        /// Its bar.
        bar: Option<Bar>,
        /// Its symbol.
        symbol: Option<(Symbol, Paint)>,
        /// Where its figure leads.
        link: Option<&str>,
    }
}

/// A bar within a cell.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Bar {
    pub(crate) span: Span,
    pub(crate) paint: Paint,
}

pivvel_core::getters! {
    Bar {
        /// From where to where it reaches.
        span: Span,
        /// Its colour.
        paint: Paint,
    }
}

/// The place of a cell on a scale, for words about it.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct OnScale {
    pub(crate) emphasis: usize,
    pub(crate) scale: Option<usize>,
    pub(crate) position: Option<f64>,
    pub(crate) rule: Option<usize>,
}

pivvel_core::getters! {
    OnScale {
        /// The emphasis, by its place.
        emphasis: usize,
        /// Its scale, by its place.
        scale: Option<usize>,
        /// The position there.
        position: Option<f64>,
        /// The rule that matched.
        rule: Option<usize>,
    }
}

/// Whose scale a palette is for: the measure, the levels, and the members that are scaled apart.
type Owner = (String, Option<Grain>, [Option<String>; 2], bool);

/// The palettes of every scale of a cross-tab. Scales of one measure at one grain share theirs,
/// whatever the form.
#[derive(Debug, Clone)]
pub(crate) struct Wardrobe<'c> {
    pub(crate) crosstab: &'c CrossTab,
    pub(crate) appearance: &'c Appearance,
    palettes: Vec<Vec<usize>>,
    /// The palettes of the brief's own.
    own: Vec<Palette>,
    /// The scales that some cell stands on, by emphasis and scale.
    used: RefCell<HashSet<(usize, usize)>>,
}

impl<'c> Wardrobe<'c> {
    pub(crate) fn new(crosstab: &'c CrossTab, appearance: &'c Appearance) -> Wardrobe<'c> {
        let mut turns: HashMap<Owner, usize> = HashMap::new();
        let mut next = [0, 0];
        let mut palette = |emphasis: &Emphasis, scale: &Scale| {
            let spec = emphasis.planned().spec();
            if let Some(named) = spec.get_palette() {
                return place_of(crosstab, named);
            }
            let diverging = emphasis.planned().is_diverging();
            // Levels that are scaled together have one hue.
            let grain = (spec.get_peers() != &PeersOf::All).then_some(scale.grain());
            let owner = (spec.get_on().to_string(), grain, scale.apart().clone(), diverging);
            let turn = *turns.entry(owner).or_insert_with(|| {
                let turn = &mut next[usize::from(diverging)];
                *turn += 1;
                *turn - 1
            });
            Palette::in_turn(turn, diverging)
        };
        let palettes = crosstab
            .emphases()
            .iter()
            .map(|emphasis| emphasis.scales().iter().map(|scale| palette(emphasis, scale)).collect())
            .collect();
        let own = crosstab.palettes().iter().enumerate().map(|(i, own)| own_palette(i, own)).collect();
        Wardrobe { crosstab, appearance, palettes, own, used: RefCell::default() }
    }

    /// The palette of a scale.
    pub(crate) fn palette(&self, emphasis: usize, scale: Option<usize>) -> Palette {
        let spec = self.crosstab.emphases()[emphasis].planned().spec();
        let named = || spec.get_palette().map_or(0, |named| place_of(self.crosstab, named));
        self.palette_at(scale.map_or_else(named, |scale| self.palettes[emphasis][scale]))
    }

    fn palette_at(&self, place: usize) -> Palette {
        let own = place.checked_sub(PALETTES.len()).and_then(|own| self.own.get(own));
        own.copied().unwrap_or_else(|| self.appearance.theme.palette_at(place.min(PALETTES.len() - 1)))
    }

    /// What the cell of a measure wears, and its place on the first scale that it is on.
    pub(crate) fn dress(
        &self,
        row: RowEntry,
        column: ColumnEntry,
        measure: usize,
    ) -> (Dress, Option<OnScale>) {
        let mut dress = Dress { link: self.crosstab.cell_link(row, column, measure), ..Dress::default() };
        let mut on = None;
        for mark in self.crosstab.marks(row, column, measure) {
            let paint = self.paint(&mark);
            match mark.form() {
                Form::Tint => dress.tint = Some(paint),
                Form::Ink => dress.ink = Some(paint),
                Form::Bar => dress.bar = mark.span().map(|span| Bar { span, paint }),
                Form::Symbol => dress.symbol = self.symbol(&mark).map(|symbol| (symbol, paint)),
                // Trends and links are no dress of a cell.
                _ => {}
            }
            let (emphasis, scale) = (mark.emphasis(), mark.scale());
            if let Some(scale) = scale {
                self.used.borrow_mut().insert((emphasis, scale));
            }
            let (position, rule) = (mark.position(), mark.rule());
            on = on.or(Some(OnScale { emphasis, scale, position, rule }));
        }
        (dress, on)
    }

    /// Whether a cell that was dressed stands on a scale. Where an earlier emphasis takes all of its
    /// cells, none does.
    pub(crate) fn uses(&self, emphasis: usize, scale: usize) -> bool {
        self.used.borrow().contains(&(emphasis, scale))
    }

    /// The background of a row's label: that of the whole row, where one stands out.
    pub(crate) fn row_tint(&self, row: RowEntry) -> Option<Paint> {
        let marks =
            (0..self.crosstab.measures().len()).flat_map(|m| self.crosstab.marks(row, ColumnEntry::TOTAL, m));
        let whole = |mark: &Mark| {
            self.crosstab.emphases()[mark.emphasis()].planned().spec().get_reach() == Reach::Row
        };
        marks.into_iter().find(|mark| mark.form() == Form::Tint && whole(mark)).map(|mark| self.paint(&mark))
    }

    fn paint(&self, mark: &Mark) -> Paint {
        let emphasis = &self.crosstab.emphases()[mark.emphasis()];
        let good = emphasis.planned().spec().get_good();
        if let Some(rule) = mark.rule() {
            return self.rule_paint(mark.emphasis(), rule, mark.scale());
        }
        let palette = self.palette(mark.emphasis(), mark.scale());
        if let (Form::Bar, Some(span)) = (mark.form(), mark.span()) {
            return bar_paint(palette, span.below(), good);
        }
        let diverging = emphasis.planned().is_diverging();
        let position = match (mark.step(), mark.position()) {
            (Some(step), _) => step_position(step, diverging),
            (None, position) => position.unwrap_or(0.0),
        };
        if mark.form() == Form::Symbol {
            return symbol_paint(position, diverging, good);
        }
        Paint::Place { palette, position: turned(position, diverging, good) }
    }

    /// What a rule is painted with: its tone, or its place among the rules from the lowest up.
    pub(crate) fn rule_paint(&self, emphasis: usize, rule: usize, scale: Option<usize>) -> Paint {
        let planned = self.crosstab.emphases()[emphasis].planned();
        let rules = planned.rules();
        match rules[rule].show() {
            Some(Show::Tone(tone)) => return Paint::Tone(*tone),
            Some(Show::Palette(named)) => {
                let palette = self.palette_at(place_of(self.crosstab, named));
                return Paint::Place { palette, position: 1.0 };
            }
            _ => {}
        }
        let order: Vec<usize> = planned.rules_upward();
        let place = order.iter().position(|known| *known == rule).unwrap_or(0);
        let position = place as f64 / (order.len() - 1).max(1) as f64;
        let palette = self.palette(emphasis, scale);
        let diverging = palette.is_diverging();
        let position = if diverging { 2.0 * position - 1.0 } else { position };
        match planned.spec().get_form() {
            Form::Symbol => symbol_paint(position, diverging, planned.spec().get_good()),
            _ => Paint::Place { palette, position: turned(position, diverging, planned.spec().get_good()) },
        }
    }

    /// The symbol of a mark.
    fn symbol(&self, mark: &Mark) -> Option<Symbol> {
        match (mark.rule(), mark.step()) {
            (Some(rule), _) => Some(self.rule_symbol(mark.emphasis(), rule)),
            (None, Some((step, of))) => Some(Symbol { set: self.set(mark.emphasis()), step, of }),
            (None, None) => None,
        }
    }

    pub(crate) fn rule_symbol(&self, emphasis: usize, rule: usize) -> Symbol {
        let planned = self.crosstab.emphases()[emphasis].planned();
        let order = planned.rules_upward();
        let of = planned.spec().get_steps().unwrap_or(order.len().clamp(3, 5) as u8);
        let shown = match planned.rules()[rule].show() {
            Some(Show::Symbol(number)) => Some(number),
            _ => None,
        };
        let place = order.iter().position(|known| *known == rule).unwrap_or(0);
        let spread = (place * usize::from(of - 1)).div_ceil((order.len() - 1).max(1)) as u8;
        let step = shown.map_or(spread, |show| show.saturating_sub(1)).min(of.max(5) - 1);
        Symbol { set: self.set(emphasis), step, of: of.max(step + 1) }
    }

    pub(crate) fn set(&self, emphasis: usize) -> SymbolSet {
        let spec = self.crosstab.emphases()[emphasis].planned().spec();
        spec.get_symbols().unwrap_or_default()
    }
}

/// The place of a palette, those of the brief's own behind all others.
fn place_of(crosstab: &CrossTab, named: &PaletteOf) -> usize {
    match named {
        PaletteOf::Named(name) => Palette::named(*name),
        own => {
            let name = own.to_string();
            let place = crosstab.palettes().iter().position(|palette| palette.get_name() == name);
            PALETTES.len() + place.unwrap_or(0)
        }
    }
}

/// A palette of the brief's own. What is no colour is found before anything is drawn; it is grey here.
fn own_palette(place: usize, brief: &PaletteBrief) -> Palette {
    let colour = |text: &str| text.parse().unwrap_or(GREY);
    Palette::own(place, brief.get_low().map(colour), colour(brief.get_high()))
}

/// What stands in place of a colour that is none.
const GREY: Rgb = Rgb(0x80, 0x80, 0x80);

/// Where a step stands on its palette.
pub(crate) fn step_position((step, of): (u8, u8), diverging: bool) -> f64 {
    let share = f64::from(step) / f64::from((of - 1).max(1));
    if diverging { 2.0 * share - 1.0 } else { share }
}

/// The position with its good side where the palette has it: at the high end.
pub(crate) fn turned(position: f64, diverging: bool, good: Option<Side>) -> f64 {
    match (good, diverging) {
        (Some(Side::Low), true) => -position,
        (Some(Side::Low), false) => 1.0 - position,
        _ => position,
    }
}

/// Bars below the zero line have another colour: that of a loss, where nothing says that low is good.
pub(crate) fn bar_paint(palette: Palette, below: bool, good: Option<Side>) -> Paint {
    match (good, below) {
        (Some(good), below) => {
            Paint::Tone(if (good == Side::Low) == below { Tone::Gain } else { Tone::Loss })
        }
        (None, false) => Paint::Place { palette, position: 1.0 },
        (None, true) if palette.is_diverging() => Paint::Place { palette, position: -1.0 },
        (None, true) => Paint::Tone(Tone::Loss),
    }
}

/// Symbols differ by their shapes; they have a colour where something is good.
pub(crate) fn symbol_paint(position: f64, diverging: bool, good: Option<Side>) -> Paint {
    let share = if diverging { (position + 1.0) / 2.0 } else { position };
    let share = match good {
        None => return Paint::Tone(Tone::Strong),
        Some(Side::High) => share,
        Some(Side::Low) => 1.0 - share,
    };
    Paint::Tone(match share {
        low if low < 0.34 => Tone::Loss,
        high if high > 0.66 => Tone::Gain,
        _ => Tone::Watch,
    })
}
