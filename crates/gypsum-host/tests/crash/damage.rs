//! Records that are damaged after a crash: whatever one byte becomes, wherever a record is cut, whatever follows it,
//! nothing that was told as kept is taken back, and no change is open that is read as none.

use crate::disk::{FakeDisk, Leaves};
use crate::world::{Daemon, FakeWorld};
use crate::{FILES, FOLDER, assert_settled, content, entry, fresh_disk, plan, recover, state};
use gypsum_core::change::Verdict;
use gypsum_core::event::Event;
use gypsum_host::disk::{Disk, content_of};
use gypsum_host::evidence::Progress;
use gypsum_host::run::{Observer, carry_saved};
use std::path::Path;

/// Hears the verdict, unless the process is dead by then.
pub struct Hearer<'a> {
    pub disk: &'a FakeDisk,
    pub cut: usize,
    pub told: Option<Verdict>,
}

impl Observer for Hearer<'_> {
    fn on_event(&mut self, event: &Event) {
        if let Event::Ended { verdict, .. } = event
            && self.disk.operations() < self.cut
        {
            self.told = Some(*verdict);
        }
    }

    fn confirm(&mut self) -> bool {
        true
    }
}

/// Carries the change up to operation `cut`, and returns what a person was told, and what is found then.
fn carried(cut: usize, daemon: Daemon, in_place: bool) -> (Option<Verdict>, FakeDisk) {
    let disk = fresh_disk();
    disk.cut_at(cut);
    let world = FakeWorld::new(&disk, daemon);
    let contents = FILES.iter().map(|(_, _, after)| after.map(|bytes| bytes.to_vec().into())).collect();
    let mut hearer = Hearer { disk: &disk, cut, told: None };
    carry_saved(&world, &state(), &mut hearer, entry(), plan(in_place), contents);
    let told = hearer.told;
    (told, disk.after_power_cut(Leaves { names: 1000, bytes: u64::MAX, reordered: false }))
}

#[test]
fn a_full_disk_takes_back_nothing_that_was_told_as_kept() {
    let mut kept = 0;
    for daemon in Daemon::ALL {
        // The plan is some 2 kB, the space that is set aside 16.
        for room in (0..24_000).step_by(113) {
            let story = format!("{daemon:?}, room for {room} bytes");
            let disk = fresh_disk();
            disk.fills_after(Some(room));
            let world = FakeWorld::new(&disk, daemon);
            let contents =
                FILES.iter().map(|(_, _, after)| after.map(|bytes| bytes.to_vec().into())).collect();
            let mut hearer = Hearer { disk: &disk, cut: usize::MAX, told: None };
            carry_saved(&world, &state(), &mut hearer, entry(), plan(false), contents);
            let told = hearer.told.unwrap();
            kept += usize::from(told == Verdict::Kept);
            disk.fills_after(None);
            let verdict = recover(&disk, daemon);
            let nothing = [Verdict::Dropped, Verdict::Refused];
            let same = verdict == Some(told)
                || nothing.contains(&told) && verdict.is_none_or(|v| nothing.contains(&v));
            assert!(same, "told {told:?}, then {verdict:?}: {story}");
            assert_settled(&disk, verdict, &story);
        }
    }
    assert!(kept > 10, "{kept} were kept");
}

/// What may become of the bytes of a record; other bytes of it for each `seed`.
fn damages(bytes: &[u8], seed: usize) -> Vec<(String, Vec<u8>)> {
    let mut all = Vec::new();
    for n in 0..4 {
        let at = (seed * 131 + bytes.len() * n / 4) % bytes.len();
        for byte in [bytes[at] ^ 1, b'\n'] {
            let mut damaged = bytes.to_vec();
            damaged[at] = byte;
            all.push((format!("byte {at} is {byte}"), damaged));
        }
        all.push((format!("cut at {at}"), bytes[..at].to_vec()));
    }
    all.push(("empty".into(), Vec::new()));
    let whole_lines = bytes.iter().enumerate().filter(|(_, byte)| **byte == b'\n').map(|(at, _)| at + 1);
    all.extend(whole_lines.map(|end| (format!("cut after the line at {end}"), bytes[..end].to_vec())));
    let body = bytes.strip_suffix(b"\n").unwrap_or(bytes);
    let last = body.iter().rposition(|byte| *byte == b'\n').map_or(0, |at| at + 1);
    all.push(("its last line twice".into(), [bytes, &bytes[last..]].concat()));
    all.push((
        "a torn line behind it".into(),
        [bytes, &bytes[last..last + (bytes.len() - last) / 2]].concat(),
    ));
    all
}

#[test]
fn a_damaged_record_is_never_a_false_statement() {
    let mut tried = 0;
    for (daemon, in_place) in Daemon::ALL.into_iter().flat_map(|daemon| [(daemon, false), (daemon, true)]) {
        let operations = carried(usize::MAX, daemon, in_place).1.operations().max(90);
        // Other operations in each way.
        for cut in (2 + usize::from(in_place)..=operations).step_by(daemon.every()) {
            let (told, found) = carried(cut, daemon, in_place);
            for record in ["journal", "plan", "change.json", "events.jsonl"] {
                let path = Path::new(FOLDER).join(record);
                let Some(bytes) = found.read(&path).unwrap().filter(|bytes| !bytes.is_empty()) else {
                    continue;
                };
                for (damage, bytes) in damages(&bytes, cut) {
                    let story = format!(
                        "{daemon:?}, in place {in_place}, cut at {cut}, told {told:?}, {record}: {damage}"
                    );
                    let found =
                        found.after_power_cut(Leaves { names: 1000, bytes: u64::MAX, reordered: false });
                    found.overwrite(&path, &bytes).unwrap();
                    check(&found, told, daemon, &story);
                    tried += 1;
                }
            }
        }
    }
    assert!(tried > 4_000, "{tried} damages");
}

fn check(found: &FakeDisk, told: Option<Verdict>, daemon: Daemon, story: &str) {
    let progress = entry().evidence(found).unwrap().progress;
    match progress {
        Progress::NotBegun => {
            for (path, before, _) in FILES {
                assert_eq!(
                    content(found, path),
                    content_of(before),
                    "{path} is live, and nobody knows: {story}"
                );
            }
            assert_eq!(told, None, "{story}");
            return;
        }
        Progress::Ended(verdict) => assert_eq!(told.unwrap_or(verdict), verdict, "{story}"),
        Progress::Open(..) => {}
        // The crash tore the first record of the journal, and the damage is in the second copy of the plan.
        Progress::Unknown => {
            assert!(story.contains(", plan: ") && told.is_none(), "one damage is no riddle: {story}");
            for (path, before, _) in FILES {
                assert_eq!(content(found, path), content_of(before), "{path}: {story}");
            }
            return;
        }
        Progress::Newer(..) => panic!("{story}"),
    }
    let verdict = recover(found, daemon);
    if let Some(told) = told {
        assert_eq!(verdict, Some(told), "{story}");
    }
    assert_settled(found, verdict, story);
    // What was brought to its end stays so.
    let progress = entry().evidence(found).unwrap().progress;
    assert!(matches!(progress, Progress::Ended(ended) if Some(ended) == verdict), "{progress:?}, {story}");
}
