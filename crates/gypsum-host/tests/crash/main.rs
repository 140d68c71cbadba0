//! The file transaction under power cuts and foreign writers, carried by the real loop.
//!
//! A change of three files (one edited, one new, one removed) is cut off at each of its operations;
//! what was not synced is kept, lost or half kept; then it is recovered, and that is cut off at each
//! operation, too. At the end every file is wholly before or wholly after, as the verdict says.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod damage;
mod disk;
mod failures;
mod world;

use disk::{FakeDisk, Leaves};
use gypsum_core::change::{Content, Ownership, Plan, PlannedFile, ReplaceBy, Verdict};
use gypsum_core::event::Event;
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Check, Probe, Tcp};
use gypsum_core::profile::{Activation, Plain, Service, Stop};
use gypsum_core::service::{Observation, State as ServiceState};
use gypsum_host::disk::{Disk, content_of};
use gypsum_host::error::Error;
use gypsum_host::evidence::Progress;
use gypsum_host::run::{self, Finished, Observer, carry_saved};
use gypsum_host::state::{Entry, State};
use std::path::{Path, PathBuf};
use std::sync::{LazyLock, Mutex};
use world::{Daemon, FakeWorld};

const EDITED: &str = "/etc/boards/boards.conf";
const NEW: &str = "/etc/boards/more.conf";
const GONE: &str = "/etc/boards/old.conf";
const FOLDER: &str = "/state/boards/20261123T060122Z-0001";
/// A file: its name, what it holds before, what it is to hold.
type Case = (&'static str, Option<&'static [u8]>, Option<&'static [u8]>);

const FILES: [Case; 3] = [
    (NEW, None, Some(b"quay north\n")),
    (EDITED, Some(b"rows 8\nquay all\n"), Some(b"rows 10\nquay all\n")),
    (GONE, Some(b"clock 12h\n"), None),
];
const FOREIGN: &[u8] = b"# by somebody else\nrows 3\n";

struct Nobody;

impl Observer for Nobody {
    fn on_event(&mut self, _happening: &Event) {}

    fn confirm(&mut self) -> bool {
        true
    }
}

fn backup(path: &str) -> PathBuf {
    Path::new(FOLDER).join("before").join(path.trim_start_matches('/'))
}

fn fresh_disk() -> FakeDisk {
    let mut files: Vec<(String, &[u8])> = Vec::new();
    for (path, before, _) in FILES {
        if let Some(bytes) = before {
            files.push((path.to_owned(), bytes));
            files.push((backup(path).display().to_string(), bytes));
        }
    }
    let files: Vec<(&str, &[u8])> = files.iter().map(|(path, bytes)| (path.as_str(), *bytes)).collect();
    FakeDisk::new(&files)
}

/// The health check: a client that asks for the board.
fn board() -> Check {
    let board = Probe::Tcp(Tcp { at: "127.0.0.1:7000".into(), refused: false });
    Check { patience_ms: 500, limit_ms: 100, ..Check::expected("port 7000", board) }
}

fn plan(in_place: bool) -> Plan {
    let file = |(path, before, after): &Case| PlannedFile {
        path: path.into(),
        before: content_of(*before),
        after: content_of(*after),
        how: match (before, after) {
            (None, _) => ReplaceBy::Create,
            (_, None) => ReplaceBy::Remove,
            _ if in_place => ReplaceBy::InPlace,
            _ => ReplaceBy::Exchange,
        },
        aside: format!("/etc/boards/.{}.gypsum-0001~", path.rsplit('/').next().unwrap()).into(),
        backup: before.map(|_| backup(path)),
        ownership: before.is_none().then_some(Ownership { mode: Some(0o644), owner: None, group: None }),
    };
    let plain = Plain {
        pid_file: "/run/boards.pid".into(),
        start: vec!["/bin/boards".into()],
        reload_signal: None,
        stop: Stop::Term,
    };
    Plan {
        folders: vec!["/etc/boards/new".into(), "/etc/boards/new/er".into()],
        hooks: Vec::new(),
        related: Vec::new(),
        taken_along: Vec::new(),
        callers: Vec::new(),
        prune: vec!["/etc/boards/old".into()],
        daemon: "boards".into(),
        change: "20261123T060122Z-0001".into(),
        files: FILES.iter().map(file).collect(),
        service: Service { plain: Some(plain), ..Service::default() },
        activation: Activation::Restart,
        touch_service: true,
        same_settings: false,
        probation_ms: None,
        watches: Vec::new(),
        limit_ms: 1000,
        steady_ms: 10,
        checks_before: vec![board()],
        checks_after: vec![board()],
        baseline: vec![Outcome {
            name: board().name,
            healthy: true,
            said: "200".into(),
            ms: 1,
            ..Outcome::default()
        }],
        service_before: Some(Observation::only(ServiceState::Running)),
        readings: Vec::new(),
        readings_before: Vec::new(),
        moved: Vec::new(),
        draft: None,
        takes_live: Vec::new(),
    }
}

fn entry() -> Entry {
    Entry { number: 1, name: "20261123T060122Z-0001".into(), folder: FOLDER.into() }
}

fn state() -> State {
    State::at(Some(Path::new("/state"))).unwrap()
}

/// Carries the change; `daemon` says how the daemon takes the new configuration.
fn carry(disk: &FakeDisk, daemon: Daemon, in_place: bool) -> Verdict {
    let world = FakeWorld::new(disk, daemon);
    let contents = FILES.iter().map(|(_, _, after)| after.map(|bytes| bytes.to_vec().into())).collect();
    let finished = carry_saved(&world, &state(), &mut Nobody, entry(), plan(in_place), contents);
    finished.report.verdict.unwrap()
}

/// All of them recover the same change: tests that run side by side take turns.
static TURN: Mutex<()> = Mutex::new(());
/// The locks of this run, which no other one shares.
static LOCKS: LazyLock<tempfile::TempDir> = LazyLock::new(|| {
    let memory = Path::new("/dev/shm");
    let place = if memory.is_dir() { memory.to_owned() } else { std::env::temp_dir() };
    let folder = tempfile::Builder::new().prefix("gypsum-locks-").tempdir_in(place).unwrap();
    gypsum_host::locks::keep_in(folder.path().to_owned());
    folder
});

/// What `gypsum recover` does, which may fail with the disk.
fn try_recover(disk: &FakeDisk, daemon: Daemon) -> Result<Option<Finished>, Error> {
    let world = FakeWorld::new(disk, daemon);
    let _turn = TURN.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    LazyLock::force(&LOCKS);
    run::recover(&world, &state(), &mut Nobody, "boards", "ida")
}

/// What `gypsum recover` does: it finds the change by itself, and takes its locks. The verdict that the records have
/// then; `None` if they say that nothing was live.
fn recover(disk: &FakeDisk, daemon: Daemon) -> Option<Verdict> {
    let finished = try_recover(disk, daemon).unwrap();
    if let Some(finished) = finished {
        return finished.report.verdict;
    }
    match entry().evidence(disk).unwrap().progress {
        Progress::NotBegun => None,
        Progress::Ended(verdict) => Some(verdict),
        other => panic!("nothing was recovered, and yet: {other:?}"),
    }
}

fn content(disk: &FakeDisk, path: &str) -> Content {
    content_of(disk.read(Path::new(path)).unwrap().as_deref())
}

/// Every file as the verdict says, and nothing left beside them.
fn assert_settled(disk: &FakeDisk, verdict: Option<Verdict>, story: &str) {
    assert_files(disk, verdict, story);
    assert_tidy(disk, verdict, story);
}

fn assert_files(disk: &FakeDisk, verdict: Option<Verdict>, story: &str) {
    for (path, before, after) in FILES {
        let wanted = if verdict == Some(Verdict::Kept) { after } else { before };
        assert_eq!(content(disk, path), content_of(wanted), "{path} after {verdict:?}: {story}");
    }
}

fn assert_tidy(disk: &FakeDisk, verdict: Option<Verdict>, story: &str) {
    if verdict.is_some() {
        let leftover = disk.all().into_keys().find(|path| path.to_string_lossy().contains(".gypsum-"));
        assert_eq!(leftover, None, "after {verdict:?}: {story}");
    }
}

const CUTS: [Leaves; 9] = [
    Leaves { names: 0, bytes: 0x6b1d_94c7_2e5a_83f0, reordered: true },
    Leaves { names: 0, bytes: 0x1e27_c05b_f8d3_964a, reordered: true },
    Leaves { names: 0, bytes: 0, reordered: false },
    Leaves { names: 0, bytes: u64::MAX, reordered: false },
    Leaves { names: 1000, bytes: 0, reordered: false },
    Leaves { names: 1000, bytes: u64::MAX, reordered: false },
    Leaves { names: 500, bytes: 0x5555_5555_5555_5555, reordered: false },
    Leaves { names: 300, bytes: 0xcccc_cccc_cccc_cccc, reordered: false },
    Leaves { names: 800, bytes: 0x9a3c_71e5_0f66_b2d4, reordered: false },
];

#[test]
fn a_cut_at_any_operation_leaves_every_file_whole() {
    let mut count = 0;
    for (daemon, in_place) in Daemon::ALL.into_iter().flat_map(|daemon| [(daemon, false), (daemon, true)]) {
        let whole = fresh_disk();
        let verdict = carry(&whole, daemon, in_place);
        assert_eq!(verdict, daemon.verdict());
        assert_settled(&whole, Some(verdict), "not cut off");
        let operations = whole.operations();
        assert!(operations > 25, "the sweep must be worth its name: {operations}");
        for cut in 1..=operations {
            for leaves in CUTS {
                let story =
                    format!("{daemon:?}, in place {in_place}, cut at {cut} of {operations}, {leaves:?}");
                let disk = fresh_disk();
                disk.cut_at(cut);
                carry(&disk, daemon, in_place);
                let found = disk.after_power_cut(leaves);
                for (path, before, after) in FILES {
                    let live = content(&found, path);
                    // A file that is written in place may be found half written; recovery mends it.
                    let whole = live == content_of(before) || live == content_of(after) || in_place;
                    assert!(whole, "{path} is torn: {story}");
                }
                let verdict = recover(&found, daemon);
                assert_settled(&found, verdict, &story);
                count += 1;
            }
        }
    }
    eprintln!("{count} cuts");
}

#[test]
fn a_cut_during_recovery_is_recovered_from() {
    let mut count = 0;
    for daemon in Daemon::ALL {
        let operations = {
            let disk = fresh_disk();
            carry(&disk, daemon, false);
            disk.operations()
        };
        for cut in (1..=operations).step_by(daemon.every() * 2 - 1) {
            let disk = fresh_disk();
            disk.cut_at(cut);
            carry(&disk, daemon, false);
            for leaves in [CUTS[2], CUTS[5], CUTS[0]] {
                let once = disk.after_power_cut(leaves);
                recover(&once, daemon);
                for second in 1..=once.operations() {
                    let story = format!("{daemon:?}, cut at {cut}, then in recovery at {second}, {leaves:?}");
                    let found = disk.after_power_cut(leaves);
                    found.cut_at(second);
                    recover(&found, daemon);
                    let found = found.after_power_cut(leaves);
                    let verdict = recover(&found, daemon);
                    assert_settled(&found, verdict, &story);
                    count += 1;
                }
            }
        }
    }
    eprintln!("{count} cuts in recovery");
}

#[test]
fn what_somebody_else_writes_meanwhile_is_never_lost() {
    for (daemon, style) in Daemon::ALL.into_iter().flat_map(|daemon| [(daemon, true), (daemon, false)]) {
        let operations = {
            let disk = fresh_disk();
            carry(&disk, daemon, false);
            disk.operations()
        };
        for path in [EDITED, NEW, GONE] {
            for at in 1..=operations {
                let story = format!("{path} at {at}, in place {style}, {daemon:?}");
                let disk = fresh_disk();
                disk.foreign_at(at, path, FOREIGN, style);
                let verdict = carry(&disk, daemon, false);
                let kept = disk.all().values().any(|bytes| bytes == FOREIGN);
                assert!(kept, "the foreign version is lost: {story}, {verdict:?}");
                let live = content(&disk, path) == content_of(Some(FOREIGN));
                assert!(
                    live || verdict != Verdict::Kept,
                    "an edit of somebody else's was overruled: {story}"
                );
                let leftover =
                    disk.all().into_keys().find(|path| path.to_string_lossy().contains(".gypsum-"));
                assert_eq!(leftover, None, "{story}, {verdict:?}");
                for (other, before, after) in FILES.into_iter().filter(|(other, ..)| *other != path) {
                    let wanted = if verdict == Verdict::Kept { after } else { before };
                    assert_eq!(content(&disk, other), content_of(wanted), "{other}: {story}, {verdict:?}");
                }
                // With a power cut on top.
                let disk = fresh_disk();
                disk.foreign_at(at, path, FOREIGN, style);
                disk.cut_at(at + 3);
                carry(&disk, daemon, false);
                let found = disk.after_power_cut(Leaves { names: 1000, bytes: u64::MAX, reordered: false });
                recover(&found, daemon);
                let kept = found.all().values().any(|bytes| bytes == FOREIGN);
                assert!(kept, "the foreign version is lost after a cut: {story}");
            }
        }
    }
}
