//! Rows as text. Cells that are the same as in the row before are copied from there, all that stand side by side at
//! once, and texts of a dictionary are made ready once.

use std::io::Result;

use super::cells::{Column, Content};

/// What stands between the cells of a row, and after them.
pub(super) struct Separators<'a> {
    /// Before the cell of each column.
    pub(super) before: &'a [String],
    /// After the last one.
    pub(super) after: &'a str,
}

/// Writes rows of a batch, each cell by `write`.
pub(super) fn write_rows(
    columns: &[Column<'_>],
    rows: usize,
    separators: &Separators<'_>,
    write: &dyn Fn(Content<'_, '_>, &mut Vec<u8>) -> Result<()>,
    out: &mut Vec<u8>,
) -> Result<()> {
    let prepared = columns.iter().map(|column| Prepared::of(column, write)).collect::<Result<Vec<_>>>()?;
    // Where each cell of the row before begins, with what stands before it, and where the last one ends.
    let mut starts = vec![out.len(); columns.len() + 1];
    for row in 0..rows {
        let mut at = 0;
        while let Some(column) = columns.get(at) {
            let is_same = |column: &&Column<'_>| row > 0 && column.is_same_as_before(row);
            let same = columns[at..].iter().take_while(is_same).count();
            if same > 0 {
                let moved = out.len() - starts[at];
                out.extend_from_within(starts[at]..starts[at + same]);
                starts[at..at + same].iter_mut().for_each(|start| *start += moved);
                at += same;
                continue;
            }
            starts[at] = out.len();
            out.extend_from_slice(separators.before[at].as_bytes());
            match prepared[at].as_ref().zip(column.code(row)) {
                Some((prepared, code)) => out.extend_from_slice(prepared.text(code)),
                None => write(column.content(row), out)?,
            }
            at += 1;
        }
        starts[at] = out.len();
        out.extend_from_slice(separators.after.as_bytes());
    }
    Ok(())
}

/// The texts of a dictionary as they are written.
struct Prepared {
    bytes: Vec<u8>,
    ends: Vec<usize>,
}

impl Prepared {
    fn of(
        column: &Column<'_>,
        write: &dyn Fn(Content<'_, '_>, &mut Vec<u8>) -> Result<()>,
    ) -> Result<Option<Prepared>> {
        let Some(texts) = column.dictionary() else { return Ok(None) };
        let mut prepared = Prepared { bytes: Vec::new(), ends: vec![0] };
        for content in texts {
            write(content, &mut prepared.bytes)?;
            prepared.ends.push(prepared.bytes.len());
        }
        Ok(Some(prepared))
    }

    fn text(&self, code: usize) -> &[u8] {
        &self.bytes[self.ends[code]..self.ends[code + 1]]
    }
}
