//! Where everything that happens in a change leaves it: redacted, recorded, then shown.

use super::observer::Observer;
use crate::world::World;
use gypsum_core::event::Event;
use gypsum_core::finding::Finding;
use gypsum_core::record::seal;
use gypsum_core::report::Report;
use gypsum_core::secret::Redactor;
use serde::Serialize;
use std::path::PathBuf;

/// Records and shows what happens in one change.
pub(super) struct Recorder<'a> {
    world: &'a dyn World,
    observer: &'a mut dyn Observer,
    redactor: Redactor,
    report: Report,
    /// The folder of the change, once there is one.
    folder: Option<PathBuf>,
    unwritten: Vec<Event>,
}

/// Which findings do not refuse a change.
#[derive(Clone, Debug, Default)]
pub struct Acceptance {
    /// Rules whose findings do not refuse, each by its name or as `RULE=REASON`.
    pub rules: Vec<String>,
    /// Whether warnings refuse.
    pub strict: bool,
}

impl Acceptance {
    /// Whether findings of this rule are accepted.
    pub fn has(&self, rule: &str) -> bool {
        self.entry(rule).is_some()
    }

    /// The names of the rules.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.rules.iter().map(|accepted| accepted.split('=').next().unwrap_or(accepted))
    }

    fn entry(&self, rule: &str) -> Option<&String> {
        self.rules.iter().find(|accepted| accepted.split('=').next() == Some(rule))
    }

    /// Marks a finding of an accepted rule, with the reason that was given for it or for the whole change.
    fn mark(&self, finding: &mut Finding, why: Option<&str>) {
        if let Some(accepted) = self.entry(&finding.rule) {
            finding.accepted = true;
            let reason = accepted.split_once('=').map(|(_, reason)| reason);
            finding.reason = reason.or(why).map(str::to_owned);
        }
    }
}

impl<'a> Recorder<'a> {
    /// A recorder without a folder and without secrets.
    pub fn new(world: &'a dyn World, observer: &'a mut dyn Observer, daemon: &str) -> Self {
        Self {
            world,
            observer,
            redactor: Redactor::default(),
            report: Report::new(daemon),
            folder: None,
            unwritten: Vec::new(),
        }
    }

    /// Shows what happened, gathers it for the report, and keeps it in the change's folder.
    pub fn emit(&mut self, event: Event) {
        let event = self.redactor.event(event);
        self.take(&event);
        self.unwritten.push(event.clone());
        // What a person was told is on record, whatever happens next.
        self.write_events();
        self.observer.on_event(&event);
    }

    /// Gathers it for the report, with the time where it is the beginning or the end.
    fn take(&mut self, event: &Event) {
        self.report.take(event);
        let now = || jiff::Timestamp::from_millisecond(self.world.now_ms()).ok().map(|now| now.to_string());
        match event {
            Event::Begun { .. } => self.report.begun = now(),
            Event::Ended { .. } => self.report.ended = now(),
            _ => {}
        }
    }

    /// Says something that is no finding.
    pub fn note(&mut self, text: impl Into<String>) {
        self.emit(Event::Noted { text: text.into() });
    }

    /// Takes in and shows what another process redacted and recorded.
    pub fn relay(&mut self, event: &Event) {
        self.take(event);
        self.observer.on_event(event);
    }

    /// Says something about this process only: the record belongs to another one.
    pub fn show_only(&mut self, text: String) {
        self.observer.on_event(&Event::Noted { text });
    }

    /// Shows findings; whether one of them refuses.
    pub fn judge(&mut self, findings: Vec<Finding>, acceptance: &Acceptance) -> bool {
        let why = self.report.why.clone();
        let mut refuses = false;
        for mut finding in findings {
            acceptance.mark(&mut finding, why.as_deref());
            refuses |= finding.refuses(acceptance.strict);
            self.emit(Event::Found { finding });
        }
        refuses
    }

    /// Asks whether to go on although the service is unhealthy already.
    pub fn confirm(&mut self) -> bool {
        self.observer.confirm()
    }

    /// From now on these texts are never shown.
    pub fn hide(&mut self, secrets: Vec<String>) {
        self.redactor = Redactor::new(secrets);
    }

    /// From now on this decides what is shown.
    pub fn redact_with(&mut self, redactor: Redactor) {
        self.redactor = redactor;
    }

    /// The texts that are never shown.
    pub fn secrets(&self) -> Vec<String> {
        self.redactor.values().to_vec()
    }

    /// From now on events are kept in this folder of the change, those that came before among them.
    pub fn record_in(&mut self, folder: PathBuf) {
        self.folder = Some(folder);
    }

    /// The folder is gone: nothing more is kept there.
    pub fn forget_folder(&mut self) {
        self.folder = None;
    }

    /// What is known of the change so far.
    pub fn report(&self) -> &Report {
        &self.report
    }

    /// What was known of the change before this process had it.
    pub fn continue_from(&mut self, report: Report) {
        self.report = report;
    }

    /// Makes what is on record durable: who wanted what, and why, is told after a power cut, too.
    pub fn sync(&self) {
        let Some(folder) = &self.folder else { return };
        if let Err(error) = self.world.disk().sync_file(&folder.join("events.jsonl")) {
            tracing::warn!(%error, "events cannot be made durable");
        }
    }

    fn write_events(&mut self) {
        let Some(folder) = &self.folder else {
            return;
        };
        let at_ms = self.world.now_ms();
        let mut lines = Vec::new();
        for event in self.unwritten.drain(..) {
            match seal(&Timed { at_ms, event }) {
                Ok(line) => lines.extend_from_slice(format!("{line}\n").as_bytes()),
                Err(error) => tracing::warn!(%error, "an event cannot be written"),
            }
        }
        // For the eye only: the journal is what counts, and it complains where this one would.
        if let Err(error) = self.world.disk().append(&folder.join("events.jsonl"), &lines) {
            tracing::warn!(%error, "events cannot be written");
        }
    }
}

/// An event, as `events.jsonl` has it.
#[derive(Serialize)]
struct Timed {
    /// When, in milliseconds since 1970.
    at_ms: i64,
    #[serde(flatten)]
    event: Event,
}
