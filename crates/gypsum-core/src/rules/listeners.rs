//! Where the daemon wants to listen: on addresses that are this host's, on ports that nobody else holds, and where
//! it did before.

use super::conditions::hold_around;
use super::{ConfigView, Leaf};
use crate::finding::{Finding, Severity};
use crate::layers::Occurrence;
use crate::profile::{Listen, Role};
use crate::survey::Holder;
use crate::value::{Endpoint, endpoint, pieces};
use std::net::IpAddr;

/// One place where the daemon wants to listen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Wanted {
    /// The address; none for all of them.
    pub address: Option<IpAddr>,
    /// A name in place of an address.
    pub name: Option<String>,
    /// The port.
    pub port: u16,
    /// Whether of UDP.
    pub udp: bool,
    /// The setting that says so; none where it is the daemon's default.
    pub said: Option<Leaf>,
    /// The statement that gives its port, where that is another one.
    pub port_said: Option<Leaf>,
}

/// Everywhere the daemon wants to listen.
pub fn wanted(config_view: &ConfigView<'_>) -> Vec<Wanted> {
    let mut out = Vec::new();
    for listen in &config_view.profile.listen {
        if listen.when.as_deref().is_some_and(|when| config_view.holds(when) == Some(false)) {
            continue;
        }
        match &listen.endpoint {
            Some(name) => of_endpoints(config_view, listen, name, &mut out),
            None => of_pairs(config_view, listen, &mut out),
        }
    }
    out
}

fn one(at: &Endpoint, port: Option<u16>, udp: bool, said: Option<Leaf>) -> Option<Wanted> {
    let Endpoint::Net { host, port: own } = at else { return None };
    let port = own.or(port).filter(|port| *port > 0)?;
    let address = host.as_deref().and_then(|host| {
        if host == "localhost" { Some(IpAddr::from([127, 0, 0, 1])) } else { host.parse().ok() }
    });
    let name = host.clone().filter(|_| address.is_none());
    Some(Wanted { address, name, port, udp, said, port_said: None })
}

/// The words of a setting that may have several, each with its place; lists are taken apart.
fn words(config_view: &ConfigView<'_>, turn: &Occurrence) -> Vec<String> {
    let value = config_view.value(turn);
    match config_view.known(turn) {
        Some((setting, value)) => pieces(setting, &value).into_iter().map(|piece| piece.text).collect(),
        None => value.split_whitespace().map(str::to_owned).collect(),
    }
}

fn of_endpoints(config_view: &ConfigView<'_>, listen: &Listen, name: &str, out: &mut Vec<Wanted>) {
    let before = out.len();
    for turn in config_view.layers.called(config_view.files, config_view.profile, name) {
        // Under a condition that may not hold nobody has to listen.
        if hold_around(config_view, turn) != Some(true) {
            continue;
        }
        let Some((setting, value)) = config_view.known(turn) else { continue };
        let all = pieces(setting, &value).into_iter().filter(|piece| piece.what.role == Some(Role::Listen));
        let ends = all.filter_map(|piece| endpoint(&piece.text));
        out.extend(ends.filter_map(|at| one(&at, listen.usual, listen.udp, Some((turn.file, turn.leaf)))));
    }
    if out.len() == before && listen.always {
        out.extend(listen.usual.map(|port| Wanted {
            address: None,
            name: None,
            port,
            udp: listen.udp,
            said: None,
            port_said: None,
        }));
    }
}

fn of_pairs(config_view: &ConfigView<'_>, listen: &Listen, out: &mut Vec<Wanted>) {
    let number = |text: &str| text.trim_matches(['"', '\'']).parse::<u16>().ok();
    let mut ports: Vec<(u16, Option<Leaf>)> = Vec::new();
    if let Some(name) = &listen.port {
        let many = config_view.profile.setting(name).is_some_and(|(_, setting)| setting.repeats);
        if many {
            for turn in config_view.layers.called(config_view.files, config_view.profile, name) {
                ports.extend(
                    number(&config_view.value(turn)).map(|port| (port, Some((turn.file, turn.leaf)))),
                );
            }
        } else if let Some(port) = config_view.layers.value(config_view.files, config_view.profile, name) {
            let said = config_view.layers.called(config_view.files, config_view.profile, name).last();
            ports.extend(number(&port).map(|port| (port, said.map(|turn| (turn.file, turn.leaf)))));
        }
    }
    if ports.is_empty()
        && listen.port.as_ref().is_none_or(|name| {
            config_view
                .layers
                .value(config_view.files, config_view.profile, name)
                .is_none_or(|port| port.parse::<u16>() != Ok(0))
        })
    {
        ports.extend(listen.usual.map(|port| (port, None)));
    }
    let mut addresses: Vec<(Endpoint, Option<Leaf>)> = Vec::new();
    let mut named = false;
    if let Some(name) = &listen.address {
        let setting = config_view.profile.setting(name).map(|(_, setting)| setting);
        let many = setting.is_some_and(|setting| setting.repeats);
        let turns: Vec<&Occurrence> =
            config_view.layers.called(config_view.files, config_view.profile, name).collect();
        let turns = if many { turns } else { turns.into_iter().next_back().into_iter().collect() };
        let elements = config_view.layers.turns().iter().filter(|turn| {
            setting.is_some_and(|setting| setting.elements)
                && config_view.layers.scope(turn.scope).word() == name
        });
        for turn in turns.iter().copied().chain(elements) {
            named = true;
            for word in words(config_view, turn) {
                let all = matches!(word.to_lowercase().as_str(), "all" | "any" | "*");
                let at = if all { Some(Endpoint::Net { host: None, port: None }) } else { endpoint(&word) };
                addresses.extend(at.map(|at| (at, Some((turn.file, turn.leaf)))));
            }
        }
        if let (false, Some(default)) = (named, setting.and_then(|setting| setting.default.as_deref())) {
            named = true;
            addresses.extend(default.split([' ', ',']).filter_map(endpoint).map(|at| (at, None)));
        }
    }
    if !named {
        if !listen.always && listen.address.is_some() {
            return;
        }
        addresses.push((Endpoint::Net { host: None, port: None }, None));
    }
    for (at, said) in &addresses {
        for (port, of_port) in &ports {
            let wanted = one(at, Some(*port), listen.udp, said.or(*of_port));
            out.extend(wanted.map(|wanted| Wanted { port_said: *of_port, ..wanted }));
        }
    }
}

pub fn check(config_view: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let mut told: Vec<(String, Option<Leaf>)> = Vec::new();
    for wanted in wanted(config_view) {
        let finding = foreign(config_view, &wanted).or_else(|| taken(config_view, &wanted));
        let Some(finding) = finding else { continue };
        let key = (finding.message.clone(), wanted.said);
        if told.contains(&key) {
            continue;
        }
        told.push(key);
        findings.push(located(config_view, finding, wanted.said));
    }
}

fn located(config_view: &ConfigView<'_>, finding: Finding, said: Option<Leaf>) -> Finding {
    match said {
        Some((file, leaf)) => {
            let parts = config_view.files[file].doc.parts(leaf);
            let start =
                parts.map_or(0, |parts| parts.value.hull().map_or(parts.name.start, |hull| hull.start));
            config_view.at(finding, file, leaf, start as usize)
        }
        None => finding,
    }
}

fn foreign(config_view: &ConfigView<'_>, wanted: &Wanted) -> Option<Finding> {
    let address = wanted.address?;
    (config_view.survey.own(address) == Some(false)).then(|| {
        let message = format!("{address} is not an address of this host");
        Finding::fault("foreign-address", message).help("ip -brief address lists those that are")
    })
}

fn taken(config_view: &ConfigView<'_>, wanted: &Wanted) -> Option<Finding> {
    let holders = config_view.survey.holders(wanted.port, wanted.udp)?;
    // What the daemon holds already it can hold again.
    if holders.iter().any(|holder| holder.ours == Some(true)) {
        return None;
    }
    let in_the_way = |holder: &&Holder| {
        let both = wanted.address.zip(holder.address);
        both.is_none_or(|(a, b)| a == b)
    };
    let holder = holders.iter().find(in_the_way)?;
    let by = match &holder.unit {
        Some(unit) => format!("{} of {unit}", holder.process),
        None => holder.process.clone(),
    };
    let port = wanted.port;
    if holder.ours.is_none() {
        let message = format!("only root can see which process uses port {port}");
        return Some(
            Finding::new("port-taken", Severity::Hint, message)
                .help("if it is not the daemon itself, the port is taken"),
        );
    }
    Some(
        Finding::fault("port-taken", format!("port {port} is taken by {by}"))
            .help("name another port, or stop that one first"),
    )
}

/// Ports that are listened on no more, and addresses that are listened on from now on.
pub fn compare(before: &ConfigView<'_>, after: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let (was, is) = (wanted(before), wanted(after));
    let covers = |wide: &Wanted, narrow: &Wanted| {
        (wide.port, wide.udp) == (narrow.port, narrow.udp)
            && (wide.address.is_none() && wide.name.is_none()
                || (wide.address, &wide.name) == (narrow.address, &narrow.name))
    };
    let shown = |wanted: &Wanted| {
        let kind = if wanted.udp { "UDP port" } else { "port" };
        match (&wanted.address, &wanted.name) {
            (Some(address), _) => format!("{kind} {} of {address}", wanted.port),
            (None, Some(name)) => format!("{kind} {} of {name}", wanted.port),
            (None, None) => format!("{kind} {}", wanted.port),
        }
    };
    let mut gone: Vec<String> = Vec::new();
    for old in was.iter().filter(|old| !is.iter().any(|new| covers(new, old))) {
        if gone.contains(&shown(old)) {
            continue;
        }
        gone.push(shown(old));
        let message = format!("{} will close; clients that use it will be disconnected", shown(old));
        let new = is.iter().find(|new| !was.iter().any(|old| covers(old, new)));
        // Where less of what was open stays open, nothing is new.
        let new = new.or_else(|| is.iter().find(|new| (new.port, new.udp) == (old.port, old.udp)));
        // The line that was edited: that of the port, where the port is another one.
        let said =
            new.and_then(|new| if new.port == old.port { new.said } else { new.port_said.or(new.said) });
        let finding = located(after, Finding::warning("listens-no-more", message), said);
        findings.push(finding.help("see that clients, firewalls and health checks know of it"));
    }
    let local = |wanted: &Wanted| {
        wanted.address.is_some_and(|address| address.is_loopback())
            || wanted.name.as_deref() == Some("localhost")
    };
    let wide = is.iter().find(|new| !local(new) && new.name.is_none());
    if let (Some(wide), true) = (wide, !was.is_empty() && was.iter().all(local)) {
        let message =
            format!("{} was open to this host only, and will be open to others", after.profile.daemon);
        let finding =
            Finding::warning("listens-wider", message).help("is a firewall, or a login, in front of it?");
        findings.push(located(after, finding, wide.said));
    }
}
