//! From what was typed to a profile.

use crate::args::Target;
use crate::command::Context;
use gypsum_core::finding::Finding;
use gypsum_core::probe::{Check, parse_check};
use gypsum_core::profile::{Checker, Profile, Service};
use gypsum_core::starter::{FileFormat, STYLE_BYTES, guess};
use gypsum_core::text::nearest;
use gypsum_host::disk::walk::{open_to_read, read_whole};
use gypsum_host::error::Error;
use gypsum_host::profiles::{NoProfile, check_name, load};
use gypsum_host::state::NamedDaemon;
use std::io::Read;
use std::path::Path;

/// More of a file is not looked at to guess its format, in bytes.
const MOST_BYTES: usize = 64 << 20;

/// Why there is no profile to work with.
pub enum NoTarget {
    /// In words.
    Error(Error),
    /// The profile is malformed.
    Malformed(Box<Finding>),
}

impl From<Error> for NoTarget {
    fn from(error: Error) -> Self {
        Self::Error(error)
    }
}

impl From<NoProfile> for NoTarget {
    fn from(why: NoProfile) -> Self {
        match why {
            NoProfile::Error(error) => Self::Error(error),
            NoProfile::Malformed(finding) => Self::Malformed(finding),
        }
    }
}

/// The profile of the daemon that is meant: a profile's, or what was named on this command line or on an earlier one.
pub fn profile_of(context: &Context, target: &Target) -> Result<Profile, NoTarget> {
    let mut profile = match &target.file {
        Some(_) => without_profile(context, target)?,
        None => load_or_remember(context, target)?,
    };
    for word in &target.checks {
        profile.health.push(check_of("--health", word)?);
    }
    Ok(profile)
}

fn load_or_remember(context: &Context, target: &Target) -> Result<Profile, NoTarget> {
    let unknown = match load(&target.daemon, target.profile.as_deref()) {
        Err(NoProfile::Error(error)) if target.profile.is_none() => error,
        profile => return Ok(profile?),
    };
    check_name(&target.daemon)?;
    let Some(named) = context.state.named(&target.daemon)? else { return Err(unknown.into()) };
    let mut profile = remembered(&target.daemon, &named)?;
    for word in &named.health {
        profile.health.push(check_of("--health", word)?);
    }
    Ok(profile)
}

/// Remembers what was named of a daemon that has no profile.
pub fn remember(context: &Context, target: &Target, profile: &Profile) -> Result<(), Error> {
    if target.file.is_none() || load(&target.daemon, None).is_ok() {
        return Ok(());
    }
    let form = FileFormat { family: profile.files.format, dialect: profile.dialect.clone() };
    let named = NamedDaemon {
        file: profile.files.home.clone().into(),
        format: form.name().to_owned(),
        unit: target.unit.clone(),
        checker: target.checker.clone(),
        health: target.checks.clone(),
    };
    context.state.remember(&target.daemon, &named)
}

/// The form that is called `name`.
pub fn form_of(name: &str) -> Result<FileFormat, Error> {
    FileFormat::named(name).ok_or_else(|| {
        let near = nearest(name, FileFormat::names());
        let first = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
        let known = FileFormat::names().collect::<Vec<_>>().join(", ");
        Error::usage(format!("there is no format called {name}"))
            .help(format!("{first}There are {known} (JSON with comments)"))
    })
}

/// The form that a file is most likely of, which is said.
fn guessed(context: &Context, path: &str) -> Result<FileFormat, Error> {
    let file = std::path::Path::new(path);
    let bytes = open_to_read(file).and_then(|open| read_whole(open, MOST_BYTES)).map_err(|error| {
        Error::file("read", file, error).help("its format cannot be guessed; name it: --format FAMILY")
    })?;
    let guess = guess(path, &bytes);
    let name = guess.form.name();
    context.out.eprint(&format!("format    {name}: {}; --format names another one", guess.because));
    Ok(guess.form)
}

/// A health check as it is typed.
pub fn check_of(option: &str, sentence: &str) -> Result<Check, Error> {
    parse_check(sentence).map_err(|why| {
        Error::usage(format!("{option} {sentence:?}: {}", why.0))
            .help(format!("for example {option} 6379, or {option} 'http http://localhost/ 200'"))
    })
}

/// A daemon that is named on the command line alone.
fn without_profile(context: &Context, target: &Target) -> Result<Profile, Error> {
    check_name(&target.daemon)?;
    let file = target.file.as_deref().unwrap_or_else(|| std::path::Path::new(""));
    let path = std::path::absolute(file).map_err(|error| Error::file("use", file, error))?;
    let form = match &target.format {
        None => guessed(context, utf8(&path)?)?,
        Some(name) => form_of(name)?.as_seen(&beginning(&path)),
    };
    unprofiled(&target.daemon, &path, form, target.unit.as_deref(), target.checker.as_deref())
}

/// What there is to know of a daemon without a profile that was named on an earlier command line, but for its health checks.
pub fn remembered(daemon: &str, named: &NamedDaemon) -> Result<Profile, Error> {
    let form = form_of(&named.format)?.as_seen(&beginning(&named.file));
    unprofiled(daemon, &named.file, form, named.unit.as_deref(), named.checker.as_deref())
}

fn unprofiled(
    daemon: &str,
    file: &Path,
    form: FileFormat,
    unit: Option<&str>,
    checker: Option<&str>,
) -> Result<Profile, Error> {
    Ok(Profile {
        service: Service { unit: unit.map(str::to_owned).into_iter().collect(), ..Service::default() },
        checker: checker.map(checker_of).transpose()?,
        ..bare(daemon, utf8(file)?, form)
    })
}

fn utf8(path: &Path) -> Result<&str, Error> {
    path.to_str().ok_or_else(|| Error::usage("the name of the file is not UTF-8"))
}

/// A daemon of which only a file of this form is known.
pub fn bare(daemon: &str, path: &str, form: FileFormat) -> Profile {
    form.bare_profile(daemon, format!("{daemon} (no profile)"), path)
}

/// The first lines of a file: they show its style. Why it cannot be read is told where all of it is read.
fn beginning(file: &Path) -> Vec<u8> {
    let mut bytes = Vec::new();
    let read = open_to_read(file).and_then(|open| open.take(STYLE_BYTES as u64).read_to_end(&mut bytes));
    if let Err(error) = read {
        tracing::debug!(%error, file = %file.display(), "its style cannot be seen");
    }
    bytes
}

/// A checker as it is typed: split like a shell does, and never handed to one.
fn checker_of(typed: &str) -> Result<Checker, Error> {
    let run =
        shlex::split(typed).filter(|words| words.first().is_some_and(|program| program.starts_with('/')));
    let run = run.ok_or_else(|| {
        Error::usage(format!("--checker {typed:?} is not a command"))
            .help("give it with its path: --checker '/usr/sbin/chronyd -p -f {file}'")
    })?;
    Ok(Checker { run, ..Checker::default() })
}
