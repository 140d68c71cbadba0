//! The journal of a unit: its own lines, and what the manager says of it.

use super::whose::ManagerScope;
use crate::children;
use crate::service::ASKING;
use gypsum_core::log::LogLine;
use serde::Deserialize;
use std::time::Duration;

/// So many lines of a journal are read.
const MOST_LINES: &str = "400";
/// So often, and so long apart, a line is looked for that may be on its way into the journal.
const UNDER_WAY: (u32, Duration) = (12, Duration::from_millis(60));

/// The lines between two moments (milliseconds since 1970), the last ones where there are many.
pub fn lines(whose: &ManagerScope, unit: &str, since_ms: i64, until_ms: Option<i64>) -> Vec<LogLine> {
    let own = match whose {
        ManagerScope::System => vec![format!("_SYSTEMD_UNIT={unit}")],
        ManagerScope::Own | ManagerScope::Of(..) => vec![format!("_SYSTEMD_USER_UNIT={unit}")],
    };
    read(&[of_user(whose, own), about(whose, unit)], since_ms, until_ms)
}

/// Whether the manager was asked, since a moment, to stop the unit or to restart it: of one that ends by itself it
/// says that it ended, and never that it is stopping it.
pub fn was_stopping(whose: &ManagerScope, unit: &str, since_ms: i64) -> bool {
    for _ in 0..UNDER_WAY.0 {
        let lines = read(&[about(whose, unit)], since_ms, None);
        if lines.iter().any(|line| line.text.starts_with("Stopping ")) {
            return true;
        }
        std::thread::sleep(UNDER_WAY.1);
    }
    false
}

/// What the manager itself says of the unit.
fn about(whose: &ManagerScope, unit: &str) -> Vec<String> {
    match whose {
        ManagerScope::System => vec![format!("UNIT={unit}")],
        ManagerScope::Own | ManagerScope::Of(..) => of_user(whose, vec![format!("USER_UNIT={unit}")]),
    }
}

/// Only lines of the account whose manager that is.
fn of_user(whose: &ManagerScope, mut wanted: Vec<String>) -> Vec<String> {
    match whose {
        ManagerScope::System => {}
        ManagerScope::Own => wanted.push(format!("_UID={}", rustix::process::geteuid().as_raw())),
        ManagerScope::Of(_, uid) => wanted.push(format!("_UID={uid}")),
    }
    wanted
}

/// A line as `journalctl -o json` has it (systemd.journal-fields(7)).
#[derive(Deserialize)]
struct Line {
    #[serde(rename = "MESSAGE")]
    message: Option<Message>,
    #[serde(rename = "PRIORITY")]
    priority: Option<String>,
    #[serde(rename = "UNIT")]
    unit: Option<String>,
    #[serde(rename = "USER_UNIT")]
    user_unit: Option<String>,
}

/// A message that is not UTF-8 comes as its bytes.
#[derive(Deserialize)]
#[serde(untagged)]
enum Message {
    Text(String),
    Bytes(Vec<u8>),
}

/// Reads lines for which all of one of these holds.
fn read(wanted: &[Vec<String>], since_ms: i64, until_ms: Option<i64>) -> Vec<LogLine> {
    let moment = |word: &str, ms: i64| format!("--{word}=@{}.{:03}", ms / 1000, ms % 1000);
    let fields = "--output-fields=MESSAGE,PRIORITY,UNIT,USER_UNIT";
    let lead = ["journalctl", "-q", "--no-pager", "-o", "json", fields, "-n", MOST_LINES].map(str::to_owned);
    let mut words: Vec<String> = lead.into_iter().chain([moment("since", since_ms)]).collect();
    words.extend(until_ms.map(|ms| moment("until", ms)));
    for (n, all) in wanted.iter().enumerate() {
        words.extend((n > 0).then(|| "+".to_owned()).into_iter().chain(all.iter().cloned()));
    }
    let printed = children::run(&words, ASKING).map(|ran| ran.out).unwrap_or_default();
    printed.lines().filter_map(|line| serde_json::from_str::<Line>(line).ok()).flat_map(lines_of).collect()
}

/// The lines of one message.
fn lines_of(line: Line) -> Vec<LogLine> {
    let text = match line.message {
        Some(Message::Text(text)) => text,
        Some(Message::Bytes(bytes)) => String::from_utf8_lossy(&bytes).into_owned(),
        None => return Vec::new(),
    };
    // Only a manager writes about a unit by its name.
    let by_manager = line.unit.is_some() || line.user_unit.is_some();
    let severity = line.priority.and_then(|text| text.parse().ok());
    text.lines().map(|text| LogLine { text: text.to_owned(), by_manager, severity }).collect()
}
