//! The first screen, and the list of all commands.

use super::TOPICS;
use crate::view::{in_columns, wrapped};
use clap::Command;

/// What `gypsum` alone says. It fits a terminal of 24 rows.
pub const FIRST: &str = "\
Gypsum changes the configuration of one daemon on this host. It checks the
files before they go live, keeps a backup, and restores it on failure.

  gypsum show DAEMON              list the settings, with their addresses
  gypsum show DAEMON SETTING      explain one of them
  gypsum change DAEMON EDIT...    change settings; -n only tries
  gypsum edit DAEMON              the same with your editor
  gypsum check DAEMON             check the files as they are
  gypsum health DAEMON            check the service
  gypsum changes [DAEMON]         what was changed, when, by whom and why
  gypsum restore DAEMON           take back the last change
  gypsum daemons                  the daemons that are known here

Examples:
  gypsum show sshd auth
  gypsum change sshd MaxAuthTries=4 -n
  gypsum change sshd MaxAuthTries=4 --why \"fewer guesses\"

All commands: gypsum help        One command: gypsum change -h";

/// The commands in the order of use.
const COMMANDS: [&str; 19] = [
    "show", "change", "edit", "drafts", "check", "health", "changes", "restore", "diff", "merge", "follow",
    "keep", "recover", "daemons", "enrol", "settings", "setup", "demo", "help",
];

/// All commands with what they do, and where to read on.
pub fn overview(root: &Command, width: usize) -> Vec<String> {
    let about = |name: &str| {
        let command = root.find_subcommand(name).and_then(Command::get_about);
        command.map(ToString::to_string).unwrap_or_default()
    };
    let mut lines = vec!["Usage: gypsum COMMAND DAEMON [OPTIONS]".to_owned()];
    lines.extend(COMMANDS.iter().map(|name| in_columns(&[format!("  {name}"), about(name)], &[10])));
    let topics: Vec<&str> = TOPICS.iter().map(|topic| topic.name).collect();
    lines.extend(wrapped(&format!("Topics: gypsum help {}", topics.join("|")), width));
    lines.push("One command: gypsum change -h; all of it: gypsum change --help".to_owned());
    lines
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::Cli;
    use clap::CommandFactory;

    #[test]
    fn both_fit_a_small_terminal_and_name_every_command() {
        let root = Cli::command();
        assert!(FIRST.lines().count() < 24 && FIRST.lines().all(|line| line.len() <= 80));
        let lines = overview(&root, 80);
        assert!(lines.iter().all(|line| line.len() <= 80), "{lines:#?}");
        assert!(lines.len() < 24, "{lines:#?}");
        let mut listed = COMMANDS.to_vec();
        let mut all: Vec<&str> = root.get_subcommands().map(Command::get_name).collect();
        listed.sort_unstable();
        all.sort_unstable();
        assert_eq!(listed, all);
    }
}
