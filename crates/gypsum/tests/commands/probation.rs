//! Changes on probation: live, and restored unless the person keeps them in time.

use crate::boards::{command, config, gypsum, holder, host, json, said, signal, status, until_in};
use gypsum_demo::Host;
use std::process::Stdio;
use std::time::{Duration, Instant};

fn begin(host: &Host, time: &str) -> String {
    let output = gypsum(host, &["change", "departures", "rows=5", "--probation", time]);
    let text = said(host, &output);
    assert_eq!(status(&output), 8, "{text}");
    assert!(text.contains("On probation for ") && text.contains("gypsum keep departures"), "{text}");
    assert!(config(host).contains("rows 5"), "it is live");
    text
}

fn standing(host: &Host) -> String {
    let document = json(&gypsum(host, &["check", "departures", "--json"]));
    document["open_change"]["standing"].as_str().unwrap_or("none").to_owned()
}

fn verdict(host: &Host) -> String {
    let listed = json(&gypsum(host, &["changes", "departures", "--json"]));
    listed["changes"][0]["verdict"].as_str().unwrap_or("none").to_owned()
}

#[test]
fn it_is_kept_on_the_persons_word() {
    let host = host();
    begin(&host, "10m");
    assert_eq!(standing(&host), "on-probation");
    let second = gypsum(&host, &["change", "departures", "rows=9"]);
    assert_eq!(status(&second), 6);
    assert!(said(&host, &second).contains("gypsum keep departures"), "{}", said(&host, &second));
    let kept = gypsum(&host, &["keep", "departures"]);
    assert_eq!(status(&kept), 0, "{}", said(&host, &kept));
    assert!(said(&host, &kept).contains("Kept"), "{}", said(&host, &kept));
    assert_eq!((standing(&host), verdict(&host)), ("none".into(), "kept".into()));
    assert!(config(&host).contains("rows 5"));
    assert_eq!(status(&gypsum(&host, &["keep", "departures"])), 2, "there is none any more");
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=9"])), 0);
}

#[test]
fn it_is_restored_at_once_where_the_person_says_so() {
    let host = host();
    begin(&host, "10m");
    let output = gypsum(&host, &["restore", "departures", "--json"]);
    let document = json(&output);
    assert_eq!((status(&output), &document["verdict"]), (0, &"restored".into()), "{document:#}");
    assert!(document["reason"].as_str().unwrap().contains("you asked for"), "{document:#}");
    assert!(config(&host).contains("rows 8"));
}

#[test]
fn it_is_restored_when_the_time_is_over() {
    let host = host();
    begin(&host, "1s");
    // Who follows it sees the same, and how it ends.
    let followed = gypsum(&host, &["follow", "departures"]);
    let text = said(&host, &followed);
    assert_eq!(status(&followed), 4, "{text}");
    for part in ["rows 8", "On probation for 1 s", "it was not kept in time", "Restored"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    assert!(config(&host).contains("rows 8"));
    assert_eq!(status(&gypsum(&host, &["keep", "departures"])), 2);
}

/// The process that carries it is killed: another one stands by, and the time goes on.
#[test]
fn the_time_outlives_the_process_that_counts_it() {
    for (time, word) in [("4s", None), ("10m", Some("keep"))] {
        let host = host();
        begin(&host, time);
        let begun = Instant::now();
        let busy = said(&host, &gypsum(&host, &["changes", "departures"]));
        signal("-KILL", holder(&busy));
        match word {
            None => {
                until_in(15, "it is restored", || verdict(&host) == "restored");
                assert!(begun.elapsed() > Duration::from_secs(2), "{:?}", begun.elapsed());
                assert!(config(&host).contains("rows 8"));
            }
            Some(word) => {
                let output = gypsum(&host, &[word, "departures"]);
                assert_eq!(status(&output), 0, "{}", said(&host, &output));
                until_in(15, "it is kept", || verdict(&host) == "kept");
            }
        }
    }
}

/// What is followed is what was seen live, and what is replayed.
#[test]
fn a_change_that_is_followed_is_shown_as_it_was_seen() {
    let host = host();
    let mut child = command(&host, &["change", "departures", "rows=6", "--steady", "1500ms"])
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    until_in(15, "it is under way", || standing(&host) == "goes-on");
    let followed = command(&host, &["follow", "departures"]).stderr(Stdio::null()).output().unwrap();
    let mut live = String::new();
    std::io::Read::read_to_string(child.stdout.as_mut().unwrap(), &mut live).unwrap();
    assert_eq!(child.wait().unwrap().code(), Some(0));
    let again = command(&host, &["follow", "departures"]).stderr(Stdio::null()).output().unwrap();
    let [followed, again] = [followed, again].map(|output| String::from_utf8(output.stdout).unwrap());
    // How long all of it took depends on when one began to look.
    let lines = |text: &str| {
        text.lines().map(|line| line.split(" (change").next().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(lines(&followed), lines(&live));
    assert_eq!(lines(&again), lines(&live));
}
