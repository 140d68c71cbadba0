//! The daemon's own checker, which reads the proposal while everything else is looked at.

use super::check::files_of;
use super::proposal::Proposal;
use crate::background::Background;
use crate::error::Error;
use crate::rehearse::{Rehearsal, rehearse};
use gypsum_core::event::CheckRun;
use gypsum_core::profile::Checker;
use std::sync::Arc;
use std::time::Instant;

/// A checker that reads the proposal.
pub(super) struct OwnChecker {
    checker: Option<Checker>,
    run: Option<Background<(Result<Rehearsal, Error>, u64)>>,
}

impl OwnChecker {
    /// Begins to run it, if the daemon has one.
    pub fn begin(proposal: &Proposal) -> Self {
        let checker = proposal.request.profile.checker.clone();
        let run = checker.clone().map(|checker| {
            let (home, is_restore) = (proposal.home(), proposal.request.is_restore());
            let known = Arc::new((checker, proposal.new_files.clone(), home));
            Background::begin(move || {
                let (checker, files, home) = known.as_ref();
                let begun = Instant::now();
                let said = rehearse(checker, &files_of(files, home), home, is_restore);
                (said, u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX))
            })
        });
        Self { checker, run }
    }

    /// The same, or another one where meanwhile another program is known to run.
    pub fn or_of(self, proposal: &Proposal) -> Self {
        if self.checker == proposal.request.profile.checker { self } else { Self::begin(proposal) }
    }

    /// What it said, and that it ran; waits for it. Nothing where there is none.
    pub fn said(mut self) -> (Option<Result<Rehearsal, Error>>, CheckRun) {
        match self.run.take().map(Background::take) {
            Some((Ok(said), ms)) => {
                let name = said.by.clone();
                (Some(Ok(said)), CheckRun { name, ms })
            }
            Some((Err(error), ms)) => {
                (Some(Err(error)), CheckRun { name: "the daemon's checker".to_owned(), ms })
            }
            None => (None, CheckRun { name: "the daemon has no checker".to_owned(), ms: 0 }),
        }
    }
}

impl Drop for OwnChecker {
    /// Waits for it, however the order ends: what it made for itself is gone only then.
    fn drop(&mut self) {
        if let Some(run) = self.run.take() {
            // Nobody needs what it says any more.
            let _ = run.take();
        }
    }
}
