//! `gypsum change`.

use super::{Context, world};
use crate::args::{ChangeOptions, Target};
use crate::target::{NoTarget, check_of, profile_of};
use crate::typed::{Typed, beside_of, content};
use crate::view::ChangeView;
use gypsum_core::edit::{Edit, Request};
use gypsum_core::probe::{Probe, parse_source};
use gypsum_core::profile::{Activation, Profile};
use gypsum_core::reading::Reading;
use gypsum_host::disk::RealDisk;
use gypsum_host::drafts::Draft;
use gypsum_host::error::Error;
use gypsum_host::profiles::for_file;
use gypsum_host::run::{Beside, Finished, Job, Run, Wish, ready};
use gypsum_host::who::login_name;
use std::time::Duration;

pub fn run(
    context: &Context,
    target: &Target,
    typed: &Typed,
    manner: &ChangeOptions,
) -> Result<u8, NoTarget> {
    let prepared = typed.prepared(manner.why.as_ref())?;
    let mut edits = prepared.requests().map_err(|why| Error::usage(why.0))?;
    if typed.more.print_edits {
        let text = prepared.write().map_err(|why| Error::cannot(why.0))?;
        context.out.line(text.trim_end());
        return Ok(0);
    }
    if typed.more.ready {
        return take_live(context, target, &edits, manner);
    }
    let secrets = typed.secrets()?;
    let secret = |request: &Request| match &request.edit {
        Edit::Set { value, .. } => Some(value.clone()),
        _ => None,
    };
    let hidden = secrets.iter().filter_map(secret).collect();
    edits.extend(secrets);
    let beside = beside_of(&prepared)?;
    let wish = match &typed.more.whole {
        Some(file) => Wish::Whole(content(file)?),
        None if edits.is_empty() && beside.is_empty() && !activates(manner) => {
            return Err(Error::usage("no edit was given")
                .help("for example: gypsum change sshd MaxAuthTries=4; --activation restart restarts without an edit")
                .into());
        }
        None => Wish::Edits(edits),
    };
    let mut profile = profile_of(target)?;
    let only = prepared.within.as_deref().map(std::path::absolute).transpose();
    let only = only.map_err(|error| Error::cannot(format!("--in cannot be used: {error}")))?;
    let wish = in_absolute_files(wish)?;
    if let Some(only) = &only {
        for_file(&mut profile, only);
    }
    let job = job(profile, wish, manner)?;
    let why = prepared.why;
    carry_out(context, Job { only, beside, hidden, why, remark: prepared.remark, ..job })
}

/// The same edits, each file by its whole name.
fn in_absolute_files(wish: Wish) -> Result<Wish, Error> {
    let Wish::Edits(mut edits) = wish else { return Ok(wish) };
    for within in edits.iter_mut().filter_map(|request| request.within.as_mut()) {
        let path = std::path::absolute(&*within)
            .map_err(|error| Error::file("use", std::path::Path::new(within), &error))?;
        *within = path.display().to_string();
    }
    Ok(Wish::Edits(edits))
}

/// Whether the service is to be restarted or reloaded by all means.
fn activates(manner: &ChangeOptions) -> bool {
    manner.activation.is_some_and(|activation| !matches!(activation.into(), Activation::None))
}

/// A change in the manner that was asked for.
pub fn job(profile: Profile, wish: Wish, manner: &ChangeOptions) -> Result<Job, Error> {
    let musts = manner.must.iter().map(|sentence| check_of("--must", sentence)).collect::<Result<_, _>>()?;
    let readings = manner.reading.iter().map(|what| reading_of(what)).collect::<Result<_, _>>()?;
    let expect = |text: &String| {
        let pair =
            text.rsplit_once('=').map(|(name, value)| (name.trim().to_owned(), value.trim().to_owned()));
        pair.filter(|(name, _)| !name.is_empty()).ok_or_else(|| {
            Error::usage(format!("--expect {text:?} is not NAME=VALUE"))
                .help("for example --expect niceness=5")
        })
    };
    Ok(Job {
        profile,
        wish,
        only: None,
        beside: Beside::default(),
        prune: Vec::new(),
        hidden: Vec::new(),
        remark: None,
        why: manner.why.clone(),
        who: login_name(),
        accept: manner.accept.clone(),
        strict: manner.strict,
        dry_run: manner.dry_run || manner.hold,
        hold: manner.hold,
        start: manner.start,
        activation: manner.activation.map(Into::into),
        musts,
        readings,
        expects: manner.expect.iter().map(expect).collect::<Result<_, _>>()?,
        steady: manner.steady.as_deref().map(steady_of).transpose()?,
        takes_live: Vec::new(),
    })
}

/// Takes live what was put aside.
fn take_live(
    context: &Context,
    target: &Target,
    edits: &[Request],
    manner: &ChangeOptions,
) -> Result<u8, NoTarget> {
    if !edits.is_empty() || manner.hold {
        return Err(Error::usage("--ready takes live what was put aside, and nothing else")
            .help("give further edits with --hold first")
            .into());
    }
    let profile = profile_of(target)?;
    let (wish, drafts) = ready(&RealDisk, &context.state, &profile)?;
    let takes_live = drafts.iter().map(Draft::taken).collect::<Result<_, _>>()?;
    carry_out(context, Job { takes_live, ..job(profile, wish, manner)? })
}

fn reading_of(what: &str) -> Result<Reading, Error> {
    let source = parse_source(what).map_err(|why| {
        Error::usage(format!("--reading {what:?}: {}", why.0))
            .help("for example --reading 'process niceness'")
    })?;
    let name = match &source {
        Probe::Process { property, .. } => property.word().to_owned(),
        _ => what.to_owned(),
    };
    Ok(Reading { name, source, of: None })
}

fn steady_of(text: &str) -> Result<Duration, Error> {
    if text == "0" {
        return Ok(Duration::ZERO);
    }
    let time = text.parse::<jiff::SignedDuration>().ok().and_then(|time| Duration::try_from(time).ok());
    time.ok_or_else(|| {
        Error::usage(format!("--steady {text:?} is no time"))
            .help("for example --steady 10s; 0 does not wait")
    })
}

/// Carries a change out and draws it; its exit status.
pub fn carry_out(context: &Context, job: Job) -> Result<u8, NoTarget> {
    let world = world()?;
    let mut view = ChangeView::new(context.out).asking(!context.yes);
    let Finished { report, status } = Run::change(&world, &context.state, &mut view, job);
    if context.out.json {
        context.report(&report);
    }
    Ok(status)
}
