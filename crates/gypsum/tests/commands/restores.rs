//! `gypsum restore`: what earlier changes did is taken back, and nothing else is.

use crate::boards::{config, gypsum, host, json, said, status};
use gypsum_demo::Host;
use std::fs;

fn change(host: &Host, edit: &str) {
    let output = gypsum(host, &["change", "departures", edit]);
    assert_eq!(status(&output), 0, "{edit}: {}", said(host, &output));
}

fn restore(host: &Host, words: &[&str]) -> (i32, String) {
    let output = gypsum(host, &[&["restore", "departures"], words].concat());
    (status(&output), said(host, &output))
}

/// The line that sets `name`.
fn line(host: &Host, name: &str) -> Option<String> {
    config(host)
        .lines()
        .find(|line| line.starts_with(name))
        .map(|line| line.split('#').next().unwrap().trim().into())
}

fn lines(host: &Host) -> [Option<String>; 3] {
    ["rows", "notice", "refresh"].map(|name| line(host, name))
}

fn some(text: &str) -> Option<String> {
    Some(text.to_owned())
}

/// A5: one change of several is taken back, and the others stay, the edits of an editor outside among them.
#[test]
fn one_change_is_taken_back_setting_by_setting() {
    let host = host();
    let before = config(&host);
    for edit in ["rows=5", "notice=Fog", "refresh=20"] {
        change(&host, edit);
    }
    let by_hand = config(&host).replace("quay all", "quay north");
    fs::write(host.config(), by_hand).unwrap();
    let (code, text) = restore(&host, &["1"]);
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("change 1 is taken back"), "{text}");
    assert_eq!(lines(&host), [some("rows 8"), some("notice Fog"), some("refresh 20")]);
    assert!(config(&host).contains("quay north"));
    // A second time there is nothing to do; and the restore itself can be taken back.
    let (code, text) = restore(&host, &["1"]);
    assert!(code == 0 && text.contains("Unchanged"), "{text}");
    assert_eq!(restore(&host, &["4"]).0, 0);
    assert_eq!(lines(&host), [some("rows 5"), some("notice Fog"), some("refresh 20")]);
    fs::write(host.config(), config(&host).replace("quay north", "quay all")).unwrap();
    for number in ["2", "3", "1"] {
        let (code, text) = restore(&host, &[number]);
        assert_eq!(code, 0, "{number}: {text}");
    }
    assert_eq!(config(&host), before, "each byte is as it was");
}

/// A5: twice without a number takes back two changes, and a third time the one before them.
#[test]
fn again_takes_back_the_change_before() {
    let host = host();
    let before = config(&host);
    for edit in ["rows=5", "notice=Fog", "rows=6"] {
        change(&host, edit);
    }
    for number in [3, 2, 1] {
        let (code, text) = restore(&host, &[]);
        assert_eq!(code, 0, "{text}");
        let last = text.lines().find(|line| line.starts_with("Kept")).unwrap();
        assert!(last.contains(&format!("change {number} is taken back")), "{text}");
    }
    assert_eq!(config(&host), before);
    let (code, text) = restore(&host, &[]);
    assert!(code == 2 && text.contains("no change of departures is live"), "{text}");
}

/// A5: where a later change, or a person, touched the same setting, it is named, and nothing is done.
#[test]
fn what_touched_the_same_setting_is_named() {
    let host = host();
    change(&host, "rows=5");
    change(&host, "notice=Fog");
    change(&host, "rows=6");
    let was = config(&host);
    let (code, text) = restore(&host, &["1"]);
    assert_eq!((code, config(&host)), (3, was), "{text}");
    assert!(text.contains("change 3 by ") && text.contains("changed rows: rows 6"), "{text}");
    assert!(text.contains("gypsum restore departures 1 --whole"), "{text}");
    fs::write(host.config(), config(&host).replace("rows 6", "rows 7")).unwrap();
    let (code, text) = restore(&host, &["3"]);
    assert!(code == 3 && text.contains("outside Gypsum: rows 7"), "{code}: {text}");
    // As whole files it goes, and what came after is in the backup of that change.
    let (code, text) = restore(&host, &["1", "--whole"]);
    assert_eq!(code, 0, "{text}");
    assert_eq!(lines(&host)[..2], [some("rows 8"), None]);
}

/// `--to N` takes back all that came after; edits outside stay, but for whole files.
#[test]
fn a_state_is_restored_by_its_number() {
    for whole in [false, true] {
        let host = host();
        for edit in ["rows=5", "notice=Fog", "rows=6", "refresh=20"] {
            change(&host, edit);
        }
        fs::write(host.config(), config(&host).replace("quay all", "quay north")).unwrap();
        let words: &[&str] = if whole { &["--to", "1", "--whole"] } else { &["--to", "1"] };
        let (code, text) = restore(&host, words);
        assert_eq!(code, 0, "{text}");
        assert!(text.contains("changes 2 to 4 are taken back"), "{text}");
        assert_eq!(lines(&host)[..2], [some("rows 5"), None]);
        assert_eq!(config(&host).contains("quay north"), !whole);
        let listed = json(&gypsum(&host, &["changes", "departures", "--last", "1", "--json"]));
        assert_eq!(listed["changes"][0]["takes_back"], serde_json::json!([4, 3, 2]));
        let (code, text) = restore(&host, &[]);
        assert!(code == 0 && text.contains("change 1 is taken back"), "{text}");
        assert_eq!(line(&host, "rows"), some("rows 8"));
    }
}

/// What was never live is not taken back; its old files can be restored all the same.
#[test]
fn what_is_not_live_is_not_taken_back() {
    let host = host();
    change(&host, "rows=5");
    assert_eq!(status(&gypsum(&host, &["change", "departures", "quay=east"])), 4);
    let (code, text) = restore(&host, &["2"]);
    assert!(code == 2 && text.contains("ended as restored"), "{text}");
    for (words, says) in [(&["9"][..], "has no change 9"), (&["--to", "2"], "after change 2 is live")] {
        let (code, text) = restore(&host, words);
        assert!(code == 2 && text.contains(says), "{text}");
    }
    let (code, text) = restore(&host, &[]);
    assert!(code == 0 && text.contains("change 1 is taken back"), "{text}");
}
