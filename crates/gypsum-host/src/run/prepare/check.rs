//! The order *check*: our own rules and the daemon's checker read the proposal side by side, while the daemon is asked how
//! it is; then it is asked for the settings that it would have.

use super::asked_early::AskedEarly;
use super::new_file::NewFile;
use super::own_checker::OwnChecker;
use super::own_rules::{OwnRules, new_settings};
use super::proposal::Proposal;
use super::trial_start::TrialStarts;
use crate::error::Error;
use crate::files::Loading;
use crate::guardian::Guardian;
use crate::locks::Thing;
use crate::rehearse::Proposed;
use crate::run::handover::HandOver;
use crate::run::steps::{Obstacle, RunContext, Step, Timer};
use crate::running_unit::believe;
use crate::shell;
use crate::world::World;
use gypsum_core::change::StepOutcome;
use gypsum_core::check::worst_first;
use gypsum_core::doc::Family;
use gypsum_core::event::{CheckRun, Event};
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::profile::Service;
use gypsum_core::rules::Leaf;
use gypsum_core::service::Observation;
use std::collections::HashSet;
use std::path::Path;

/// A proposal that no check refuses.
pub(super) struct Checked {
    pub proposal: Proposal,
    /// The statements that are new in it.
    pub changed_statements: HashSet<Leaf>,
    /// The files as they will be.
    pub after: Loading,
    /// The service of the daemon.
    pub service: Service,
    /// How it was when it was looked up.
    pub found: Observation,
    /// What clients get as it is.
    pub asked: AskedEarly,
}

pub(super) fn check(
    cx: &mut RunContext<'_>,
    obstacle: &mut Obstacle,
    to: &mut HandOver,
    mut proposal: Proposal,
) -> Result<Step<Checked>, Error> {
    let disk = cx.world.disk();
    // It comes up while the checks run: a unit takes longer to start than they do.
    to.guardian =
        (!proposal.request.wishes.dry_run).then(|| Guardian::begin(&proposal.request.profile.daemon));
    // It does not wait for the service manager's answer.
    let checker = OwnChecker::begin(&proposal);
    let of_files = proposal.run_file_rules();
    let (service, found) = proposal.early.service()?;
    believe(&mut proposal.request.profile, &found);
    let checker = checker.or_of(&proposal);
    let asked = AskedEarly::begin(&proposal, &service, &found);
    let acceptance = proposal.request.wishes.acceptance.clone();
    let timer = Timer::start(cx.world);
    let own = proposal.run_rules(disk)?;
    let mut runs = vec![CheckRun { name: "Gypsum's rules".to_owned(), ms: timer.ms(cx.world) }];
    let trial = TrialStarts::begin(&proposal, &service, &found, &own.after);
    let (mut findings, checked) = with_service(own, proposal, (service, found), asked, to)?;
    findings.extend(of_files);
    findings.extend(checked.run_service_rules(cx.state, disk));
    worst_first(&mut findings);
    let known: HashSet<(String, String)> = findings.iter().map(about).collect();
    let (said, run) = checker.said();
    runs.push(run);
    if cx.recorder.judge(findings, &acceptance) {
        return Ok(Step::Ended(StepOutcome::Refused));
    }
    if cx.world.interrupted() {
        // A checker that was ended has found nothing.
        return Ok(Step::Ended(obstacle.interrupted()));
    }
    let found = said.transpose()?.map(|said| said.findings).unwrap_or_default();
    let mut findings = checked.hear_others(cx.world, found, &mut runs)?;
    let faults = || findings.iter().filter(|finding| finding.severity == Severity::Fault);
    let (has_fault, is_refused) =
        (faults().next().is_some(), faults().any(|fault| !acceptance.has(&fault.rule)));
    // A proposal that a checker refuses is not understood at all.
    if !has_fault {
        findings.extend(checked.ask_daemon(cx.world, &known, &mut runs)?);
    }
    if !is_refused {
        let (found, run, note) = trial.told();
        runs.extend(run);
        findings.extend(found);
        note.into_iter().for_each(|note| cx.recorder.note(note));
    }
    if cx.world.interrupted() {
        return Ok(Step::Ended(obstacle.interrupted()));
    }
    if cx.recorder.judge(findings, &acceptance) {
        return Ok(Step::Ended(StepOutcome::Refused));
    }
    cx.recorder.emit(Event::Checked { by: runs });
    Ok(Step::Done(checked))
}

impl Checked {
    /// What further checkers say besides what was found: the shell, and those of files that decide who can log in.
    fn hear_others(
        &self,
        world: &dyn World,
        mut findings: Vec<Finding>,
        runs: &mut Vec<CheckRun>,
    ) -> Result<Vec<Finding>, Error> {
        if let Some((run, found)) = shell_syntax(world, &self.proposal) {
            runs.push(run);
            findings.extend(found);
        }
        let (found, own_checkers) = self.proposal.check_critical_files(world)?;
        findings.extend(found);
        runs.extend(own_checkers);
        Ok(findings)
    }

    /// What the daemon itself says of the settings that it would have, and of who could log in; without what is `known`.
    fn ask_daemon(
        &self,
        world: &dyn World,
        known: &HashSet<(String, String)>,
        runs: &mut Vec<CheckRun>,
    ) -> Result<Vec<Finding>, Error> {
        let home = self.proposal.home();
        let files = files_of(&self.proposal.new_files, &home);
        let mut findings = Vec::new();
        let timer = Timer::start(world);
        if let Some(found) = self.compare_reported(&files, &home)? {
            let name = "the settings that the daemon reports".to_owned();
            runs.push(CheckRun { name, ms: timer.ms(world) });
            findings.extend(found);
        }
        let timer = Timer::start(world);
        if let Some(found) = self.compare_logins(&files, &home)? {
            let name = "who can log in, as the daemon reports it".to_owned();
            runs.push(CheckRun { name, ms: timer.ms(world) });
            findings.extend(found.into_iter().filter(|finding| !known.contains(&about(finding))));
        }
        Ok(findings)
    }
}

/// What two findings that say the same have in common.
fn about(finding: &Finding) -> (String, String) {
    (finding.rule.to_string(), finding.message.clone())
}

/// The proposal with the service that was looked up meanwhile, whose lock is taken.
fn with_service(
    own: OwnRules,
    mut proposal: Proposal,
    (service, found): (Service, Observation),
    asked: AskedEarly,
    to: &mut HandOver,
) -> Result<(Vec<Finding>, Checked), Error> {
    let OwnRules { findings, changed_statements, after } = own;
    proposal.changed.extend(new_settings(&after.files, &changed_statements));
    if let Some(thing) = Thing::service(&service).filter(|_| !proposal.request.wishes.dry_run) {
        to.locks.take_more(&[thing], &to.holder)?;
    }
    Ok((findings, Checked { proposal, changed_statements, after, service, found, asked }))
}

/// The files of a proposal, as a checker reads them.
pub(super) fn files_of<'a>(files: &'a [NewFile], home: &Path) -> Vec<Proposed<'a>> {
    let one = |file: &'a NewFile| Proposed {
        real: &file.real,
        bytes: file.after(),
        shifts: file.shifts.clone(),
        ownership: file.ownership,
        is_home: file.real == home,
    };
    files.iter().map(one).collect()
}

/// What the shell says of the proposal, where the files are the shell's.
fn shell_syntax(world: &dyn World, proposal: &Proposal) -> Option<(CheckRun, Vec<Finding>)> {
    if proposal.request.profile.files.format != Family::Assignments {
        return None;
    }
    let timer = Timer::start(world);
    let changed = proposal.new_files.iter().filter_map(|file| Some((file, file.after()?)));
    let found: Vec<_> =
        changed.filter_map(|(file, after)| shell::syntax(&file.real, file.before(), after)).collect();
    let run = CheckRun { name: "the shell's own syntax check".to_owned(), ms: timer.ms(world) };
    (!found.is_empty()).then(|| (run, found.concat()))
}
