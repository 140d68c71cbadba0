//! The values that health checks name in braces.

use super::outside::from_outside;
use crate::beside;
use crate::error::Error;
use crate::files::Loading;
use crate::probe::{ProbeContext, ProbeError, answers};
use crate::service;
use gypsum_core::address::Address;
use gypsum_core::doc::Wins;
use gypsum_core::edit::find_active;
use gypsum_core::health::Outcome;
use gypsum_core::layers::{EffectiveConfig, Occurrence, Scope, value_of};
use gypsum_core::probe::{Answer, Check, Probe};
use gypsum_core::profile::{MissingSetting, Profile, Service, fill};
use gypsum_core::rules::{Site, Wanted, sites, wanted};
use gypsum_core::service::Observation;
use gypsum_core::survey::Survey;
use std::net::IpAddr;
use std::time::{Duration, Instant};

/// More listeners than this are not looked at one by one.
const MOST: usize = 16;
/// So many values of a setting, blocks or sites are asked for.
const MOST_OF_EACH: usize = 256;

/// The health checks of a daemon as it is.
#[derive(Clone, Debug, Default)]
pub struct ChecksNow {
    /// The checks, with the answers by which later ones are judged.
    pub checks: Vec<Check>,
    /// The outcomes of those that were asked for these answers.
    pub known: Vec<Outcome>,
}

impl ChecksNow {
    /// Asks the servers that count who asks, which were left out.
    pub(super) fn ask_counted(&mut self, service: &Service, seen: Option<Observation>) {
        self.ask(service, seen, |check| check.probe.is_counted());
    }

    /// Asks for what those checks are measured by that are meant, side by side. One that only compares and has nothing to
    /// compare with is left out.
    fn ask(&mut self, service: &Service, seen: Option<Observation>, is_meant: impl Fn(&Check) -> bool) {
        let scene = &ProbeContext { service: service.clone(), seen, ..ProbeContext::default() };
        let checks = std::mem::take(&mut self.checks);
        std::thread::scope(|threads| {
            let begin = |check| beside::begin(threads, move || measured_by_now(check, scene));
            let asked: Vec<_> = checks.iter().map(|check| is_meant(check).then(|| begin(check))).collect();
            for (check, one) in checks.iter().zip(asked) {
                let Some(one) = one else {
                    self.checks.push(check.clone());
                    continue;
                };
                // One that broke off has no measure.
                let (check, outcome) = one.wait().unwrap_or_else(|_| (check.clone(), None));
                let has_failed = outcome.as_ref().is_none_or(|outcome| !outcome.healthy);
                if !(check.only_compares() && has_failed) {
                    self.checks.push(check);
                    self.known.extend(outcome);
                }
            }
        });
    }
}

/// What the health checks of a daemon are made of: the values of its settings, and where it wants to listen.
pub struct Values<'a> {
    pub(super) profile: &'a Profile,
    pub(super) loading: &'a Loading,
    pub(super) layers: EffectiveConfig,
    wanted: Vec<Wanted>,
    pub(super) sites: Vec<Site>,
}

impl<'a> Values<'a> {
    /// The values in these files.
    pub fn of(profile: &'a Profile, loading: &'a Loading) -> Self {
        let layers = loading.layers(profile);
        let survey = Survey::default();
        let config_view = loading.config_view(&layers, profile, &survey);
        let wanted = wanted(&config_view);
        let sites = profile.sites.as_ref().map(|said| sites(&config_view, said)).unwrap_or_default();
        Self { profile, loading, layers, wanted, sites }
    }

    /// The value of a setting, as far as it can be told: the one that decides, else the default that the profile names;
    /// `listen-address` and `listen-port` are of the first place where it listens without TLS.
    pub(super) fn value(&self, name: &str) -> Option<String> {
        let plain = self.wanted.iter().find(|wanted| !wanted.udp && wanted.port != 443);
        let plain = plain.or_else(|| self.wanted.iter().find(|wanted| wanted.udp));
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
            "who" => return Some(crate::who::account()),
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

    /// What `{each}` and `{each-at}` of a check stand for: the values of the setting that it names, the titles of the
    /// blocks, or the sites that are served.
    fn each_of(&self, check: &Check, each: &str) -> Vec<(String, Option<&Site>)> {
        if each == "site" {
            return self.sites.iter().take(MOST_OF_EACH).map(|site| (site.url.clone(), Some(site))).collect();
        }
        let plain = |text: &str| text.trim_matches(['"', '\'']).to_owned();
        let is_one = |scope: &&Scope| scope.word() == each && !scope.conditional;
        let blocks = self.layers.scopes().map(|(_, scope)| scope);
        let titles: Vec<String> = match each {
            "*" => blocks.map(|scope| plain(&scope.title)).filter(|title| !title.is_empty()).collect(),
            _ => blocks.filter(is_one).filter_map(|scope| scope.title.split(' ').nth(1).map(plain)).collect(),
        };
        // Of a list of words, of `/name/address` and of `name,address` the first piece.
        let first = |value: String| {
            let is_slashed = value.starts_with('/') && each == "address";
            let between: &[char] = if is_slashed { &['/'] } else { &[' ', ','] };
            value.split(between).find(|piece| !piece.is_empty()).map(plain)
        };
        // Of `name word` what comes behind that word.
        let (name, word) = each.split_once(' ').unwrap_or((each, ""));
        let named = match self.all(each) {
            none if none.is_empty() && !word.is_empty() => {
                let behind = |value: String| Some(value.strip_prefix(word)?.strip_prefix(' ')?.to_owned());
                self.all(name).into_iter().filter_map(behind).collect()
            }
            all => all,
        };
        let values = named.into_iter().filter_map(first);
        let mut all: Vec<(String, Option<&Site>)> = Vec::new();
        for one in titles.into_iter().chain(values) {
            if !all.iter().any(|(old, _)| *old == one)
                && !check.except.contains(&one)
                && all.len() < MOST_OF_EACH
            {
                all.push((one, None));
            }
        }
        all
    }

    /// A check with the values that it names; `None` where there is nobody to be asked.
    fn one(&self, check: &Check) -> Result<Option<Check>, MissingSetting> {
        let check = &self.repeated(check);
        let filled = |each: Option<&(String, Option<&Site>)>| {
            fill(check, &|name| match (name, each) {
                ("each", Some((each, _))) => Some(each.clone()),
                ("each-at", Some((_, Some(site)))) => Some(site.at.clone()),
                _ => self.value(name),
            })
        };
        let Some(each) = &check.each else { return filled(None).map(Some) };
        let all = self.each_of(check, each);
        let Some(first) = all.first() else { return Ok(None) };
        let names: Vec<String> = self.sites.iter().map(|site| site.name().to_owned()).collect();
        let probes = all.iter().map(|each| {
            let mut probe = filled(Some(each))?.probe;
            if let (Probe::Http(http), Some(_)) = (&mut probe, each.1) {
                http.beside.clone_from(&names);
            }
            Ok(probe)
        });
        let probes = probes.collect::<Result<Vec<Probe>, MissingSetting>>()?;
        let name = match check.name.contains("{each}") {
            true if all.len() > 1 => check.name.replace("{each}", &format!("each {each}")),
            _ => filled(Some(first))?.name,
        };
        Ok(Some(Check { each: None, except: Vec::new(), name, probe: Probe::Each(probes), ..check.clone() }))
    }

    /// These health checks with the values that they name.
    pub fn filled(&self, checks: &[Check]) -> Result<Vec<Check>, Error> {
        let mut filled = Vec::new();
        for check in checks {
            match self.one(check) {
                Ok(check) => filled.extend(check),
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
    /// the daemon is asked for it, and the outcome is known by that. `seen` is how
    /// the service was seen a moment ago, `replayed` the check of what clients asked.
    ///
    /// # Errors
    ///
    /// If a check names a setting that has no value.
    pub fn checks_now(
        &self,
        service: &Service,
        seen: Option<Observation>,
        replayed: Option<Check>,
    ) -> Result<ChecksNow, Error> {
        let mut now = self.checks_uncounted(service, seen.clone(), replayed)?;
        now.ask_counted(service, seen);
        Ok(now)
    }

    /// The same, but servers that count who asks are not asked yet.
    pub(super) fn checks_uncounted(
        &self,
        service: &Service,
        seen: Option<Observation>,
        replayed: Option<Check>,
    ) -> Result<ChecksNow, Error> {
        let mut checks = self.checks(service)?;
        checks.extend(replayed);
        let mut now = ChecksNow { checks, known: Vec::new() };
        now.ask(service, seen, |check| !check.probe.is_counted());
        Ok(now)
    }

    /// The health checks of the daemon: that its service runs, those of its profile, and that it listens wherever it
    /// wants to.
    pub fn checks(&self, service: &Service) -> Result<Vec<Check>, Error> {
        let has_service = service::exists(service);
        let mut checks: Vec<Check> =
            has_service.then(|| Check::of_service(&service::name_of(service))).into_iter().collect();
        let asked = self.filled(&self.profile.health)?;
        let outside = from_outside(&asked);
        checks.extend(asked.into_iter().chain(outside));
        for wanted in self.wanted.iter().filter(|wanted| has_service && wanted.name.is_none()).take(MOST) {
            let address = wanted.address.map(|address| address.to_string());
            let check = Check::listens(address, wanted.port, wanted.udp);
            if !checks.contains(&check) {
                checks.push(check);
            }
        }
        if has_service {
            let patience = checks.iter().map(|check| check.patience_ms).max().unwrap_or_default();
            checks.insert(1, Check::of_sockets(patience));
        }
        Ok(checks)
    }
}

/// Where the answer from before is the measure, the daemon is asked for it, twice: what differs changes by itself.
fn measured_by_now(check: &Check, scene: &ProbeContext) -> (Check, Option<Outcome>) {
    let mut check = check.clone();
    let Some(measure) = &mut check.measure else { return (check, None) };
    let begun = Instant::now();
    let limit = Duration::from_millis(check.limit_ms);
    let asked = answers(&check.probe, scene, limit).and_then(|first| {
        // A server that counts is asked once.
        let second =
            if check.probe.is_counted() { first.clone() } else { answers(&check.probe, scene, limit)? };
        measure.before =
            first.into_iter().zip(&second).map(|(one, two)| Answer::agreeing(one, two)).collect();
        Ok(measure.judge(&second)?)
    });
    let ms = u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX);
    let is_unknown = asked.as_ref().is_err_and(ProbeError::is_unknown);
    let healthy = asked.is_ok() || is_unknown;
    // Without an answer there is nothing to measure by.
    let said = asked.unwrap_or_else(|why| why.to_string());
    let outcome = Outcome { name: check.name.clone(), healthy, is_unknown, said, ms, is_left: false };
    (check, Some(outcome))
}
