//! The end of a change: where the service stands, what to do next, the record.

use super::Run;
use crate::error::Error;
use crate::journal::Journal;
use crate::service;
use gypsum_core::change::{Plan, Stage, StepOutcome, Verdict};
use gypsum_core::event::Event;
use gypsum_core::profile::Activation;
use gypsum_core::record::seal;
use gypsum_core::service::State as ServiceState;

impl Run<'_> {
    pub(super) fn close(&mut self, verdict: Verdict) -> Result<StepOutcome, Error> {
        if verdict == Verdict::Stuck {
            self.release_watchdogs();
        }
        self.keep_draft(verdict);
        self.drafts_done(verdict);
        let standing = self.standing(verdict);
        let next = self.next_step(verdict);
        self.emit(Event::Ended { verdict, standing, next });
        let Some(entry) = self.entry.clone() else {
            return Ok(StepOutcome::Done);
        };
        if self.plan.is_none() {
            // The backup could not be finished: half of one is worse than none.
            if let Err(error) = std::fs::remove_dir_all(&entry.folder) {
                tracing::warn!(%error, "the unfinished backup cannot be removed");
            }
            return Ok(StepOutcome::Done);
        }
        let disk = self.disk();
        let path = entry.folder.join("change.json");
        let record = seal(&self.report).and_then(|record| serde_json::to_vec_pretty(&record));
        // A change that is recovered a second time has a record already.
        let journal = Journal::of(&entry.folder);
        let written = journal
            .release(disk)
            .and_then(|()| disk.remove(&path))
            .and_then(|()| disk.create(&path, &record?, None))
            .and_then(|()| disk.sync_file(&path))
            .and_then(|()| disk.sync_folder(&entry.folder))
            .and_then(|()| journal.write(disk, Stage::Closed(verdict), None, self.world.now_ms()));
        if let Err(error) = written {
            // The verdict stands all the same.
            let (folder, daemon) = (entry.folder.display(), &self.report.daemon);
            let text = format!(
                "the record in {folder} could not be written: {error}; gypsum recover {daemon} finishes it"
            );
            self.emit(Event::Noted { text });
        }
        Ok(StepOutcome::Done)
    }

    /// Where the service stands now, in one sentence without a full stop.
    fn standing(&self, verdict: Verdict) -> String {
        let daemon = &self.report.daemon;
        let Some(plan) = &self.plan else {
            return match verdict {
                Verdict::Unchanged => format!("{daemon} has this configuration already"),
                _ => "nothing was touched".to_owned(),
            };
        };
        let name = self.subject(plan);
        match verdict {
            Verdict::Kept if !plan.touch_service && service::exists(&plan.service) => {
                format!("{name} is stopped, as before; its new configuration is unproven")
            }
            Verdict::Kept if plan.files.is_empty() && self.report.healthy != Some(false) => {
                let done = if plan.activation.replaces() { "restarted" } else { "reloaded" };
                format!("{name} was {done} with the configuration that it has")
            }
            Verdict::Kept if plan.same_settings && plan.activation == Activation::None => {
                format!("no setting changed, so {name} was not reloaded")
            }
            Verdict::Kept if service::exists(&plan.service) && plan.activation == Activation::None => {
                format!("the files are changed; {name} reads them at its next reload or restart")
            }
            Verdict::Kept if self.report.healthy == Some(false) => {
                format!("{name} has its new configuration, and is unhealthy as before")
            }
            Verdict::Kept if service::exists(&plan.service) => {
                format!("{name} runs on its new configuration")
            }
            Verdict::Kept => format!("{name} has its new configuration"),
            Verdict::Restored => self.restored(plan, &name),
            Verdict::Stuck => {
                let state = self.world.observe(&plan.service).state;
                let files = if plan.files.is_empty() {
                    "no file was changed, so there is no old configuration to restore"
                } else if self.is_back() {
                    "its old configuration is in place"
                } else {
                    "not all of its files are restored"
                };
                format!("{name} is {}; {files}", state.words())
            }
            Verdict::Refused | Verdict::Unchanged | Verdict::Dropped => "nothing was touched".to_owned(),
        }
    }

    fn restored(&self, plan: &Plan, name: &str) -> String {
        if !service::exists(&plan.service) {
            return format!("{name} has its old configuration again");
        }
        match self.world.observe(&plan.service).state {
            state if state.is_up() => format!("{name} is running on its old configuration"),
            ServiceState::Stopped => {
                format!("{name} is stopped, as before, with its old configuration in place")
            }
            state => format!("{name} is {}, as before; its old configuration is in place", state.words()),
        }
    }

    fn subject(&self, plan: &Plan) -> String {
        if service::exists(&plan.service) { service::name_of(&plan.service) } else { plan.daemon.clone() }
    }

    fn is_back(&self) -> bool {
        let (Some(plan), Some(entry)) = (&self.plan, &self.entry) else {
            return false;
        };
        crate::transaction::Transaction::new(self.disk(), plan, &entry.folder).is_before().unwrap_or(false)
    }

    fn next_step(&self, verdict: Verdict) -> Option<String> {
        match verdict {
            Verdict::Stuck => {
                let plan = self.plan.as_ref()?;
                let entry = self.entry.as_ref()?;
                let look = service::by_hand(&plan.service);
                if plan.files.is_empty() {
                    let daemon = &plan.daemon;
                    return Some(format!(
                        "{look}\nto take back the last change that was kept: gypsum restore {daemon}"
                    ));
                }
                let before = entry.folder.join("before");
                Some(format!(
                    "{look}\nthen: gypsum recover {}\nthe old files are also in {}",
                    plan.daemon,
                    before.display()
                ))
            }
            Verdict::Dropped | Verdict::Refused => {
                let error = self.error.as_ref();
                let said = error.map(|error| match &error.help {
                    Some(help) => format!("{}\n{help}", error.message),
                    None => error.message.clone(),
                });
                said.or_else(|| self.cause.clone().filter(|_| verdict == Verdict::Dropped))
            }
            Verdict::Kept | Verdict::Restored | Verdict::Unchanged => None,
        }
    }
}
