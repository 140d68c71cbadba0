//! The journal of a unit: its own lines, and what the manager says of it.

use super::whose::ManagerScope;
use crate::children;
use crate::service::ASKING;
use std::time::Duration;

/// So many lines of a journal are read.
const MOST_LINES: &str = "400";
/// So often, and so long apart, a line is looked for that may be on its way into the journal.
const UNDER_WAY: (u32, Duration) = (12, Duration::from_millis(60));

/// The lines between two moments (milliseconds since 1970), the last ones where there are many.
pub fn lines(whose: &ManagerScope, unit: &str, since_ms: i64, until_ms: Option<i64>) -> Vec<String> {
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
        if lines.iter().any(|line| line.starts_with("Stopping ")) {
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

/// Reads lines for which all of one of these holds.
fn read(wanted: &[Vec<String>], since_ms: i64, until_ms: Option<i64>) -> Vec<String> {
    let moment = |word: &str, ms: i64| format!("--{word}=@{}.{:03}", ms / 1000, ms % 1000);
    let lead = ["journalctl", "-q", "--no-pager", "-o", "cat", "-n", MOST_LINES].map(str::to_owned);
    let mut words: Vec<String> = lead.into_iter().chain([moment("since", since_ms)]).collect();
    words.extend(until_ms.map(|ms| moment("until", ms)));
    for (n, all) in wanted.iter().enumerate() {
        words.extend((n > 0).then(|| "+".to_owned()).into_iter().chain(all.iter().cloned()));
    }
    let lines = children::run(&words, ASKING).map(|ran| ran.out).unwrap_or_default();
    lines.lines().map(str::to_owned).collect()
}

/// Whether a line of the journal is only about what the service manager was asked to do.
pub fn is_about_jobs(line: &str) -> bool {
    ["Starting ", "Started ", "Stopping ", "Stopped ", "Reloading ", "Reloaded "]
        .iter()
        .any(|word| line.starts_with(word))
}
