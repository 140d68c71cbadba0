//! Words that people try first, and the line that does what they mean.

/// A word that is no command, and what to type instead; `DAEMON` stands for what was typed behind it.
const WORDS: [(&[&str], &str); 13] = [
    (&["status", "state", "ping", "test"], "gypsum health DAEMON"),
    (&["list", "ls", "services", "profiles"], "gypsum daemons"),
    (&["set", "put", "modify", "update", "add", "apply"], "gypsum change DAEMON SETTING=VALUE"),
    (&["unset", "remove", "rm", "delete"], "gypsum change DAEMON --delete SETTING"),
    (&["enable", "uncomment"], "gypsum change DAEMON --enable SETTING"),
    (&["disable", "comment"], "gypsum change DAEMON --disable SETTING"),
    (&["get", "print", "cat", "view", "config", "explain", "search", "find"], "gypsum show DAEMON SETTING"),
    (&["log", "logs", "history"], "gypsum changes DAEMON"),
    (&["undo", "revert", "rollback", "back"], "gypsum restore DAEMON"),
    (&["validate", "verify", "lint"], "gypsum check DAEMON"),
    (&["reload"], "gypsum change DAEMON --activation reload"),
    (&["restart"], "gypsum change DAEMON --activation restart"),
    (&["commit", "confirm", "accept"], "gypsum keep DAEMON"),
];

/// All the words.
pub fn tried<'a>() -> impl Iterator<Item = &'a str> {
    WORDS.iter().flat_map(|(words, _)| words.iter().copied())
}

/// The right line for a word that was tried, with what was typed behind it, ready to be typed.
pub fn right_line(word: &str, behind: &[String]) -> Option<String> {
    let (_, line) = WORDS.iter().find(|(words, _)| words.contains(&word))?;
    if behind.iter().any(|word| word.starts_with('-')) {
        return Some((*line).to_owned());
    }
    let mut behind = behind.to_vec();
    // As other tools take it: the setting, and its value behind a blank.
    if line.ends_with("SETTING=VALUE")
        && let [daemon, setting, value] = behind.as_slice()
        && !setting.contains('=')
    {
        behind = vec![daemon.clone(), format!("{setting}={value}")];
    }
    let mut words: Vec<String> = line.split(' ').map(str::to_owned).collect();
    let mut rest = behind.into_iter();
    for place in ["DAEMON", "SETTING=VALUE", "SETTING"] {
        if let Some(at) = words.iter().position(|word| word == place)
            && let Some(typed) = rest.next()
        {
            words[at] = quoted(&typed);
        }
    }
    words.extend(rest.map(|typed| quoted(&typed)));
    Some(words.join(" "))
}

/// A word as a shell takes it.
pub fn quoted(word: &str) -> String {
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "_@%+=:,./-".contains(c);
    if !word.is_empty() && word.chars().all(is_plain) {
        return word.to_owned();
    }
    shlex::try_quote(word).map_or_else(|_| word.to_owned(), std::borrow::Cow::into_owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::Cli;
    use clap::CommandFactory;

    #[test]
    fn no_word_is_a_command_and_every_line_is_one() {
        let root = Cli::command();
        for (words, line) in WORDS {
            assert!(words.iter().all(|word| root.find_subcommand(word).is_none()), "{words:?}");
            let line = line.replace("DAEMON", "sshd");
            let parsed = root.clone().try_get_matches_from(line.split(' '));
            assert!(parsed.is_ok(), "{line}: {parsed:?}");
        }
    }

    #[test]
    fn what_was_typed_goes_into_the_right_line() {
        let right = |typed: &[&str]| {
            let behind: Vec<String> = typed[1..].iter().map(|word| (*word).to_owned()).collect();
            right_line(typed[0], &behind).unwrap()
        };
        assert_eq!(right(&["set", "sshd", "Port", "22"]), "gypsum change sshd Port=22");
        assert_eq!(
            right(&["set", "nginx", "server..location /=x"]),
            "gypsum change nginx 'server..location /=x'"
        );
        assert_eq!(right(&["get", "sshd"]), "gypsum show sshd SETTING");
        assert_eq!(right(&["undo", "sshd", "7"]), "gypsum restore sshd 7");
        assert_eq!(right(&["list"]), "gypsum daemons");
        assert_eq!(right_line("harbour", &[]), None);
    }
}
