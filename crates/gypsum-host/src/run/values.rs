//! The values that health checks name in braces.

use crate::beside;
use crate::error::Error;
use crate::files::Loading;
use crate::probe::{dns_answer, http_status, talk_answers};
use crate::service;
use gypsum_core::address::Address;
use gypsum_core::doc::Wins;
use gypsum_core::edit::find_active;
use gypsum_core::layers::{EffectiveConfig, Occurrence, Scope, value_of};
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::{Profile, Service, fill};
use gypsum_core::rules::{Wanted, wanted};
use gypsum_core::survey::Survey;
use std::net::IpAddr;
use std::time::Duration;

/// More listeners than this are not looked at one by one.
const MOST: usize = 16;
/// So many values of a setting, or blocks, have a check of their own.
const MOST_OF_EACH: usize = 8;
/// So long an answer may take by which later ones are measured.
const NOW: Duration = Duration::from_secs(1);

/// What the health checks of a daemon are made of: the values of its settings, and where it wants to listen.
pub struct Values<'a> {
    profile: &'a Profile,
    loading: &'a Loading,
    layers: EffectiveConfig,
    wanted: Vec<Wanted>,
}

impl<'a> Values<'a> {
    /// The values in these files.
    pub fn of(profile: &'a Profile, loading: &'a Loading) -> Self {
        let layers = loading.layers(profile);
        let survey = Survey::default();
        let config_view = loading.config_view(&layers, profile, &survey);
        let wanted = wanted(&config_view);
        Self { profile, loading, layers, wanted }
    }

    /// The value of a setting, as far as it can be told: the one that decides, else the default that the profile names;
    /// `listen-address` and `listen-port` are of the first place where it listens without TLS.
    fn value(&self, name: &str) -> Option<String> {
        let plain = self.wanted.iter().find(|wanted| !wanted.udp && wanted.port != 443);
        match name {
            "listen-port" => return plain.map(|wanted| wanted.port.to_string()),
            "listen-address" => {
                return plain.map(|wanted| match (wanted.address, &wanted.name) {
                    (Some(IpAddr::V6(six)), _) => format!("[{six}]"),
                    (Some(address), _) => address.to_string(),
                    (None, Some(name)) => name.clone(),
                    (None, None) => "127.0.0.1".to_owned(),
                });
            }
            _ => {}
        }
        if let Some(value) = self.layers.value(&self.loading.files, self.profile, name) {
            return Some(value.trim_matches(['"', '\'']).to_owned());
        }
        let found = find_active(&self.loading.files, &Address::parse(name).ok()?);
        let deciding = match self.profile.dialect.wins {
            Wins::First => found.first(),
            Wins::Last => found.last(),
        };
        deciding.and_then(|(n, leaf)| {
            let doc = &self.loading.files[*n].doc;
            doc.parts(*leaf).map(|parts| doc.value(&parts))
        })
    }

    /// All that is said of a setting, or inside of blocks of that name, in the order in which it is read.
    pub fn said_of(&self, name: &str) -> Vec<String> {
        let inside = self.layers.turns().iter().filter(|turn| self.layers.scope(turn.scope).word() == name);
        let text = |turn: &Occurrence| {
            let doc = &self.loading.files[turn.file].doc;
            format!("{} {}", doc.text(turn.name), value_of(doc, turn.leaf))
        };
        self.all(name).into_iter().chain(inside.map(text)).collect()
    }

    /// All values of a setting, in the order in which they are read.
    fn all(&self, name: &str) -> Vec<String> {
        let files = &self.loading.files;
        let turns = self.layers.called(files, self.profile, name);
        turns.map(|turn| value_of(&files[turn.file].doc, turn.leaf)).collect()
    }

    /// A check, for each value of the setting that it names, or for each block; of some of them, where there are many.
    fn each_of<'c>(&self, check: &'c Check) -> Vec<(&'c Check, Option<String>)> {
        let Some(each) = &check.each else { return vec![(check, None)] };
        let plain = |text: &str| text.trim_matches(['"', '\'']).to_owned();
        let is_one = |scope: &&Scope| scope.word() == each && !scope.conditional;
        let titles = self.layers.scopes().map(|(_, scope)| scope).filter(is_one);
        let titles = titles.filter_map(|scope| scope.title.split(' ').nth(1).map(plain));
        let values = self.all(each).into_iter().filter_map(|value| value.split(' ').next().map(plain));
        let mut all: Vec<String> = Vec::new();
        for one in titles.chain(values) {
            if !all.contains(&one) && !check.except.contains(&one) && all.len() < MOST_OF_EACH {
                all.push(one);
            }
        }
        all.into_iter().map(|one| (check, Some(one))).collect()
    }

    /// These health checks with the values that they name.
    pub fn filled(&self, checks: &[Check]) -> Result<Vec<Check>, Error> {
        let mut filled = Vec::new();
        for (check, each) in checks.iter().flat_map(|check| self.each_of(check)) {
            match fill(check, &|name| each.clone().filter(|_| name == "each").or_else(|| self.value(name))) {
                Ok(check) => filled.push(Check { each: None, except: Vec::new(), ..check }),
                // Where it listens nowhere, nobody can be asked there.
                Err(missing) if missing.0.starts_with("listen-") => {}
                Err(missing) => {
                    return Err(Error::usage(format!(
                        "the health check {:?} names {{{}}}, which has no value and no default",
                        check.name, missing.0
                    ))
                    .help("give that setting a default in the profile"));
                }
            }
        }
        Ok(filled)
    }

    /// The health checks of the daemon as it is, before anything is touched. Where the answer from before is the measure,
    /// the daemon is asked for it.
    pub fn checks_now(&self, service: &Service) -> Result<Vec<Check>, Error> {
        let checks = self.checks(service)?;
        let mut measured = Vec::new();
        std::thread::scope(|scope| {
            let begin = |check| beside::begin(scope, move || measured_by_now(check));
            let asked: Vec<_> = checks.iter().map(begin).collect();
            for (check, one) in checks.iter().zip(asked) {
                // One that broke off has no measure.
                measured.push(one.wait().unwrap_or_else(|_| check.clone()));
            }
        });
        Ok(measured)
    }

    /// The health checks of the daemon: that its service runs, those of its profile, and that it listens wherever it
    /// wants to.
    pub fn checks(&self, service: &Service) -> Result<Vec<Check>, Error> {
        let has_service = service::exists(service);
        let mut checks: Vec<Check> =
            has_service.then(|| Check::of_service(&service::name_of(service))).into_iter().collect();
        checks.extend(self.filled(&self.profile.health)?);
        for wanted in self.wanted.iter().filter(|wanted| has_service && wanted.name.is_none()).take(MOST) {
            let address = wanted.address.map(|address| address.to_string());
            let check = Check::listens(address, wanted.port, wanted.udp);
            if !checks.contains(&check) {
                checks.push(check);
            }
        }
        Ok(checks)
    }
}

/// Where the answer from before is the measure, the daemon is asked for it: one that refuses a page by design is healthy.
fn measured_by_now(check: &Check) -> Check {
    let mut check = check.clone();
    // Without an answer there is nothing to measure by; the check itself says what is wrong.
    match &mut check.probe {
        Probe::Http(http) if http.as_before => {
            if let Ok(status) = http_status(http, NOW) {
                http.also = Some(status).filter(|status| (400..500).contains(status));
            }
        }
        Probe::Dns(dns) if dns.as_before => {
            if let Ok(answer) = dns_answer(dns, NOW) {
                dns.before = Some(answer);
            }
        }
        Probe::Talk(talk) => {
            if let Ok(answers) = talk_answers(talk, Duration::from_millis(check.limit_ms)) {
                talk.before = answers;
            }
        }
        _ => {}
    }
    check
}
