//! One line in the log of the host for each change that was live: the journal with its fields where there is one, else
//! syslog.

use gypsum_core::change::Verdict;
use gypsum_core::report::Report;
use std::io;
use std::os::unix::net::UnixDatagram;
use std::path::Path;

/// Where the journal takes entries (systemd: Native Journal Protocol).
const JOURNAL: &str = "/run/systemd/journal/socket";
/// Where syslog takes lines (RFC 3164).
const SYSLOG: &str = "/dev/log";
/// The facility of system daemons (RFC 5424, 6.2.1).
const DAEMON: u8 = 3;

/// The severity of what deserves a look (RFC 5424, 6.2.1).
const WARNING: u8 = 4;

/// Writes it. That it cannot be written is no reason to judge a change otherwise.
pub fn write(report: &Report, number: u32) {
    let fields = fields(report, number);
    enter(&fields, &classic(severity(report), &fields));
}

/// Writes that what was watched after a change failed.
pub fn write_watch(daemon: &str, change: u32, who: &str, message: &str) {
    let fields = vec![
        ("MESSAGE", message.to_owned()),
        ("PRIORITY", WARNING.to_string()),
        ("SYSLOG_IDENTIFIER", "gypsum".to_owned()),
        ("GYPSUM_DAEMON", daemon.to_owned()),
        ("GYPSUM_CHANGE", change.to_string()),
        ("GYPSUM_WHO", who.to_owned()),
    ];
    enter(&fields, &classic(WARNING, &fields));
}

/// Into the journal, else as a line to syslog.
fn enter(fields: &[(&str, String)], line: &str) {
    if let Err(error) = send(JOURNAL, &native(fields)).or_else(|_| send(SYSLOG, line.as_bytes())) {
        tracing::debug!(%error, "the log of the host takes nothing");
    }
}

fn send(socket: &str, bytes: &[u8]) -> io::Result<()> {
    if !Path::new(socket).exists() {
        return Err(io::ErrorKind::NotFound.into());
    }
    let line = UnixDatagram::unbound()?;
    // A log that hangs never holds a change up.
    line.set_nonblocking(true)?;
    line.send_to(bytes, socket).map(|_| ())
}

/// How grave it is, as syslog counts.
fn severity(report: &Report) -> u8 {
    match report.verdict {
        Some(Verdict::Stuck) => 2,
        Some(Verdict::Restored) => 4,
        Some(Verdict::Kept) if report.healthy == Some(false) => 4,
        Some(Verdict::Kept | Verdict::Unchanged | Verdict::Refused | Verdict::Dropped) | None => 5,
    }
}

/// The fields of the entry, the message first. What is secret was taken out of the report before.
fn fields(report: &Report, number: u32) -> Vec<(&'static str, String)> {
    let mut files: Vec<&str> = report.edits.iter().map(|edit| edit.file.as_str()).collect();
    files.dedup();
    let verdict = report.verdict.map_or("open", |verdict| verdict.word());
    let reason = report.reason.as_ref().map_or(String::new(), |reason| format!(", because {reason}"));
    let why = report.why.as_ref().map_or(String::new(), |why| format!("; why: {why}"));
    let message = format!(
        "change {number} of {} by {}: {verdict}{reason}: {} ({}{why})",
        report.daemon,
        report.who,
        report.summary,
        files.join(", ")
    );
    let mut fields = vec![
        ("MESSAGE", message),
        ("PRIORITY", severity(report).to_string()),
        ("SYSLOG_IDENTIFIER", "gypsum".to_owned()),
        ("GYPSUM_DAEMON", report.daemon.clone()),
        ("GYPSUM_CHANGE", number.to_string()),
        ("GYPSUM_VERDICT", verdict.to_owned()),
        ("GYPSUM_WHO", report.who.clone()),
        ("GYPSUM_FILES", files.join("\n")),
    ];
    fields.extend(report.why.clone().map(|why| ("GYPSUM_WHY", why)));
    fields
}

/// A field with a line break has its length in front, as eight bytes, least first.
fn native(fields: &[(&str, String)]) -> Vec<u8> {
    let mut out = Vec::new();
    for (name, value) in fields {
        out.extend_from_slice(name.as_bytes());
        if value.contains('\n') {
            out.push(b'\n');
            out.extend_from_slice(&(value.len() as u64).to_le_bytes());
        } else {
            out.push(b'=');
        }
        out.extend_from_slice(value.as_bytes());
        out.push(b'\n');
    }
    out
}

fn classic(severity: u8, fields: &[(&str, String)]) -> String {
    let message = fields.first().map_or("", |(_, message)| message.as_str()).replace('\n', " ");
    format!("<{}>gypsum[{}]: {message}", DAEMON * 8 + severity, std::process::id())
}

#[cfg(test)]
mod tests {
    use super::*;
    use gypsum_core::edit::LineDiff;

    #[test]
    fn an_entry_says_what_was_done_by_whom_and_why() {
        let edit = |file: &str| LineDiff {
            address: "rows".into(),
            file: file.into(),
            line: 1,
            before: None,
            after: None,
            companion: false,
        };
        let report = Report {
            verdict: Some(Verdict::Restored),
            who: "ida (root)".into(),
            why: Some("summer\ntimetable".into()),
            reason: Some("board is unhealthy".into()),
            summary: "departures is running on its old configuration".into(),
            edits: vec![edit("/etc/a.conf"), edit("/etc/a.conf"), edit("/etc/b.conf")],
            ..Report::new("departures")
        };
        let fields = fields(&report, 7);
        let bytes = native(&fields);
        let text = String::from_utf8_lossy(&bytes);
        let line = "MESSAGE\n";
        assert!(text.starts_with(line), "the why has two lines: {text}");
        assert!(text.contains("\nPRIORITY=4\n") && text.contains("\nGYPSUM_CHANGE=7\n"), "{text}");
        assert!(text.contains("GYPSUM_WHY\n\u{10}\0\0\0\0\0\0\0summer\ntimetable\n"), "{text:?}");
        assert!(text.contains("GYPSUM_FILES\n\u{17}\0\0\0\0\0\0\0/etc/a.conf\n/etc/b.conf\n"), "{text:?}");
        let classic = classic(severity(&report), &fields);
        let said = "change 7 of departures by ida (root): restored, because board is unhealthy: departures is running on its \
                    old configuration (/etc/a.conf, /etc/b.conf; why: summer timetable)";
        assert!(classic.starts_with("<28>gypsum[") && classic.ends_with(said), "{classic}");
    }
}
