//! Makes the guide: the documents as pages of the library's documentation, with links from page to page.

use std::path::Path;
use std::{env, fs, io};

/// The pages, in the order in which they are read.
const PAGES: [&str; 18] = [
    "tutorial",
    "brief",
    "keys",
    "formulas",
    "emphasis",
    "pages",
    "appearance",
    "sources",
    "tidy-result",
    "behind",
    "compare",
    "notices",
    "growing",
    "recipes",
    "command",
    "troubleshooting",
    "performance",
    "glossary",
];

fn main() -> io::Result<()> {
    // `docs` leads out of this folder, and is a folder itself in the package that is published. A checkout without
    // symbolic links has a file with that name.
    let docs = Path::new(if Path::new("docs").is_dir() { "docs" } else { "../../docs" });
    println!("cargo::rerun-if-changed={}", docs.display());
    println!("cargo::rerun-if-changed=build.rs");
    let out = env::var_os("OUT_DIR").ok_or_else(|| io::Error::other("cargo says no OUT_DIR"))?;
    for page in PAGES {
        let text = fs::read_to_string(docs.join(format!("{page}.md")))?;
        fs::write(Path::new(&out).join(format!("{page}.md")), as_rustdoc(&text))?;
    }
    Ok(())
}

/// A document as rustdoc takes it: blocks without a language are text, links to other pages lead to their modules, and
/// other links to files are their words alone.
fn as_rustdoc(text: &str) -> String {
    let mut page = String::new();
    let mut is_code = false;
    for line in text.lines() {
        match (line.starts_with("```"), is_code) {
            (true, _) => {
                page.push_str(if line == "```" && !is_code { "```text" } else { line });
                is_code = !is_code;
            }
            (false, true) => page.push_str(line),
            (false, false) => page.push_str(&linked(line)),
        }
        page.push('\n');
    }
    page
}

/// A line with its links as modules.
fn linked(line: &str) -> String {
    let mut parts = line.split("](");
    let mut out = parts.next().unwrap_or_default().to_string();
    for part in parts {
        let Some((target, rest)) = part.split_once(')') else {
            out.push_str("](");
            out.push_str(part);
            continue;
        };
        let (file, anchor) = target.split_once('#').map_or((target, ""), |(file, anchor)| (file, anchor));
        match file.strip_suffix(".md").filter(|page| PAGES.contains(page)) {
            Some(page) => {
                let anchor = if anchor.is_empty() { String::new() } else { format!("#{anchor}") };
                out.push_str(&format!("](super::{}{anchor})", page.replace('-', "_")));
            }
            None if target.starts_with("http") || file.is_empty() => out.push_str(&format!("]({target})")),
            None => {
                // The words of the link without its marks.
                if let Some(open) = out.rfind('[') {
                    out.replace_range(open..=open, "");
                }
            }
        }
        out.push_str(rest);
    }
    out
}
