//! Palettes and colours of a brief's own: figures on them can be read, members have theirs everywhere, and what some
//! readers cannot see is reported.

use pivvel_core::brief::{
    AssumptionBrief, DimensionBrief, EmphasisBrief, Form, PaletteBrief, RuleBrief, Show, ViewBrief, ViewForm,
};
use pivvel_core::{Brief, CrossTab};
use pivvel_view::{Ground, Layout, Rgb, check_colours, draw_page, draw_svg, ink, paper};
use proptest::prelude::*;

use crate::support::{money, source, texts};

fn crosstab(brief: &Brief) -> CrossTab {
    let mut lines = source([
        ("coast", texts(["Fell", "Fell", "Skerry", "Tarrow"].map(Some))),
        ("amount", money([100, 500, 250, -80].map(Some))),
    ]);
    CrossTab::build(brief, &mut lines).unwrap()
}

fn brief() -> Brief {
    Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Whatever colours a palette has, figures can be read on its tints and in its inks.
    #[test]
    fn figures_can_be_read_in_palettes_of_ones_own(low in any::<(u8, u8, u8)>(), high in any::<(u8, u8, u8)>(), about in any::<bool>()) {
        let hex = |(r, g, b): (u8, u8, u8)| Rgb(r, g, b).hex();
        let house = PaletteBrief::new("house", hex(high)).low(hex(low));
        let tint = |form| {
            let tint = EmphasisBrief::new("sales", form).palette("house");
            if about { tint.about("0") } else { tint }
        };
        let rule = EmphasisBrief::new("sales", Form::Ink).rule(RuleBrief::new().below(0).show(Show::Palette("house".into())));
        let brief = brief().palette(house).emphasize(tint(Form::Tint)).emphasize(rule).emphasize(tint(Form::Ink));
        let crosstab = crosstab(&brief);
        let layout = Layout::new(&crosstab);
        for dress in layout.rows().iter().flat_map(|row| row.cells()).map(|cell| cell.dress()) {
            for ground in [Ground::Light, Ground::Dark] {
                let tint = dress.tint().map(|paint| ink(ground).contrast(paint.tint(ground)));
                let ink = dress.ink().map(|paint| paint.ink(ground).contrast(paper(ground)));
                prop_assert!(tint.into_iter().chain(ink).all(|contrast| contrast >= 4.5), "{:?} {:?}", tint, ink);
            }
        }
        prop_assert!(layout.rows().iter().flat_map(|row| row.cells()).filter(|cell| cell.dress().ink().is_some()).count() >= 3);
    }
}

#[test]
fn a_member_has_its_colour_in_tables_and_charts() {
    let view = |form| ViewBrief::new(form).rows(["coast"]);
    let mut brief = brief().view(view(ViewForm::Bars));
    brief =
        brief.add_dimension(DimensionBrief::new("coast").colours([("Fell".to_string(), "teal".to_string())]));
    let crosstab = crosstab(&brief);
    let page = draw_page(&crosstab);
    let teal = "teal".parse::<Rgb>().unwrap().hex();
    let class = format!("o{}", &teal[1..]);
    assert!(page.contains(&format!(".{class}{{--c:light-dark({teal},")), "{class}");
    let heading = format!("class=\"own {class}\"");
    assert_eq!(page.matches(&heading).count(), 1, "the heading of Fell");
    assert!(page.contains(&format!("class=\"{class} f\"")), "the bar of Fell");
    let bars = draw_svg(&crosstab, Some(1));
    assert!(
        bars.contains(&format!(".{class}.f{{fill:{teal}}}"))
            && bars.contains(&format!("class=\"{class} f\"")),
        "{bars}"
    );
}

#[test]
fn what_some_readers_cannot_see_is_reported() {
    let with = |colours: &[(&str, &str)]| {
        let colours = colours.iter().map(|(member, colour)| (member.to_string(), colour.to_string()));
        let mut brief = brief();
        brief = brief.add_dimension(DimensionBrief::new("coast").colours(colours));
        let notices =
            check_colours(&brief).map(|all| all.iter().map(|notice| notice.text().to_string()).collect());
        notices.unwrap_or_else(|error| vec![error.to_string()])
    };
    let cases: [(&[(&str, &str)], &str); 5] = [
        (&[("Fell", "teal"), ("Skerry", "sienna")], ""),
        (&[("Fell", "blurple")], "dimensions.coast.colours.Fell: blurple is no colour; write it as CSS does"),
        (
            &[("Fell", "teal"), ("Skerry", "rgb(0 128 128)")],
            "dimensions.coast.colours.Skerry: Fell has the same colour",
        ),
        (
            &[("Fell", "#b00020"), ("Skerry", "#5d4a00")],
            "it looks like that of Fell to people who do not see",
        ),
        (&[("Fell", "#ffffe0")], "#ffffe0 hardly stands out from a light page, and is drawn darker there"),
    ];
    for (colours, wanted) in cases {
        let found = with(colours).join("\n");
        assert!(found.contains(wanted) && (!wanted.is_empty() || found.is_empty()), "{colours:?}: {found}");
    }
}

/// A colour may be an assumption, as any text of a brief.
#[test]
fn a_colour_may_be_an_assumption() {
    let house = PaletteBrief::new("house", "{tone}").low("#{digits}");
    let assumed = |tone: &str| {
        let all = [AssumptionBrief::new("tone", tone), AssumptionBrief::new("digits", "aa2200")];
        let brief = all.into_iter().fold(brief().palette(house.clone()), Brief::assumption);
        check_colours(&brief).map(|notices| notices.len()).map_err(|error| error.to_string())
    };
    assert_eq!(assumed("#0066cc"), Ok(0));
    let wrong = assumed("blurple").unwrap_err();
    assert!(wrong.starts_with("palettes.house: blurple is no colour"), "{wrong}");
}
