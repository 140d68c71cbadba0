//! Which draft an editor is opened on.

use super::Editing;
use crate::ask::{choose, is_interactive};
use crate::view::when;
use gypsum_host::drafts::{self, Draft, Held, Note, Reason};
use gypsum_host::error::Error;
use gypsum_host::who::login_name;

/// A draft that an editor is to be opened on.
pub(super) struct Begun {
    pub draft: Draft,
    /// Held against other sessions.
    pub held: Held,
    /// What it was before; `None` if this session made it.
    pub before: Option<Note>,
}

impl Editing<'_> {
    /// The draft to work on: the one whose number was typed, one that the person chooses, or a new one of the file as
    /// it is. `None` if the person does not want to, after all.
    pub(super) fn begin(&mut self) -> Result<Option<Begun>, Error> {
        let daemon = self.profile.daemon.clone();
        if let Some(number) = self.asked.draft {
            let draft = drafts::find(&self.context.state, &daemon, number)?;
            return self.take(draft)?.map(Some).ok_or_else(|| {
                Error::busy(format!("another session is editing draft {number} of {daemon}"))
            });
        }
        let mine = drafts::of_file(&self.context.state, &daemon, &self.real)?;
        if mine.iter().any(|draft| draft.holder().is_some()) && !self.beside_others(&mine)? {
            return Ok(None);
        }
        if is_interactive() && !self.asked.fresh {
            // A held draft is taken up by its number alone.
            let mut latest = mine.into_iter().rev();
            let free = |draft: &Draft| draft.note.because != Reason::Ready && draft.holder().is_none();
            if let Some(draft) = latest.find(free) {
                match self.chosen(&draft)? {
                    None => return Ok(None),
                    Some('c') => {
                        if let Some(begun) = self.take(draft)? {
                            return Ok(Some(begun));
                        }
                    }
                    Some('t') => draft.remove()?,
                    Some(_) => {}
                }
            }
        }
        let live = self.live()?;
        let note = Note {
            file: self.real.clone(),
            who: login_name(),
            at_ms: self.world.now_ms(),
            because: Reason::BeingEdited,
            why: self.options.why.clone(),
            written: true,
        };
        let draft = drafts::keep(&self.context.state, &daemon, note, &live, &live)?;
        let held = draft.hold()?.ok_or_else(|| Error::busy("another session has just taken this draft"))?;
        Ok(Some(Begun { draft, held, before: None }))
    }

    /// A draft that exists, held for this session; `None` if another one has it.
    fn take(&self, draft: Draft) -> Result<Option<Begun>, Error> {
        let before = Some(draft.note.clone());
        Ok(draft.hold()?.map(|held| Begun { draft, held, before }))
    }

    /// Whether the person wants a draft of their own beside the one that another session is editing.
    fn beside_others(&self, drafts: &[Draft]) -> Result<bool, Error> {
        for other in drafts.iter().filter(|draft| draft.holder().is_some()) {
            let Note { who, at_ms, .. } = &other.note;
            let text = format!("{who} is editing {} since {}", self.name.display(), when(*at_ms));
            if !is_interactive() {
                return Err(Error::busy(text).help("wait for them, or edit by line: gypsum change"));
            }
            self.context.out.eprint(&format!("{text}."));
            let choices = [('l', "leave it to them"), ('o', "open a draft of your own; the two are merged")];
            if choose("Two people at one file:", &choices)? != Some('o') {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// What the person wants to do with a draft that is not live.
    fn chosen(&self, draft: &Draft) -> Result<Option<char>, Error> {
        let Note { who, at_ms, .. } = &draft.note;
        self.context.out.eprint(&format!(
            "Draft {} of {} is not live: by {who}, {}, {}.",
            draft.number,
            self.name.display(),
            when(*at_ms),
            draft.state()
        ));
        let choices = [
            ('c', "continue with it"),
            ('n', "new: begin from the live file; the draft is kept"),
            ('t', "throw it away, and begin from the live file"),
        ];
        choose("What to do?", &choices)
    }
}
