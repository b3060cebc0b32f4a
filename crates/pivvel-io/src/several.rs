//! Several files as one source: the same columns by name, each of one kind in all of them.

use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use pivvel_core::source::{Bound, Kind, LineSource, ReadProgress, Taker, Tally};
use pivvel_core::{Error, Result};

use crate::source::Source;
use crate::text::{Chunk, Column};

/// Files that are read one after the other.
pub(crate) struct Several {
    name: String,
    parts: Vec<Box<dyn Source>>,
    notes: Vec<String>,
    progress: Arc<ReadProgress>,
}

impl Several {
    /// Puts files together.
    ///
    /// # Errors
    /// A column that is not in all of them, or that holds one kind here and another there.
    pub(crate) fn new(name: String, mut parts: Vec<Box<dyn Source>>) -> Result<Several> {
        let first: Vec<String> = parts[0].columns().iter().map(|column| column.name.clone()).collect();
        for part in &parts[1..] {
            let own: Vec<&str> = part.columns().iter().map(|column| column.name.as_str()).collect();
            let lead = parts[0].name();
            if let Some(missing) = first.iter().find(|name| !own.contains(&name.as_str())) {
                let message = format!("it has no column {missing}, which {lead} has");
                return Err(Error::data(part.name(), message));
            }
            if let Some(more) = own.iter().find(|name| !first.iter().any(|known| known == *name)) {
                return Err(Error::data(
                    part.name(),
                    format!("it has a column {more}, which {lead} has not"),
                ));
            }
        }
        for column in &first {
            agree(&mut parts, column)?;
        }
        let notes = parts.iter().flat_map(|part| {
            part.notes().iter().map(|note| format!("{}: {note}", part.name())).collect::<Vec<_>>()
        });
        let notes = notes.collect();
        let total = parts.iter().filter_map(|part| part.progress()?.total()).sum();
        Ok(Several { name, parts, notes, progress: Arc::new(ReadProgress::of(total)) })
    }

    /// The places in a part of columns that are known by their places here.
    fn places(&self, part: &dyn Source, columns: &[usize]) -> Vec<usize> {
        let name = |i: &usize| &self.parts[0].columns()[*i].name;
        let place =
            |i: &usize| part.columns().iter().position(|column| column.name == *name(i)).unwrap_or(*i);
        columns.iter().map(place).collect()
    }

    fn each(
        &mut self,
        columns: &[usize],
        mut scan: impl FnMut(&mut dyn Source, &[usize]) -> Result<Tally>,
    ) -> Result<Tally> {
        let mut tally = Tally::default();
        for i in 0..self.parts.len() {
            let places = self.places(self.parts[i].as_ref(), columns);
            tally.add(scan(self.parts[i].as_mut(), &places)?);
            self.progress.add(self.parts[i].progress().and_then(|p| p.total()).unwrap_or(0));
        }
        Ok(tally)
    }
}

/// Gives a column the one kind that all files can be read in.
fn agree(parts: &mut [Box<dyn Source>], name: &str) -> Result<()> {
    let kind_of = |part: &dyn Source| {
        part.columns().iter().find(|column| column.name == name).map(|column| column.kind.clone())
    };
    let has_codes = parts.iter().any(|part| kind_of(part.as_ref()).is_some_and(|kind| kind.code));
    let mut agreed: Option<(Kind, bool, String)> = None;
    let mut unit: Option<(char, String)> = None;
    for part in parts.iter() {
        let Some(kind) = kind_of(part.as_ref()).filter(|kind| !kind.unseen) else { continue };
        if let Some(own) = kind.unit {
            let (known, earlier) = unit.get_or_insert_with(|| (own, part.name().to_string()));
            if *known != own {
                let message = format!(
                    "amounts of column {name} are in {own} here and in {known} in {earlier}, and cannot be added up"
                );
                return Err(Error::data(part.name(), message));
            }
        }
        agreed = Some(match agreed {
            None => (kind.kind, kind.wide, part.name().to_string()),
            // Digits that are a code in one file are one in all.
            Some(_) if has_codes => (Kind::Text, false, part.name().to_string()),
            Some((known, wide, earlier)) => match wider(known, kind.kind) {
                Some(both) => (both, wide || kind.wide, earlier),
                None => {
                    let message = format!(
                        "column {name} holds {} here and {} in {earlier}; give it one kind, as in --as '{name}=text'",
                        kind.kind.plural(),
                        known.plural()
                    );
                    return Err(Error::data(part.name(), message));
                }
            },
        });
    }
    let Some((kind, wide, _)) = agreed else { return Ok(()) };
    for part in parts.iter_mut() {
        let Some(own) = kind_of(part.as_ref()) else { continue };
        let widened =
            (own.kind == kind || part.widen(name, kind)) && (own.wide || !wide || part.widen(name, kind));
        if !widened {
            let message = format!(
                "column {name} holds {} here and {} elsewhere, and this file cannot be read otherwise",
                own.kind.plural(),
                kind.plural()
            );
            return Err(Error::data(part.name(), message));
        }
    }
    Ok(())
}

/// The kind that two kinds can both be read in.
fn wider(a: Kind, b: Kind) -> Option<Kind> {
    match (a, b) {
        _ if a == b => Some(a),
        (Kind::Whole, Kind::Decimal { scale }) | (Kind::Decimal { scale }, Kind::Whole) => {
            Some(Kind::Decimal { scale })
        }
        (Kind::Decimal { scale: a }, Kind::Decimal { scale: b }) => Some(Kind::Decimal { scale: a.max(b) }),
        (Kind::Float, Kind::Whole | Kind::Decimal { .. })
        | (Kind::Whole | Kind::Decimal { .. }, Kind::Float) => Some(Kind::Float),
        _ => None,
    }
}

impl LineSource for Several {
    fn name(&self) -> &str {
        &self.name
    }

    fn notes(&self) -> &[String] {
        &self.notes
    }

    fn schema(&self) -> SchemaRef {
        self.parts[0].schema()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        self.each(columns, |part, places| part.scan(places, take))
    }

    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> Result<Tally> {
        self.each(columns, |part, places| part.scan_shared(places, takers))
    }

    fn narrow(&mut self, bounds: &[Bound]) {
        for i in 0..self.parts.len() {
            let places =
                self.places(self.parts[i].as_ref(), &bounds.iter().map(|b| b.column()).collect::<Vec<_>>());
            let own: Vec<Bound> =
                bounds.iter().zip(places).map(|(bound, column)| bound.clone().of(column)).collect();
            self.parts[i].narrow(&own);
        }
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        Some(self.progress.clone())
    }

    fn widen(&mut self, column: &str, kind: Kind) -> bool {
        self.parts.iter_mut().all(|part| part.widen(column, kind))
    }

    fn reconsider(&mut self, column: &str) -> Result<bool> {
        let mut otherwise = false;
        for part in &mut self.parts {
            otherwise |= part.reconsider(column)?;
        }
        agree(&mut self.parts, column)?;
        Ok(otherwise)
    }

    fn is_settled(&self, column: &str) -> bool {
        self.parts.iter().all(|part| part.is_settled(column))
    }

    fn trouble(&self, column: &str) -> Option<String> {
        self.parts.iter().find_map(|part| part.trouble(column))
    }
}

impl Source for Several {
    fn columns(&self) -> &[Column] {
        self.parts[0].columns()
    }

    fn delimiter(&self) -> Option<char> {
        self.parts[0].delimiter()
    }

    fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally> {
        let all: Vec<usize> = (0..self.parts[0].columns().len()).collect();
        let mut tally = Tally::default();
        for i in 0..self.parts.len() {
            let places = self.places(self.parts[i].as_ref(), &all);
            let part = self.parts[i].read_texts(&mut |chunk, line| {
                if places == all {
                    return take(chunk, line);
                }
                let mut own = Chunk::of(all.len());
                for row in 0..chunk.len() {
                    let field = |i: &usize| std::str::from_utf8(chunk.field(row, *i)).unwrap_or_default();
                    own.push(places.iter().map(field));
                }
                take(&own, line)
            })?;
            tally.add(part);
        }
        Ok(tally)
    }
}
