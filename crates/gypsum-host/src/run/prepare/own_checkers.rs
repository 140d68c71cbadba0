//! Files that decide who can log in, or whether the host starts, are read by their own checkers, whichever daemon the
//! change is of. Where there is none, they are refused.

use super::check::files_of;
use super::new_file::NewFile;
use super::proposal::Proposal;
use crate::error::Error;
use crate::rehearse::rehearse;
use crate::run::steps::Timer;
use crate::world::World;
use gypsum_core::critical::critical_file;
use gypsum_core::event::CheckRun;
use gypsum_core::finding::Finding;

impl Proposal {
    /// What the checkers of such files say of those that the change writes, and which were run.
    pub(super) fn check_critical_files(
        &self,
        world: &dyn World,
    ) -> Result<(Vec<Finding>, Vec<CheckRun>), Error> {
        let (mut findings, mut runs) = (Vec::new(), Vec::new());
        for file in &self.new_files {
            let path = file.real.display().to_string();
            let Some(critical) = critical_file(&path) else { continue };
            match critical.checker() {
                Some(checker) => {
                    let timer = Timer::start(world);
                    let one: &[NewFile] = std::slice::from_ref(file);
                    let files = files_of(one, &file.real);
                    let checked = rehearse(&checker, &files, &file.real, self.request.is_restore())?;
                    runs.push(CheckRun { name: checked.by, ms: timer.ms(world) });
                    findings.extend(checked.findings);
                }
                // Who names a checker knows better.
                None if self.request.profile.checker.is_some() || self.request.is_restore() => {}
                None => findings.push(
                    Finding::fault(
                        "no-checker",
                        format!("this file {}, and nothing on this host checks it", critical.decides),
                    )
                    .in_file(&path)
                    .help("name a checker: --checker 'COMMAND {file}'; or keep a second root session open"),
                ),
            }
        }
        Ok((findings, runs))
    }
}
