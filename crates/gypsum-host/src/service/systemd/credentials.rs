//! The files that systemd hands a service as credentials. `systemctl show` cannot print them, so its bus is asked.

use super::bus::{NAME, object_of};
use super::whose::ManagerScope;
use crate::children;
use crate::service::ASKING;
use serde::Deserialize;

/// A property of the bus, as `busctl --json=short` prints it.
#[derive(Deserialize)]
struct Property {
    /// Name and file of each credential.
    data: Vec<(String, String)>,
}

/// The files in one of a unit's lists of credentials. One whose bus does not answer has none.
pub fn files(whose: &ManagerScope, unit: &str, list: &str) -> Vec<String> {
    let interface = match unit.rsplit('.').next() {
        Some("socket") => "org.freedesktop.systemd1.Socket",
        _ => "org.freedesktop.systemd1.Service",
    };
    let words = ["--json=short", "get-property", NAME, &object_of(unit), interface, list];
    let asked = children::run(&whose.busctl(&words), ASKING).map_err(|error| error.to_string());
    let told =
        asked.and_then(|ran| serde_json::from_str::<Property>(&ran.out).map_err(|error| error.to_string()));
    let told = told.inspect_err(|error| tracing::warn!(error, unit, "its credentials are not known"));
    told.map_or_else(|_| Vec::new(), |property| property.data.into_iter().map(|(_, file)| file).collect())
}

/// A name as part of an object's path: what is no letter or digit is written as `_` and its two hexadecimal digits
/// (sd_bus_path_encode(3)).
pub fn label(name: &str) -> String {
    let one = |(n, byte): (usize, u8)| match byte {
        b'a'..=b'z' | b'A'..=b'Z' => char::from(byte).to_string(),
        b'0'..=b'9' if n > 0 => char::from(byte).to_string(),
        _ => format!("_{byte:02x}"),
    };
    name.bytes().enumerate().map(one).collect()
}

#[cfg(test)]
mod tests {
    #[test]
    fn names_are_written_as_the_bus_has_them() {
        assert_eq!(super::label("ssh.service"), "ssh_2eservice");
        assert_eq!(super::label("8-boards@a.service"), "_38_2dboards_40a_2eservice");
    }
}
