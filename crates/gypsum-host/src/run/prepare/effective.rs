//! The settings that the daemon itself reports, before and after.

use super::check::Checked;
use crate::error::Error;
use crate::rehearse::{Proposed, ask};
use gypsum_core::effective::{ALSO_CHANGES, asked, compare};
use gypsum_core::finding::Finding;
use gypsum_core::profile::Effective;
use gypsum_core::rules::{ConfigView, Leaf, changed_statements};
use gypsum_core::survey::Survey;
use std::collections::HashSet;
use std::path::Path;

impl Checked {
    /// What the daemon understands otherwise than it was asked for, where it can be asked.
    pub(super) fn compare_reported(
        &self,
        proposed: &[Proposed<'_>],
        home: &Path,
    ) -> Result<Option<Vec<Finding>>, Error> {
        let (profile, loading) = (&self.proposal.request.profile, &self.after);
        let Some(effective) = profile.effective.as_ref() else {
            return Ok(None);
        };
        let layers = loading.layers(profile);
        let survey = Survey::default();
        let config_view = loading.config_view(&layers, profile, &survey);
        let turns = asked(&config_view, &self.changed_statements, effective);
        let names = turns
            .iter()
            .map(|turn| loading.files[turn.file].doc.text(turn.name).into_owned())
            .collect::<Vec<_>>();
        if names.is_empty() && effective.run.iter().any(|word| word.contains("{name}")) {
            return Ok(None);
        }
        let Some((before, after)) = ask(effective, proposed, home, &names)? else {
            return Ok(None);
        };
        if after.is_empty() {
            return Ok(None);
        }
        let said_by = |effective: &Effective| {
            compare(profile, effective, (&before, &after), &config_view, &self.changed_statements)
        };
        let is_more = |said: &[Finding]| said.iter().any(|finding| finding.rule == ALSO_CHANGES);
        let said = said_by(effective);
        if !is_more(&said) {
            return Ok(Some(said));
        }
        // A name that the change itself writes somewhere is no further one.
        let mut effective = effective.clone();
        effective.passing.extend(self.names_written(&config_view));
        let said = said_by(&effective);
        if !is_more(&said) {
            return Ok(Some(said));
        }
        // Some accounts hold the time: what differs when the same is asked again is no change.
        let Some((again_before, again_after)) = ask(&effective, proposed, home, &names)? else {
            return Ok(Some(said));
        };
        effective.passing.extend(before.passing(&again_before));
        effective.passing.extend(after.passing(&again_after));
        Ok(Some(said_by(&effective)))
    }

    /// The names of statements, blocks among them, that are new, gone or written otherwise.
    fn names_written(&self, after: &ConfigView<'_>) -> Vec<String> {
        let (profile, loading) = (&self.proposal.request.profile, &self.proposal.before);
        let (layers, survey) = (loading.layers(profile), Survey::default());
        let before = loading.config_view(&layers, profile, &survey);
        let gone = changed_statements(after, &before);
        let names = |view: &ConfigView<'_>, leaves: &HashSet<Leaf>| -> Vec<String> {
            let name = |(n, leaf): &Leaf| {
                let doc = &view.files[*n].doc;
                doc.parts(*leaf).map(|parts| doc.text(parts.name).into_owned())
            };
            leaves.iter().filter_map(name).collect()
        };
        [names(after, &self.changed_statements), names(&before, &gone)].concat()
    }
}
