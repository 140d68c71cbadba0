//! Values that are none of their kind, and values that hardly anybody means.

use super::{ConfigView, TypedSettings};
use crate::finding::Finding;
use crate::value::{Kind, edit_error, network, unlikely};

pub fn check(config_view: &ConfigView<'_>, known: &TypedSettings<'_>, findings: &mut Vec<Finding>) {
    let spelling = &config_view.profile.values;
    known.each(|turn, _, pieces| {
        for piece in pieces {
            let (what, text) = (piece.what, piece.text.as_str());
            let name = || config_view.name(turn);
            if let Some(edit_error) = edit_error(what, spelling, text) {
                let finding = Finding::fault("value", format!("{}: {}", name(), edit_error.message))
                    .help(edit_error.help);
                findings.push(config_view.at_value(finding, turn, piece.at));
                continue;
            }
            let memory = what.most.as_deref().filter(|most| most.starts_with("memory"));
            let memory = memory.and_then(|_| config_view.survey.memory());
            if let Some(unlikely) = unlikely(what, spelling, memory, text) {
                let finding = Finding::fault("unlikely-value", format!("{}: {}", name(), unlikely.message))
                    .help(unlikely.help);
                findings.push(config_view.at_value(finding, turn, piece.at));
            }
            if what.kind == Kind::Network {
                findings
                    .extend(stray_bits(text).map(|finding| config_view.at_value(finding, turn, piece.at)));
            }
        }
    });
}

/// A network whose address has bits behind its prefix: many daemons refuse it, some only when they meet it.
fn stray_bits(text: &str) -> Option<Finding> {
    let (address, length, stray) = network(text)?;
    if !stray {
        return None;
    }
    let first = match address {
        std::net::IpAddr::V4(four) => {
            std::net::Ipv4Addr::from(u32::from(four) & !u32::MAX.checked_shr(length.into()).unwrap_or(0))
                .to_string()
        }
        std::net::IpAddr::V6(six) => {
            std::net::Ipv6Addr::from(u128::from(six) & !u128::MAX.checked_shr(length.into()).unwrap_or(0))
                .to_string()
        }
    };
    let message = format!("{text} is an address in a network and not the network itself");
    Some(Finding::fault("network-bits", message).help(format!("{first}/{length} is the network")))
}
