//! What looks at a service come to: whether it took its configuration up, and what a report makes of a change.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use gypsum_core::change::Verdict;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::profile::{Activation, Proof};
use gypsum_core::report::Report;
use gypsum_core::service::{Observation, Process, StartedAs, State, TakenUp, taken_up};

fn process(pid: u32) -> Process {
    Process { pid, started: u64::from(pid) * 10 }
}

/// A running service: its main process, its children, its listeners, and what it printed.
fn seen(main: u32, children: &[u32], listeners: &[u64], printed: Option<&str>) -> Observation {
    Observation {
        main: Some(process(main)),
        children: children.iter().copied().map(process).collect(),
        listeners: listeners.to_vec(),
        printed: printed.map(str::to_owned),
        ..Observation::only(State::Running)
    }
}

#[test]
fn a_configuration_is_taken_up_where_that_is_seen() {
    use Activation::{None as Nothing, Reload, Restart, Signal, StopFirst};
    let old = seen(1, &[2, 3], &[7], Some("a"));
    let listeners = Proof::Listeners;
    let children = Proof::Children;
    let prints = Proof::Prints(Vec::new());
    let stopped = Observation::only(State::Stopped);
    let table = [
        // Nothing was told, so nothing is to be seen.
        (old.clone(), old.clone(), Nothing, None, TakenUp::Yes),
        (old.clone(), old.clone(), Restart, None, TakenUp::No),
        (old.clone(), seen(4, &[2, 3], &[7], Some("a")), Restart, None, TakenUp::Yes),
        (
            old.clone(),
            Observation { invocation: Some("b".into()), ..old.clone() },
            StopFirst,
            None,
            TakenUp::Yes,
        ),
        (stopped.clone(), stopped, Restart, None, TakenUp::Yes),
        // A new main process is a new start, whatever it was told.
        (old.clone(), seen(4, &[2, 3], &[7], Some("a")), Reload, Some(&listeners), TakenUp::Yes),
        (old.clone(), seen(1, &[2, 3], &[8], Some("a")), Reload, Some(&listeners), TakenUp::Yes),
        (old.clone(), seen(1, &[4, 5], &[7], Some("b")), Reload, Some(&listeners), TakenUp::No),
        // Those that went may have taken the daemon with them.
        (old.clone(), seen(1, &[2, 3], &[], Some("a")), Reload, Some(&listeners), TakenUp::No),
        (seen(1, &[], &[], None), seen(1, &[], &[], None), Reload, Some(&listeners), TakenUp::Unproven),
        (old.clone(), seen(1, &[2, 4], &[7], None), Signal, Some(&children), TakenUp::Yes),
        (old.clone(), seen(1, &[2, 3], &[8], None), Signal, Some(&children), TakenUp::No),
        (old.clone(), seen(1, &[2, 3], &[7], Some("b")), Reload, Some(&prints), TakenUp::Yes),
        (old.clone(), seen(1, &[4], &[8], Some("a")), Reload, Some(&prints), TakenUp::No),
        (seen(1, &[], &[], None), seen(1, &[], &[], Some("a")), Reload, Some(&prints), TakenUp::Yes),
        (old.clone(), seen(1, &[2, 3], &[7], None), Reload, Some(&prints), TakenUp::Unproven),
        // Without a proof of its own, what is new proves it, and what stays proves nothing.
        (old.clone(), seen(1, &[2, 3], &[8], None), Reload, None, TakenUp::Yes),
        (old.clone(), seen(1, &[4, 5], &[7], None), Reload, None, TakenUp::Yes),
        (old.clone(), old.clone(), Reload, None, TakenUp::Unproven),
    ];
    for (n, (before, after, activation, proof, wanted)) in table.into_iter().enumerate() {
        assert_eq!(taken_up(&before, &after, activation, proof), wanted, "row {n}: {activation:?} {proof:?}");
    }
}

#[test]
fn states_are_up_or_not_and_have_words_of_their_own() {
    use State::*;
    let all = [
        Running,
        Starting,
        Reloading,
        Stopping,
        BackingOff,
        Exited,
        Gone,
        Stopped,
        Failed,
        Missing,
        Unreachable,
    ];
    let up: Vec<State> = all.into_iter().filter(|state| state.is_up()).collect();
    assert_eq!(up, [Running, Reloading, Exited]);
    let words: std::collections::BTreeSet<&str> = all.iter().map(|state| state.words()).collect();
    assert_eq!(words.len(), all.len());

    let one = seen(1, &[], &[], None);
    assert!(one.same_start(&seen(1, &[9], &[9], Some("x"))));
    assert!(!one.same_start(&seen(2, &[], &[], None)));
    assert!(!one.same_start(&Observation { restarts: Some(1), ..one.clone() }));
    let result = |word: &str| Observation { result: Some(word.into()), ..one.clone() }.result_words();
    assert_eq!((result("success").as_str(), result("exit-code").as_str()), ("", " (exit-code)"));

    let started = StartedAs {
        account: None,
        variables: vec!["/etc/default/boards".into()],
        credentials: vec!["/etc/boards.key".into()],
    };
    assert_eq!(started.role_of("/etc/default/boards"), Some("environment file"));
    assert_eq!(started.role_of("/etc/boards.key"), Some("credential"));
    assert_eq!(started.role_of("/etc/boards.conf"), None);
}

#[test]
fn the_exit_status_follows_from_the_report() {
    let of = |verdict: Option<Verdict>| Report { verdict, ..Report::new("boards") };
    for (report, wanted) in [
        (of(None), 0),
        (of(Some(Verdict::Kept)), 0),
        (Report { healthy: Some(true), ..of(Some(Verdict::Kept)) }, 0),
        (Report { healthy: Some(false), ..of(Some(Verdict::Kept)) }, 7),
        (Report { unproven: true, ..of(Some(Verdict::Kept)) }, 7),
        (of(Some(Verdict::Unchanged)), 0),
        (of(Some(Verdict::Dropped)), 1),
        (Report { dry_run: true, ..of(Some(Verdict::Dropped)) }, 0),
        (Report { dry_run: true, next: Some("again".into()), ..of(Some(Verdict::Dropped)) }, 1),
        (of(Some(Verdict::Refused)), 3),
        (of(Some(Verdict::Restored)), 4),
        (of(Some(Verdict::Stuck)), 5),
    ] {
        assert_eq!(ExitStatus::of(&report).code(), wanted, "{:?}", report.verdict);
    }
    let codes = [ExitStatus::Usage, ExitStatus::Busy, ExitStatus::GoesOn].map(ExitStatus::code);
    assert_eq!(codes, [2, 6, 8]);
    assert_eq!(ExitStatus::Refused.max_by_code(ExitStatus::Restored), ExitStatus::Restored);
    assert_eq!(ExitStatus::Stuck.max_by_code(ExitStatus::Success), ExitStatus::Stuck);
}
