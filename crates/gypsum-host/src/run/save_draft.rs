//! What becomes of a proposal that does not stay live: a draft.

use super::front::Front;
use super::{Run, Wish};
use crate::disk::link_target;
use crate::drafts::{Note, Reason, keep, remove_taken};
use gypsum_core::change::{PlannedDraft, Verdict};
use gypsum_core::event::Event;
use std::path::PathBuf;

impl Front {
    /// How a draft of this proposal is kept. What is being put back has a backup, and what is ready is a draft.
    pub(super) fn draft(&self) -> Option<PlannedDraft> {
        let job = &self.job;
        let none = job.dry_run && !job.hold || matches!(job.wish, Wish::Files(_) | Wish::Ready(_));
        let written = matches!(job.wish, Wish::Whole(_));
        (!none).then(|| PlannedDraft { who: job.who.clone(), written })
    }
}

impl Run<'_> {
    /// Keeps the proposal as a draft, where the verdict is that it is not live.
    pub(super) fn keep_draft(&mut self, verdict: Verdict) {
        let holds = self.front.as_ref().is_some_and(|front| front.job.hold);
        let held = holds && verdict == Verdict::Dropped && self.cause.is_none();
        let because = match verdict {
            _ if held => Reason::Ready,
            Verdict::Refused => Reason::Refused,
            Verdict::Restored | Verdict::Stuck => Reason::Restored,
            Verdict::Dropped => Reason::NotFinished,
            Verdict::Kept | Verdict::Unchanged => return,
        };
        let draft = match (&self.plan, &self.front) {
            (Some(plan), _) => plan.draft.clone(),
            (None, front) => front.as_ref().and_then(Front::draft),
        };
        let Some(PlannedDraft { who, written }) = draft else { return };
        let daemon = self.report.daemon.clone();
        let mut text = None;
        for (file, before, after) in self.proposed() {
            // Held changes stand on each other, and all of them on what is live.
            let live = self.disk().read(&file).ok().flatten().filter(|_| held);
            let before = live.unwrap_or(before);
            let note = Note { file, who: who.clone(), at_ms: self.world.now_ms(), because, written };
            text = Some(match keep(self.state, &daemon, note, &before, &after) {
                Ok(_) if held => {
                    format!("checked and put aside; gypsum change {daemon} --ready takes it live")
                }
                Ok(_) => format!("your edit is saved as a draft; correct it with: gypsum edit {daemon}"),
                Err(error) => {
                    format!("your edit could not be saved as a draft: {}", error.message)
                }
            });
        }
        if let Some(text) = text {
            self.emit(Event::Noted { text });
        }
    }

    /// Removes the drafts that this change took live, or whose place a later one took.
    pub(super) fn drafts_done(&mut self, verdict: Verdict) {
        let job = self.front.as_ref().map(|front| &front.job);
        let (hold, dry_run) = job.map_or((false, false), |job| (job.hold, job.dry_run));
        let done = match verdict {
            Verdict::Kept => true,
            Verdict::Unchanged => hold || !dry_run,
            Verdict::Dropped => hold && self.cause.is_none(),
            Verdict::Refused | Verdict::Restored | Verdict::Stuck => false,
        };
        let drafts = match &self.plan {
            Some(plan) => plan.takes_live.clone(),
            None => job.map(|job| job.takes_live.clone()).unwrap_or_default(),
        };
        for draft in drafts.iter().filter(|_| done) {
            if let Err(error) = remove_taken(draft) {
                let text = format!("a draft that is live now stays listed: {}", error.message);
                self.emit(Event::Noted { text });
            }
        }
    }

    /// Each file with what it held and what it was to hold.
    fn proposed(&self) -> Vec<(PathBuf, Vec<u8>, Vec<u8>)> {
        let plain = |bytes: &Vec<u8>| link_target(bytes).is_none();
        match (&self.plan, &self.entry, &self.front) {
            (Some(plan), Some(entry), _) => {
                let read = |path: PathBuf| self.disk().read(&path).ok().flatten().filter(plain);
                let files = plan.files.iter().filter_map(|file| {
                    let after = read(entry.copy_of("after", &file.path))?;
                    Some((file.path.clone(), file.backup.clone().and_then(read).unwrap_or_default(), after))
                });
                files.collect()
            }
            (_, _, Some(front)) => {
                let files = front.new_files.iter().filter_map(|file| {
                    let after = file.after.as_deref().cloned().filter(plain)?;
                    Some((file.real.clone(), file.before.as_deref().cloned().unwrap_or_default(), after))
                });
                files.collect()
            }
            _ => Vec::new(),
        }
    }
}
