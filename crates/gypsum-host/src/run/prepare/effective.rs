//! The settings that the daemon itself reports, before and after.

use super::check::Checked;
use crate::error::Error;
use crate::rehearse::{Proposed, ask};
use gypsum_core::edit::File;
use gypsum_core::effective::{ALSO_CHANGES, asked, compare};
use gypsum_core::finding::Finding;
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
        let said = compare(profile, effective, (&before, &after), &config_view, &self.changed_statements);
        if !said.iter().any(|finding| finding.rule == ALSO_CHANGES) {
            return Ok(Some(said));
        }
        // A name that the change itself writes somewhere is no other one. Some accounts hold the time: what differs when the same is asked again is no change.
        let Some((again_before, again_after)) = ask(effective, proposed, home, &names)? else {
            return Ok(Some(said));
        };
        let mut effective = effective.clone();
        effective.passing.extend(self.names_changed());
        effective.passing.extend(before.passing(&again_before));
        effective.passing.extend(after.passing(&again_after));
        Ok(Some(compare(profile, &effective, (&before, &after), &config_view, &self.changed_statements)))
    }

    /// The names of statements, blocks among them, that are new, gone or written otherwise.
    fn names_changed(&self) -> Vec<String> {
        let statements = |file: Option<&File>| -> HashSet<(String, Vec<u8>)> {
            let Some(doc) = file.map(|file| &file.doc) else { return HashSet::new() };
            let text = |leaf| doc.tree().span(leaf).of(doc.source()).trim_ascii().to_vec();
            doc.statements().map(|(leaf, _, parts)| (doc.text(parts.name).into_owned(), text(leaf))).collect()
        };
        let (before, after) = (&self.proposal.before.files, &self.after.files);
        let same = |files: &[File], path: &str| files.iter().position(|file| file.path == path);
        let paths: HashSet<&str> = before.iter().chain(after).map(|file| file.path.as_str()).collect();
        let pairs = paths
            .into_iter()
            .map(|path| (same(before, path).map(|n| &before[n]), same(after, path).map(|n| &after[n])));
        let changed =
            pairs.filter(|(was, is)| was.map(|file| file.doc.source()) != is.map(|file| file.doc.source()));
        changed
            .flat_map(|(was, is)| {
                let (was, is) = (statements(was), statements(is));
                was.symmetric_difference(&is).map(|(name, _)| name.clone()).collect::<Vec<_>>()
            })
            .collect()
    }
}
