//! Health checks as a profile has them: a table of which one key says what is looked at.

use super::bad_words::BadWords;
use super::{Check, Dns, Expect, FileProperty, Http, Probe, Property, Ssh, Tls};
use crate::profile::Argv;
use crate::text::nearest;
use jiff::SignedDuration;
use serde::{Deserialize, Deserializer};

/// How long a check may fail at first, where nothing is said.
const PATIENCE: SignedDuration = SignedDuration::from_secs(5);
/// How long one try may take, where nothing is said.
const LIMIT: SignedDuration = SignedDuration::from_secs(5);

/// A health check as it is written: which key stands there says what is looked at.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default, rename_all = "kebab-case")]
pub(super) struct RawCheck {
    name: Option<String>,
    patience: Option<SignedDuration>,
    steady: Option<SignedDuration>,
    limit: Option<SignedDuration>,
    times: Option<u32>,
    tcp: Option<String>,
    greeting: Option<String>,
    http: Option<String>,
    tls: Option<String>,
    dns: Option<String>,
    ssh: Option<String>,
    process: Option<String>,
    log: Option<String>,
    file: Option<String>,
    run: Option<Argv>,
    status: Option<i32>,
    is: Option<Scalar>,
    contains: Option<String>,
    prints: Option<String>,
    lacks: Option<String>,
    at_least: Option<Scalar>,
    at_most: Option<Scalar>,
    sends: Option<String>,
    at: Option<String>,
    host: Option<String>,
    ca: Option<String>,
    proxy: Option<String>,
    follow: bool,
    #[serde(default)]
    unverified: bool,
    #[serde(default)]
    as_before: bool,
    header: Option<String>,
    certifies: Option<String>,
    days: Option<u32>,
    key: Option<String>,
    #[serde(rename = "type")]
    kind: Option<String>,
    says: Option<String>,
    user: Option<String>,
    offers: Option<String>,
    withholds: Option<String>,
    refused: bool,
    absent: bool,
    owner: Option<String>,
    mode: Option<String>,
    younger: Option<SignedDuration>,
}

/// A text, or a number for which nobody types quotes.
#[derive(Clone, Debug, Deserialize)]
#[serde(untagged)]
enum Scalar {
    Text(String),
    Number(i64),
}

impl Scalar {
    fn text(self) -> String {
        match self {
            Self::Text(text) => text,
            Self::Number(number) => number.to_string(),
        }
    }
}

/// What may be looked at, each with the words that go with it.
pub(super) const KINDS: [(&str, &[&str]); 10] = [
    (
        "http",
        &[
            "status",
            "contains",
            "lacks",
            "header",
            "at",
            "host",
            "ca",
            "proxy",
            "follow",
            "unverified",
            "as-before",
        ],
    ),
    ("tcp", &["refused"]),
    ("greeting", &["sends", "contains", "lacks", "is"]),
    ("tls", &["certifies", "days", "key", "ca"]),
    ("dns", &["at", "type", "says"]),
    ("ssh", &["user", "offers", "withholds", "key", "refused"]),
    ("process", &["is", "contains", "lacks", "at-least", "at-most"]),
    ("log", &["contains", "lacks"]),
    ("file", &["absent", "owner", "mode", "younger", "contains", "lacks", "is"]),
    ("run", &["status", "prints", "contains", "lacks", "is", "at-least", "at-most"]),
];

/// The words that go with all of them.
pub(super) const COMMON: [&str; 5] = ["name", "patience", "steady", "limit", "times"];

/// A check that is read from the form in which it is written.
#[derive(Deserialize)]
#[serde(try_from = "RawCheck")]
struct CheckedRaw(Check);

impl TryFrom<RawCheck> for CheckedRaw {
    type Error = BadWords;

    fn try_from(written: RawCheck) -> Result<Self, BadWords> {
        written.check().map(Self)
    }
}

/// Reads the health checks of a profile.
pub fn checks<'de, D: Deserializer<'de>>(source: D) -> Result<Vec<Check>, D::Error> {
    let written = Vec::<CheckedRaw>::deserialize(source)?;
    Ok(written.into_iter().map(|CheckedRaw(check)| check).collect())
}

/// What a reading looks at, of which one is given, without anything that is expected.
pub fn source(process: Option<String>, run: Option<Argv>, http: Option<String>) -> Result<Probe, BadWords> {
    RawCheck { process, run, http, ..RawCheck::default() }.check().map(|check| check.probe)
}

impl RawCheck {
    /// Of an HTTP answer.
    pub(super) fn of_http(url: String) -> Self {
        Self { http: Some(url), ..Self::default() }
    }

    /// Of a connection.
    pub(super) fn of_tcp(at: String) -> Self {
        Self { tcp: Some(at), ..Self::default() }
    }

    fn kinds(&self) -> Vec<&'static str> {
        let there = [
            self.http.is_some(),
            self.tcp.is_some(),
            self.greeting.is_some(),
            self.tls.is_some(),
            self.dns.is_some(),
            self.ssh.is_some(),
            self.process.is_some(),
            self.log.is_some(),
            self.file.is_some(),
            self.run.is_some(),
        ];
        KINDS.iter().zip(there).filter(|(_, there)| *there).map(|((kind, _), _)| *kind).collect()
    }

    /// The words that stand there besides the common ones and the kind itself.
    fn words(&self) -> Vec<&'static str> {
        let there: [(&str, bool); 29] = [
            ("status", self.status.is_some()),
            ("is", self.is.is_some()),
            ("contains", self.contains.is_some()),
            ("prints", self.prints.is_some()),
            ("lacks", self.lacks.is_some()),
            ("at-least", self.at_least.is_some()),
            ("at-most", self.at_most.is_some()),
            ("sends", self.sends.is_some()),
            ("at", self.at.is_some()),
            ("host", self.host.is_some()),
            ("ca", self.ca.is_some()),
            ("proxy", self.proxy.is_some()),
            ("follow", self.follow),
            ("unverified", self.unverified),
            ("as-before", self.as_before),
            ("header", self.header.is_some()),
            ("certifies", self.certifies.is_some()),
            ("days", self.days.is_some()),
            ("key", self.key.is_some()),
            ("type", self.kind.is_some()),
            ("says", self.says.is_some()),
            ("user", self.user.is_some()),
            ("offers", self.offers.is_some()),
            ("withholds", self.withholds.is_some()),
            ("refused", self.refused),
            ("absent", self.absent),
            ("owner", self.owner.is_some()),
            ("mode", self.mode.is_some()),
            ("younger", self.younger.is_some()),
        ];
        there.into_iter().filter(|(_, there)| *there).map(|(word, _)| word).collect()
    }

    pub(super) fn check(self) -> Result<Check, BadWords> {
        let kinds = self.kinds();
        let [kind] = kinds.as_slice() else {
            let all = KINDS.map(|(kind, _)| kind).join(", ");
            return Err(BadWords(format!("a health check has exactly one of {all}")));
        };
        let known = KINDS.iter().find(|(one, _)| one == kind).map_or(&[][..], |(_, known)| *known);
        if let Some(strange) = self.words().into_iter().find(|word| !known.contains(word)) {
            return Err(BadWords(format!("{strange} does not go with {kind}")));
        }
        let ms = |time: SignedDuration| {
            u64::try_from(time.as_millis()).map_err(|_| "a time is never negative".to_owned())
        };
        let patience_ms = ms(self.patience.unwrap_or(PATIENCE))?;
        let limit_ms = ms(self.limit.unwrap_or(LIMIT))?;
        let steady_ms = self.steady.map(ms).transpose()?;
        let (name, times) = (self.name.clone(), self.times.unwrap_or(1));
        if times == 0 {
            return Err(BadWords("times counts from 1".into()));
        }
        let (title, probe) = self.probe(kind)?;
        Ok(Check { name: name.unwrap_or(title), probe, patience_ms, steady_ms, limit_ms, times })
    }

    fn probe(self, kind: &str) -> Result<(String, Probe), BadWords> {
        let expect = Expect {
            is: self.is.map(Scalar::text),
            contains: self.contains.or(self.prints),
            lacks: self.lacks,
            at_least: self.at_least.map(Scalar::text),
            at_most: self.at_most.map(Scalar::text),
        };
        let text = |text: Option<String>| text.unwrap_or_default();
        Ok(match kind {
            "tcp" => {
                let at = text(self.tcp);
                (format!("tcp {at}"), Probe::Tcp { at, refused: self.refused })
            }
            "greeting" => {
                let at = text(self.greeting);
                (format!("greeting of {at}"), Probe::Greeting { at, sends: self.sends, expect })
            }
            "http" => {
                let url = text(self.http);
                if !url.starts_with("http://") && !url.starts_with("https://") {
                    return Err(BadWords(format!("only http:// and https:// can be asked, not {url:?}")));
                }
                let status = self.status.map(u16::try_from).transpose();
                let status = status.map_err(|_| "an HTTP status has three digits".to_owned())?;
                let through = self.proxy.as_deref().map_or(String::new(), |proxy| {
                    format!(" through {}", proxy.rsplit(['@', '/']).next().unwrap_or(proxy))
                });
                let Self { at, host, ca, proxy, follow, unverified, as_before, header, .. } = self;
                let whatever = if unverified { " unverified" } else { "" };
                let title = format!("http {url}{through}{whatever}");
                let also = None;
                let http = Http {
                    url,
                    at,
                    host,
                    ca,
                    proxy,
                    follow,
                    status,
                    unverified,
                    as_before,
                    also,
                    header,
                    expect,
                };
                (title, Probe::Http(http))
            }
            "tls" => {
                let at = text(self.tls);
                let Self { certifies: name, days, key, ca, .. } = self;
                let title = format!("certificate of {at}");
                (title, Probe::Tls(Tls { at, name, days: days.unwrap_or(0), key, ca }))
            }
            "dns" => {
                let name = text(self.dns);
                let at = self.at.ok_or("dns wants the server: at 127.0.0.1")?;
                let kind = self.kind.unwrap_or_else(|| "A".into()).to_uppercase();
                (format!("dns {name}"), Probe::Dns(Dns { name, at, kind, says: self.says }))
            }
            "ssh" => {
                let Self { ssh, user, offers, withholds, key, refused, .. } = self;
                let (at, user) = (text(ssh), user.ok_or("ssh wants to know who wants in: user NAME")?);
                let title = format!("ssh {user} at {at}");
                (title, Probe::Ssh(Ssh { at, user, offers, withholds, key, refused }))
            }
            "process" => {
                let word = text(self.process);
                let property = Property::named(&word).ok_or_else(|| {
                    let known = Property::ALL;
                    let known = known.each_ref().map(Property::word);
                    let near = nearest(&word, known);
                    let near = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
                    format!(
                        "nothing called {word:?} is known of a process: {near}There are {}, and options such as -Xmx",
                        known.join(", ")
                    )
                })?;
                (format!("process {word}"), Probe::Process { property, expect })
            }
            "log" => {
                let file = Some(text(self.log)).filter(|file| file != "journal");
                if file.as_ref().is_some_and(|file| !file.starts_with('/')) {
                    return Err(BadWords("a log is \"journal\" or an absolute path".into()));
                }
                let title = file.clone().unwrap_or_else(|| "journal".into());
                (format!("log {title}"), Probe::Log { file, expect })
            }
            "file" => {
                let path = text(self.file);
                if !path.starts_with('/') {
                    return Err(BadWords(format!("a file must be an absolute path, not {path:?}")));
                }
                let younger_ms = self.younger.map(|time| u64::try_from(time.as_millis())).transpose();
                let younger_ms = younger_ms.map_err(|_| "a time is never negative")?;
                let Self { absent, owner, mode, .. } = self;
                let title = format!("file {path}");
                (title, Probe::File(FileProperty { path, absent, owner, mode, younger_ms, expect }))
            }
            _ => {
                let run = self.run.unwrap_or_default();
                let program = run.first().ok_or("a command has no words")?;
                if !program.starts_with('/') {
                    return Err(BadWords(format!(
                        "the program of a command must be an absolute path, not {program:?}"
                    )));
                }
                let title = program.rsplit('/').next().unwrap_or(program).to_owned();
                (title, Probe::Command { status: self.status.unwrap_or(0), run, expect })
            }
        })
    }
}

impl Check {
    fn plain(name: String, probe: Probe) -> Self {
        let ms = |time: SignedDuration| time.as_millis() as u64;
        Self { name, probe, patience_ms: ms(PATIENCE), steady_ms: None, limit_ms: ms(LIMIT), times: 1 }
    }

    /// The check that a daemon's service runs; every daemon with a service has it.
    pub fn of_service(name: &str) -> Self {
        Self::plain(name.into(), Probe::Service)
    }

    /// The check that another entry of its manager is up with it.
    pub fn of_unit(name: &str) -> Self {
        Self::plain(name.into(), Probe::Unit { name: name.into() })
    }

    /// The check that somebody listens where the daemon wants to.
    pub fn listens(address: Option<String>, port: u16, udp: bool) -> Self {
        let kind = if udp { "UDP port" } else { "port" };
        let name = match &address {
            Some(address) => format!("{kind} {port} of {address}"),
            None => format!("{kind} {port}"),
        };
        Self::plain(name, Probe::Listens { address, port, udp })
    }

    /// A check of something that is looked at and expected of it.
    pub fn expected(name: &str, probe: Probe) -> Self {
        Self::plain(name.into(), probe)
    }
}
