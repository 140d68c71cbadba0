//! Others that the daemon talks to: whether their names are known and anybody listens there.

use super::{ConfigView, TypedSettings};
use crate::finding::Finding;
use crate::profile::Role;
use crate::value::{Endpoint, Kind, endpoint};
use std::net::IpAddr;

pub fn check(config_view: &ConfigView<'_>, known: &TypedSettings<'_>, findings: &mut Vec<Finding>) {
    known.each(|turn, setting, pieces| {
        if let Some([host, port]) = setting.peer {
            let value = config_view.value(turn);
            let word = |nth: usize| value.split_whitespace().nth(nth.saturating_sub(1));
            let both = word(host).zip(word(port).and_then(|port| port.parse().ok()));
            let finding = both.and_then(|(host, port)| is_free(config_view, host, port, false));
            findings.extend(finding.map(|finding| config_view.at_value(finding, turn, 0)));
        }
        for piece in pieces {
            if piece.what.kind == Kind::Unit && config_view.survey.unit(&piece.text) == Some(false) {
                let message = format!("systemd knows no unit {}", piece.text);
                let finding = Finding::warning("unknown-unit", message)
                    .help("check the spelling; systemctl list-unit-files lists them");
                findings.push(config_view.at_value(finding, turn, piece.at));
            }
            let named = matches!(piece.what.kind, Kind::Host | Kind::Address | Kind::Url | Kind::Endpoint);
            let fits =
                crate::value::edit_error(piece.what, &config_view.profile.values, &piece.text).is_none();
            if !named || !fits || piece.text.contains(['$', '%', '{']) {
                continue;
            }
            let choice = piece.what.choices.iter().any(|choice| choice.eq_ignore_ascii_case(&piece.text));
            let Some(endpoint) = endpoint(&piece.text).filter(|_| !choice) else { continue };
            let known_here = |name: &str| is_own_name(config_view, name);
            let finding = match (endpoint, piece.what.role) {
                (Endpoint::Unix(path), Some(Role::Connect)) => nobody_at(config_view, &path),
                (Endpoint::Net { host: Some(host), .. }, _) if known_here(&host) => None,
                (Endpoint::Net { host: Some(host), .. }, _) if unresolved(config_view, &host) => {
                    let message = format!("the name {host} is not known on this host");
                    let help = "check the spelling; getent hosts NAME asks as the daemon would";
                    Some(Finding::warning("unresolved", message).help(help))
                }
                (Endpoint::Net { host, port: Some(port) }, Some(Role::Connect)) => {
                    is_free(config_view, host.as_deref().unwrap_or("127.0.0.1"), port, piece.what.udp)
                }
                _ => None,
            };
            findings.extend(finding.map(|finding| config_view.at_value(finding, turn, piece.at)));
        }
    });
}

/// A name that the configuration itself gives to a group of servers.
fn is_own_name(config_view: &ConfigView<'_>, name: &str) -> bool {
    config_view.layers.scopes().any(|(_, scope)| scope.title.split(' ').nth(1) == Some(name))
}

fn unresolved(config_view: &ConfigView<'_>, host: &str) -> bool {
    host.parse::<IpAddr>().is_err() && host != "localhost" && config_view.survey.resolves(host) == Some(false)
}

fn nobody_at(config_view: &ConfigView<'_>, path: &str) -> Option<Finding> {
    let served = config_view.survey.socket_is_served(path)?;
    (!served).then(|| {
        Finding::warning("nothing-listens", format!("no process listens on {path}"))
            .help("check that the program behind it is running, and the name")
    })
}

fn is_free(config_view: &ConfigView<'_>, host: &str, port: u16, udp: bool) -> Option<Finding> {
    let address: IpAddr =
        if host == "localhost" { IpAddr::from([127, 0, 0, 1]) } else { host.parse().ok()? };
    if config_view.survey.own(address) != Some(true) {
        return None;
    }
    let holders = config_view.survey.holders(port, udp)?;
    let there =
        holders.iter().any(|holder| holder.address.is_none_or(|held| held == address || host == "localhost"));
    // What is to be started by this very change is not there yet.
    let ours = super::wanted(config_view).iter().any(|wanted| wanted.port == port);
    (!there && !ours).then(|| {
        let shown =
            if address.is_ipv6() { format!("[{address}]:{port}") } else { format!("{address}:{port}") };
        Finding::warning("nothing-listens", format!("no process listens on {shown} of this host"))
            .help("ss -ltnp lists the processes that listen")
    })
}
