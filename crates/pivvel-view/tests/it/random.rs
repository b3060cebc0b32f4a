//! Cross-tabs of any members, drawn every way: no name is taken for anything but text, nothing is wider than there
//! is room for, and every figure is there.

use arrow_array::ArrayRef;
use pivvel_core::brief::{EmphasisBrief, Figure, Form, NumberFormat, PeersOf, Placement};
use pivvel_core::{Brief, CrossTab};
use pivvel_view::{
    Colours, Layout, RowKind, TerminalOptions, draw_page, draw_svg, draw_terminal, show_number,
};
use proptest::prelude::*;
use unicode_width::UnicodeWidthStr;

use crate::support::{money, source, texts};

/// A line: two members and an amount, each of which may be blank.
type Line = (Option<usize>, Option<usize>, usize, Option<i64>);

fn names() -> impl Strategy<Value = Vec<String>> {
    let hostile = prop::sample::select(vec![
        "<script>alert(1)</script>",
        "\"quoted\" & 'so'",
        "]]>",
        "</td></table>",
        "\u{1b}[31mred\u{7}",
        "line\nbreak\ttab",
        "a name that is a good deal longer than any column would like it to be",
        "{{ title }}",
        "javascript:alert(1)",
        "Vårdsund",
        "東京都",
        "🚢 ship",
        "\u{202e}turned",
        "-->",
        "total",
    ]);
    prop::collection::vec(prop_oneof![hostile.prop_map(str::to_string), "[A-Za-z ]{1,12}", "\\PC{1,10}"], 6)
}

fn form() -> impl Strategy<Value = Form> {
    prop::sample::select(vec![Form::Tint, Form::Ink, Form::Bar, Form::Symbol])
}

#[derive(Debug, Clone)]
struct Asked {
    names: Vec<String>,
    lines: Vec<Line>,
    title: Option<String>,
    form: Form,
    peers: PeersOf,
    totals: Placement,
    hide_figure: bool,
    columns: bool,
}

fn asked() -> impl Strategy<Value = Asked> {
    let member = prop::option::weighted(0.9, 0..6usize);
    let line = (member.clone(), member, 0..4usize, prop::option::weighted(0.9, -999_999i64..9_999_999));
    let lines = prop::collection::vec(line, 0..30);
    let peers = prop::sample::select(PeersOf::NAMES.iter().map(|(_, peers)| *peers).collect::<Vec<_>>());
    let totals = prop::sample::select(vec![Placement::Before, Placement::After, Placement::Off]);
    (names(), lines, prop::option::of("\\PC{0,30}"), form(), peers, totals, any::<bool>(), any::<bool>())
        .prop_map(|(names, lines, title, form, peers, totals, hide_figure, columns)| Asked {
            names,
            lines,
            // Braces in a title stand for what they name.
            title: title.map(|title| title.replace(['{', '}'], "")),
            form,
            peers,
            totals,
            hide_figure: hide_figure && matches!(form, Form::Bar | Form::Symbol),
            columns,
        })
}

fn crosstab(asked: &Asked) -> CrossTab {
    let name = |member: Option<usize>| member.map(|member| asked.names[member].clone());
    let columns: [(&str, ArrayRef); 4] = [
        ("outer", texts(asked.lines.iter().map(|line| name(line.0)))),
        ("inner", texts(asked.lines.iter().map(|line| name(line.1)))),
        ("across", texts(asked.lines.iter().map(|line| name(Some(line.2))))),
        ("amount", money(asked.lines.iter().map(|line| line.3.map(i128::from)))),
    ];
    let mut brief =
        Brief::new().rows(["outer", "inner"]).measure(("sales", "sum(amount)")).measure(("n", "count()"));
    if asked.columns {
        brief = brief.columns(["across"]);
    }
    let figure = if asked.hide_figure { Figure::Hidden } else { Figure::Shown };
    let emphasis = EmphasisBrief::new("sales", asked.form).peers(asked.peers).figure(figure);
    brief = brief.total("", asked.totals).emphasize(emphasis);
    brief = asked.title.iter().fold(brief, |brief, title| brief.title(title.as_str()));
    CrossTab::build(&brief, &mut source(columns)).unwrap()
}

/// The text without what colours it.
fn plain(text: &str) -> String {
    let mut plain = String::new();
    let mut rest = text;
    while let Some(at) = rest.find("\u{1b}[") {
        plain.push_str(&rest[..at]);
        let end = rest[at..].find('m').unwrap();
        assert!(rest[at + 2..at + end].chars().all(|c| c.is_ascii_digit() || c == ';'), "{rest:?}");
        rest = &rest[at + end + 1..];
    }
    plain + rest
}

/// Whether every tag that is opened is closed, in order.
fn balanced(html: &str) -> Result<(), String> {
    const VOID: [&str; 5] = ["meta", "link", "input", "br", "hr"];
    let mut open: Vec<&str> = Vec::new();
    let mut rest = html;
    while let Some(at) = rest.find('<') {
        rest = &rest[at + 1..];
        if rest.starts_with('!') {
            continue;
        }
        let end = rest.find('>').ok_or("a tag has no end")?;
        let (tag, after) = (&rest[..end], &rest[end + 1..]);
        let name: &str = tag.trim_start_matches('/').split([' ', '/', '\n']).next().unwrap_or_default();
        if !name.chars().all(|c| c.is_ascii_alphanumeric()) || name.is_empty() {
            return Err(format!("<{tag}> is no tag"));
        }
        rest = after;
        if tag.starts_with('/') {
            match open.pop() {
                Some(opened) if opened == name => {}
                opened => return Err(format!("</{name}> closes {opened:?}")),
            }
        } else if !tag.ends_with('/') && !VOID.contains(&name) {
            open.push(name);
            if let "script" | "style" = name {
                // What stands in these is no markup.
                rest = &rest[rest.find(&format!("</{name}>")).ok_or("it does not end")?..];
            }
        }
    }
    if open.is_empty() { Ok(()) } else { Err(format!("{open:?} stay open")) }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(100))]

    #[test]
    fn terminals(asked in asked(), width in prop::option::of(40..160usize), rows in prop::option::of(1..20usize)) {
        let crosstab = crosstab(&asked);
        let layout = Layout::new(&crosstab);
        let draw = |colours| draw_terminal(&layout, &TerminalOptions::default().width(width).colours(colours).rows(rows));
        let (none, indexed, full) = (draw(Colours::None), draw(Colours::Indexed), draw(Colours::Full));
        for text in [&none, &indexed, &full] {
            let plain = plain(text);
            prop_assert!(plain.chars().all(|c| c == '\n' || !c.is_control()), "{plain:?}");
            prop_assert!(plain.ends_with('\n'));
        }
        prop_assert_eq!(plain(&indexed), plain(&full));
        prop_assert!(!none.contains(27 as char), "{:?}", none);
        // The table itself keeps within its room; the notes beneath it are sentences, and may be longer.
        if let Some(width) = width {
            let labels = layout.rows().len().min(rows.unwrap_or(usize::MAX));
            let table = none.lines().skip(2).take(labels);
            let widest = table.map(UnicodeWidthStr::width).max().unwrap_or(0);
            // A single column of figures is drawn, however narrow it is.
            prop_assert!(widest <= width.max(70), "{} of {}:\n{}", widest, width, none);
        }
        if width.is_none() && rows.is_none() && !asked.hide_figure {
            let money = NumberFormat::default();
            for cell in crosstab.cells() {
                if let Some(value) = cell.value(0) {
                    let shown = show_number(&value, &money);
                    prop_assert!(none.contains(&shown), "{} in\n{}", shown, none);
                }
            }
        }
    }

    #[test]
    fn pages_and_pictures(asked in asked()) {
        let crosstab = crosstab(&asked);
        let page = draw_page(&crosstab);
        prop_assert_eq!(balanced(&page), Ok(()), "{}", page);
        // Scripts of its own, and none of anyone else.
        prop_assert_eq!(page.matches("<script").count(), 4);
        prop_assert!(!page.contains("alert(1)</script>") && !page.contains("href=\"javascript"));
        let outside = page.replace("http://www.w3.org/", "");
        prop_assert!(!outside.contains("src=\"http") && !outside.contains("href=\"http") && !outside.contains("url(http"));
        let layout = Layout::new(&crosstab);
        let rows = layout.rows().iter().filter(|row| row.kind() != RowKind::Heading).count();
        prop_assert!(page.matches("<tr").count() >= rows);
        // A figure is written in full beside what is shown of it, and not twice where that is all of it.
        let cells = layout.rows().iter().flat_map(|row| row.cells());
        let short = cells.filter(|cell| cell.value().is_some_and(|v| v.to_string() != cell.text().replace(',', "")));
        prop_assert_eq!(page.matches(" data-v=\"").count(), short.count());
        prop_assert!(!page.contains("<td class=\"\"") && !page.contains("<td class=\" "), "{}", page);
        let picture = draw_svg(&crosstab, None);
        prop_assert_eq!(balanced(&picture), Ok(()), "{}", picture);
        prop_assert!(!picture.contains("<script") && picture.starts_with("<svg"));
    }
}
