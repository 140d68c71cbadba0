//! What becomes of a proposal that does not stay live: a draft.

use super::request::{ChangeRequest, NewContent};
use super::steps::RunContext;
use crate::disk::link_target;
use crate::drafts::{Note, Reason, keep, remove_taken};
use gypsum_core::change::{PlannedDraft, TakenDraft, Verdict};
use gypsum_core::event::Event;
use gypsum_core::text::Bytes;
use std::path::PathBuf;

/// What a person typed or prepared, so that it is not lost where it does not go live.
#[derive(Clone, Debug, Default)]
pub(super) struct Typed {
    /// How a draft of it is kept; `None` if it is not to become one.
    pub draft: Option<PlannedDraft>,
    /// Whether it is to be put aside once it is checked.
    pub hold: bool,
    /// Whether nothing is to be written.
    pub dry_run: bool,
    /// The drafts that it takes live.
    pub takes_live: Vec<TakenDraft>,
    /// Each file with what it held and what it was to hold.
    pub files: Vec<TypedFile>,
}

/// One file of it.
#[derive(Clone, Debug)]
pub(super) struct TypedFile {
    pub path: PathBuf,
    pub before: Bytes,
    pub after: Bytes,
}

impl TypedFile {
    /// If it is a file and not a link, and is not to be gone.
    pub fn new(path: PathBuf, before: Option<Bytes>, after: Option<Bytes>) -> Option<Self> {
        let after = after.filter(|bytes| link_target(bytes).is_none())?;
        Some(Self { path, before: before.unwrap_or_default(), after })
    }
}

impl Typed {
    /// What is known of it before the files are.
    pub fn of(request: &ChangeRequest) -> Self {
        let (hold, dry_run) = (request.wishes.hold, request.wishes.dry_run);
        Self {
            draft: draft_of(request),
            hold,
            dry_run,
            takes_live: request.takes_live.clone(),
            files: Vec::new(),
        }
    }
}

/// How a draft of this proposal is kept. What is being restored has a backup, and what is ready is a draft.
pub(super) fn draft_of(request: &ChangeRequest) -> Option<PlannedDraft> {
    let only_tried = request.wishes.dry_run && !request.wishes.hold;
    let kept_elsewhere = matches!(request.content, NewContent::Restored(_) | NewContent::Ready(_));
    let written = matches!(request.content, NewContent::Whole(_));
    (!only_tried && !kept_elsewhere).then(|| PlannedDraft { who: request.who.clone(), written })
}

/// Keeps the proposal as a draft, where the verdict is that it is not live. `unhindered` says that the change ended
/// by itself, without an error and without an interruption.
pub(super) fn keep_draft(cx: &mut RunContext<'_>, verdict: Verdict, typed: &Typed, unhindered: bool) {
    let held = typed.hold && verdict == Verdict::Dropped && unhindered;
    let because = match verdict {
        _ if held => Reason::Ready,
        Verdict::Refused => Reason::Refused,
        Verdict::Restored | Verdict::Stuck => Reason::Restored,
        Verdict::Dropped => Reason::NotFinished,
        Verdict::Kept | Verdict::Unchanged => return,
    };
    let Some(PlannedDraft { who, written }) = &typed.draft else { return };
    let (daemon, why) = (cx.recorder.report().daemon.clone(), cx.recorder.report().why.clone());
    let at_ms = cx.world.now_ms();
    let (mut saved, mut grown) = (Vec::new(), Vec::new());
    for TypedFile { path, before, after } in &typed.files {
        // Held changes build on each other, and all of them on what is live.
        let live = if held { cx.world.disk().read(path).unwrap_or_default() } else { None };
        let base = live.as_ref().unwrap_or(before.as_ref());
        let (file, who, why, written) = (path.clone(), who.clone(), why.clone(), *written);
        let note = Note { file, who, at_ms, because, why, written };
        match keep(cx.state, &daemon, note, base, after) {
            Ok(draft) => {
                grown.extend((base != before.as_ref()).then_some(draft.number));
                saved.push(draft);
            }
            Err(error) => {
                let file = path.display();
                cx.recorder.note(format!("your edit of {file} could not be saved as a draft: {error}"));
            }
        }
    }
    for draft in saved {
        let (number, file) = (draft.number, draft.note.file.display().to_string());
        cx.recorder.emit(Event::Saved { draft: number, file, held });
    }
    for number in grown {
        cx.recorder.note(format!(
            "draft {number} holds earlier changes, too; see all of them with:\n  gypsum drafts {daemon} --show {number}"
        ));
    }
}

/// Removes the drafts that this change took live, or whose place a later one took.
pub(super) fn remove_drafts(cx: &mut RunContext<'_>, verdict: Verdict, typed: &Typed, unhindered: bool) {
    let done = match verdict {
        Verdict::Kept => true,
        Verdict::Unchanged => typed.hold || !typed.dry_run,
        Verdict::Dropped => typed.hold && unhindered,
        Verdict::Refused | Verdict::Restored | Verdict::Stuck => false,
    };
    for draft in typed.takes_live.iter().filter(|_| done) {
        if let Err(error) = remove_taken(draft) {
            cx.recorder.note(format!("a draft that is live now stays listed: {error}"));
        }
    }
}
