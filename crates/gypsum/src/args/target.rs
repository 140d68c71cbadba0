//! Which daemon a command is about.

use clap::Args;
use std::path::PathBuf;

/// Which daemon is meant.
#[derive(Clone, Debug, Args)]
#[command(next_help_heading = "Daemon")]
pub struct Target {
    /// The daemon, as its administrators name it
    pub daemon: String,
    /// Read the daemon's profile from this file
    #[arg(long, value_name = "FILE", conflicts_with = "file")]
    pub profile: Option<PathBuf>,
    /// Without a profile: the daemon's configuration file
    #[arg(long, value_name = "PATH")]
    pub file: Option<PathBuf>,
    /// Without a profile: the family of its format [default: guessed]
    ///
    /// See: gypsum help formats
    #[arg(long, value_name = "FAMILY", requires = "file")]
    pub format: Option<String>,
    /// Without a profile: the systemd unit that runs it
    #[arg(long, value_name = "UNIT", requires = "file")]
    pub unit: Option<String>,
    /// Without a profile: the daemon's own checker; {file} in it is the proposal
    #[arg(long, value_name = "COMMAND", requires = "file")]
    pub checker: Option<String>,
    /// One more health check
    ///
    /// It is a URL, HOST:PORT, a port, or a sentence: 'http http://localhost/map 200'. See: gypsum help checks
    #[arg(long = "health", value_name = "CHECK")]
    pub checks: Vec<String>,
}

impl Target {
    /// The options by which the daemon is named, as another command can be given them.
    ///
    /// # Errors
    ///
    /// If a relative path cannot be made whole.
    pub fn words(&self) -> std::io::Result<Vec<String>> {
        let mut words = Vec::new();
        for (option, path) in [("--profile", &self.profile), ("--file", &self.file)] {
            if let Some(path) = path {
                words.extend([option.to_owned(), std::path::absolute(path)?.display().to_string()]);
            }
        }
        for (option, value) in
            [("--format", &self.format), ("--unit", &self.unit), ("--checker", &self.checker)]
        {
            words.extend(value.iter().flat_map(|value| [option.to_owned(), value.clone()]));
        }
        words.extend(self.checks.iter().flat_map(|check| ["--health".to_owned(), check.clone()]));
        Ok(words)
    }

    /// The daemon of this name, with nothing else said about it.
    pub fn named(daemon: &str) -> Self {
        Self {
            daemon: daemon.to_owned(),
            profile: None,
            file: None,
            format: None,
            unit: None,
            checker: None,
            checks: Vec::new(),
        }
    }
}
