//! The dialect of a file: what separates its fields, where its text begins, what its columns are
//! called.

use pivvel_core::{Error, Result};

/// What is particular about a file.
#[derive(Debug, Clone)]
pub(crate) struct Dialect {
    pub(crate) delimiter: u8,
    /// Bytes before the text: a byte order mark.
    pub(crate) skip: usize,
}

const MARK: &[u8] = b"\xef\xbb\xbf";
const DELIMITERS: [u8; 4] = [b',', b';', b'\t', b'|'];
/// Lines that are looked at to find the delimiter.
const SAMPLE: usize = 100;

impl Dialect {
    pub(crate) fn find(name: &str, head: &[u8], ended: bool, delimiter: Option<u8>) -> Result<Dialect> {
        if head.starts_with(b"\xff\xfe") || head.starts_with(b"\xfe\xff") {
            return Err(Error::data(name, "the text is encoded as UTF-16; save it as UTF-8"));
        }
        if head.contains(&0) {
            return Err(Error::data(name, "this is not a text file: it holds zero bytes"));
        }
        let skip = if head.starts_with(MARK) { MARK.len() } else { 0 };
        if head[skip..].iter().all(u8::is_ascii_whitespace) {
            return Err(Error::data(
                name,
                "the file is empty; a heading with the columns' names is expected",
            ));
        }
        let delimiter = delimiter.unwrap_or_else(|| sniff(&head[skip..], ended));
        Ok(Dialect { delimiter, skip })
    }

    /// The fields of the heading; how many bytes stand before what comes after it, and in which line
    /// of the file that begins.
    pub(crate) fn heading(&self, head: &[u8]) -> (Vec<Vec<u8>>, (usize, u64)) {
        let mut core = csv_core::ReaderBuilder::new().delimiter(self.delimiter).build();
        let (mut text, mut ends) = (vec![0; head.len()], vec![0; head.len() + 2]);
        let rest = &head[self.skip..];
        let (result, mut read, _, mut count) = core.read_record(rest, &mut text, &mut ends);
        if !matches!(result, csv_core::ReadRecordResult::Record) {
            // A heading without a line break: the end of the text ends it.
            let (_, _, _, more) = core.read_record(&[], &mut text[..0], &mut ends[count..]);
            count += more;
        } else if rest[..read].ends_with(b"\r") && rest.get(read) == Some(&b'\n') {
            read += 1;
        }
        let mut start = 0;
        let fields = ends[..count].iter().map(|end| {
            let field = text[start..*end].to_vec();
            start = *end;
            field
        });
        let fields = fields.collect();
        let line = 1 + crate::text::breaks(&rest[..read]);
        (fields, (self.skip + read, line))
    }
}

/// The delimiter that splits most of the first lines into as many fields as the heading has.
fn sniff(head: &[u8], ended: bool) -> u8 {
    // Room for the longest line there could be, which is hardly ever touched.
    let (mut fields, mut ends) = (vec![0; head.len()], vec![0; head.len() + 2]);
    let mut score = |delimiter: u8| {
        let mut core = csv_core::ReaderBuilder::new().delimiter(delimiter).build();
        let (mut at, mut counts) = (0, Vec::new());
        while counts.len() < SAMPLE {
            let (result, read, _, count) = core.read_record(&head[at..], &mut fields, &mut ends);
            at += read;
            match result {
                csv_core::ReadRecordResult::Record => counts.push(count),
                // The end of the head closes a last line only if it is the end of the file.
                _ if ended && count > 0 => {
                    counts.push(count + 1);
                    break;
                }
                _ => break,
            }
        }
        let heading = counts.first().copied().unwrap_or(1);
        let like = counts.iter().filter(|count| **count == heading).count();
        if heading < 2 { (0, 0) } else { (like, heading) }
    };
    let best = DELIMITERS.into_iter().max_by_key(|delimiter| {
        // Of equals the earlier one wins.
        let order = DELIMITERS.len() - DELIMITERS.iter().position(|d| d == delimiter).unwrap_or(0);
        (score(*delimiter), order)
    });
    best.unwrap_or(b',')
}

/// The columns' names from the heading, and what is odd about them.
pub(crate) fn headings(file: &str, fields: &[Vec<u8>]) -> Result<(Vec<String>, Vec<String>)> {
    let (mut names, mut notes): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    for (i, field) in fields.iter().enumerate() {
        let Ok(written) = std::str::from_utf8(field) else {
            return Err(Error::data(file, "the heading is not encoded as UTF-8; save the file as UTF-8"));
        };
        let mut name = written.trim().to_string();
        if name.is_empty() {
            name = format!("column {}", i + 1);
            notes.push(format!("column {} has no heading; it is called \"{name}\"", i + 1));
        } else if name.len() != written.len() {
            notes.push(format!("the heading of \"{name}\" has spaces around it; they are left out"));
        }
        if names.contains(&name) {
            let again = (2..).map(|n| format!("{name} {n}")).find(|again| !names.contains(again));
            let again = again.unwrap_or_default();
            notes.push(format!("two columns are headed \"{name}\"; the later one is called \"{again}\""));
            name = again;
        }
        names.push(name);
    }
    Ok((names, notes))
}
