//! How a change is to be carried out.

use clap::{Args, ValueEnum};
use gypsum_core::profile::Activation;
use gypsum_core::settings::{ReplayDefault, Settings, TrialDefault};
use jiff::SignedDuration;
use std::time::Duration;

/// How a change is to be carried out.
#[derive(Clone, Debug, Args)]
#[command(next_help_heading = "Change options")]
pub struct ChangeOptions {
    /// The reason for the change, for its record
    #[arg(long, value_name = "TEXT")]
    pub why: Option<String>,
    /// Only check, and show what would be done
    #[arg(short = 'n', long)]
    pub dry_run: bool,
    /// Check it, and keep it as a draft
    ///
    /// `gypsum change DAEMON --ready` takes it live.
    #[arg(long, conflicts_with = "dry_run")]
    pub hold: bool,
    /// Accept the findings of this rule
    ///
    /// The reason, or --why, is recorded.
    #[arg(long, value_name = "RULE[=REASON]")]
    pub accept: Vec<String>,
    /// Refuse the change on warnings, too
    #[arg(long)]
    pub strict: bool,
    /// Restore it after this time unless you keep it
    ///
    /// Once it is healthy it is live for this time, such as 10m. Then the old configuration is restored, unless you
    /// keep the new one: gypsum keep DAEMON
    #[arg(long, value_name = "TIME", conflicts_with_all = ["dry_run", "hold"])]
    pub probation: Option<String>,
    /// Once it is kept, look at this check for so long, and tell once where it fails: 3d 'http http://localhost/map 200'
    #[arg(long, num_args = 2, value_names = ["TIME", "CHECK"], action = clap::ArgAction::Append)]
    pub watch: Vec<String>,
    /// Take the change back where what is watched fails, unless a later change was made
    #[arg(long, requires = "watch")]
    pub restore_if_failing: bool,
    /// How long to wait for another change of the same daemon or file to end, such as 2m [default: not at all], and for
    /// the package manager [default: 1m]
    #[arg(long, value_name = "TIME")]
    pub wait: Option<String>,
    /// Wait for nobody: neither for another change nor for the package manager
    #[arg(long, conflicts_with = "wait")]
    pub no_wait: bool,
    /// Start the service if it is stopped
    #[arg(long)]
    pub start: bool,
    /// How the service takes up the change, if not by the least that is needed; without an edit it is restarted or
    /// reloaded with the same care
    #[arg(long, value_name = "HOW")]
    pub activation: Option<ActivationArg>,
    /// A check that must be true afterwards
    ///
    /// It is a sentence: 'http http://localhost/map 200'. See: gypsum help checks
    #[arg(long, value_name = "CHECK")]
    pub must: Vec<String>,
    /// A value to read before and after, as a sentence: 'process niceness'
    #[arg(long, value_name = "WHAT")]
    pub reading: Vec<String>,
    /// What a reading must show afterwards: niceness=5, max_connections=300
    #[arg(long, value_name = "NAME=VALUE")]
    pub expect: Vec<String>,
    /// Ask again what clients asked, also where requests are handed on to a program or another server
    #[arg(long, conflicts_with = "no_replay")]
    pub replay: bool,
    /// Ask nothing again of what clients asked
    #[arg(long)]
    pub no_replay: bool,
    /// Start the daemon on the new files apart from everything that others use, and ask there what clients ask
    #[arg(long, conflicts_with = "no_trial")]
    pub trial: bool,
    /// Make no such trial start
    #[arg(long)]
    pub no_trial: bool,
    /// How long all checks must stay healthy before the change is kept, such as 10s; 0 does not wait
    #[arg(long, value_name = "TIME")]
    pub steady: Option<String>,
    /// How long to wait for the package manager.
    #[arg(skip)]
    pub packages: Option<String>,
}

impl ChangeOptions {
    /// The same, and what the settings say where nothing was typed.
    pub fn or(mut self, settings: &Settings) -> Self {
        let typed = |time: Duration| SignedDuration::try_from(time).ok().map(|time| time.to_string());
        // Who says how long to wait means the package manager, too.
        self.packages = self.wait.clone().or_else(|| typed(settings.packages)).filter(|_| !self.no_wait);
        if !self.no_wait {
            self.wait = self.wait.or(settings.wait.and_then(typed));
        }
        self.steady = self.steady.or(settings.steady.and_then(typed));
        self.strict |= settings.strict;
        if !self.trial && !self.no_trial {
            self.trial = settings.trial == TrialDefault::Always;
            self.no_trial = settings.trial == TrialDefault::Never;
        }
        if !self.replay && !self.no_replay {
            self.replay = settings.replay == ReplayDefault::All;
            self.no_replay = settings.replay == ReplayDefault::Nothing;
        }
        self
    }
}

/// What to tell the daemon.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum ActivationArg {
    /// Nothing.
    None,
    /// To read its configuration again.
    Reload,
    /// To stop and start.
    Restart,
    /// To be down while its files change.
    StopFirst,
    /// The signal of its profile.
    Signal,
    /// The command of its profile.
    Command,
}

impl From<ActivationArg> for Activation {
    fn from(how: ActivationArg) -> Self {
        match how {
            ActivationArg::None => Self::None,
            ActivationArg::Reload => Self::Reload,
            ActivationArg::Restart => Self::Restart,
            ActivationArg::StopFirst => Self::StopFirst,
            ActivationArg::Signal => Self::Signal,
            ActivationArg::Command => Self::Command,
        }
    }
}
