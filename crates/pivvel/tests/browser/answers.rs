//! Pages on which readers choose: every control by mouse and keys, members that are clicked, addresses, print.

use fantoccini::key::Key;
use pivvel::draw::{self, Layout};
use pivvel::{Build, CrossTab};
use serde_json::json;

use crate::demo::{self, lines};
use crate::driver::Page;

fn page() -> String {
    draw::page_with_controls(&Build::new().variants(&demo::brief("choices.toml"), &mut lines()).unwrap())
        .unwrap()
}

/// The labels and figures of a run with other choices.
fn run(assumed: &[(&str, &str)], condition: Option<&str>) -> Vec<String> {
    let mut brief = demo::brief("choices.toml");
    assumed.iter().for_each(|(name, value)| brief.assume(name, (*value).into()).unwrap());
    if let Some((condition, own)) = condition.zip(brief.get_filter()) {
        let both = own.and(&condition.into());
        brief = brief.filter(both);
    }
    let layout = Layout::new(&CrossTab::build(&brief, &mut lines()).unwrap());
    let cells = |row: &pivvel::draw::LayoutRow| {
        std::iter::once(row.label().to_string())
            .chain(row.cells().iter().map(|cell| cell.text().to_string()))
            .collect::<Vec<_>>()
    };
    layout.rows().iter().flat_map(cells).collect()
}

/// What the first table shows.
const SHOWN: &str = "return [...document.querySelectorAll('#t0 tbody tr')].flatMap(r => [...r.cells].map(c => c.textContent.trim()))";
const ADDRESS: &str = "return location.hash";

/// Waits until the page shows what is wanted.
async fn until(page: &Page, wanted: &[String], what: &str) {
    let mut shown = Vec::new();
    for _ in 0..100 {
        shown = page.texts(SHOWN).await;
        if shown == wanted {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(shown, wanted, "{what}");
}

#[test]
fn every_control_changes_all_that_stands_on_the_page() {
    Page::open(&page(), |page| async move {
        until(&page, &run(&[], None), "at first").await;
        assert_eq!(page.value(ADDRESS).await, json!(""));
        // What stands in print is what the figures are of, also before another choice is there.
        let said = "return document.getElementById('choices').textContent";
        let slid = "const s = document.querySelector('#chosen-by input[type=range]'); s.value = 4; s.dispatchEvent(new Event('input')); ";
        let first = "Price rise 5 % · Show 5 · By harbour · Coasts all";
        assert_eq!(page.value(&format!("{slid}{said}")).await, json!(first));
        until(&page, &run(&[("uplift", "20%")], None), "a slider that was moved").await;
        assert_eq!(page.value(said).await, json!(first.replace("5 %", "20 %")));
        page.click("#chosen-by button").await;
        until(&page, &run(&[], None), "at first again").await;
        page.value("document.querySelector('#chosen-by input[type=range]').focus()").await;
        page.keys(Key::Right).await;
        until(&page, &run(&[("uplift", "10%")], None), "a slider by a key").await;
        assert_eq!(page.value("return document.querySelector('output').textContent").await, json!("10 %"));
        assert_eq!(
            page.value("return document.querySelector('h1').textContent.includes('up 10 %')").await,
            json!(true)
        );
        page.value("document.querySelector('select[name=n]').focus()").await;
        page.keys(Key::Up).await;
        until(&page, &run(&[("uplift", "10%"), ("n", "3")], None), "a list by a key").await;
        page.click("#chosen-by input[value='Fell Coast']").await;
        page.click("#chosen-by input[value='Marram Coast']").await;
        let both = Some("coast in ('Fell Coast', 'Marram Coast')");
        until(&page, &run(&[("uplift", "10%"), ("n", "3")], both), "two boxes").await;
        assert_eq!(page.value(ADDRESS).await, json!("#uplift=10%25&n=3&coast=Fell+Coast&coast=Marram+Coast"));
        let title =
            "return document.title.endsWith('Price rise 10 % · Show 3 · Coasts Fell Coast, Marram Coast')";
        assert_eq!(page.value(title).await, json!(true));
        // The charts follow: two lines, and the bars of three harbours and all others.
        let lines = "return document.querySelectorAll('section:nth-of-type(3) svg path.k[data-m]').length";
        assert_eq!(page.number(lines).await, 2.0);
        // The state can be sent: the address alone brings it back.
        page.value("window.before = 1; location.reload()").await;
        until(&page, &run(&[("uplift", "10%"), ("n", "3")], both), "the address").await;
        assert_eq!(page.value("return window.before === undefined").await, json!(true));
        page.click("#chosen-by button").await;
        until(&page, &run(&[], None), "taken back").await;
        assert_eq!(page.value(ADDRESS).await, json!(""));
        assert_eq!(
            page.value("return document.querySelector('#chosen-by button').disabled").await,
            json!(true)
        );
        // What is not known is told, and the rest holds.
        page.value("location.hash = '#n=10&coast=Fel&size=2'").await;
        until(&page, &run(&[("n", "10")], None), "half an address").await;
        let told = "return document.getElementById('found').textContent";
        assert_eq!(page.value(told).await, json!("unknown in the address: coast=Fel, size"));
    });
}

/// A browser that cannot unpack says so, and what is named as chosen stays what is shown.
#[test]
fn a_browser_that_cannot_unpack_keeps_what_it_shows() {
    Page::open(&page(), |page| async move {
        page.value("delete window.DecompressionStream").await;
        page.value("document.querySelector('select[name=n]').focus()").await;
        page.keys(Key::Up).await;
        let status = "return document.getElementById('found').textContent";
        for _ in 0..100 {
            if page.value(status).await != json!("") {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        assert_eq!(page.value(status).await, json!("this browser cannot show other choices"));
        until(&page, &run(&[], None), "what was there").await;
        assert_eq!(
            page.value("return document.querySelector('select[name=n]').selectedOptions[0].text").await,
            json!("5")
        );
        assert_eq!(page.value(ADDRESS).await, json!(""));
    });
}

#[test]
fn members_that_are_clicked_are_chosen_where_they_can_be() {
    Page::open(&page(), |page| async move {
        let fell = run(&[], Some("coast = 'Fell Coast'"));
        page.click("svg.chart circle[data-t='Fell Coast']").await;
        until(&page, &fell, "a line that is clicked").await;
        page.click("svg.chart text[data-t='Fell Coast']").await;
        until(&page, &run(&[], None), "its name, clicked again").await;
        page.value("document.querySelector(\"svg.chart [data-t='Skerry Coast'][tabindex]\").focus()").await;
        page.keys(Key::Enter).await;
        until(&page, &run(&[], Some("coast = 'Skerry Coast'")), "Enter on a shape").await;
        // In a list and in a field Escape has a meaning of its own.
        for field in ["select[name=n]", "#find"] {
            page.value(&format!("document.querySelector('{field}').focus()")).await;
            page.keys(Key::Escape).await;
            assert_eq!(page.value(ADDRESS).await, json!("#coast=Skerry+Coast"), "{field}");
        }
        page.value("document.querySelector('#t0 tbody td').focus()").await;
        page.keys(Key::Escape).await;
        until(&page, &run(&[], None), "Escape").await;
        // A harbour is no control: it is marked, and stays so while others are pointed at.
        page.click("#t0 tbody tr:nth-child(2) th").await;
        page.point("#t0 tbody tr:nth-child(4) th").await;
        let marked =
            "return [...document.querySelectorAll('#t0 tr.marked')].map(r => r.cells[0].textContent.trim())";
        assert_eq!(page.texts(marked).await, ["Vårdsund", "Dunmere"]);
        let held = "document.querySelector('#t0 tbody tr:nth-child(3) th').dispatchEvent(new MouseEvent('click', { bubbles: true, ctrlKey: true }))";
        page.value(held).await;
        page.point("#find").await;
        assert_eq!(page.texts(marked).await, ["Vårdsund", "Ternhaven"]);
        page.value("document.querySelector('#t0 tbody td').focus()").await;
        page.keys(Key::Escape).await;
        page.point("h1").await;
        assert!(page.texts(marked).await.is_empty());
    });
}

/// What is sorted stays sorted by other choices, and the data that is copied is that of what is chosen.
#[test]
fn what_readers_have_done_holds_through_choices() {
    Page::open(&page(), |page| async move {
        page.click("#t0 th[data-c='2'] button").await;
        page.value("document.querySelector('select[name=n]').focus()").await;
        page.keys(Key::Down).await;
        let margins =
            "return [...document.querySelectorAll('#t0 tbody tr.member')].map(r => r.cells[3].textContent)";
        let mut sorted = Vec::new();
        for _ in 0..100 {
            sorted = page.texts(margins).await;
            if sorted.len() == 10 {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        let numbers: Vec<f64> = sorted.iter().map(|text| text.replace(" %", "").parse().unwrap()).collect();
        assert!(numbers.len() == 10 && numbers.is_sorted_by(|a, b| a >= b), "{numbers:?}");
        let copied = "let text; navigator.clipboard.writeText = async own => { text = own; }; document.getElementById('copy').click(); \
                      return new Promise(done => setTimeout(() => done(text.split('\\n')), 50))";
        let copied = page.texts(copied).await;
        assert_eq!(copied[0], "harbour\tsold_on.year\tmeasure\tvalue");
        // Ten harbours and the total in three years and the total, of which each has sales and a margin, and a share but
        // at the total.
        assert_eq!(copied.len() - 2, 11 * 4 * 2 + 10 * 4);
        let mut brief = demo::brief("choices.toml");
        brief.assume("n", 10.into()).unwrap();
        let crosstab = CrossTab::build(&brief, &mut lines()).unwrap();
        let total = crosstab.value(&[], &[], "sales").unwrap().to_string();
        let line = format!("\t\tSales\t{total}");
        assert!(copied.contains(&line), "{line} in {copied:?}");
    });
}
