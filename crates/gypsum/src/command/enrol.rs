//! `gypsum enrol`: a profile to begin with, by looking at this host.

use super::Context;
use crate::target::NoTarget;
use gypsum_core::doc::{Document, Family};
use gypsum_core::edit::File;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::layers::{EffectiveConfig, Order};
use gypsum_core::listing::list;
use gypsum_core::profile::{Files, Profile, Service};
use gypsum_core::secret::is_secret;
use gypsum_core::text::nearest;
use gypsum_host::error::Error;
use gypsum_host::profiles::check_name;
use gypsum_host::service;
use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

pub fn run(
    context: &Context,
    daemon: &str,
    file: &Path,
    unit: Option<&str>,
    format: Option<&str>,
) -> Result<ExitStatus, NoTarget> {
    check_name(daemon)?;
    let file = std::path::absolute(file).map_err(|error| Error::file("use", file, error))?;
    let bytes = std::fs::read(&file).map_err(|error| Error::file("read", &file, error))?;
    let family = match format {
        Some(name) => Family::named(name).ok_or_else(|| {
            let near = nearest(name, Family::ALL.map(Family::name));
            let first = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
            Error::usage(format!("there is no family of formats called {name}"))
                .help(format!("{first}There are {}", Family::ALL.map(Family::name).join(", ")))
        })?,
        None => best_family(&file, &bytes),
    };
    let path = file.display().to_string();
    let doc = Document::read(bytes, family, family.plain_dialect())
        .map_err(|error| Error::cannot(error.to_string()))?;
    let told = unit.map(look_at).transpose()?;
    let profile = Profile::bare(daemon, daemon.to_owned(), Files::one(path.clone(), family));
    let files = [File { path, doc }];
    let layers = EffectiveConfig::of(&files, &Order { roots: vec![0], inclusions: Vec::new() }, &profile);
    let mut settings: BTreeMap<String, (String, Option<String>)> = BTreeMap::new();
    for row in list(&files, &layers, &profile) {
        let last = row.address.rsplit("..").next().unwrap_or(&row.address);
        let name = last.split('#').next().unwrap_or(last).to_owned();
        settings.entry(name).or_insert((row.value, row.comment));
    }
    let text = text(daemon, &profile, told.as_ref(), &settings);
    if context.out.json {
        let count = settings.len();
        context.answer(
            ExitStatus::Success,
            serde_json::json!({ "daemon": daemon, "profile": text, "settings": count }),
        );
        return Ok(ExitStatus::Success);
    }
    context.out.print(text.trim_end());
    context.out.eprint(&format!(
        "{} settings were found in {}. Look it through, try it with `gypsum daemons --check FILE`,",
        settings.len(),
        profile.files.home
    ));
    context.out.eprint(&format!("and put it to {}/{daemon}.toml.", gypsum_host::profiles::FOLDER));
    Ok(ExitStatus::Success)
}

/// The family that reads most of the file as settings; where several do, the one that its name speaks for.
fn best_family(file: &Path, bytes: &[u8]) -> Family {
    let end = file.extension().and_then(|end| end.to_str()).unwrap_or_default();
    let by_name = Family::of_ending(end);
    let in_default = file.starts_with("/etc/default") || file.starts_with("/etc/sysconfig");
    by_name.or(in_default.then_some(Family::Assignments)).unwrap_or_else(|| by_shape(bytes))
}

/// By what most of its lines look like.
fn by_shape(bytes: &[u8]) -> Family {
    let text = String::from_utf8_lossy(bytes);
    let lines: Vec<&str> = text
        .lines()
        .map(str::trim)
        .filter(|line| !line.is_empty() && !line.starts_with(['#', ';', '!']))
        .collect();
    let share =
        |fits: &dyn Fn(&str) -> bool| lines.iter().filter(|line| fits(line)).count() * 2 > lines.len();
    let any = |fits: &dyn Fn(&str) -> bool| lines.iter().any(|line| fits(line));
    if any(&|line| line.starts_with('[') && line.ends_with(']')) {
        Family::Sections
    } else if any(&|line| line.starts_with("</")) {
        Family::Tags
    } else if any(&|line| line.ends_with('{')) && any(&|line| line.ends_with(';')) {
        Family::Braces
    } else if share(&|line| line.split_once('=').is_some_and(|(name, _)| !name.trim().contains(' '))) {
        Family::Equals
    } else {
        Family::Keyword
    }
}

/// What the service manager tells of a unit: its full name, the program, whether it can be reloaded.
struct Typed {
    unit: String,
    reloads: bool,
}

fn look_at(unit: &str) -> Result<Typed, Error> {
    let resolved = service::resolve(&Service { unit: vec![unit.to_owned()], ..Service::default() })?;
    let seen = service::observe(&resolved);
    Ok(Typed { unit: service::name_of(&resolved), reloads: seen.can_reload })
}

fn text(
    daemon: &str,
    profile: &Profile,
    told: Option<&Typed>,
    settings: &BTreeMap<String, (String, Option<String>)>,
) -> String {
    let quoted = |text: &str| serde_json::Value::from(text).to_string();
    let mut out = String::new();
    let home = quoted(&profile.files.home);
    // Writing to a text does not fail.
    let _ =
        writeln!(out, "# A profile to begin with, made by looking at this host. What is guessed says so.");
    let _ = writeln!(out, "daemon = {}\ntitle = {}\n", quoted(daemon), quoted(daemon));
    let _ = writeln!(
        out,
        "[files]\nread = [{home}]\nhome = {home}\nformat = {}\n",
        quoted(profile.files.format.name())
    );
    let dialect = &profile.dialect;
    let marks: Vec<String> = dialect.comments.iter().map(|mark| quoted(mark)).collect();
    let _ = writeln!(out, "[dialect]\ncomments = [{}]", marks.join(", "));
    let inline: Vec<String> = dialect.inline_comments.iter().map(|mark| quoted(mark)).collect();
    let _ = writeln!(out, "inline-comments = [{}]\nquotes = {}", inline.join(", "), quoted(&dialect.quotes));
    let _ =
        writeln!(out, "# Guessed: of a setting that is set twice the last one is used.\nwins = \"last\"\n");
    match told {
        Some(told) => {
            let how = if told.reloads { "reload" } else { "restart" };
            let _ = writeln!(out, "[service]\nunit = [{}]", quoted(&told.unit));
            let _ = writeln!(out, "activation = \"{how}\"\nlimit = \"60s\"\nsteady = \"2s\"\n");
        }
        None => {
            let _ = writeln!(out, "# No unit was named: --unit UNIT.\n");
        }
    }
    let _ = writeln!(
        out,
        "# Its own checker, if it has one:\n# [checker]\n# run = [\"/usr/sbin/{daemon}\", \"-t\"]\n"
    );
    let _ = writeln!(out, "# What shows that it is healthy:\n# [[health]]\n# tcp = \"127.0.0.1:PORT\"\n");
    let _ = writeln!(out, "[setting]");
    for (name, (value, comment)) in settings {
        let about = comment.as_deref().map(|text| text.chars().take(80).collect::<String>());
        let about = about.map_or(String::new(), |about| format!(", about = {}", quoted(&about)));
        let secret = if is_secret(profile, name) { ", secret = true" } else { "" };
        let _ = writeln!(out, "{} = {{ {}{about}{secret} }}", quoted(name), guessed(value));
    }
    out
}

/// The kind that a value looks like.
fn guessed(value: &str) -> String {
    let lower = value.to_lowercase();
    let kind = if ["yes", "no"].contains(&lower.as_str()) {
        "kind = \"flag\""
    } else if ["on", "off", "true", "false"].contains(&lower.as_str()) {
        "kind = \"flag\", choices = [\"on\", \"off\", \"true\", \"false\", \"yes\", \"no\"]"
    } else if value.parse::<i64>().is_ok() {
        "kind = \"integer\""
    } else if value.starts_with('/') && !value.contains([' ', '*', '$']) {
        "kind = \"path\""
    } else {
        "kind = \"text\""
    };
    kind.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use gypsum_core::doc::Kind as Leaf;

    #[test]
    fn shapes_are_told_apart() {
        let cases = [
            ("[mysqld]\nport = 1\n", Family::Sections),
            ("<VirtualHost *>\nServerName x\n</VirtualHost>\n", Family::Tags),
            ("server {\n listen 80;\n}\n", Family::Braces),
            ("# x\nport = 1\nname = y\n", Family::Equals),
            ("Port 22\nUsePAM yes\n", Family::Keyword),
        ];
        for (text, family) in cases {
            assert_eq!(by_shape(text.as_bytes()), family, "{text}");
            let doc = Document::read(text.into(), family, family.plain_dialect());
            assert!(
                doc.is_ok_and(|doc| doc.tree().leaves().all(|(_, kind, _)| kind != Leaf::Broken)),
                "{text}"
            );
        }
    }
}
