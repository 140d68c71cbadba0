//! What clients get as it is: asked while the proposal is checked. Servers that count who asks are asked only for a
//! proposal that is not refused.

use super::proposal::Proposal;
use crate::background::Background;
use crate::error::Error;
use crate::run::values::{ChecksNow, Values};
use gypsum_core::profile::Service;
use gypsum_core::service::Observation;
use std::sync::Arc;

/// The health checks of the daemon as it is, with the answers by which later ones are judged.
pub(super) struct AskedEarly(Background<Result<ChecksNow, Error>>);

impl AskedEarly {
    /// Begins to ask. A proposal that is refused meanwhile waits for no answer.
    pub fn begin(proposal: &Proposal, service: &Service, found: &Observation) -> Self {
        let request = &proposal.request;
        let replaying = request.wishes.replaying;
        let known =
            Arc::new((request.profile.clone(), proposal.before.clone(), service.clone(), found.clone()));
        Self(Background::begin(move || {
            let (profile, before, service, found) = known.as_ref();
            let values = Values::of(profile, before);
            let replayed = values.replayed(replaying, service, found);
            values.checks_uncounted(service, Some(found.clone()), replayed)
        }))
    }

    /// The checks; waits for the answers.
    pub fn get(&self) -> Result<ChecksNow, Error> {
        self.0.get().clone()
    }
}
