//! `gypsum change`.

use super::{Context, world};
use crate::args::{ChangeOptions, Target};
use crate::ask::{choose, is_interactive};
use crate::target::{NoTarget, check_of, profile_of, remember};
use crate::typed::{Typed, content_of, extra_files_of};
use crate::view::ChangeView;
use gypsum_core::change::{PlannedWatch, Verdict};
use gypsum_core::edit::{Edit, Request};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::own_way::is_own_way;
use gypsum_core::probe::{Check, Probe, parse_source};
use gypsum_core::profile::{Activation, Profile};
use gypsum_core::reading::Reading;
use gypsum_host::disk::RealDisk;
use gypsum_host::drafts::Draft;
use gypsum_host::error::Error;
use gypsum_host::profiles::for_file;
use gypsum_host::run::{
    Acceptance, ChangeRequest, Finished, NewContent, Replaying, TrialWish, Wishes, ready,
};
use gypsum_host::who::{account, connection, login_name};
use std::time::Duration;

pub fn run(
    context: &Context,
    target: &Target,
    typed: &Typed,
    options: &ChangeOptions,
) -> Result<ExitStatus, NoTarget> {
    let prepared = typed.prepared(options.why.as_ref())?;
    let mut edits = prepared.requests().map_err(|why| Error::usage(why.0))?;
    if typed.more.print_edits {
        let text = prepared.write().map_err(|why| Error::cannot(why.0))?;
        match context.out.json {
            true => context.answer(ExitStatus::Success, serde_json::json!({ "edits_file": text })),
            false => context.out.print(text.trim_end()),
        }
        return Ok(ExitStatus::Success);
    }
    if let Some(numbers) = &typed.more.ready {
        return take_live(context, target, &edits, options, numbers);
    }
    let secrets = typed.secrets()?;
    let secret = |request: &Request| match &request.edit {
        Edit::Set { value, .. } => Some(value.clone()),
        _ => None,
    };
    let hidden = secrets.iter().filter_map(secret).collect();
    edits.extend(secrets);
    let extra_files = extra_files_of(&prepared)?;
    let content = match &typed.more.whole {
        Some(file) => NewContent::Whole(content_of(file)?),
        None if edits.is_empty() && extra_files.is_empty() && !activates(options) => {
            return Err(Error::usage("no edit was given")
                .help("for example: gypsum change sshd MaxAuthTries=4; --activation restart restarts without an edit")
                .into());
        }
        None => NewContent::Edits(edits),
    };
    let mut profile = profile_of(context, target)?;
    let only = prepared.within.as_deref().map(std::path::absolute).transpose();
    let only = only.map_err(|error| Error::cannot(format!("--in cannot be used: {error}")))?;
    let content = in_absolute_files(content)?;
    if let Some(only) = &only {
        for_file(&mut profile, only);
    }
    let request = request_of(profile, content, options)?;
    let why = prepared.why;
    let remark = prepared.remark;
    carry_out(context, target, ChangeRequest { only, extra_files, hidden, why, remark, ..request })
}

/// The same edits, each file by its whole name.
fn in_absolute_files(content: NewContent) -> Result<NewContent, Error> {
    let NewContent::Edits(mut edits) = content else { return Ok(content) };
    for within in edits.iter_mut().filter_map(|request| request.within.as_mut()) {
        let path = std::path::absolute(&*within)
            .map_err(|error| Error::file("use", std::path::Path::new(within), error))?;
        *within = path.display().to_string();
    }
    Ok(NewContent::Edits(edits))
}

/// Whether the service is to be restarted or reloaded by all means.
fn activates(options: &ChangeOptions) -> bool {
    options.activation.is_some_and(|activation| !matches!(activation.into(), Activation::None))
}

/// The change that was asked for.
pub fn request_of(
    profile: Profile,
    content: NewContent,
    options: &ChangeOptions,
) -> Result<ChangeRequest, Error> {
    let musts: Vec<Check> =
        options.must.iter().map(|sentence| check_of("--must", sentence)).collect::<Result<_, _>>()?;
    let asks = |check: &Check| matches!(&check.probe, Probe::Ssh(ssh) if ssh.asks_password);
    if musts.iter().chain(&profile.health).any(asks) {
        return Err(Error::usage("a change goes on without a terminal, so it cannot ask for a password")
            .help("name a file that holds it, with mode 0600: password-file FILE"));
    }
    let readings = options.reading.iter().map(|what| reading_of(what)).collect::<Result<_, _>>()?;
    let expect = |text: &String| {
        let pair =
            text.rsplit_once('=').map(|(name, value)| (name.trim().to_owned(), value.trim().to_owned()));
        pair.filter(|(name, _)| !name.is_empty()).ok_or_else(|| {
            Error::usage(format!("--expect {text:?} is not NAME=VALUE"))
                .help("for example --expect niceness=5")
        })
    };
    let wishes = Wishes {
        acceptance: Acceptance { rules: options.accept.clone(), strict: options.strict },
        dry_run: options.dry_run || options.hold,
        hold: options.hold,
        start: options.start,
        packages: options.packages.as_deref().map_or(Ok(Duration::ZERO), |text| time_of("--wait", text))?,
        probation: options.probation.as_deref().map(|text| time_of("--probation", text)).transpose()?,
        watches: options.watch.chunks(2).map(|pair| watch_of(pair, options)).collect::<Result<_, _>>()?,
        wait: options.wait.as_deref().map(|text| time_of("--wait", text)).transpose()?,
        activation: options.activation.map(Into::into),
        musts,
        replaying: match (options.replay, options.no_replay) {
            (_, true) => Replaying::Nothing,
            (true, false) => Replaying::All,
            (false, false) => Replaying::Files,
        },
        trial: match (options.trial, options.no_trial) {
            (_, true) => TrialWish::No,
            (true, false) => TrialWish::Yes,
            (false, false) => TrialWish::AsKnown,
        },
        readings,
        expects: options.expect.iter().map(expect).collect::<Result<_, _>>()?,
        steady: options.steady.as_deref().map(|text| time_of("--steady", text)).transpose()?,
    };
    let why = options.why.clone();
    Ok(ChangeRequest { why, wishes, ..ChangeRequest::new(profile, content, login_name()) })
}

/// A time and a check, as they are typed behind --watch.
fn watch_of(pair: &[String], options: &ChangeOptions) -> Result<PlannedWatch, Error> {
    let [time, sentence] = pair else {
        return Err(Error::usage("--watch takes a time and a check")
            .help("for example --watch 3d 'http http://localhost/ 200'"));
    };
    let time = time_of("--watch", time)?;
    Ok(PlannedWatch {
        check: check_of("--watch", sentence)?,
        for_ms: u64::try_from(time.as_millis()).unwrap_or(u64::MAX),
        restores: options.restore_if_failing,
        target: Vec::new(),
    })
}

/// Takes held changes live.
fn take_live(
    context: &Context,
    target: &Target,
    edits: &[Request],
    options: &ChangeOptions,
    numbers: &str,
) -> Result<ExitStatus, NoTarget> {
    if !edits.is_empty() || options.hold {
        return Err(Error::usage("--ready takes held changes live, and takes no further edits")
            .help("give further edits with --hold first")
            .into());
    }
    let profile = profile_of(context, target)?;
    let numbers = drafts_of("--ready", numbers)?;
    let (content, drafts) = ready(&RealDisk, &context.state, &profile, numbers.as_deref())?;
    let takes_live = drafts.iter().map(Draft::taken).collect::<Result<_, _>>()?;
    let held_for = drafts.iter().filter_map(|draft| draft.note.why.clone());
    let mut request = request_of(profile, content, options)?;
    request.why = request.why.or_else(|| held_for.reduce(|all, why| format!("{all}; {why}")));
    carry_out(context, target, ChangeRequest { takes_live, ..request })
}

/// The numbers of drafts as they are typed, `3,4`; `None` if all are meant.
pub fn drafts_of(option: &str, text: &str) -> Result<Option<Vec<u32>>, Error> {
    if text == "all" {
        return Ok(None);
    }
    let number = |word: &str| {
        word.trim().parse().map_err(|_| {
            Error::usage(format!("{option} {text:?}: {word:?} is not the number of a draft"))
                .help(format!("for example {option} 3,4, or {option} all"))
        })
    };
    text.split(',').map(number).collect::<Result<_, _>>().map(Some)
}

fn reading_of(what: &str) -> Result<Reading, Error> {
    let source = parse_source(what).map_err(|why| {
        Error::usage(format!("--reading {what:?}: {}", why.0))
            .help("for example --reading 'process niceness'")
    })?;
    let name = match &source {
        Probe::Process(process) => process.property.word().to_owned(),
        _ => what.to_owned(),
    };
    Ok(Reading { name, source, of: None })
}

/// A time as it is typed: `10s`, `2m`, `3d`; a day has 24 hours.
fn time_of(option: &str, text: &str) -> Result<Duration, Error> {
    if text == "0" {
        return Ok(Duration::ZERO);
    }
    let days = jiff::SpanRelativeTo::days_are_24_hours();
    let span = text.parse::<jiff::Span>().ok().and_then(|span| span.to_duration(days).ok());
    let time = span.and_then(|time| Duration::try_from(time).ok());
    time.ok_or_else(|| {
        Error::usage(format!("{option} {text:?} is no time"))
            .help(format!("for example {option} 10s, {option} 5m or {option} 3d"))
    })
}

/// Carries a change out and draws it; its exit status.
pub fn carry_out(context: &Context, target: &Target, request: ChangeRequest) -> Result<ExitStatus, NoTarget> {
    carry_out_told(context, target, request).map(|(status, _)| status)
}

/// The same; with its verdict.
pub fn carry_out_told(
    context: &Context,
    target: &Target,
    mut request: ChangeRequest,
) -> Result<(ExitStatus, Option<Verdict>), NoTarget> {
    if let Some(time) = offered_probation(context, &request)? {
        request.wishes.probation = Some(time);
    }
    let named =
        target.words().map_err(|error| Error::cannot(format!("a path cannot be made whole: {error}")))?;
    request.wishes.watches.iter_mut().for_each(|watch| watch.target.clone_from(&named));
    let world = world()?;
    let strict = request.wishes.acceptance.strict;
    let profile = request.profile.clone();
    let mut view =
        ChangeView::new(context.out).asking(!context.yes).strict(strict).progress(world.progress());
    let Finished { report, status } = gypsum_host::run::change(&world, &context.state, &mut view, request);
    if context.out.json {
        context.report(status, &report);
    }
    // The change is over and well, whether or not this is remembered.
    if report.verdict == Some(Verdict::Kept)
        && let Err(error) = remember(context, target, &profile)
    {
        context.out.error(&error);
    }
    Ok((status, report.verdict))
}

/// How long the person has to look whether they still get in.
const OFFERED: Duration = Duration::from_secs(600);

/// A probation for a change that concerns the way by which the person is connected, unless they say that they need none.
/// Without a terminal nobody is asked, and there is none.
fn offered_probation(context: &Context, request: &ChangeRequest) -> Result<Option<Duration>, Error> {
    let wishes = &request.wishes;
    let is_offered = wishes.probation.is_none() && !wishes.dry_run && !context.yes && !context.out.json;
    let file =
        request.only().map_or(request.profile.files.home.as_str().into(), |path| path.to_string_lossy());
    if !is_offered || !is_own_way(&file) || !is_interactive() {
        return Ok(None);
    }
    let Some([_, host, port]) = connection().and_then(|words| <[String; 3]>::try_from(words).ok()) else {
        return Ok(None);
    };
    let daemon = &request.profile.daemon;
    let question = format!(
        "You are connected over the network, and this may keep you out: {file}\nLeave this terminal open, and try it from a second one: ssh -p {port} {}@{host}",
        account()
    );
    let keep = format!("go live for 10 min; then it is restored, unless: gypsum keep {daemon}");
    let choices = [
        ('p', keep.as_str()),
        ('g', "go live and keep it once it is healthy"),
        ('s', "stop here: nothing is touched"),
    ];
    match choose(&question, &choices)? {
        Some('p') => Ok(Some(OFFERED)),
        Some('g') => Ok(None),
        Some(_) | None => Err(Error::cannot("stopped by you; nothing was touched")),
    }
}
