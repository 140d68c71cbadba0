//! `gypsum edit`: the person's own editor on a draft, and the draft made live as a change like any other.

use super::change::{carry_out, request_of};
use super::{Context, world};
use crate::args::{ChangeOptions, OnFinding, Target};
use crate::ask::{choose, is_interactive};
use crate::out::{BOLD, DIM};
use crate::target::{NoTarget, profile_of};
use crate::view::{finding_lines, styled, when};
use gypsum_core::address::Address;
use gypsum_core::doc::Document;
use gypsum_core::edit::{find_active, find_commented_out};
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::merge::{Conflict, merge};
use gypsum_core::profile::Profile;
use gypsum_host::disk::{Disk, RealDisk};
use gypsum_host::drafts::{self, Draft, Held, Note};
use gypsum_host::error::Error;
use gypsum_host::files::{self, Loading};
use gypsum_host::profiles::for_file;
use gypsum_host::run::{ChangeRequest, ExtraFiles, NewContent, Observer};
use gypsum_host::who::login_name;
use gypsum_host::world::World;
use std::path::{Path, PathBuf};

/// What is to be edited, and what to do where nobody can be asked.
pub struct Asked {
    pub within: Option<PathBuf>,
    pub at: Option<String>,
    pub new: bool,
    pub fresh: bool,
    pub on_finding: Option<OnFinding>,
}

pub fn run(
    context: &Context,
    target: &Target,
    asked: &Asked,
    options: &ChangeOptions,
) -> Result<ExitStatus, NoTarget> {
    let world = world()?;
    let mut profile = profile_of(target)?;
    // What cannot be done is said before anybody types.
    request_of(profile.clone(), NewContent::Whole(Vec::new()), options)?;
    context.state.prepare(&RealDisk, &profile.daemon)?;
    let within = asked.within.as_deref().map(std::path::absolute).transpose();
    let within = within.map_err(|error| Error::cannot(format!("--in cannot be used: {error}")))?;
    if let Some(within) = &within {
        for_file(&mut profile, within);
    }
    let home = PathBuf::from(&profile.files.home);
    let new = asked.new.then(|| within.clone().unwrap_or(home));
    let loading = files::load(&RealDisk, &profile, new.as_deref())?;
    let (n, line) = place(&loading, within.as_deref(), asked.at.as_deref())?;
    let (name, real) = (loading.loaded[n].name.clone(), loading.loaded[n].real.clone());
    let like = loading.files[n].doc.clone();
    let mut editing = Editing { context, world: &world, profile, asked, options, name, real, like, line };
    let Some(draft) = editing.draft()? else {
        return Ok(ExitStatus::NotRun);
    };
    editing.go_on(draft)
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
    world: &'a dyn World,
    profile: Profile,
    asked: &'a Asked,
    options: &'a ChangeOptions,
    name: PathBuf,
    real: PathBuf,
    like: Document,
    line: Option<u32>,
}

/// What to do with a proposal.
enum Next {
    Again,
    Live(Vec<String>),
    Leave,
}

impl Editing<'_> {
    /// The draft to work on: one that waits, or a new one of the file as it is. None where the person does not
    /// want to, after all.
    fn draft(&mut self) -> Result<Option<(Draft, Held)>, Error> {
        let say = |text: &str| self.context.out.aside(text);
        let mine = drafts::of_file(&self.context.state, &self.profile.daemon, &self.real);
        for other in mine.iter().filter(|draft| draft.holder().is_some()) {
            let text = format!(
                "{} is editing {} since {}",
                other.note.who,
                self.name.display(),
                when(other.note.at_ms)
            );
            if !is_interactive() {
                return Err(Error::busy(text).help("wait for them, or edit by line: gypsum change"));
            }
            say(&format!("{text}."));
            let choices = [('l', "leave it to them"), ('o', "open a draft of your own; the two are merged")];
            if choose("Two people at one file:", &choices)? != Some('o') {
                return Ok(None);
            }
        }
        let waiting = mine.into_iter().rev().find(|draft| draft.holder().is_none());
        if let Some(draft) = waiting.filter(|_| !self.asked.fresh) {
            let Note { who, because, at_ms, .. } = &draft.note;
            say(&format!(
                "A draft of {} waits: by {who}, {}, {}.",
                self.name.display(),
                when(*at_ms),
                because.words()
            ));
            let choices = [
                ('c', "continue with it"),
                ('n', "new: begin from the live file; the draft goes on waiting"),
                ('t', "throw it away, and begin from the live file"),
            ];
            let chosen = if is_interactive() { choose("What to do?", &choices)? } else { Some('c') };
            match chosen {
                // Whoever does not answer throws nothing away.
                None => return Ok(None),
                Some('c') => {
                    if let Some(held) = draft.hold()? {
                        return Ok(Some((draft, held)));
                    }
                }
                Some('t') => draft.remove()?,
                _ => {}
            }
        }
        let live = self.live()?;
        let note = Note {
            file: self.real.clone(),
            who: login_name(),
            at_ms: self.world.now_ms(),
            because: drafts::Reason::BeingEdited,
            written: true,
        };
        let draft = drafts::keep(&self.context.state, &self.profile.daemon, note, &live, &live)?;
        let held = draft.hold()?.ok_or_else(|| Error::busy("another session has just taken this draft"))?;
        Ok(Some((draft, held)))
    }

    fn live(&self) -> Result<Vec<u8>, Error> {
        let live = RealDisk.read(&self.real).map_err(|error| Error::file("read", &self.real, error))?;
        Ok(live.unwrap_or_default())
    }

    fn read(&self, bytes: Vec<u8>) -> Result<Document, Error> {
        Document::read(bytes, self.like.family(), self.like.dialect().clone())
            .map_err(|error| Error::cannot(error.to_string()))
    }

    /// The editor, the check and the choice, until the proposal is live or left.
    fn go_on(&mut self, (mut draft, held): (Draft, Held)) -> Result<ExitStatus, NoTarget> {
        let out = self.context.out;
        loop {
            draft.is_now(drafts::Reason::BeingEdited, self.world.now_ms())?;
            if let Err(error) = gypsum_host::editor::edit(&draft.path(), self.line) {
                return self.leave(draft, Some(error));
            }
            let typed = draft.proposal()?;
            if typed == self.live()? {
                draft.remove()?;
                out.line(&format!(
                    "{}: nothing was changed, and nothing happens.",
                    styled(BOLD, "Unchanged")
                ));
                return Ok(ExitStatus::Success);
            }
            let next = match self.merged(&draft, typed)? {
                Ok(proposal) => self.judged(&proposal)?,
                Err(conflicts) => self.touched(&draft, &conflicts)?,
            };
            match next {
                Next::Again => {}
                Next::Leave => return self.leave(draft, None).map(|_| ExitStatus::Refused),
                Next::Live(accept) => {
                    let proposal = draft.proposal()?;
                    drop(held);
                    draft.is_now(drafts::Reason::NotFinished, self.world.now_ms())?;
                    let takes_live = vec![draft.taken()?];
                    let mut request = self.request_of(proposal, false)?;
                    request.wishes.acceptance.rules = accept;
                    let status = carry_out(self.context, ChangeRequest { takes_live, ..request })?;
                    // What was only tried is not live.
                    if self.options.dry_run {
                        draft.is_now(drafts::Reason::Left, self.world.now_ms())?;
                    }
                    return Ok(status);
                }
            }
        }
    }

    fn leave(&self, mut draft: Draft, why: Option<Error>) -> Result<ExitStatus, NoTarget> {
        draft.is_now(drafts::Reason::Left, self.world.now_ms())?;
        let daemon = &self.profile.daemon;
        match why {
            Some(error) => Err(error.into()),
            None => {
                let text = format!("what you wrote waits as a draft: gypsum edit {daemon}");
                self.context.out.line(&format!("{}: nothing was touched; {text}.", styled(BOLD, "Left")));
                Ok(ExitStatus::NotRun)
            }
        }
    }

    fn request_of(&self, proposal: Vec<u8>, dry_run: bool) -> Result<ChangeRequest, Error> {
        let content = NewContent::Whole(proposal);
        let mut request = request_of(self.profile.clone(), content, self.options)?;
        request.only = Some(self.name.clone());
        request.extra_files = ExtraFiles { new: self.asked.new, ..ExtraFiles::default() };
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
                self.context.out.aside(&text);
                draft.rebase(&live, &both)?;
                Ok(both)
            }
            Err(conflicts) => Err(conflicts),
        })
    }

    /// Our own check and the daemon's, before anything is live; and the choice, where they find something.
    fn judged(&mut self, proposal: &[u8]) -> Result<Next, Error> {
        let mut seen = Seen::default();
        let request = self.request_of(proposal.to_vec(), true)?;
        gypsum_host::run::change(self.world, &self.context.state, &mut seen, request);
        let accepted = |finding: &&Finding| !self.options.accept.contains(&finding.rule);
        let open: Vec<&Finding> = seen.findings.iter().filter(accepted).collect();
        if open.is_empty() {
            return Ok(Next::Live(self.options.accept.clone()));
        }
        let out = self.context.out;
        for finding in &seen.findings {
            finding_lines(finding).iter().for_each(|line| out.aside(line));
            out.aside("");
        }
        let first = open.iter().find(|finding| finding.file.as_deref() == self.name.to_str());
        self.line = first.and_then(|finding| finding.line).or(self.line);
        // Warnings can be gone past; a fault has to be named on the command line by who knows better.
        let passable = open.iter().all(|finding| finding.severity != Severity::Fault) && !self.options.strict;
        let mut rules: Vec<String> = open.iter().map(|finding| finding.rule.clone()).collect();
        rules.sort();
        rules.dedup();
        let with_rules = || [self.options.accept.clone(), rules.clone()].concat();
        if !is_interactive() {
            return Ok(match self.asked.on_finding {
                Some(OnFinding::Again) => Next::Again,
                Some(OnFinding::GoOn) if passable => Next::Live(with_rules()),
                _ => Next::Leave,
            });
        }
        let in_spite = format!("go on in spite of {}", rules.join(", "));
        let mut choices = vec![('e', "edit again"), ('d', "see the difference")];
        if passable {
            choices.push(('g', in_spite.as_str()));
        }
        choices.push(('l', "leave it; it is kept as a draft"));
        loop {
            match choose("What to do?", &choices)? {
                Some('e') => return Ok(Next::Again),
                Some('g') => return Ok(Next::Live(with_rules())),
                Some('d') => self.difference(&self.live()?, proposal),
                _ => return Ok(Next::Leave),
            }
        }
    }

    /// Where two people changed the same; from here on it is a proposal against the file as it is.
    fn touched(&mut self, draft: &Draft, conflicts: &[Conflict]) -> Result<Next, Error> {
        let out = self.context.out;
        let name = self.name.display();
        out.aside(&format!("{name} was changed by another process meanwhile, in the same places:"));
        for conflict in conflicts {
            for (whose, text) in [("theirs", &conflict.theirs), ("yours", &conflict.ours)] {
                let text = if text.is_empty() { "(nothing)\n" } else { text };
                for (n, line) in text.lines().enumerate() {
                    let lead =
                        if n == 0 { format!("line {:<6}{whose:<8}", conflict.line) } else { " ".repeat(19) };
                    out.aside(&format!("  {}{line}", styled(DIM, &lead)));
                }
            }
        }
        self.line = conflicts.first().map(|conflict| conflict.line);
        let chosen = match is_interactive() {
            true => choose(
                "What to do?",
                &[
                    ('e', "edit again; what you then write takes the place of theirs"),
                    ('l', "leave it; it is kept as a draft"),
                ],
            )?,
            false => None,
        };
        if chosen != Some('e') {
            return Ok(Next::Leave);
        }
        draft.rebase(&self.live()?, &draft.proposal()?)?;
        Ok(Next::Again)
    }

    fn difference(&self, live: &[u8], proposal: &[u8]) {
        let name = self.real.display().to_string();
        for line in crate::view::difference(Some(&self.profile), &name, live, proposal, &[]) {
            self.context.out.aside(&line);
        }
    }
}

/// What a check had to say.
#[derive(Default)]
struct Seen {
    findings: Vec<Finding>,
}

impl Observer for Seen {
    fn on_event(&mut self, event: &Event) {
        if let Event::Found { finding } = event {
            self.findings.push(finding.clone());
        }
    }

    fn confirm(&mut self) -> bool {
        // It only tries: nothing goes live.
        true
    }
}
