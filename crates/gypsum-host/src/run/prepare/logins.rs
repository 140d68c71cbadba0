//! Who can log in after the change, by what the daemon itself says that it asks of each account.

use super::check::Checked;
use crate::error::Error;
use crate::rehearse::{Proposed, ask_of_logins};
use crate::survey::Host;
use gypsum_core::finding::Finding;
use gypsum_core::rules::login::{ReportedLogins, accounts, by_report, is_touched};
use gypsum_core::survey::Survey;
use std::path::Path;

/// Of so many accounts the daemon is asked.
const MOST_ACCOUNTS: usize = 25;

impl Checked {
    /// What shuts accounts out; `None` where the change has nothing to do with logins, or the daemon cannot be asked.
    pub(super) fn compare_logins(
        &self,
        proposed: &[Proposed<'_>],
        home: &Path,
    ) -> Result<Option<Vec<Finding>>, Error> {
        let request = &self.proposal.request;
        let profile = &request.profile;
        let Some(login) = profile.login.as_ref().filter(|login| login.report.is_some()) else {
            return Ok(None);
        };
        let nothing_known = Survey::default();
        let (before, after) = (&self.proposal.before, &self.after);
        let layers = (before.layers(profile), after.layers(profile));
        let was = before.config_view(&layers.0, profile, &nothing_known);
        let is = after.config_view(&layers.1, profile, &nothing_known);
        if request.is_restore() || !is_touched(&was, &is, &self.changed_statements) {
            return Ok(None);
        }
        let overlay = Default::default();
        let host = Host::new(profile, &self.proposal.early, &overlay, &request.who);
        let mut survey = Survey::default();
        let mut names = host.answer(&mut survey, |survey| {
            survey.connection();
            accounts(survey)
        });
        names.truncate(MOST_ACCOUNTS);
        let connection = survey.connection().map(<[String]>::to_vec);
        let reported: ReportedLogins = ask_of_logins(login, &names, connection.as_deref(), proposed, home)?;
        if reported.is_empty() {
            return Ok(None);
        }
        Ok(Some(host.answer(&mut survey, |survey| {
            let mut view = after.config_view(&layers.1, profile, survey);
            view.changed_statements = Some(&self.changed_statements);
            by_report(&view, &reported)
        })))
    }
}
