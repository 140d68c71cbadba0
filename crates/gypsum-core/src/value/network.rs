//! Addresses of the network: endpoints, networks.

use std::net::{IpAddr, Ipv6Addr};

/// Where something listens or is connected to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Endpoint {
    /// A host, or all addresses where there is none, and a port where one is named.
    Net {
        /// The name or address, without brackets; none for all addresses.
        host: Option<String>,
        /// The port.
        port: Option<u16>,
    },
    /// A Unix socket.
    Unix(String),
}

/// Reads `80`, `*:80`, `[::]:443`, `10.0.0.5`, `localhost:8080`, `unix:/run/x`, `/run/x`, `http://host:port/x`.
pub fn endpoint(text: &str) -> Option<Endpoint> {
    if let Some(path) = text.strip_prefix("unix:").or(text.starts_with('/').then_some(text)) {
        let path = path
            .strip_prefix("//")
            .map_or(path.to_owned(), |path| format!("/{}", path.trim_start_matches('/')));
        return Some(Endpoint::Unix(path.split(':').next().unwrap_or_default().to_owned()));
    }
    if let Some((scheme, rest)) = text.split_once("://") {
        let usual = match scheme {
            "http" | "ws" => Some(80),
            "https" | "wss" => Some(443),
            "ldap" => Some(389),
            _ => None,
        };
        let rest = rest.split(['/', '?', '#']).next().unwrap_or_default();
        let rest = rest.rsplit_once('@').map_or(rest, |(_, host)| host);
        return match endpoint(rest)? {
            Endpoint::Net { host, port } => Some(Endpoint::Net { host, port: port.or(usual) }),
            other => Some(other),
        };
    }
    let net = |host: &str, port: Option<u16>| {
        let all = matches!(host, "" | "*" | "0.0.0.0" | "::");
        Some(Endpoint::Net { host: (!all).then(|| host.to_owned()), port })
    };
    if let Some(rest) = text.strip_prefix('[') {
        let (host, after) = rest.split_once(']')?;
        // Mail servers write names in brackets, too.
        if host.parse::<Ipv6Addr>().is_err() && !is_host(host) {
            return None;
        }
        return match after {
            "" => net(host, None),
            port => net(host, Some(port.strip_prefix(':')?.parse().ok()?)),
        };
    }
    if let Ok(port) = text.parse::<u16>() {
        return net("", Some(port));
    }
    if text.parse::<IpAddr>().is_ok() {
        return net(text, None);
    }
    match text.rsplit_once([':', '@', '#']) {
        Some((host, port)) if is_host(host) || host == "*" || host.is_empty() => {
            net(host, Some(port.parse().ok()?))
        }
        None if is_host(text) || text == "*" => net(text, None),
        _ => None,
    }
}

/// Whether a text may be the name of a host (RFC 1123), or an address of version 4.
pub fn is_host(text: &str) -> bool {
    let label = |label: &str| {
        !label.is_empty()
            && label.len() <= 63
            && !label.starts_with('-')
            && !label.ends_with('-')
            && label.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_'))
    };
    let text = text.strip_suffix('.').unwrap_or(text);
    !text.is_empty() && text.len() <= 253 && text.split('.').all(label)
}

/// A network in CIDR notation: its address, the length of its prefix, and whether bits behind the prefix are set.
pub fn network(text: &str) -> Option<(IpAddr, u8, bool)> {
    let (address, length) = match text.split_once('/') {
        Some((address, length)) => (address, Some(length)),
        None => (text, None),
    };
    let address: IpAddr = address.trim_start_matches('[').trim_end_matches(']').parse().ok()?;
    let most = if address.is_ipv4() { 32 } else { 128 };
    let length: u8 = match length {
        None => most,
        Some(length) => length.parse().ok().filter(|length| *length <= most)?,
    };
    let stray = match address {
        IpAddr::V4(four) => length < 32 && u32::from(four) & (u32::MAX >> length) != 0,
        IpAddr::V6(six) => length < 128 && u128::from(six) & (u128::MAX >> length) != 0,
    };
    Some((address, length, stray))
}

/// Whether an address is in a network; `None` if that is none.
pub fn is_in_network(text: &str, address: IpAddr) -> Option<bool> {
    let (base, bits, _) = network(text)?;
    let same = |one: u128, other: u128, width: u8| {
        let free = u32::from(width.saturating_sub(bits));
        one.checked_shr(free).unwrap_or(0) == other.checked_shr(free).unwrap_or(0)
    };
    Some(match (base, address.to_canonical()) {
        (IpAddr::V4(one), IpAddr::V4(other)) => same(one.to_bits().into(), other.to_bits().into(), 32),
        (IpAddr::V6(one), IpAddr::V6(other)) => same(one.to_bits(), other.to_bits(), 128),
        (IpAddr::V4(_), IpAddr::V6(_)) | (IpAddr::V6(_), IpAddr::V4(_)) => false,
    })
}

/// Whether a name in a certificate covers the name of a host. A star stands for one label (RFC 6125, 6.4.3).
pub fn covers(name: &str, wanted: &str) -> bool {
    let rest = |name: &str| name.split_once('.').map(|(_, rest)| rest.to_lowercase());
    name.eq_ignore_ascii_case(wanted) || name.starts_with("*.") && rest(name) == rest(wanted)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn endpoints_are_read() {
        let net = |host: Option<&str>, port| Some(Endpoint::Net { host: host.map(str::to_owned), port });
        let cases = [
            ("80", net(None, Some(80))),
            ("*:80", net(None, Some(80))),
            ("[::]:443", net(None, Some(443))),
            ("[::1]:443", net(Some("::1"), Some(443))),
            ("10.0.0.5", net(Some("10.0.0.5"), None)),
            ("boards.example:8080", net(Some("boards.example"), Some(8080))),
            ("http://boards.example/map", net(Some("boards.example"), Some(80))),
            ("unix:/run/x.sock", Some(Endpoint::Unix("/run/x.sock".into()))),
            ("a b", None),
            ("boards.example:99999", None),
        ];
        for (text, wanted) in cases {
            assert_eq!(endpoint(text), wanted, "{text}");
        }
        assert_eq!(network("127.0.0.1/8").map(|(_, _, stray)| stray), Some(true));
        assert_eq!(network("10.0.0.0/8").map(|(_, _, stray)| stray), Some(false));
        assert_eq!(network("10.0.0.0/33"), None);
    }
}
