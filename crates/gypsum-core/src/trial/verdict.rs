//! What two trial starts come to: of the files as they are, and of the proposal.

use super::{Got, Start, TrialRun};
use crate::finding::{Finding, Severity};
use crate::health::{Outcome, held};
use crate::log::{LogLine, excerpt, kind_of};
use crate::probe::Check;
use std::collections::HashSet;
use std::net::SocketAddr;

/// The rule of what fails on the proposal alone.
const RULE: &str = "trial";
/// So many lines of what the daemon said are shown.
const MOST_LINES: usize = 3;
/// So long one of them is at most, in characters.
const LONGEST: usize = 240;

/// What the trials were of.
#[derive(Clone, Copy, Debug)]
pub struct About<'a> {
    /// The daemon.
    pub daemon: &'a str,
    /// The checks on the proposal, in the order of what clients got.
    pub checks: &'a [Check],
    /// Where other services listen on this host: whether by UDP, and the address.
    pub taken: &'a [(bool, SocketAddr)],
    /// What confines the daemon beyond its unit, in words, where something does.
    pub confined: Option<&'a str>,
    /// The names of this host's network devices, which a trial does not have.
    pub devices: &'a [String],
}

/// Compares the start on the files as they are with the one on the proposal.
pub fn verdict(old: &TrialRun, new: &TrialRun, about: &About<'_>) -> Vec<Finding> {
    let daemon = about.daemon;
    let Some(how) = failure(new) else {
        let mut findings = collisions(old, new, about);
        if failure(old).is_none() {
            findings.extend(worse(old, new, about));
        }
        return findings;
    };
    let words = words_of(new, old);
    let nothing = |why: String, said: Vec<String>| {
        let message = format!("the trial start of {daemon} proves nothing: {why}");
        vec![Finding::new(RULE, Severity::Hint, message).saying(said)]
    };
    if let Some(before) = failure(old) {
        return nothing(format!("with the files as they are, it {before}, too"), excerpt_of(old));
    }
    if let Some(why) = may_be_the_trial(&words, about) {
        return nothing(format!("with the new files it {how}, but {why}"), words);
    }
    let help = "seen in a trial start; with the files as they are it starts";
    vec![Finding::fault(RULE, format!("with the new files {daemon} {how}")).saying(words).help(help)]
}

/// What a start on the files as they are comes to, before the daemon is restarted with them and nothing could be restored.
pub fn before_restart(run: &TrialRun, about: &About<'_>) -> Option<Finding> {
    let how = failure(run)?;
    let words = excerpt_of(run);
    if let Some(why) = may_be_the_trial(&words, about) {
        let message = format!("the trial start of {} proves nothing: it {how}, but {why}", about.daemon);
        return Some(Finding::new(RULE, Severity::Hint, message).saying(words));
    }
    let message = format!("with the files as they are {} {how}", about.daemon);
    let help = "seen in a trial start; a restart would leave it down, and there is nothing to restore";
    Some(Finding::fault(RULE, message).saying(words).help(help))
}

/// What is said where a start fails with `/run` as it is after a boot, and not with its folders as they are now.
pub fn after_boot(failed: &TrialRun, is_new: bool, about: &About<'_>) -> Option<Finding> {
    let how = failure(failed)?;
    let words = excerpt_of(failed);
    let (severity, files) = match is_new {
        true => (Severity::Warning, "with the new files"),
        false => (Severity::Hint, "with the files as they are"),
    };
    let message = format!("{files} {} starts now, but after the next boot it {how}", about.daemon);
    let help = "a folder in /run is there now and is not made at a boot: let tmpfiles.d(5) make it";
    Some(Finding::new("after-boot", severity, message).saying(words).help(help))
}

impl TrialRun {
    /// Whether the daemon came up, and stayed.
    pub fn came_up(&self) -> bool {
        failure(self).is_none()
    }

    /// Whether it was not ready in time, and had not failed either.
    pub fn timed_out(&self) -> bool {
        matches!(self.start, Start::TimedOut { .. })
    }
}

/// Why a start did not go well, as the end of a sentence.
fn failure(run: &TrialRun) -> Option<String> {
    Some(match &run.start {
        Start::Ready { .. } if run.has_died => "starts and ends by itself".to_owned(),
        Start::Ready { .. } => return None,
        Start::Failed { program, how } => format!("does not start: {program} ended with {how}"),
        Start::TimedOut { program, ms } => {
            format!("does not start: {program} was not ready within {} s", ms.div_ceil(1_000))
        }
        Start::TooLarge => "needs more memory than a trial start may have".to_owned(),
    })
}

/// What it said on the proposal and not on the files as they are, the most telling lines.
fn words_of(new: &TrialRun, old: &TrialRun) -> Vec<String> {
    let before: HashSet<String> = old.said.iter().map(|said| kind_of(&said.text)).collect();
    let fresh = new.said.iter().filter(|said| !before.contains(&kind_of(&said.text)));
    let lines: Vec<LogLine> = fresh.map(LogLine::from).collect();
    said(&lines)
}

/// The most telling lines of all that it said.
fn excerpt_of(run: &TrialRun) -> Vec<String> {
    said(&run.said.iter().map(LogLine::from).collect::<Vec<_>>())
}

fn said(lines: &[LogLine]) -> Vec<String> {
    excerpt(lines, MOST_LINES).iter().map(|line| without_time(line).to_owned()).collect()
}

/// A line without the time at its beginning, and not too long.
fn without_time(line: &str) -> &str {
    let mut rest = line.trim();
    if let Some((stamp, behind)) = rest.strip_prefix('[').and_then(|inner| inner.split_once(']'))
        && stamp.contains(':')
        && stamp.contains(|c: char| c.is_ascii_digit())
        && !stamp.contains('#')
        && stamp.split_whitespace().count() > 1
    {
        rest = behind.trim_start();
    }
    let is_time = |word: &str| {
        word == "UTC"
            || word.contains(|c: char| c.is_ascii_digit())
                && word.chars().all(|c| c.is_ascii_digit() || matches!(c, ':' | '/' | '-' | '.' | ','))
    };
    while let Some((_, behind)) = rest.split_once(' ').filter(|(word, _)| is_time(word)) {
        rest = behind.trim_start();
    }
    rest.char_indices().nth(LONGEST).map_or(rest, |(end, _)| &rest[..end])
}

/// Why it may be the trial, and not the proposal, that makes it fail.
fn may_be_the_trial(words: &[String], about: &About<'_>) -> Option<String> {
    let says = |text: &str| words.iter().any(|line| line.to_lowercase().contains(text));
    if let Some(confined) = about.confined
        && (says("denied") || says("not permitted"))
    {
        return Some(format!("{confined} confines it, and may refuse there what it allows here"));
    }
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '.' | '-' | '_' | '@' | ':');
    let names =
        |line: &str, name: &str| line.split(|c| !is_part(c)).any(|word| word.trim_matches(':') == name);
    let device = about.devices.iter().find(|name| words.iter().any(|line| names(line, name)));
    device.map(|name| format!("a trial start does not have the network device {name}"))
}

/// Where it wants to listen now, and another service listens already.
fn collisions(old: &TrialRun, new: &TrialRun, about: &About<'_>) -> Vec<Finding> {
    let is_new = |at: &&(bool, SocketAddr)| !old.listening.contains(at);
    let taken = |(udp, at): &&(bool, SocketAddr)| {
        let covers = |there: &SocketAddr| {
            there.port() == at.port()
                && there.is_ipv4() == at.is_ipv4()
                && (there.ip() == at.ip() || there.ip().is_unspecified() || at.ip().is_unspecified())
        };
        about.taken.iter().any(|(other, there)| other == udp && covers(there))
    };
    let finding = |(udp, at): &(bool, SocketAddr)| {
        let kind = if *udp { "UDP" } else { "TCP" };
        let message =
            format!("{} would listen on {at} ({kind}), where another process listens", about.daemon);
        Finding::fault(RULE, message).help("choose another port or address, or stop the other process first")
    };
    new.listening.iter().filter(is_new).filter(taken).map(finding).collect()
}

/// What clients got before, and do not get on the proposal.
fn worse(old: &TrialRun, new: &TrialRun, about: &About<'_>) -> Vec<Finding> {
    let baseline: Vec<Outcome> = old.got.iter().map(|got| got.outcome.clone()).collect();
    let names: Vec<&str> = new.got.iter().map(|got| got.outcome.name.as_str()).collect();
    let mut findings = Vec::new();
    for (n, got) in new.got.iter().enumerate() {
        let check = about.checks.iter().find(|check| check.name == got.outcome.name);
        let said = match judged(got, old, &names, check) {
            Err(said) if held(&baseline, &names, n) => said,
            Err(said) => {
                let message = format!(
                    "the trial start of {} proves nothing about {}: {said}, with the files as they are, too",
                    about.daemon, got.outcome.name
                );
                findings.push(Finding::new(RULE, Severity::Hint, message));
                continue;
            }
            Ok(()) => continue,
        };
        let message = format!("with the new files, {}: {said}", got.outcome.name);
        let finding = Finding::fault(RULE, message).saying(words_of(new, old));
        findings.push(finding.help("a client saw that in a trial start"));
    }
    findings
}

/// What a client got, judged by what it got on the files as they are, where that is compared.
fn judged(got: &Got, old: &TrialRun, names: &[&str], check: Option<&Check>) -> Result<(), String> {
    let measure = check.and_then(|check| check.measure.as_ref());
    let Some(measure) = measure.filter(|_| !got.answers.is_empty()) else {
        return if got.outcome.healthy { Ok(()) } else { Err(got.outcome.said.clone()) };
    };
    // Where the check has another name now, it is the one whose name is gone.
    let is_left =
        |before: &&Got| !before.answers.is_empty() && !names.contains(&before.outcome.name.as_str());
    let named = old.got.iter().find(|before| before.outcome.name == got.outcome.name);
    let before = named.or_else(|| old.got.iter().find(is_left));
    let mut measure = measure.clone();
    measure.before = before.map(|before| before.answers.clone()).unwrap_or_default();
    measure.judge(&got.answers).map(|_| ()).map_err(|why| why.0)
}

#[cfg(test)]
mod tests {
    use super::super::Said;
    use super::*;
    use crate::probe::{Answer, Grade, Measure};

    fn run(start: Start) -> TrialRun {
        TrialRun { start, has_died: false, got: Vec::new(), listening: Vec::new(), said: Vec::new(), ms: 1 }
    }

    fn up() -> TrialRun {
        run(Start::Ready { ms: 1 })
    }

    fn down(said: &str) -> TrialRun {
        let said = vec![Said { text: said.into(), severity: None }];
        TrialRun { said, ..run(Start::Failed { program: "boards".into(), how: "status 1".into() }) }
    }

    fn about() -> About<'static> {
        About { daemon: "boards", checks: &[], taken: &[], confined: None, devices: &[] }
    }

    fn got(name: &str, healthy: bool) -> Got {
        let said = if healthy { "connected" } else { "connection refused" }.to_owned();
        Got {
            outcome: Outcome { name: name.into(), healthy, said, ..Outcome::default() },
            answers: Vec::new(),
        }
    }

    /// How many faults there are, and how many hints.
    fn faults(old: &TrialRun, new: &TrialRun, about: &About<'_>) -> (usize, usize) {
        let told = verdict(old, new, about);
        let count = |severity| told.iter().filter(|finding| finding.severity == severity).count();
        (count(Severity::Fault), count(Severity::Hint))
    }

    #[test]
    fn only_what_fails_on_the_proposal_alone_is_a_fault() {
        let late = run(Start::TimedOut { program: "boards".into(), ms: 2_500 });
        let dead = TrialRun { has_died: true, ..up() };
        for bad in [down("error: no such quay"), late, dead, run(Start::TooLarge)] {
            assert_eq!(faults(&up(), &bad, &about()), (1, 0), "{bad:?}");
            assert_eq!(faults(&bad, &bad, &about()), (0, 1), "{bad:?}");
            assert_eq!(faults(&bad, &up(), &about()), (0, 0), "{bad:?}");
        }
        assert_eq!(faults(&up(), &up(), &about()), (0, 0));
    }

    #[test]
    fn a_restart_of_what_does_not_start_is_a_fault() {
        assert_eq!(before_restart(&up(), &about()), None);
        let told = before_restart(&down("no such quay"), &about()).unwrap();
        assert!(told.refuses(false) && told.said == ["no such quay"], "{told:?}");
        let about = About { confined: Some("AppArmor"), ..about() };
        let told = before_restart(&down("open: Permission denied"), &about).unwrap();
        assert_eq!(told.severity, Severity::Hint);
    }

    #[test]
    fn what_fails_after_a_boot_is_told_as_that() {
        assert_eq!(after_boot(&up(), true, &about()), None);
        for (is_new, severity) in [(true, Severity::Warning), (false, Severity::Hint)] {
            let told = after_boot(&down("no such folder"), is_new, &about()).unwrap();
            assert_eq!((told.rule.as_str(), told.severity), ("after-boot", severity));
            assert!(told.message.contains("after the next boot"), "{}", told.message);
        }
    }

    #[test]
    fn the_words_are_those_that_are_new() {
        let said = |text: &str| Said { text: text.into(), severity: None };
        let old = TrialRun { said: vec![said("error: the clock of pier 3 is unknown")], ..up() };
        let mut new = down("error: no such quay");
        new.said.extend(old.said.clone());
        let told = verdict(&old, &new, &about());
        assert_eq!(told[0].message, "with the new files boards does not start: boards ended with status 1");
        assert_eq!(told[0].said, ["error: no such quay"]);
    }

    #[test]
    fn lines_lose_the_time_in_front() {
        for (line, want) in [
            ("2026/11/30 05:41:53 [emerg] 7#7: open() failed", "[emerg] 7#7: open() failed"),
            ("[Mon Nov 30 05:41:54.860186 2026] [core:alert] AH00480", "[core:alert] AH00480"),
            ("2026-11-30  5:34:30 0 [ERROR] Aborting", "[ERROR] Aborting"),
            ("[emerg] 2: x", "[emerg] 2: x"),
            ("53: address in use", "address in use"),
        ] {
            assert_eq!(without_time(line), want);
        }
        assert_eq!(without_time(&"a".repeat(300)).len(), LONGEST);
    }

    #[test]
    fn what_a_trial_lacks_is_no_fault() {
        let devices = ["quay0".to_owned()];
        let about = About { confined: Some("AppArmor"), devices: &devices, ..about() };
        for (words, faults_and_notes) in [
            ("open /srv/boards: Permission denied", (0, 1)),
            ("unknown interface quay0: no such device", (0, 1)),
            ("unknown interface quay01: no such device", (1, 0)),
            ("error: no such quay", (1, 0)),
        ] {
            assert_eq!(faults(&up(), &down(words), &about), faults_and_notes, "{words}");
        }
    }

    #[test]
    fn a_place_that_others_have_is_a_fault_where_it_is_new() {
        let at = |text: &str| text.parse::<SocketAddr>().unwrap();
        let taken = [(false, at("0.0.0.0:22")), (true, at("127.0.0.1:53"))];
        let about = About { taken: &taken, ..about() };
        for (udp, place, count) in [
            (false, "10.0.0.1:22", 1),
            (true, "10.0.0.1:22", 0),
            (true, "0.0.0.0:53", 1),
            (true, "127.0.0.2:53", 0),
            (false, "0.0.0.0:23", 0),
            (false, "[::]:22", 0),
        ] {
            let new = TrialRun { listening: vec![(udp, at(place))], ..up() };
            assert_eq!(faults(&up(), &new, &about).0, count, "{place}");
            assert_eq!(faults(&new, &new, &about).0, 0, "{place}");
        }
    }

    #[test]
    fn clients_are_judged_by_what_they_got_on_the_files_as_they_are() {
        let with = |got: Vec<Got>| TrialRun { got, ..up() };
        let table =
            [(true, true, (0, 0)), (true, false, (1, 0)), (false, false, (0, 1)), (false, true, (0, 0))];
        for (before, now, counts) in table {
            let (old, new) = (with(vec![got("port 80", before)]), with(vec![got("port 80", now)]));
            assert_eq!(faults(&old, &new, &about()), counts, "{before} {now}");
        }
        // What was not looked at before is to hold.
        assert_eq!(faults(&up(), &with(vec![got("port 81", false)]), &about()).0, 1);
        let answered = |word: &str, grade| Got {
            answers: vec![Answer::new("GET /", grade, word)],
            ..got("answers", true)
        };
        let mut check = Check::expected("answers", crate::probe::Probe::Sockets);
        check.measure = Some(Measure::default());
        let checks = [check];
        let about = About { checks: &checks, ..about() };
        let (ok, gone) = (answered("200", Grade::Served), answered("404", Grade::Refused));
        assert_eq!(faults(&with(vec![ok.clone()]), &with(vec![gone.clone()]), &about).0, 1);
        assert_eq!(faults(&with(vec![gone.clone()]), &with(vec![gone]), &about).0, 0);
        // A new question beside the old one has no measure, whatever the check is called now.
        let mut alone = ok.clone();
        alone.outcome.name = "answers for one".into();
        let mut both = ok;
        both.answers.push(Answer::new("GET /new", Grade::Failed, "no address"));
        both.outcome.healthy = false;
        assert_eq!(faults(&with(vec![alone]), &with(vec![both]), &about).0, 0);
    }
}
