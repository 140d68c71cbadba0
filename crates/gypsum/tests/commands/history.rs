//! The history of a setting: by the records and the copies of the changes, and by what is live.

use crate::boards::{command, config, gypsum, host, json, program, said, status};
use gypsum_demo::Host;
use std::fs;
use std::process::Command;

fn history(host: &Host, setting: &str) -> serde_json::Value {
    let mut changes = command(host, &["changes", "departures", "--setting", setting, "--json"]);
    json(&changes.arg("--profile").arg(host.profile()).output().unwrap())
}

fn steps(document: &serde_json::Value) -> Vec<(String, String, Option<String>)> {
    let text = |values: &serde_json::Value| {
        values.as_array().unwrap().iter().map(|one| one.as_str().unwrap()).collect::<Vec<_>>().join(" ")
    };
    let one = |step: &serde_json::Value| {
        let verdict = step["made"]["verdict"].as_str().map(str::to_owned);
        (text(&step["from"]), text(&step["to"]), verdict)
    };
    document["history"].as_array().unwrap().iter().map(one).collect()
}

#[test]
fn each_value_is_told_with_who_when_and_why() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5", "--why", "a smaller board"])), 0);
    let path = host.config();
    fs::write(&path, config(&host).replace("rows 5", "rows 7")).unwrap();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "refresh=20"])), 0);
    // What the boards do not survive is tried, and restored.
    let output = gypsum(&host, &["change", "departures", "rows=6", "--must", "run /bin/false"]);
    assert_eq!(status(&output), 4, "{}", said(&host, &output));
    fs::write(&path, config(&host).replace("rows 7", "rows 9")).unwrap();
    let document = history(&host, "rows");
    let kept = |verdict: &str| Some(verdict.to_owned());
    let wanted = [("8", "5", kept("kept")), ("5", "7", None), ("7", "6", kept("restored")), ("7", "9", None)];
    let wanted: Vec<_> =
        wanted.into_iter().map(|(from, to, verdict)| (from.to_owned(), to.to_owned(), verdict)).collect();
    assert_eq!(steps(&document), wanted, "{document:#}");
    let by_hand = &document["history"][1];
    assert!(by_hand["not_before_ms"].as_i64() < by_hand["at_ms"].as_i64(), "{by_hand:#}");
    let mut changes = command(&host, &["changes", "departures", "--setting", "rows"]);
    let text = said(&host, &changes.arg("--profile").arg(host.profile()).output().unwrap());
    // A long name breaks the line elsewhere.
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    let me = gypsum_host::who::login_name();
    for part in
        ["8 -> 5", &format!("change 1 by {me}, kept: a smaller board"), "without Gypsum, after", "now: 9"]
    {
        assert!(text.contains(part), "{part}: {text}");
    }
    assert_eq!(steps(&history(&host, "port")), [], "it never changed");
}

#[test]
fn a_secret_is_in_no_history() {
    let host = host();
    let file = host.root().join("plain.conf");
    fs::write(&file, "rows 8\n").unwrap();
    for value in ["tidewater", "ebbwater"] {
        let edit = format!("api_password={value}");
        let path = file.to_str().unwrap();
        let output = gypsum(&host, &["change", "plain", &edit, "--file", path, "--format", "keyword"]);
        // Nothing runs it, so it is unproven.
        assert_eq!(status(&output), 7, "{}", said(&host, &output));
    }
    let document = json(&gypsum(&host, &["changes", "plain", "--setting", "api_password", "--json"]));
    assert!(
        document["history"].as_array().unwrap().len() == 2 && !document.to_string().contains("water"),
        "{document:#}"
    );
}

/// A setting that was renamed has one history, under each of its names.
#[test]
fn the_history_of_a_renamed_setting_goes_on() {
    let host = host();
    let file = host.root().join("quay.conf");
    let path = file.to_str().unwrap();
    fs::write(&file, "lamp 1\n").unwrap();
    let profile = host.root().join("quay.toml");
    let text = format!(
        "daemon = \"quay\"\ntitle = \"quay\"\n[files]\nread = [\"{path}\"]\nhome = \"{path}\"\nformat = \"keyword\"\n[heirs]\nlamp = \"light\"\n"
    );
    fs::write(&profile, text).unwrap();
    let run = |words: &[&str]| {
        let mut quay = Command::new(program());
        quay.args(words).arg("--state").arg(host.state()).arg("--profile").arg(&profile);
        quay.output().unwrap()
    };
    assert_eq!(status(&run(&["change", "quay", "lamp=2"])), 7);
    fs::write(&file, "light 2\n").unwrap();
    assert_eq!(status(&run(&["change", "quay", "light=3"])), 7);
    for name in ["lamp", "light"] {
        let document = json(&run(&["changes", "quay", "--setting", name, "--json"]));
        let wanted = [("1", "2"), ("2", "3")].map(|(from, to)| (from.to_owned(), to.to_owned()));
        let found: Vec<_> = steps(&document).into_iter().map(|(from, to, _)| (from, to)).collect();
        assert_eq!(found, wanted, "{name}: {document:#}");
    }
}
