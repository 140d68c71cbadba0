//! Finding the profile of a daemon, and refusing one that another account could write.

mod elsewhere;
mod instances;

use crate::disk::walk;
use crate::error::Error;
use crate::service::ManagerScope;
use crate::trust::{self, Relied};
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::malformed::Malformed;
use gypsum_core::profile::{BUILT_IN, Layout, Profile, Service, built_in};
use gypsum_core::rules::read_profile as read;
use gypsum_core::text::nearest;
use std::fs;
use std::path::{Path, PathBuf};
use uzers::os::unix::UserExt;

/// Where the administrator's own profiles are.
pub const FOLDER: &str = "/etc/gypsum/profiles";

/// More than this no profile has, in bytes.
const MOST_BYTES: usize = 4 << 20;

/// Why there is no profile.
#[derive(Clone, Debug)]
pub enum NoProfile {
    /// There is none of that name, or it cannot be used.
    Error(Error),
    /// It is malformed.
    Malformed(Box<Finding>),
}

/// The profile of `daemon`: from `file` where one is given, else from the folder of profiles, else
/// built in.
pub fn load(daemon: &str, file: Option<&Path>) -> Result<Profile, NoProfile> {
    if let Some(file) = file {
        let profile = read_file(file)?;
        if profile.daemon != daemon && !profile.also.iter().any(|name| name == daemon) {
            let message = format!("{} is the profile of {}, not of {daemon}", file.display(), profile.daemon);
            return Err(NoProfile::Error(Error::usage(message)));
        }
        return Ok(profile);
    }
    let own = Path::new(FOLDER).join(format!("{daemon}.toml"));
    if is_name(daemon) && own.exists() {
        return read_file(&own);
    }
    if let Some(unit) = daemon.strip_prefix("unit:") {
        return of_unit(unit);
    }
    let of_daemon = |name: &str| built_in(name).filter(|one| one.name != "unit");
    if let Some(one) = of_daemon(daemon) {
        return on_this_host(one.text, Path::new(one.name), None);
    }
    match daemon.split_once('@').and_then(|(name, instance)| Some((of_daemon(name)?, instance))) {
        Some((one, instance)) => on_this_host(one.text, Path::new(one.name), Some(instance)),
        None => Err(NoProfile::Error(unknown(daemon))),
    }
}

/// Reads a profile as it holds on this host: the installation that is meant, and the layout of files whose home file is
/// there.
fn on_this_host(text: &str, label: &Path, instance: Option<&str>) -> Result<Profile, NoProfile> {
    let read = |text: &str| read(text).map_err(|error| malformed(label, &error));
    let mut profile = read(text)?;
    if profile.elsewhere.is_some() {
        elsewhere::take(&mut profile, instance).map_err(NoProfile::Error)?;
    } else if let Some(meant) = instances::meant(&profile, text, instance).map_err(NoProfile::Error)? {
        profile = read(&meant.fill(text))?;
    }
    if let Some(name) = instance {
        profile.daemon = format!("{}@{name}", profile.daemon);
    }
    if profile.layout.iter().any(|layout| layout.home.starts_with('~')) {
        match users_home(&profile.service) {
            Some(home) => profile.layout.iter_mut().for_each(|layout| fill_home(layout, &home)),
            None => profile.layout.retain(|layout| !layout.home.starts_with('~')),
        }
    }
    let missing = !Path::new(&profile.files.home).exists();
    let there = |layout: &Layout| (layout.instead || missing) && Path::new(&layout.home).exists();
    if let Some(n) = profile.layout.iter().position(there) {
        profile.take_layout(n);
    }
    Ok(profile)
}

/// The home folder of the account whose service manager runs a user's service.
fn users_home(service: &Service) -> Option<String> {
    let home = match ManagerScope::of(service) {
        ManagerScope::Of(name, _) => uzers::get_user_by_name(&name)?.home_dir().to_owned(),
        ManagerScope::Own | ManagerScope::System => PathBuf::from(std::env::var_os("HOME")?),
    };
    home.to_str().filter(|home| home.starts_with('/')).map(|home| home.trim_end_matches('/').to_owned())
}

/// Puts that folder in for `~`.
fn fill_home(layout: &mut Layout, home: &str) {
    let commands = layout.checker.iter_mut().chain(&mut layout.effective).flatten();
    for text in layout.read.iter_mut().chain([&mut layout.home]).chain(commands) {
        *text = text.replace('~', home);
    }
}

/// Takes the files that `path` is one of, where those are not what is read by default: the host's own where a user's are
/// read instead, or a user's that do not exist yet.
pub fn for_file(profile: &mut Profile, path: &Path) {
    let reads = |files: &[String]| files.iter().any(|pattern| crate::files::matches(pattern, path));
    if reads(&profile.files.read) {
        return;
    }
    if let Some(n) = profile.layout.iter().position(|layout| reads(&layout.read)) {
        profile.take_layout(n);
    }
}

/// The profile of the drop-ins of a unit.
fn of_unit(unit: &str) -> Result<Profile, NoProfile> {
    check_name(unit).map_err(NoProfile::Error)?;
    let full = if unit.contains('.') { unit.to_owned() } else { format!("{unit}.service") };
    let text = built_in("unit").map_or("", |one| one.text).replace(instances::VERSION, &full);
    let profile = read(&text).map_err(|error| malformed(Path::new("unit"), &error))?;
    // It is called as it was typed.
    Ok(Profile { daemon: format!("unit:{unit}"), ..profile })
}

/// The names of all daemons that have a profile, with the file of those that are not built in.
pub fn names() -> Vec<(String, Option<PathBuf>)> {
    let own = fs::read_dir(FOLDER).into_iter().flatten().flatten().map(|entry| entry.path());
    let own = own.filter(|path| path.extension().is_some_and(|end| end == "toml"));
    let mut names: Vec<(String, Option<PathBuf>)> =
        own.filter_map(|path| Some((path.file_stem()?.to_str()?.to_owned(), Some(path.clone())))).collect();
    // That of units is of no daemon in particular.
    for one in BUILT_IN.iter().filter(|one| one.name != "unit") {
        if names.iter().any(|(name, _)| name == one.name) {
            continue;
        }
        match instances::names(one.text) {
            several if several.len() > 1 => {
                names.extend(several.into_iter().map(|instance| (format!("{}@{instance}", one.name), None)));
            }
            _ => names.push((one.name.to_owned(), None)),
        }
    }
    names.sort();
    names
}

/// The same, with the installations at other places that run. Some profiles are read as a whole for that, and all
/// processes are looked at, so that only who lists daemons asks for it.
pub fn names_and_installations() -> Vec<(String, Option<PathBuf>)> {
    let mut names = names();
    let may = |(name, own): &(String, Option<PathBuf>)| {
        let one = built_in(name).filter(|one| own.is_none() && one.text.contains("\n[elsewhere]"))?;
        read(one.text).ok()
    };
    let profiles: Vec<Profile> = names.iter().filter_map(may).collect();
    let others = profiles.iter().flat_map(|profile| {
        elsewhere::names(profile).into_iter().map(|other| (format!("{}@{other}", profile.daemon), None))
    });
    names.extend(others);
    names.sort();
    names
}

/// The profile of the daemon that runs as this unit; `None` where none says so, or the one that does cannot be used.
pub fn of_unit_named(unit: &str) -> Option<Profile> {
    let stem = unit.strip_suffix(".service").unwrap_or(unit);
    let is_it = |named: &String| named == unit || named == stem;
    for (name, own) in names() {
        // Only those are read that may have it.
        let may = own.is_some() || built_in(&name).is_some_and(|one| one.text.contains(stem));
        if !may {
            continue;
        }
        match load(&name, None) {
            Ok(profile) if profile.service.unit.iter().any(is_it) => return Some(profile),
            Ok(_) => {}
            Err(error) => tracing::warn!(?error, name, "a profile is passed over"),
        }
    }
    None
}

/// A name of a daemon becomes part of a path.
fn is_name(daemon: &str) -> bool {
    let daemon = daemon.strip_prefix("unit:").unwrap_or(daemon);
    !daemon.is_empty()
        && !daemon.starts_with('.')
        && daemon.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.' | '@' | '+'))
}

/// Refuses a word that cannot be the name of a daemon.
pub fn check_name(daemon: &str) -> Result<(), Error> {
    if is_name(daemon) {
        return Ok(());
    }
    Err(Error::usage(format!("{daemon:?} cannot be the name of a daemon"))
        .help("a name has letters, digits and - _ . @ +; the daemon comes first, then the edits"))
}

fn unknown(daemon: &str) -> Error {
    if let Err(error) = check_name(daemon) {
        return error;
    }
    if daemon == "unit" {
        return Error::usage("unit is followed by the name of one")
            .help("for example gypsum show unit:nginx");
    }
    let names = names();
    let near = nearest(daemon, names.iter().map(|(name, _)| name.as_str()));
    let first = match near.first() {
        Some(near) => format!("did you mean {near}? "),
        None => String::new(),
    };
    Error::usage(format!("there is no profile for a daemon called {daemon}"))
        .help(format!("{first}`gypsum daemons` lists them; for any other: --file PATH --unit UNIT"))
}

/// The profile in a file of the administrator's own, as it holds on this host.
pub fn read_file(path: &Path) -> Result<Profile, NoProfile> {
    let read = |file| walk::read_whole(file, MOST_BYTES).map_err(|error| Error::file("read", path, error));
    let bytes = trust::open(Relied::Profile, path).and_then(read).map_err(NoProfile::Error)?;
    let text = String::from_utf8(bytes)
        .map_err(|_| NoProfile::Error(Error::usage(format!("{} is not UTF-8", path.display()))))?;
    on_this_host(&text, path, None)
}

fn malformed(path: &Path, error: &Malformed) -> NoProfile {
    NoProfile::Malformed(Box::new(finding_of("profile", path, error)))
}

/// What is wrong with a file that is written for Gypsum, as a finding of this rule.
pub fn finding_of(rule: &str, path: &Path, error: &Malformed) -> Finding {
    Finding {
        file: Some(path.display().to_string()),
        line: Some(error.line),
        column: Some(error.column),
        text: Some(error.text.clone()),
        ..Finding::new(rule, Severity::Fault, error.message.clone())
    }
}
