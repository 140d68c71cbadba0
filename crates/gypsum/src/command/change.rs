//! `gypsum change`.

use super::{Context, world};
use crate::args::{Manner, MoreEdits, Target};
use crate::target::{NoTarget, profile_of};
use crate::view::ChangeView;
use gypsum_core::address::Address;
use gypsum_core::edit::{Edit, Where};
use gypsum_core::profile::Profile;
use gypsum_host::run::{Finished, Job, Run, Wish};
use gypsum_host::trouble::Trouble;
use gypsum_host::who::who;
use std::io::Read;
use std::path::{Path, PathBuf};

/// The edits as they were typed.
pub struct Typed {
    pub edits: Vec<String>,
    pub more: MoreEdits,
    pub within: Option<PathBuf>,
}

pub fn run(context: &Context, target: &Target, typed: &Typed, manner: &Manner) -> Result<u8, NoTarget> {
    let wish = match &typed.more.whole {
        Some(file) => Wish::Whole(prepared(file)?),
        None => Wish::Edits(edits_of(typed)?),
    };
    let profile = profile_of(target)?;
    let (only, remark) = (typed.within.clone(), typed.more.remark.clone());
    carry_out(context, Job { only, remark, ..job(profile, wish, manner) })
}

/// A change in the manner that was asked for.
pub fn job(profile: Profile, wish: Wish, manner: &Manner) -> Job {
    Job {
        profile,
        wish,
        only: None,
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

/// A prepared file, whole.
fn prepared(file: &Path) -> Result<Vec<u8>, Trouble> {
    let mut bytes = Vec::new();
    let read = if file == Path::new("-") {
        std::io::stdin().read_to_end(&mut bytes).map(|_| ())
    } else {
        std::fs::read(file).map(|read| bytes = read)
    };
    read.map_err(|error| Trouble::file("read", file, &error))?;
    Ok(bytes)
}

fn address(text: &str) -> Result<Address, Trouble> {
    Address::parse(text).map_err(|why| {
        Trouble::usage(format!("{text:?} is not an address: {why}")).mend("`gypsum show` lists addresses")
    })
}

fn spot_of(more: &MoreEdits) -> Result<Where, Trouble> {
    Ok(match (&more.above, &more.below) {
        (Some(above), _) => Where::Above(address(above)?),
        (None, Some(below)) => Where::Below(address(below)?),
        _ if more.first => Where::First,
        _ if more.last => Where::Last,
        _ => Where::Kin,
    })
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
    let more = &typed.more;
    let others: [(&[String], Make); 3] =
        [(&more.enable, Edit::Enable), (&more.disable, Edit::Disable), (&more.delete, Edit::Delete)];
    for (texts, make) in others {
        for text in texts {
            edits.push(make(address(text)?));
        }
    }
    if more.replace_all.len() != more.by.len() {
        return Err(Trouble::usage("each --replace-all OLD needs its own --by NEW"));
    }
    let replacements = more.replace_all.iter().cloned().zip(more.by.iter().cloned());
    edits.extend(replacements.map(|(old, new)| Edit::ReplaceAll { old, new }));
    let spot = spot_of(more)?;
    if more.add.len() > 1 && spot != Where::Kin {
        return Err(Trouble::usage("a place is for one --add alone")
            .mend("make two changes of it, or leave the place out"));
    }
    // Added first, so that the settings of a new block find it.
    let mut all = Vec::new();
    for text in &more.add {
        let why = |why| Trouble::usage(format!("{text:?} cannot be added: {why}"));
        all.push(Edit::parse_add(text, spot.clone()).map_err(why)?);
    }
    all.append(&mut edits);
    let edits = all;
    if edits.is_empty() {
        return Err(
            Trouble::usage("no edit was given").mend("for example: gypsum change sshd MaxAuthTries=4")
        );
    }
    Ok(edits)
}
