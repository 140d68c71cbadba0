//! A host as a test describes it: the answers to what the rules ask, a line each.

use gypsum_core::profile::NameAnswer;
use gypsum_core::survey::{Answer, Holder, PathProperties, Question, Survey};

/// What is said of the host. What no line is about is not there: a path, an account, an address, a key. The daemon
/// knows all names, but for those that a line calls `strange` or `removed`; `unknown names`: it cannot be asked.
pub struct Host<'a>(pub &'a [&'a str]);

impl Host<'_> {
    /// The words behind the first line that begins so.
    fn of(&self, begin: &[&str]) -> Option<Vec<&str>> {
        self.0.iter().find_map(|line| {
            let words: Vec<&str> = line.split(' ').collect();
            words.starts_with(begin).then(|| words[begin.len()..].to_vec())
        })
    }

    fn is(&self, begin: &[&str]) -> Answer {
        Answer::Is(self.of(begin).is_some())
    }

    fn words(&self, begin: &[&str]) -> Answer {
        let owned = |words: Vec<&str>| words.into_iter().map(str::to_owned).collect();
        self.of(begin).map_or(Answer::Unknown, |words| Answer::Words(owned(words)))
    }

    fn number(&self, begin: &[&str]) -> Option<i64> {
        self.of(begin).map(|words| words[0].parse().unwrap())
    }

    fn path(&self, path: &str, account: Option<&str>) -> Answer {
        let Some(words) = self.of(&["path", path]) else {
            let above = path.rsplit_once('/').map_or("/", |(above, _)| above);
            let standing = if self.of(&["path", above]).is_some() { above } else { "/" };
            return Answer::Path(PathProperties { standing: standing.into(), ..PathProperties::default() });
        };
        let has = |word: &str| words.contains(&word);
        Answer::Path(PathProperties {
            exists: true,
            folder: has("folder"),
            socket: has("socket"),
            program: has("program"),
            readable: Some(account.is_none() || !has("hidden")),
            writable: Some(account.is_none() || !has("fixed")),
            standing: path.into(),
        })
    }

    /// `port 80 tcp NAME ours|other|unseen [ADDRESS]`, any number of them.
    fn holders(&self, port: u16, udp: bool) -> Vec<Holder> {
        let (port, kind) = (port.to_string(), if udp { "udp" } else { "tcp" });
        let lines = self.0.iter().map(|line| line.split(' ').collect::<Vec<_>>());
        let here = lines.filter(|words| words.starts_with(&["port", &port, kind]));
        here.map(|words| Holder {
            process: format!("{} (7)", words[3]),
            ours: match words[4] {
                "ours" => Some(true),
                "other" => Some(false),
                _ => None,
            },
            address: words.get(5).map(|address| address.parse().unwrap()),
            unit: words.get(6).map(|unit| (*unit).to_owned()),
        })
        .collect()
    }

    /// The answer to one question.
    pub fn answer(&self, question: &Question) -> Answer {
        match question {
            Question::Path { path, account } => self.path(path, account.as_deref()),
            Question::User(name) => self.is(&["user", name]),
            Question::Group(name) => self.is(&["group", name]),
            Question::Resolves(name) => self.is(&["resolves", name]),
            Question::OwnAddress(address) => self.is(&["own", &address.to_string()]),
            Question::PortOwners { port, udp } => Answer::PortOwners(self.holders(*port, *udp)),
            Question::SocketHolder(path) => self.is(&["served", path]),
            Question::Memory => match self.number(&["memory"]) {
                Some(bytes) => Answer::Amount(bytes as u64),
                None => Answer::Unknown,
            },
            Question::Version => self.words(&["version"]),
            Question::Name { .. } if self.of(&["unknown", "names"]).is_some() => Answer::Unknown,
            Question::Name { name, .. } => {
                Answer::Name(match (self.of(&["strange", name]), self.of(&["removed", name])) {
                    (Some(_), _) => NameAnswer::Unknown(None),
                    (_, Some(said)) => NameAnswer::Removed(said.join(" ")),
                    (None, None) => NameAnswer::Known,
                })
            }
            Question::ListedNames => self.words(&["lists"]),
            Question::InProgram(names) => match self.of(&["holds"]) {
                Some(held) => {
                    let held = names.iter().filter(|name| held.contains(&name.as_str()));
                    Answer::Words(held.cloned().collect())
                }
                None => Answer::Unknown,
            },
            Question::InManual(name) => self.is(&["manual", name]),
            Question::InvokingUser => self.words(&["typist"]),
            Question::Connection => self.words(&["from"]),
            Question::LoginUsers => match self.of(&["people"]) {
                // Each is written `name:group:group`.
                Some(people) => Answer::Words(people.iter().map(|one| one.replace(':', " ")).collect()),
                None => Answer::Unknown,
            },
            Question::Key { account, .. } => self.is(&["key", account]),
            Question::Password(account) => self.is(&["password", account]),
            Question::CertificateDays(path) => match self.number(&["valid", path]) {
                Some(days) => Answer::Days(days),
                None => Answer::Unknown,
            },
            Question::CertificateNames(path) => self.words(&["names", path]),
            Question::KeyFits { certificate, key } => self.is(&["fits", certificate, key]),
            Question::Unit(name) => self.is(&["unit", name]),
            Question::OtherDaemonSetting { daemon, setting } => self.words(&["elsewhere", daemon, setting]),
        }
    }

    /// Asks until nothing is open. As often as that takes, and no more than a host does.
    pub fn settle<T>(&self, mut round: impl FnMut(&Survey) -> T) -> T {
        let mut survey = Survey::default();
        for _ in 0..20 {
            let found = round(&survey);
            let open = survey.open();
            if open.is_empty() {
                return found;
            }
            for question in open {
                let answer = self.answer(&question);
                survey.tell(question, answer);
            }
        }
        panic!("the rules ask without an end");
    }
}
