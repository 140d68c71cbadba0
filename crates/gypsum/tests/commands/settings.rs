//! Gypsum's own settings: they count, they are shown with their file, and a wrong one never stops a restore.

use crate::boards::{command, config, gypsum, host, json, said, status};
use gypsum_demo::Host;
use std::fs;
use std::process::Output;
use std::time::{Duration, Instant};

/// The program with these settings as the person's own.
fn with(host: &Host, settings: &str, words: &[&str]) -> Output {
    let folder = host.root().join("config");
    fs::create_dir_all(folder.join("gypsum")).unwrap();
    fs::write(folder.join("gypsum/gypsum.toml"), settings).unwrap();
    command(host, words).env("XDG_CONFIG_HOME", folder).output().unwrap()
}

#[test]
fn settings_are_shown_with_where_they_are_set() {
    let host = host();
    let text = said(&host, &with(&host, "[change]\nsteady = \"2s\"\n", &["settings"]));
    let line =
        text.lines().find(|line| line.starts_with("change.steady")).unwrap_or_else(|| panic!("{text}"));
    assert!(line.contains("\"2s\"") && line.ends_with("[HOST]/config/gypsum/gypsum.toml"), "{line}");
    let document = json(&with(&host, "[records]\nchanges = 7\n", &["settings", "--json"]));
    let of = |name: &str| {
        let all = document["settings"].as_array().unwrap();
        all.iter().find(|one| one["name"] == name).unwrap_or_else(|| panic!("{document:#}"))
    };
    assert_eq!((&of("records.changes")["value"], of("records.size")["from"].is_null()), (&"7".into(), true));
}

#[test]
fn a_change_is_made_as_the_settings_say_unless_the_line_says_otherwise() {
    let host = host();
    let slow = "[change]\nsteady = \"1200ms\"\n";
    let took = |output: &Output| {
        assert_eq!(status(output), 0, "{}", said(&host, output));
        let stages = json(output)["stages"].clone();
        let health = stages.as_array().unwrap().iter().find(|one| one["name"] == "check-health").cloned();
        health.unwrap_or_else(|| panic!("{stages:#}"))["ms"].as_u64().unwrap()
    };
    assert!(took(&with(&host, slow, &["change", "departures", "rows=5", "--json"])) >= 1200);
    assert!(
        took(&with(&host, slow, &["change", "departures", "rows=6", "--steady", "60ms", "--json"])) < 1200
    );
    let strict = "[change]\nstrict = true\n";
    let warned = ["change", "departures", "rows=12", "--health", "1"];
    assert_eq!(status(&with(&host, strict, &warned)), 3, "a check that is unhealthy before is a warning");
    for changes in 1..4 {
        let edit = format!("rows={changes}");
        assert_eq!(status(&with(&host, "[records]\nchanges = 2\n", &["change", "departures", &edit])), 0);
    }
    // The guardian removes old ones after its last word.
    let kept = || {
        let folders = fs::read_dir(host.state().join("departures")).unwrap().flatten();
        folders.filter(|entry| entry.path().join("journal").exists()).count()
    };
    let begun = Instant::now();
    while kept() != 2 {
        assert!(begun.elapsed() < Duration::from_secs(10), "{} are kept", kept());
        std::thread::sleep(Duration::from_millis(20));
    }
}

#[test]
fn a_wrong_setting_is_told_with_its_place_and_never_stops_a_restore() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
    let before = config(&host);
    let wrong = "[change]\nsteady = \"2s\"\nwiat = \"1m\"\n";
    let refused = with(&host, wrong, &["change", "departures", "rows=6"]);
    assert_eq!((status(&refused), config(&host)), (2, before));
    let text = said(&host, &refused);
    for part in ["wiat", "gypsum.toml, line 3, column 1", "gypsum settings"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    assert!(!text.contains("--accept"), "{text}");
    let document = json(&with(&host, wrong, &["change", "departures", "rows=6", "--json"]));
    assert_eq!(document["findings"][0]["line"], 3, "{document:#}");
    assert_eq!(status(&with(&host, wrong, &["settings"])), 3);
    assert_eq!(status(&with(&host, wrong, &["show", "departures"])), 0);
    let restored = with(&host, wrong, &["restore", "departures"]);
    assert_eq!(status(&restored), 0, "{}", said(&host, &restored));
    assert!(said(&host, &restored).contains("wiat") && config(&host).contains("rows 8"));
}
