//! `gypsum change`.

use super::{Context, world};
use crate::args::{Manner, Target};
use crate::target::{NoTarget, profile_of};
use crate::view::ChangeView;
use gypsum_core::address::Address;
use gypsum_core::edit::Edit;
use gypsum_core::profile::Profile;
use gypsum_host::run::{Finished, Job, Run, Wish};
use gypsum_host::trouble::Trouble;
use gypsum_host::who::who;
use std::path::PathBuf;

/// The edits as they were typed.
pub struct Typed {
    pub edits: Vec<String>,
    pub enable: Vec<String>,
    pub disable: Vec<String>,
    pub delete: Vec<String>,
    pub within: Option<PathBuf>,
}

pub fn run(context: &Context, target: &Target, typed: &Typed, manner: &Manner) -> Result<u8, NoTarget> {
    let edits = edits_of(typed)?;
    let profile = profile_of(target)?;
    let only = typed.within.clone();
    carry_out(context, Job { only, ..job(profile, Wish::Edits(edits), manner) })
}

/// A change in the manner that was asked for.
pub fn job(profile: Profile, wish: Wish, manner: &Manner) -> Job {
    Job {
        profile,
        wish,
        only: None,
        why: manner.why.clone(),
        who: who(),
        accept: manner.accept.clone(),
        strict: manner.strict,
        dry_run: manner.dry_run,
        start: manner.start,
        activation: manner.activation.map(Into::into),
    }
}

/// Carries a change out and draws it; its exit status.
pub fn carry_out(context: &Context, job: Job) -> Result<u8, NoTarget> {
    let world = world()?;
    let mut view = ChangeView::new(context.out);
    let Finished { report, status } = Run::change(&world, &context.state, &mut view, job);
    if context.out.json {
        context.report(&report);
    }
    Ok(status)
}

fn edits_of(typed: &Typed) -> Result<Vec<Edit>, Trouble> {
    let mut edits = Vec::new();
    for text in &typed.edits {
        let edit = Edit::parse_set(text).map_err(|why| {
            Trouble::usage(format!("{text:?} is not an edit: {why}"))
                .mend("for example MaxAuthTries=4; to wake, comment out or remove: --enable, --disable, --delete ADDRESS")
        })?;
        edits.push(edit);
    }
    type Make = fn(Address) -> Edit;
    let others: [(&[String], Make); 3] =
        [(&typed.enable, Edit::Enable), (&typed.disable, Edit::Disable), (&typed.delete, Edit::Delete)];
    for (texts, make) in others {
        for text in texts {
            let address = Address::parse(text).map_err(|why| {
                Trouble::usage(format!("{text:?} is not an address: {why}"))
                    .mend("`gypsum show` lists addresses")
            })?;
            edits.push(make(address));
        }
    }
    if edits.is_empty() {
        return Err(
            Trouble::usage("no edit was given").mend("for example: gypsum change sshd MaxAuthTries=4")
        );
    }
    Ok(edits)
}
