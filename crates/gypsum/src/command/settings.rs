//! `gypsum settings`.

use super::Context;
use crate::out::{DIM, styled};
use crate::target::NoTarget;
use crate::view::{columns, finding_lines};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::settings::{Settings, Shown};
use serde_json::{Value, json};

pub fn run(context: &Context) -> Result<ExitStatus, NoTarget> {
    let files = &context.settings;
    let shown = Settings::shown(&files.read);
    let status = if files.wrong.is_empty() { ExitStatus::Success } else { ExitStatus::Refused };
    if context.out.json {
        let settings: Vec<Value> = shown
            .iter()
            .map(|one| json!({ "name": one.known.name, "value": one.value, "from": one.from, "about": one.known.about }))
            .collect();
        context
            .answer(status, json!({ "settings": settings, "files": files.places, "findings": files.wrong }));
        return Ok(status);
    }
    let row = |one: &Shown| {
        let from = one.from.as_ref().map_or_else(|| "default".to_owned(), |path| path.display().to_string());
        vec![one.known.name.to_owned(), one.value.clone(), from]
    };
    let rows: Vec<Vec<String>> = shown.iter().map(row).collect();
    for (line, one) in columns(&rows, &[18, 30, 200]).iter().zip(&shown) {
        context.out.print(line);
        context.out.print(&styled(DIM, &format!("    {}", one.known.about)));
    }
    let places: Vec<String> = files.places.iter().map(|path| path.display().to_string()).collect();
    context.out.print(&format!("Set them in {}; the last one decides.", places.join(" or ")));
    for finding in &files.wrong {
        finding_lines(finding, context.out).iter().for_each(|line| context.out.eprint(line));
    }
    Ok(status)
}
