//! Views as pictures: bars, lines, strips, scatters and tiles as SVG, in the colours of the table.

mod bars;
mod canvas;
mod line;
mod panel;
mod scatter;
mod strip;
mod tiles;

use pivvel_core::brief::ViewForm;
use pivvel_core::result::View;
use svg::node::element::SVG;

pub(crate) use canvas::{
    Canvas, Hold, LINE, Medium, Member, NAME, PRINT, fitting, round, text_width, wrapped,
};
pub(crate) use panel::{Panel, panels};

/// Draws a view, or one of its panels.
pub(crate) fn draw(view: &View, panel: &Panel, medium: &mut Medium<'_>) -> SVG {
    match view.spec().get_form() {
        ViewForm::Bars => bars::draw(view, panel, medium),
        ViewForm::Line => line::draw(view, panel, medium),
        ViewForm::Strip => strip::draw(view, panel, medium),
        ViewForm::Scatter => scatter::draw(view, panel, medium),
        ViewForm::Tiles => tiles::draw(view, panel, medium),
        _ => unreachable!("tables are drawn as tables"),
    }
}
