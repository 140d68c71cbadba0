//! Edits beside `ADDRESS=VALUE`.

use clap::{ArgAction, Args};
use std::path::PathBuf;

/// Edits beside `ADDRESS=VALUE`.
#[derive(Clone, Debug, Default, Args)]
#[command(next_help_heading = "Edits")]
pub struct EditArgs {
    /// Uncomment a setting or block, as it is
    #[arg(long, value_name = "ADDRESS")]
    pub enable: Vec<String>,
    /// Comment out a setting or block
    #[arg(long, value_name = "ADDRESS")]
    pub disable: Vec<String>,
    /// Remove a setting or block
    #[arg(long, value_name = "ADDRESS")]
    pub delete: Vec<String>,
    /// Add one more of a setting, or a new block
    ///
    /// The settings of a new block follow as edits.
    #[arg(long, value_name = "ADDRESS[=VALUE]")]
    pub add: Vec<String>,
    /// Insert a prepared piece of configuration, with its own layout
    #[arg(long, value_name = "FILE")]
    pub piece: Vec<PathBuf>,
    /// The block that --piece goes into [default: the file]
    #[arg(long, value_name = "ADDRESS", requires = "piece")]
    pub under: Vec<String>,
    /// The addition goes first in its block or file; each place applies to the --add before it
    #[arg(long, action = ArgAction::Append, num_args = 0, default_missing_value = "true")]
    pub first: Vec<bool>,
    /// The addition goes behind the last setting of its block or file
    #[arg(long, action = ArgAction::Append, num_args = 0, default_missing_value = "true")]
    pub last: Vec<bool>,
    /// The addition goes right above this setting
    #[arg(long, value_name = "ADDRESS")]
    pub above: Vec<String>,
    /// The addition goes right below this setting
    #[arg(long, value_name = "ADDRESS")]
    pub below: Vec<String>,
    /// Replace a value wherever it is a whole value
    #[arg(long, value_name = "OLD", requires = "by")]
    pub replace_all: Vec<String>,
    /// The new value for --replace-all
    #[arg(long, value_name = "NEW", requires = "replace_all")]
    pub by: Vec<String>,
    /// Set this to a value read from the terminal or from standard input, never shown
    #[arg(long, value_name = "ADDRESS")]
    pub secret: Vec<String>,
    /// A comment above what is new or changed, in the file's style
    #[arg(long, value_name = "TEXT")]
    pub remark: Option<String>,
    /// Use this whole prepared file (- is standard input) instead of edits
    #[arg(long, value_name = "FILE", conflicts_with_all = ["edits", "enable", "disable", "delete", "add", "piece", "replace_all", "secret", "remark", "prepared"])]
    pub whole: Option<PathBuf>,
    /// Take held changes live: those of these drafts, or all of them together (see --hold)
    #[arg(long, value_name = "N[,N]", num_args = 0..=1, default_missing_value = "all", conflicts_with_all = ["edits", "enable", "disable", "delete", "add", "piece", "replace_all", "secret", "remark", "whole", "prepared"])]
    pub ready: Option<String>,
    /// Also read edits from a TOML file (- is standard input)
    #[arg(long = "edits", id = "prepared", value_name = "FILE")]
    pub prepared: Option<PathBuf>,
    /// Print the edits as such a file, and change nothing
    #[arg(long, conflicts_with_all = ["whole", "secret"])]
    pub print_edits: bool,
    /// Install this file, which the configuration refers to, in the same change
    #[arg(long, value_name = "FILE", requires = "to", help_heading = "Files")]
    pub companion: Vec<PathBuf>,
    /// Where --companion goes
    #[arg(long, value_name = "DESTINATION", requires = "companion", help_heading = "Files")]
    pub to: Vec<PathBuf>,
    /// The mode of --companion, in octal: 0640 [default: as it is; of a new file no wider than its source]
    #[arg(long, value_name = "MODE", requires = "companion", help_heading = "Files")]
    pub mode: Vec<String>,
    /// The owner of --companion: USER, USER:GROUP or :GROUP
    #[arg(long, value_name = "OWNER", requires = "companion", help_heading = "Files")]
    pub owner: Vec<String>,
    /// Switch on a site, module or snippet that the daemon reads through a folder of links
    #[arg(long, value_name = "NAME", help_heading = "Files")]
    pub switch_on: Vec<String>,
    /// Switch it off
    #[arg(long, value_name = "NAME", help_heading = "Files")]
    pub switch_off: Vec<String>,
    /// Remove one of the daemon's files: a drop-in, a link
    #[arg(long, value_name = "FILE", help_heading = "Files")]
    pub delete_file: Vec<PathBuf>,
    /// The file, if the daemon has several
    ///
    /// Each --in applies to the edits behind it.
    #[arg(long = "in", value_name = "FILE", help_heading = "Files")]
    pub within: Vec<PathBuf>,
    /// Create that file, and its folder, if it does not exist
    #[arg(long, help_heading = "Files")]
    pub new: bool,
}
