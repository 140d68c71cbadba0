//! `gypsum check`.

use super::Context;
use crate::args::Target;
use crate::document::of_report;
use crate::target::{NoTarget, profile_of};
use crate::view::{Shown, plain_finding_lines, wrapped};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;
use gypsum_host::files;
use gypsum_host::rehearse::check_live;
use gypsum_host::running_unit::believe;
use gypsum_host::shipped;
use gypsum_host::survey::{Early, check_standing};
use serde_json::json;

pub fn run(context: &Context, target: &Target) -> Result<ExitStatus, NoTarget> {
    let mut profile = profile_of(context, target)?;
    let open_change = context.open_change(&profile.daemon)?;
    let early = Early::begin(&profile);
    let loading = files::load(&profile, None)?;
    // Where no service answers, the profile is believed.
    early.service().iter().for_each(|(_, seen)| believe(&mut profile, seen));
    let mut findings = check_standing(&profile, &loading, &early);
    findings.extend(shipped::findings(&loading, &profile.daemon, &shipped::Records::read()));
    gypsum_core::check::worst_first(&mut findings);
    let mut by = "Gypsum's rules".to_owned();
    match &profile.checker {
        Some(checker) => {
            let home = loading.loaded.get(loading.home).map(|file| file.real.clone()).unwrap_or_default();
            let rehearsal = check_live(checker, &home)?;
            findings.extend(rehearsal.findings);
            gypsum_core::check::worst_first(&mut findings);
            by = format!("{by}; {}", rehearsal.by);
        }
        None => by.push_str("; the daemon has no checker"),
    }
    let refuses = findings.iter().any(|finding| finding.refuses(false));
    let status = if refuses { ExitStatus::Refused } else { ExitStatus::Success };
    if !context.out.quiet && !context.out.json {
        let (out, mut shown) = (context.out, Shown::default());
        for finding in &findings {
            if shown.shows(finding, out.verbose) {
                plain_finding_lines(finding, out).iter().for_each(|line| out.print(line));
            }
        }
        shown.rest(out.verbose).iter().for_each(|line| out.print(line));
    }
    let faults = findings.iter().filter(|finding| finding.refuses(false)).count();
    let others = findings.len() - faults;
    let files = loading.files.len();
    let plural = |count: usize, word: &str| format!("{count} {word}{}", if count == 1 { "" } else { "s" });
    let outcome = match (faults, others) {
        (0, 0) => "nothing found".to_owned(),
        (0, others) => format!("no fault; {}", plural(others, "warning")),
        (faults, _) => plural(faults, "fault"),
    };
    let closing = format!("{}, {}: {outcome}. Checked by {by}.", profile.daemon, plural(files, "file"));
    if context.out.json {
        let report = Report { findings, summary: closing, ..Report::new(&profile.daemon) };
        let mut fields = of_report(&report);
        fields["valid"] = (!refuses).into();
        fields["open_change"] = json!(open_change);
        context.answer(status, fields);
        return Ok(status);
    }
    wrapped(&closing, context.out.width - 2).iter().for_each(|line| context.out.print(line));
    Ok(status)
}
