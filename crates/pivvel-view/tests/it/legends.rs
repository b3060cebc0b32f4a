//! What a legend says of a scale is what the cells were drawn by.

use pivvel_core::brief::{EmphasisBrief, Figure, Form};
use pivvel_core::{Brief, CrossTab};
use pivvel_view::{Layout, LegendEntry, Paint, Sample, show_number};
use proptest::prelude::*;

use crate::support::{numbers, source, texts};

/// A cross-tab of members with these amounts, a bar on each, with its figure or without it.
fn crosstab(amounts: &[i64], figure: Figure) -> CrossTab {
    let names = (0..amounts.len()).map(|place| Some(format!("Harbour {place}")));
    let mut lines =
        source([("harbour", texts(names)), ("amount", numbers(amounts.iter().map(|amount| Some(*amount))))]);
    let bar = EmphasisBrief::new("sales", Form::Bar).figure(figure);
    let brief = Brief::new().rows(["harbour"]).measure(("sales", "sum(amount)")).emphasize(bar);
    CrossTab::build(&brief, &mut lines).unwrap()
}

/// The ends of the only scale of a legend, and the paints along it.
fn ramp(legend: &[LegendEntry]) -> (&[String; 2], &[Paint]) {
    match legend.iter().map(LegendEntry::sample).collect::<Vec<_>>()[..] {
        [Sample::Ramp { ends, paints, .. }] => (ends, paints),
        _ => panic!("{legend:?}"),
    }
}

proptest! {
    /// Bars begin at zero, whatever the lowest value is; and so does what the legend says of them. Both sides of zero
    /// have the part of the sample that they have of the scale.
    #[test]
    fn the_legend_of_bars_begins_where_bars_do(amounts in prop::collection::vec(-900..900i64, 2..12)) {
        let (least, most) = (*amounts.iter().min().unwrap(), *amounts.iter().max().unwrap());
        prop_assume!(least < most);
        let (low, high) = (least.min(0), most.max(0));
        let crosstab = crosstab(&amounts, Figure::Shown);
        let layout = Layout::new(&crosstab);
        let (ends, paints) = ramp(layout.legend());
        let format = crosstab.measures()[0].format();
        prop_assert_eq!(ends, &[low, high].map(|end| show_number(&end.into(), format)));
        let below = paints.iter().take_while(|paint| **paint == paints[0]).count();
        let middle = |place: usize| low as f64 + (high - low) as f64 * (place as f64 + 0.5) / paints.len() as f64;
        let wanted = (0..paints.len()).filter(|place| middle(*place) < 0.0).count();
        let wanted = match (low < 0, high > 0) {
            (true, true) => wanted.clamp(1, paints.len() - 1),
            _ => paints.len(),
        };
        prop_assert_eq!(below, wanted);
        // The colour of each bar is that of its side.
        for (amount, row) in layout.rows().iter().filter_map(|row| Some((row.cells()[0].value()?.as_f64(), row))) {
            let Some(bar) = row.cells()[0].dress().bar() else { continue };
            let side = if amount < 0.0 { paints[0] } else { paints[paints.len() - 1] };
            prop_assert!(bar.paint() == side || amount == 0.0, "{}: {:?} in {:?}", amount, bar, paints);
        }
    }

    /// Where figures are hidden the legend says none but zero, which all bars share.
    #[test]
    fn a_legend_of_hidden_figures_has_none(amounts in prop::collection::vec(-900..900i64, 2..12)) {
        let (least, most) = (*amounts.iter().min().unwrap(), *amounts.iter().max().unwrap());
        prop_assume!(least < most);
        let layout = Layout::new(&crosstab(&amounts, Figure::Hidden));
        let (ends, _) = ramp(layout.legend());
        prop_assert_eq!(&ends[0], if least < 0 { "lowest" } else { "0" });
        prop_assert_eq!(&ends[1], if most > 0 { "highest" } else { "0" });
    }
}
