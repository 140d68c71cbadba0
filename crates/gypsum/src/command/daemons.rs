//! `gypsum daemons`.

use super::Context;
use crate::target::NoTarget;
use crate::view::columns;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::finding::Severity;
use gypsum_core::profile::{Profile, Sort};
use gypsum_host::error::Error;
use gypsum_host::profiles::{NoProfile, check_name, load, names_and_installations, read_file};
use gypsum_host::shipped::{Records, findings};
use std::io;
use std::path::Path;

pub fn run(context: &Context, check: Option<&Path>) -> Result<ExitStatus, NoTarget> {
    if let Some(file) = check {
        return check_one(context, file);
    }
    let mut list = List::default();
    list.take_profiles(context);
    list.take_named(context)?;
    if context.out.json {
        let fields = serde_json::json!({ "daemons": list.documents, "problems": list.problems });
        context.answer(ExitStatus::Success, fields);
        return Ok(ExitStatus::Success);
    }
    list.rows.push(vec![
        "unit:NAME".into(),
        "/etc/systemd/system/NAME.service.d".into(),
        "settings of any systemd service".into(),
    ]);
    columns(&list.rows, &[16, 44, 200]).iter().for_each(|line| context.out.print(line));
    context.out.print("Any other: --file PATH --unit UNIT, or a profile of its own (gypsum enrol) in");
    context.out.print(&format!("{}.", gypsum_host::profiles::FOLDER));
    Ok(ExitStatus::Success)
}

/// The daemons, as lines of a table and as documents.
#[derive(Default)]
struct List {
    rows: Vec<Vec<String>>,
    documents: Vec<serde_json::Value>,
    /// What could not be read, which is told at once, too.
    problems: Vec<String>,
}

impl List {
    /// Those with a profile.
    fn take_profiles(&mut self, context: &Context) {
        let records = Records::read();
        for (name, file) in names_and_installations() {
            let profile = match load(&name, file.as_deref()) {
                Ok(profile) => profile,
                Err(NoProfile::Error(error)) => {
                    context.out.error(&error);
                    self.problems.push(error.to_string());
                    continue;
                }
                Err(NoProfile::Malformed(finding)) => {
                    crate::view::finding_lines(&finding, context.out)
                        .iter()
                        .for_each(|line| context.out.eprint(line));
                    self.problems.push(finding.message.clone());
                    continue;
                }
            };
            let here = is_here(Path::new(&profile.files.home));
            let waits = match here {
                Some(true) => left_by_packages(&profile, &records),
                Some(false) | None => Vec::new(),
            };
            let source = file.map_or_else(|| "built in".to_owned(), |file| file.display().to_string());
            self.documents.push(serde_json::json!({
                "daemon": name, "also": profile.also, "title": profile.title,
                "file": profile.files.home, "here": here, "profile": source, "waits": waits,
            }));
            let place = match here {
                Some(true) => profile.files.home.clone(),
                Some(false) => "not on this host".into(),
                None => "this account cannot see it".into(),
            };
            self.rows.push(vec![name, place, profile.title]);
            self.rows.extend(waits.into_iter().map(|what| vec![String::new(), what]));
        }
    }

    /// Those that were named on the command line, and are remembered.
    fn take_named(&mut self, context: &Context) -> Result<(), NoTarget> {
        for name in context.state.all_named()? {
            let named = match context.state.named(&name) {
                Ok(Some(named)) => named,
                Ok(None) => continue,
                Err(error) => {
                    context.out.error(&error);
                    self.problems.push(error.to_string());
                    continue;
                }
            };
            let file = named.file.display().to_string();
            let title =
                format!("named on the command line, read as {}; --forget {name} forgets it", named.format);
            self.documents.push(serde_json::json!({
                "daemon": name, "also": [], "title": title,
                "file": file, "here": is_here(&named.file), "profile": "remembered",
            }));
            self.rows.push(vec![name, file, title]);
        }
        Ok(())
    }
}

/// What package managers left beside the files of a daemon, a sentence each; nothing where its files cannot be read.
fn left_by_packages(profile: &Profile, records: &io::Result<Records>) -> Vec<String> {
    let loading = match gypsum_host::files::load(profile, None) {
        Ok(loading) => loading,
        Err(error) => {
            tracing::debug!(message = error.to_string(), "the files cannot be read");
            return Vec::new();
        }
    };
    let all = findings(&loading, &profile.daemon, records).into_iter();
    all.filter(|one| one.severity > Severity::Hint).map(|one| one.message).collect()
}

/// Forgets how a daemon was named on the command line.
pub fn forget(context: &Context, daemon: &str) -> Result<ExitStatus, NoTarget> {
    check_name(daemon)?;
    if !context.state.forget(daemon)? {
        let error = Error::usage(format!("nothing is remembered of {daemon}"));
        return Err(error.help("gypsum daemons lists what is").into());
    }
    context.answer(ExitStatus::Success, serde_json::json!({ "forgotten": daemon }));
    context.say_unless_json(&format!("{daemon} is forgotten; its changes stay."));
    Ok(ExitStatus::Success)
}

/// Whether a file is there; `None` if this account may not look.
fn is_here(path: &Path) -> Option<bool> {
    match path.metadata() {
        Ok(_) => Some(true),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Some(false),
        Err(_) => None,
    }
}

/// Checks one profile: how it is written, and whether what it names is there.
fn check_one(context: &Context, file: &Path) -> Result<ExitStatus, NoTarget> {
    let profile = read_file(file)?;
    let lines = missing(&profile);
    let status = if lines.is_empty() { ExitStatus::Success } else { ExitStatus::Refused };
    if context.out.json {
        context.answer(status, serde_json::json!({ "daemon": profile.daemon, "missing": lines }));
        return Ok(status);
    }
    for line in &lines {
        context.out.print(line);
    }
    let settings = profile.setting.len();
    let about = profile.setting.values().filter(|setting| setting.about.is_some()).count();
    context.out.print(&format!(
        "{}: {settings} settings ({about} described), {} further names, {} rules, {} health checks.",
        profile.daemon,
        profile.names.len(),
        profile.rule.len(),
        profile.health.len()
    ));
    let outcome = if lines.is_empty() {
        "It can be used on this host."
    } else {
        "The profile is valid; see above what this host lacks."
    };
    context.out.print(outcome);
    Ok(status)
}

/// What a profile names and this host does not have, and what it says that cannot hold.
fn missing(profile: &Profile) -> Vec<String> {
    let mut lines = Vec::new();
    let home = Path::new(&profile.files.home);
    if !home.exists() && !profile.files.makes {
        lines.push(format!("home        {} does not exist", home.display()));
    }
    let commands = [
        ("checker", profile.checker.as_ref().map(|checker| &checker.run)),
        ("effective", profile.effective.as_ref().map(|effective| &effective.run)),
        ("version", profile.version.as_ref()),
    ];
    for (what, argv) in commands {
        if let Some(program) =
            argv.and_then(|argv| argv.first()).filter(|program| !Path::new(program).exists())
        {
            lines.push(format!("{what:<12}{program} does not exist"));
        }
    }
    if let Err(error) = gypsum_host::service::resolve(&profile.service) {
        lines.push(format!("{:<12}{}", "service", error));
    }
    for (name, setting) in &profile.setting {
        if let Some(default) = &setting.default
            && let Some(edit_error) = gypsum_core::value::edit_error_of_any(setting, &profile.values, default)
        {
            lines.push(format!("{:<12}the default of {name}: {}", "setting", edit_error.message));
        }
        if setting.sort() == Some(Sort::Socket) && setting.role.is_none() {
            lines.push(format!("{:<12}{name} is a socket, and no role says what for", "setting"));
        }
    }
    lines
}
