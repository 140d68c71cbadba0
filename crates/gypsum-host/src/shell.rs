//! The shell's own word on a file of assignments: its syntax check, which runs nothing of it.

use crate::children::{Limit, Ran, run_with_input};
use gypsum_core::finding::Finding;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

/// How long a syntax check may take.
const LIMIT: Duration = Duration::from_secs(10);
/// The shells that are asked, the first that is installed.
const SHELLS: [&str; 2] = ["/bin/bash", "/bin/sh"];

/// What the shell says against the proposal and not against the file as it is; `None` where no shell is
/// installed, or where it could not be asked.
pub fn syntax(path: &Path, before: Option<&[u8]>, after: &[u8]) -> Option<Vec<Finding>> {
    let shell = SHELLS.iter().find(|shell| Path::new(shell).exists())?;
    let now = asked(shell, after)?;
    if now.ok() {
        return Some(Vec::new());
    }
    let was_wrong = before.is_some_and(|before| asked(shell, before).is_some_and(|ran| !ran.ok()));
    let said = now.last_words();
    let line = said.split("line ").nth(1).and_then(|rest| rest.split(':').next()?.trim().parse().ok());
    let said = said.rsplit(": ").next().unwrap_or_default().trim().to_owned();
    let message = format!("the shell cannot read this: {said}");
    let mut finding = if was_wrong {
        Finding::warning("shell-syntax", message)
    } else {
        Finding::fault("shell-syntax", message)
    };
    finding = finding.in_file(&path.display().to_string());
    finding.line = line;
    finding.text = line.and_then(|line: u32| {
        let text = String::from_utf8_lossy(after);
        text.lines().nth(line as usize - 1).map(str::to_owned)
    });
    Some(vec![finding.help("put the value in quotes, or edit the line itself: gypsum edit")])
}

fn asked(shell: &str, text: &[u8]) -> Option<Ran> {
    let mut command = Command::new(shell);
    command.arg("-n");
    run_with_input(command, text, Limit::of(LIMIT)).ok().filter(|ran| !ran.timed_out)
}
