//! Several installations of one daemon on a host: two versions, two clusters. They are named `DAEMON@INSTANCE`.

use crate::error::Error;
use crate::service;
use gypsum_core::profile::{Profile, read};
use std::path::Path;

/// What is in a profile for a version, in the paths of its files and in the names of its units.
pub(super) const VERSION: &str = "{*}";
/// What is in it for one of several of a version.
const CLUSTER: &str = "{+}";

/// One installation.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Instance {
    version: String,
    cluster: Option<String>,
}

impl Instance {
    /// The name behind the `@`.
    fn name(&self) -> String {
        match &self.cluster {
            Some(cluster) => format!("{}-{cluster}", self.version),
            None => self.version.clone(),
        }
    }

    /// The profile's text with the names of this installation in it.
    pub fn fill(&self, text: &str) -> String {
        let text = text.replace(VERSION, &self.version);
        self.cluster.iter().fold(text, |text, cluster| text.replace(CLUSTER, cluster))
    }

    /// Its numbers, by which the newest is found.
    fn numbers(&self) -> Vec<u64> {
        self.version.split(|c: char| !c.is_ascii_digit()).filter_map(|part| part.parse().ok()).collect()
    }
}

/// The names of all installations whose home file is there. Only the line of the home file is read of the profile: this is
/// asked of all built-in ones, which take their time to be read as a whole.
pub(super) fn names(text: &str) -> Vec<String> {
    home_of(text).map(|home| all(home).iter().map(Instance::name).collect()).unwrap_or_default()
}

/// The home file in the text of a built-in profile.
fn home_of(text: &str) -> Option<&str> {
    text.lines().find_map(|line| line.strip_prefix("home = \"")?.strip_suffix('"'))
}

/// The installation that is meant: the one of this name; else the only one, or the only one that runs. `None` where the
/// profile has no installations, or none is there.
pub(super) fn meant(profile: &Profile, text: &str, name: Option<&str>) -> Result<Option<Instance>, Error> {
    let daemon = &profile.daemon;
    let mut all = all(&profile.files.home);
    let listed = |all: &[Instance]| all.iter().map(Instance::name).collect::<Vec<_>>().join(", ");
    if let Some(name) = name {
        let found = all.iter().find(|instance| instance.name() == name).cloned();
        return found.map(Some).ok_or_else(|| {
            let help = match all.is_empty() {
                true => format!("{daemon} is there once at the most; leave out the @"),
                false => format!("there is {}", listed(&all)),
            };
            Error::usage(format!("there is no {daemon}@{name} on this host")).help(help)
        });
    }
    all.sort_by_key(Instance::numbers);
    if all.len() > 1 {
        let running: Vec<Instance> =
            all.iter().filter(|instance| runs(&instance.fill(text))).cloned().collect();
        match running.as_slice() {
            [only] => return Ok(Some(only.clone())),
            [] => {}
            [first, ..] => {
                let message = format!("{daemon} runs here as {}", listed(&running));
                return Err(Error::usage(message).help(format!("name one: {daemon}@{}", first.name())));
            }
        }
    }
    Ok(all.pop())
}

/// Whether the service of a profile runs under the name that is the installation's own.
fn runs(text: &str) -> bool {
    let Ok(mut profile) = read(text) else { return false };
    // A name without the version is that of all of them.
    profile.service.unit.truncate(1);
    service::find(&profile.service).is_ok_and(|(_, seen)| seen.state.is_up())
}

/// All installations whose home file is there.
fn all(home: &str) -> Vec<Instance> {
    if !home.contains(VERSION) {
        return Vec::new();
    }
    let pattern = home.replace(VERSION, "*").replace(CLUSTER, "*");
    let found = glob::glob(&pattern).into_iter().flatten().flatten();
    let mut all: Vec<Instance> = found.filter_map(|path| of_path(home, &path)).collect();
    all.sort_by_key(Instance::name);
    all
}

/// What is in a path where the profile has a version and a cluster.
fn of_path(home: &str, path: &Path) -> Option<Instance> {
    let (head, tail) = home.split_once(VERSION)?;
    let rest = path.to_str()?.strip_prefix(head)?;
    let Some((between, end)) = tail.split_once(CLUSTER) else {
        return Some(Instance { version: rest.strip_suffix(tail)?.to_owned(), cluster: None });
    };
    let (version, cluster) = rest.strip_suffix(end)?.split_once(between)?;
    Some(Instance { version: version.to_owned(), cluster: Some(cluster.to_owned()) })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is found without reading the whole profile is what the profile says.
    #[test]
    fn the_home_line_of_every_profile_is_found() {
        for one in gypsum_core::profile::BUILT_IN {
            assert_eq!(home_of(one.text), Some(read(one.text).unwrap().files.home.as_str()), "{}", one.name);
        }
    }

    #[test]
    fn installations_are_read_from_paths() {
        let of = |home, path: &str| of_path(home, Path::new(path)).map(|instance| instance.name());
        assert_eq!(of("/etc/tide/{*}/tide.ini", "/etc/tide/8.2/tide.ini").as_deref(), Some("8.2"));
        assert_eq!(of("/etc/tide/{*}/{+}/t.conf", "/etc/tide/15/north/t.conf").as_deref(), Some("15-north"));
        assert_eq!(of("/etc/tide/{*}/tide.ini", "/etc/ebb/8.2/tide.ini"), None);
        let instance = of_path("/etc/tide/{*}/{+}/t", Path::new("/etc/tide/15/north/t")).unwrap();
        assert_eq!(instance.fill("tide@{*}-{+}.service"), "tide@15-north.service");
        let newest = Instance { version: "8.10".into(), cluster: None };
        assert!(newest.numbers() > Instance { version: "8.9".into(), cluster: None }.numbers());
    }
}
