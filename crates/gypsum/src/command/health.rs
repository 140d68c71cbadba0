//! `gypsum health`.

use super::{Context, world};
use crate::args::Target;
use crate::document::of_report;
use crate::target::{NoTarget, profile_of};
use crate::view::{Waiting, outcome_line};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::report::Report;
use gypsum_host::error::Error;
use gypsum_host::health::HealthRun;
use gypsum_host::probe::ProbeContext;
use gypsum_host::run::{ChecksNow, Values, checks_behind};
use gypsum_host::scratch::Scratch;
use gypsum_host::{files, service};
use serde_json::json;
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;

pub fn run(context: &Context, target: &Target) -> Result<ExitStatus, NoTarget> {
    let profile = profile_of(context, target)?;
    let open_change = context.open_change(&profile.daemon)?;
    let unit = service::resolve(&profile.service)?;
    let loading = files::load(&profile, None)?;
    let ChecksNow { mut checks, mut known } = Values::of(&profile, &loading).checks_now(&unit, None, None)?;
    if let Some((_, behind)) = checks_behind(&profile, &unit)? {
        checks.extend(behind.checks);
        known.extend(behind.known);
    }
    let typed = passwords(&mut checks)?;
    if checks.is_empty() {
        return Err(Error::usage(format!("nothing is known of {} that could be looked at", profile.daemon))
            .help("name a unit or a health check: --unit UNIT, --health URL or PORT")
            .into());
    }
    let world = world()?;
    let scene = ProbeContext { service: unit.clone(), ..ProbeContext::default() };
    let on = format!("{} health checks", checks.len());
    let waiting = (!context.out.json && !context.out.quiet)
        .then(|| Waiting::begin(context.out, on, gypsum_host::world::Progress::default()));
    let run = HealthRun { known: &known, ..HealthRun::at(&world, &unit, &checks, &scene) };
    let (health, _) = run.once();
    drop(waiting);
    drop(typed);
    let healthy = health.iter().all(|outcome| outcome.healthy);
    let status = if healthy { ExitStatus::Success } else { ExitStatus::Refused };
    let is_all_known = !health.iter().any(|outcome| outcome.is_unknown);
    let word = match (healthy, is_all_known) {
        (true, true) => "is healthy, as seen from this host",
        (true, false) => "is healthy, as far as this account can see",
        (false, _) => "is not healthy",
    };
    let summary = format!("{} {word}", profile.daemon);
    if context.out.json {
        let report = Report { healthy: Some(healthy), health, summary, ..Report::new(&profile.daemon) };
        let mut fields = of_report(&report);
        fields["open_change"] = json!(open_change);
        context.answer(status, fields);
        return Ok(status);
    }
    if !context.out.quiet {
        health
            .iter()
            .flat_map(|outcome| outcome_line(outcome, context.out.width - 2, true))
            .for_each(|line| context.out.print(&line));
    }
    context.out.print(&format!("{summary}."));
    Ok(status)
}

/// Asks for the passwords that checks want to try. Each is in a file that its owner alone can read, until the folders
/// that are given back are dropped.
fn passwords(checks: &mut [Check]) -> Result<Vec<Scratch>, Error> {
    let mut typed = Vec::new();
    for check in checks {
        let Probe::Ssh(ssh) = &mut check.probe else { continue };
        if !ssh.asks_password {
            continue;
        }
        let failed = |error: std::io::Error| Error::because(error);
        let password =
            crate::ask::secret(&format!("password of {} at {}: ", ssh.user, ssh.at)).map_err(failed)?;
        let folder = Scratch::new(&std::env::temp_dir(), "gypsum-password-", 0o700).map_err(failed)?;
        let file = folder.path().join("password");
        let write = || -> std::io::Result<()> {
            let mut open =
                std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&file)?;
            writeln!(open, "{password}")
        };
        write().map_err(failed)?;
        ssh.password_file = Some(file.to_string_lossy().into_owned());
        ssh.asks_password = false;
        typed.push(folder);
    }
    Ok(typed)
}
