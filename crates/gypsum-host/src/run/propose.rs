//! The proposal: the edits placed, proven, and checked by our own rules.

use super::Run;
use super::difference::{moved_lines, shown_companion, shown_lines, shown_link};
use super::front::{Front, NewFile};
use super::job::Wish;
use crate::disk::link_target;
use crate::error::Error;
use crate::files::Loading;
use crate::guardian::Guardian;
use gypsum_core::address::Address;
use gypsum_core::change::{StepOutcome, Verdict};
use gypsum_core::doc::{Document, Family};
use gypsum_core::edit::{Batch, Edit, File, Guide, Request, Where, propose_batches};
use gypsum_core::event::Event;
use gypsum_core::finding::Finding;
use gypsum_core::listing::changed;
use gypsum_core::profile::{Activation, Profile};
use gypsum_core::secret::{Redactor, mentions_secret, secrets_in};
use gypsum_core::text::{Bytes, shift_lines};
use gypsum_core::value::{Kind, edit_error_of_any};
use std::cell::OnceCell;
use std::collections::HashMap;
use std::path::Path;

impl Run<'_> {
    pub(super) fn propose(&mut self) -> Result<StepOutcome, Error> {
        let disk = self.disk();
        // What was typed unseen is not shown in a misfit either.
        self.redactor = Redactor::new(self.front()?.job.hidden.clone());
        let disabled = self.disabled_before()?;
        let front = self.front()?;
        let beside = matches!(front.job.wish, Wish::Edits(_)) && !front.job.beside.is_empty();
        let activates = front.job.activation.is_some_and(|activation| activation != Activation::None);
        let placed = match front.job.wish.clone() {
            Wish::Edits(edits) if edits.is_empty() && (beside || activates) => {
                front.after = front.loading()?.files.clone();
                Ok(())
            }
            Wish::Edits(edits) => front.place(&edits, &disabled)?,
            Wish::Whole(bytes) => {
                if memchr::memchr(0, &bytes).is_some() {
                    return Err(Error::refused("the prepared file holds a NUL byte; it is no text file"));
                }
                let target = front.target()?;
                front.whole(&[(target, Some(bytes))], disk)?
            }
            Wish::Files(files) | Wish::Ready(files) => front.whole(&files, disk)?,
        };
        if let Err(edit_errors) = placed {
            self.judge(edit_errors)?;
            return Ok(StepOutcome::Refused);
        }
        let front = self.front()?;
        front.beside(disk)?;
        front.changed = match (&front.job.wish, &front.loading) {
            (Wish::Edits(_), _) | (_, None) => front.edits.iter().map(|edit| edit.address.clone()).collect(),
            // What a whole file changes is told by its settings; those that go count, too.
            (_, Some(loading)) => changed(&loading.files, &front.after, &front.job.profile),
        };
        let secrets = front.secrets();
        let (edits, nothing) = (front.edits.clone(), front.new_files.is_empty());
        self.redactor = Redactor::new(secrets);
        // Without an edit the service may be restarted all the same.
        let only_activates =
            activates && matches!(&self.front()?.job.wish, Wish::Edits(edits) if edits.is_empty());
        if nothing && !only_activates {
            return Ok(StepOutcome::Unchanged);
        }
        if !self.front()?.job.dry_run {
            self.guardian = Some(Guardian::begin(&self.report.daemon));
        }
        let state = self.state;
        let findings = self.front()?.both_checks(state, disk)?;
        self.emit(Event::Proposed { edits });
        if self.judge(findings)? { Ok(StepOutcome::Refused) } else { Ok(StepOutcome::Done) }
    }
}

impl Run<'_> {
    /// The lines as which kept changes commented out what is to be enabled now, by address.
    fn disabled_before(&mut self) -> Result<HashMap<String, String>, Error> {
        let state = self.state;
        let front = self.front()?;
        let Wish::Edits(edits) = &front.job.wish else {
            return Ok(HashMap::new());
        };
        let wanted: Vec<String> = edits
            .iter()
            .filter_map(|request| match &request.edit {
                Edit::Enable(address) => Some(address.to_string()),
                _ => None,
            })
            .collect();
        let mut found = HashMap::new();
        if wanted.is_empty() {
            return Ok(found);
        }
        for entry in state.entries(&front.job.profile.daemon).into_iter().rev() {
            let Some(report) =
                entry.report(self.disk()).filter(|report| report.verdict == Some(Verdict::Kept))
            else {
                continue;
            };
            for edit in report.edits {
                if let (Some(_), Some(after)) = (edit.before, edit.after)
                    && wanted.contains(&edit.address)
                {
                    found.entry(edit.address).or_insert(after);
                }
            }
        }
        Ok(found)
    }
}

type Placed = Result<(), Vec<Finding>>;

impl Front {
    fn place(&mut self, requests: &[Request], disabled: &HashMap<String, String>) -> Result<Placed, Error> {
        let only = self.job.only().map(|path| self.loading()?.find(path)).transpose()?;
        let loading = self.loading()?;
        let profile = &self.job.profile;
        let mut batches = by_file(requests, loading, only)?;
        for batch in &mut batches {
            batch.edits = in_their_sections(&batch.edits, profile, &loading.files, batch.only);
        }
        let overruled = OnceCell::new();
        let guide = Guide {
            home: loading.home,
            only: None,
            block: &|name| profile.home_block(name),
            spelling: &|name| profile.spelling(name).map(str::to_owned),
            plausible: &|name, value| is_plausible(profile, name, value),
            remark: self.job.remark.as_deref(),
            quantity: &|name| profile.setting(name).is_some_and(|(_, setting)| setting.kind.is_quantity()),
            disabled: &|address| disabled.get(address).cloned(),
            resets: &|address| profile.at_address(address).is_some_and(|(_, setting)| setting.resets),
            knows_effect: !profile.setting.is_empty(),
            in_effect: &|n, leaf| !overruled.get_or_init(|| loading.overruled(profile)).contains(&(n, leaf)),
            list: &|name| profile.setting(name).and_then(|(_, setting)| setting.list.clone()),
        };
        let proposal = match propose_batches(&loading.files, &batches, &guide) {
            Ok(proposal) => proposal,
            Err(edit_errors) => return Ok(Err(known_better(profile, edit_errors))),
        };
        let mut after = loading.files.clone();
        let mut new_files = Vec::new();
        for edited in proposal.files {
            let (file, place) = (&loading.files[edited.file], &loading.loaded[edited.file]);
            new_files.push(NewFile {
                real: place.real.clone(),
                before: (!place.absent).then(|| file.doc.bytes()),
                dress: None,
                after: Some(edited.doc.bytes()),
                shifts: shift_lines(file.doc.source(), &edited.splices),
            });
            after[edited.file].doc = edited.doc;
        }
        self.edits = proposal.shown;
        self.after = after;
        self.new_files = new_files;
        Ok(Ok(()))
    }

    /// The file that a prepared one takes the place of.
    fn target(&self) -> Result<std::path::PathBuf, Error> {
        let loading = self.loading()?;
        let n = match self.job.only() {
            Some(path) => loading.find(path)?,
            None => loading.home,
        };
        Ok(loading.loaded[n].real.clone())
    }

    fn whole(
        &mut self,
        files: &[(std::path::PathBuf, Option<Vec<u8>>)],
        disk: &dyn crate::disk::Disk,
    ) -> Result<Placed, Error> {
        let loading = self.loading()?;
        let mut after = loading.files.clone();
        let (mut new_files, mut edits) = (Vec::new(), Vec::new());
        for (path, bytes) in files {
            let before = disk.read(path).map_err(|error| Error::file("read", path, &error))?;
            if before == *bytes {
                continue;
            }
            let link = |bytes: &Option<Vec<u8>>| bytes.as_deref().and_then(link_target).map(Path::to_owned);
            match (link(&before), link(bytes)) {
                (None, None) if loading.loaded.iter().any(|file| file.real == *path) => {
                    edits.extend(shown_lines(path, before.as_deref(), bytes.as_deref()));
                }
                // Nothing says that it is configuration.
                (None, None) => edits.push(shown_companion(path, before.as_deref(), bytes.as_deref())),
                (was, is) => {
                    edits.extend(was.map(|target| shown_link(path, &target, false)));
                    edits.extend(is.map(|target| shown_link(path, &target, true)));
                }
            }
            match (loading.loaded.iter().position(|file| file.real == *path), bytes) {
                (Some(n), Some(bytes)) => after[n].doc = reread(&loading.files[n].doc, bytes.clone())?,
                (Some(n), None) => after[n].doc = reread(&loading.files[n].doc, Vec::new())?,
                (None, _) => {}
            }
            let after = bytes.clone();
            let shifts = moved_lines(before.as_deref(), after.as_deref());
            let (before, after) = (before.map(Bytes::from), after.map(Bytes::from));
            new_files.push(NewFile { real: path.clone(), before, after, shifts, dress: None });
        }
        self.after = after;
        self.new_files = new_files;
        self.edits = edits;
        Ok(Ok(()))
    }

    fn secrets(&self) -> Vec<String> {
        let profile = &self.job.profile;
        // Names that are secrets by the profile, or by a word in them, which nearly no file mentions.
        let own = profile.setting.values().any(|setting| setting.secret);
        let before: Vec<&File> = self.loading.iter().flat_map(|loading| &loading.files).collect();
        let old = own || before.iter().any(|file| mentions_secret(file.doc.source()));
        let texts = self.edits.iter().flat_map(|edit| [&edit.before, &edit.after]).flatten();
        let whole = !matches!(self.job.wish, Wish::Edits(_));
        let new = old || whole || texts.into_iter().any(|text| mentions_secret(text.as_bytes()));
        let looked_at = before.into_iter().filter(|_| old).chain(self.after.iter().filter(|_| new));
        let known = looked_at.flat_map(|file| secrets_in(profile, file));
        known.chain(self.job.hidden.iter().cloned()).collect()
    }
}

/// The edits of each file together, those for any file, or for `only`, first.
fn by_file(requests: &[Request], loading: &Loading, only: Option<usize>) -> Result<Vec<Batch>, Error> {
    let mut batches = vec![Batch { only, edits: Vec::new() }];
    for Request { edit, within } in requests {
        let file = match within {
            Some(path) => Some(loading.find(Path::new(path))?),
            None => only,
        };
        match batches.iter_mut().find(|batch| batch.only == file) {
            Some(batch) => batch.edits.push(edit.clone()),
            None => batches.push(Batch { only: file, edits: vec![edit.clone()] }),
        }
    }
    Ok(batches)
}

/// The edits with the sections that they belong in, where those are known and one only, and with sections that do not
/// stand there yet made first: a section is a line, and nobody wants to hear that it is missing.
fn in_their_sections(edits: &[Edit], profile: &Profile, files: &[File], only: Option<usize>) -> Vec<Edit> {
    if profile.files.format != Family::Sections {
        return edits.to_vec();
    }
    let usual = profile.files.section.as_deref().unwrap_or_default();
    let mut out: Vec<Edit> = Vec::new();
    let stands = |section: &str| {
        let meant = files.iter().enumerate().filter(|(n, _)| only.is_none_or(|only| only == *n));
        meant
            .into_iter()
            .any(|(_, file)| file.doc.tree().blocks().any(|(block, _)| file.doc.title(block) == section))
    };
    for edit in edits {
        let Edit::Set { address, value } = edit else {
            out.push(edit.clone());
            continue;
        };
        let homes: Vec<&str> = profile
            .known_names()
            .filter_map(|known| known.rsplit_once("..").filter(|(_, bare)| *bare == address.name()))
            .map(|(section, _)| section)
            .collect();
        let section = match (address.blocks(), homes.as_slice()) {
            ([section], homes) if homes.contains(&section.words.as_str()) => section.words.clone(),
            ([], [section]) => (*section).to_owned(),
            ([], homes) if homes.contains(&usual) => usual.to_owned(),
            _ => {
                out.push(edit.clone());
                continue;
            }
        };
        let asked: Option<Address> = Address::parse(&section).ok();
        let made = asked.clone().map(|address| Edit::Add { address, value: None, spot: Where::Last });
        out.extend(made.filter(|made| !stands(&section) && !out.contains(made)));
        let address = asked.map_or_else(|| address.clone(), |outer| outer.then(address.name()));
        out.push(Edit::Set { address, value: value.clone() });
    }
    out
}

/// Whether a text that stands commented out, with a blank behind its mark, may be a value of a setting and
/// no prose.
fn is_plausible(profile: &Profile, name: &str, value: &str) -> bool {
    match profile.setting(name) {
        Some((_, setting)) => {
            edit_error_of_any(setting, &profile.values, value).is_none() && setting.kind != Kind::Text
        }
        None if !profile.setting.is_empty() => false,
        // Nothing is known of the names; the marks that the format wants tell it from prose, or do not.
        None => match profile.files.format {
            Family::Braces | Family::Assignments | Family::Literals | Family::Json | Family::Toml => true,
            Family::Equals | Family::Sections | Family::Properties | Family::Yaml => !value.contains(' '),
            Family::Keyword | Family::Stanzas | Family::Tags => looks_like_a_value(value),
            _ => false,
        },
    }
}

/// One word that is a number, a switch or a path; prose goes on behind its first word.
fn looks_like_a_value(value: &str) -> bool {
    let switch = ["yes", "no", "on", "off", "true", "false"].contains(&value.to_lowercase().as_str());
    !value.contains(' ') && (switch || value.starts_with(|c: char| c.is_ascii_digit() || c == '/'))
}

/// A name that nobody knows is better answered with the names nearest to it than with its absence.
fn known_better(profile: &Profile, edit_errors: Vec<Finding>) -> Vec<Finding> {
    let better = |mut finding: Finding| {
        let address = finding.address.clone().and_then(|text| Address::parse(&text).ok());
        if let Some(address) = address
            .filter(|address| finding.rule == "not-there" && profile.spelling(address.name()).is_none())
        {
            let near = gypsum_core::text::nearest(address.name(), profile.known_names());
            if let Some(near) = near.first() {
                finding.help = Some(format!("did you mean {near}?"));
            }
        }
        finding
    };
    edit_errors.into_iter().map(better).collect()
}

fn reread(like: &Document, bytes: Vec<u8>) -> Result<Document, Error> {
    Document::read(bytes, like.family(), like.dialect().clone())
        .map_err(|error| Error::cannot(error.to_string()))
}
