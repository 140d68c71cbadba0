//! Reading a profile, with the place of whatever is wrong in it.

use super::schema::Profile;
use crate::malformed::Malformed;
use crate::text::nearest;

/// Reads a profile. The forms of its rules are left as they are: [`crate::rules::read_profile`] reads them, too.
pub fn read(text: &str) -> Result<Profile, Malformed> {
    read_with(text, |_| None)
}

/// Reads a profile; `also` says what else is wrong with it, and a word of the text to point at.
pub fn read_with(
    text: &str,
    also: impl Fn(&Profile) -> Option<(String, String)>,
) -> Result<Profile, Malformed> {
    let profile: Profile = toml::from_str(text).map_err(|error| Malformed::of_toml(text, &error))?;
    match amiss(&profile).or_else(|| also(&profile)) {
        Some((what, word)) => Err(Malformed::at(text, text.find(&word).unwrap_or(0), what)),
        None => Ok(profile),
    }
}

/// What no field by itself can be blamed for: the message, and a word of the text to point at.
fn amiss(profile: &Profile) -> Option<(String, String)> {
    let relative = |what: &str, path: &str| {
        let word = path.to_owned();
        (!path.starts_with('/')).then(|| (format!("{what} must be an absolute path, not {path:?}"), word))
    };
    let argvs = profile.checker.iter().map(|checker| &checker.run);
    let plain = profile.service.plain.iter();
    let hooks = profile.hook.iter().flat_map(|hook| std::iter::once(&hook.run).chain(&hook.undo));
    // Those of health checks and readings are looked at where they are read.
    let asks = profile.ask.iter().filter(|ask| !ask.takes_any);
    if asks.clone().any(|ask| ask.unknown.is_empty() && ask.listed.is_none()) {
        return Some((
            "ask needs what is said of an unknown name: unknown or listed".into(),
            "[[ask]]".into(),
        ));
    }
    let argvs = argvs.chain(asks.map(|ask| &ask.run)).chain(profile.list.iter().map(|list| &list.run));
    let commands =
        argvs.chain(plain.clone().map(|plain| &plain.start)).chain(hooks).chain(&profile.service.command);
    if !profile.service.unit.is_empty() && profile.service.plain.is_some() {
        return Some(("a service has either unit or plain, not both".into(), "plain".into()));
    }
    let stray = profile.setting.iter().find_map(|(name, setting)| Some((name, setting.stray_key()?)));
    if let Some((name, (key, kind))) = stray {
        let kind = format!("{kind:?}").to_lowercase();
        return Some((format!("{name}: a setting of kind {kind} has no {key}"), name.clone()));
    }
    if profile.files.read.is_empty() {
        return Some(("read names no file".into(), "read".into()));
    }
    const DEEDS: [&str; 6] = ["reload", "restart", "start", "stop", "signal", "command"];
    if let Some(word) = profile.service.limits.keys().find(|word| !DEEDS.contains(&word.as_str())) {
        let near = nearest(word, DEEDS);
        let near = near.first().map_or(String::new(), |near| format!("; did you mean {near}?"));
        return Some((format!("limits knows nothing called {word:?}{near}"), word.clone()));
    }
    for mark in profile.dialect.comments.iter().chain(&profile.dialect.inline_comments) {
        if mark.is_empty() {
            return Some(("a comment mark is empty".into(), "comments".into()));
        }
    }
    let paths = profile.files.read.iter().chain([&profile.files.home]);
    paths
        .filter_map(|path| relative("a file", path))
        .chain(plain.filter_map(|plain| relative("pid-file", &plain.pid_file)))
        .chain(commands.filter_map(|argv| match argv.first() {
            None => Some(("a command has no words".into(), "[]".into())),
            Some(program) => relative("the program of a command", program),
        }))
        .next()
}
