//! The time zone of this host.

use jiff::Timestamp;
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

/// The time of day of a moment (milliseconds since 1970), with the zone.
pub fn time_of_day(at_ms: i64) -> String {
    let at = Timestamp::from_millisecond(at_ms).unwrap_or_default();
    at.to_zoned(local_zone()).strftime("%H:%M:%S %Z").to_string()
}
