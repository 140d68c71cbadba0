//! Health checks: what is looked at, and what is expected of it. The host looks; this says what for. One kind a file;
//! `kind.rs` has the list of those that people write.

mod answer;
mod bad_words;
mod command;
mod dns;
mod expect;
mod file;
mod greeting;
mod handshake;
mod http;
mod kind;
mod log;
mod logged;
mod process;
mod property;
mod replay;
mod sentence;
mod sockets;
mod ssh;
mod table;
mod talk;
mod tcp;
mod tls;

pub use answer::{Answer, Aspect, Difference, Grade, Measure};
pub use bad_words::BadWords;
pub use command::Command;
pub use dns::{Dns, DnsAnswer};
pub use expect::{Expect, Mismatch, same_value};
pub use file::FileProperty;
pub use greeting::Greeting;
pub use handshake::{Conversation, Handshake, Protocol, Received, Step};
pub use http::{Http, HttpAnswer, ShownCertificate};
pub use log::Log;
pub use logged::Logged;
pub use process::Process;
pub use property::{Property, option_of};
pub use replay::{Asked, Replay};
pub use sentence::{next_words, parse_check, parse_source};
pub use sockets::{SOCKETS, sockets, without_asked_for};
pub use ssh::{Ssh, SshAnswer};
#[cfg(feature = "reference")]
pub(crate) use table::health_schema;
pub(crate) use table::{checks, source};
pub use talk::{Replies, Talk};
pub use tcp::Tcp;
pub use tls::Tls;

use jiff::SignedDuration;
use serde::{Deserialize, Serialize};

/// How long a check may fail at first, where nothing is said.
const PATIENCE: SignedDuration = SignedDuration::from_secs(5);
/// How long one try may take, where nothing is said.
const LIMIT: SignedDuration = SignedDuration::from_secs(5);

/// What one health check looks at.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Probe {
    /// The service itself: running, the generation that the activation implies, no restarts.
    Service,
    /// Another entry of the service's manager is up: one that goes down or is told with it.
    Unit {
        /// Its name.
        name: String,
    },
    /// Somebody listens on a port of this host.
    Listens {
        /// On which address; all of them where none is named.
        address: Option<String>,
        /// The port.
        port: u16,
        /// Whether of UDP.
        udp: bool,
    },
    /// All sockets on which the service listens.
    Sockets,
    /// A connection.
    Tcp(Tcp),
    /// What a server says first.
    Greeting(Greeting),
    /// A conversation in lines.
    Talk(Talk),
    /// The beginning of a conversation in bytes.
    Handshake(Handshake),
    /// An HTTP answer.
    Http(Http),
    /// A certificate.
    Tls(Tls),
    /// An answer of a name server.
    Dns(Dns),
    /// The ways in that an SSH server offers.
    Ssh(Ssh),
    /// A property of the main process.
    Process(Process),
    /// What came into a log since the activation.
    Log(Log),
    /// A message that reaches a log.
    Logged(Logged),
    /// A file.
    File(FileProperty),
    /// What a command says.
    Command(Command),
    /// What clients asked before.
    Replay(Replay),
    /// The same for each of several.
    Each(Vec<Probe>),
}

/// At which addresses of this host is asked what is written with 127.0.0.1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Side {
    /// At that one.
    #[default]
    Here,
    /// At that one, and at one that other hosts reach.
    Both,
    /// At one that other hosts reach.
    Outside,
}

/// One health check.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Check {
    /// Its name in output.
    pub name: String,
    /// What it looks at.
    pub probe: Probe,
    /// How long it may fail at first, in milliseconds.
    pub patience_ms: u64,
    /// How long it must go on holding once it did, in milliseconds; as long as the daemon is watched where nothing is
    /// said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub steady_ms: Option<u64>,
    /// How long one try may take, in milliseconds.
    pub limit_ms: u64,
    /// How often in a row it must hold: of daemons with several processes or a cache one answer says little.
    #[serde(default = "once")]
    pub times: u32,
    /// The setting, or the word of the blocks, for each of which there is such a check: `{each}` in its texts is the value,
    /// or what the block is called.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub each: Option<String>,
    /// The values of it that nobody needs to ask for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub except: Vec<String>,
    /// At which addresses of this host it is asked.
    #[serde(default)]
    pub side: Side,
    /// The answers from before, where they are the measure.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub measure: Option<Measure>,
}

fn once() -> u32 {
    1
}

impl Probe {
    /// Every text in it that may name a setting in braces.
    pub fn texts(&mut self) -> Vec<&mut String> {
        match self {
            Self::Service | Self::Unit { .. } | Self::Listens { .. } | Self::Sockets | Self::Replay(_) => {
                Vec::new()
            }
            Self::Tcp(probe) => probe.texts(),
            Self::Greeting(probe) => probe.texts(),
            Self::Talk(probe) => probe.texts(),
            Self::Handshake(probe) => probe.texts(),
            Self::Http(probe) => probe.texts(),
            Self::Tls(probe) => probe.texts(),
            Self::Dns(probe) => probe.texts(),
            Self::Ssh(probe) => probe.texts(),
            Self::Process(probe) => probe.texts(),
            Self::Log(probe) => probe.texts(),
            Self::Logged(probe) => probe.texts(),
            Self::File(probe) => probe.texts(),
            Self::Command(probe) => probe.texts(),
            Self::Each(probes) => probes.iter_mut().flat_map(Self::texts).collect(),
        }
    }
}

impl Probe {
    /// What it asks, as its answer says it.
    pub fn asks(&self) -> String {
        match self {
            Self::Http(probe) => probe.url.clone(),
            Self::Dns(probe) => format!("{} {}", probe.kind, probe.name),
            Self::Talk(probe) => probe.at.clone(),
            Self::Handshake(probe) => probe.to(),
            Self::Ssh(probe) => probe.at.clone(),
            _ => "it".to_owned(),
        }
    }

    /// Whether a server counts who asks, and shuts out who asks too often.
    pub fn is_counted(&self) -> bool {
        match self {
            // MariaDB counts connections that end before a login (max_connect_errors).
            Self::Ssh(_) | Self::Handshake(Handshake { of: Protocol::Mysql, .. }) => true,
            Self::Each(probes) => probes.iter().any(Self::is_counted),
            _ => false,
        }
    }

    /// Whether it asks as a client does, or looks at what clients see, and knows nothing else of the service.
    pub fn asks_as_client(&self) -> bool {
        match self {
            Self::Listens { .. }
            | Self::Tcp(_)
            | Self::Greeting(_)
            | Self::Talk(_)
            | Self::Handshake(_)
            | Self::Http(_)
            | Self::Tls(_)
            | Self::Dns(_)
            | Self::Ssh(_)
            | Self::Replay(_) => true,
            Self::Each(probes) => probes.iter().all(Self::asks_as_client),
            Self::Service
            | Self::Unit { .. }
            | Self::Sockets
            | Self::Process(_)
            | Self::Log(_)
            | Self::Logged(_)
            | Self::File(_)
            | Self::Command(_) => false,
        }
    }

    /// Whether each look at it leaves a line somewhere, so that one that is right is enough.
    pub(super) fn leaves_a_trace(&self) -> bool {
        matches!(self, Self::Logged(_))
    }

    /// Whether its answers can be compared with those from before.
    fn has_answers(&self) -> bool {
        match self {
            Self::Http(_) | Self::Dns(_) | Self::Talk(_) | Self::Handshake(_) | Self::Ssh(_) => true,
            Self::Command(command) => command.has_answers(),
            _ => false,
        }
    }
}

impl Check {
    /// Whether it means nothing by itself, and only beside what was seen before.
    pub fn only_compares(&self) -> bool {
        self.side == Side::Outside || matches!(self.probe, Probe::Sockets | Probe::Replay(_))
    }

    fn plain(name: String, probe: Probe) -> Self {
        let ms = |time: SignedDuration| time.as_millis() as u64;
        Self {
            name,
            probe,
            patience_ms: ms(PATIENCE),
            steady_ms: None,
            limit_ms: ms(LIMIT),
            times: 1,
            each: None,
            except: Vec::new(),
            side: Side::Here,
            measure: None,
        }
    }

    /// The check that a daemon's service runs; every daemon with a service has it.
    pub fn of_service(name: &str) -> Self {
        Self::plain(name.into(), Probe::Service)
    }

    /// The check that what clients asked before is answered as it was.
    pub fn of_replay(replay: Replay) -> Self {
        let measure = Some(Measure::default());
        let (patience_ms, limit_ms) = (5_000, 3_000);
        let plain = Self::plain("what clients asked".into(), Probe::Replay(replay));
        Self { measure, patience_ms, limit_ms, ..plain }
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

    /// The check that the service listens wherever it did; `patience_ms` is how long it may take to.
    pub fn of_sockets(patience_ms: u64) -> Self {
        let measure = Some(Measure::default());
        Self { measure, patience_ms, ..Self::plain(SOCKETS.into(), Probe::Sockets) }
    }

    /// A check of something that is looked at and expected of it.
    pub fn expected(name: &str, probe: Probe) -> Self {
        Self::plain(name.into(), probe)
    }
}
