//! The last lines of a change: how it ended, why, and the command that undoes it or goes on. They are enough by
//! themselves.

use super::ChangeView;
use crate::out::{BOLD, ERROR, WARNING};
use crate::view::{styled, time, wrapped};
use gypsum_core::change::Verdict;
use std::path::Path;

/// A blank at which no line is broken (Unicode: NO-BREAK SPACE).
const FIXED: &str = "\u{a0}";

impl ChangeView {
    pub(super) fn ended(&self, verdict: Verdict, summary: &str, next: Option<&str>) {
        // Whether it stands in the way: that goes to standard error.
        let (word, style, hinders) = match verdict {
            Verdict::Kept => ("Kept", BOLD, false),
            Verdict::Unchanged => ("Unchanged", BOLD, false),
            Verdict::Restored => ("Restored", WARNING.bold(), false),
            Verdict::Refused => ("Refused", ERROR, true),
            Verdict::Stuck => ("Stuck", ERROR, true),
            Verdict::Dropped if self.recovers => ("Recovered", BOLD, false),
            Verdict::Dropped if self.hold && next.is_none() => ("Held", BOLD, false),
            Verdict::Dropped if self.dry_run && next.is_none() => ("Dry run", BOLD, false),
            Verdict::Dropped => ("Not done", ERROR, true),
        };
        let why = self.reason.as_ref().filter(|_| matches!(verdict, Verdict::Refused | Verdict::Restored));
        let why = why.map_or(String::new(), |reason| format!("{}; ", reason.trim_end_matches('.')));
        let mut facts: Vec<String> =
            self.number().map(|number| format!("change {number}")).into_iter().collect();
        if !self.replay {
            facts.push(time(u64::try_from(self.begun.elapsed().as_millis()).unwrap_or(0)));
        }
        let facts = if facts.is_empty() {
            String::new()
        } else {
            format!(" ({})", facts.join(", ").replace(' ', FIXED))
        };
        let text = format!("{word}: {why}{summary}.{facts}");
        for (n, line) in wrapped(&text, self.out.width - 4).into_iter().enumerate() {
            let (line, styled_word) = (line.replace(FIXED, " "), styled(style, word));
            let line = if n == 0 { line.replacen(word, &styled_word, 1) } else { format!("    {line}") };
            self.say(hinders, &line);
        }
        let wanted = verdict == Verdict::Kept && self.edited && !self.out.quiet;
        let undo = self.number().filter(|_| wanted);
        let undo = undo.map(|number| format!("undo it with: gypsum restore {} {number}", self.daemon));
        let next = next.iter().flat_map(|next| wrapped(next, self.out.width - 6)).collect::<Vec<_>>();
        for line in next.into_iter().chain(self.saved.iter().cloned()).chain(undo) {
            self.say(hinders, &format!("    {line}"));
        }
    }

    /// The number of the change.
    fn number(&self) -> Option<&str> {
        let (_, number) = self.change.as_ref()?.rsplit_once('-')?;
        Some(number.trim_start_matches('0'))
    }

    /// A line of the answer, or of what is in its way. What happened before is all an answer.
    pub(super) fn say(&self, to_stderr: bool, line: &str) {
        if to_stderr && !self.replay { self.out.eprint(line) } else { self.out.print(line) }
    }

    /// What is not live is a draft: the command that goes on with it, for the last lines.
    pub(super) fn saved(&mut self, draft: u32, file: &str, held: bool) {
        let daemon = &self.daemon;
        let line = if held {
            format!("take it live with: gypsum change {daemon} --ready {draft}")
        } else {
            format!("correct it with: gypsum edit {daemon} --draft {draft}")
        };
        // One line of its own says which file, where there are several.
        let file =
            Path::new(file).file_name().map_or(String::new(), |name| format!("{}: ", name.to_string_lossy()));
        let file = if self.saved.is_empty() { String::new() } else { file };
        self.saved.push(format!("{file}{line}"));
    }
}

/// What a stage does, for a person; the record has its short name.
pub(super) fn stage(name: &str) -> &str {
    match name {
        "lock" => "take the locks, read the files",
        "edit" => "make the edits",
        "check" => "check the new files",
        "measure" => "look at the service as it is",
        "save" => "save the old files",
        "stage" => "write the new files beside the old ones",
        "hand-over" => "hand the change to its own process",
        "replace" => "put the new files in place",
        "activate" => "let the service take them up",
        "check-health" => "check its health",
        "restore" => "restore the old files",
        "reactivate" => "let the service take up the old files",
        "check-health-again" => "check its health again",
        "tidy" => "remove what was only for the change",
        other => other,
    }
}
