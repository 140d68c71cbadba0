//! Our own rules on a proposal: its layers and the survey of this host.

use super::proposal::Proposal;
use crate::disk::{Disk, link_target};
use crate::error::Error;
use crate::files::{Loading, Overlay, load_over};
use crate::survey::Host;
use gypsum_core::address::address_of;
use gypsum_core::check::CheckingChange;
use gypsum_core::doc::Kind;
use gypsum_core::edit::File;
use gypsum_core::finding::Finding;
use gypsum_core::profile::Profile;
use gypsum_core::rules::{Leaf, changed_statements};
use gypsum_core::survey::Survey;
use gypsum_core::text::Bytes;
use std::borrow::Cow;
use std::collections::HashSet;

/// What our own rules found.
pub(super) struct OwnRules {
    pub findings: Vec<Finding>,
    /// The new statements.
    pub changed_statements: HashSet<Leaf>,
    /// The files as they will be.
    pub after: Loading,
}

/// The addresses of new settings: also of those in a block that is new as a whole.
pub(super) fn new_settings(files: &[File], changed_statements: &HashSet<Leaf>) -> Vec<String> {
    let statements =
        changed_statements.iter().filter_map(|(file, leaf)| Some((&files.get(*file)?.doc, *leaf)));
    let settings = statements.filter(|(doc, leaf)| doc.tree().kind(*leaf) == Kind::Setting);
    // Of a set, whose order tells nothing.
    let mut addresses: Vec<String> = settings.map(|(doc, leaf)| address_of(doc, leaf).to_string()).collect();
    addresses.sort();
    addresses
}

impl Proposal {
    /// What our rules say of the files as they will be.
    pub(super) fn run_rules(&self, disk: &dyn Disk) -> Result<OwnRules, Error> {
        let overlay = self.overlay(disk);
        let after = self.loading_after(&overlay)?;
        let before = &self.before;
        // What must hold afterwards is asked for, too.
        let mut profile = Cow::Borrowed(&self.request.profile);
        if !self.request.wishes.musts.is_empty() {
            profile.to_mut().health.extend(self.request.wishes.musts.iter().cloned());
        }
        let profile: &Profile = &profile;
        let layers = (before.layers(profile), after.layers(profile));
        let mut survey = Survey::default();
        // What is new is the same whatever the host answers.
        let nothing_known = Survey::default();
        let sides = (
            before.config_view(&layers.0, profile, &nothing_known),
            after.config_view(&layers.1, profile, &nothing_known),
        );
        let changed_statements = changed_statements(&sides.0, &sides.1);
        let host = Host::new(profile, &self.early, &overlay, &self.request.who);
        let back = self.request.is_restore();
        let mut checking = CheckingChange::of(sides.0, sides.1, &changed_statements);
        let findings = host.answer(&mut survey, |survey| {
            if back { checking.round_of_return(survey) } else { checking.round(survey) }
        });
        Ok(OwnRules { findings, changed_statements, after })
    }

    /// What will be in files that are not what they were.
    pub(super) fn overlay(&self, disk: &dyn Disk) -> Overlay {
        let mut overlay = Overlay::new();
        for file in &self.new_files {
            // A link reads as what it leads to.
            let bytes = match file.after().and_then(link_target) {
                Some(target) => {
                    let target = file.real.parent().unwrap_or(&file.real).join(target);
                    disk.read(&target).ok().flatten().map(Bytes::from)
                }
                None => file.after.clone(),
            };
            overlay.insert(file.real.clone(), bytes);
        }
        overlay
    }

    /// The files of the daemon as they will be.
    fn loading_after(&self, overlay: &Overlay) -> Result<Loading, Error> {
        let loading = &self.before;
        let dialect = &self.request.profile.dialect;
        let known = self.new_files.iter().all(|file| {
            file.after.is_some()
                && loading.loaded.iter().any(|loaded| loaded.real == file.real && !loaded.absent)
        });
        // Where nothing is included, the same files are read in the same order.
        if known && dialect.includes.is_empty() && dialect.include_folders.is_empty() {
            return Ok(Loading { files: self.after.clone(), ..loading.clone() });
        }
        load_over(&self.request.profile, self.request.new_file(), overlay, &self.after)
    }
}
