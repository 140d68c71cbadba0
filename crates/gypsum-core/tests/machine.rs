//! The state machine: every state has an answer to every event, and every way ends in a verdict.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use gypsum_core::change::{Change, Order, Stage, State, StepOutcome, Verdict};
use gypsum_core::health::Judgement;
use std::collections::HashSet;

const EVENTS: [StepOutcome; 11] = [
    StepOutcome::Done,
    StepOutcome::HandedOver,
    StepOutcome::Unrecorded,
    StepOutcome::Unchanged,
    StepOutcome::Refused,
    StepOutcome::Failed,
    StepOutcome::Interrupted,
    StepOutcome::Health(Judgement::Healthy),
    StepOutcome::Health(Judgement::AsBefore),
    StepOutcome::Health(Judgement::Unproven),
    StepOutcome::Health(Judgement::Worse),
];

/// Follows every event from `change` on, each state once; hands each step to `seen`, and returns the
/// verdicts. `touched` says whether live files may have been touched.
fn explore(
    change: Change,
    touched: bool,
    seen: &mut impl FnMut(&Change, StepOutcome, &Change, bool),
) -> HashSet<Verdict> {
    let mut known = HashSet::from([(change, touched)]);
    let mut waiting = vec![(change, touched)];
    let mut verdicts = HashSet::new();
    while let Some((from, touched)) = waiting.pop() {
        let Some(order) = from.order() else {
            match from.state() {
                State::Durable(Stage::Closed(verdict)) => verdicts.insert(verdict),
                State::HandedOver => false,
                other => panic!("no order in {other:?}"),
            };
            continue;
        };
        let touched = touched || order == Order::Replace;
        for event in EVENTS {
            let next = from.next(event);
            seen(&from, event, &next, touched);
            if known.insert((next, touched)) {
                waiting.push((next, touched));
            }
        }
    }
    verdicts
}

#[test]
fn every_way_ends_and_ends_as_promised() {
    let mut steps = 0;
    let verdicts = explore(Change::open(false), false, &mut |from, event, to, touched| {
        steps += 1;
        if let State::Ending(verdict) = to.state() {
            let honest = match verdict {
                Verdict::Refused | Verdict::Dropped | Verdict::Unchanged => !touched,
                Verdict::Kept | Verdict::Restored | Verdict::Stuck => touched,
            };
            assert!(honest, "{:?} --{event:?}--> {verdict:?}, live files touched: {touched}", from.state());
        }
        let failed = matches!(
            event,
            StepOutcome::Refused
                | StepOutcome::Failed
                | StepOutcome::Interrupted
                | StepOutcome::Health(Judgement::Worse)
        );
        if failed
            && matches!(
                from.state(),
                State::Durable(Stage::Armed | Stage::Replaced | Stage::Activated | Stage::Probation)
            )
        {
            assert_eq!((to.state(), to.order()), (State::Durable(Stage::Restoring), Some(Order::Restore)));
        }
        assert!(to.attempt() <= 2, "attempts to restore are counted");
        // Once the files are in place the service may have read them, whatever comes after.
        let replaced = from.state() == State::Durable(Stage::Armed) && event == StepOutcome::Done;
        assert_eq!(to.was_activated(), from.was_activated() || replaced, "{:?} --{event:?}-->", from.state());
        if event == StepOutcome::Failed && from.state() == State::Durable(Stage::Restoring) {
            let wanted = match from.attempt() {
                1 => (State::Durable(Stage::Restoring), 2),
                _ => (State::Ending(Verdict::Stuck), 2),
            };
            assert_eq!((to.state(), to.attempt()), wanted, "it is tried twice, and not a third time");
        }
    });
    assert!(steps > 150, "{steps}");
    assert_eq!(verdicts.len(), 6, "{verdicts:?}");
}

/// What is on probation is kept on the person's word alone.
#[test]
fn a_change_on_probation_is_kept_only_where_the_person_says_so() {
    let mut words = 0;
    explore(Change::staged().on_probation(true), false, &mut |from, event, to, _| {
        if to.state() == State::Durable(Stage::Kept) && from.state() != to.state() {
            assert_eq!((from.order(), event), (Some(Order::AwaitWord), StepOutcome::Done));
            words += 1;
        }
    });
    assert_eq!(words, 1);
    let verdicts = explore(Change::await_again(), true, &mut |_, _, _, _| {});
    assert_eq!(verdicts, HashSet::from([Verdict::Kept, Verdict::Restored, Verdict::Stuck]));
}

#[test]
fn a_dry_run_never_writes() {
    explore(Change::open(true), false, &mut |_, _, to, _| {
        let writes = matches!(
            to.order(),
            Some(Order::Save | Order::Stage | Order::HandOver | Order::Replace | Order::Activate)
        );
        assert!(!writes, "{:?}", to.order());
    });
}

#[test]
fn what_was_cut_off_is_brought_to_the_right_verdict() {
    use {Stage as S, Verdict as V};
    let table: [(Stage, &[Verdict]); 12] = [
        (S::Saved, &[V::Dropped]),
        (S::Staged, &[V::Dropped]),
        (S::Withdrawn, &[V::Dropped]),
        (S::Armed, &[V::Restored, V::Stuck]),
        (S::Replaced, &[V::Restored, V::Stuck]),
        (S::Activated, &[V::Restored, V::Stuck]),
        (S::Probation, &[V::Restored, V::Stuck]),
        (S::Kept, &[V::Kept]),
        (S::Restoring, &[V::Restored, V::Stuck]),
        (S::FilesRestored, &[V::Restored, V::Stuck]),
        (S::Reactivated, &[V::Restored, V::Stuck]),
        (S::Restored, &[V::Restored]),
    ];
    for (stage, wanted) in table {
        let verdicts = explore(Change::resume(stage), true, &mut |_, _, _, _| {});
        assert_eq!(verdicts, wanted.iter().copied().collect(), "{stage:?}");
    }
    for verdict in [V::Kept, V::Refused, V::Restored, V::Unchanged, V::Dropped] {
        assert_eq!(Change::resume(S::Closed(verdict)).order(), None, "what has ended stays ended");
    }
    assert!(Change::resume(S::Closed(V::Stuck)).order().is_some(), "what is stuck is tried again");
}
