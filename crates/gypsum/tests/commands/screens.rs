//! Whole screens, as a person sees them.

use crate::boards::{gypsum, host, said};
use gypsum_demo::Host;

/// What is on the screen, without what differs from run to run.
fn screen(host: &Host, words: &[&str]) -> String {
    let output = gypsum(host, words);
    let port = std::fs::read_to_string(host.config()).unwrap();
    let port = port.lines().find_map(|line| line.strip_prefix("port ")).unwrap().to_owned();
    // Whoever runs the tests.
    let text = said(host, &output).replace(&port, "[PORT]").replace(&gypsum_host::who::login_name(), "root");
    let mut out = format!("$ gypsum {}\n", words.join(" "));
    // Whether something takes half a second differs from run to run.
    for line in text.lines().filter(|line| !line.starts_with("waiting for ")) {
        out.push_str(&timeless(line));
        out.push('\n');
    }
    out.push_str(&format!("=> {}\n\n", output.status.code().unwrap()));
    out
}

/// Times and stamps replaced by what they are.
fn timeless(line: &str) -> String {
    let mut words: Vec<String> = Vec::new();
    for word in line.split(' ') {
        let bare = word.trim_start_matches('(');
        let stamp = bare.contains("/2026") || bare.contains("Z-0");
        if stamp {
            let (before, after) = word.split_once("/departures/").unwrap_or((word, ""));
            let after = after.split_once("Z-").map_or("", |(_, after)| after);
            words.push(format!("{before}/departures/[TIME]-{after}"));
        } else if bare.starts_with("20") && bare.matches('-').count() == 2 {
            words.push("[DATE]".into());
        } else if bare.matches(':').count() == 2
            && bare.len() == 8
            && bare.starts_with(|c: char| c.is_ascii_digit())
        {
            words.push("[TIME]".into());
        } else {
            words.push(word.into());
        }
    }
    for at in 1..words.len() {
        let unit = words[at].trim_end_matches([')', ':', ',']);
        if words[at - 1] == "process" {
            words[at] = "[PID]".into();
        } else if matches!(unit, "ms" | "s") {
            let lead = if words[at - 1].starts_with('(') { "(" } else { "" };
            words[at - 1] = format!("{lead}[N]");
            words[at] = words[at].replace("ms", "s");
        }
    }
    words.join(" ")
}

#[test]
fn screens_are_as_they_were_read_and_found_good() {
    let host = host();
    let mut all = String::new();
    let walks: [&[&str]; 18] = [
        &["show", "departures"],
        &["show", "departures", "quay"],
        &["check", "departures"],
        &["health", "departures"],
        &["changes", "departures"],
        &["change", "departures", "rows=10", "--why", "summer timetable", "-n"],
        &["change", "departures", "rows=10", "--why", "summer timetable"],
        &["change", "departures", "clock=24hr", "notce=x"],
        &["change", "departures", "quay=“north”"],
        &["change", "departures", "quay=östlich", "-n", "--strict"],
        &["change", "departures", "quay=east"],
        &["change", "departures", "--disable", "refresh", "--enable", "notice"],
        &["change", "departures", "rows=10"],
        &[
            "change",
            "departures",
            "notice=Fog",
            "--must",
            "http http://127.0.0.1:{port}/board contains Fog",
            "--reading",
            "process niceness",
        ],
        &["change", "departures", "notice=Calm", "--expect", "process niceness=5"],
        &["restore", "departures"],
        &["changes", "departures"],
        &["recover", "departures"],
    ];
    for words in walks {
        let one = screen(&host, words);
        for line in one.lines().skip(1).filter(|line| !line.contains("[HOST]")) {
            assert!(line.chars().count() <= 84, "too wide for a terminal: {line}");
        }
        let rows = one.lines().count();
        assert!(rows <= 24 || !one.contains("Restored: "), "{rows} rows do not fit a terminal: {one}");
        all.push_str(&one);
    }
    snapbox::assert_data_eq!(all, snapbox::file!["screens.txt"].raw());
}
