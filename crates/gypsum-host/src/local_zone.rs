//! The time zone of this host.

use jiff::tz::TimeZone;
use std::fs;

/// Where it is (localtime(5)).
const LOCALTIME: &str = "/etc/localtime";

/// The time zone of this host, or of the account where `TZ` says so (tzset(3)).
pub fn local_zone() -> TimeZone {
    // The library looks for its name among all zones that there are, and nothing here shows that name.
    let of_host = || TimeZone::tzif("local", &fs::read(LOCALTIME).ok()?).ok();
    match std::env::var_os("TZ") {
        None => of_host().unwrap_or_else(TimeZone::system),
        Some(_) => TimeZone::system(),
    }
}
