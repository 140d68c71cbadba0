//! All sockets on which a service listens, as far as they are compared.

use super::answer::{Answer, Grade};
use std::net::SocketAddr;
use std::ops::RangeInclusive;

/// The name of the check that all of them are there.
pub const SOCKETS: &str = "what listens";
/// What its answer is to.
const ALL: &str = "all sockets";
/// UDP ports from here on are those of questions that a daemon asks.
const UDP_OF_CLIENTS: u16 = 1024;
/// So many digits in the name of a Unix socket may be others next time.
const NUMBER: usize = 3;
/// Words of settings that are about where a daemon listens.
const LISTENING: [&str; 16] = [
    "listen",
    "port",
    "bind",
    "addr",
    "interface",
    "protocol",
    "socket",
    "inet",
    "endpoint",
    "host",
    "family",
    "network",
    "server",
    "module",
    "ssl",
    "tls",
];

/// The sockets of a service with these `processes`: those of TCP, those of UDP, the paths of Unix sockets; `changing` are
/// the ports that the kernel gives to whoever names none.
pub fn sockets(
    processes: &[u32],
    tcp: &[SocketAddr],
    udp: &[SocketAddr],
    unix: &[String],
    changing: &RangeInclusive<u16>,
) -> Answer {
    let mut answer = Answer::new(ALL, Grade::Served, "");
    // The address is its configuration's affair, and the port is what clients know.
    let port = |kind: &str, at: &SocketAddr| format!("{kind} port {}", at.port());
    let fixed = |at: &&SocketAddr| !changing.contains(&at.port());
    answer.ways.extend(tcp.iter().filter(fixed).map(|at| port("TCP", at)));
    answer.ways.extend(udp.iter().filter(|at| at.port() < UDP_OF_CLIENTS).map(|at| port("UDP", at)));
    let unix = unix.iter().filter(|path| path.starts_with('/') && !is_of_a_process(path, processes));
    answer.ways.extend(unix.map(|path| format!("the socket {}", stable(path))));
    answer
}

/// A path without numbers that may be others next time.
fn stable(path: &str) -> String {
    let mut out = String::new();
    let mut rest = path;
    while let Some(first) = rest.chars().next() {
        let digits = rest.len() - rest.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let (piece, behind) = rest.split_at(digits.max(first.len_utf8()));
        out.push_str(if digits >= NUMBER { "N" } else { piece });
        rest = behind;
    }
    out
}

/// Whether a path has the number of one of these processes in it: such a socket comes and goes with that process, and no
/// client knows its name.
fn is_of_a_process(path: &str, processes: &[u32]) -> bool {
    let mut numbers = path.split(|c: char| !c.is_ascii_digit()).filter_map(|number| number.parse().ok());
    numbers.any(|number: u32| processes.contains(&number))
}

/// Without the sockets that a change asks for to go: its lines name them, or are about where the daemon listens.
pub fn without_asked_for(answer: &mut Answer, changed_lines: &str) {
    let lower = changed_lines.to_lowercase();
    if LISTENING.iter().any(|word| lower.contains(word)) {
        answer.ways.clear();
        return;
    }
    answer.ways.retain(|way| {
        let name = way.rsplit(' ').next().unwrap_or_default();
        !changed_lines.contains(name)
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ways(answer: &Answer) -> Vec<&str> {
        answer.ways.iter().map(String::as_str).collect()
    }

    #[test]
    fn what_changes_by_itself_is_left_out() {
        let at = |text: &str| text.parse::<SocketAddr>().unwrap();
        let tcp = [at("0.0.0.0:80"), at("[::]:80"), at("127.0.0.1:40001")];
        let udp = [at("0.0.0.0:53"), at("0.0.0.0:5353")];
        let unix = ["/run/quay.2301.sock", "/run/quays/88", "@abstract", "/run/quay.5432"].map(str::to_owned);
        let answer = sockets(&[88, 2301], &tcp, &udp, &unix, &(32_768..=60_999));
        let wanted = ["TCP port 80", "UDP port 53", "the socket /run/quay.N"];
        assert_eq!(ways(&answer), wanted);
    }

    #[test]
    fn what_is_asked_for_may_go() {
        let tcp: SocketAddr = "0.0.0.0:8080".parse().unwrap();
        let answer = sockets(&[], &[tcp], &[], &["/run/a.sock".to_owned()], &(32_768..=60_999));
        for (lines, left) in [
            ("rows = 4", 2),
            ("run --at 8080", 1),
            ("at = /run/a.sock", 1),
            ("Listen 80", 0),
            ("bind_address = x", 0),
        ] {
            let mut rest = answer.clone();
            without_asked_for(&mut rest, lines);
            assert_eq!(rest.ways.len(), left, "{lines}");
        }
    }
}
