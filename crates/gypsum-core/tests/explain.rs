//! One setting explained, and what a daemon reports beside what it was asked for.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::version::Version;
use gypsum_core::effective::{Reported, compare};
use gypsum_core::explain::{Explained, Place, explain};
use gypsum_core::profile::{Effective, ListedName, NameList, Profile};
use gypsum_core::rules::{changed_statements, read_profile};
use gypsum_core::survey::Survey;

fn profile() -> Profile {
    read_profile(
        r##"
daemon = "boards"
title = "boards"
names = ["tide", "Part..ebb"]
[files]
read = ["/etc/boards.conf"]
home = "/etc/boards.conf"
format = "sections"
[dialect]
comments = ["#"]
wins = "last"
[service]
unit = ["boards.service"]
activation = "reload"
[effective]
run = ["/usr/bin/boards", "--dump"]
within = ["", "hall"]
between = "="
after = "SETTINGS"
strip = ["dump: "]
passing = ["uptime"]
synonyms = [["on", "yes", "1"]]
[setting]
rows = { kind = "integer", default = "8", min = 1, max = 40, least = "4", most = "20", about = "rows on a board", activation = "restart" }
clock = { kind = "choice", choices = ["12h", "24h"], default = "24h", holds-for = "boards that start later" }
chime = { kind = "flag" }
wait = { kind = "duration", least = "2s", since = "1.2", until = "3.0" }
most = { kind = "size", most = "1G", choices = ["all"], since = "1.2" }
folder = { kind = "path", data = "the timetable is written anew", within = ["hall"], until = "4" }
quays = { list = ",", repeats = true, kind = "integer" }
notice = { side-effects = { "*smoking*" = "boards are of wood" }, activation = "stop-first" }
password = { secret = true }
"##,
    )
    .unwrap()
}

const TEXT: &str = "rows=8\n#clock=12h\n[hall]\nrows=12\nfolder=/srv/a\nquays=1,2\nquays=3\npassword=kelp-77\n[hall]\nrows=14\nodd=1\n";

fn explained(name: &str) -> Option<Explained> {
    let profile = profile();
    let version = Version::of(&profile, false, TEXT);
    explain(&version.view(&profile, &Survey::default()), name)
}

fn place(place: &Place) -> String {
    let effect = match (&place.decided_by, place.in_effect) {
        (Some(winner), _) => format!("not: {winner}"),
        (None, effect) => effect.to_string(),
    };
    format!("{} {}={} {effect}", place.line, place.address, place.value)
}

#[test]
fn what_a_setting_does_takes_and_needs_is_said() {
    let said = |name: &str| {
        let one = explained(name).unwrap();
        let takes = one.takes.unwrap_or_else(|| "-".into());
        let versions = one.versions.unwrap_or_else(|| "-".into());
        format!("{takes} | {} | {versions} | {}", one.takes_effect, one.notes.join(" "))
    };
    for (name, wanted) in [
        ("rows", "a whole number from 1 to 40; usually from 4 to 20 | with a restart | - | "),
        ("clock", "12h, 24h | with a reload, for boards that start later | - | "),
        ("chime", "yes, no | with a reload | - | "),
        (
            "wait",
            "a number of seconds, or one with s, m, h, d, w (1h30m); usually at least 2s | with a reload | from 1.2, no more from 3.0 | ",
        ),
        (
            "most",
            "a number of bytes, or one with K, M, G (64M), or all; usually at most 1G | with a reload | from 1.2 | ",
        ),
        (
            "folder",
            "an absolute path | with a reload | no more from 4 | Its data: the timetable is written anew. It belongs in hall.",
        ),
        (
            "quays",
            "a list; each a whole number | with a reload | - | It may be set several times; each one adds to the others.",
        ),
        (
            "notice",
            "- | with a restart; it is down while its files change | - | *smoking*: boards are of wood.",
        ),
        ("tide", "- | with a reload | - | "),
    ] {
        assert_eq!(said(name), wanted, "{name}");
    }
    assert_eq!(explained("tide").unwrap().known_from, ["its name: the profile, which does not describe it"]);
    assert_eq!(explained("odd").unwrap().known_from, ["its name: the file alone"]);
    assert_eq!(explained("rows").unwrap().known_from, ["what it does and takes: the profile"]);
    assert_eq!(explained("Part..ebb").unwrap().name, "Part..ebb");
    assert_eq!(explained("seaweed"), None);
}

#[test]
fn where_it_is_set_and_which_place_decides_is_said() {
    let places = |name: &str| {
        let one = explained(name).unwrap();
        one.places.iter().map(place).collect::<Vec<_>>()
    };
    let winner = "not: /etc/boards.conf, line 10";
    assert_eq!(
        places("rows"),
        [
            "1 rows=8 true".to_owned(),
            format!("4 hall#1..rows=12 {winner}"),
            "10 hall#2..rows=14 true".to_owned()
        ]
    );
    assert_eq!(
        places("hall..rows"),
        [format!("4 hall#1..rows=12 {winner}"), "10 hall#2..rows=14 true".to_owned()]
    );
    assert_eq!(places("hall#2..rows"), ["10 hall#2..rows=14 true"]);
    assert_eq!(places("quays"), ["6 hall#1..quays#1=1,2 true", "7 hall#1..quays#2=3 true"]);
    assert_eq!(places("hall#1..quays#2"), ["7 hall#1..quays#2=3 true"]);
    let secret = places("password").concat();
    assert!(secret.starts_with("8 hall#1..password=") && !secret.contains("kelp"), "{secret}");
    let clock = explained("clock").unwrap();
    assert_eq!(clock.places, []);
    assert_eq!(clock.commented_out.iter().map(place).collect::<Vec<_>>(), ["2 clock=12h false"]);
}

#[test]
fn what_the_daemon_tells_is_taken_with_its_source() {
    let profile = profile();
    let list: NameList = toml::from_str("run = ['/usr/bin/boards', '--list']\nrestart = ['start']").unwrap();
    let listed = |default: &str, context: &str| ListedName {
        name: "rows".into(),
        default: Some(default.into()).filter(|text: &String| !text.is_empty()),
        kind: Some("INTEGER".into()),
        context: Some(context.into()),
        about: Some("lines".into()),
        ..ListedName::default()
    };
    let mut same = explained("rows").unwrap();
    same.take_listing(&profile, &list, &listed("8", "reload"));
    assert_eq!((same.default.as_deref(), same.notes.len()), (Some("8"), 0));
    assert_eq!(same.about.as_deref(), Some("rows on a board"), "the profile's own words stay");
    assert_eq!(same.listed.as_deref(), Some("INTEGER; reload"));
    assert_eq!(same.known_from[1], "its default, kind and context: the daemon's own list, by boards");

    let mut other = explained("rows").unwrap();
    other.take_listing(&profile, &list, &listed("10", "reload"));
    assert_eq!(other.default.as_deref(), Some("10"));
    assert_eq!(other.notes, ["The profile gives 8 as the default; the installed version has another."]);

    let mut unknown = Explained::known_to_the_daemon(&profile, "swell");
    assert_eq!(unknown.takes_effect, "with a reload");
    unknown.take_listing(&profile, &list, &listed("", "start"));
    assert_eq!((unknown.about.as_deref(), unknown.takes_effect.as_str()), (Some("lines"), "with a restart"));
    assert_eq!(unknown.known_from[1], "its kind, context and what it does: the daemon's own list, by boards");
    unknown.take_manual("boards(5)", vec!["Of the sea.".into()]);
    assert_eq!((unknown.manual.len(), unknown.known_from.len()), (1, 3));

    // Set nowhere: what is told is the default, whatever the profile says.
    let effective = profile.effective.as_ref().unwrap();
    let mut clock = explained("clock").unwrap();
    clock.take_report(&profile, effective, "12h".into());
    assert_eq!((clock.default.as_deref(), clock.reported.as_deref()), (Some("12h"), Some("12h")));
    assert_eq!(clock.notes.len(), 1);
    let mut rows = explained("rows").unwrap();
    rows.take_report(&profile, effective, "14".into());
    assert_eq!((rows.default.as_deref(), rows.notes.len()), (Some("8"), 0), "it is set");
}

fn told(effective: &Effective, lines: &str) -> Reported {
    Reported::read(effective, &format!("boards 2.4\nrows=99\nSETTINGS\n{lines}"))
}

/// What the daemon says after a change to `after`, where it said `was` before.
fn compared(after: &str, was: &str, is: &str) -> Vec<String> {
    let profile = profile();
    let effective = profile.effective.as_ref().unwrap();
    let survey = Survey::default();
    let (old, new) = (Version::of(&profile, false, "# quay\n"), Version::of(&profile, false, after));
    let (old, new) = (old.view(&profile, &survey), new.view(&profile, &survey));
    let changed = changed_statements(&old, &new);
    let told = (&told(effective, was), &told(effective, is));
    let findings = compare(&profile, effective, told, &new, &changed);
    findings.into_iter().map(|one| format!("{} {}: {}", one.severity.word(), one.rule, one.message)).collect()
}

#[test]
fn what_the_daemon_understands_is_held_against_what_was_asked() {
    for (after, is, wanted) in [
        ("rows=12\n", "rows=12\n", ""),
        ("rows=12\n", "rows=012\n", ""),
        // Names are printed as the daemon pleases, tables have more columns, and a line may begin with a mark.
        ("rows=12\n", "dump: ROWS = 12 = 8\n", ""),
        ("rows=12\n", "rows=8\n", "fault not-understood: boards understands rows as 8, not as 12"),
        ("clock=12h\n", "clock=24h\n", "fault not-understood: boards understands clock as 24h, not as 12h"),
        ("chime=yes\n", "chime=1\n", ""),
        ("folder=/srv/a\n", "folder=/srv/a/\n", ""),
        (
            "folder=/srv/a\n",
            "folder=/srv/b\n",
            "warning not-understood: boards understands folder as /srv/b, not as /srv/a",
        ),
        // What is computed is told computed, what repeats is told as a whole, of what is not told nothing follows.
        ("folder=$HOME/a\n", "folder=/srv/b\n", ""),
        ("quays=3\n", "quays=1,2\n", ""),
        ("rows=12\n", "clock=24h\n", ""),
        ("[other]\nrows=12\n", "rows=8\n", ""),
        ("[hall]\nrows=12\n", "rows=8\n", "fault not-understood: boards understands rows as 8, not as 12"),
    ] {
        assert_eq!(compared(after, "", is).join("\n"), wanted, "{after:?} {is:?}");
    }
}

#[test]
fn what_changes_besides_is_said() {
    let was = "rows=8\nclock=24h\nuptime=7\na=1\nb=1\nc=1\nd=1\ne=1\n";
    assert_eq!(
        compared("rows=9\n", was, &was.replace("rows=8", "rows=9").replace("uptime=7", "uptime=9")),
        [""; 0]
    );
    let is = "rows=9\nclock=12h\nuptime=7\na=1\nb=1\nc=1\nd=1\ne=1\n";
    assert_eq!(
        compared("rows=9\n", was, is),
        ["hint also-changes: the daemon reports that this changes, too: clock (from 24h to 12h)"]
    );
    let is = "rows=9\nuptime=7\na=2\nb=2\nc=2\nd=2\ne=1\n";
    assert_eq!(
        compared("rows=9\n", was, is),
        [
            "hint also-changes: the daemon reports that this changes, too: a (from 1 to 2), b (from 1 to 2), c (from 1 to 2), clock (from 24h to nothing) and 1 more"
        ]
    );
    let effective = profile().effective.unwrap();
    let (one, other) = (told(&effective, "rows=8\nuptime=7\n"), told(&effective, "rows=8\nuptime=9\n"));
    assert_eq!(one.passing(&other), ["uptime"]);
    assert!(Reported::default().is_empty() && !one.is_empty());
}
