//! The package that a program came with, and its configuration files.

use crate::children;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long the package manager may take to answer.
const LIMIT: Duration = Duration::from_secs(10);

/// What a package brought.
#[derive(Default)]
pub(super) struct Package {
    /// Its name; empty where none is known.
    pub name: String,
    /// Those that are configuration.
    pub configuration: Vec<PathBuf>,
}

/// The package of a program, or the one that is called like the daemon.
pub(super) fn of(program: Option<&Path>, daemon: &str) -> Package {
    if Path::new("/usr/bin/dpkg-query").exists() {
        return of_dpkg(program, daemon);
    }
    if Path::new("/usr/bin/rpm").exists() {
        return of_rpm(program, daemon);
    }
    Package::default()
}

fn of_dpkg(program: Option<&Path>, daemon: &str) -> Package {
    // Before all programs moved below /usr, packages named them without it.
    let names = program.map(|path| {
        let path = path.display().to_string();
        [path.strip_prefix("/usr").map(str::to_owned), Some(path)].into_iter().flatten().collect::<Vec<_>>()
    });
    let owner = |path: String| {
        let said = output(&["/usr/bin/dpkg-query", "-S", &path])?;
        // "NAME: PATH", or "NAME:ARCHITECTURE: PATH", and of several of one name the first.
        Some(said.lines().next()?.split([':', ',']).next()?.to_owned())
    };
    let name = names.into_iter().flatten().rev().find_map(owner).unwrap_or_else(|| daemon.to_owned());
    let conffiles = output(&["/usr/bin/dpkg-query", "-W", "-f", "${Conffiles}\n", &name]).unwrap_or_default();
    // Each line is a path and its checksum.
    let configuration = conffiles.lines().filter_map(|line| line.split_whitespace().next());
    Package { configuration: configuration.map(PathBuf::from).collect(), name }
}

fn of_rpm(program: Option<&Path>, daemon: &str) -> Package {
    let path = program.map(|path| path.display().to_string());
    let owner = path.and_then(|path| output(&["/usr/bin/rpm", "-qf", &path]));
    let name = owner.map_or_else(|| daemon.to_owned(), |name| name.trim().to_owned());
    let configuration = output(&["/usr/bin/rpm", "-qc", &name]).unwrap_or_default();
    Package { configuration: configuration.lines().map(PathBuf::from).collect(), name }
}

/// What a command prints; `None` if it fails, which here means that there is no such package.
fn output(words: &[&str]) -> Option<String> {
    let argv: Vec<String> = words.iter().map(|word| (*word).to_owned()).collect();
    let ran = children::run_interruptible(&argv, LIMIT)
        .inspect_err(|error| tracing::warn!(%error, "the package manager cannot be asked"))
        .ok()?;
    ran.ok().then_some(ran.out)
}
