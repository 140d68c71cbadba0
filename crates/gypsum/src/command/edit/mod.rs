//! `gypsum edit`: the person's own editor on a draft, and the draft made live as a change like any other.

mod judge;
mod start;

use super::change::{carry_out, request_of};
use super::{Context, world};
use crate::args::{ChangeOptions, OnFinding, Target};
use crate::ask::{choose, is_interactive};
use crate::out::BOLD;
use crate::target::{NoTarget, profile_of};
use crate::view::{styled, wrapped};
use gypsum_core::address::Address;
use gypsum_core::change::Verdict;
use gypsum_core::doc::Document;
use gypsum_core::edit::{find_active, find_commented_out};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::merge::{Conflict, merge};
use gypsum_core::profile::Profile;
use gypsum_core::report::Report;
use gypsum_host::disk::{Disk, RealDisk};
use gypsum_host::drafts::{self, Draft, Note, Reason};
use gypsum_host::editor::{self, Failed};
use gypsum_host::error::Error;
use gypsum_host::files::{self, Loading};
use gypsum_host::profiles::for_file;
use gypsum_host::run::{ChangeRequest, ExtraFiles, NewContent};
use gypsum_host::world::World;
use serde_json::json;
use start::Begun;
use std::path::{Path, PathBuf};

/// What is to be edited, and what to do where nobody can be asked.
pub struct Asked {
    pub within: Option<PathBuf>,
    pub at: Option<String>,
    pub new: bool,
    pub fresh: bool,
    /// The draft to continue, by its number.
    pub draft: Option<u32>,
    pub on_finding: Option<OnFinding>,
}

pub fn run(
    context: &Context,
    target: &Target,
    asked: &Asked,
    options: &ChangeOptions,
) -> Result<ExitStatus, NoTarget> {
    let world = world()?;
    let mut profile = profile_of(context, target)?;
    // What cannot be done is said before anybody types.
    request_of(profile.clone(), NewContent::Whole(Vec::new()), options)?;
    context.state.prepare(&RealDisk, &profile.daemon)?;
    let within = file_meant(context, &profile, asked)?;
    if let Some(within) = &within {
        for_file(&mut profile, within);
    }
    let home = PathBuf::from(&profile.files.home);
    // The file of a draft may not exist yet.
    let makes = asked.new || asked.draft.is_some() && within.as_ref().is_some_and(|file| !file.exists());
    let new = makes.then(|| within.clone().unwrap_or(home));
    let loading = files::load(&profile, new.as_deref())?;
    let (n, line) = place(&loading, within.as_deref(), asked.at.as_deref())?;
    let (name, real) = (loading.loaded[n].name.clone(), loading.loaded[n].real.clone());
    let like = loading.files[n].doc.clone();
    let mut editing =
        Editing { context, target, world: &world, profile, asked, options, name, real, makes, like, line };
    match editing.begin()? {
        Some(begun) => editing.go_on(begun),
        None => Ok(ExitStatus::NotRun),
    }
}

/// The file that was named, or that of the draft.
fn file_meant(context: &Context, profile: &Profile, asked: &Asked) -> Result<Option<PathBuf>, Error> {
    if let Some(number) = asked.draft {
        return Ok(Some(drafts::find(&context.state, &profile.daemon, number)?.note.file));
    }
    let within = asked.within.as_deref().map(std::path::absolute).transpose();
    within.map_err(|error| Error::cannot(format!("--in cannot be used: {error}")))
}

/// The file that is meant, and the line to begin at.
fn place(loading: &Loading, within: Option<&Path>, at: Option<&str>) -> Result<(usize, Option<u32>), Error> {
    let meant = within.map(|path| loading.find(path)).transpose()?;
    let Some(text) = at else {
        return Ok((meant.unwrap_or(loading.home), None));
    };
    let address =
        Address::parse(text).map_err(|why| Error::usage(format!("{text:?} is not an address: {why}")))?;
    let active = find_active(&loading.files, &address);
    let commented_out = find_commented_out(&loading.files, &address);
    let mut found =
        active.into_iter().chain(commented_out.into_iter().map(|(n, commented_out)| (n, commented_out.leaf)));
    let found = found.find(|(n, _)| meant.is_none_or(|meant| meant == *n));
    let (n, leaf) = found.ok_or_else(|| {
        Error::usage(format!("{address} is not set"))
            .help("`gypsum show` lists the settings with their addresses")
    })?;
    Ok((n, Some(loading.files[n].doc.place(leaf).line)))
}

struct Editing<'a> {
    context: &'a Context,
    target: &'a Target,
    world: &'a dyn World,
    profile: Profile,
    asked: &'a Asked,
    options: &'a ChangeOptions,
    name: PathBuf,
    real: PathBuf,
    /// Whether the file may be made.
    makes: bool,
    like: Document,
    line: Option<u32>,
}

/// What to do with a proposal.
enum Next {
    Again,
    Live(Vec<String>),
    Leave,
}

/// A draft as it was before the editor was opened.
struct Untouched {
    base: Vec<u8>,
    proposal: Vec<u8>,
    /// Its note; none where it was made for this session.
    note: Option<Note>,
}

impl Editing<'_> {
    fn live(&self) -> Result<Vec<u8>, Error> {
        let live = RealDisk.read(&self.real).map_err(|error| Error::file("read", &self.real, error))?;
        Ok(live.unwrap_or_default())
    }

    fn read(&self, bytes: Vec<u8>) -> Result<Document, Error> {
        Document::read(bytes, self.like.family(), self.like.dialect().clone())
            .map_err(|error| Error::cannot(error.to_string()))
    }

    /// The editor, the check and the choice, until the proposal is live or left.
    fn go_on(&mut self, begun: Begun) -> Result<ExitStatus, NoTarget> {
        let Begun { mut draft, held, before } = begun;
        let was_held = before.as_ref().is_some_and(|note| note.because == Reason::Ready);
        let untouched = Untouched { base: draft.base()?, proposal: draft.proposal()?, note: before };
        loop {
            draft.is_now(Reason::BeingEdited, self.world.now_ms())?;
            if let Err(failed) = editor::edit(&draft, self.line) {
                return Err(self.abandoned(draft, untouched, failed)?.into());
            }
            let typed = draft.proposal()?;
            if typed == self.live()? {
                draft.remove()?;
                let summary = "nothing was changed, and nothing happens";
                self.context.say_unless_json(&format!("{}: {summary}.", styled(BOLD, "Unchanged")));
                let report = Report {
                    verdict: Some(Verdict::Unchanged),
                    summary: summary.into(),
                    ..Report::new(&self.profile.daemon)
                };
                self.context.report(ExitStatus::Success, &report);
                return Ok(ExitStatus::Success);
            }
            let next = match self.merged(&draft, typed)? {
                Ok(proposal) => self.judged(&proposal)?,
                Err(conflicts) => self.touched(&draft, &conflicts)?,
            };
            match next {
                Next::Again => {}
                Next::Leave => return self.leave(draft),
                Next::Live(accept) => {
                    let mut request = self.request_of(draft.proposal()?, false)?;
                    drop(held);
                    draft.is_now(Reason::NotFinished, self.world.now_ms())?;
                    request.takes_live = vec![draft.taken()?];
                    request.wishes.acceptance.rules = accept;
                    request.why = request.why.or_else(|| draft.note.why.clone());
                    // What was held goes live by `--ready` alone.
                    request.wishes.hold |= was_held && !request.wishes.dry_run;
                    request.wishes.dry_run |= request.wishes.hold;
                    let status = carry_out(self.context, self.target, request)?;
                    // What was only tried is not live.
                    if self.options.dry_run {
                        draft.is_now(Reason::Left, self.world.now_ms())?;
                        self.context.out.eprint(&self.saved(&draft));
                    }
                    return Ok(status);
                }
            }
        }
    }

    /// The editor failed, or the person ended it as failed. What was saved in it stays as a draft, unless the person
    /// wants it thrown away.
    fn abandoned(&self, mut draft: Draft, untouched: Untouched, failed: Failed) -> Result<Error, Error> {
        let Failed { error, may_be_meant } = failed;
        let is_written = draft.proposal()? != untouched.proposal;
        if is_written && !(may_be_meant && self.is_thrown_away()?) {
            draft.is_now(Reason::Left, self.world.now_ms())?;
            return Ok(error.help(self.saved(&draft)));
        }
        match untouched.note {
            None => draft.remove()?,
            Some(note) => {
                if is_written {
                    draft.rebase(&untouched.base, &untouched.proposal)?;
                }
                draft.is_now(note.because, note.at_ms)?;
            }
        }
        Ok(error)
    }

    /// Whether the person wants nothing to stay of what was saved before the editor failed.
    fn is_thrown_away(&self) -> Result<bool, Error> {
        let name = self.name.display();
        let question = format!("{name}: the editor ended with an error, but text was saved. What to do?");
        let question = wrapped(&question, self.context.out.width).join("\n");
        let choices = [('t', "throw the text away; nothing is changed"), ('k', "keep it as a draft")];
        Ok(is_interactive() && choose(&question, &choices)? == Some('t'))
    }

    /// How to go on with what was written.
    fn saved(&self, draft: &Draft) -> String {
        format!("your edit is saved: gypsum edit {} --draft {}", self.profile.daemon, draft.number)
    }

    fn leave(&self, mut draft: Draft) -> Result<ExitStatus, NoTarget> {
        draft.is_now(Reason::Left, self.world.now_ms())?;
        let summary = format!("nothing was touched; {}", self.saved(&draft));
        self.context.say_unless_json(&format!("{}: {summary}", styled(BOLD, "Left")));
        let fields = json!({ "daemon": self.profile.daemon, "draft": draft.number, "summary": summary });
        self.context.answer(ExitStatus::Refused, fields);
        Ok(ExitStatus::Refused)
    }

    fn request_of(&self, proposal: Vec<u8>, dry_run: bool) -> Result<ChangeRequest, Error> {
        let content = NewContent::Whole(proposal);
        let mut request = request_of(self.profile.clone(), content, self.options)?;
        request.only = Some(self.name.clone());
        request.extra_files = ExtraFiles { new: self.makes, ..ExtraFiles::default() };
        request.wishes.dry_run |= dry_run;
        request.wishes.hold &= !dry_run;
        Ok(request)
    }

    /// The proposal against the file as it is now: with what somebody else changed meanwhile, where the two
    /// do not touch.
    fn merged(&self, draft: &Draft, typed: Vec<u8>) -> Result<Result<Vec<u8>, Vec<Conflict>>, Error> {
        let (base, live) = (draft.base()?, self.live()?);
        if base == live {
            return Ok(Ok(typed));
        }
        let (old, ours, theirs) = (self.read(base)?, self.read(typed)?, self.read(live.clone())?);
        Ok(match merge(&old, &ours, &theirs) {
            Ok(both) => {
                let text = format!(
                    "{} was changed by another process meanwhile; both changes are in the proposal now.",
                    self.name.display()
                );
                self.context.out.eprint(&text);
                draft.rebase(&live, &both)?;
                Ok(both)
            }
            Err(conflicts) => Err(conflicts),
        })
    }
}
