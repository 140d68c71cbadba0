//! Faulty configurations, each brought before `gypsum change --whole` in a host of its own: which are refused before
//! anything is live, which are put back, which go live with a word of warning, and which slip through.
//!
//! `GYPSUM_FAULTS=WORD` tries only those whose name holds the word, `GYPSUM_FAULTS_TABLE=FILE` writes the table.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

// The lab tests need more of it.
mod further;
#[allow(dead_code)]
#[path = "../lab/host.rs"]
mod host;
#[path = "../shared/schema.rs"]
mod schema;

use further::{FURTHER, Further, STAGES};
use host::{Lab, boot};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::sync::Mutex;

/// How many hosts are up at once.
const SIDE_BY_SIDE: usize = 4;
/// Of those that break something, this share must be refused or named.
const NAMED: f64 = 0.9;

/// How one fault fared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Fared {
    /// Refused before anything was live.
    Refused,
    /// Refused since a trial start showed it, and nothing else did.
    RefusedByTrial,
    /// Live, unhealthy, restored by itself.
    Restored,
    /// Live, and restored since a client's check was unhealthy.
    RestoredByClient,
    /// Live, with a warning.
    Warned,
    /// Live, and what it was is said afterwards: a client's answer or the log is another one.
    Worded,
    /// Live without a word, and nothing can be seen to be broken.
    Harmless,
    /// Live without a word, and broken.
    Slipped,
}

struct Tried {
    id: String,
    daemon: String,
    fared: Fared,
    rules: Vec<String>,
    breaks: bool,
    native: Option<bool>,
    up: bool,
}

#[test]
#[ignore = "needs root and daemons of Debian, and minutes: see docs/testing.md"]
fn faults_are_told_before_they_are_live() {
    let corpus: Value = serde_json::from_str(include_str!("faults.json")).unwrap();
    let wanted = std::env::var("GYPSUM_FAULTS").unwrap_or_default();
    let setups = corpus["setups"].as_array().unwrap();
    let named = |fault: &&Value| wanted.split(',').any(|word| text(fault, "id").contains(word));
    let waiting: Mutex<Vec<&Value>> =
        Mutex::new(corpus["faults"].as_array().unwrap().iter().filter(named).collect());
    let tried: Mutex<Vec<Tried>> = Mutex::default();
    std::thread::scope(|scope| {
        for _ in 0..SIDE_BY_SIDE {
            scope.spawn(|| {
                loop {
                    let Some(fault) = waiting.lock().unwrap().pop() else { break };
                    let setup = setups[fault["setup"].as_u64().unwrap() as usize].as_str().unwrap();
                    let one = try_one(fault, setup);
                    tried.lock().unwrap().push(one);
                }
            });
        }
    });
    let mut tried = tried.into_inner().unwrap();
    tried.sort_by(|a, b| (&a.daemon, &a.id).cmp(&(&b.daemon, &b.id)));
    if let Ok(file) = std::env::var("GYPSUM_FAULTS_TABLE") {
        std::fs::write(file, table(&tried)).unwrap();
    }
    let down: Vec<&str> = tried.iter().filter(|one| !one.up).map(|one| one.id.as_str()).collect();
    assert!(down.is_empty(), "left without their service: {down:?}");
    let breaking: Vec<&Tried> = tried.iter().filter(|one| one.breaks).collect();
    // What was named and went live all the same was put back, or kept as somebody wanted it.
    let named = |one: &&&Tried| is_refused(one.fared) || one.fared != Fared::Slipped && !one.rules.is_empty();
    let told = breaking.iter().filter(named).count();
    let share = told as f64 / breaking.len().max(1) as f64;
    println!("told of {told} of {} that break something ({:.0} %)", breaking.len(), share * 100.0);
    assert!(share >= NAMED || !wanted.is_empty(), "too many slip through: {share:.2}");
}

fn text<'a>(value: &'a Value, key: &str) -> &'a str {
    value[key].as_str().unwrap_or_default()
}

/// One fault in a host of its own.
fn try_one(fault: &Value, setup: &str) -> Tried {
    let lab = boot(&["/usr/sbin/nginx"]);
    let (id, daemon) = (text(fault, "id"), text(fault, "daemon"));
    lab.run(&["sh", "-c", setup]);
    let service = text(fault, "service");
    match text(fault, "start") {
        "" => lab.run(&["systemctl", "start", service]),
        start => lab.run(&["sh", "-c", start]),
    };
    lab.run(&["sh", "-c", &format!("sleep 0.5; {}", text(fault, "prep"))]);
    let settle = fault["settle"].as_f64().unwrap_or(0.3);
    let observed = |lab: &Lab| {
        let words: Vec<&str> =
            fault["observe"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
        String::from_utf8_lossy(&lab.run(&words).stdout).into_owned()
    };
    let before = observed(&lab);
    let runs = |lab: &Lab| match daemon {
        "pulseaudio" => lab
            .run(&["/root/uu", "systemctl", "--user", "is-active", "-q", "pulseaudio.service"])
            .status
            .success(),
        _ => lab.is_active(service),
    };
    let ran = runs(&lab);
    let file = text(fault, "file");
    candidate(&lab, file, &fault["edit"]);
    let name = if daemon == "systemd" { format!("unit:{service}") } else { daemon.to_owned() };
    let there = lab.run(&["test", "-e", file]).status.success();
    let mut words = vec!["change", &name, "--whole", "/root/candidate", "--in", file];
    if !there {
        words.push("--new");
    }
    let (_, report) = lab.gypsum(&words);
    let verdict = text(&report, "verdict");
    let findings = report["findings"].as_array().cloned().unwrap_or_default();
    let of = |severity: &str| -> Vec<String> {
        let those = findings.iter().filter(|finding| text(finding, "severity") == severity);
        let mut rules: Vec<String> = those.map(|finding| text(finding, "rule").to_owned()).collect();
        rules.sort();
        rules.dedup();
        rules
    };
    // What did not run before is not what a change took down.
    let up = !ran || runs(&lab);
    let (fared, rules) = match verdict {
        "refused" => (refused_by(&of("fault")), of("fault")),
        "restored" if is_of_clients(&report) => (Fared::RestoredByClient, of("warning")),
        "restored" => (Fared::Restored, of("warning")),
        "unchanged" => (Fared::Harmless, Vec::new()),
        "kept" if !of("warning").is_empty() => (Fared::Warned, of("warning")),
        "kept" => {
            std::thread::sleep(std::time::Duration::from_secs_f64(settle));
            let same = observed(&lab) == before || fault["harmless"] == true;
            let words = words_of(&lab, &report);
            (
                match (same, words.is_empty()) {
                    (true, _) => Fared::Harmless,
                    (false, true) => Fared::Slipped,
                    (false, false) => Fared::Worded,
                },
                words.into_iter().map(|(by, _)| by.to_owned()).collect(),
            )
        }
        // Neither a verdict on the fault nor a word of it: it counts as let through, and is shown.
        other => (Fared::Slipped, vec![format!("{other}: {report}")]),
    };
    if std::env::var("GYPSUM_FAULTS").is_ok_and(|wanted| id == wanted) {
        println!("{}", serde_json::to_string_pretty(&report).unwrap());
    }
    println!("{id:<34} {fared:?} {}", rules.join(" "));
    let breaks = fault["harmless"] != true && fared != Fared::Harmless;
    let native = fault["native_accepts"].as_bool();
    Tried { id: id.into(), daemon: daemon.into(), fared, rules, breaks, native, up }
}

fn is_refused(fared: Fared) -> bool {
    matches!(fared, Fared::Refused | Fared::RefusedByTrial)
}

/// Whether a trial start alone refused it, by the rules of all faults.
fn refused_by(rules: &[String]) -> Fared {
    if rules.iter().all(|rule| rule == "trial") { Fared::RefusedByTrial } else { Fared::Refused }
}

/// Which of the checks that see what clients see a sentence is about: a client's answer, what clients asked, the sockets.
fn mechanism(said: &str) -> Option<&'static str> {
    let begins = |words: &[&str]| words.iter().any(|word| said.starts_with(word));
    if begins(&["answers ", "dns ", "lets clients", "tells the time"]) {
        Some("client")
    } else if begins(&["what clients asked"]) {
        Some("replay")
    } else if begins(&["what listens", "port ", "UDP port "]) {
        Some("sockets")
    } else {
        None
    }
}

fn is_of_clients(report: &Value) -> bool {
    matches!(mechanism(text(report, "reason")), Some("client" | "replay"))
}

/// What is said of a change that was kept, and by what: answers that are others than before, and new complaints of the log.
fn words_of(lab: &Lab, report: &Value) -> Vec<(&'static str, String)> {
    let mut words = Vec::new();
    for outcome in report["health"].as_array().into_iter().flatten() {
        let said = text(outcome, "said");
        if [" before", "no longer offers", "nothing was asked there"].iter().any(|word| said.contains(word))
            && !said.ends_with(", as before")
        {
            words.push((mechanism(text(outcome, "name")).unwrap_or("client"), said.to_owned()));
        }
    }
    let events = lab.run(&["sh", "-c", "cat $(ls -d /var/lib/gypsum/*/2*/ | tail -n 1)events.jsonl"]).stdout;
    let events = String::from_utf8_lossy(&events).into_owned();
    let complaints =
        events.lines().filter(|line| line.contains("\"noted\"") && line.contains("its log says"));
    words.extend(complaints.map(|line| ("log", line.to_owned())));
    words
}

/// One of the further faults in a host of its own: how it fared, and by what it was seen.
fn try_further(fault: &Further) -> (Fared, String, bool) {
    let (_, start, client) = STAGES.iter().find(|(daemon, ..)| *daemon == fault.daemon).unwrap();
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/curl", "/usr/bin/dig"]);
    lab.run(&["sh", "-c", start]);
    let pieces = "echo 'location /east/ { return 410; }' > /root/gone; echo 'location /east/ { alias /srv/empty/; }' > /root/alias
        echo 'if ($request_method = GET) { return 405; }' > /root/method; echo 'allow-query { none; };' > /root/none
        echo 'blackhole { 127.0.0.0/8; };' > /root/hole; echo 'allow-query-on { 192.0.2.1; };' > /root/on";
    lab.run(&["sh", "-c", pieces]);
    let seen = || String::from_utf8_lossy(&lab.run(&["sh", "-c", client]).stdout).trim().to_owned();
    let before = seen();
    assert!(!before.is_empty(), "{}: no client is served before", fault.id);
    let words = [&["change", fault.daemon, "-y"], fault.edits].concat();
    let (_, report) = lab.gypsum(&words);
    let now = seen();
    let warned: Vec<String> = report["findings"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|finding| matches!(text(finding, "severity"), "warning" | "fault"))
        .map(|finding| text(finding, "rule").to_owned())
        .collect();
    let reason = text(&report, "reason");
    let said = words_of(&lab, &report);
    let all = |said: &[(&str, String)]| {
        let mut by: Vec<&str> = said.iter().map(|(by, _)| *by).collect();
        by.sort_unstable();
        by.dedup();
        by.join(", ")
    };
    let (fared, by) = match text(&report, "verdict") {
        "refused" => {
            let all = report["findings"].as_array().into_iter().flatten();
            let faults = all.filter(|finding| text(finding, "severity") == "fault");
            let rules: Vec<String> = faults.map(|finding| text(finding, "rule").to_owned()).collect();
            let fared = refused_by(&rules);
            (fared, if fared == Fared::RefusedByTrial { "trial start".to_owned() } else { warned.join(", ") })
        }
        "restored" if is_of_clients(&report) => {
            (Fared::RestoredByClient, mechanism(reason).unwrap_or_default().to_owned())
        }
        "restored" => (Fared::Restored, mechanism(reason).unwrap_or(reason).to_owned()),
        "kept" if now == before => (Fared::Harmless, all(&said)),
        "kept" if !said.is_empty() => (Fared::Worded, all(&said)),
        "kept" if !warned.is_empty() => (Fared::Warned, warned.join(", ")),
        "kept" => (Fared::Slipped, String::new()),
        other => (Fared::Slipped, format!("{other}: {report}")),
    };
    let is_served =
        fared == Fared::Worded || fared == Fared::Warned || fared == Fared::Slipped || now == before;
    println!("{:<34} {fared:?} {by} | {before:?} -> {now:?} | {reason}", fault.id);
    (fared, by, is_served)
}

/// Faults of kinds that no rule was written for: what is left of them is seen by a client, or told.
#[test]
#[ignore = "needs root and daemons of Debian, and minutes: see docs/testing.md"]
fn further_faults_are_seen_by_clients() {
    let wanted = std::env::var("GYPSUM_FAULTS").unwrap_or_default();
    let waiting: Mutex<Vec<&Further>> =
        Mutex::new(FURTHER.iter().filter(|fault| fault.id.contains(&wanted)).collect());
    let tried: Mutex<Vec<(&str, Fared, String, bool)>> = Mutex::default();
    std::thread::scope(|scope| {
        for _ in 0..SIDE_BY_SIDE {
            scope.spawn(|| {
                loop {
                    let Some(fault) = waiting.lock().unwrap().pop() else { break };
                    let (fared, by, is_served) = try_further(fault);
                    tried.lock().unwrap().push((fault.id, fared, by, is_served));
                }
            });
        }
    });
    let mut tried = tried.into_inner().unwrap();
    tried.sort_by_key(|(id, ..)| *id);
    if let Ok(file) = std::env::var("GYPSUM_FURTHER_TABLE") {
        let rows: String =
            tried.iter().map(|(id, fared, by, _)| format!("| {id} | {fared:?} | {by} |\n")).collect();
        std::fs::write(file, format!("| fault | fared | seen by |\n|---|---|---|\n{rows}")).unwrap();
    }
    let unserved: Vec<&str> = tried.iter().filter(|one| !one.3).map(|one| one.0).collect();
    assert!(unserved.is_empty(), "not as before after a refusal or a restore: {unserved:?}");
    let count = |wanted: Fared| tried.iter().filter(|(_, fared, ..)| *fared == wanted).count();
    let breaking = tried.len() - count(Fared::Harmless);
    let slipped = count(Fared::Slipped);
    println!("{breaking} break something, {slipped} of them are kept without a word");
    let told = (breaking - slipped) as f64 / breaking.max(1) as f64;
    assert!(told >= NAMED || !wanted.is_empty(), "too many slip through: {told:.2}");
}

/// The faulty file, made from a copy of the live one.
fn candidate(lab: &Lab, file: &str, edit: &Value) {
    lab.run(&["sh", "-c", &format!("cp -L {file} /root/candidate 2>/dev/null || : >/root/candidate")]);
    let body = text(edit, "text");
    match text(edit, "kind") {
        "sed" => lab.run(&["sed", "-E", "-i", body, "/root/candidate"]),
        "append" => lab.run(&["sh", "-c", "printf %s \"$1\" >>/root/candidate", "sh", body]),
        "replace-file" => lab.run(&["sh", "-c", "printf %s \"$1\" >/root/candidate", "sh", body]),
        _ => lab.run(&["sh", "-c", &format!("FILE=/root/candidate; {body}")]),
    };
}

/// The table of `docs/faults.md`.
fn table(tried: &[Tried]) -> String {
    let mut out = String::new();
    let mut rows: BTreeMap<&str, [usize; 10]> = BTreeMap::new();
    for one in tried {
        for key in [one.daemon.as_str(), "~all"] {
            let row = rows.entry(key).or_default();
            row[0] += 1;
            row[1] += usize::from(one.native == Some(false));
            row[2] += usize::from(one.fared == Fared::Refused);
            row[3] += usize::from(one.fared == Fared::RefusedByTrial);
            row[4] += usize::from(one.fared == Fared::Warned);
            row[5] += usize::from(one.fared == Fared::Worded);
            row[6] += usize::from(one.fared == Fared::Restored);
            row[7] += usize::from(one.fared == Fared::RestoredByClient);
            row[8] += usize::from(one.fared == Fared::Harmless);
            row[9] += usize::from(one.fared == Fared::Slipped);
        }
    }
    out.push_str("| daemon | tried | its own checker refuses | refused | refused by a trial start | kept with a warning | kept with a word | restored | restored by a client's check | harmless | slipped through |\n|---|---|---|---|---|---|---|---|---|---|---|\n");
    for (daemon, row) in &rows {
        let name = daemon.trim_start_matches('~');
        let cells: Vec<String> = row.iter().map(ToString::to_string).collect();
        let _ = writeln!(out, "| {name} | {} |", cells.join(" | "));
    }
    out.push_str("\n| fault | fared | by |\n|---|---|---|\n");
    for one in tried {
        let _ = writeln!(out, "| {} | {:?} | {} |", one.id, one.fared, one.rules.join(", "));
    }
    out
}
