//! The survey of this host: what the rules ask, looked up.

mod answers;
mod certificates;
mod endpoints;
mod logins;
mod manual;
mod name_list;
mod names;
mod people;
mod place;
mod program;

use crate::background::Background;
use crate::children;
use crate::error::Error;
use crate::files::{Loading, Overlay, resolved};
use endpoints::Endpoints;
use gypsum_core::check::{CheckingFiles, worst_first};
use gypsum_core::finding::Finding;
use gypsum_core::profile::{Profile, Service};
use gypsum_core::service::{Observation, State};
use gypsum_core::survey::{Answer, Question, Survey};
pub use logins::password_lets_in;
pub use manual::described;
pub use name_list::listed;
pub use names::{asked_anew, known_name};
use procfs::Current;
use std::net::{IpAddr, ToSocketAddrs, UdpSocket};
use std::path::Path;
use std::sync::mpsc;
use std::time::Duration;

/// How long the name of a host may take to be looked up.
const LOOK_UP: Duration = Duration::from_millis(1_500);
/// How long a daemon may take to tell its version.
const VERSION: Duration = Duration::from_secs(5);
/// After so many rounds of questions no more are answered: they do not come to an end.
const ROUNDS: usize = 4;

/// What is looked up of a daemon's host while its files are read.
pub struct Early {
    service: Background<Result<(Service, Observation), Error>>,
    endpoints: Background<Endpoints>,
}

impl Early {
    /// Begins to look for the service of a daemon, and for who listens here.
    pub fn begin(profile: &Profile) -> Self {
        let service = profile.service.clone();
        Self {
            service: Background::begin(move || crate::service::find(&service)),
            endpoints: endpoints_of(profile),
        }
    }

    /// The service, and how it was when it was looked up; waits for it.
    pub fn service(&self) -> Result<(Service, Observation), Error> {
        self.service.get().clone()
    }

    /// How the service was; as if there were none where it cannot be found.
    fn seen(&self) -> (Service, Observation) {
        let nobody = |_| (Service::default(), Observation::only(State::Missing));
        self.service().unwrap_or_else(nobody)
    }
}

fn endpoints_of(profile: &Profile) -> Background<Endpoints> {
    if profile.listen.is_empty() {
        Background::when_wanted(Endpoints::take)
    } else {
        Background::begin(Endpoints::take)
    }
}

/// This host, asked on behalf of one daemon.
pub struct Host<'a> {
    profile: &'a Profile,
    early: &'a Early,
    overlay: &'a Overlay,
    who: &'a str,
}

impl<'a> Host<'a> {
    /// Asks for this daemon; what was looked up `early` is used; `overlay` is what will be there besides what is, and `who` is typing.
    pub fn new(profile: &'a Profile, early: &'a Early, overlay: &'a Overlay, who: &'a str) -> Self {
        Self { profile, early, overlay, who }
    }

    /// Runs `compute` until it asks nothing new, and answers its questions in between.
    pub fn answer<T>(&self, survey: &mut Survey, mut compute: impl FnMut(&Survey) -> T) -> T {
        let mut result = compute(survey);
        for _ in 0..ROUNDS {
            let open = survey.open();
            if open.is_empty() {
                break;
            }
            for (question, answer) in self.look_up(open) {
                survey.tell(question, answer);
            }
            result = compute(survey);
        }
        result
    }

    fn look_up(&self, open: Vec<Question>) -> Vec<(Question, Answer)> {
        // Names take their time: they are looked up side by side, and as long as all of them may take together.
        let names: Vec<String> = open
            .iter()
            .filter_map(|question| match question {
                Question::Resolves(name) => Some(name.clone()),
                _ => None,
            })
            .collect();
        let mut answers = resolve(names);
        for question in open {
            if !matches!(question, Question::Resolves(_)) {
                let answer = self.one(&question);
                answers.push((question, answer));
            }
        }
        answers
    }

    fn one(&self, question: &Question) -> Answer {
        match question {
            Question::Path { path, account } => self.path(path, account.as_deref()),
            Question::User(name) => Answer::Is(crate::accounts::user(name).is_some()),
            Question::Group(name) => Answer::Is(crate::accounts::group(name).is_some()),
            Question::OwnAddress(address) => own_address(*address),
            Question::PortOwners { port, udp } => {
                Answer::PortOwners(self.early.endpoints.get().holders(*port, *udp, &self.early.seen()))
            }
            Question::SocketHolder(path) => Answer::Is(self.early.endpoints.get().serves(path)),
            Question::Memory => self.memory(),
            Question::Version => self.version(),
            Question::Name { way, name, block } => match self.profile.ask.get(*way) {
                Some(ask) => names::ask(ask, name, block),
                None => Answer::Unknown,
            },
            Question::ListedNames => name_list::listed(self.profile)
                .map_or(Answer::Unknown, |(_, listed)| {
                    Answer::Words(listed.into_iter().map(|one| one.name).collect())
                }),
            Question::InProgram(names) => program::holds(&self.early.seen().1, names),
            Question::InManual(name) => match self.profile.manual.as_slice() {
                [] => Answer::Unknown,
                pages => Answer::Is(described(pages, name).is_some()),
            },
            Question::InvokingUser => people::typist(self.who),
            Question::Connection => crate::who::connection().map_or(Answer::Unknown, Answer::Words),
            Question::LoginUsers => people::people(),
            Question::Key { account, files } => people::key(account, files),
            Question::Password(account) => people::password(account),
            Question::CertificateDays(path) => certificates::days(path),
            Question::CertificateNames(path) => certificates::names_in(path),
            Question::KeyFits { certificate, key } => certificates::key_fits(certificate, key),
            Question::Unit(name) => crate::service::unit_exists(name).map_or(Answer::Unknown, Answer::Is),
            Question::OtherDaemonSetting { daemon, setting } => {
                elsewhere(daemon, setting).unwrap_or(Answer::Unknown)
            }
            Question::Resolves(_) => Answer::Unknown,
        }
    }

    fn path(&self, path: &str, account: Option<&str>) -> Answer {
        let placed = self.overlay.get(&resolved(Path::new(path)));
        match placed {
            Some(Some(_)) => Answer::Path(place::to_be(path)),
            Some(None) => Answer::Path(place::gone(path)),
            // What the service manager makes at each start is not there while the service is stopped.
            None if path.starts_with("/run/") && !Path::new(path).exists() && !self.runs() => Answer::Unknown,
            None => place::look(path, account),
        }
    }

    fn runs(&self) -> bool {
        self.early.seen().1.state.is_up()
    }

    /// What is free or can be freed, and what the daemon itself holds now.
    fn memory(&self) -> Answer {
        let Some(free) = procfs::Meminfo::current().ok().and_then(|memory| memory.mem_available) else {
            return Answer::Unknown;
        };
        Answer::Amount(free + crate::service::memory(&self.early.seen().1))
    }

    fn version(&self) -> Answer {
        let Some(argv) = self.profile.version.as_ref() else { return Answer::Unknown };
        let Ok(ran) = children::run_interruptible(argv, VERSION) else { return Answer::Unknown };
        let text = format!("{} {}", ran.out, ran.err);
        let number = |word: &str| {
            let start = word.find(|c: char| c.is_ascii_digit())?;
            let rest = &word[start..];
            let end = rest.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len());
            Some(rest[..end].trim_end_matches('.').to_owned()).filter(|number| number.contains('.'))
        };
        text.split_whitespace()
            .find_map(number)
            .map_or(Answer::Unknown, |version| Answer::Words(vec![version]))
    }
}

/// The value in effect of another daemon's setting.
fn elsewhere(daemon: &str, name: &str) -> Option<Answer> {
    let profile = crate::profiles::load(daemon, None).ok()?;
    let loading = crate::files::load(&profile, None).ok()?;
    let value = loading.layers(&profile).value(&loading.files, &profile, name)?;
    let (_, setting) = profile.setting(name)?;
    let number = profile.values.number(setting, &value)?;
    Some(Answer::Words(vec![value, number.to_string()]))
}

/// Whether this host has the address: whether a socket can be bound to it.
fn own_address(address: IpAddr) -> Answer {
    match UdpSocket::bind((address, 0)) {
        Ok(_) => Answer::Is(true),
        Err(error) if error.kind() == std::io::ErrorKind::AddrNotAvailable => Answer::Is(false),
        Err(_) => Answer::Unknown,
    }
}

fn resolve(names: Vec<String>) -> Vec<(Question, Answer)> {
    let (send, receive) = mpsc::channel();
    let mut count = 0;
    for name in names {
        let send = send.clone();
        // What nobody looks up has no answer.
        let begun = std::thread::Builder::new().spawn(move || {
            let known = (name.as_str(), 0).to_socket_addrs().is_ok_and(|mut found| found.next().is_some());
            // Nobody may be waiting any more.
            let _ = send.send((name, known));
        });
        count += usize::from(begun.is_ok());
    }
    let end = std::time::Instant::now() + LOOK_UP;
    let mut answers = Vec::new();
    while answers.len() < count {
        let left = end.saturating_duration_since(std::time::Instant::now());
        let Ok((name, known)) = receive.recv_timeout(left) else { break };
        answers.push((Question::Resolves(name), Answer::Is(known)));
    }
    answers
}

/// What our own rules say of a daemon's files as they are, the worst first.
pub fn check_standing(profile: &Profile, loading: &Loading, early: &Early) -> Vec<Finding> {
    let (overlay, layers, who) = (Overlay::new(), loading.layers(profile), crate::who::login_name());
    let host = Host::new(profile, early, &overlay, &who);
    let mut survey = Survey::default();
    let nothing_known = Survey::default();
    let mut checking = CheckingFiles::of(loading.config_view(&layers, profile, &nothing_known));
    let mut findings = host.answer(&mut survey, |survey| checking.round(survey));
    worst_first(&mut findings);
    findings
}
