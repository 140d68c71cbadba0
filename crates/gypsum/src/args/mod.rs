//! The command line as it is typed.

mod changes;
mod diff;
mod edits;
mod merge;
mod options;
pub mod setup;
mod target;

pub use changes::ChangesArgs;
pub use diff::DiffArgs;
pub use edits::EditArgs;
pub use merge::MergeArgs;
pub use options::ChangeOptions;
pub use setup::SetupCommand;
pub use target::Target;

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

/// Change one daemon's configuration safely: checked before it goes live, watched after, restored by
/// itself if the service is unhealthy.
#[derive(Debug, Parser)]
#[command(
    name = "gypsum",
    version,
    subcommand_required = true,
    arg_required_else_help = true,
    disable_help_subcommand = true
)]
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
    /// Say yes at prompts; accepts no finding
    #[arg(short, long, global = true)]
    pub yes: bool,
    /// When to use colour
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: When,
    /// Do not show a long answer page by page
    #[arg(long, global = true)]
    pub no_pager: bool,
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
            Self::Keep { .. } => "keep",
            Self::Follow { .. } => "follow",
            Self::Recover { .. } => "recover",
            Self::Daemons { .. } => "daemons",
            Self::Enrol { .. } => "enrol",
            Self::Settings => "settings",
            Self::Setup { .. } => "setup",
            Self::Demo { .. } => "demo",
            Self::Help { .. } => "help",
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
            | Self::Settings
            | Self::Follow { .. }
            | Self::Help { .. }
            | Self::Enrol { .. } => true,
            Self::Change { .. }
            | Self::Edit { .. }
            | Self::Merge(_)
            | Self::Restore { .. }
            | Self::Keep { .. }
            | Self::Recover { .. }
            | Self::Setup { .. }
            | Self::Demo { .. } => false,
        }
    }
}

impl Command {
    /// Whether its answer may be long, and is there at once: then it is shown page by page.
    pub fn is_paged(&self) -> bool {
        let has_a_report = matches!(self, Self::Changes(asked) if asked.report.is_some());
        let asks_the_host = matches!(
            self,
            Self::Check { .. } | Self::Health { .. } | Self::Follow { .. } | Self::Enrol { .. }
        );
        self.only_answers() && !has_a_report && !asks_the_host
    }

    /// Whether it makes a change as the settings say. One that ends or takes back a change does not need them.
    pub fn relies_on_settings(&self) -> bool {
        matches!(self, Self::Change { .. } | Self::Edit { .. } | Self::Merge(_))
    }
}

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Change settings; restore the old ones if the service is unhealthy
    #[command(after_help = "\
Examples:
  gypsum change sshd MaxAuthTries=4 --why \"fewer guesses\"
  gypsum change sshd PasswordAuthentication=no PubkeyAuthentication=yes -n
  gypsum change mariadb max_connections=300 --enable skip-name-resolve
  gypsum change sshd 'Match User porter..X11Forwarding=no'
  gypsum change sshd --add 'AcceptEnv=BOARD_*' --remark \"for the boards\"
  gypsum change mariadb 'innodb_buffer_pool_size*=2'
  gypsum change nginx --switch-on boards
  gypsum change boards JVM_OPTS..-Xss=2m --file /etc/default/boards
  gypsum change nginx 'server..location /map..expires=1h' \\
      --must 'http http://localhost/map 200'
  gypsum change mariadb max_connections=300 --expect max_connections=300
  gypsum change tides rows=9 --file /etc/tides.conf --unit tides --health 6379")]
    Change {
        #[command(flatten)]
        target: Target,
        /// ADDRESS=VALUE; several make one change
        ///
        /// ADDRESS+=VALUE and ADDRESS-=VALUE change quantities and lists, ADDRESS*=NUMBER multiplies.
        /// See: gypsum help edits
        #[arg(value_name = "EDIT")]
        edits: Vec<String>,
        #[command(flatten)]
        more: Box<EditArgs>,
        #[command(flatten)]
        manner: ChangeOptions,
    },
    /// Edit the file in your editor; it goes live as a change
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
        /// The file, if the daemon has several
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
    /// List the edits that are not live; show or discard them
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
    /// Check the files as they are
    ///
    /// Gypsum's own rules and the daemon's own checker look at them.
    #[command(after_help = "Example: gypsum check sshd")]
    Check {
        #[command(flatten)]
        target: Target,
    },
    /// List the settings with their addresses, or explain one
    #[command(
        after_help = "Examples:\n  gypsum show sshd\n  gypsum show sshd MaxAuthTries    (explains it)\n  gypsum show mariadb buffer       (lists what is about that)\n  gypsum show redis --all"
    )]
    Show {
        #[command(flatten)]
        target: Target,
        /// A setting to explain, or words to look for
        ///
        /// Only settings are listed that have all of these words in their name, value or description, or in the
        /// comment above.
        words: Vec<String>,
        /// List also what is commented out or not set
        #[arg(short, long)]
        all: bool,
    },
    /// Check the health of the daemon
    #[command(
        after_help = "Examples:\n  gypsum health mariadb\n  gypsum health --watching     (what --watch looks at)\n  gypsum health --stop 3",
        mut_arg("daemon", |daemon| daemon.required(false).required_unless_present_any(["watching", "stop"]))
    )]
    Health {
        #[command(flatten)]
        target: Option<Target>,
        /// List what is watched on after changes, and how it was seen last
        #[arg(long)]
        watching: bool,
        /// End the watch of this number
        #[arg(long, value_name = "N")]
        stop: Option<u32>,
    },
    /// Show what differs from what was shipped, or from a change
    #[command(after_help = "\
Examples:
  gypsum diff sshd                (from what the package shipped)
  gypsum diff sshd --lines
  gypsum diff sshd --change 7     (since change 7)
  gypsum diff sshd --file ./proposed
  gypsum diff mariadb --running

The exit status is 3 where something differs, and 0 where nothing does.")]
    Diff(DiffArgs),
    /// Carry your settings onto the new version that a package brought
    #[command(after_help = "\
Examples:
  gypsum merge sshd
  gypsum merge nginx -n
  gypsum merge sshd --answer AcceptEnv=both --take mine
  gypsum merge sshd --keep-mine
  gypsum merge nginx --against nginx-common_1.26.3-3_all.deb
  gypsum merge sshd --base shipped-12 --mine sshd_config \\
      --theirs shipped-13 --to result

The exit status is 3 while a question is open; then nothing was changed.")]
    Merge(Box<MergeArgs>),
    /// List the changes that were made, or show one
    #[command(
        after_help = "Examples:\n  gypsum changes\n  gypsum changes sshd\n  gypsum changes sshd 7\n  gypsum changes --since 3d --verdict restored\n  gypsum changes sshd --setting MaxAuthTries\n  gypsum changes sshd 7 --report change-7.html"
    )]
    Changes(ChangesArgs),
    /// Take back a change, setting by setting
    #[command(after_help = "\
Examples:
  gypsum restore sshd            (takes back the last change)
  gypsum restore sshd 7 -n
  gypsum restore sshd --to 7     (takes back all after change 7)
  gypsum restore sshd 7 --whole  (whole files, as before change 7)")]
    Restore {
        #[command(flatten)]
        target: Target,
        /// The change to take back, by its number [default: the last one that is live]
        change: Option<String>,
        /// Take back all changes after this one
        #[arg(long, value_name = "N", conflicts_with = "change")]
        to: Option<String>,
        /// Restore whole files
        ///
        /// What came after in them is lost. It is in the backup of this change.
        #[arg(long)]
        whole: bool,
        #[command(flatten)]
        manner: ChangeOptions,
    },
    /// Keep a change that is on probation
    #[command(after_help = "\
Examples:
  gypsum change sshd MaxAuthTries=4 --probation 10m
  gypsum keep sshd
  gypsum restore sshd     (restores the old configuration now)")]
    Keep {
        /// The daemon
        daemon: String,
    },
    /// Show the last change from its beginning, and go on until it ends
    #[command(after_help = "\
Examples:
  gypsum follow sshd
  gypsum follow sshd --json

The exit status is that of the change. Ctrl-C ends the view, and not the change.")]
    Follow {
        /// The daemon
        daemon: String,
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
    /// Write a first profile for a daemon that has none
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
    /// Show Gypsum's own settings, and where each is set
    #[command(after_help = "\
Examples:
  gypsum settings
  printf '[change]\\nsteady = \"10s\"\\n' > /etc/gypsum/gypsum.toml

Those of the host are in /etc/gypsum/gypsum.toml, your own in ~/.config/gypsum/gypsum.toml. Where both
say something, your own decides; an option on the command line decides over both.")]
    Settings,
    /// Install completion, manual, boot units and package hook
    Setup {
        /// What to install
        #[command(subcommand)]
        what: SetupCommand,
    },
    /// Show what it does with a made-up daemon
    Demo {
        /// Keep the folder of the demonstration, and say how to continue by hand
        #[arg(long)]
        keep: bool,
    },
    /// Show all commands, one of them, or a topic
    #[command(after_help = "\
Examples:
  gypsum help change
  gypsum help addresses

Topics: addresses, edits, checks, formats, profiles, safety.")]
    Help {
        /// A command, or a topic
        #[arg(value_name = "COMMAND|TOPIC")]
        words: Vec<String>,
    },
}
