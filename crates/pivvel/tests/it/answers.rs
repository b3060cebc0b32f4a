//! Pages on which readers choose: every variant is the page of a run that says its choices itself.

use std::collections::BTreeMap;
use std::io::Read;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use flate2::read::GzDecoder;
use pivvel::brief::{self, AssumptionBrief, ControlBrief, PageBrief};
use pivvel::result::{Choice, Control, Member, Variants};
use pivvel::table::Target;
use pivvel::{Brief, Build, CrossTab, Result, draw};
use serde_json::Value as Json;

use crate::demo::{self, lines};

/// What a page has in an element of a script, by its id.
fn embedded<'p>(page: &'p str, id: &str) -> &'p str {
    let (_, rest) = page.split_once(&format!("id=\"{id}\">")).unwrap();
    rest.split_once("</script>").unwrap().0
}

/// The title and the body of every variant, as the script of the page makes them.
fn unpacked(page: &str) -> Vec<(String, String)> {
    let packed = BASE64_STANDARD.decode(embedded(page, "variants").trim()).unwrap();
    let mut json = String::new();
    GzDecoder::new(&packed[..]).read_to_string(&mut json).unwrap();
    let all: Json = serde_json::from_str(&json).unwrap();
    let line = |at: i64| all["lines"][at as usize].as_str().unwrap();
    let body = |steps: &Json| {
        let mut at = 0;
        let step = |step: &Json| {
            at += step.as_i64().unwrap();
            line(at)
        };
        steps.as_array().unwrap().iter().map(step).collect::<Vec<_>>().join("\n")
    };
    let titles = all["titles"].as_array().unwrap().iter().map(|title| title.as_str().unwrap().to_string());
    titles.zip(all["variants"].as_array().unwrap().iter().map(body)).collect()
}

/// The body of a page.
fn body(page: &str) -> &str {
    let (_, rest) = page.split_once("<div id=\"body\">\n").unwrap();
    rest.split_once("\n</div>\n<div id=\"tip\"").unwrap().0
}

/// The same without what numbers colours and members on one page, and without what notes say of lines that were left
/// out: those of a choice are no lines that a condition excludes.
fn figures(body: &str) -> String {
    let mut rest = body;
    let mut kept = String::new();
    loop {
        let cut =
            [" class=\"", " data-m=\"", "\"k\":\""].iter().filter_map(|mark| Some((rest.find(mark)?, mark)));
        let Some((at, mark)) = cut.min() else { break };
        kept.push_str(&rest[..at]);
        let after = &rest[at + mark.len()..];
        rest = &after[after.find('"').unwrap() + 1..];
    }
    kept.push_str(rest);
    let (before, notes) = kept.split_once("<footer>").unwrap();
    let notes = notes.lines().filter(|line| !line.contains(" excluded"));
    format!("{before}{}", notes.collect::<Vec<_>>().join("\n"))
}

/// The brief that says the choices of a variant itself.
fn saying(brief: &Brief, controls: &[Control], choices: &[usize]) -> Brief {
    let mut own = brief.clone().page(PageBrief::new());
    for (control, choice) in controls.iter().zip(choices) {
        match &control.choices()[*choice] {
            Choice::Value(value) => own.assume(control.name(), value.clone()).unwrap(),
            Choice::Members(members) => {
                let labels: Vec<String> =
                    members.iter().map(|member| format!("'{}'", member.label())).collect();
                let chosen: pivvel::formula::Formula =
                    format!("{} in ({})", control.name(), labels.join(", ")).into();
                let both = own.get_filter().map_or(chosen.clone(), |own| own.and(&chosen));
                own = own.filter(both);
            }
            _ => {}
        }
    }
    own
}

/// How many variants a page has, each of which is compared with a run.
fn compared(brief: &Brief) -> usize {
    let variants = Build::new().variants(brief, &mut lines()).unwrap();
    let page = draw::page_with_controls(&variants).unwrap();
    let unpacked = unpacked(&page);
    assert_eq!(unpacked.len(), variants.len());
    for (variant, (title, found)) in unpacked.iter().enumerate() {
        let choices = variants.choices(variant);
        let own = saying(brief, variants.controls(), &choices);
        let run = CrossTab::build(&own, &mut lines()).unwrap();
        assert_eq!(title, run.title());
        // What a choice leaves out is not among the lines that the condition excludes.
        assert!(found.contains("; 699 lines excluded: "), "{choices:?}");
        assert_eq!(figures(found), figures(body(&draw::page(&run))), "{choices:?}");
    }
    // Without its script the page shows what the brief itself says.
    assert_eq!(body(&page), unpacked[variants.first()].1);
    unpacked.len()
}

#[test]
fn every_variant_is_the_page_of_a_run() {
    assert_eq!(compared(&demo::brief("choices.toml")), 5 * 3 * 2 * 15);
    // Rules, symbols, trends, links and six views.
    let board = demo::brief("board.toml");
    assert_eq!(compared(&board.page(PageBrief::new().controls(["channel"]))), 6);
    let shown = AssumptionBrief::new("by", "coast").choices(["coast", "harbour", "agent"]);
    let tiers = demo::brief("ranks.toml").assumption(shown).rows(["{by}"]);
    let page = PageBrief::new().controls(["by", "sold_on.year"]);
    assert_eq!(compared(&tiers.page(page)), 3 * 4);
}

/// Every word of a control stands on the page, and its members are numbered as they are in its tables.
#[test]
fn controls_stand_on_the_page_as_data() {
    let variants = Build::new()
        .variants(&demo::brief("choices.toml"), &mut lines())
        .map(|own: Variants<'_>| own)
        .unwrap();
    let page = draw::page_with_controls(&variants).unwrap();
    let facts: Json = serde_json::from_str(embedded(&page, "controls")).unwrap();
    let words = |control: usize| -> Vec<&str> {
        facts["controls"][control]["choices"]
            .as_array()
            .unwrap()
            .iter()
            .map(|own| own["words"].as_str().unwrap())
            .collect()
    };
    assert_eq!(words(0), ["0 %", "5 %", "10 %", "15 %", "20 %"]);
    assert_eq!(words(1), ["3", "5", "10"]);
    assert_eq!(words(3), ["Fell Coast", "Isle of Tarrow", "Marram Coast", "Skerry Coast"]);
    assert_eq!(facts["base"], serde_json::json!([5, 3, 2, 15]));
    assert!(page.contains("<p id=\"choices\">Price rise 5 % · Show 5 · By harbour · Coasts all</p>"));
    let mark = facts["controls"][3]["choices"][0]["mark"].as_str().unwrap();
    assert!(body(&page).contains(&format!("data-m=\"{mark}\" data-t=\"Fell Coast\"")));
    // No outside reference, and the policy of other pages.
    let policy = |page: &str| {
        page.split_once("Content-Security-Policy\"").unwrap().1.split_once('>').unwrap().0.to_string()
    };
    assert_eq!(policy(&page), policy(&draw::page(&variants.crosstab(0).unwrap())));
}

/// What cannot be chosen is an error at the control, before a line is read where it can be.
#[test]
fn wrong_controls_are_told() {
    let brief =
        || demo::brief("coasts.toml").assumption(AssumptionBrief::new("rise", "4%").low("0%").high("10%"));
    let named = |control: &str| brief().page(PageBrief::new().controls([control]));
    let stepped = |step: &str| {
        let own = AssumptionBrief::new("rise", "4%").low("0%").high("10%").step(step);
        demo::brief("coasts.toml").assumption(own).page(PageBrief::new().controls(["rise"]))
    };
    let chosen = |choices: &[&str]| {
        let own = AssumptionBrief::new("n", 5).choices(choices.iter().copied());
        demo::brief("coasts.toml").assumption(own).page(PageBrief::new().controls(["n"]))
    };
    let several = |name: &str| brief().page(PageBrief::new().control(ControlBrief::new(name).several(true)));
    let cases: BTreeMap<&str, Brief> = [
        ("control coats: unknown column \"coats\"; did you mean \"coast\"?", named("coats")),
        ("control rize: unknown assumption \"rize\"; did you mean \"rise\"?", named("rize")),
        ("control rise: assumption rise has no choices; give it choices, or low, high and step", named("rise")),
        ("control rise: the step of assumption rise is not above zero", stepped("0%")),
        ("control rise: 4 % is none of the values of assumption rise that steps lead to", stepped("3%")),
        ("control rise: assumption rise has more than 500 values; give it a larger step", stepped("0.01%")),
        ("assumption n: unknown choice \"5\"; known: \"3\", \"10\"", chosen(&["3", "10"])),
        ("control rise: rise is an assumption, which has one value at a time", several("rise")),
        ("controls: they make 2,001 variants, and a page holds 500: order has 2,001; take a control away, or some of its choices",
            named("order").filter("order >= 101001 and order <= 103000")),
        ("control harbour: it has 10 members, and several can be chosen of up to 8; leave out several, so that one is chosen or all", several("harbour")),
    ]
    .into();
    for (wanted, brief) in cases {
        let error = Build::new().variants(&brief, &mut lines()).map(|_| ()).unwrap_err();
        assert_eq!(error.to_string(), wanted);
        assert!(error.is_request());
    }
}

/// A text without all that stands between two marks, these included.
fn without(text: &str, from: &str, to: &str) -> String {
    let mut kept = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once(from) {
        kept.push_str(before);
        rest = after.split_once(to).map_or("", |(_, rest)| rest);
    }
    kept + rest
}

/// A page to mail has no script and nothing that needs one, and shows the same.
#[test]
fn a_page_without_script_shows_the_same() {
    for (name, text) in pivvel_demo::BRIEFS {
        let brief = brief::from_toml(name, text).unwrap().page(PageBrief::new());
        // Kept and related files are none of this.
        let Ok(crosstab) = CrossTab::build(&brief, &mut lines()) else { continue };
        let moving = draw::page(&crosstab);
        let page = draw::Appearance::new().script(false).page(&crosstab);
        for moves in ["<script", "<button", "script-src", "<input", "onclick"] {
            assert!(!page.contains(moves), "{name}: {moves}");
        }
        let (_, still) = page.split_once("<div id=\"body\">\n").unwrap();
        let (still, _) = still.split_once("\n</div>\n</body>").unwrap();
        let told = without(
            &without(body(&moving), "<button type=\"button\" class=\"fold\"", "</button>"),
            "\n<script",
            "</script>",
        );
        assert_eq!(still, told, "{name}");
    }
    let brief = demo::brief("choices.toml");
    let page = brief.get_page().clone().script(false);
    let brief = brief.page(page);
    let error = Build::new().variants(&brief, &mut lines()).map(|_| ()).unwrap_err().to_string();
    assert_eq!(
        error,
        "controls: readers choose by the script of the page, and it is to have none; leave out script = false"
    );
}

/// A target that is a page answers; another one holds what the brief itself says.
#[test]
fn targets_hold_variants() -> Result<()> {
    let folder = tempfile::tempdir().unwrap();
    let variants = Build::new().variants(&demo::brief("choices.toml"), &mut lines())?;
    for (name, answers) in [("a.html", true), ("a.csv", false), ("a.svg", false)] {
        let path = folder.path().join(name);
        let target = Target::new(&path)?;
        assert_eq!(target.is_page(), answers);
        target.write_variants(&variants)?;
        assert_eq!(std::fs::read_to_string(&path).unwrap().contains("id=\"variants\""), answers, "{name}");
    }
    assert!(
        matches!(&variants.controls()[3].choices()[1], Choice::Members(own) if matches!(own[..], [Member::Text(_)]))
    );
    Ok(())
}
