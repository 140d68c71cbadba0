//! The order *edit*: the proposal is made.

use super::lock::Loaded;
use super::new_file::NewFile;
use super::plausible::is_plausible;
use super::proposal::{Drawn, Proposal};
use super::sections::in_their_sections;
use super::{extra_files, take_back, whole_files};
use crate::disk::link_target;
use crate::disk::walk::{self, open_to_read};
use crate::error::Error;
use crate::files::Loading;
use crate::run::drafts::Typed;
use crate::run::request::NewContent;
use crate::run::steps::{RunContext, Step};
use gypsum_core::address::Address;
use gypsum_core::change::{StepOutcome, Verdict};
use gypsum_core::edit::{Batch, Edit, File, Guide, Request, propose_batches};
use gypsum_core::event::Event;
use gypsum_core::finding::Finding;
use gypsum_core::listing::changed;
use gypsum_core::profile::Profile;
use gypsum_core::secret::{mentions_secret, secrets_in};
use gypsum_core::text::shift_lines;
use rustix::fs::IFlags;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

pub(super) fn edit(
    cx: &mut RunContext<'_>,
    loaded: Loaded,
    typed: &mut Typed,
) -> Result<Step<Proposal>, Error> {
    // What was typed unseen is not shown in an error either.
    cx.recorder.hide(loaded.request.hidden.clone());
    let drawn = match draw(cx, &loaded)? {
        Ok(drawn) => drawn,
        Err(edit_errors) => {
            cx.recorder.judge(edit_errors, &loaded.request.wishes.acceptance);
            return Ok(Step::Ended(StepOutcome::Refused));
        }
    };
    let Loaded { request, before, early } = loaded;
    let Drawn { after, new_files, edits } = drawn;
    let mut proposal = Proposal { request, before, early, after, new_files, edits, changed: Vec::new() };
    let added = extra_files::add(&mut proposal, cx.world.disk());
    typed.files = proposal.new_files.iter().filter_map(NewFile::typed).collect();
    added?;
    // The daemon's checker reads a new file with the owner and mode that it is to have.
    let usual = proposal.usual_ownership();
    for file in proposal.new_files.iter_mut().filter(|file| file.before.is_none()) {
        if file.after().is_some_and(|bytes| link_target(bytes).is_none()) {
            file.ownership.get_or_insert(usual);
        }
    }
    proposal.changed = match &proposal.request.content {
        NewContent::Edits(_) => proposal.edits.iter().map(|edit| edit.address.clone()).collect(),
        // What a whole file changes is told by its settings; those that go count, too.
        NewContent::Whole(_) | NewContent::Ready(_) | NewContent::Restored(_) => {
            changed(&proposal.before.files, &proposal.after, &proposal.request.profile)
        }
    };
    cx.recorder.hide(proposal.secrets());
    // Without an edit the service may be restarted all the same.
    let only_activates = proposal.request.activates() && proposal.request.has_no_edits();
    if proposal.new_files.is_empty() && !only_activates {
        return Ok(Step::Ended(StepOutcome::Unchanged));
    }
    refuse_immutable(&proposal)?;
    for file in proposal.new_files.iter().filter(|file| file.before.is_some()) {
        let owned = walk::place(&file.real).and_then(|place| place.refuse_other_owner());
        owned.map_err(|error| Error::file("change", &file.real, error))?;
    }
    cx.recorder.emit(Event::Proposed { edits: proposal.edits.clone() });
    for place in &proposal.before.loaded {
        let is_changed = proposal.new_files.iter().any(|file| file.real == place.real);
        if is_changed && place.name != place.real {
            let (name, real) = (place.name.display(), place.real.display());
            cx.recorder.note(format!("{name} is a link, and leads to {real}, which is changed"));
        }
    }
    Ok(Step::Done(proposal))
}

/// A file that not even root may write is told as that: what fails on it later has other words.
fn refuse_immutable(proposal: &Proposal) -> Result<(), Error> {
    for file in proposal.new_files.iter().filter(|file| file.before.is_some()) {
        // One that cannot be opened, such as a link, has no such flags; one that is not supported has none either.
        let flags = open_to_read(&file.real).and_then(|file| Ok(rustix::fs::ioctl_getflags(file)?));
        if flags.is_ok_and(|flags| flags.intersects(IFlags::IMMUTABLE | IFlags::APPEND)) {
            let path = file.real.display();
            return Err(Error::refused(format!(
                "{path} is immutable: no account can change it, not even root"
            ))
            .help(format!(
                "see who made it so, and why; lsattr {path} shows it, chattr -ia {path} ends it"
            )));
        }
    }
    Ok(())
}

/// The new versions of the files, or why an edit cannot be made.
fn draw(cx: &RunContext<'_>, loaded: &Loaded) -> Result<Result<Drawn, Vec<Finding>>, Error> {
    let (request, disk) = (&loaded.request, cx.world.disk());
    match &request.content {
        NewContent::Edits(edits)
            if edits.is_empty() && (!request.extra_files.is_empty() || request.activates()) =>
        {
            let after = loaded.before.files.clone();
            Ok(Ok(Drawn { after, new_files: Vec::new(), edits: Vec::new() }))
        }
        NewContent::Edits(edits) => {
            let disabled = disabled_before(cx, &request.profile.daemon, edits)?;
            place(loaded, edits, &disabled)
        }
        NewContent::Whole(bytes) => {
            if memchr::memchr(0, bytes).is_some() {
                return Err(Error::refused("the prepared file holds a NUL byte; it is no text file"));
            }
            let file = (target(loaded)?, Some(bytes.clone()));
            whole_files::draw(&loaded.before, &[file], disk).map(Ok)
        }
        NewContent::Ready(files) => whole_files::draw(&loaded.before, files, disk).map(Ok),
        NewContent::Restored(wanted) => {
            let files = take_back::contents(cx, loaded, wanted)?;
            let mut drawn = whole_files::draw(&loaded.before, &files, disk)?;
            take_back::give_owners_back(cx, wanted, &mut drawn.new_files)?;
            Ok(Ok(drawn))
        }
    }
}

/// The lines as which kept changes commented out what is to be enabled now, by address.
fn disabled_before(
    cx: &RunContext<'_>,
    daemon: &str,
    edits: &[Request],
) -> Result<HashMap<String, String>, Error> {
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
    for entry in cx.state.newest(cx.world.disk(), daemon)? {
        let entry = entry?;
        let report = entry.report(cx.world.disk());
        let Some(report) = report.filter(|report| report.verdict == Some(Verdict::Kept)) else {
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

/// The edits, each placed and proved.
fn place(
    loaded: &Loaded,
    requests: &[Request],
    disabled: &HashMap<String, String>,
) -> Result<Result<Drawn, Vec<Finding>>, Error> {
    let (request, loading) = (&loaded.request, &loaded.before);
    let only = request.only().map(|path| loading.find(path)).transpose()?;
    let profile = &request.profile;
    let mut batches = by_file(requests, loading, only)?;
    for batch in &mut batches {
        batch.edits = in_their_sections(&batch.edits, profile, &loading.files, batch.only);
    }
    let overruled = OnceCell::new();
    let home = only.unwrap_or(loading.home);
    let guide = Guide {
        home: loading.home,
        only: None,
        block: &|name| Some(its_name_there(profile, &loading.files[home], profile.home_block(name)?)),
        spelling: &|name| profile.spelling(name).map(str::to_owned),
        plausible: &|name, value| is_plausible(profile, name, value),
        remark: request.remark.as_deref(),
        quantity: &|name| profile.setting(name).is_some_and(|(_, setting)| setting.kind.is_quantity()),
        disabled: &|address| disabled.get(address).cloned(),
        resets: &|address| profile.at_address(address).is_some_and(|(_, setting)| setting.resets),
        knows_effect: !profile.setting.is_empty(),
        in_effect: &|n, leaf| !overruled.get_or_init(|| loading.overruled(profile)).contains(&(n, leaf)),
        list: &|name| profile.setting(name).and_then(|(_, setting)| setting.list.clone()),
        described: &|name| profile.setting(name).is_some(),
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
            ownership: None,
            after: Some(edited.doc.bytes()),
            shifts: shift_lines(file.doc.source(), &edited.splices),
        });
        after[edited.file].doc = edited.doc;
    }
    Ok(Ok(Drawn { after, new_files, edits: proposal.shown }))
}

/// The block as the file calls it, where the daemon has several names for one and the same.
fn its_name_there(profile: &Profile, file: &File, block: String) -> String {
    if file.doc.has_block(&block) {
        return block;
    }
    let same = profile.dialect.same_blocks.iter().find(|same| same.contains(&block));
    same.and_then(|same| same.iter().find(|name| file.doc.has_block(name))).cloned().unwrap_or(block)
}

/// The file that a prepared one takes the place of.
fn target(loaded: &Loaded) -> Result<PathBuf, Error> {
    let loading = &loaded.before;
    let n = match loaded.request.only() {
        Some(path) => loading.find(path)?,
        None => loading.home,
    };
    Ok(loading.loaded[n].real.clone())
}

impl Proposal {
    /// The daemon's main file.
    pub fn home(&self) -> PathBuf {
        let home = self.before.loaded.get(self.before.home);
        home.map_or_else(PathBuf::new, |file| file.real.clone())
    }

    /// The texts that must not be shown, of the files before and after.
    fn secrets(&self) -> Vec<String> {
        let profile = &self.request.profile;
        // Names that are secrets by the profile, or by a word in them, which nearly no file mentions.
        let own = profile.setting.values().any(|setting| setting.secret);
        let before: Vec<&File> = self.before.files.iter().collect();
        let old = own || before.iter().any(|file| mentions_secret(file.doc.source()));
        let texts = self.edits.iter().flat_map(|edit| [&edit.before, &edit.after]).flatten();
        let whole = !matches!(self.request.content, NewContent::Edits(_));
        let new = old || whole || texts.into_iter().any(|text| mentions_secret(text.as_bytes()));
        let looked_at = before.into_iter().filter(|_| old).chain(self.after.iter().filter(|_| new));
        let known = looked_at.flat_map(|file| secrets_in(profile, file));
        known.chain(self.request.hidden.iter().cloned()).collect()
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
