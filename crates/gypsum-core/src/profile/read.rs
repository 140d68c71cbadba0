//! Reading a profile, with the place of whatever is wrong in it.

use super::schema::{Argv, Check, Probe, Profile};
use crate::text::{line_span, place_of};
use jiff::SignedDuration;
use serde::{Deserialize, Deserializer};
use std::fmt;

/// Why a text is not a profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ProfileError {
    /// What is wrong.
    pub message: String,
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1.
    pub column: u32,
    /// The line itself.
    pub text: String,
}

impl fmt::Display for ProfileError {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "line {}, column {}: {}", self.line, self.column, self.message)
    }
}

/// Reads a profile.
pub fn read(text: &str) -> Result<Profile, ProfileError> {
    let failed = |message: String, at: usize| {
        let place = place_of(text.as_bytes(), at);
        let line = line_span(text.as_bytes(), at).of(text.as_bytes());
        ProfileError {
            message,
            line: place.line,
            column: place.column,
            text: String::from_utf8_lossy(line).into_owned(),
        }
    };
    let profile: Profile = toml::from_str(text)
        .map_err(|error| failed(one_line(error.message()), error.span().map_or(0, |span| span.start)))?;
    match amiss(&profile) {
        Some((what, word)) => Err(failed(what, text.find(&word).unwrap_or(0))),
        None => Ok(profile),
    }
}

fn one_line(message: &str) -> String {
    message.split('\n').map(str::trim).filter(|line| !line.is_empty()).collect::<Vec<_>>().join("; ")
}

/// What no field by itself can be blamed for: the message, and a word of the text to point at.
fn amiss(profile: &Profile) -> Option<(String, String)> {
    let relative = |what: &str, path: &str| {
        let word = path.to_owned();
        (!path.starts_with('/')).then(|| (format!("{what} must be an absolute path, not {path:?}"), word))
    };
    let argvs = profile.checker.iter().map(|checker| &checker.run);
    let plain = profile.service.plain.iter();
    let commands = argvs.chain(plain.clone().map(|plain| &plain.start)).chain(
        profile.health.iter().filter_map(|check| match &check.probe {
            Probe::Command { run, .. } => Some(run),
            _ => None,
        }),
    );
    if !profile.service.unit.is_empty() && profile.service.plain.is_some() {
        return Some(("a service has either unit or plain, not both".into(), "plain".into()));
    }
    if profile.files.read.is_empty() {
        return Some(("read names no file".into(), "read".into()));
    }
    for mark in profile.dialect.comments.iter().chain(&profile.dialect.inline_comments) {
        if mark.is_empty() {
            return Some(("a comment mark is empty".into(), "comments".into()));
        }
    }
    let paths = profile.files.read.iter().chain([&profile.files.home]);
    paths
        .filter_map(|path| relative("a file", path))
        .chain(plain.filter_map(|plain| relative("pid-file", &plain.pid_file)))
        .chain(commands.filter_map(|argv| match argv.first() {
            None => Some(("a command has no words".into(), "[]".into())),
            Some(program) => relative("the program of a command", program),
        }))
        .next()
}

/// How long a check may fail at first, where nothing is said.
const PATIENCE: SignedDuration = SignedDuration::from_secs(5);
/// How long one try may take, where nothing is said.
const LIMIT: SignedDuration = SignedDuration::from_secs(5);

/// A health check as it is written: which key stands there says what is looked at.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct Written {
    name: Option<String>,
    tcp: Option<String>,
    http: Option<String>,
    run: Option<Argv>,
    status: Option<i32>,
    contains: Option<String>,
    prints: Option<String>,
    patience: Option<SignedDuration>,
    limit: Option<SignedDuration>,
}

/// A check that is read from the form in which it is written.
#[derive(Deserialize)]
#[serde(try_from = "Written")]
struct AsWritten(Check);

impl TryFrom<Written> for AsWritten {
    type Error = String;

    fn try_from(written: Written) -> Result<Self, String> {
        Check::try_from(written).map(Self)
    }
}

/// Reads the health checks of a profile.
pub fn checks<'de, D: Deserializer<'de>>(source: D) -> Result<Vec<Check>, D::Error> {
    let written = Vec::<AsWritten>::deserialize(source)?;
    Ok(written.into_iter().map(|AsWritten(check)| check).collect())
}

impl TryFrom<Written> for Check {
    type Error = String;

    fn try_from(written: Written) -> Result<Self, String> {
        let Written { name, tcp, http, run, status, contains, prints, patience, limit } = written;
        let strange = |what: &str| Err(format!("{what} does not go with this health check"));
        if contains.is_some() && http.is_none() {
            return strange("contains");
        }
        if prints.is_some() && run.is_none() {
            return strange("prints");
        }
        if status.is_some() && tcp.is_some() {
            return strange("status");
        }
        let (title, probe) = match (tcp, http, run) {
            (Some(at), None, None) => (format!("tcp {at}"), Probe::Tcp { at }),
            (None, Some(url), None) => {
                if !url.starts_with("http://") {
                    return Err(format!("only http:// can be asked, not {url:?}"));
                }
                let status = status.map(u16::try_from).transpose();
                let status = status.map_err(|_| "an HTTP status has three digits".to_owned())?;
                (format!("http {url}"), Probe::Http { url, status, contains })
            }
            (None, None, Some(run)) => {
                let title = run.first().map_or(String::new(), |program| {
                    program.rsplit('/').next().unwrap_or(program).to_owned()
                });
                (title, Probe::Command { run, status: status.unwrap_or(0), prints })
            }
            _ => return Err("a health check has exactly one of tcp, http, run".into()),
        };
        let ms = |given: Option<SignedDuration>, usual: SignedDuration| {
            u64::try_from(given.unwrap_or(usual).as_millis())
                .map_err(|_| "a time is never negative".to_owned())
        };
        Ok(Self {
            name: name.unwrap_or(title),
            probe,
            patience_ms: ms(patience, PATIENCE)?,
            limit_ms: ms(limit, LIMIT)?,
        })
    }
}

impl Check {
    /// The check that a daemon's service runs; every daemon with a service has it.
    pub fn of_service(name: &str) -> Self {
        let ms = |time: SignedDuration| time.as_millis() as u64;
        Self { name: name.into(), probe: Probe::Service, patience_ms: ms(PATIENCE), limit_ms: ms(LIMIT) }
    }

    /// The check that somebody listens where the daemon wants to.
    pub fn listens(address: Option<String>, port: u16, udp: bool) -> Self {
        let kind = if udp { "UDP port" } else { "port" };
        let name = match &address {
            Some(address) => format!("{kind} {port} of {address}"),
            None => format!("{kind} {port}"),
        };
        let ms = |time: SignedDuration| time.as_millis() as u64;
        Self {
            name,
            probe: Probe::Listens { address, port, udp },
            patience_ms: ms(PATIENCE),
            limit_ms: ms(LIMIT),
        }
    }

    /// A check given on the command line: `http://…`, `HOST:PORT`, or a port of this host.
    pub fn parse_word(word: &str) -> Result<Self, String> {
        let written = if word.contains("://") {
            Written { http: Some(word.into()), ..Written::default() }
        } else if word.parse::<u16>().is_ok() {
            Written { tcp: Some(format!("127.0.0.1:{word}")), ..Written::default() }
        } else if word
            .rsplit_once(':')
            .is_some_and(|(host, port)| !host.is_empty() && port.parse::<u16>().is_ok())
        {
            Written { tcp: Some(word.into()), ..Written::default() }
        } else {
            return Err(format!("{word:?} is neither a URL, nor HOST:PORT, nor a port"));
        };
        Self::try_from(written)
    }
}
