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
        let mut record = Record::default();
        let rest = &head[self.skip..];
        let (result, mut read, mut count) = record.read(&mut core, rest);
        let Record { text, mut ends } = record;
        if !matches!(result, csv_core::ReadRecordResult::Record) {
            // A heading without a line break: the end of the text ends it.
            ends.push(0);
            let (_, _, _, more) = core.read_record(&[], &mut [], &mut ends[count..]);
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

/// Room for one record, which grows as it must.
struct Record {
    text: Vec<u8>,
    ends: Vec<usize>,
}

impl Default for Record {
    fn default() -> Record {
        Record { text: vec![0; 1 << 12], ends: vec![0; 1 << 6] }
    }
}

impl Record {
    /// Reads one; gives how many bytes of the input it took, and how many fields have ended.
    fn read(
        &mut self,
        core: &mut csv_core::Reader,
        input: &[u8],
    ) -> (csv_core::ReadRecordResult, usize, usize) {
        let (mut read, mut written, mut count) = (0, 0, 0);
        loop {
            let (result, more, bytes, ended) =
                core.read_record(&input[read..], &mut self.text[written..], &mut self.ends[count..]);
            (read, written, count) = (read + more, written + bytes, count + ended);
            match result {
                csv_core::ReadRecordResult::OutputFull => self.text.resize(self.text.len() * 2, 0),
                csv_core::ReadRecordResult::OutputEndsFull => self.ends.resize(self.ends.len() * 2, 0),
                _ => return (result, read, count),
            }
        }
    }
}

/// The delimiter that splits most of the first lines into as many fields as the heading has.
fn sniff(head: &[u8], ended: bool) -> u8 {
    let mut record = Record::default();
    let mut score = |delimiter: u8| {
        let mut core = csv_core::ReaderBuilder::new().delimiter(delimiter).build();
        let (mut at, mut counts) = (0, Vec::new());
        while counts.len() < SAMPLE {
            let (result, read, count) = record.read(&mut core, &head[at..]);
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
