//! `pivvel demo`: the demonstration lines and briefs, written, run and shown.

use std::path::Path;

use pivvel::result::open_yardsticks;
use pivvel::source::{ReadOptions, open_source};
use pivvel::table::{Target, beside, write_whole};
use pivvel::{Build, Error, Result};

use crate::arguments::Demo;
use crate::briefs::read_brief;
use crate::screen;

pub(crate) fn run(demo: &Demo) -> Result<()> {
    let folder = &demo.folder;
    std::fs::create_dir_all(folder).map_err(|e| Error::io(folder.display().to_string(), e))?;
    keep(&folder.join("lines.csv"), pivvel_demo::CSV)?;
    keep(&folder.join("yards.csv"), pivvel_demo::YARDS)?;
    for (name, text) in pivvel_demo::BRIEFS {
        keep(&folder.join(name), text)?;
    }
    let mut first = None;
    for (name, _) in pivvel_demo::BRIEFS {
        let path = folder.join(name);
        let brief = read_brief(&path)?;
        let lines = beside(&path, brief.get_source().unwrap_or("lines.csv"));
        let crosstab = {
            let mut source = open_source(&lines, &brief, &ReadOptions::default())?;
            Build::new().yardsticks(&open_yardsticks(&brief)?).run(&brief, source.as_mut())?
        };
        first.get_or_insert(crosstab);
    }
    let Some(crosstab) = first else { return Ok(()) };
    let page = folder.join("coasts.html");
    Target::new(&page)?.write(&crosstab)?;
    let appearance = screen::appearance(&demo.drawing, None)?;
    screen::print_crosstab(&crosstab, &appearance, &demo.drawing)?;
    let place = folder.display();
    screen::print(&format!(
        "\nWrote {place}/lines.csv, {} briefs, and this cross-tab as a page: {}\n\nGo on with:\n  \
         pivvel survey {place}/lines.csv\n  pivvel build {place}/variance.toml\n  pivvel check {place}/tiers.toml\n",
        pivvel_demo::BRIEFS.len(),
        page.display()
    ))
}

/// Writes a file of the demonstration, but not over another file.
fn keep(path: &Path, text: &str) -> Result<()> {
    match std::fs::read(path) {
        Ok(there) if there == text.as_bytes() => Ok(()),
        Ok(_) => {
            let message =
                "another file of this name is there; name another folder, as in: pivvel demo elsewhere";
            Err(Error::data(path.display().to_string(), message))
        }
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
            write_whole(path, |out| out.write_all(text.as_bytes()))
        }
        Err(e) => Err(Error::io(path.display().to_string(), e)),
    }
}
