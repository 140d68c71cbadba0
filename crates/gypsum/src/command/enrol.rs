//! `gypsum enrol`: a profile to begin with, by looking at this host.

use super::Context;
use crate::target::{NoTarget, form_of};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::profile::BUILT_IN;
use gypsum_core::rules::read_profile as read;
use gypsum_core::starter::{Sighting, profile_text};
use gypsum_host::error::Error;
use gypsum_host::profiles::{FOLDER, load};
use gypsum_host::starter::{Named, look};
use std::path::PathBuf;

/// What the person names; the rest is looked for.
pub struct Asked {
    /// The configuration file.
    pub file: Option<PathBuf>,
    /// The unit.
    pub unit: Option<String>,
    /// The family of the format.
    pub format: Option<String>,
    /// Whether it is reloaded, and not restarted.
    pub reload: bool,
}

pub fn run(context: &Context, daemon: &str, asked: Asked) -> Result<ExitStatus, NoTarget> {
    let Asked { file, unit, format, reload } = asked;
    let form = format.as_deref().map(form_of).transpose()?;
    let sighting = look(daemon, &Named { file, unit, form, reload })?;
    let (text, settings) = profile_text(&sighting);
    // What is handed out can be used.
    read(&text).map_err(|error| {
        Error::cannot(format!("the profile cannot be read, line {}: {}", error.line, error.message))
            .help("name the format: --format FAMILY")
    })?;
    if context.out.json {
        let fields = serde_json::json!({ "daemon": daemon, "profile": text, "settings": settings });
        context.answer(ExitStatus::Success, fields);
        return Ok(ExitStatus::Success);
    }
    context.out.print(text.trim_end());
    say(context, &sighting, settings);
    Ok(ExitStatus::Success)
}

/// What was found and what was not, and what to do next.
fn say(context: &Context, sighting: &Sighting, settings: usize) {
    let Sighting { daemon, file, .. } = sighting;
    let found = sighting.found_by.as_ref().map_or(String::new(), |how| format!(" ({how})"));
    let mut lines = vec![
        format!("file      {file}{found}"),
        format!("format    {}", sighting.form.name()),
        match &sighting.unit {
            Some(unit) => format!("unit      {unit}"),
            None => "unit      none found; --unit names it".to_owned(),
        },
        match &sighting.checker {
            Some(checker) => format!("checker   {}", checker.run.join(" ")),
            None => "checker   none found that refuses a damaged copy".to_owned(),
        },
        match sighting.listens.iter().chain(&sighting.sockets).cloned().collect::<Vec<_>>() {
            at if at.is_empty() => "health    it listens nowhere that was seen".to_owned(),
            at => format!("health    {}", at.join(", ")),
        },
        format!("settings  {settings}"),
    ];
    if let Some(known) = known(sighting) {
        lines.push(format!("Gypsum has a profile of {known}, which yours would replace."));
    }
    lines.push(format!("Read it, put it to {FOLDER}/{daemon}.toml, and run:"));
    lines.push(format!("  gypsum daemons --check {FOLDER}/{daemon}.toml"));
    lines.iter().for_each(|line| context.out.eprint(line));
}

/// The daemon whose profile has that name, or reads that file.
fn known(sighting: &Sighting) -> Option<&'static str> {
    let reads = |name: &str| {
        let profile = load(name, None).ok()?;
        let reads = |pattern: &String| gypsum_host::files::matches(pattern, sighting.file.as_ref());
        Some(profile.files.read.iter().any(reads))
    };
    let is_it = |name: &str| name == sighting.daemon || reads(name) == Some(true);
    BUILT_IN.iter().map(|one| one.name).filter(|name| *name != "unit").find(|name| is_it(name))
}
