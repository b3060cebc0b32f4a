//! The lines and the briefs of the demonstration.

use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, brief};

pub(crate) fn lines() -> TextSource {
    let lines = std::io::Cursor::new(pivvel_demo::CSV.as_bytes());
    TextSource::from_reader("lines.csv", lines, &ReadOptions::default()).unwrap()
}

pub(crate) fn brief(name: &str) -> Brief {
    let (_, text) = pivvel_demo::BRIEFS.iter().find(|(known, _)| *known == name).unwrap();
    brief::from_toml(name, text).unwrap()
}
