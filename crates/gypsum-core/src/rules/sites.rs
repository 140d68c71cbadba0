//! What clients ask a web server for: each name that it serves, at each address where it does.

use super::ConfigView;
use super::conditions::hold_around;
use crate::layers::{Occurrence, ScopeId, value_of};
use crate::profile::Sites;
use crate::value::{Endpoint, endpoint};

/// One of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Site {
    /// What a client asks for.
    pub url: String,
    /// The address and port that it connects to.
    pub at: String,
    /// The block that serves it, by its place among the scopes.
    pub scope: ScopeId,
}

impl Site {
    /// The name that a client asks for.
    pub fn name(&self) -> &str {
        let rest = self.url.split_once("://").map_or(self.url.as_str(), |(_, rest)| rest);
        let end =
            if rest.starts_with('[') { rest.find(']').map(|end| end + 1) } else { rest.find([':', '/']) };
        rest.get(..end.unwrap_or(rest.len())).unwrap_or_default()
    }
}

/// All of them, in the order in which they are read.
pub fn sites(config_view: &ConfigView<'_>, sites: &Sites) -> Vec<Site> {
    let mut all: Vec<Site> = sites.served.iter().filter_map(|url| served(config_view, url)).collect();
    for (id, scope) in config_view.layers.scopes() {
        if !sites.block.iter().any(|block| block.eq_ignore_ascii_case(scope.word())) {
            continue;
        }
        let inside: Vec<&Occurrence> = config_view
            .layers
            .turns()
            .iter()
            .filter(|turn| turn.scope == id && hold_around(config_view, turn) == Some(true))
            .collect();
        let of = |name: &str| -> Vec<String> {
            let turns = inside.iter().filter(|turn| turn.is_called(config_view.files, name));
            turns.map(|turn| value_of(&config_view.files[turn.file].doc, turn.leaf)).collect()
        };
        if sites.only_where.as_deref().is_some_and(|only| !holds(config_view, sites, only, &of)) {
            continue;
        }
        let ends: Vec<String> = match &sites.listen {
            Some(name) => of(name),
            None => scope.title.split(' ').skip(1).map(|end| end.trim_end_matches('>').to_owned()).collect(),
        };
        let names = names_of(sites, &of);
        for end in ends {
            let mut words = end.split_whitespace();
            let first = words.next().unwrap_or_default();
            let words: Vec<&str> = words.collect();
            if words.iter().any(|word| sites.unasked.iter().any(|other| other == word)) {
                continue;
            }
            let is_secure = match sites.tls.split_once('=') {
                Some((name, wanted)) => of(name).iter().any(|value| value.eq_ignore_ascii_case(wanted)),
                None => words.contains(&sites.tls.as_str()),
            };
            let Some(Endpoint::Net { host, port }) = endpoint_of(first) else { continue };
            let Some(port) = port.or(sites.usual) else { continue };
            let host = match host.as_deref() {
                None | Some("_default_") => "127.0.0.1".to_owned(),
                Some(six) if six.contains(':') => format!("[{six}]"),
                Some(host) => host.to_owned(),
            };
            let scheme = if is_secure { "https" } else { "http" };
            let at = format!("{host}:{port}");
            let behind =
                if port == if is_secure { 443 } else { 80 } { String::new() } else { format!(":{port}") };
            for name in names.iter().map(String::as_str).chain(names.is_empty().then_some(host.as_str())) {
                let url = format!("{scheme}://{name}{behind}/");
                if !all.iter().any(|site| site.url == url && site.at == at) {
                    all.push(Site { url, at: at.clone(), scope: id });
                }
            }
        }
    }
    all
}

/// A site that no block describes.
fn served(config_view: &ConfigView<'_>, url: &str) -> Option<Site> {
    let (scheme, rest) = url.split_once("://")?;
    let at = rest.split('/').next()?;
    let usual = if scheme == "https" { 443 } else { 80 };
    let at = if at.contains(':') { at.to_owned() } else { format!("{at}:{usual}") };
    let (scope, _) = config_view.layers.scopes().next()?;
    Some(Site { url: url.to_owned(), at, scope })
}

/// A bare number is a port.
fn endpoint_of(word: &str) -> Option<Endpoint> {
    let word = word.trim_matches(['"', '\'']);
    match word.parse::<u16>() {
        Ok(port) => Some(Endpoint::Net { host: None, port: Some(port) }),
        Err(_) => endpoint(word),
    }
}

/// Whether a setting has a value in the block, else in those that it takes over.
fn holds(config_view: &ConfigView<'_>, sites: &Sites, only: &str, of: &dyn Fn(&str) -> Vec<String>) -> bool {
    let (name, wanted) = only.split_once('=').unwrap_or((only, ""));
    let own = of(name).pop();
    let outside = || {
        let layers = config_view.layers;
        let all = layers.called(config_view.files, config_view.profile, name);
        let defaults = sites.defaults.as_deref()?;
        let defaults = all.filter(|turn| layers.scope(turn.scope).word() == defaults);
        defaults.last().map(|turn| value_of(&config_view.files[turn.file].doc, turn.leaf))
    };
    own.or_else(outside).is_some_and(|value| value == wanted)
}

/// The names that clients can ask for: no patterns, and nothing that stands for all others.
fn names_of(sites: &Sites, of: &dyn Fn(&str) -> Vec<String>) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for value in sites.name.iter().flat_map(|name| of(name)) {
        let words: Vec<&str> = value.split_whitespace().collect();
        let behind = match sites.names_behind.as_slice() {
            [] => 0,
            marks => match words.iter().position(|word| marks.iter().any(|mark| mark == word)) {
                Some(at) => at + 1,
                None => continue,
            },
        };
        for word in words.get(behind..).unwrap_or_default() {
            let word = word.trim_matches(['"', '\'']);
            let word = word.split_once("://").map_or(word, |(_, rest)| rest);
            let word = word.split(':').next().unwrap_or_default();
            let is_name = word.contains('.') || word == "localhost";
            let is_plain =
                word.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'-'));
            if is_name && is_plain && !word.starts_with(['.', '-']) && !names.iter().any(|name| name == word)
            {
                names.push(word.to_owned());
            }
        }
    }
    names
}
