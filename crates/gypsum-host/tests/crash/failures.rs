//! Operations that fail while the process lives: once, or from one moment on. A verdict that was told holds, and when the
//! disk works again recovery brings everything to one.

use crate::damage::Hearer;
use crate::disk::{Fails, FakeDisk, Leaves};
use crate::world::{Daemon, FakeWorld};
use crate::{
    CUTS, FILES, assert_files, assert_tidy, carry, entry, fresh_disk, plan, recover, state, try_recover,
};
use gypsum_core::change::Verdict;
use gypsum_host::run::carry_saved;

/// No space, an I/O error, no permission, a read-only file system, an interrupted call (errno(3)).
const ERRORS: [i32; 5] = [28, 5, 1, 30, 4];

/// Carries the change on a disk on which operations fail; what a person was told, and the verdict.
fn carried(disk: &FakeDisk, daemon: Daemon, in_place: bool) -> (Option<Verdict>, Verdict) {
    let world = FakeWorld::new(disk, daemon);
    let contents = FILES.iter().map(|(_, _, after)| after.map(|bytes| bytes.to_vec().into())).collect();
    let mut hearer = Hearer { disk, cut: usize::MAX, told: None };
    let finished = carry_saved(&world, &state(), &mut hearer, entry(), plan(in_place), contents);
    (hearer.told, finished.report.verdict.unwrap())
}

fn operations(daemon: Daemon, in_place: bool) -> usize {
    let disk = fresh_disk();
    carry(&disk, daemon, in_place);
    disk.all_operations()
}

/// What was told holds, and the files are as the verdict says.
fn assert_true(disk: &FakeDisk, told: Option<Verdict>, daemon: Daemon, lasting: bool, story: &str) {
    let verdict = recover(disk, daemon);
    assert_files(disk, verdict, story);
    // What could not be removed while the disk did not work is left, and said to be.
    if !lasting {
        assert_tidy(disk, verdict, story);
    }
    match told {
        Some(Verdict::Kept) => assert_eq!(verdict, Some(Verdict::Kept), "told as kept: {story}"),
        Some(Verdict::Restored | Verdict::Dropped | Verdict::Refused) => {
            assert_ne!(verdict, Some(Verdict::Kept), "told as {told:?}: {story}");
        }
        Some(Verdict::Stuck | Verdict::Unchanged) | None => {}
    }
}

#[test]
fn an_operation_that_fails_leaves_no_false_verdict() {
    let mut count = 0;
    for (daemon, in_place) in Daemon::ALL.into_iter().flat_map(|daemon| [(daemon, false), (daemon, true)]) {
        for (n, errno) in ERRORS.into_iter().enumerate() {
            // Each error at every operation, or at each of its share: what counts is where, more than which.
            let every = if daemon == Daemon::Takes && !in_place { 1 } else { 3 };
            for at in (1 + n % every..=operations(daemon, in_place)).step_by(every) {
                for lasting in [false, true] {
                    let fails = Fails { at, errno, lasting };
                    let story = format!("{daemon:?}, in place {in_place}, {fails:?}");
                    let disk = fresh_disk();
                    disk.fails(Some(fails));
                    let (told, verdict) = carried(&disk, daemon, in_place);
                    disk.fails(None);
                    if told.is_none() {
                        assert_ne!(verdict, Verdict::Kept, "{story}");
                    }
                    assert_true(&disk, told, daemon, lasting, &story);
                    count += 1;
                }
            }
        }
    }
    eprintln!("{count} changes with operations that fail");
    assert!(count > 1_000, "{count}");
}

#[test]
fn an_operation_that_fails_in_recovery_is_recovered_from() {
    let mut count = 0;
    let leaves: Leaves = CUTS[5];
    for daemon in Daemon::ALL {
        let cuts = {
            let disk = fresh_disk();
            carry(&disk, daemon, false);
            disk.operations()
        };
        for cut in (1..=cuts).step_by(daemon.every() * 2) {
            let disk = fresh_disk();
            disk.cut_at(cut);
            let (told, _) = carried(&disk, daemon, false);
            let told = told.filter(|_| disk.operations() < cut);
            let once = disk.after_power_cut(leaves);
            once.fails(None);
            recover(&once, daemon);
            for at in (1 + cut % 4..=once.all_operations()).step_by(4) {
                let errno = ERRORS[(cut + at) % ERRORS.len()];
                for lasting in [false, true] {
                    let fails = Fails { at, errno, lasting };
                    let story = format!("{daemon:?}, cut at {cut}, then in recovery {fails:?}");
                    let found = disk.after_power_cut(leaves);
                    found.fails(Some(fails));
                    // Whatever it comes to, the next one finds a disk that works, and one more cut.
                    let _ = try_recover(&found, daemon);
                    found.fails(None);
                    let again = found.after_power_cut(leaves);
                    again.cut_at(1 + at % 11);
                    let _ = try_recover(&again, daemon);
                    assert_true(&again.after_power_cut(leaves), told, daemon, lasting, &story);
                    count += 1;
                }
            }
        }
    }
    eprintln!("{count} recoveries with operations that fail");
    assert!(count > 500, "{count}");
}
