//! What can be typed of this host: daemons, settings, values, changes, drafts, files.

use super::{Candidate, Typed};
use crate::help::TOPICS;
use crate::target::remembered;
use gypsum_core::address::Address;
use gypsum_core::listing::{Listed, list};
use gypsum_core::profile::{Profile, Setting};
use gypsum_core::rules::OWN;
use gypsum_core::secret::shown_value;
use gypsum_core::starter::FileFormat;
use gypsum_core::value::Kind;
use gypsum_host::disk::RealDisk;
use gypsum_host::files::{Loading, load};
use gypsum_host::profiles;
use gypsum_host::state::State;
use std::path::Path;

/// So many changes are offered, the newest ones.
const MOST: usize = 30;

fn state(typed: &Typed) -> Option<State> {
    State::at(typed.value("state").as_deref().map(Path::new)).ok()
}

/// The profile of the daemon that was typed, or what was named of it before. What cannot be read is told by the command,
/// not here.
fn profile(typed: &Typed) -> Option<Profile> {
    let (daemon, file) = (typed.value("daemon")?, typed.value("profile"));
    let of_name = profiles::load(&daemon, file.as_deref().map(Path::new)).ok();
    of_name.or_else(|| remembered(&daemon, &state(typed)?.named(&daemon).ok()??).ok())
}

/// Its files, as they are.
fn loaded(typed: &Typed) -> Option<(Profile, Loading)> {
    let profile = profile(typed)?;
    let loading = load(&profile, None).ok()?;
    Some((profile, loading))
}

/// The daemons whose files are on this host, and those that were named before.
pub fn daemons(typed: &Typed, current: &str) -> Vec<Candidate> {
    if current.starts_with("unit:") {
        return units();
    }
    let with_profile = profiles::names().into_iter().filter_map(|(name, file)| {
        let profile = profiles::load(&name, file.as_deref()).ok()?;
        Path::new(&profile.files.home).exists().then(|| Candidate::new(name, profile.title))
    });
    let named = state(typed).and_then(|state| state.all_named().ok()).unwrap_or_default();
    let named = named.into_iter().map(|name| Candidate::new(name, "was named before"));
    with_profile.chain(named).chain([Candidate::new("unit:", "any systemd service")]).collect()
}

/// The services of systemd that have a file.
fn units() -> Vec<Candidate> {
    let folders = ["/etc/systemd/system", "/usr/lib/systemd/system", "/lib/systemd/system"];
    let names = folders.iter().filter_map(|folder| std::fs::read_dir(folder).ok()).flatten().flatten();
    let mut units: Vec<String> = names
        .filter_map(|entry| {
            entry.file_name().to_str()?.strip_suffix(".service").map(|name| format!("unit:{name}"))
        })
        .collect();
    units.sort();
    units.dedup();
    units.into_iter().map(|unit| Candidate::new(unit, "")).collect()
}

/// The topics of help, and the commands.
pub fn topics(_: &Typed, _: &str) -> Vec<Candidate> {
    use clap::CommandFactory;
    let topics = TOPICS.iter().map(|topic| Candidate::new(topic.name, "a topic"));
    let root = crate::args::Cli::command();
    let about = |command: &clap::Command| command.get_about().map(ToString::to_string).unwrap_or_default();
    let commands: Vec<Candidate> =
        root.get_subcommands().map(|command| Candidate::new(command.get_name(), about(command))).collect();
    topics.chain(commands).collect()
}

/// What is set, commented out, or known and neither.
struct Known {
    profile: Profile,
    set: Vec<Listed>,
}

impl Known {
    fn of(typed: &Typed) -> Option<Self> {
        let (profile, loading) = loaded(typed)?;
        let layers = loading.layers(&profile);
        let set = list(&loading.files, &layers, &profile);
        Some(Self { profile, set })
    }

    /// The address and what it is now, for those that are set, or commented out.
    fn listed(&self, commented_out: bool) -> impl Iterator<Item = Candidate> {
        self.set.iter().filter(move |row| row.commented_out == commented_out).map(move |row| {
            let name = Address::parse(&row.address)
                .ok()
                .map(|address| address.name().to_owned())
                .unwrap_or_default();
            let value = shown_value(&self.profile, &name, row.value.clone());
            let now = if commented_out { format!("commented out: {value}") } else { format!("now {value}") };
            let about = row.about.as_ref().map_or_else(String::new, |about| format!("; {about}"));
            Candidate::new(row.address.clone(), format!("{now}{about}"))
        })
    }

    /// Those that the profile knows and no file sets.
    fn unset(&self) -> impl Iterator<Item = Candidate> {
        let is_set = |name: &str| self.set.iter().any(|row| row.address.eq_ignore_ascii_case(name));
        let unset = self.profile.setting.iter().filter(move |(name, _)| !name.contains('*') && !is_set(name));
        unset.map(|(name, setting)| {
            let default =
                setting.default.as_ref().map_or_else(String::new, |value| format!(", {value} by default"));
            let about = setting.about.as_ref().map_or_else(String::new, |about| format!("; {about}"));
            Candidate::new(name.clone(), format!("not set{default}{about}"))
        })
    }
}

/// The addresses of all settings.
pub fn addresses(typed: &Typed, _: &str) -> Vec<Candidate> {
    let Some(known) = Known::of(typed) else { return Vec::new() };
    known.listed(false).chain(known.listed(true)).chain(known.unset()).collect()
}

/// Those that are commented out.
pub fn commented_out(typed: &Typed, _: &str) -> Vec<Candidate> {
    Known::of(typed).map(|known| known.listed(true).collect()).unwrap_or_default()
}

/// An address with its `=`; behind that the values.
pub fn edits(typed: &Typed, current: &str) -> Vec<Candidate> {
    let Some((address, _)) = current.split_once('=') else {
        let with_sign = |one: Candidate| Candidate { value: format!("{}=", one.value), ..one };
        return addresses(typed, current).into_iter().map(with_sign).collect();
    };
    values(typed, address)
        .into_iter()
        .map(|one| Candidate { value: format!("{address}={}", one.value), ..one })
        .collect()
}

/// What a setting takes, and what it is now.
fn values(typed: &Typed, address: &str) -> Vec<Candidate> {
    let (Some(known), Ok(parsed)) = (Known::of(typed), Address::parse(address)) else { return Vec::new() };
    let setting = known.profile.setting(parsed.name()).map(|(_, setting)| setting);
    let mut all: Vec<Candidate> = Vec::new();
    let default = setting.and_then(|setting| setting.default.clone());
    let now = known.set.iter().find(|row| !row.commented_out && row.address == address);
    let is_secret = setting.is_some_and(|setting| setting.secret);
    if let Some(row) = now.filter(|row| !is_secret && !row.value.is_empty()) {
        let is_default = default.as_ref() == Some(&row.value);
        all.push(Candidate::new(row.value.clone(), if is_default { "now, and the default" } else { "now" }));
    }
    all.extend(
        default.filter(|default| !default.is_empty()).map(|default| Candidate::new(default, "the default")),
    );
    let choices = setting.map(|setting| choices(&known.profile, setting)).unwrap_or_default();
    all.extend(choices.into_iter().map(|choice| Candidate::new(choice, "")));
    let mut seen = std::collections::HashSet::new();
    all.retain(|one| seen.insert(one.value.clone()));
    all
}

fn choices(profile: &Profile, setting: &Setting) -> Vec<String> {
    match setting.kind {
        Kind::Flag if setting.choices.is_empty() => profile.values.flag_words(),
        _ => setting.choices.clone(),
    }
}

/// The rules of the profile, and those for every daemon.
pub fn rules(typed: &Typed, _: &str) -> Vec<Candidate> {
    let of_profile = profile(typed).map(|profile| profile.rule).unwrap_or_default().into_iter();
    let own = OWN.iter().map(|(name, meaning)| Candidate::new(*name, *meaning));
    of_profile.map(|rule| Candidate::new(rule.name, rule.says)).chain(own).collect()
}

/// The changes of the daemon, the newest first.
pub fn changes(typed: &Typed, _: &str) -> Vec<Candidate> {
    let Some((state, daemon)) = state(typed).zip(typed.value("daemon")) else { return Vec::new() };
    let Ok(newest) = state.newest(&RealDisk, &daemon) else { return Vec::new() };
    let candidate = |entry: gypsum_host::state::Entry| {
        let report = entry.report(&RealDisk);
        let begun = entry.begun().map(|at| crate::view::when(at.as_millisecond())).unwrap_or_default();
        let verdict = report.as_ref().and_then(|report| report.verdict).map_or("", |verdict| verdict.word());
        let why = report.as_ref().and_then(|report| report.why.clone()).unwrap_or_default();
        let edits = report.map(|report| {
            report.edits.iter().map(|edit| edit.address.clone()).collect::<Vec<_>>().join(", ")
        });
        let what = if why.is_empty() { edits.unwrap_or_default() } else { why };
        Candidate::new(entry.number.to_string(), format!("{begun} {verdict} {what}"))
    };
    newest.take(MOST).filter_map(Result::ok).map(candidate).collect()
}

/// The drafts of the daemon.
pub fn drafts(typed: &Typed, _: &str) -> Vec<Candidate> {
    let Some((state, daemon)) = state(typed).zip(typed.value("daemon")) else { return Vec::new() };
    let all = gypsum_host::drafts::all(&state, &daemon).unwrap_or_default().into_iter();
    all.map(|draft| Candidate::new(draft.number.to_string(), draft.note.because.words())).collect()
}

/// The files of the daemon.
pub fn files(typed: &Typed, _: &str) -> Vec<Candidate> {
    let Some((_, loading)) = loaded(typed) else { return Vec::new() };
    loading.files.iter().map(|file| Candidate::new(file.path.clone(), "")).collect()
}

/// The families of formats.
pub fn families(_: &Typed, _: &str) -> Vec<Candidate> {
    FileFormat::names().map(|name| Candidate::new(name, "")).collect()
}
