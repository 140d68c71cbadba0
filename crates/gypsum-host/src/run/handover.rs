//! Handing the change over to a guardian, and watching it from here.

use super::{Finished, Observer, Run, Way};
use crate::error::Error;
use crate::evidence::{Evidence, Progress};
use crate::guardian::{GuardianClient, Handover, Heard, Told};
use crate::state::{Entry, State};
use crate::world::World;
use gypsum_core::change::{Change, Plan, Stage, Verdict};
use gypsum_core::event::Event;
use gypsum_core::report::Report;
use gypsum_core::secret::Redactor;
use serde::{Deserialize, Serialize};

/// The exit status that says: live, and carried on by its guardian.
const GOES_ON: u8 = 8;

/// A change whose new files stand beside the old ones.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Staged {
    /// Its folder.
    pub entry: Entry,
    /// Its plan.
    pub plan: Plan,
    /// What is known of it so far.
    pub report: Report,
    /// Texts that are never shown.
    pub secrets: Vec<String>,
}

/// Carries such a change in the process that it was handed over to, which holds the locks. `ended` gets the exit
/// status; what is only for the record comes after it.
pub fn carry_staged(
    world: &dyn World,
    state: &State,
    watch: &mut dyn Observer,
    staged: Staged,
    ended: impl FnOnce(u8),
) {
    let mut run = Run::new(world, state, watch, &staged.plan.daemon);
    (run.entry, run.plan) = (Some(staged.entry), Some(staged.plan));
    (run.report, run.redactor) = (staged.report, Redactor::new(staged.secrets));
    // Nobody carries it further than this process: it has no guardian of its own.
    if let Way::Ended(status) = run.through(Change::staged()) {
        ended(status);
    }
    run.keep_log();
}

impl Run<'_> {
    /// Hands the change over to the guardian that was started for it. None where there is none: then the change
    /// goes on in this process, and that is said.
    pub(super) fn hand_over(&mut self) -> Option<GuardianClient> {
        let guardian = self.guardian.take()?;
        match guardian.come().map_err(Error::from_io).and_then(|line| self.charge(line)) {
            Ok(line) => Some(line),
            Err(why) => {
                let why = why.message;
                let text = format!("running in this session: the guardian could not be started ({why})");
                self.emit(Event::Noted { text });
                None
            }
        }
    }

    fn charge(&mut self, mut line: GuardianClient) -> Result<GuardianClient, Error> {
        let entry = self.entry.clone().ok_or_else(|| Error::cannot("this change has no folder"))?;
        let (report, secrets) = (self.report.clone(), self.redactor.values().to_vec());
        let staged = Staged { entry, plan: self.plan()?.clone(), report, secrets };
        let state = self.state.clone();
        let front = self.front()?;
        let charge = Handover { state, staged, holder: front.holder.clone() };
        line.hand_over(charge, &front.locks).map_err(Error::from_io)?;
        Ok(line)
    }

    /// Draws what the guardian tells until it has ended.
    pub(super) fn follow(mut self, mut line: GuardianClient) -> Finished {
        loop {
            match line.hear() {
                Heard::Told(Told::Saw(event)) => {
                    self.watch.on_event(&event);
                    self.report.take(&event);
                }
                Heard::Told(Told::Ended(status)) => return self.leave(status),
                Heard::End => return self.take_over(),
                Heard::Nothing if self.world.is_sent_away() => {
                    let daemon = &self.report.daemon;
                    let text = format!("the change goes on by itself: gypsum changes {daemon}");
                    self.watch.on_event(&Event::Noted { text });
                    return self.leave(GOES_ON);
                }
                Heard::Nothing if self.world.interrupted() => line.withdraw(),
                Heard::Nothing => {}
            }
        }
    }

    /// Leaves the locks to the guardian: it has let them go, is about to, or goes on.
    fn leave(mut self, status: u8) -> Finished {
        if let Ok(front) = self.front() {
            std::mem::take(&mut front.locks).leave();
        }
        Finished { report: self.report, status }
    }

    /// The guardian is lost, and its locks are ours still: the change is brought to its verdict from here.
    fn take_over(mut self) -> Finished {
        let disk = self.world.disk();
        let known = self.entry.as_ref().map(|entry| entry.evidence(disk));
        let stage = match known {
            Some(Ok(Evidence { progress: Progress::Open(plan, stage), report, .. })) => {
                match (stage, report) {
                    (Stage::Closed(Verdict::Stuck), Some(report)) => return ended(report),
                    _ => self.plan = Some(*plan),
                }
                stage
            }
            // It ended, only the line did not.
            Some(Ok(Evidence { progress: Progress::Ended(_), report: Some(report), .. })) => {
                return ended(report);
            }
            // It ended, and its record is lost: nothing is left to do, least of all to restore.
            Some(Ok(Evidence { progress: Progress::Ended(verdict), report: None, .. })) => {
                Stage::Closed(verdict)
            }
            // What it had to say cannot be read; what is known here is enough to put everything back.
            Some(_) | None => Stage::Armed,
        };
        let cause = "the process that carried it was ended";
        self.cause = Some(cause.into());
        self.emit(Event::Noted { text: format!("{cause}; this one goes on") });
        self.carry(Change::resume(stage))
    }
}

fn ended(report: Report) -> Finished {
    let status = report.status();
    Finished { report, status }
}

impl Error {
    fn from_io(error: std::io::Error) -> Self {
        Self::cannot(error.to_string())
    }
}
