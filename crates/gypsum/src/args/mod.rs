//! The command line as it is typed.

mod edits;

pub use edits::EditArgs;

use clap::{Args, Parser, Subcommand, ValueEnum};
use gypsum_core::carry::Whose;
use gypsum_core::change::Verdict;
use gypsum_core::profile::Activation;
use std::path::PathBuf;

/// Change one daemon's configuration safely: checked before it goes live, watched after, restored by
/// itself if the service is unhealthy.
#[derive(Debug, Parser)]
#[command(
    name = "gypsum",
    version,
    max_term_width = 100,
    subcommand_required = true,
    arg_required_else_help = true
)]
#[command(after_help = "\
Exit status: 0 kept and healthy, unchanged, healthy; 1 could not run, nothing touched; 2 wrong usage;
3 refused by a check, nothing touched, or not healthy; 4 restored; 5 stuck, a person is needed;
6 another change is in the way; 7 kept, but unhealthy as before or unproven;
8 live, and finished by the guardian in the background.")]
pub struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
    #[command(flatten)]
    pub common: Common,
}

/// What every command takes.
#[derive(Clone, Debug, Args)]
#[command(next_help_heading = "Global options")]
pub struct Common {
    /// Print one JSON document instead of text
    #[arg(long, global = true)]
    pub json: bool,
    /// Print only the result
    #[arg(short, long, global = true, conflicts_with = "verbose")]
    pub quiet: bool,
    /// Print more: all hints, the stages and how long each took; -vv also what is done inside
    #[arg(short, long, global = true, action = clap::ArgAction::Count)]
    pub verbose: u8,
    /// Assume yes at prompts; does not accept findings
    #[arg(short, long, global = true)]
    pub yes: bool,
    /// When to use colour
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: When,
    /// Where backups and records are kept [default: /var/lib/gypsum for root]
    #[arg(long, global = true, value_name = "DIR")]
    pub state: Option<PathBuf>,
}

/// When to use colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum When {
    /// On a terminal, unless NO_COLOR is set.
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

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
    /// Without a profile: the family of its format (keyword, sections, braces, json, jsonc …) [default: guessed]
    #[arg(long, value_name = "FAMILY", requires = "file")]
    pub format: Option<String>,
    /// Without a profile: the systemd unit that runs it
    #[arg(long, value_name = "UNIT", requires = "file")]
    pub unit: Option<String>,
    /// Without a profile: the daemon's own checker; {file} in it is the proposal
    #[arg(long, value_name = "COMMAND", requires = "file")]
    pub checker: Option<String>,
    /// One more health check: a URL, HOST:PORT, a port, or a sentence: 'http http://localhost/map 200'
    #[arg(long = "health", value_name = "CHECK")]
    pub checks: Vec<String>,
}

impl Target {
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

/// How a change is to be carried out.
#[derive(Clone, Debug, Args)]
#[command(next_help_heading = "Change options")]
pub struct ChangeOptions {
    /// The reason for the change, for its record
    #[arg(long, value_name = "TEXT")]
    pub why: Option<String>,
    /// Check everything and show what would be done, but change nothing
    #[arg(short = 'n', long)]
    pub dry_run: bool,
    /// Check everything and hold the change as a draft: `gypsum change DAEMON --ready` takes it live
    #[arg(long, conflicts_with = "dry_run")]
    pub hold: bool,
    /// Accept the findings of this rule; the reason, or --why, is recorded
    #[arg(long, value_name = "RULE[=REASON]")]
    pub accept: Vec<String>,
    /// Refuse the change on warnings, too
    #[arg(long)]
    pub strict: bool,
    /// How long to wait for another change of the same daemon or file to end, such as 2m [default: not at all]
    #[arg(long, value_name = "TIME")]
    pub wait: Option<String>,
    /// Start the service if it is stopped
    #[arg(long)]
    pub start: bool,
    /// How the service takes up the change, if not by the least that is needed; without an edit it is restarted or
    /// reloaded with the same care
    #[arg(long, value_name = "HOW")]
    pub activation: Option<ActivationArg>,
    /// A check that must hold afterwards, as a sentence: 'http http://localhost/map 200'
    #[arg(long, value_name = "CHECK")]
    pub must: Vec<String>,
    /// A value to read before and after, as a sentence: 'process niceness'
    #[arg(long, value_name = "WHAT")]
    pub reading: Vec<String>,
    /// What a reading must show afterwards: niceness=5, max_connections=300
    #[arg(long, value_name = "NAME=VALUE")]
    pub expect: Vec<String>,
    /// How long all checks must stay healthy before the change is kept, such as 10s; 0 does not wait
    #[arg(long, value_name = "TIME")]
    pub steady: Option<String>,
}

/// Which changes are listed.
#[derive(Clone, Debug, Args)]
pub struct ChangesArgs {
    /// Only those of this daemon
    pub daemon: Option<String>,
    /// One change, by its number
    pub change: Option<String>,
    /// At most so many, the newest ones [default: 20 on a screen, all elsewhere]
    #[arg(long, value_name = "N", conflicts_with = "change")]
    pub last: Option<usize>,
    /// Only those begun since then: 3d, 2026-11-28, '2026-11-28 18:00'
    #[arg(long, value_name = "TIME", conflicts_with = "change")]
    pub since: Option<String>,
    /// Only those of this person
    #[arg(long, value_name = "LOGIN", conflicts_with = "change")]
    pub by: Option<String>,
    /// Only those that ended so
    #[arg(long, value_name = "VERDICT", conflicts_with = "change")]
    pub verdict: Option<VerdictArg>,
    /// The history of one setting: from what to what, when, by whom and why, and what was done without Gypsum
    #[arg(long, value_name = "ADDRESS", requires = "daemon", conflicts_with_all = ["change", "last", "since", "by", "verdict"])]
    pub setting: Option<String>,
    /// Write a report of the change to this file, as a page (.html) or as text for a ticket (.md)
    #[arg(long, value_name = "FILE", requires = "change")]
    pub report: Option<PathBuf>,
    /// Read the daemon's profile from this file
    #[arg(long, value_name = "FILE", requires = "daemon")]
    pub profile: Option<PathBuf>,
}

/// What is compared.
#[derive(Clone, Debug, Args)]
pub struct DiffArgs {
    /// The daemon, as its administrators name it
    pub daemon: String,
    /// Only this file of the daemon
    #[arg(long = "in", value_name = "FILE")]
    pub within: Option<PathBuf>,
    /// Compare with this file instead
    #[arg(long, value_name = "FILE", conflicts_with = "change")]
    pub file: Option<PathBuf>,
    /// Compare with the files as change N left them
    #[arg(long, value_name = "N")]
    pub change: Option<String>,
    /// Compare the files with what the running daemon has
    #[arg(long, conflicts_with_all = ["within", "file", "change", "lines"])]
    pub running: bool,
    /// Show the lines that differ, as a unified difference
    #[arg(long)]
    pub lines: bool,
    /// Read the daemon's profile from this file
    #[arg(long, value_name = "FILE")]
    pub profile: Option<PathBuf>,
}

/// What is merged.
#[derive(Clone, Debug, Args)]
pub struct MergeArgs {
    /// The daemon, as its administrators name it
    pub daemon: String,
    /// What is taken where both changed a setting: ADDRESS=mine, =theirs, or =both for a list
    #[arg(long, value_name = "ADDRESS=WHOSE")]
    pub answer: Vec<String>,
    /// What is taken in all questions that have no answer of their own
    #[arg(long, value_name = "WHOSE")]
    pub take: Option<TakeArg>,
    /// Only this file of the daemon
    #[arg(long = "in", value_name = "FILE", conflicts_with_all = ["mine", "against"])]
    pub within: Option<PathBuf>,
    /// Take nothing of the new version, and put it away
    #[arg(long, conflicts_with_all = ["answer", "take", "mine", "against"])]
    pub keep_mine: bool,
    /// Show what this package would bring, before it is installed
    #[arg(long, value_name = "FILE.deb", conflicts_with_all = ["mine", "base"])]
    pub against: Option<PathBuf>,
    /// What was shipped when the file was edited, where it is not found on this host
    #[arg(long, value_name = "FILE")]
    pub base: Option<PathBuf>,
    /// With files alone: the edited file
    #[arg(long, value_name = "FILE", requires_all = ["base", "theirs", "to"])]
    pub mine: Option<PathBuf>,
    /// With files alone: what is shipped now
    #[arg(long, value_name = "FILE", requires_all = ["base", "mine", "to"])]
    pub theirs: Option<PathBuf>,
    /// With files alone: where the result is written
    #[arg(long, value_name = "FILE", requires_all = ["base", "mine", "theirs"])]
    pub to: Option<PathBuf>,
    /// With files alone: the family of their format [default: the daemon's, or guessed]
    #[arg(long, value_name = "FAMILY", requires = "mine")]
    pub format: Option<String>,
    #[command(flatten)]
    pub options: ChangeOptions,
    /// Read the daemon's profile from this file
    #[arg(long, value_name = "FILE")]
    pub profile: Option<PathBuf>,
}

/// Whose version is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum TakeArg {
    /// The administrator's.
    Mine,
    /// The one that is shipped now.
    Theirs,
}

impl From<TakeArg> for Whose {
    fn from(word: TakeArg) -> Self {
        match word {
            TakeArg::Mine => Self::Mine,
            TakeArg::Theirs => Self::Theirs,
        }
    }
}

/// The hook of the package manager.
#[derive(Clone, Debug, Args)]
pub struct PackagesArgs {
    /// Take the hook away
    #[arg(long)]
    pub remove: bool,
    /// Keep the shipped texts now, and install nothing; what the hook does before an upgrade
    #[arg(long, conflicts_with = "remove")]
    pub keep: bool,
    /// Say what waits for all daemons; what the hook does after an upgrade
    #[arg(long, conflicts_with_all = ["remove", "keep"])]
    pub tell: bool,
}

/// What is installed on request.
#[derive(Clone, Debug, Subcommand)]
pub enum SetupCommand {
    /// Have the package manager keep the shipped text of edited files before each upgrade
    #[command(after_help = "\
Examples:
  gypsum setup packages
  gypsum setup packages --remove

It writes one file for dpkg. What it runs ends with 0 whatever happens, so that an upgrade never fails by it.")]
    Packages(PackagesArgs),
}

/// How a change with a record may have ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum VerdictArg {
    /// Its configuration is live.
    Kept,
    /// The old configuration was restored.
    Restored,
    /// It was refused.
    Refused,
    /// It ended before anything was live.
    Dropped,
    /// A person is needed.
    Stuck,
}

impl From<VerdictArg> for Verdict {
    fn from(word: VerdictArg) -> Self {
        match word {
            VerdictArg::Kept => Self::Kept,
            VerdictArg::Restored => Self::Restored,
            VerdictArg::Refused => Self::Refused,
            VerdictArg::Dropped => Self::Dropped,
            VerdictArg::Stuck => Self::Stuck,
        }
    }
}

/// What to do with the findings of an edit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum OnFinding {
    /// Open the editor again.
    Again,
    /// Continue on warnings; on faults save a draft.
    GoOn,
    /// Save it as a draft.
    Leave,
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

impl Command {
    /// Its name, as it is typed.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Change { .. } => "change",
            Self::Edit { .. } => "edit",
            Self::Drafts { .. } => "drafts",
            Self::Check { .. } => "check",
            Self::Show { .. } => "show",
            Self::Health { .. } => "health",
            Self::Diff(_) => "diff",
            Self::Merge(_) => "merge",
            Self::Changes(_) => "changes",
            Self::Restore { .. } => "restore",
            Self::Recover { .. } => "recover",
            Self::Daemons { .. } => "daemons",
            Self::Enrol { .. } => "enrol",
            Self::Setup { .. } => "setup",
            Self::Demo { .. } => "demo",
        }
    }

    /// Whether it only answers: then an answer that cannot be written is all that fails.
    pub fn only_answers(&self) -> bool {
        match self {
            Self::Drafts { discard, .. } => discard.is_none(),
            Self::Check { .. }
            | Self::Show { .. }
            | Self::Health { .. }
            | Self::Diff(_)
            | Self::Changes(_)
            | Self::Daemons { .. }
            | Self::Enrol { .. } => true,
            Self::Change { .. }
            | Self::Edit { .. }
            | Self::Merge(_)
            | Self::Restore { .. }
            | Self::Recover { .. }
            | Self::Setup { .. }
            | Self::Demo { .. } => false,
        }
    }
}

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Change settings, take them live, and restore the old ones if the service is unhealthy
    #[command(after_help = "\
Examples:
  gypsum change sshd MaxAuthTries=4 --why \"fewer guesses\"
  gypsum change sshd PasswordAuthentication=no PubkeyAuthentication=yes -n
  gypsum change mariadb max_connections=300 --enable skip-name-resolve
  gypsum change sshd 'Match User porter..X11Forwarding=no'
  gypsum change sshd --add 'AcceptEnv=BOARD_*' --remark \"for the boards\"
  gypsum change mariadb 'innodb_buffer_pool_size*=2'
  gypsum change web --switch-on boards --file /etc/nginx/nginx.conf --format braces
  gypsum change boards JVM_OPTS..-Xss=2m --file /etc/default/boards --format assignments
  gypsum change nginx 'server..location /map..expires=1h' --must 'http http://localhost/map 200'
  gypsum change mariadb max_connections=300 --expect max_connections=300
  gypsum change redis maxclients=2000 --file /etc/redis/redis.conf --format keyword \\
      --unit redis-server --health 6379")]
    Change {
        #[command(flatten)]
        target: Target,
        /// ADDRESS=VALUE; ADDRESS+=VALUE, -=VALUE for quantities and lists, *=NUMBER; all make one change
        #[arg(value_name = "EDIT")]
        edits: Vec<String>,
        #[command(flatten)]
        more: Box<EditArgs>,
        #[command(flatten)]
        manner: ChangeOptions,
    },
    /// Edit the file in your editor; the result is checked and goes live as a change
    #[command(after_help = "\
Examples:
  gypsum edit sshd
  gypsum edit sshd --at MaxAuthTries
  gypsum edit sshd --draft 3
  EDITOR=./patch.sh gypsum edit mariadb --on-finding leave

VISUAL, then EDITOR, then a common editor is opened on a draft. What was written stays there until it is
live: after a crash, a lost session, a refusal or a restore `gypsum drafts` lists it. At a terminal the next
edit offers it; elsewhere an edit begins from the live file, unless --draft N is given.")]
    Edit {
        #[command(flatten)]
        target: Target,
        /// The file to edit, if the daemon has several
        #[arg(long = "in", value_name = "FILE")]
        within: Option<PathBuf>,
        /// Begin at the line of this setting
        #[arg(long, value_name = "ADDRESS")]
        at: Option<String>,
        /// Create the file, and its folder, if it does not exist
        #[arg(long)]
        new: bool,
        /// Start from the live file, even if there is a draft
        #[arg(long, conflicts_with = "draft")]
        fresh: bool,
        /// Continue with this draft, by its number (see gypsum drafts)
        #[arg(long, value_name = "N", conflicts_with_all = ["within", "new"])]
        draft: Option<u32>,
        /// What to do with findings without a terminal [default: leave]
        #[arg(long, value_name = "WHAT")]
        on_finding: Option<OnFinding>,
        #[command(flatten)]
        manner: ChangeOptions,
    },
    /// List the drafts, which are edits that are not live; show or discard them
    #[command(after_help = "\
Examples:
  gypsum drafts
  gypsum drafts sshd --show 3
  gypsum drafts sshd --discard 3,4")]
    Drafts {
        /// Only those of this daemon
        daemon: Option<String>,
        /// Show what this draft changes
        #[arg(long, value_name = "N", requires = "daemon")]
        show: Option<u32>,
        /// Throw these drafts away, or all of them
        #[arg(long, value_name = "N[,N]|all", requires = "daemon", conflicts_with = "show")]
        discard: Option<String>,
    },
    /// Check the configuration as it is: our rules, and the daemon's own checker
    #[command(after_help = "Example: gypsum check sshd")]
    Check {
        #[command(flatten)]
        target: Target,
    },
    /// List the settings in effect with their addresses, or explain one of them
    #[command(
        after_help = "Examples:\n  gypsum show sshd\n  gypsum show sshd MaxAuthTries    (explains it)\n  gypsum show mariadb buffer       (lists what is about that)\n  gypsum show redis --all"
    )]
    Show {
        #[command(flatten)]
        target: Target,
        /// A setting to explain; else only settings with all of these words in name, value, description or the comment
        /// above
        words: Vec<String>,
        /// Also list settings that are commented out, and known settings that are not set
        #[arg(short, long)]
        all: bool,
    },
    /// Check the health of the daemon
    #[command(after_help = "Example: gypsum health mariadb")]
    Health {
        #[command(flatten)]
        target: Target,
    },
    /// Show what differs from what was shipped, from another file, or from how a change left it
    #[command(after_help = "\
Examples:
  gypsum diff sshd                    (settings that are not as the package shipped them)
  gypsum diff sshd --lines
  gypsum diff sshd --change 7         (what differs since change 7)
  gypsum diff sshd --file ./proposed
  gypsum diff mariadb --running

The exit status is 3 where something differs, and 0 where nothing does.")]
    Diff(DiffArgs),
    /// Carry your settings onto the new version of a file that a package brought
    #[command(after_help = "\
Examples:
  gypsum merge sshd
  gypsum merge nginx -n
  gypsum merge sshd --answer AcceptEnv=both --take mine
  gypsum merge sshd --keep-mine
  gypsum merge nginx --against nginx-common_1.26.3-3_all.deb
  gypsum merge sshd --base shipped-12 --mine sshd_config --theirs shipped-13 --to result

The exit status is 3 while a question is open; then nothing was changed.")]
    Merge(Box<MergeArgs>),
    /// List the changes that were made, or show one
    #[command(
        after_help = "Examples:\n  gypsum changes\n  gypsum changes sshd\n  gypsum changes sshd 7\n  gypsum changes --since 3d --verdict restored\n  gypsum changes sshd --setting MaxAuthTries\n  gypsum changes sshd 7 --report change-7.html"
    )]
    Changes(ChangesArgs),
    /// Take back a change, setting by setting; this is a change of its own
    #[command(after_help = "\
Examples:
  gypsum restore sshd            (takes back the last change; once more, the one before it)
  gypsum restore sshd 7 -n
  gypsum restore sshd --to 7     (takes back all changes after change 7)
  gypsum restore sshd 7 --whole  (whole files, as they were before change 7)")]
    Restore {
        #[command(flatten)]
        target: Target,
        /// The change to take back, by its number [default: the last one that is live]
        change: Option<String>,
        /// Take back all changes after this one
        #[arg(long, value_name = "N", conflicts_with = "change")]
        to: Option<String>,
        /// Restore whole files; what came after in them is lost, and is in the backup of this change
        #[arg(long)]
        whole: bool,
        #[command(flatten)]
        manner: ChangeOptions,
    },
    /// Finish or undo an interrupted change
    #[command(after_help = "Examples:\n  gypsum recover sshd\n  gypsum recover sshd --set-aside")]
    Recover {
        /// The daemon [default: all of them]
        daemon: Option<String>,
        /// Set the records of a change aside that cannot be read; live files stay as they are
        #[arg(long, requires = "daemon")]
        set_aside: bool,
    },
    /// List the daemons that have a profile, or check a profile
    #[command(after_help = "Examples:\n  gypsum daemons\n  gypsum daemons --check boards.toml")]
    Daemons {
        /// Check this profile: how it is written, and whether what it names is on this host
        #[arg(long, value_name = "FILE")]
        check: Option<PathBuf>,
        /// Forget how a daemon without a profile was named on the command line; its changes stay
        #[arg(long, value_name = "DAEMON", conflicts_with = "check")]
        forget: Option<String>,
    },
    /// Write a first profile for a daemon that has none, from what is on this host
    #[command(
        after_help = "Examples:\n  gypsum enrol boards > boards.toml\n  gypsum enrol boards --file /etc/boards/boards.conf --unit boards.service"
    )]
    Enrol {
        /// What its administrators call it
        daemon: String,
        /// Its configuration file [default: looked for]
        #[arg(long, value_name = "PATH")]
        file: Option<PathBuf>,
        /// The unit that runs it [default: the one of that name]
        #[arg(long, value_name = "UNIT")]
        unit: Option<String>,
        /// The family of its format [default: guessed]
        #[arg(long, value_name = "FAMILY")]
        format: Option<String>,
        /// It takes up a change on a reload; otherwise it is restarted
        #[arg(long)]
        reload: bool,
    },
    /// Install or remove what works beside the commands
    Setup {
        /// What to install
        #[command(subcommand)]
        what: SetupCommand,
    },
    /// Walk through a change, a refusal, a restore and a recovery with a made-up daemon
    Demo {
        /// Keep the folder of the demonstration, and say how to continue by hand
        #[arg(long)]
        keep: bool,
    },
}
