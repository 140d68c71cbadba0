//! What `show`, `check` and `health` say first of all: that a change of this daemon has no good end yet.

use crate::boards::{command, gypsum, holder, host, journal, json, said, signal, status, until};
use gypsum_demo::Host;
use std::process::Stdio;

/// Each of the three commands says it before anything else, as text and as JSON.
fn assert_first(host: &Host, standing: &str, first: &str, help: &str) {
    for words in [["show", "departures"], ["check", "departures"], ["health", "departures"]] {
        let text = said(host, &gypsum(host, &words));
        assert!(text.starts_with(first), "{words:?}: {text}");
        assert!(text.contains(help), "{words:?}: {text}");
        let document = json(&gypsum(host, &[&words[..], &["--json"]].concat()));
        assert_eq!(document["open_change"]["standing"], standing, "{words:?}: {document:#}");
        assert_eq!(document["open_change"]["change"], 1, "{words:?}");
    }
}

#[test]
fn a_change_that_is_open_is_said_first() {
    let host = host();
    let quiet = said(&host, &gypsum(&host, &["health", "departures"]));
    assert!(!quiet.contains("change 1"), "{quiet}");
    assert!(json(&gypsum(&host, &["check", "departures", "--json"]))["open_change"].is_null());

    let mut front = command(&host, &["change", "departures", "rows=5", "--steady", "20s"]);
    let mut front = front.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    until("it is live", || journal(&host).contains("activated"));
    assert_first(&host, "goes-on", "change 1 of departures is being made by ", "gypsum follow departures");

    let busy = said(&host, &gypsum(&host, &["change", "departures", "rows=9"]));
    for process in [front.id(), holder(&busy)] {
        signal("-KILL", process);
    }
    front.wait().unwrap();
    until("nobody carries it", || {
        json(&gypsum(&host, &["check", "departures", "--json"]))["open_change"]["standing"] == "interrupted"
    });
    assert_first(
        &host,
        "interrupted",
        "change 1 of departures was interrupted: its files may be live and unproven",
        "gypsum recover departures",
    );
    assert_eq!(status(&gypsum(&host, &["recover", "departures"])), 4);
    assert!(json(&gypsum(&host, &["check", "departures", "--json"]))["open_change"].is_null());
}
