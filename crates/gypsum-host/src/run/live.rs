//! A change from its backup on. Everything that it needs is in its plan.

use super::observer::Observer;
use super::prepare::Saved;
use super::recorder::Recorder;
use super::steps::{Obstacle, RunContext};
use crate::logs::Mark;
use crate::probe::ProbeContext;
use crate::state::{Entry, State};
use crate::transaction::Transaction;
use crate::world::World;
use gypsum_core::change::Plan;
use gypsum_core::event::Event;
use gypsum_core::profile::Service;
use gypsum_core::service::Observation;
use gypsum_core::text::Bytes;
use std::path::PathBuf;

/// A change whose backup exists, on its way to a verdict.
pub(super) struct Live<'a> {
    pub cx: RunContext<'a>,
    /// Its folder.
    pub entry: Entry,
    /// Its plan.
    pub plan: Plan,
    /// What each file is to hold, until they are staged.
    pub contents: Vec<Option<Bytes>>,
    /// What stopped it.
    pub obstacle: Obstacle,
    /// What is known of the service.
    pub service: ServiceRecord,
}

/// What is known of the service while a change is live.
#[derive(Default)]
pub(super) struct ServiceRecord {
    /// What probes know of it since its last action.
    pub probes: ProbeContext,
    /// The service just before its last action.
    pub before_action: Option<Observation>,
    /// Units besides it that went down with the new configuration.
    pub down: Vec<String>,
    /// What is still to be quoted of the logs.
    pub excerpt: Option<LogExcerpt>,
    /// Files that another process changed or removed while the new configuration was watched.
    pub taken_over: Vec<PathBuf>,
    /// Whether it was restarted for the old configuration, and not only reloaded.
    pub restarted_back: bool,
}

/// What there is to keep of the logs about a configuration.
pub(super) struct LogExcerpt {
    pub services: Vec<Service>,
    pub since: Mark,
    pub until_ms: i64,
    pub files: Vec<String>,
}

impl<'a> Live<'a> {
    /// A change with this backup and plan.
    pub fn new(cx: RunContext<'a>, saved: Saved) -> Self {
        let Saved { entry, plan, contents } = saved;
        let (obstacle, service) = (Obstacle::default(), ServiceRecord::default());
        Self { cx, entry, plan, contents, obstacle, service }
    }

    /// The change of this entry, in this process.
    pub fn at(world: &'a dyn World, state: &'a State, observer: &'a mut dyn Observer, saved: Saved) -> Self {
        let mut recorder = Recorder::new(world, observer, &saved.plan.daemon);
        recorder.record_in(saved.entry.folder.clone());
        Self::new(RunContext { world, state, recorder }, saved)
    }

    pub fn emit(&mut self, event: Event) {
        self.cx.recorder.emit(event);
    }

    pub fn note(&mut self, text: impl Into<String>) {
        self.cx.recorder.note(text);
    }

    /// The file transaction of this change.
    pub fn files(&self) -> Transaction<'_> {
        Transaction::new(self.cx.world.disk(), &self.plan, &self.entry.folder)
    }
}
