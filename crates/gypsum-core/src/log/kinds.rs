//! Lines of a log that are new in kind: times, numbers and names of sessions taken out, nothing like them was there before.

use super::{LogLine, is_error, is_telling};
use std::collections::{HashMap, HashSet};

/// What stands for all that differs from line to line.
const ANY: &str = "#";
/// Ports from here on are those of clients, as the kernel gives them (ip(7), ip_local_port_range).
const CLIENT_PORTS: u32 = 32_768;
/// Letters and digits of this many in a row, with a digit among them, are a number in hexadecimal.
const HEX: usize = 8;
/// A warning, as syslog counts (RFC 5424, 6.2.1).
const WARNING: u8 = 4;
/// What daemons say of a setting that they do not follow.
const COMPLAINS: [&str; 11] = [
    "warn",
    "ignor",
    "deprecated",
    "obsolete",
    "skipping",
    "disabled",
    "lower than",
    "too low",
    "adjusted to",
    "not supported",
    "not loaded",
];
/// So many kinds that differ in their paths and addresses alone are what is usual.
const USUAL: u32 = 3;
const NAMES_OF_TIME: [&str; 19] = [
    "mon", "tue", "wed", "thu", "fri", "sat", "sun", "jan", "feb", "mar", "apr", "may", "jun", "jul", "aug",
    "sep", "oct", "nov", "dec",
];

/// The lines among `now` that tell of an error, and of a kind that is not among `before`: one of each kind, in order.
///
/// `is_comparable`: whether there was such an activation before. Otherwise many lines are new without any fault, and only
/// plain errors are told.
pub fn new_errors(before: &[LogLine], now: &[LogLine], is_comparable: bool) -> Vec<String> {
    let known: HashSet<String> = before.iter().map(|line| kind_of(&line.text)).collect();
    let mut loose: HashMap<String, u32> = HashMap::new();
    for kind in &known {
        *loose.entry(loosely(kind)).or_default() += 1;
    }
    let mut told: Vec<String> = Vec::new();
    let mut new = Vec::new();
    for line in now
        .iter()
        .filter(|line| is_telling(line) && if is_comparable { complains(line) } else { is_error(line) })
    {
        let kind = kind_of(&line.text);
        let is_there = |old: &String| is_same(old, &kind);
        // What is said of one page or client after another is no news of the configuration.
        let is_usual = loose.get(&loosely(&kind)).is_some_and(|times| *times >= USUAL);
        if is_usual || kind.trim_matches([' ', '#']).is_empty() || known.iter().chain(&told).any(is_there) {
            continue;
        }
        told.push(kind);
        new.push(line.text.trim().to_owned());
    }
    new
}

/// Whether a line that is new may tell of something wrong: it need not say that it is an error.
fn complains(line: &LogLine) -> bool {
    let text = line.text.to_lowercase();
    if text.contains("info: ") {
        return false;
    }
    is_error(line) || line.severity == Some(WARNING) || COMPLAINS.iter().any(|word| text.contains(word))
}

/// Whether two kinds are one: the same line comes by two ways, and one of them puts the time and the program in front.
fn is_same(one: &str, other: &str) -> bool {
    let (long, short) = if one.len() < other.len() { (other, one) } else { (one, other) };
    let front = long.strip_suffix(short);
    front.is_some_and(|front| front.is_empty() || front.ends_with(' ') && !short.is_empty())
}

/// A kind without the paths, addresses and texts in it.
fn loosely(kind: &str) -> String {
    let is_detail = |word: &&str| !word.contains(['/', '"', '\'', '=', '<']) && address_in(word).is_none();
    kind.split(' ').filter(is_detail).collect::<Vec<_>>().join(" ")
}

/// The kind of a line. Paths, addresses and the names of settings stay as they are: they are the news.
pub fn kind_of(line: &str) -> String {
    let mut out: Vec<String> = Vec::new();
    for word in line.split_whitespace() {
        let word = kind_of_word(word);
        // A time takes one or several words.
        if word == ANY && out.last().is_some_and(|last| last == ANY) {
            continue;
        }
        out.push(word);
    }
    out.join(" ")
}

fn kind_of_word(word: &str) -> String {
    let bare = word.trim_matches(|c: char| !c.is_ascii_alphanumeric() && !matches!(c, '/' | '<' | '>'));
    // The name of a session.
    if word.contains('<') && word.contains('>') && word.len() >= HEX {
        return ANY.to_owned();
    }
    let is_path =
        bare.starts_with('/') || bare.contains("/") && bare.starts_with(|c: char| c.is_ascii_alphabetic());
    if is_path {
        return word.to_owned();
    }
    if let Some(address) = address_in(word) {
        return address;
    }
    let lower = bare.to_ascii_lowercase();
    if NAMES_OF_TIME.contains(&lower.as_str()) || is_number(bare) {
        return ANY.to_owned();
    }
    // A code that a writer gives to a message.
    let letters = bare.chars().take_while(char::is_ascii_uppercase).count();
    if letters >= 2 && bare[letters..].chars().all(|c| c.is_ascii_digit()) {
        return word.to_owned();
    }
    if word.contains('_') && !word.contains(['[', '#']) {
        return word.to_owned();
    }
    let mut out = String::new();
    let mut rest = word;
    while let Some(first) = rest.chars().next() {
        let run = rest.len() - rest.trim_start_matches(|c: char| c.is_ascii_alphanumeric()).len();
        if run == 0 {
            // What is between the digits of a number or a time.
            out.push(first);
            rest = &rest[first.len_utf8()..];
            continue;
        }
        let (piece, behind) = rest.split_at(run);
        let has_digit = piece.contains(|c: char| c.is_ascii_digit());
        let is_hex = piece.len() >= HEX && has_digit && piece.chars().all(|c| c.is_ascii_hexdigit());
        match (is_hex, has_digit) {
            (true, _) => out.push_str(ANY),
            (false, true) => {
                let mut last_is_digit = false;
                for c in piece.chars() {
                    if !c.is_ascii_digit() {
                        out.push(c);
                    } else if !last_is_digit {
                        out.push_str(ANY);
                    }
                    last_is_digit = c.is_ascii_digit();
                }
            }
            (false, false) => out.push_str(piece),
        }
        rest = behind;
    }
    // Redis says behind its process in which role it is.
    match out.strip_suffix(['M', 'S', 'C', 'X']) {
        Some("#:") => ANY.to_owned(),
        _ if out.chars().all(|c| {
            matches!(c, '#' | ':' | '.' | '/' | '-' | '+' | 'T' | 'Z' | ',' | '[' | ']' | '(' | ')')
        }) =>
        {
            ANY.to_owned()
        }
        _ => out,
    }
}

/// A number, whatever is between its digits: of a time, of a process, with a unit behind it.
fn is_number(word: &str) -> bool {
    let digits = word.trim_end_matches(|c: char| c.is_ascii_alphabetic());
    let unit = word.len() - digits.len();
    !digits.is_empty()
        && unit <= 3
        && digits
            .chars()
            .all(|c| c.is_ascii_digit() || matches!(c, '.' | ':' | ',' | '/' | '-' | '+' | '#' | '*'))
        && digits.matches('.').count() != 3
}

/// A word with an address of IPv4 in it, without the port of a client.
fn address_in(word: &str) -> Option<String> {
    let begin = word.find(|c: char| c.is_ascii_digit())?;
    let end =
        word[begin..].find(|c: char| !c.is_ascii_digit() && c != '.').map_or(word.len(), |end| begin + end);
    word[begin..end].trim_end_matches('.').parse::<std::net::Ipv4Addr>().ok()?;
    let rest = &word[end..];
    let port = rest.strip_prefix([':', '#']).map(|rest| {
        let digits = rest.len() - rest.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        rest.split_at(digits)
    });
    match port {
        Some((port, behind)) if port.parse::<u32>().is_ok_and(|port| port >= CLIENT_PORTS) => {
            Some(format!("{}:{ANY}{behind}", &word[..end]))
        }
        _ => Some(word.to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_of_one_kind_differ_in_times_and_numbers() {
        for (one, two) in [
            ("2026/11/28 08:05:01 [warn] 17#17: x", "2026/11/29 18:15:11 [warn] 2301#2301: x"),
            (
                "[Sat Nov 28 08:05:01.123 2026] [x:error] [pid 7:tid 8] AH01909: y",
                "[Sun Nov 29 18:15:11.5 2026] [x:error] [pid 19:tid 20] AH01909: y",
            ),
            ("Nov 28 08:05:01 quay sshd[77]: error: a", "Dec  1 18:05:01 quay sshd[1]: error: a"),
            ("2026-11-28T08:05:01.1+00:00 quay a: b", "2026-11-29T18:05:01.2+01:00 quay a: b"),
            ("77:M 29 Nov 2026 22:42:19.656 # WARNING", "1:S 30 Dec 2026 22:42:19.6 # WARNING"),
            ("4F1A2B3C4D: reject from 192.0.2.7:40001", "9ABCDEF012: reject from 192.0.2.7:51234"),
            ("took 12 ms, 0.3s, 14kB", "took 1 ms, 10.3s, 2kB"),
            ("user=<>, session=<R+QfnnJhBoB/AAAB>", "user=<>, session=<S/QfnnJh+oB/AAAC>"),
            ("1764400000.123 worker 3", "1764409999.9 worker 12"),
        ] {
            assert_eq!(kind_of(one), kind_of(two), "{one}");
        }
    }

    #[test]
    fn paths_addresses_codes_and_names_are_the_news() {
        for (one, two) in [
            ("cannot open /etc/quay1.pem", "cannot open /etc/quay2.pem"),
            ("bind() to 0.0.0.0:80 failed", "bind() to 0.0.0.0:81 failed"),
            ("no route to 192.0.2.1", "no route to 192.0.2.2"),
            ("AH00112: x", "AH00526: x"),
            ("unknown variable 'max_len1=3'", "unknown variable 'max_len2=3'"),
        ] {
            assert_ne!(kind_of(one), kind_of(two), "{one}");
        }
    }

    #[test]
    fn errors_of_a_new_kind_are_told_once() {
        let line = |text: &str| LogLine::of_daemon(text);
        let before = [line("08:00:01 quay[7]: error: no tide table"), line("listening")];
        let now = [
            line("error: no tide table"),
            line("09:00:02 quay[8]: error: no tide table"),
            line("error: no key /etc/quay.pem"),
            line("09:00:02 quay[8]: error: no key /etc/quay.pem"),
            line("09:00:02 quay[8]: reads its timetable"),
        ];
        assert_eq!(new_errors(&before, &now, true), ["error: no key /etc/quay.pem"]);
        // One page after the other is not there, and that has nothing to do with the configuration.
        let pages: Vec<LogLine> =
            (0..5).map(|n| line(&format!("open() \"/srv/{n}.html\" failed (2: No such file)"))).collect();
        assert_eq!(new_errors(&pages[..4], &pages[4..], true), Vec::<String>::new());
        assert_eq!(new_errors(&pages[..1], &pages[4..], true).len(), 1);
        // The first reload of all is full of news.
        let warning = [line("Warning: SIGHUP received, reading the timetable anew")];
        assert_eq!(new_errors(&before, &warning, false), Vec::<String>::new());
        assert_eq!(new_errors(&before, &warning, true).len(), 1);
        assert_eq!(new_errors(&[], &now[..1], false), ["error: no tide table"]);
    }
}
