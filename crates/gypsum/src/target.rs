//! From what was typed to a profile.

use crate::args::Target;
use gypsum_core::doc::Family;
use gypsum_core::finding::Finding;
use gypsum_core::probe::{Check, parse_check};
use gypsum_core::profile::{Checker, Files, Profile, Service};
use gypsum_core::text::nearest;
use gypsum_host::error::Error;
use gypsum_host::profiles::{NoProfile, check_name, load};

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

/// The profile of the daemon that is meant.
pub fn profile_of(target: &Target) -> Result<Profile, NoTarget> {
    let mut profile = match &target.file {
        Some(_) => without_profile(target)?,
        None => load(&target.daemon, target.profile.as_deref())?,
    };
    for word in &target.checks {
        profile.health.push(check_of("--health", word)?);
    }
    Ok(profile)
}

/// A health check as it is typed.
pub fn check_of(option: &str, sentence: &str) -> Result<Check, Error> {
    parse_check(sentence).map_err(|why| {
        Error::usage(format!("{option} {sentence:?}: {}", why.0))
            .help(format!("for example {option} 6379, or {option} 'http http://localhost/ 200'"))
    })
}

/// A daemon that is named on the command line alone.
fn without_profile(target: &Target) -> Result<Profile, Error> {
    check_name(&target.daemon)?;
    let file = target.file.as_deref().unwrap_or_else(|| std::path::Path::new(""));
    let path = std::path::absolute(file).map_err(|error| Error::file("use", file, error))?;
    let path = path.to_str().ok_or_else(|| Error::usage("the name of the file is not UTF-8"))?.to_owned();
    let name = target.format.as_deref().unwrap_or_default();
    let commented = name == "jsonc";
    let format = Family::named(if commented { "json" } else { name }).ok_or_else(|| {
        let known = Family::ALL.map(Family::name);
        let near = nearest(name, known);
        let first = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
        Error::usage(format!("there is no family of formats called {name}"))
            .help(format!("{first}There are {}, and jsonc for JSON with comments", known.join(", ")))
    })?;
    let files = Files::one(path, format);
    let mut dialect = format.plain_dialect();
    if commented {
        dialect.comments = vec!["//".to_owned(), "/*".to_owned()];
    }
    Ok(Profile {
        dialect,
        service: Service { unit: target.unit.clone().into_iter().collect(), ..Service::default() },
        checker: target.checker.as_deref().map(checker_of).transpose()?,
        ..Profile::bare(&target.daemon, format!("{} (no profile)", target.daemon), files)
    })
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
