//! Lines of logs, and which of them say why something went wrong.

mod kinds;

pub use kinds::{kind_of, new_errors};

/// A line of a log.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LogLine {
    /// The line.
    pub text: String,
    /// Whether the service manager wrote it, and not the daemon.
    pub by_manager: bool,
    /// How grave it is, by its writer: from 0 (emergency) to 7 (debug), as syslog has it (RFC 5424, 6.2.1); `None` if the
    /// log does not say.
    pub severity: Option<u8>,
}

impl LogLine {
    /// A line that the daemon wrote into a file of its own.
    pub fn of_daemon(text: impl Into<String>) -> Self {
        Self { text: text.into(), by_manager: false, severity: None }
    }
}

/// Errors, as syslog counts: 3 is an error, and less is worse.
const ERROR: u8 = 3;
/// So many errors of the daemon are shown before anything else has a place.
const MOST_ERRORS: usize = 4;

/// At most `most` of the lines: those of the daemon before those of its manager, errors before the rest, the first error
/// before the last, and of the rest the last ones. A line that is there twice is shown once.
pub fn excerpt(lines: &[LogLine], most: usize) -> Vec<String> {
    let mut seen = std::collections::HashSet::new();
    let telling = lines.iter().filter(|line| is_telling(line) && seen.insert(line.text.as_str()));
    let (manager, daemon): (Vec<&LogLine>, Vec<&LogLine>) = telling.partition(|line| line.by_manager);
    let (errors, rest): (Vec<&LogLine>, Vec<&LogLine>) = daemon.into_iter().partition(|line| is_error(line));
    let (failures, jobs): (Vec<&LogLine>, Vec<&LogLine>) =
        manager.into_iter().partition(|line| is_error(line));
    let mut shown: Vec<&LogLine> = errors.into_iter().take(MOST_ERRORS.min(most)).collect();
    for others in [rest, failures, jobs] {
        let room = most - shown.len();
        shown.extend_from_slice(&others[others.len().saturating_sub(room)..]);
    }
    shown.into_iter().map(|line| line.text.trim_end().to_owned()).collect()
}

/// Whether one of the lines is an error of the daemon.
pub fn has_error(lines: &[LogLine]) -> bool {
    lines.iter().any(|line| !line.by_manager && is_telling(line) && is_error(line))
}

/// Whether a line may say why: it is more than what the manager was asked to do, and no mere notice.
fn is_telling(line: &LogLine) -> bool {
    const JOBS: [&str; 6] = ["Starting ", "Started ", "Stopping ", "Stopped ", "Reloading ", "Reloaded "];
    const NOTICES: [&str; 7] = ["[notice]", "[info]", "[debug]", "[Note]", "NOTICE: ", "INFO: ", "DEBUG: "];
    let text = &line.text;
    let is_job = JOBS.iter().any(|word| text.starts_with(word)) || text.contains(": Consumed ");
    let is_notice = NOTICES.iter().any(|mark| text.contains(mark));
    let says_nothing = text.trim().is_empty() || is_notice || line.by_manager && is_job;
    !says_nothing
}

/// Whether it tells of an error: its writer says so, or its words do. Many daemons write all of it at one severity.
fn is_error(line: &LogLine) -> bool {
    const WORDS: [&str; 28] = [
        "error",
        "fatal",
        "emerg",
        "crit",
        "alert",
        "panic",
        "fail",
        "cannot",
        "can't",
        "can not",
        "could not",
        "couldn't",
        "unable",
        "invalid",
        "illegal",
        "unknown",
        "unrecognized",
        "unexpected",
        "denied",
        "refused",
        "in use",
        "no such",
        "not found",
        "does not exist",
        "not permitted",
        "not allowed",
        "missing",
        "abort",
    ];
    if line.severity.is_some_and(|severity| severity <= ERROR) {
        return true;
    }
    let text = line.text.to_lowercase();
    WORDS.iter().any(|word| text.contains(word))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn daemon(text: &str) -> LogLine {
        LogLine::of_daemon(text)
    }

    fn manager(text: &str) -> LogLine {
        LogLine { by_manager: true, severity: Some(5), ..daemon(text) }
    }

    #[test]
    fn the_line_that_says_why_comes_first() {
        let mut lines = vec![
            manager("Starting boards.service - Departure boards..."),
            daemon("boards 2.1 reads /etc/boards.conf"),
            daemon("bind to 127.0.0.1:7000: Address already in use"),
            daemon("no board was shown"),
            daemon("leaving"),
        ];
        for _ in 0..5 {
            lines.push(manager("boards.service: Main process exited, code=exited, status=1/FAILURE"));
            lines.push(manager("boards.service: Failed with result 'exit-code'."));
            lines.push(manager("Failed to start boards.service - Departure boards."));
            lines.push(daemon("bind to 127.0.0.1:7000: Address already in use"));
        }
        let shown = excerpt(&lines, 5);
        assert_eq!(shown[0], "bind to 127.0.0.1:7000: Address already in use");
        assert_eq!(&shown[1..4], ["boards 2.1 reads /etc/boards.conf", "no board was shown", "leaving"]);
        assert_eq!(shown.len(), 5);
        assert!(shown[4].starts_with("Failed to start"), "{shown:?}");
    }

    #[test]
    fn the_first_error_counts_more_than_those_that_follow_from_it() {
        let lines: Vec<LogLine> = (1..9).map(|n| daemon(&format!("error {n}"))).collect();
        assert_eq!(excerpt(&lines, 5), ["error 1", "error 2", "error 3", "error 4"]);
        let grave = LogLine { severity: Some(2), ..daemon("the tide is out") };
        assert_eq!(excerpt(&[daemon("one"), daemon("two"), grave], 2), ["the tide is out", "two"]);
        assert_eq!(excerpt(&[daemon("[notice] error log is rotated"), daemon(" ")], 5), [""; 0]);
    }
}
