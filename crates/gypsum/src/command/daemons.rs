//! `gypsum daemons`.

use super::Context;
use crate::target::NoTarget;
use crate::view::columns;
use gypsum_host::profiles::{NoProfile, load, names};
use std::path::Path;

pub fn run(context: &Context) -> Result<u8, NoTarget> {
    let mut rows = Vec::new();
    let mut documents = Vec::new();
    for (name, file) in names() {
        let profile = match load(&name, file.as_deref()) {
            Ok(profile) => profile,
            Err(NoProfile::Trouble(trouble)) => {
                context.out.trouble(&trouble);
                continue;
            }
            Err(NoProfile::Malformed(finding)) => {
                crate::view::finding_lines(&finding).iter().for_each(|line| context.out.aside(line));
                continue;
            }
        };
        let here = Path::new(&profile.files.home).exists();
        let source = file.map_or_else(|| "built in".to_owned(), |file| file.display().to_string());
        documents.push(serde_json::json!({
            "daemon": name, "also": profile.also, "title": profile.title,
            "file": profile.files.home, "here": here, "profile": source,
        }));
        let place = if here { profile.files.home.clone() } else { "not on this host".into() };
        rows.push(vec![name, place, profile.title]);
    }
    if context.out.json {
        let schema = gypsum_core::report::SCHEMA;
        context.out.document(&serde_json::json!({ "schema": schema, "daemons": documents }));
        return Ok(0);
    }
    columns(&rows, &[16, 44, 200]).iter().for_each(|line| context.out.line(line));
    context.out.line("Any other: --file PATH --format FAMILY --unit UNIT, or a profile of its own in");
    context.out.line(&format!("{}.", gypsum_host::profiles::FOLDER));
    Ok(0)
}
