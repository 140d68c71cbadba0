//! Which requests of clients are asked again after a change: of each site the commonest, where the configuration serves
//! files; where it hands requests on, only if that is wished.

use super::values::Values;
use crate::probe::replay::{digest, journal_of, newest, requests};
use crate::service::environment_of;
use gypsum_core::layers::{ScopeId, value_of};
use gypsum_core::probe::{Asked, Check, Probe, Replay};
use gypsum_core::profile::{Service, Sites};
use gypsum_core::replay::{Request, chosen};
use gypsum_core::rules::Site;
use gypsum_core::service::Observation;
use std::collections::HashMap;

/// So many sites are asked what their clients asked.
const MOST_SITES: usize = 16;

/// Which requests of clients are asked again.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Replaying {
    /// Those for files.
    #[default]
    Files,
    /// Those that are handed on, too.
    All,
    /// None.
    Nothing,
}

/// The URL of a site up to the path.
fn base_of(site: &Site) -> &str {
    site.url.trim_end_matches('/')
}

/// A path with the values of the variables that it names as `${NAME}`; `None` where one is not known.
fn filled(path: &str, variables: &HashMap<String, String>) -> Option<String> {
    let mut parts = path.split("${");
    let mut text = parts.next()?.to_owned();
    for part in parts {
        let (name, rest) = part.split_once('}')?;
        text.push_str(variables.get(name)?);
        text.push_str(rest);
    }
    Some(text)
}

impl Values<'_> {
    /// The check that what clients asked is answered as before; `None` where nothing is to be asked.
    pub(super) fn replayed(
        &self,
        replaying: Replaying,
        service: &Service,
        seen: &Observation,
    ) -> Option<Check> {
        let said = self.profile.sites.as_ref().filter(|_| replaying != Replaying::Nothing)?;
        let is_asked =
            |site: &&Site| replaying == Replaying::All || !self.hands_on(site.scope, &said.handed_on);
        let sites: Vec<&Site> = self.sites.iter().filter(is_asked).take(MOST_SITES).collect();
        let variables = seen.main.map(|process| environment_of(process.pid)).unwrap_or_default();
        let mut read: HashMap<String, Vec<Request>> = HashMap::new();
        let (mut logs, mut asked) = (Vec::new(), Vec::new());
        for site in sites {
            let title = &self.layers.scope(site.scope).title;
            let listener = title.split(' ').nth(1).unwrap_or_default();
            let mut of_site: Vec<Request> = Vec::new();
            for file in self.logs_of(site, said, service, &variables) {
                let all = read.entry(file.clone()).or_insert_with(|| requests(&file));
                let fits = |request: &&Request| {
                    request.host.as_deref().is_none_or(|host| host == site.name())
                        && request.listener.as_deref().is_none_or(|name| name == listener)
                };
                of_site.extend(all.iter().filter(fits).cloned());
                if !logs.contains(&file) {
                    logs.push(file);
                }
            }
            let paths = chosen(of_site.iter().filter(|request| request.path != "/"));
            asked.extend(paths.iter().map(|path| Asked {
                site: base_of(site).to_owned(),
                at: site.at.clone(),
                digest: digest(path),
            }));
        }
        (!asked.is_empty()).then(|| Check::of_replay(Replay { logs, asked }))
    }

    /// The same check for these sites: without what was asked of others. `None` where nothing is left.
    pub(super) fn replayed_there(&self, check: &Check) -> Option<Check> {
        let mut check = check.clone();
        let Probe::Replay(replay) = &mut check.probe else { return Some(check) };
        let stays = |asked: &Asked| {
            self.sites.iter().any(|site| (base_of(site), &site.at) == (&asked.site, &asked.at))
        };
        replay.asked.retain(stays);
        (!replay.asked.is_empty()).then_some(check)
    }

    /// Where the requests of a site are logged: what is said nearest to it, else what the profile names. What is sent to a
    /// program or to another host cannot be read.
    fn logs_of(
        &self,
        site: &Site,
        said: &Sites,
        service: &Service,
        variables: &HashMap<String, String>,
    ) -> Vec<String> {
        let mut scope = Some(site.scope);
        while let Some((id, name)) = scope.zip(said.log_setting.as_deref()) {
            let own = self.inside(id, name);
            if !own.is_empty() {
                let paths = own.iter().filter_map(|path| filled(path, variables));
                return paths.filter(|path| path.starts_with('/')).collect();
            }
            scope = self.layers.scope(id).parent;
        }
        let mut logs = Vec::new();
        for log in &said.log {
            match log.as_str() {
                "journal" => logs.push(journal_of(service.name())),
                pattern if pattern.contains('*') => logs.extend(newest(pattern)),
                file => logs.push(file.to_owned()),
            }
        }
        logs
    }

    /// Whether a site hands requests on to others, anywhere inside of it or for all sites.
    fn hands_on(&self, site: ScopeId, settings: &[String]) -> bool {
        let all = settings.iter().any(|name| name == "*");
        all || self.layers.turns().iter().any(|turn| {
            settings.iter().any(|name| turn.is_called(&self.loading.files, name))
                && (self.layers.scope(turn.scope).parent.is_none() || self.layers.is_inside(turn.scope, site))
        })
    }

    /// The first words of a setting that is in a block itself.
    fn inside(&self, scope: ScopeId, name: &str) -> Vec<String> {
        let named = self.layers.called_in(&self.loading.files, scope, name);
        let values = named.map(|turn| value_of(&self.loading.files[turn.file].doc, turn.leaf));
        values
            .filter_map(|value| value.split(' ').next().map(|word| word.trim_matches('"').to_owned()))
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_is_filled_in_or_not_known() {
        let variables = HashMap::from([("LOGS".to_owned(), "/var/log/tide".to_owned())]);
        let filled = |path: &str| filled(path, &variables);
        assert_eq!(filled("/var/log/a.log").as_deref(), Some("/var/log/a.log"));
        assert_eq!(filled("${LOGS}/a.log").as_deref(), Some("/var/log/tide/a.log"));
        assert_eq!(filled("${LOGS}/${QUAY}.log"), None);
        assert_eq!(filled("${LOGS/a.log"), None);
    }
}
