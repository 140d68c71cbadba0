//! `gypsum show`.

use super::Context;
use crate::args::Target;
use crate::out::{FAINT, STRONG};
use crate::target::{NoTarget, profile_of};
use crate::view::{columns, styled};
use gypsum_core::listing::{Listed, list};
use gypsum_host::disk::RealDisk;
use gypsum_host::files;

pub fn run(context: &Context, target: &Target, words: &[String]) -> Result<u8, NoTarget> {
    let profile = profile_of(target)?;
    let loading = files::load(&RealDisk, &profile, None)?;
    let mut settings = list(&loading.files, &profile);
    let words: Vec<String> = words.iter().map(|word| word.to_lowercase()).collect();
    settings.retain(|row| words.iter().all(|word| holds(row, word)));
    if context.out.json {
        let schema = gypsum_core::report::SCHEMA;
        let daemon = &profile.daemon;
        context
            .out
            .document(&serde_json::json!({ "schema": schema, "daemon": daemon, "settings": settings }));
        return Ok(0);
    }
    for file in &loading.files {
        let rows: Vec<&Listed> = settings.iter().filter(|row| row.file == file.path).collect();
        if rows.is_empty() {
            continue;
        }
        context.out.line(&styled(STRONG, &file.path));
        let cells: Vec<Vec<String>> = rows.iter().map(|row| cells(row)).collect();
        for (line, row) in columns(&cells, &[5, 34, 200]).into_iter().zip(&rows) {
            let quiet = row.dormant || row.shadowed;
            context.out.line(&if quiet { styled(FAINT, &line) } else { line });
        }
    }
    if settings.is_empty() {
        let what = if words.is_empty() {
            "no settings".to_owned()
        } else {
            format!("no setting with {}", words.join(" and "))
        };
        context.out.line(&format!("{}: {what}.", profile.daemon));
    }
    Ok(0)
}

fn cells(row: &Listed) -> Vec<String> {
    let mut value: String = row.value.chars().take(48).collect();
    if value.len() < row.value.len() {
        value.push('…');
    }
    if row.dormant {
        value.push_str("  (dormant)");
    } else if row.shadowed {
        value.push_str("  (another line decides)");
    }
    vec![format!("{:>5}", row.line), row.address.clone(), value]
}

fn holds(row: &Listed, word: &str) -> bool {
    let texts = [Some(&row.address), Some(&row.value), row.about.as_ref()];
    texts.into_iter().flatten().any(|text| text.to_lowercase().contains(word))
}
