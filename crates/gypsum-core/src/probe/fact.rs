//! Facts about a process.

use serde::{Deserialize, Serialize};

/// One fact about the main process of a service.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fact {
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
}

impl Fact {
    /// All of them.
    pub const ALL: [Self; 9] = [
        Self::CommandLine,
        Self::Nice,
        Self::User,
        Self::OpenFilesLimit,
        Self::ProcessesLimit,
        Self::OpenFiles,
        Self::Memory,
        Self::Children,
        Self::OomScore,
    ];

    /// Its name in profiles and sentences.
    pub fn word(self) -> &'static str {
        match self {
            Self::CommandLine => "command-line",
            Self::Nice => "niceness",
            Self::User => "user",
            Self::OpenFilesLimit => "open-files-limit",
            Self::ProcessesLimit => "processes-limit",
            Self::OpenFiles => "open-files",
            Self::Memory => "memory",
            Self::Children => "children",
            Self::OomScore => "oom-score",
        }
    }

    /// Its name in a sentence.
    pub fn words(self) -> &'static str {
        match self {
            Self::CommandLine => "its command line",
            Self::Nice => "its niceness",
            Self::User => "its account",
            Self::OpenFilesLimit => "its limit of open files",
            Self::ProcessesLimit => "its limit of processes",
            Self::OpenFiles => "the count of its open files",
            Self::Memory => "its memory",
            Self::Children => "the count of processes below it",
            Self::OomScore => "its score where memory runs out",
        }
    }

    /// The fact of this name.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|fact| fact.word() == word)
    }
}
