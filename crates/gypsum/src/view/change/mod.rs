//! A change as it happens, and as it happened.

mod last_lines;
mod values;

use self::values::values;
use super::narrow::narrowed;
use super::{Shown, Waiting, finding_lines, outcome_line, styled, time, wrapped};
use crate::ask::{choose, is_interactive};
use crate::out::{BOLD, DIM, GONE, NEW, Terminal};
use anstyle::Style;
use gypsum_core::edit::LineDiff;
use gypsum_core::event::Event;
use gypsum_core::event::Reading;
use gypsum_core::finding::Finding;
use gypsum_core::health::{Judgement, Outcome};
use gypsum_host::local_zone::time_of_day;
use gypsum_host::run::Observer;
use gypsum_host::world::Progress;
use std::time::Instant;

/// From this time on it is said how long something usually takes.
const WORTH_SAYING_MS: u64 = 1_000;

/// Draws a change.
pub struct ChangeView {
    out: Terminal,
    asks: bool,
    begun: Instant,
    change: Option<String>,
    daemon: String,
    /// Whether there are edits.
    edited: bool,
    /// Why it is refused or restored.
    reason: Option<String>,
    /// The commands that go on with what is not live.
    saved: Vec<String>,
    strict: bool,
    recovers: bool,
    waiting: Option<Waiting>,
    progress: Progress,
    dry_run: bool,
    hold: bool,
    replay: bool,
    /// Whether only its end is new.
    only_end: bool,
    /// Whether the last line was one of a finding, and if so, whether it stood in the way.
    found: Option<bool>,
    /// The findings in a row.
    shown: Shown,
}

impl ChangeView {
    /// A view on this output; under `--json` and `-q` it draws little or nothing.
    pub fn new(out: Terminal) -> Self {
        Self {
            out,
            asks: false,
            begun: Instant::now(),
            change: None,
            daemon: String::new(),
            edited: false,
            reason: None,
            saved: Vec::new(),
            strict: false,
            recovers: false,
            waiting: None,
            progress: Progress::default(),
            dry_run: false,
            hold: false,
            replay: false,
            only_end: false,
            found: None,
            shown: Shown::default(),
        }
    }

    /// A view of a change that is over: nothing in it takes time.
    pub fn replay(out: Terminal) -> Self {
        Self { replay: true, ..Self::new(out) }
    }

    /// A view of a change whose end alone is new.
    pub fn only_end(out: Terminal) -> Self {
        Self { only_end: true, ..Self::new(out.quietly()) }
    }

    /// The same, and whether the person may be asked where there is a choice.
    pub fn asking(self, asks: bool) -> Self {
        Self { asks, ..self }
    }

    /// The same, with where to read how many checks are healthy.
    pub fn progress(self, progress: Progress) -> Self {
        Self { progress, ..self }
    }

    /// The same, of a recovery: that nothing was live is what it was to find out.
    pub fn recovery(self) -> Self {
        Self { recovers: true, ..self }
    }

    /// The same, and whether warnings refuse.
    pub fn strict(self, strict: bool) -> Self {
        Self { strict, ..self }
    }

    fn row(&self, label: &str, text: &str) {
        if self.out.quiet || self.out.json {
            return;
        }
        for (n, line) in wrapped(text, self.out.width - 12).into_iter().enumerate() {
            let label = if n == 0 { label } else { "" };
            self.out.print(&format!("{}{line}", styled(DIM, &format!("{label:<10}"))));
        }
    }

    fn outcomes(&self, label: &str, health: &[Outcome]) {
        if self.out.quiet || self.out.json {
            return;
        }
        let mark = label != "unhealthy";
        let worth = health.iter().filter(|outcome| outcome.is_news());
        for (n, outcome) in worth.enumerate() {
            let label = if n == 0 { label } else { "" };
            let lead = styled(DIM, &format!("{label:<10}"));
            for (m, line) in outcome_line(outcome, self.out.width - 12, mark).into_iter().enumerate() {
                let lead = if m == 0 { lead.clone() } else { " ".repeat(10) };
                self.out.print(&format!("{lead}{line}"));
            }
        }
    }

    fn edits(&self, edits: &[LineDiff]) {
        let mut file = "";
        for edit in edits {
            if edit.file != file {
                self.row("file", &edit.file);
                file = &edit.file;
            }
            let label = format!("line {}", edit.line);
            match (&edit.before, &edit.after) {
                (Some(before), Some(after)) => {
                    // Whoever reads it in a pipe gets the whole lines.
                    let narrowed = || narrowed(before.trim(), after.trim(), self.out.width - 18);
                    let (before, after) = self
                        .out
                        .is_screen
                        .then(narrowed)
                        .flatten()
                        .unwrap_or_else(|| (before.clone(), after.clone()));
                    self.code(&label, "was", &before, GONE);
                    self.code("", "is", &after, NEW);
                }
                (None, Some(after)) => self.code(&label, "new", after, NEW),
                (Some(before), None) => self.code(&label, "gone", before, GONE),
                (None, None) => {}
            }
        }
    }

    /// Lines of a file, with the indentation that they have in it.
    fn code(&self, label: &str, word: &str, text: &str, style: Style) {
        if self.out.quiet || self.out.json {
            return;
        }
        let mut lead = format!("{}{word:<6}", styled(DIM, &format!("{label:<10}")));
        for line in text.lines() {
            let indent: String = line.chars().take_while(|c| c.is_whitespace()).collect();
            let indent = indent.replace('\t', "    ");
            let width = self.out.width.saturating_sub(18 + indent.len()).max(20);
            for piece in wrapped(line.trim_start(), width) {
                self.out.print(&format!("{lead}{indent}{}", styled(style, &piece)));
                lead = " ".repeat(16);
            }
        }
    }

    fn begin_waiting(&mut self, on: &str, usual_ms: Option<u64>) {
        if self.out.quiet || self.out.json || self.replay {
            return;
        }
        let on = match usual_ms.filter(|ms| *ms >= WORTH_SAYING_MS) {
            Some(ms) => format!("{on}, usually {} s", ms / 1000),
            None => on.to_owned(),
        };
        self.waiting = Some(Waiting::begin(self.out, on, self.progress.clone()));
    }

    /// Values before and after, side by side.
    fn readings(&self, readings: &[Reading]) {
        for (n, reading) in readings.iter().enumerate() {
            let label = if n == 0 { "reading" } else { "" };
            self.row(label, &format!("{}: {}", reading.name, values(&reading.before, &reading.after)));
        }
    }

    /// Until when the person has time, and what to type: the last thing that they see of it.
    fn on_probation(&self, until: &str, for_ms: u64) {
        let at = until.parse::<jiff::Timestamp>().map(jiff::Timestamp::as_millisecond);
        let until = at.map_or_else(|_| until.to_owned(), time_of_day);
        let (daemon, minutes) = (&self.daemon, for_ms / 60_000);
        let time = if minutes > 0 { format!("{minutes} min") } else { format!("{} s", for_ms / 1_000) };
        let text =
            format!("On probation for {time}: at {until} the old configuration of {daemon} is restored.");
        if self.only_end {
            return;
        }
        wrapped(&text, self.out.width).iter().for_each(|line| self.out.print(&styled(BOLD, line)));
        self.out.print(&format!("    keep the new one: gypsum keep {daemon}"));
        self.out.print(&format!("    restore the old one now: gypsum restore {daemon}"));
    }

    /// A finding, apart from what is above it.
    fn found(&mut self, finding: &Finding) {
        let fits = self.shown.shows(finding, self.out.verbose);
        let refuses = finding.refuses(self.strict);
        if fits && (!self.out.quiet || refuses) {
            let lines = std::iter::once(String::new()).chain(finding_lines(finding, self.out));
            lines.for_each(|line| self.say(refuses, &line));
            self.found = Some(refuses);
        }
        if refuses {
            self.reason.get_or_insert_with(|| finding.message.clone());
        }
    }

    /// How many hints were not shown, and what keeps the findings apart from what is below them.
    fn end_findings(&mut self) {
        if let Some(rest) = self.shown.rest(self.out.verbose).filter(|_| !self.out.quiet) {
            self.out.print("");
            self.out.print(&rest);
        }
        if let Some(to_stderr) = self.found.take() {
            self.say(to_stderr, "");
        }
    }

    /// What was done to a service, or by a hook.
    fn done(&self, action: &str, target: &str, ok: bool, said: &str, ms: u64) {
        let said = if ok || said.is_empty() { String::new() } else { format!(": {said}") };
        let outcome = if ok { "" } else { " failed" };
        self.row(action, &format!("{target}{outcome}, {}{said}", time(ms)));
    }

    fn looked(&self, health: &[Outcome], judgement: Judgement, back: bool) {
        if judgement != Judgement::Worse {
            return self.outcomes(if back { "as before" } else { "healthy" }, health);
        }
        // What is not well is first, next to the word that says so.
        let (healthy, unhealthy): (Vec<Outcome>, Vec<Outcome>) =
            health.iter().cloned().partition(|outcome| outcome.healthy);
        self.outcomes("unhealthy", &unhealthy);
        self.outcomes("healthy", &healthy);
    }
}

impl Observer for ChangeView {
    fn confirm(&mut self) -> bool {
        if !self.asks || self.out.json || !is_interactive() {
            return true;
        }
        let choices = [
            ('s', "stop here: nothing is touched"),
            ('g', "go on: what counts then is whether anything gets worse"),
        ];
        // Whoever cannot be asked after all has not said that it may go on.
        matches!(choose("The service is already unhealthy. What to do?", &choices), Ok(Some('g')))
    }

    fn on_event(&mut self, event: &Event) {
        drop(self.waiting.take());
        if self.out.json {
            return;
        }
        if !matches!(event, Event::Found { .. } | Event::Stage { .. }) {
            self.end_findings();
        }
        match event {
            Event::Begun { daemon, dry_run, hold, .. } => {
                (self.dry_run, self.hold) = (*dry_run, *hold);
                self.daemon.clone_from(daemon);
            }
            Event::Proposed { edits } => {
                self.edited = !edits.is_empty();
                self.edits(edits);
            }
            Event::Found { finding } => self.found(finding),
            Event::Checked { by } => {
                let names: Vec<&str> = by.iter().map(|run| run.name.as_str()).collect();
                self.row("checked", &names.join("; "));
            }
            Event::Baseline { health } => self.outcomes("before", health),
            Event::Planned { activation, .. } if self.dry_run => self.row("would", activation),
            Event::Planned { activation, idle: true, .. } => self.row("to do", activation),
            // Whoever uses it will notice: that is said before.
            Event::Planned { activation, down: true, .. } => self.row("will", activation),
            Event::Planned { .. } | Event::Replaced { .. } => {}
            Event::BackedUp { change, folder } => {
                self.change = Some(change.clone());
                self.row("backup", folder);
            }
            Event::Waiting { on, usual_ms, .. } => self.begin_waiting(on, *usual_ms),
            Event::Logged { .. } => {}
            Event::Activated { action, target, ok, said, ms, .. }
            | Event::Beside { action, target, ok, said, ms } => self.done(action, target, *ok, said, *ms),
            Event::Read { readings } => self.readings(readings),
            Event::Looked { health, judgement, back } => self.looked(health, *judgement, *back),
            Event::Log { lines } => lines.iter().enumerate().for_each(|(n, line)| {
                let label = if n == 0 { "its log" } else { "" };
                self.row(label, line);
            }),
            Event::Restoring { cause } => {
                self.reason = Some(cause.clone());
                self.row("restoring", &format!("because {cause}"));
            }
            Event::OnProbation { until, for_ms } => self.on_probation(until, *for_ms),
            Event::Noted { text } => self.row("note", text),
            Event::Saved { draft, file, held } => self.saved(*draft, file, *held),
            Event::Stage { name, outcome, ms } if self.out.verbose => {
                self.out.eprint(&styled(
                    Style::new().dimmed(),
                    &format!("{}: {outcome}, {}", last_lines::stage(name), time(*ms)),
                ));
            }
            Event::Stage { .. } => {}
            Event::Ended { verdict, summary, next } => self.ended(*verdict, summary, next.as_deref()),
        }
    }
}
