//! The survey: what was measured of this host for the rules.
//!
//! A rule asks; what is not known yet is noted down and counts as unknown, which never refuses anything. The host
//! answers what was asked, and the rules are run again, until they ask nothing new.

use crate::profile::NameAnswer;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

/// One question about this host.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Question {
    /// What is at a path, and what this account may do with it; root where none is named.
    Path {
        /// The path.
        path: String,
        /// The account.
        account: Option<String>,
    },
    /// Whether there is an account of that name.
    User(String),
    /// Whether there is a group of that name.
    Group(String),
    /// Whether a name of a host has an address.
    Resolves(String),
    /// Whether this is an address of this host.
    OwnAddress(IpAddr),
    /// Who listens on a port.
    PortOwners {
        /// The port.
        port: u16,
        /// Whether of UDP.
        udp: bool,
    },
    /// Who listens on a Unix socket.
    SocketHolder(String),
    /// The memory of this host that the daemon can have besides what else runs, in bytes.
    Memory,
    /// The daemon's version.
    Version,
    /// What the installed daemon says of the name of a setting.
    Name {
        /// Which of the profile's ways to ask is taken.
        way: usize,
        /// The name.
        name: String,
        /// The first word of its block.
        block: String,
    },
    /// The names that the installed daemon lists.
    ListedNames,
    /// Which of these names the running program holds, each with a NUL byte behind it, as a C program holds its texts.
    InProgram(Vec<String>),
    /// Whether the manual pages of the daemon describe a setting of this name.
    InManual(String),
    /// The account of the person who types, and its groups.
    InvokingUser,
    /// Where the person who types comes from, and by which address and port of this host.
    Connection,
    /// The accounts of people that may log in, besides root.
    LoginUsers,
    /// Whether an account has a key in one of these files.
    Key {
        /// The account.
        account: String,
        /// The files, with blanks between: from the home folder where they are not absolute, with `%h` and `%u`.
        files: String,
    },
    /// Whether an account has a password.
    Password(String),
    /// How long the certificate in a file is valid, in days from now.
    CertificateDays(String),
    /// The names that the certificate in a file is for.
    CertificateNames(String),
    /// Whether the private key in a file belongs to the certificate in another one.
    KeyFits {
        /// The file of the certificate.
        certificate: String,
        /// The file of the key.
        key: String,
    },
    /// Whether there is a unit of that name.
    Unit(String),
    /// The value in effect of another daemon's setting, as it is and as a number.
    OtherDaemonSetting {
        /// The daemon.
        daemon: String,
        /// Its setting.
        setting: String,
    },
}

/// What is at a path.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PathProperties {
    /// Whether anything is there.
    pub exists: bool,
    /// Whether that is a folder.
    pub folder: bool,
    /// Whether that is a Unix socket.
    pub socket: bool,
    /// Whether it can be run as a program.
    pub program: bool,
    /// Whether the account may read it (of a folder: look into it); none where that cannot be told.
    pub readable: Option<bool>,
    /// Whether the account may write to it (of a folder: make files in it).
    pub writable: Option<bool>,
    /// The innermost folder above it that exists.
    pub standing: String,
}

/// Somebody who listens.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Holder {
    /// On which address; none for all of them.
    pub address: Option<IpAddr>,
    /// The process, in words: its name and number.
    pub process: String,
    /// The unit that it belongs to.
    pub unit: Option<String>,
    /// Whether it belongs to the daemon that is being changed; `None` if this account cannot see whose it is.
    pub ours: Option<bool>,
}

/// What was found out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Answer {
    /// It could not be found out.
    Unknown,
    /// Yes or no.
    Is(bool),
    /// What is at a path.
    Path(PathProperties),
    /// Who listens.
    PortOwners(Vec<Holder>),
    /// An amount.
    Amount(u64),
    /// A time in days from now; in the past where it is negative.
    Days(i64),
    /// What the daemon says of a name.
    Name(NameAnswer),
    /// Words: a version, an account and its groups, accounts.
    Words(Vec<String>),
}

/// What is known of the host, and what was asked for.
#[derive(Debug, Default)]
pub struct Survey {
    known: BTreeMap<Question, Answer>,
    asked: RefCell<BTreeSet<Question>>,
    lacking: Cell<bool>,
}

impl Survey {
    /// What was asked and is not known.
    pub fn open(&self) -> Vec<Question> {
        self.asked.borrow().iter().filter(|question| !self.known.contains_key(question)).cloned().collect()
    }

    /// Whether `compute` lacked an answer: then it may come to something else once there is one.
    pub(crate) fn lacked_by(&self, compute: impl FnOnce()) -> bool {
        self.lacking.set(false);
        compute();
        self.lacking.get()
    }

    /// One more answer.
    pub fn tell(&mut self, question: Question, answer: Answer) {
        self.known.insert(question, answer);
    }

    fn ask(&self, question: Question) -> Option<&Answer> {
        let known = self.known.get(&question);
        if known.is_none() {
            self.lacking.set(true);
            self.asked.borrow_mut().insert(question);
        }
        known.filter(|answer| **answer != Answer::Unknown)
    }

    fn is(&self, question: Question) -> Option<bool> {
        match self.ask(question)? {
            Answer::Is(is) => Some(*is),
            _ => None,
        }
    }

    fn words(&self, question: Question) -> Option<&[String]> {
        match self.ask(question)? {
            Answer::Words(words) => Some(words),
            _ => None,
        }
    }

    /// What is at `path`, and what `account` may do with it.
    pub fn path(&self, path: &str, account: Option<&str>) -> Option<&PathProperties> {
        match self.ask(Question::Path { path: path.into(), account: account.map(str::to_owned) })? {
            Answer::Path(property) => Some(property),
            _ => None,
        }
    }

    /// Whether there is such an account.
    pub fn user(&self, name: &str) -> Option<bool> {
        self.is(Question::User(name.into()))
    }

    /// Whether there is such a group.
    pub fn group(&self, name: &str) -> Option<bool> {
        self.is(Question::Group(name.into()))
    }

    /// Whether the name of a host has an address.
    pub fn resolves(&self, name: &str) -> Option<bool> {
        self.is(Question::Resolves(name.into()))
    }

    /// Whether there is such a unit.
    pub fn unit(&self, name: &str) -> Option<bool> {
        self.is(Question::Unit(name.into()))
    }

    /// Whether this is an address of this host.
    pub fn own(&self, address: IpAddr) -> Option<bool> {
        self.is(Question::OwnAddress(address))
    }

    /// The value in effect of another daemon's setting: as it is, and as a number.
    pub fn elsewhere(&self, daemon: &str, setting: &str) -> Option<(&str, f64)> {
        let words =
            self.words(Question::OtherDaemonSetting { daemon: daemon.into(), setting: setting.into() })?;
        let [value, number] = words else { return None };
        Some((value, number.parse().ok()?))
    }

    /// Who listens on a port.
    pub fn holders(&self, port: u16, udp: bool) -> Option<&[Holder]> {
        match self.ask(Question::PortOwners { port, udp })? {
            Answer::PortOwners(holders) => Some(holders),
            _ => None,
        }
    }

    /// Whether anybody listens on a Unix socket.
    pub fn socket_is_served(&self, path: &str) -> Option<bool> {
        self.is(Question::SocketHolder(path.into()))
    }

    /// The memory that the daemon can have besides what else runs, in bytes.
    pub fn memory(&self) -> Option<u64> {
        match self.ask(Question::Memory)? {
            Answer::Amount(bytes) => Some(*bytes),
            _ => None,
        }
    }

    /// The daemon's version.
    pub fn version(&self) -> Option<&str> {
        self.words(Question::Version)?.first().map(String::as_str)
    }

    /// What the installed daemon says of a name in a block, asked in this way of its profile.
    pub fn name(&self, way: usize, name: &str, block: &str) -> Option<&NameAnswer> {
        match self.ask(Question::Name { way, name: name.into(), block: block.into() })? {
            Answer::Name(answer) => Some(answer),
            _ => None,
        }
    }

    /// The names that the installed daemon lists; `None` if it lists none.
    pub fn listed_names(&self) -> Option<&[String]> {
        self.words(Question::ListedNames)
    }

    /// Which of these names the running program holds. `None` where none runs, or it cannot be read.
    pub fn in_program(&self, names: Vec<String>) -> Option<&[String]> {
        self.words(Question::InProgram(names))
    }

    /// Whether the manual pages of the daemon describe a setting of this name.
    pub fn in_manual(&self, name: &str) -> Option<bool> {
        self.is(Question::InManual(name.into()))
    }

    /// The account of the person who types, and behind it its groups.
    pub fn typist(&self) -> Option<&[String]> {
        self.words(Question::InvokingUser)
    }

    /// How long the certificate in a file is valid, in days from now; negative where it has run out. `None` where the
    /// file is none, or cannot be read.
    pub fn certificate_days(&self, path: &str) -> Option<i64> {
        match self.ask(Question::CertificateDays(path.into()))? {
            Answer::Days(days) => Some(*days),
            _ => None,
        }
    }

    /// The names that the certificate in a file is for.
    pub fn certificate_names(&self, path: &str) -> Option<&[String]> {
        self.words(Question::CertificateNames(path.into()))
    }

    /// Whether the private key in a file belongs to the certificate in another one.
    pub fn key_fits(&self, certificate: &str, key: &str) -> Option<bool> {
        self.is(Question::KeyFits { certificate: certificate.into(), key: key.into() })
    }

    /// Where the person who types comes from, and by which address and port of this host.
    pub fn connection(&self) -> Option<&[String]> {
        self.words(Question::Connection)
    }

    /// Whether an account has a key in one of these files.
    pub fn has_key(&self, account: &str, files: &str) -> Option<bool> {
        self.is(Question::Key { account: account.into(), files: files.into() })
    }

    /// Whether an account has a password.
    pub fn has_password(&self, account: &str) -> Option<bool> {
        self.is(Question::Password(account.into()))
    }

    /// The accounts besides root that may log in, each with its groups behind it.
    pub fn people(&self) -> Option<&[String]> {
        self.words(Question::LoginUsers)
    }
}
