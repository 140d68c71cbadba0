//! A trial start of the daemon on the files as they are, and one on the proposal, while its checker reads the proposal.

use super::check::files_of;
use super::new_file::NewFile;
use super::proposal::Proposal;
use crate::background::Background;
use crate::beside;
use crate::error::Error;
use crate::files::Loading;
use crate::probe::replay::is_journal;
use crate::run::replayed::Replaying;
use crate::run::request::TrialWish;
use crate::run::values::Values;
use crate::trial::{NotMade, Runtime, Trial};
use gypsum_core::event::CheckRun;
use gypsum_core::finding::Finding;
use gypsum_core::layers::value_of;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::{Activation, Profile, Service, TrialWhen};
use gypsum_core::service::Observation;
use gypsum_core::trial::{TrialRun, after_boot, before_restart, verdict};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;

/// What both starts showed.
struct Shown {
    findings: Vec<Finding>,
    /// Whether the daemon had data that it was started without.
    hides_data: bool,
}

/// What both starts showed, and how long they took together, in milliseconds.
type Trials = (Result<Shown, NotMade>, u64);

/// Both starts.
pub(super) struct TrialStarts {
    daemon: String,
    run: Option<Background<Trials>>,
    is_over: Arc<AtomicBool>,
    /// Why there are none, where a person asked for them.
    why_not: Option<String>,
}

/// All that they are made of.
struct Known {
    profile: Profile,
    service: Service,
    found: Observation,
    before: Loading,
    after: Loading,
    files: Vec<NewFile>,
    home: PathBuf,
    replaying: Replaying,
}

impl TrialStarts {
    /// Begins them, if this change has them.
    pub fn begin(proposal: &Proposal, service: &Service, found: &Observation, after: &Loading) -> Self {
        let request = &proposal.request;
        let profile = &request.profile;
        let is_over = Arc::new(AtomicBool::new(false));
        let why_not = why_not(proposal, found);
        let run = why_not.is_none().then(|| {
            let known = Arc::new(Known {
                profile: profile.clone(),
                service: service.clone(),
                found: found.clone(),
                before: proposal.before.clone(),
                after: after.clone(),
                files: proposal.new_files.clone(),
                home: proposal.home(),
                replaying: request.wishes.replaying,
            });
            let is_over = Arc::clone(&is_over);
            Background::begin(move || {
                let begun = Instant::now();
                let told = known.try_both(&is_over);
                (told, u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX))
            })
        });
        Self { daemon: profile.daemon.clone(), run, is_over, why_not: why_not.flatten() }
    }

    /// What they showed, and that they were made, or a line about why not; waits for them. Nothing where this change has
    /// none.
    pub fn told(mut self) -> (Vec<Finding>, Option<CheckRun>, Option<String>) {
        let not_made = |why: &str| Some(format!("no trial start of {} was made: {why}", self.daemon));
        match self.run.take().map(Background::take) {
            Some((Ok(shown), ms)) => {
                let without = if shown.hides_data { ", without its data" } else { "" };
                let name = format!("a trial start of {}{without}", self.daemon);
                (shown.findings, Some(CheckRun { name, ms }), None)
            }
            Some((Err(why), _)) => (Vec::new(), None, not_made(&why.0)),
            None => (Vec::new(), None, self.why_not.as_deref().and_then(not_made)),
        }
    }
}

impl Drop for TrialStarts {
    /// Ends them, however the order ends, and waits for that.
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
        if let Some(run) = self.run.take() {
            // Nobody needs what they tell any more.
            let _ = run.take();
        }
    }
}

/// Why this change has no trial starts, where it has none; in words, where a person asked for them.
fn why_not(proposal: &Proposal, found: &Observation) -> Option<Option<String>> {
    let request = &proposal.request;
    let known = &request.profile.trial;
    let asked = request.wishes.trial == TrialWish::Yes;
    let said = |why: String| Some(asked.then_some(why));
    match (request.wishes.trial, known.when) {
        (TrialWish::No, _) | (TrialWish::AsKnown, TrialWhen::Asked | TrialWhen::Never) => Some(None),
        (TrialWish::Yes, TrialWhen::Never) => {
            said(known.why.clone().unwrap_or_else(|| "its profile rules it out".to_owned()))
        }
        (TrialWish::AsKnown, TrialWhen::Always) if !found.state.is_up() && !request.wishes.start => {
            Some(None)
        }
        (TrialWish::Yes, TrialWhen::Always | TrialWhen::Asked) | (TrialWish::AsKnown, TrialWhen::Always) => {
            (proposal.new_files.is_empty() && !restarts(proposal)).then_some(None)
        }
    }
}

/// Whether the service is restarted, whatever its files are.
fn restarts(proposal: &Proposal) -> bool {
    proposal.request.wishes.activation.is_some_and(Activation::replaces)
}

/// A start, made once more and alone where it was not ready in time: this host may have been busy with something else.
fn not_only_slow(
    run: TrialRun,
    again: impl FnOnce() -> Result<TrialRun, NotMade>,
) -> Result<TrialRun, NotMade> {
    if run.timed_out() { again() } else { Ok(run) }
}

impl Known {
    fn try_both(&self, is_over: &AtomicBool) -> Result<Shown, NotMade> {
        let files = self.before.files.iter().chain(&self.after.files);
        let texts: Vec<&[u8]> = files.map(|file| file.doc.source()).collect();
        let named = [self.data_of(&self.before), self.data_of(&self.after)].concat();
        let trial = Trial::of(&self.profile, &self.service, &self.found, &texts, &named)?;
        let (before, after) = self.checks().map_err(|error| NotMade(error.to_string()))?;
        let about = trial.about(&self.profile.daemon, &after);
        let shown = |findings| Ok(Shown { findings, hides_data: trial.hides_data() });
        if self.files.is_empty() {
            let start = |runtime| trial.run(&[], Vec::new(), runtime, is_over);
            let run = not_only_slow(start(Runtime::AfterBoot)?, || start(Runtime::AfterBoot))?;
            if run.came_up() {
                return shown(Vec::new());
            }
            let now = start(Runtime::AsNow)?;
            let found =
                if now.came_up() { after_boot(&run, false, &about) } else { before_restart(&now, &about) };
            return shown(found.into_iter().collect());
        }
        let proposed = files_of(&self.files, &self.home);
        let of_old = |runtime| trial.run(&[], before.clone(), runtime, is_over);
        let of_new = |runtime| trial.run(&proposed, after.clone(), runtime, is_over);
        let both = |runtime| {
            std::thread::scope(|scope| {
                let old = beside::begin(scope, || of_old(runtime));
                let new = of_new(runtime);
                let old = old.wait().map_err(|_| NotMade("it broke off".into()))?;
                let old = not_only_slow(old?, || of_old(runtime))?;
                Ok::<_, NotMade>((old, not_only_slow(new?, || of_new(runtime))?))
            })
        };
        let (old, new) = both(Runtime::AfterBoot)?;
        tracing::debug!(?old, ?new, "trial starts were made");
        match (old.came_up(), new.came_up()) {
            // It runs, so there is something in `/run` that it needs.
            (false, _) if self.found.state.is_up() => {
                let (now, then) = both(Runtime::AsNow)?;
                if now.came_up() {
                    let mut findings = verdict(&now, &then, &about);
                    findings.extend(after_boot(&old, false, &about));
                    return shown(findings);
                }
            }
            (true, false) => {
                let then = of_new(Runtime::AsNow)?;
                if then.came_up() {
                    let mut findings = verdict(&old, &then, &about);
                    findings.extend(after_boot(&new, true, &about));
                    return shown(findings);
                }
            }
            (true, true) | (false, _) => {}
        }
        shown(verdict(&old, &new, &about))
    }

    /// What the settings say that name folders with data.
    fn data_of(&self, loading: &Loading) -> Vec<String> {
        let layers = loading.layers(&self.profile);
        let turns = self
            .profile
            .trial
            .data_of
            .iter()
            .flat_map(|name| layers.called(&loading.files, &self.profile, name));
        turns.map(|turn| value_of(&loading.files[turn.file].doc, turn.leaf)).collect()
    }

    /// What clients ask with the files as they are, and as they will be.
    fn checks(&self) -> Result<(Vec<Check>, Vec<Check>), Error> {
        let (old, new) = (Values::of(&self.profile, &self.before), Values::of(&self.profile, &self.after));
        // What is in a journal cannot be looked up in a trial.
        let is_of_files = |check: &Check| match &check.probe {
            Probe::Replay(replay) => !replay.logs.iter().any(|log| is_journal(log)),
            _ => true,
        };
        let replayed = old.replayed(self.replaying, &self.service, &self.found).filter(is_of_files);
        let mut before = old.checks(&self.service)?;
        let mut after = new.checks(&self.service)?;
        after.extend(replayed.as_ref().and_then(|check| new.replayed_there(check)));
        before.extend(replayed);
        for all in [&mut before, &mut after] {
            all.retain(|check| check.probe.asks_as_client());
        }
        let is_changed = |name: &String| old.said_of(name) != new.said_of(name);
        for measure in after.iter_mut().filter_map(|check| check.measure.as_mut()) {
            measure.is_asked_for = measure.asked_by.iter().any(is_changed);
        }
        Ok((before, after))
    }
}
