//! Every event as a person reads it: the record of a change is replaced by a list of all of them, and replayed.

use crate::boards::{gypsum, host, said, status};
use gypsum_core::change::Verdict;
use gypsum_core::edit::LineDiff;
use gypsum_core::event::{CheckRun, Event, Reading};
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::health::{Judgement, Outcome};
use std::fs;

fn diff(line: u32, before: Option<&str>, after: Option<&str>) -> LineDiff {
    LineDiff {
        address: "rows".into(),
        file: "/etc/departures/boards.conf".into(),
        line,
        before: before.map(Into::into),
        after: after.map(Into::into),
        companion: false,
    }
}

fn outcome(name: &str, healthy: bool, said: &str, ms: u64) -> Outcome {
    Outcome { name: name.into(), healthy, said: said.into(), ms, ..Outcome::default() }
}

fn done(action: &str, target: &str, ok: bool, said: &str, back: bool) -> Event {
    let (action, target, said) = (action.into(), target.into(), said.into());
    Event::Activated { action, target, ok, said, ms: 1_340, back, restarts: false }
}

fn beside(action: &str, target: &str, ok: bool, said: &str) -> Event {
    Event::Beside { action: action.into(), target: target.into(), ok, said: said.into(), ms: 84 }
}

fn ended(verdict: Verdict, summary: &str, next: Option<&str>) -> Event {
    Event::Ended { verdict, summary: summary.into(), next: next.map(Into::into) }
}

fn begun(dry_run: bool, hold: bool) -> Event {
    Event::Begun {
        daemon: "departures".into(),
        why: Some("summer timetable".into()),
        who: "ida".into(),
        dry_run,
        hold,
        takes_back: Vec::new(),
    }
}

/// A change that was kept, with all that may be said on the way.
fn kept() -> Vec<Event> {
    let finding = |rule, severity, message: &str| Finding::new(rule, severity, message.to_owned());
    let placed = Finding {
        file: Some("/etc/departures/boards.conf".into()),
        line: Some(12),
        column: Some(9),
        text: Some("refresh 2s".into()),
        ..finding("busy", Severity::Warning, "refresh 2s asks the timetable 30 times a minute")
    };
    let accepted = Finding {
        accepted: true,
        reason: Some("the quay is closed in winter".into()),
        ..finding("one-quay", Severity::Fault, "the board shows one quay of four")
    };
    vec![
        begun(false, false),
        Event::Proposed {
            edits: vec![
                diff(4, Some("rows 8"), Some("rows 10")),
                diff(9, None, Some("notice Fog in the harbour")),
                diff(17, Some("clock 12h"), None),
            ],
        },
        Event::Found { finding: placed.help("10s is enough for all clients") },
        Event::Found { finding: accepted },
        Event::Found { finding: finding("restart", Severity::Hint, "port is read at start alone") },
        Event::Checked {
            by: vec![
                CheckRun { name: "Gypsum's rules".into(), ms: 3 },
                CheckRun { name: "boards --check on a private copy".into(), ms: 40 },
            ],
        },
        Event::Baseline {
            health: vec![
                outcome("port 7000", true, "departures is listening", 2),
                outcome("http://127.0.0.1:7000/board", false, "answered 503, not 200", 31),
            ],
        },
        Event::Planned {
            activation: "restart departures; it is down for about 2 s".into(),
            idle: false,
            down: true,
            away_ms: Some(2_000),
        },
        Event::BackedUp { change: "20261123T060122Z-0007".into(), folder: "/var/lib/gypsum/7/before".into() },
        Event::Replaced { files: 1 },
        Event::Stage { name: "replace".into(), outcome: "done".into(), ms: 4 },
        done("restart", "departures", true, "", false),
        beside("restart", "timetable", true, ""),
        beside("hook", "rebuild the map of quays", false, "map: no such quay: north"),
        Event::Read {
            readings: vec![
                Reading { name: "rows".into(), before: "8".into(), after: "10".into() },
                Reading { name: "quay".into(), before: "all".into(), after: "all".into() },
            ],
        },
        Event::Looked {
            health: vec![outcome("port 7000", true, "departures is listening", 800)],
            judgement: Judgement::Healthy,
            back: false,
        },
        Event::Logged { lines: vec!["departures: 10 rows".into()] },
        Event::Noted { text: "port 7000 was closed for 1.8 s".into() },
        ended(Verdict::Kept, "departures runs on its new configuration and is healthy", None),
    ]
}

/// A change that was restored.
fn restored() -> Vec<Event> {
    vec![
        begun(false, false),
        Event::Proposed { edits: vec![diff(4, Some("port 7000"), Some("port 22"))] },
        Event::Planned { activation: "reload departures".into(), idle: false, down: false, away_ms: None },
        Event::BackedUp { change: "20261123T060122Z-0007".into(), folder: "/var/lib/gypsum/7/before".into() },
        done("reload", "departures", false, "Job for departures.service failed", false),
        Event::Looked {
            health: vec![
                outcome("service", true, "running", 3),
                outcome("port 22", false, "another process is listening there: sshd", 5_000),
            ],
            judgement: Judgement::Worse,
            back: false,
        },
        Event::Restoring { cause: "a health check fails that held before".into() },
        Event::Log { lines: vec!["departures[71]: bind 0.0.0.0:22: Address already in use".into()] },
        done("restart", "departures", true, "", true),
        Event::Looked {
            health: vec![outcome("port 7000", true, "departures is listening", 900)],
            judgement: Judgement::Healthy,
            back: true,
        },
        Event::Saved { draft: 3, file: "/etc/departures/boards.conf".into(), held: false },
        ended(Verdict::Restored, "the old configuration is live again, and departures is healthy", None),
    ]
}

/// Short ones: each begins, and ends at once.
fn short() -> Vec<(&'static str, Vec<Event>)> {
    let planned =
        |idle| Event::Planned { activation: "reload departures".into(), idle, down: false, away_ms: None };
    vec![
        (
            "a dry run",
            vec![begun(true, false), planned(false), ended(Verdict::Dropped, "nothing was written", None)],
        ),
        (
            "held",
            vec![
                begun(false, true),
                Event::Saved { draft: 4, file: "/etc/departures/boards.conf".into(), held: true },
                ended(Verdict::Dropped, "nothing was touched", None),
            ],
        ),
        (
            "nothing is reloaded",
            vec![
                begun(false, false),
                planned(true),
                ended(Verdict::Kept, "the file is written; departures was not reloaded", None),
            ],
        ),
        ("unchanged", vec![begun(false, false), ended(Verdict::Unchanged, "rows is 10 already", None)]),
        (
            "refused",
            vec![
                begun(false, false),
                ended(Verdict::Refused, "nothing was touched", Some("correct the edit")),
            ],
        ),
        (
            "interrupted before anything was live",
            vec![
                begun(false, false),
                ended(Verdict::Dropped, "interrupted; nothing was touched", Some("again")),
            ],
        ),
        (
            "on probation",
            vec![
                begun(false, false),
                Event::OnProbation { until: "2026-11-23T06:11:22Z".into(), for_ms: 600_000 },
                Event::Restoring { cause: "it was not kept in time".into() },
                ended(Verdict::Restored, "departures is running on its old configuration", None),
            ],
        ),
        (
            "stuck",
            vec![
                begun(false, false),
                ended(
                    Verdict::Stuck,
                    "the old files are live, and departures does not start",
                    Some("look at its log, then: gypsum recover departures"),
                ),
            ],
        ),
    ]
}

/// Which events the list has, by the name that a record gives them; a new variant does not compile until it is here.
fn name(event: &Event) -> &'static str {
    match event {
        Event::Begun { .. } => "begun",
        Event::Proposed { .. } => "proposed",
        Event::Found { .. } => "found",
        Event::Checked { .. } => "checked",
        Event::Planned { .. } => "planned",
        Event::Baseline { .. } => "baseline",
        Event::BackedUp { .. } => "backed-up",
        Event::Replaced { .. } => "replaced",
        // It is drawn while a change goes on, and never in a replay.
        Event::Waiting { .. } => "waiting",
        Event::Activated { .. } => "activated",
        Event::Beside { .. } => "beside",
        Event::Read { .. } => "read",
        Event::Looked { .. } => "looked",
        Event::Logged { .. } => "logged",
        Event::Log { .. } => "log",
        Event::Restoring { .. } => "restoring",
        Event::Noted { .. } => "noted",
        Event::Saved { .. } => "saved",
        Event::Stage { .. } => "stage",
        Event::OnProbation { .. } => "on-probation",
        Event::Ended { .. } => "ended",
    }
}

#[test]
fn every_event_is_drawn_as_it_was_read_and_found_good() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
    let folder = host.state().join("departures");
    let folder = fs::read_dir(folder).unwrap().next().unwrap().unwrap().path();
    // What it wrote is not of interest here.
    fs::remove_dir_all(folder.join("after")).unwrap();
    let mut all = String::new();
    let mut drawn = std::collections::BTreeSet::new();
    let long = [("kept", kept()), ("restored", restored())];
    for (title, events) in long.into_iter().chain(short()) {
        drawn.extend(events.iter().map(name));
        let lines: Vec<String> = events.iter().map(|event| serde_json::to_string(event).unwrap()).collect();
        fs::write(folder.join("events.jsonl"), lines.join("\n") + "\n").unwrap();
        let output = gypsum(&host, &["changes", "departures", "1", "-v"]);
        assert_eq!(status(&output), 0, "{title}: {output:?}");
        let text = said(&host, &output);
        // The first line has the time of the real change.
        let text = text.split_once('\n').unwrap().1;
        all.push_str(&format!("# {title}\n{text}\n"));
    }
    assert_eq!(drawn.len(), 20, "all but one are drawn: {drawn:?}");
    snapbox::assert_data_eq!(all, snapbox::file!["events.txt"].raw());
}
