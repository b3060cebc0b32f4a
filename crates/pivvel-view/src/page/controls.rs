//! A page whose readers choose: every variant stands in it, as the lines of HTML that it is made of.

use std::collections::HashMap;
use std::io::Write;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use flate2::Compression;
use flate2::write::GzEncoder;
use pivvel_core::result::{Choice, Control, Member, Variants};
use pivvel_core::text::{printable, with_marks};
use pivvel_core::{CrossTab, Error, Result};
use serde_json::{Value as Json, json};

use super::classes::Classes;
use super::facts::embedded;
use super::members::Marks;
use crate::appearance::{Appearance, Words};
use crate::labels::no_member;

/// A page with its variants holds no more bytes than this.
const MOST_BYTES: usize = 16 << 20;

/// What a page has where readers choose.
pub(super) struct Controls {
    /// What is chosen at first, in words.
    pub(super) summary: String,
    /// The controls with their choices, as JSON.
    pub(super) facts: String,
    /// The variants: JSON, packed and in base64.
    pub(super) packed: String,
    pub(super) script: &'static str,
}

/// Draws a cross-tab with all its views as a page on which readers choose: one HTML file with every variant.
/// [`Appearance::page_with_controls`] does it in another language and in other colours.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::brief::PageBrief;
/// # use pivvel::{Brief, Build};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// let brief = Brief::new().rows(["harbour"]).measure(("pieces", "sum(pieces)"));
/// let brief = brief.page(PageBrief::new().controls(["coast"]));
/// let variants = Build::new().variants(&brief, &mut lines)?;
/// assert_eq!(variants.len(), 3);
/// let page = pivvel::draw::page_with_controls(&variants)?;
/// assert!(page.contains("Skerry"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// A cross-tab that cannot be computed; variants that take more than 16 MiB.
pub fn draw_page_with_controls(variants: &Variants<'_>) -> Result<String> {
    draw(variants, &Appearance::new())
}

pub(crate) fn draw(variants: &Variants<'_>, appearance: &Appearance) -> Result<String> {
    let (mut classes, mut marks) = (Classes::default(), Marks::default());
    let mut lines = Lines::default();
    let (mut all, mut titles) = (vec![Vec::new(); variants.len()], vec![String::new(); variants.len()]);
    let first = variants.first();
    let crosstab = variants.crosstab(first)?;
    // The first one is drawn first, so that it has the colours that it has without controls.
    let body = super::body(&crosstab, appearance, &mut classes, &mut marks);
    for variant in 0..variants.len() {
        let crosstab = variants.crosstab(variant)?;
        all[variant] = lines.number(&super::body(&crosstab, appearance, &mut classes, &mut marks));
        titles[variant] = appearance.title(&crosstab);
        if lines.bytes > 8 * MOST_BYTES {
            return Err(too_large(variants));
        }
    }
    let packed = packed(lines, &all, &titles);
    if packed.len() > MOST_BYTES {
        return Err(too_large(variants));
    }
    let own = |control: &Control| of_control(control, &crosstab, &marks, &appearance.words);
    let controls: Vec<Json> = variants.controls().iter().map(own).collect();
    let base: Vec<usize> = variants.controls().iter().map(|control| control.choices().len()).collect();
    let controls = Controls {
        summary: summary(variants, &crosstab, &appearance.words),
        facts: embedded(json!({ "controls": controls, "base": base })),
        packed,
        script: include_str!("../../templates/controls.js"),
    };
    Ok(super::page((&titles[first], &body), &classes, appearance, Some(controls)))
}

fn too_large(variants: &Variants<'_>) -> Error {
    let each = variants
        .controls()
        .iter()
        .map(|control| format!("{} has {}", control.name(), control.choices().len()));
    let message = format!(
        "a page holds {} MiB, and {} variants of this one take more: {}; take a control away, some of its choices, or rows",
        MOST_BYTES >> 20,
        with_marks(variants.len() as u64, ","),
        each.collect::<Vec<_>>().join(", ")
    );
    Error::request("controls", message)
}

/// Lines of HTML, each of which is kept once.
#[derive(Default)]
struct Lines {
    numbers: HashMap<String, u32>,
    bytes: usize,
}

impl Lines {
    /// The numbers of the lines of a text.
    fn number(&mut self, text: &str) -> Vec<u32> {
        let one = |line: &str| {
            if let Some(number) = self.numbers.get(line) {
                return *number;
            }
            let number = self.numbers.len() as u32;
            self.bytes += line.len();
            self.numbers.insert(line.to_string(), number);
            number
        };
        text.split('\n').map(one).collect()
    }

    /// The lines by their numbers.
    fn in_order(&self) -> Vec<&str> {
        let mut lines = vec![""; self.numbers.len()];
        self.numbers.iter().for_each(|(line, number)| lines[*number as usize] = line);
        lines
    }
}

/// The lines and what each variant is made of. Lines that begin alike stand together, and a variant is written as the steps
/// from line to line, so that packing finds what repeats.
fn packed(lines: Lines, variants: &[Vec<u32>], titles: &[String]) -> String {
    let own = lines.in_order();
    let mut order: Vec<u32> = (0..own.len() as u32).collect();
    order.sort_unstable_by_key(|number| own[*number as usize]);
    let mut place = vec![0_i64; own.len()];
    order.iter().zip(0..).for_each(|(number, at)| place[*number as usize] = at);
    let steps = |variant: &Vec<u32>| -> Vec<i64> {
        let places = variant.iter().map(|number| place[*number as usize]);
        places.scan(0, |last, own| Some(own - std::mem::replace(last, own))).collect()
    };
    let lines: Vec<&str> = order.iter().map(|number| own[*number as usize]).collect();
    let variants: Vec<Vec<i64>> = variants.iter().map(steps).collect();
    let json = json!({ "lines": lines, "variants": variants, "titles": titles }).to_string();
    let mut packer = GzEncoder::new(Vec::new(), Compression::best());
    let packed = packer.write_all(json.as_bytes()).and_then(|()| packer.finish());
    BASE64_STANDARD.encode(packed.unwrap_or_else(|e| unreachable!("writing into memory does not fail: {e}")))
}

/// What is chosen at first.
fn summary(variants: &Variants<'_>, crosstab: &CrossTab, words: &Words) -> String {
    let one = |control: &Control| {
        let choice = match &control.choices()[control.first()] {
            Choice::Value(value) => value.words(),
            Choice::Members(members) => members
                .iter()
                .map(|member| member_words(control, member, crosstab, words))
                .collect::<Vec<_>>()
                .join(", "),
            _ => words.say("all"),
        };
        printable(&format!("{} {choice}", control.label()))
    };
    variants.controls().iter().map(one).collect::<Vec<_>>().join(" · ")
}

/// A control as the script reads it.
fn of_control(control: &Control, crosstab: &CrossTab, marks: &Marks, words: &Words) -> Json {
    let choice = |choice: &Choice| match choice {
        Choice::Value(value) => Some(json!({ "words": value.words(), "key": value.to_string() })),
        // The script combines single members itself.
        Choice::Members(members) if members.len() == 1 => {
            let label = members[0].label();
            let mut own = json!({ "words": member_words(control, &members[0], crosstab, words), "key": printable(&label) });
            if let Some(mark) = marks.known(control.name(), &label) {
                own["mark"] = json!(format!("m{mark}"));
            }
            Some(own)
        }
        _ => None,
    };
    let choices: Vec<Json> = control.choices().iter().filter_map(choice).collect();
    json!({
        "name": control.name(),
        "label": printable(control.label()),
        "first": control.first(),
        "members": control.is_of_members(),
        "several": control.is_several(),
        "slides": control.is_steps(),
        "choices": choices,
    })
}

/// What a member is called.
fn member_words(control: &Control, member: &Member, crosstab: &CrossTab, words: &Words) -> String {
    let dimensions = crosstab.rows().dimensions().iter().chain(crosstab.columns().dimensions());
    let shown =
        dimensions.filter(|dimension| dimension.name() == control.name()).flat_map(|own| own.labels());
    let label = member.label();
    let given = shown.into_iter().find(|(own, _)| *own == label).map(|(_, shown)| shown.clone());
    let own = given.unwrap_or_else(|| match member {
        Member::Blank => words.say(no_member(control.label())),
        Member::Period(_) => words.of_calendar(&label).unwrap_or(label),
        _ => label,
    });
    printable(&own)
}
