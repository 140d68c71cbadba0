//! What was seen of a daemon, written as a profile.

use super::dialect::shown;
use super::{FileFormat, Sighting};
use crate::address::Address;
use crate::doc::{Dialect, Document};
use crate::edit::File;
use crate::layers::{EffectiveConfig, Order};
use crate::listing::list;
use crate::profile::Profile;
use crate::secret::is_secret;
use crate::text::one_line;
use std::collections::BTreeMap;

const TEXT: &str = "kind = \"text\"";
/// So long a description may be, in characters.
const MOST_ABOUT: usize = 80;

/// A profile as TOML, and how many settings it describes. What is a guess has a remark that says so.
pub fn profile_text(sighting: &Sighting) -> (String, usize) {
    let shown = shown(sighting);
    let form = FileFormat { family: sighting.form.family, dialect: shown.dialect.clone() };
    let profile = form.bare_profile(&sighting.daemon, sighting.daemon.clone(), &sighting.file);
    let settings = settings_of(sighting, &profile);
    let mut lines =
        vec!["# A profile to begin with, from what was seen on this host. Guesses are marked.".to_owned()];
    lines.push(format!("daemon = {}", quoted(&sighting.daemon)));
    lines.push(format!("title = {}", quoted(&sighting.daemon)));
    if sighting.checker.as_ref().is_some_and(|checker| checker.knows_names) {
        lines.push("# Its checker refuses a name that it does not know: this was tried.".to_owned());
        lines.push("names-by-checker = true".to_owned());
    } else {
        lines.push("# Which names there are is not known: the file shows only some.".to_owned());
        lines.push("free-blocks = [\"*\"]".to_owned());
    }
    lines.extend(files_part(sighting));
    lines.extend(dialect_part(&shown.dialect));
    lines.extend(service_part(sighting));
    lines.extend(checker_part(sighting));
    lines.extend(health_part(sighting));
    lines.extend(["".to_owned(), "# Kinds are guessed from the values in the file.".to_owned()]);
    lines.push("[setting]".to_owned());
    let count = settings.len();
    let mut tables = Vec::new();
    for (name, (kind, comment)) in settings {
        // What looks like a secret and its value is hidden where text leaves the program: it gets a table of its own. That
        // it is a secret is known by its name.
        if is_secret(&profile, &name) {
            tables.extend([String::new(), format!("[setting.{}]", quoted(&name)), kind.to_owned()]);
            continue;
        }
        let about = comment.as_deref().and_then(first_sentence);
        let about = about.map_or(String::new(), |about| format!(", about = {}", quoted(&about)));
        let repeats = if shown.repeated.contains(&name) { ", repeats = true" } else { "" };
        lines.push(format!("{} = {{ {}{about}{repeats} }}", quoted(&name), kind));
    }
    lines.extend(tables);
    lines.push(String::new());
    (lines.join("\n"), count)
}

fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}

fn texts(texts: &[String]) -> String {
    format!("[{}]", texts.iter().map(|text| quoted(text)).collect::<Vec<_>>().join(", "))
}

/// The names that the file sets, each with the kind that its values look like, and the comment above the first one.
fn settings_of(sighting: &Sighting, profile: &Profile) -> BTreeMap<String, (&'static str, Option<String>)> {
    let mut settings: BTreeMap<String, (&'static str, Option<String>)> = BTreeMap::new();
    let Ok(doc) = Document::read(sighting.bytes.clone(), sighting.form.family, profile.dialect.clone())
    else {
        return settings;
    };
    let files = [File { path: sighting.file.clone(), doc }];
    let layers = EffectiveConfig::of(&files, &Order { roots: vec![0], inclusions: Vec::new() }, profile);
    for row in list(&files, &layers, profile) {
        let Ok(address) = Address::parse(&row.address) else { continue };
        let kind = kind_of(&row.value);
        let (known, _) = settings.entry(address.name().to_owned()).or_insert((kind, row.comment));
        if *known != kind {
            *known = TEXT;
        }
    }
    settings
}

fn files_part(sighting: &Sighting) -> Vec<String> {
    let file = quoted(&sighting.file);
    let mut lines = vec![String::new(), "[files]".to_owned()];
    if let Some(how) = &sighting.found_by {
        lines.push(format!("# Found: {how}."));
    }
    lines.push(format!("read = [{file}]"));
    lines.push(format!("home = {file}"));
    if let Some(because) = sighting.because {
        lines.push(format!("# Guessed: {because}."));
    }
    lines.push(format!("format = {}", quoted(sighting.form.family.name())));
    if let Some(account) = &sighting.account {
        lines.push(format!("reader = {}", quoted(account)));
    }
    lines
}

fn dialect_part(dialect: &Dialect) -> Vec<String> {
    let mut lines = vec![String::new(), "# As the file shows it.".to_owned(), "[dialect]".to_owned()];
    lines.push(format!("comments = {}", texts(&dialect.comments)));
    lines.push(format!("inline-comments = {}", texts(&dialect.inline_comments)));
    lines.push(format!("quotes = {}", quoted(&dialect.quotes)));
    if !dialect.groups.is_empty() {
        lines.push("# The headers in the file; there may be more.".to_owned());
        lines.push(format!("groups = {}", texts(&dialect.groups)));
    }
    if dialect.continuation {
        lines.push("continuation = true".to_owned());
    }
    if dialect.tight {
        lines.push("tight = true".to_owned());
    }
    if !dialect.includes.is_empty() {
        lines.push(format!("includes = {}", texts(&dialect.includes)));
    }
    for (name, pattern) in &dialect.include_folders {
        lines.push("# Guessed: all files of the folder are read.".to_owned());
        lines.push(format!("include-folders = {{ {} = {} }}", quoted(name), quoted(pattern)));
    }
    lines.push(
        "# Not seen: which of two values holds. A name that is set twice in the file repeats.".to_owned(),
    );
    lines
}

fn service_part(sighting: &Sighting) -> Vec<String> {
    let Some(unit) = &sighting.unit else {
        return vec![String::new(), "# No unit was found; name it with --unit UNIT.".to_owned()];
    };
    let mut lines = vec![String::new(), "[service]".to_owned(), format!("unit = [{}]", quoted(unit))];
    if sighting.reload {
        lines.push("# You say that a reload is enough. Until it was seen, a change is unproven.".to_owned());
        lines.push("activation = \"reload\"".to_owned());
    } else {
        lines.push("activation = \"restart\"".to_owned());
    }
    lines.extend(["limit = \"60s\"".to_owned(), "steady = \"2s\"".to_owned()]);
    lines
}

fn checker_part(sighting: &Sighting) -> Vec<String> {
    match &sighting.checker {
        Some(checker) => vec![
            String::new(),
            format!("# Found: {}. It passes the file as it is, and refuses a damaged copy.", checker.from),
            "[checker]".to_owned(),
            format!("run = {}", texts(&checker.run)),
        ],
        None => {
            vec![String::new(), "# No checker was found that refuses a damaged copy of the file.".to_owned()]
        }
    }
}

fn health_part(sighting: &Sighting) -> Vec<String> {
    let tcp = sighting.listens.iter().map(|at| ["[[health]]".to_owned(), format!("tcp = {}", quoted(at))]);
    let unix = sighting.sockets.iter().map(|at| ["[[health]]".to_owned(), format!("file = {}", quoted(at))]);
    let checks: Vec<[String; 2]> = tcp.chain(unix).collect();
    if checks.is_empty() {
        return vec![
            String::new(),
            "# It listens nowhere that was seen: say what shows that it is healthy.".to_owned(),
        ];
    }
    let head = [String::new(), "# Where the running daemon listens.".to_owned()];
    head.into_iter().chain(checks.into_iter().flatten()).collect()
}

/// The first sentence of a remark, or as many whole words of it as there is room for.
fn first_sentence(text: &str) -> Option<String> {
    let text = one_line(text);
    let sentence = text.split_once(". ").map_or(text.as_str(), |(first, _)| first).trim_end_matches('.');
    if sentence.chars().count() <= MOST_ABOUT {
        return Some(sentence.to_owned()).filter(|sentence| !sentence.is_empty());
    }
    let mut short = String::new();
    for word in sentence.split(' ') {
        if short.chars().count() + word.chars().count() + 2 > MOST_ABOUT {
            break;
        }
        short.push_str(word);
        short.push(' ');
    }
    Some(format!("{}…", short.trim_end()))
}

/// The kind that a value looks like.
fn kind_of(value: &str) -> &'static str {
    let lower = value.to_lowercase();
    if ["yes", "no"].contains(&lower.as_str()) {
        "kind = \"flag\""
    } else if ["on", "off", "true", "false"].contains(&lower.as_str()) {
        "kind = \"flag\", choices = [\"on\", \"off\", \"true\", \"false\", \"yes\", \"no\"]"
    } else if value.starts_with('/') && !value.contains([' ', '*', '$', ',', ':']) {
        "kind = \"path\""
    } else {
        // A number may be one of many things, and one that takes a unit.
        TEXT
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::doc::Family;
    use crate::profile::read;
    use crate::secret::Redactor;
    use crate::starter::SeenChecker;

    #[test]
    fn what_was_seen_is_a_profile() {
        let sighting = Sighting {
            daemon: "tide".into(),
            file: "/etc/tide.conf".into(),
            found_by: Some("named on its command line".into()),
            bytes: b"; How many rows there are. More follows here.\nrows 3\nallow a\nallow b\npassword \"fog\"\ninclude /etc/tide.d/*.conf\n".to_vec(),
            form: FileFormat::plain(Family::Keyword).as_seen(b"; x"),
            because: Some("most lines are `name value`"),
            unit: Some("tide.service".into()),
            reload: false,
            account: None,
            checker: Some(SeenChecker {
                run: vec!["/usr/bin/tide-check".into(), "{file}".into()],
                from: "tide-check of its package".into(),
                knows_names: true,
            }),
            listens: vec!["127.0.0.1:7000".into()],
            sockets: Vec::new(),
            existing: Vec::new(),
            folders: Vec::new(),
        };
        let (text, count) = profile_text(&sighting);
        assert_eq!(Redactor::default().text(&text), text);
        let profile = read(&text).unwrap_or_else(|error| panic!("{error:?}\n{text}"));
        assert_eq!(count, 4, "{text}");
        assert!(profile.setting["allow"].repeats && profile.setting.contains_key("password"), "{text}");
        assert_eq!(profile.setting["rows"].about.as_deref(), Some("How many rows there are"), "{text}");
        assert!(profile.names_by_checker && profile.health.len() == 1, "{text}");
        assert_eq!(
            (profile.dialect.comments, profile.dialect.includes),
            (vec![";".to_owned(), "#".to_owned()], vec!["include".to_owned()])
        );
    }

    #[test]
    fn descriptions_end_with_a_word() {
        let long =
            "a very long description that goes on and on and never seems to come to any end at all, does it";
        let short = first_sentence(long).unwrap();
        assert!(short.ends_with(" any end at…") || short.ends_with('…'), "{short}");
        assert!(long.starts_with(short.trim_end_matches('…')) && short.chars().count() <= MOST_ABOUT);
        assert!(long[short.trim_end_matches('…').len()..].starts_with(' '));
    }
}
