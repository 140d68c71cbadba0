//! One change, from its first order to its verdict. The loop records what is true, does what the
//! state machine orders, and feeds back what it saw.

mod activation;
mod around;
mod back;
mod close;
mod difference;
mod extra_files;
mod front;
mod handover;
mod job;
mod log_excerpt;
mod own_rules;
mod plan;
mod propose;
mod readings;
mod ready;
mod recover;
mod save_draft;
mod values;

pub use extra_files::{Beside, Companion};
pub use handover::{Staged, carry_staged};
pub use job::{Job, Wish};
pub use ready::ready;
pub use recover::{carry_saved, recover, recover_all, resume};
pub use values::Values;

use crate::disk::Disk;
use crate::error::{Error, ErrorKind};
use crate::guardian::{Guardian, GuardianClient};
use crate::journal::Journal;
use crate::probe::ProbeContext;
use crate::state::{Entry, State};
use crate::world::World;
use front::Front;
use gypsum_core::change::{Change, Order, Plan, State as Reached, StepOutcome, Verdict};
use gypsum_core::event::Event;
use gypsum_core::finding::Finding;
use gypsum_core::record::seal;
use gypsum_core::report::Report;
use gypsum_core::secret::Redactor;
use gypsum_core::service::Observation;
use gypsum_core::text::Bytes;
use serde::Serialize;
use std::time::Instant;

/// Somebody who watches what happens.
pub trait Observer {
    /// One thing happened.
    fn on_event(&mut self, event: &Event);

    /// Whether to go on though something is not well already, as was just told. Where nobody can be asked, yes: the
    /// change is judged by whether anything gets worse.
    fn confirm(&mut self) -> bool {
        true
    }
}

/// How a change ended.
#[derive(Debug)]
pub struct Finished {
    /// Its report.
    pub report: Report,
    /// The exit status that it amounts to.
    pub status: u8,
}

/// Where a change went.
enum Way {
    /// To its end, which amounts to this exit status.
    Ended(u8),
    /// Into other hands.
    HandedOver(GuardianClient),
}

/// A change on its way.
pub struct Run<'a> {
    world: &'a dyn World,
    state: &'a State,
    watch: &'a mut dyn Observer,
    front: Option<Front>,
    plan: Option<Plan>,
    contents: Vec<Option<Bytes>>,
    entry: Option<Entry>,
    report: Report,
    unwritten: Vec<Event>,
    redactor: Redactor,
    /// The process that will carry it from the first live byte on.
    guardian: Option<Guardian>,
    error: Option<Error>,
    cause: Option<String>,
    /// What probes know of the service since it was last told something.
    scene: ProbeContext,
    /// The service just before it was last told something.
    told: Option<Observation>,
    /// Units beside the service that went down with the new configuration.
    unhealthy: Vec<String>,
    /// What is still to be quoted of the logs.
    said: Option<log_excerpt::LogExcerpt>,
    revived_by_restart: bool,
    /// Whether no setting changes.
    same_settings: bool,
}

impl<'a> Run<'a> {
    fn new(world: &'a dyn World, state: &'a State, watch: &'a mut dyn Observer, daemon: &str) -> Self {
        Self {
            world,
            state,
            watch,
            front: None,
            plan: None,
            contents: Vec::new(),
            entry: None,
            report: Report::new(daemon),
            unwritten: Vec::new(),
            redactor: Redactor::default(),
            guardian: None,
            error: None,
            cause: None,
            scene: ProbeContext::default(),
            told: None,
            unhealthy: Vec::new(),
            said: None,
            revived_by_restart: false,
            same_settings: false,
        }
    }

    /// Carries out a whole change.
    pub fn change(world: &'a dyn World, state: &'a State, watch: &'a mut dyn Observer, job: Job) -> Finished {
        let mut run = Self::new(world, state, watch, &job.profile.daemon);
        let (why, who, dry_run, hold) = (job.why.clone(), job.who.clone(), job.dry_run, job.hold);
        run.emit(Event::Begun { daemon: job.profile.daemon.clone(), why, who, dry_run, hold });
        run.front = Some(Front::new(job));
        run.carry(Change::open(dry_run))
    }

    /// The change from here to its end, and what the logs said.
    fn carry(mut self, change: Change) -> Finished {
        let finished = match self.through(change) {
            Way::Ended(status) => Finished { report: self.report.clone(), status },
            Way::HandedOver(line) => return self.follow(line),
        };
        self.keep_log();
        finished
    }

    /// The loop.
    fn through(&mut self, mut change: Change) -> Way {
        while let Some(order) = change.order() {
            let recorded = self.record(&change);
            if order == Order::Arm
                && recorded.is_ok()
                && !self.world.interrupted()
                && let Some(line) = self.hand_over()
            {
                return Way::HandedOver(line);
            }
            let seen = match recorded {
                // A journal that cannot be written stops a change before the first live byte, and
                // never stops a restore.
                Err(error) if !change.state().is_past_armed() => self.give_up(error),
                // What is told as kept must be known as kept after a crash.
                Err(error) if change.state() == Reached::Kept && change.attempt() == 0 => {
                    self.give_up(error);
                    StepOutcome::Unrecorded
                }
                _ if self.wants_out(&change, order) => StepOutcome::Interrupted,
                _ => self.timed(order, &change),
            };
            change = change.next(seen);
        }
        let status = self.error.as_ref().map(|error| error.kind.status());
        let early = matches!(self.report.verdict, Some(Verdict::Dropped | Verdict::Refused) | None);
        Way::Ended(status.filter(|_| early).unwrap_or_else(|| self.report.status()))
    }

    fn record(&mut self, change: &Change) -> Result<(), Error> {
        let (Some(entry), Some(stage)) = (&self.entry, change.state().stage()) else {
            return Ok(());
        };
        // The end is recorded by the order that ends it, behind the report.
        if matches!(change.order(), Some(Order::Close(_))) {
            return Ok(());
        }
        let plan = self.plan.as_ref().filter(|_| stage == gypsum_core::change::Stage::Saved);
        let written = Journal::of(&entry.folder).write(self.world.disk(), stage, plan, self.world.now_ms());
        written.map_err(|error| Error::file("write the journal in", &entry.folder, &error))
    }

    fn wants_out(&mut self, change: &Change, order: Order) -> bool {
        let restoring = change.attempt() > 0;
        let out = self.world.interrupted() && !restoring && !matches!(order, Order::Tidy | Order::Close(_));
        if out {
            self.cause.get_or_insert_with(|| "it was interrupted".into());
        }
        out
    }

    fn timed(&mut self, order: Order, change: &Change) -> StepOutcome {
        let begun = Instant::now();
        let seen = match self.act(order, change) {
            Ok(event) => event,
            Err(error) => self.give_up(error),
        };
        let ms = u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX);
        if !matches!(order, Order::Close(_)) {
            let (name, outcome) = (order.name().to_owned(), seen.name().to_owned());
            self.emit(Event::Stage { name, outcome, ms });
        }
        seen
    }

    fn give_up(&mut self, error: Error) -> StepOutcome {
        self.cause = Some(error.message.clone());
        let refused = error.kind == ErrorKind::Refused;
        self.error = Some(error);
        if refused { StepOutcome::Refused } else { StepOutcome::Failed }
    }

    fn act(&mut self, order: Order, change: &Change) -> Result<StepOutcome, Error> {
        match order {
            Order::Prepare => self.prepare(),
            Order::Propose => self.propose(),
            Order::Rehearse => self.rehearse(),
            Order::Measure => self.measure(),
            Order::Save => self.save(),
            Order::Stage => self.stage(),
            Order::Arm => Ok(StepOutcome::Done),
            Order::Replace => self.replace(),
            Order::Activate => self.activate(),
            Order::Look => self.look(),
            Order::PutBack => self.put_back(),
            Order::Revive => self.revive(change),
            Order::LookAgain => self.look_again(),
            Order::Tidy => self.tidy(change),
            Order::Close(verdict) => self.close(verdict),
        }
    }

    fn disk(&self) -> &'a dyn Disk {
        self.world.disk()
    }

    fn front(&mut self) -> Result<&mut Front, Error> {
        self.front.as_mut().ok_or_else(|| Error::cannot("this change is past its preparation"))
    }

    fn plan(&self) -> Result<&Plan, Error> {
        self.plan.as_ref().ok_or_else(|| Error::cannot("this change has no plan"))
    }

    /// Shows what happened, gathers it for the report, and keeps it in the change's folder.
    fn emit(&mut self, event: Event) {
        let event = self.redactor.event(event);
        self.report.take(&event);
        self.unwritten.push(event.clone());
        // What a person was told is on record, whatever happens next.
        self.write_events();
        self.watch.on_event(&event);
    }

    fn write_events(&mut self) {
        let Some(entry) = &self.entry else {
            return;
        };
        let at = self.world.now_ms();
        let mut lines = Vec::new();
        for event in self.unwritten.drain(..) {
            match seal(&Timed { at_ms: at, event }) {
                Ok(line) => lines.extend_from_slice(format!("{line}\n").as_bytes()),
                Err(error) => tracing::warn!(%error, "an event cannot be written"),
            }
        }
        // For the eye only: the journal is what counts, and it complains where this one would.
        if let Err(error) = self.world.disk().append(&entry.folder.join("events.jsonl"), &lines) {
            tracing::warn!(%error, "events cannot be written");
        }
    }

    /// Shows findings; whether one of them refuses.
    fn judge(&mut self, findings: Vec<Finding>) -> Result<bool, Error> {
        let front = self.front()?;
        let (accept, strict, why) = (front.job.accept.clone(), front.job.strict, front.job.why.clone());
        let mut refuses = false;
        for mut finding in findings {
            let rule = |accepted: &&String| accepted.split('=').next() == Some(finding.rule.as_str());
            if let Some(accepted) = accept.iter().find(rule) {
                finding.accepted = true;
                let said = accepted.split_once('=').map(|(_, reason)| reason.to_owned());
                finding.reason = said.or_else(|| why.clone());
            }
            refuses |= finding.refuses(strict);
            self.emit(Event::Found { finding });
        }
        Ok(refuses)
    }
}

/// What happened, as `events.jsonl` has it.
#[derive(Serialize)]
struct Timed {
    /// When, in milliseconds since 1970.
    at_ms: i64,
    #[serde(flatten)]
    event: Event,
}
