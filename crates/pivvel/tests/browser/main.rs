//! Pages in a real browser: Debian's Chromium by way of ChromeDriver, both private to the test.

#![allow(clippy::unwrap_used)]

mod accessible;
mod answers;
#[path = "../it/demo.rs"]
mod demo;
mod driver;
#[path = "../it/missing.rs"]
mod missing;
mod paper;

use driver::Page;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{CrossTab, brief, draw};
use serde_json::json;

/// The cross-tab of a brief over lines given as CSV.
fn crosstab(brief: &str, csv: &str) -> CrossTab {
    let brief = brief::from_toml("brief.toml", brief).unwrap();
    let options = ReadOptions::default().kinds(brief.get_kinds().to_vec());
    let mut source =
        TextSource::from_reader("lines.csv", std::io::Cursor::new(csv.as_bytes().to_vec()), &options)
            .unwrap();
    CrossTab::build(&brief, &mut source).unwrap()
}

fn demo(name: &str) -> CrossTab {
    CrossTab::build(&demo::brief(name), &mut demo::lines()).unwrap()
}

/// The labels of the rows that are seen, top to bottom.
const SEEN: &str = "return [...document.querySelectorAll('#t0 tbody tr')].filter(r => r.offsetParent || r.getClientRects().length).map(r => r.cells[0].innerText.trim())";

#[test]
fn levels_fold_by_mouse_and_keyboard() {
    Page::open(&draw::page(&demo("board.toml")), |page| async move {
        let all = page.texts(SEEN).await;
        assert_eq!(all.len(), 15);
        page.click("#t0 .fold").await;
        let folded = page.texts(SEEN).await;
        assert_eq!(folded.len(), 12, "{folded:?}");
        assert!(folded.contains(&"Fell Coast".to_string()) && !folded.contains(&"Pellam Quay".to_string()));
        assert_eq!(
            page.value("return document.querySelector('#t0 .fold').ariaExpanded").await,
            json!("false")
        );
        page.value("document.querySelector('#t0 .fold').focus()").await;
        page.keys(fantoccini::key::Key::Enter).await;
        assert_eq!(page.texts(SEEN).await, all);
        page.click("#levels button:nth-of-type(1)").await;
        assert_eq!(
            page.texts(SEEN).await,
            ["Fell Coast", "Skerry Coast", "Marram Coast", "Isle of Tarrow", "total"]
        );
        page.click("#levels button:nth-of-type(2)").await;
        assert_eq!(page.texts(SEEN).await, all);
    });
}

#[test]
fn columns_sort_within_each_parent() {
    Page::open(&draw::page(&demo("coasts.toml")), |page| async move {
        let all = page.texts(SEEN).await;
        // The first quarter of 2023 is a column of one member, not the total.
        page.click("#t0 th[data-c='0'] button").await;
        let down = page.texts(SEEN).await;
        page.click("#t0 th[data-c='0'] button").await;
        let up = page.texts(SEEN).await;
        assert_eq!(
            page.value("return document.querySelector(\"th[data-c='0']\").ariaSort").await,
            json!("ascending")
        );
        assert_eq!(down[..4], ["Fell Coast", "Pellam Quay", "Ternhaven", "Stonewick"]);
        assert_eq!(up[..3], ["Isle of Tarrow", "Sarn Cove", "Port Ennor"]);
        assert_eq!((down.last().unwrap().as_str(), up.last().unwrap().as_str()), ("total", "total"));
        let figures = "return [...document.querySelectorAll('#t0 tbody tr[data-l=\"1\"]')].map(r => r.cells[1].innerText)";
        let figures: Vec<f64> =
            page.texts(figures).await.iter().map(|t| t.replace(['£', ','], "").parse().unwrap()).collect();
        assert!(figures.is_sorted(), "{figures:?}");
        page.click("#t0 th[data-c='0'] button").await;
        assert_eq!(page.texts(SEEN).await, all, "the third time gives the order of the brief again");
    });
}

#[test]
fn members_are_found_and_marked_in_all_views() {
    Page::open(&draw::page(&demo("board.toml")), |page| async move {
        page.click("#find").await;
        page.type_in("#find", "tern").await;
        assert_eq!(page.texts(SEEN).await, ["Fell Coast", "Ternhaven", "total"]);
        assert_eq!(
            page.value("return document.getElementById('found').innerText").await,
            json!("1 shown; totals cover all")
        );
        assert!(page.number("return document.querySelectorAll('svg.chart .dim').length").await > 5.0);
        page.value(
            "const f = document.getElementById('find'); f.value = ''; f.dispatchEvent(new Event('input'))",
        )
        .await;
        assert_eq!(page.texts(SEEN).await.len(), 15);
        assert_eq!(page.number("return document.querySelectorAll('svg.chart .dim').length").await, 0.0);
        page.point("#t0 tbody tr:nth-child(3) td:nth-child(2)").await;
        let marked = "return [...document.querySelectorAll('.marked')].map(e => e.tagName + ' ' + (e.dataset.t || e.cells[0].innerText.trim()))";
        let marked = page.texts(marked).await;
        // The row, its bar, its point, its two half tiles: each is the same harbour.
        assert!(marked.iter().all(|text| text.contains("Ternhaven")), "{marked:?}");
        for tag in ["TR", "rect", "circle"] {
            assert!(marked.iter().any(|text| text.starts_with(tag)), "{tag}: {marked:?}");
        }
        page.point("svg.chart [data-t*='Kittick']").await;
        let row = "return document.querySelector('#t0 tr.marked').cells[0].innerText.trim()";
        assert_eq!(page.value(row).await, json!("Kittick"));
    });
}

#[test]
fn figures_are_told_in_full() {
    let board = demo("board.toml");
    let sales = board.value(&["Fell Coast", "Pellam Quay"], &[], "sales").unwrap().to_string();
    Page::open(&draw::page(&board), |page| async move {
        let tip =
            "return document.getElementById('tip').hidden ? '' : document.getElementById('tip').innerText";
        page.point("#t0 tbody tr:nth-child(2) td:nth-child(2)").await;
        let told = page.value(tip).await;
        let told = told.as_str().unwrap();
        for said in [
            "Fell Coast · Pellam Quay",
            &format!("Sales: {sales}"),
            "100 % of the way from £27,765 to £392,751",
            "among 10 cells",
        ] {
            assert!(told.replace(',', "").contains(&said.replace(',', "")), "{said} in {told}");
        }
        // From cell to cell by arrows; what is told moves along.
        page.value("document.querySelector('#t0 tbody td').focus()").await;
        for _ in 0..2 {
            page.keys(fantoccini::key::Key::Down).await;
        }
        for _ in 0..3 {
            page.keys(fantoccini::key::Key::Right).await;
        }
        let told = page.value(tip).await;
        let told = told.as_str().unwrap();
        assert!(
            told.contains("Ternhaven") && told.contains("Growth in 2025") && told.contains("rule: holding"),
            "{told}"
        );
        page.keys(fantoccini::key::Key::Escape).await;
        assert_eq!(page.value(tip).await, json!(""));
        let ground = "return getComputedStyle(document.body).backgroundColor";
        let light = page.value(ground).await;
        page.click("#theme").await;
        assert_ne!(page.value(ground).await, light);
    });
}

/// Every page of the demonstration works without a word on the console, asks for nothing from
/// anywhere, fits a phone, and prints.
#[test]
fn pages_are_quiet_self_contained_and_print() {
    for name in
        ["board.toml", "alerts.toml", "quiet.toml", "against_plan.toml", "variance.toml", "tiers.toml"]
    {
        Page::open(&draw::page(&demo(name)), move |page| async move {
            assert_eq!(
                page.number("return performance.getEntriesByType('resource').length").await,
                0.0,
                "{name}"
            );
            let pdf = page.print().await;
            assert!(pdf.starts_with(b"%PDF") && pdf.len() > 8_000, "{name}: {} bytes", pdf.len());
            page.resize(390, 800).await;
            let wider = page
                .number("return document.documentElement.scrollWidth - document.documentElement.clientWidth")
                .await;
            assert!(wider <= 1.0, "{name} is {wider} wider than a phone");
            let named = "return [...document.querySelectorAll('table')].every(t => t.caption && t.querySelector('th[scope=row]') && t.querySelector('th[scope=col]'))";
            assert_eq!(page.value(named).await, json!(true), "{name}");
        });
    }
}

/// A table that is too wide for a sheet is printed in parts: all rows, every figure once, the totals among them, and
/// headings over each. Afterwards the page is as it was.
#[test]
fn a_wide_table_is_printed_in_parts() {
    let brief = "rows = [\"coast\", \"harbour\"]\ncolumns = [\"sold_on.year\", \"sold_on.month\"]\n\
                 [measures]\nsales = \"sum(amount)\"\n";
    Page::open(&draw::page(&crosstab(brief, pivvel_demo::CSV)), |page| async move {
        let before = page.value("return document.body.innerHTML.length").await;
        page.value("dispatchEvent(new Event('beforeprint'))").await;
        let whole = "const cells = t => [...t.tBodies[0].rows].map(row => [...row.cells].slice(1).map(cell => cell.textContent)); \
                     const whole = cells(document.querySelector('#t0')), parts = [...document.querySelectorAll('table.part')].map(cells); \
                     return parts.length > 2 && whole[0].length === 40 && whole.every((row, i) => JSON.stringify(row) === JSON.stringify(parts.flatMap(part => part[i])))";
        assert_eq!(page.value(whole).await, json!(true));
        let headed = "return [...document.querySelectorAll('table.part')].every(t => [...t.tHead.rows].reduce((sum, row, i) => \
                      sum + (i ? 0 : [...row.cells].slice(1).reduce((wide, cell) => wide + cell.colSpan, 0)), 0) === t.tBodies[0].rows[0].cells.length - 1)";
        assert_eq!(page.value(headed).await, json!(true));
        page.value("dispatchEvent(new Event('afterprint'))").await;
        assert_eq!(page.value("return document.body.innerHTML.length").await, before);
    });
}

/// Names that look like markup, script or addresses are text; names of any script and length are
/// legible; nothing leads anywhere but to the web or to mail.
#[test]
fn hostile_names_are_inert_and_legible() {
    let long = "long ".repeat(60);
    let names = [
        "<script>window.ran = 1</script>",
        "\" onmouseover=\"window.ran = 2",
        "'><img src=x onerror=window.ran=3>",
        "javascript:window.ran=4",
        "</script><script>window.ran = 5</script>",
        "</title><style>*{display:none}</style>",
        "&lt;not an entity&gt;",
        "\u{202e}right to left\u{202c}",
        "שלום עולם",
        "مرحبا بالعالم",
        "e\u{301}\u{302}\u{323} combining",
        "\\u003cscript",
        long.trim(),
    ];
    let mut csv = csv::Writer::from_writer(Vec::new());
    csv.write_record(["place", "kind", "day", "amount"]).unwrap();
    for (i, name) in names.into_iter().enumerate() {
        let kind = if i % 2 == 0 { "a" } else { names[0] };
        csv.write_record([name, kind, &format!("2025-0{}-03", 1 + i % 6), &format!("{}", 10 + i)]).unwrap();
    }
    let csv = String::from_utf8(csv.into_inner().unwrap()).unwrap();
    let brief = r#"
        title = "Sales <script>window.ran = 6</script> of {source}"
        rows = ["kind", "place"]
        [measures]
        sales = { formula = "sum(amount)", label = "</th><script>window.ran = 7</script>" }
        twice = "sum(amount) * 2"
        [[emphasis]]
        on = "sales"
        as = "tint"
        rules = [{ name = "<b>high</b>", from = 15 }]
        [[emphasis]]
        on = "place"
        as = "link"
        link = "{place}"
        [[emphasis]]
        on = "twice"
        as = "link"
        link = "https://example.test/?q={place}"
        [[emphasis]]
        on = "twice"
        as = "trend"
        along = "day.month"
        [[views]]
        as = "bars"
        [[views]]
        as = "line"
        along = "day.month"
        [[views]]
        as = "strip"
        [[views]]
        as = "scatter"
        measures = ["sales", "twice"]
        [[views]]
        as = "table"
        per = "kind"
    "#;
    let crosstab = crosstab(brief, &csv);
    let names: Vec<String> = names.iter().map(|name| name.to_string()).collect();
    Page::open(&draw::page(&crosstab), |page| async move {
        let labels = page
            .texts("return [...document.querySelectorAll('#t0 tbody th bdi')].map(e => e.textContent)")
            .await;
        for name in &names {
            assert!(labels.contains(name), "{name:?} in {labels:?}");
        }
        for place in 1..=labels.len().min(14) {
            page.point(&format!("#t0 tbody tr:nth-child({place}) th")).await;
        }
        assert_eq!(page.value("return window.ran === undefined").await, json!(true));
        let links = page.texts("return [...document.querySelectorAll('a')].map(a => a.protocol)").await;
        assert!(
            !links.is_empty() && links.iter().all(|p| ["http:", "https:", "mailto:"].contains(&p.as_str())),
            "{links:?}"
        );
        assert_eq!(
            page.number("return document.images.length + document.querySelectorAll('body style').length")
                .await,
            0.0
        );
        let drawn = page.number("return [...document.querySelectorAll('svg.chart text')].filter(t => t.textContent.includes('שלום')).length").await;
        assert!(drawn >= 1.0);
        let wider = page
            .number("return document.documentElement.scrollWidth - document.documentElement.clientWidth")
            .await;
        assert!(wider <= 1.0, "a long name must not make the page {wider} wider");
    });
    let svg = pivvel::draw::svg(&crosstab, None);
    assert!(!svg.contains("<script>") && !svg.contains("<b>") && svg.contains("&lt;script&gt;"));
}

/// What is cut in the rows in sight, and cells that do not stand under their headings.
const CUT_OR_ASKEW: &str = "const heads = [...document.querySelectorAll('#t0 thead th[data-c]')]; \
    const rows = [...document.querySelectorAll('#t0 tbody tr')].slice(0, 20); \
    const wrong = [...heads, ...rows.flatMap(r => [...r.cells])].filter(c => c.scrollWidth > c.clientWidth + 1).map(c => 'cut: ' + c.textContent); \
    for (const row of rows) for (const head of heads) { \
        const cell = row.cells[+head.dataset.c + 1]; \
        if (cell && Math.abs(cell.getBoundingClientRect().right - head.getBoundingClientRect().right) > 0.6) wrong.push('askew: ' + cell.textContent); \
    } \
    return wrong";

/// The columns of a large table stand under their headings whatever is in them: groups, totals, bars, symbols, small
/// lines, links, long names; on a telephone as well.
#[test]
fn a_large_table_of_everything_is_aligned() {
    let mut csv = String::from("coast,harbour,sold_on,amount\n");
    for harbour in 0..600 {
        for month in 1..=12 {
            let amount = (harbour * 37 + month * 101) % 1_000 * if harbour == 7 { 1_000_000 } else { 1 };
            let name = if harbour % 50 == 0 { "a harbour of a longer name" } else { "harbour" };
            csv.push_str(&format!("coast {},{name} {harbour},2024-{month:02}-15,{amount}\n", harbour % 20));
            csv.push_str(&format!(
                "coast {},{name} {harbour},2025-{month:02}-15,{}\n",
                harbour % 20,
                900 - amount
            ));
        }
    }
    let brief = "rows = [\"coast\", \"harbour\"]\ncolumns = [\"sold_on.year\", \"sold_on.month\"]\n\
        [totals]\n\"sold_on.year\" = \"before\"\n\
        [measures]\nsales = \"sum(amount)\"\ngrowth = \"sales / sales at parent\"\n\
        [[emphasis]]\non = \"sales\"\nas = \"bar\"\n[[emphasis]]\non = \"growth\"\nas = \"symbol\"\nsymbols = \"tide\"\n\
        [[emphasis]]\non = \"growth\"\nas = \"ink\"\nabout = 0.05\n[[emphasis]]\non = \"sales\"\nas = \"trend\"\nalong = \"sold_on.month\"\n";
    let page = draw::page(&crosstab(brief, &csv));
    assert!(page.contains("class=\"large\""));
    Page::open(&page, |page| async move {
        assert_eq!(page.texts(CUT_OR_ASKEW).await, [""; 0]);
        page.resize(400, 800).await;
        // There, long names go on in their titles, as those of other tables do.
        let mut wrong = page.texts(CUT_OR_ASKEW).await;
        wrong.retain(|wrong| !wrong.starts_with("cut: a harbour"));
        assert_eq!(wrong, [""; 0]);
    });
}

/// A cross-tab of fifty thousand cells opens, sorts and folds.
#[test]
fn a_large_table_is_usable() {
    let mut csv = String::from("coast,harbour,week,amount\n");
    for harbour in 0..500 {
        for week in 0..100 {
            csv.push_str(&format!(
                "coast {},harbour {harbour},w{week:03},{}\n",
                harbour % 20,
                (harbour * 37 + week * 101) % 1_000
            ));
        }
    }
    let brief = "rows = [\"coast\", \"harbour\"]\ncolumns = [\"week\"]\n[measures]\nsales = \"sum(amount)\"\n[[emphasis]]\non = \"sales\"\nas = \"tint\"\n";
    let page = draw::page(&crosstab(brief, &csv));
    Page::open(&page, |page| async move {
        assert_eq!(page.number("return document.querySelectorAll('#t0 td').length").await, 521.0 * 101.0);
        // Rows out of sight are not laid out, but have their height and are found by their text.
        let heights = "return [...new Set([...document.querySelectorAll('#t0 tbody tr.member')].map(r => Math.round(r.getBoundingClientRect().height)))].length";
        assert_eq!(page.number(heights).await, 1.0, "rows that were not laid out are as high as others");
        let unseen = "return [...document.querySelectorAll('#t0 tbody tr')].filter(r => !r.cells[1]?.checkVisibility({ contentVisibilityAuto: true })).length";
        assert!(page.number(unseen).await > 400.0, "rows out of sight are skipped");
        assert!(
            page.number("return window.find('harbour 477') ? 1 : 0").await == 1.0,
            "a row far down is found"
        );
        page.value("document.querySelector('.frame').scrollTop = 0; getSelection().removeAllRanges()").await;
        assert_eq!(page.texts(CUT_OR_ASKEW).await, [""; 0]);
        page.click("#levels button:nth-of-type(1)").await;
        assert_eq!(page.texts(SEEN).await.len(), 21);
        page.click("#t0 th[data-c='3'] button").await;
        let first = page.texts("return [...document.querySelectorAll('#t0 tbody tr[data-l=\"1\"]')].map(r => r.cells[4].innerText)").await;
        let first: Vec<f64> = first.iter().map(|t| t.replace(',', "").parse().unwrap()).collect();
        assert!(first.is_sorted_by(|a, b| a >= b), "{first:?}");
        let sticky = page.number("const f = document.querySelector('.frame'); f.scrollTop = 4000; f.scrollLeft = 900; const h = document.querySelector('#t0 thead').getBoundingClientRect(), o = f.getBoundingClientRect(); return Math.abs(h.top - o.top)").await;
        assert!(sticky < 2.0, "headings stay in sight: {sticky}");
    });
}

/// What the script says is in the language of the page, its numbers have the marks of it, and columns sort by true values.
#[test]
fn a_page_speaks_the_language_of_its_look() {
    let appearance = draw::Appearance::new().words(draw::Words::german());
    Page::open(&appearance.page(&demo("coasts.toml")), |page| async move {
        page.click("#find").await;
        page.type_in("#find", "tern").await;
        let found = page.value("return document.getElementById('found').innerText").await;
        assert_eq!(found, json!("1 gezeigt; Summen umfassen alle"));
        page.value(
            "const f = document.getElementById('find'); f.value = ''; f.dispatchEvent(new Event('input'))",
        )
        .await;
        page.click("#t0 th[data-c='0'] button").await;
        let down = page.texts(SEEN).await;
        assert_eq!(down[..4], ["Fell Coast", "Pellam Quay", "Ternhaven", "Stonewick"]);
        assert_eq!(down.last().unwrap(), "gesamt");
        page.point("#t0 tbody tr:nth-child(2) td:nth-child(2)").await;
        let told = page.value("return document.getElementById('tip').innerText").await;
        let told = told.as_str().unwrap();
        assert!(told.contains("Sales: 32.319,82") && told.contains("unter 120 Zellen"), "{told}");
        let title = page.value("return document.querySelector('#t0 th[data-c]').title").await;
        assert_eq!(title, json!("nach dieser Spalte sortieren"));
    });
}

/// A line is taken for its member from a little beside it, too.
#[test]
fn lines_are_easy_to_point_at() {
    Page::open(&draw::page(&demo("board.toml")), |page| async move {
        let script = "const line = document.querySelector('svg.chart path.k'); line.scrollIntoView({ block: 'center' }); \
            const at = line.getPointAtLength(line.getTotalLength() / 3).matrixTransform(line.getScreenCTM()); \
            return [0, 4, -4, 40].map(beside => (document.elementFromPoint(at.x, at.y + beside).closest('[data-m]') || line.ownerSVGElement).dataset.m ?? 'none')";
        let found = page.texts(script).await;
        let own = page.value("return document.querySelector('svg.chart path.k').dataset.m").await;
        assert_eq!(found[..3], [own.as_str().unwrap(); 3], "{found:?}");
        assert_ne!(found[3], found[0], "{found:?}");
    });
}
