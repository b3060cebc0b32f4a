//! The figures of rows of the tidy result: values, lines and ranks, and the peers that each is among.

use std::collections::HashMap;

use arrow_array::ArrayRef;
use foldhash::fast::FixedState;

use super::coded::Coded;
use super::spec::Texts;
use crate::crosstab::{Cell, CrossTab};
use crate::model::{ByGrain, Value};
use crate::peers::{Peers, Yardstick};

/// The figures of rows of the tidy result, and their peers.
pub(super) struct RowFigures<'a> {
    pub(super) values: Vec<Option<Value>>,
    pub(super) lines: Vec<u64>,
    pub(super) ranks: Vec<Option<u64>>,
    groups: Vec<PeerGroup<'a>>,
    /// The group of peers of each row.
    codes: Vec<u32>,
}

/// A group of peers.
struct PeerGroup<'a> {
    yardstick: Option<&'a Yardstick>,
    name: &'a str,
}

/// The peers of a measure at a grain, and the code that a group of them was given last.
struct MetPeers<'a> {
    peers: &'a Peers,
    latest: Option<(Option<usize>, u32)>,
}

impl<'a> RowFigures<'a> {
    /// Of rows that each hold a measure of a cell.
    pub(super) fn new(
        crosstab: &'a CrossTab,
        rows: impl ExactSizeIterator<Item = (Cell<'a>, usize)>,
    ) -> RowFigures<'a> {
        let count = rows.len();
        let mut all = RowFigures {
            values: Vec::with_capacity(count),
            lines: Vec::with_capacity(count),
            ranks: Vec::with_capacity(count),
            groups: Vec::new(),
            codes: Vec::with_capacity(count),
        };
        let measures = crosstab.measures().len();
        let mut met = ByGrain::new(crosstab.deepest(), |_| {
            std::iter::repeat_with(|| None).take(measures).collect::<Vec<_>>()
        });
        let mut codes = HashMap::with_hasher(FixedState::default());
        for (cell, measure) in rows {
            let grain = cell.grain();
            let met = met[grain][measure]
                .get_or_insert_with(|| MetPeers { peers: crosstab.peers_at(measure, grain), latest: None });
            let (id, peers) = (cell.id as usize, met.peers);
            let group = peers.group(id);
            let code = match met.latest.filter(|(latest, _)| *latest == group) {
                Some((_, code)) => code,
                None => *codes.entry((std::ptr::from_ref(peers), group)).or_insert_with(|| {
                    let name = cell.peers_name(measure, peers).unwrap_or_default();
                    all.groups.push(PeerGroup { yardstick: peers.yardstick_of(id), name });
                    all.groups.len() as u32 - 1
                }),
            };
            met.latest = Some((group, code));
            all.codes.push(code);
            all.values.push(cell.value(measure));
            all.lines.push(cell.lines());
            all.ranks.push(peers.rank(id).map(u64::from));
        }
        all
    }

    /// What the peers of each row are called.
    pub(super) fn names(&self) -> Coded<'_, 'a> {
        Coded::new(&self.codes, self.groups.iter().map(|group| Some(group.name)))
    }

    /// Where the value of each row stands among its peers.
    pub(super) fn positions(&self) -> impl Iterator<Item = Option<f64>> {
        let group = |code: &u32| self.groups[*code as usize].yardstick;
        self.codes.iter().map(group).zip(&self.values).map(|(own, value)| own?.position(value.as_ref()?))
    }

    /// Something of the yardstick of each row.
    pub(super) fn of_yardsticks<T: Copy>(
        &self,
        of: impl Fn(Option<&Yardstick>) -> T,
    ) -> impl ExactSizeIterator<Item = T> {
        let by_group: Vec<T> = self.groups.iter().map(|group| of(group.yardstick)).collect();
        self.codes.iter().map(move |code| by_group[*code as usize])
    }

    /// A number of the yardstick of each row, with all its digits.
    pub(super) fn digits_of(&self, of: impl Fn(&Yardstick) -> Value, form: Texts) -> ArrayRef {
        let digits = |group: &PeerGroup<'_>| group.yardstick.map(|yardstick| of(yardstick).to_string());
        let texts: Vec<Option<String>> = self.groups.iter().map(digits).collect();
        Coded::new(&self.codes, texts.iter().map(Option::as_deref)).array(form, None)
    }
}
