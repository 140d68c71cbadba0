//! `gypsum change`.

use super::{Context, world};
use crate::args::{Manner, Target};
use crate::target::{NoTarget, profile_of};
use crate::typed::{Typed, beside_of, content};
use crate::view::ChangeView;
use gypsum_core::edit::Edit;
use gypsum_core::profile::Profile;
use gypsum_host::run::{Beside, Finished, Job, Run, Wish};
use gypsum_host::trouble::Trouble;
use gypsum_host::who::who;

pub fn run(context: &Context, target: &Target, typed: &Typed, manner: &Manner) -> Result<u8, NoTarget> {
    let prepared = typed.prepared(manner.why.as_ref())?;
    let mut edits = prepared.edits().map_err(|why| Trouble::usage(why.0))?;
    if typed.more.print_edits {
        let text = prepared.write().map_err(|why| Trouble::cannot(why.0))?;
        context.out.line(text.trim_end());
        return Ok(0);
    }
    let secrets = typed.secrets()?;
    let secret = |edit: &Edit| match edit {
        Edit::Set { value, .. } => Some(value.clone()),
        _ => None,
    };
    let hidden = secrets.iter().filter_map(secret).collect();
    edits.extend(secrets);
    let beside = beside_of(&prepared)?;
    let wish = match &typed.more.whole {
        Some(file) => Wish::Whole(content(file)?),
        None if edits.is_empty() && beside.is_empty() => {
            return Err(Trouble::usage("no edit was given")
                .mend("for example: gypsum change sshd MaxAuthTries=4")
                .into());
        }
        None => Wish::Edits(edits),
    };
    let profile = profile_of(target)?;
    let only = prepared.within.as_deref().map(std::path::absolute).transpose();
    let only = only.map_err(|error| Trouble::cannot(format!("--in cannot be used: {error}")))?;
    let job = job(profile, wish, manner);
    let why = prepared.why;
    carry_out(context, Job { only, beside, hidden, why, remark: prepared.remark, ..job })
}

/// A change in the manner that was asked for.
pub fn job(profile: Profile, wish: Wish, manner: &Manner) -> Job {
    Job {
        profile,
        wish,
        only: None,
        beside: Beside::default(),
        prune: Vec::new(),
        hidden: Vec::new(),
        remark: None,
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
