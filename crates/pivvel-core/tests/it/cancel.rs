//! Builds that are watched and stopped from outside.

use std::sync::Mutex;

use pivvel_core::result::{Phase, Progress};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, Cancel, ErrorKind};

use crate::support::{batch, numbers, texts};

const PHASES: [Phase; 4] = [Phase::Reading, Phase::Totals, Phase::Formulas, Phase::Emphasis];

fn brief() -> Brief {
    Brief::new()
        .rows(["coast"])
        .measure(("pieces", "sum(pieces)"))
        .sort("coast", "pieces desc")
        .tint("pieces")
}

#[test]
fn a_build_stops_in_any_phase() {
    let lines =
        batch([("coast", texts([Some("Fell"), Some("Skerry")])), ("pieces", numbers([Some(1), Some(2)]))]);
    for phase in PHASES {
        for threads in [1, 2] {
            let cancel = Cancel::new();
            let stop = |progress: Progress| {
                if progress.phase() == phase {
                    cancel.cancel();
                }
            };
            let build = Build::new().threads(threads).cancel(&cancel).on_progress(&stop);
            let mut source = Batches::new(lines.schema(), vec![lines.clone(); 3]);
            let error = build.run(&brief(), &mut source).unwrap_err();
            assert_eq!(error.kind(), &ErrorKind::Cancelled, "in {phase}");
            assert!(!error.is_request());
        }
    }
}

/// A source that never ends does so when it is told to.
#[test]
fn reading_stops() {
    let lines = batch([("coast", texts([Some("Fell")])), ("pieces", numbers([Some(1)]))]);
    for threads in [1, 2] {
        let cancel = Cancel::new();
        let mut given = 0;
        let endless = std::iter::repeat_with(|| {
            given += 1;
            if given == 40_000 {
                cancel.cancel();
            }
            lines.clone()
        });
        let mut source = Batches::new(lines.schema(), endless);
        let error = Build::new().threads(threads).cancel(&cancel).run(&brief(), &mut source).unwrap_err();
        assert_eq!(error.kind(), &ErrorKind::Cancelled);
    }
}

/// Phases come in their order, and what is counted is what there is.
#[test]
fn progress_is_told() {
    let lines =
        batch([("coast", texts([Some("Fell"), Some("Skerry")])), ("pieces", numbers([Some(1), Some(2)]))]);
    let told = Mutex::new(Vec::new());
    let tell = |progress: Progress| told.lock().unwrap().push((progress.phase(), progress.lines()));
    let mut source = Batches::new(lines.schema(), vec![lines.clone(); 3]);
    Build::new().threads(1).on_progress(&tell).run(&brief(), &mut source).unwrap();
    let told = told.into_inner().unwrap();
    let reading: Vec<u64> =
        told.iter().filter(|(phase, _)| *phase == Phase::Reading).map(|(_, lines)| *lines).collect();
    assert_eq!(reading, [2, 4, 6]);
    assert!(told.is_sorted());
    assert!(PHASES.iter().all(|phase| told.iter().any(|(of, _)| of == phase)));
}
