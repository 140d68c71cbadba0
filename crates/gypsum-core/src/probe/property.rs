//! Properties of a process.

use serde::{Deserialize, Serialize};

/// One property of the main process of a service.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Property {
    /// The words that it was started with.
    CommandLine,
    /// Its niceness, from -20 to 19.
    Nice,
    /// The account that it runs as.
    User,
    /// How many files it may have open.
    OpenFilesLimit,
    /// How many processes its account may have.
    ProcessesLimit,
    /// How many files it has open.
    OpenFiles,
    /// The memory that it holds, in bytes.
    Memory,
    /// How many processes there are below it.
    Children,
    /// How readily it is ended where memory runs out, from -1000 to 1000.
    OomScore,
    /// What it may do: its account and groups, its capabilities, the namespaces that are its own, its folder.
    Privileges,
    /// What this option says among the words that it was started with: `-Xmx` of `-Xmx512m` is `512m`.
    Option(String),
}

impl Property {
    /// All of them that have a name of their own.
    pub const ALL: [Self; 10] = [
        Self::CommandLine,
        Self::Nice,
        Self::User,
        Self::OpenFilesLimit,
        Self::ProcessesLimit,
        Self::OpenFiles,
        Self::Memory,
        Self::Children,
        Self::OomScore,
        Self::Privileges,
    ];

    /// Its name in profiles and sentences.
    pub fn word(&self) -> &str {
        match self {
            Self::Option(name) => name,
            Self::CommandLine => "command-line",
            Self::Nice => "niceness",
            Self::User => "user",
            Self::OpenFilesLimit => "open-files-limit",
            Self::ProcessesLimit => "processes-limit",
            Self::OpenFiles => "open-files",
            Self::Memory => "memory",
            Self::Children => "children",
            Self::OomScore => "oom-score",
            Self::Privileges => "privileges",
        }
    }

    /// Its name in a sentence.
    pub fn words(&self) -> String {
        let words = match self {
            Self::Option(name) => return format!("its option {name}"),
            Self::CommandLine => "its command line",
            Self::Nice => "its niceness",
            Self::User => "its account",
            Self::OpenFilesLimit => "its limit of open files",
            Self::ProcessesLimit => "its limit of processes",
            Self::OpenFiles => "the count of its open files",
            Self::Memory => "its memory",
            Self::Children => "the count of processes below it",
            Self::OomScore => "its score where memory runs out",
            Self::Privileges => "what it may do",
        };
        words.to_owned()
    }

    /// The property of this name; an option is one by its dash.
    pub fn named(word: &str) -> Option<Self> {
        if word.starts_with('-') && !word.trim_start_matches('-').is_empty() {
            return Some(Self::Option(word.to_owned()));
        }
        Self::ALL.into_iter().find(|property| property.word() == word)
    }
}

/// What the option `name` says in a command line: what is behind it in its own word, with or without `=` or `:`, or
/// the word behind it; nothing more than that it is given, where there is neither. The last one counts, as most
/// programs read them. None where it is not given.
pub fn option_of(words: &[String], name: &str) -> Option<String> {
    words.iter().enumerate().rev().find_map(|(n, word)| {
        let rest = word.strip_prefix(name)?;
        if rest.is_empty() {
            let value = words.get(n + 1).filter(|next| !next.starts_with('-'));
            return Some(value.map_or_else(|| "given".to_owned(), Clone::clone));
        }
        // A name goes on in letters, a value of a short option begins with a digit.
        let short = !name.starts_with("--") && rest.starts_with(|c: char| c.is_ascii_digit());
        rest.strip_prefix(['=', ':']).or(short.then_some(rest)).map(str::to_owned)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn options_are_read_as_programs_read_them() {
        let line = "java -Xms64m -Xmx256m -Xmx512m -Dquay=north -XX:MaxRAM=1g --port 8571 --rows=8 --rowsing -v -server Boards";
        let words: Vec<String> = line.split(' ').map(str::to_owned).collect();
        let table = [
            ("-Xmx", Some("512m")),
            ("-Xms", Some("64m")),
            ("-Dquay", Some("north")),
            ("-XX:MaxRAM", Some("1g")),
            ("--port", Some("8571")),
            ("--rows", Some("8")),
            ("-v", Some("given")),
            ("-Xss", None),
            ("--por", None),
        ];
        for (name, value) in table {
            assert_eq!(option_of(&words, name).as_deref(), value, "{name}");
        }
    }
}
