//! What a web service does: a request in, a page or an error with its status out; a limit of time and of memory.

use std::time::Duration;

use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, Build, Cancel, Error, ErrorKind, draw};

/// The page for a measure, or a status and what to tell the client.
fn page(measure: &str, cancel: &Cancel) -> Result<String, (u16, String)> {
    build(measure, cancel).map_err(|error| {
        let status = match error.kind() {
            ErrorKind::UnknownName { .. } | ErrorKind::Formula { .. } | ErrorKind::Request => 400,
            ErrorKind::Memory => 413,
            ErrorKind::Cancelled => 503,
            _ => 500,
        };
        (status, error.to_string())
    })
}

fn build(measure: &str, cancel: &Cancel) -> Result<String, Error> {
    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let brief = Brief::new().rows(["coast", "harbour"]).measure(("wanted", measure)).tint("wanted");
    let crosstab = Build::new().threads(2).memory(256 << 20).cancel(cancel).run(&brief, &mut lines)?;
    Ok(draw::page(&crosstab))
}

fn main() {
    let cancel = Cancel::new();
    let limit = cancel.clone();
    // A service has one of these for each request; here it never comes to that.
    std::thread::spawn(move || {
        std::thread::sleep(Duration::from_secs(600));
        limit.cancel();
    });
    for measure in ["sum(amount)", "sum(amuont)", "sum(amount"] {
        match page(measure, &cancel) {
            Ok(page) => println!("200: a page with {} rows", page.matches("<tr").count()),
            Err((status, message)) => println!("{status}: {message}"),
        }
    }
    cancel.cancel();
    if let Err((status, message)) = page("sum(amount)", &cancel) {
        println!("{status}: {message}");
    }
}
