//! What `gypsum diff` compares.

use clap::Args;
use std::path::PathBuf;

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
