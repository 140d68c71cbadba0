//! What `gypsum setup` installs.

use clap::{Args, Subcommand};

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

/// What looks after open changes when the host starts.
#[derive(Clone, Debug, Args)]
pub struct BootArgs {
    /// Take it away
    #[arg(long)]
    pub remove: bool,
}

/// What completes words at the shell.
#[derive(Clone, Debug, Args)]
pub struct CompletionsArgs {
    /// Take it away
    #[arg(long)]
    pub remove: bool,
    /// Print the script for this shell, and write nothing
    #[arg(long, value_name = "SHELL", conflicts_with = "remove", value_parser = ["bash", "zsh", "fish"])]
    pub print: Option<String>,
}

/// The pages of the manual.
#[derive(Clone, Debug, Args)]
pub struct ManualArgs {
    /// Take them away
    #[arg(long)]
    pub remove: bool,
    /// Write them to this folder instead
    #[arg(long, value_name = "DIR")]
    pub to: Option<std::path::PathBuf>,
}

/// What a package of Gypsum has besides the program.
#[derive(Clone, Debug, Args)]
pub struct PackageFilesArgs {
    /// The folder that stands for the root of the host
    #[arg(long, value_name = "DIR")]
    pub to: std::path::PathBuf,
}

/// What is installed on request.
#[derive(Clone, Debug, Subcommand)]
pub enum SetupCommand {
    /// Restore at the next start of this host what is open when it goes down
    #[command(after_help = "\
Examples:
  gypsum setup boot
  gypsum setup boot --remove

Under systemd it writes two units, elsewhere one script. The first part runs before the daemons start, and
only where a change is open: it puts the old files back. The second part runs after they have started: it
checks their health and closes the record.")]
    Boot(BootArgs),
    /// Complete commands, daemons, settings and values at the shell: bash, zsh, fish
    #[command(after_help = "\
Examples:
  gypsum setup completions
  gypsum setup completions --print zsh > ~/.zfunc/_gypsum

For root it writes one file for each shell that this host has, where packages have theirs; for another
account into its home folder. A new shell uses it.")]
    Completions(CompletionsArgs),
    /// Install the pages of the manual
    #[command(after_help = "\
Examples:
  gypsum setup manual
  man gypsum-change

For root it writes to /usr/local/share/man, for another account to ~/.local/share/man.")]
    Manual(ManualArgs),
    /// Have the package manager keep the shipped text of edited files before each upgrade
    #[command(after_help = "\
Examples:
  gypsum setup packages
  gypsum setup packages --remove

It writes one file for dpkg. What it runs ends with 0 whatever happens, so that an upgrade never fails by it.")]
    Packages(PackagesArgs),
    /// Write the files of a package of Gypsum, for those who build one
    #[command(after_help = "\
Example:
  gypsum setup package-files --to target/package

The manual, completion, boot units, the hook of dpkg and the folders, for a program in /usr/bin.")]
    PackageFiles(PackageFilesArgs),
}
