//! `pivvel explain`: the story of one number, in words or as JSON.

use pivvel::drill::{ReportTarget, story_to_json};
use pivvel::result::open_yardsticks;
use pivvel::source::open_source;
use pivvel::table::check_outputs;
use pivvel::{Error, Result, draw};

use crate::arguments::Explain;
use crate::briefs::inputs;
use crate::messages::print_message;
use crate::screen;

pub(crate) fn run(explain: &Explain) -> Result<()> {
    let (brief, address, path) = explain.target.read()?;
    let appearance = screen::appearance(&explain.drawing, Some(&brief))?;
    let target = |path| Ok(ReportTarget::of_story(path)?.appearance(appearance.clone()));
    let targets = explain.to.iter().map(target).collect::<Result<Vec<_>>>()?;
    check_outputs(&inputs(&explain.target.brief, &brief, &path), &explain.to)?;
    let yardsticks = open_yardsticks(&brief)?;
    let builder = explain.effort.build()?.yardsticks(&yardsticks);
    let measure = match &explain.measure {
        Some(measure) => measure.clone(),
        None => match &brief.get_measures().iter().filter(|m| !m.get_hidden()).collect::<Vec<_>>()[..] {
            [only] => only.get_name().to_string(),
            [] => "lines".into(),
            several => {
                let names: Vec<&str> = several.iter().map(|m| m.get_name()).collect();
                let message = format!("there are several measures, so say which: {}", names.join(", "));
                return Err(Error::request("--measure", message));
            }
        },
    };
    let reading = explain.effort.reading(explain.target.lines.delimiter.delimiter)?;
    let mut open = || open_source(&path, &brief, &reading);
    let story = builder.explain(&brief, &mut open, &address, &measure)?;
    for target in &targets {
        target.write_story(&story)?;
        if !target.is_standard_output() {
            print_message(&format!("wrote {}", target.path().display()));
        }
    }
    match (explain.json, targets.is_empty()) {
        (true, _) => screen::print(&story_to_json(&story)),
        (false, true) => {
            screen::print(&draw::report(&appearance.story(&story), &screen::options(&explain.drawing)))
        }
        (false, false) => Ok(()),
    }
}
