//! Watching on after a change was kept: told once where it fails, listed, ended.

use crate::boards::{command, config, gypsum, host, json, said, status, until_in};
use crate::terminal::Terminal;
use gypsum_demo::Host;
use std::fs;

/// A check that fails once this file is gone.
fn sentence(host: &Host) -> String {
    let file = host.root().join("tide");
    fs::write(&file, "low\n").unwrap();
    format!("file {}", file.display())
}

fn watches(host: &Host) -> serde_json::Value {
    json(&gypsum(host, &["health", "--watching", "--json"]))["watches"].clone()
}

#[test]
fn what_fails_later_is_told_once_and_restores_only_where_that_is_said() {
    for restores in [false, true] {
        let host = host();
        let check = sentence(&host);
        let mut words = vec!["change", "departures", "rows=5", "--watch", "40s", &check];
        words.extend(restores.then_some("--restore-if-failing"));
        let output = gypsum(&host, &words);
        assert_eq!(status(&output), 0, "{}", said(&host, &output));
        assert!(said(&host, &output).contains("watch 1 looks on: "), "{}", said(&host, &output));
        until_in(20, "it is looked at", || watches(&host)[0]["looked"].is_string());
        assert_eq!(
            (&watches(&host)[0]["change"], &watches(&host)[0]["failed"]),
            (&1.into(), &serde_json::Value::Null)
        );
        fs::remove_file(host.root().join("tide")).unwrap();
        until_in(20, "it fails", || watches(&host)[0]["failed"].is_string());
        until_in(20, "it is told", || host.state().join(".untold/watch-1").exists());
        assert_eq!(status(&gypsum(&host, &["health", "--watching"])), 3);
        let mut terminal = Terminal::of(&command(&host, &["changes", "departures"]));
        terminal.until("While no terminal was attached: departures: ");
        let rows = if restores { "rows 8" } else { "rows 5" };
        assert!(config(&host).contains(rows), "{}", config(&host));
    }
}

#[test]
fn a_watch_is_listed_and_ended_and_never_undoes_a_later_change() {
    let host = host();
    let check = sentence(&host);
    let words = ["change", "departures", "rows=5", "--restore-if-failing", "--watch", "40s", &check];
    assert_eq!(status(&gypsum(&host, &words)), 0);
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=6", "--watch", "40s", &check])), 0);
    assert_eq!(watches(&host).as_array().unwrap().len(), 2);
    let text = said(&host, &gypsum(&host, &["health", "departures", "--watching"]));
    assert!(text.contains("1  departures: ") && text.contains("after change 2"), "{text}");
    assert_eq!(status(&gypsum(&host, &["health", "--stop", "2"])), 0);
    assert_eq!(status(&gypsum(&host, &["health", "--stop", "2"])), 2);
    fs::remove_file(host.root().join("tide")).unwrap();
    let notice = host.state().join(".untold/watch-1");
    until_in(20, "it is told", || notice.exists());
    assert!(fs::read_to_string(notice).unwrap().contains("not restored: change 2 was made later"));
    assert!(config(&host).contains("rows 6"));
}
