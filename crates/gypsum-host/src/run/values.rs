//! The values that health checks name in braces.

use crate::service;
use crate::trouble::Trouble;
use gypsum_core::address::Address;
use gypsum_core::doc::Wins;
use gypsum_core::edit::{File, find_active};
use gypsum_core::profile::{Check, Profile, Service, fill};

/// The value of a setting in `files`, as far as it can be told: the one that decides, else the
/// default that the profile names.
pub fn values_of<'a>(profile: &'a Profile, files: &'a [File]) -> impl Fn(&str) -> Option<String> + 'a {
    move |name| {
        let address = Address::parse(name).ok()?;
        let found = find_active(files, &address);
        let deciding = match profile.dialect.wins {
            Wins::First => found.first(),
            Wins::Last => found.last(),
        };
        let value = deciding.and_then(|(n, leaf)| {
            let doc = &files[*n].doc;
            doc.parts(*leaf).map(|parts| doc.value(&parts))
        });
        value.or_else(|| profile.setting(name).and_then(|(_, setting)| setting.default.clone()))
    }
}

/// The health checks of a daemon with these values in them; the first is that its service runs.
pub fn checks_for(
    profile: &Profile,
    service: &Service,
    value_of: &dyn Fn(&str) -> Option<String>,
) -> Result<Vec<Check>, Trouble> {
    let own = service::exists(service).then(|| Check::of_service(&service::name_of(service)));
    let filled = profile.health.iter().map(|check| {
        fill(check, value_of).map_err(|missing| {
            Trouble::usage(format!(
                "the health check {:?} names {{{}}}, which has no value and no default",
                check.name, missing.0
            ))
            .mend("give that setting a default in the profile")
        })
    });
    own.into_iter().map(Ok).chain(filled).collect()
}
