//! The stages of a change, drawn to scale.

use super::{Page, stage_words};
use crate::view::time;
use html_escape::encode_text;
use std::fmt::Write;

const WIDTH: f64 = 720.0;
/// The room for the names, and for the times.
const NAMES: f64 = 190.0;
const TIMES: f64 = 70.0;
const ROW: f64 = 24.0;

/// The timeline as an SVG, which takes its colours from the page around it. For readers that do not see it the same is in
/// a table.
pub fn timeline(page: &Page) -> String {
    let stages = &page.report.stages;
    let total: u64 = stages.iter().map(|stage| stage.ms).sum::<u64>().max(1);
    let scale = (WIDTH - NAMES - TIMES) / total as f64;
    let height = stages.len() as f64 * ROW + 4.0;
    let mut out = format!(
        "<svg viewBox=\"0 0 {WIDTH} {height}\" role=\"img\" aria-label=\"The stages of the change, one below the other; the table after this has the same.\">\n<defs><pattern id=\"away\" width=\"6\" height=\"6\" patternUnits=\"userSpaceOnUse\" patternTransform=\"rotate(45)\"><rect width=\"3\" height=\"6\" class=\"away\"/></pattern></defs>\n"
    );
    let mut at = 0;
    for (n, stage) in stages.iter().enumerate() {
        let y = n as f64 * ROW + 2.0;
        let (x, width) = (NAMES + at as f64 * scale, (stage.ms as f64 * scale).max(2.0));
        let middle = y + ROW / 2.0 + 4.0;
        let _ =
            writeln!(out, "<text x=\"0\" y=\"{middle:.1}\">{}</text>", encode_text(stage_words(&stage.name)));
        let _ = writeln!(
            out,
            "<rect class=\"stage\" x=\"{x:.1}\" y=\"{:.1}\" width=\"{width:.1}\" height=\"{:.1}\"/>",
            y + 5.0,
            ROW - 10.0
        );
        if away_in(page, &stage.name) {
            let _ = writeln!(
                out,
                "<rect x=\"{x:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\" fill=\"url(#away)\"/>",
                y + 2.0,
                width.max(6.0),
                ROW - 4.0
            );
        }
        let _ =
            writeln!(out, "<text class=\"end\" x=\"{WIDTH}\" y=\"{middle:.1}\">{}</text>", time(stage.ms));
        at += stage.ms;
    }
    out.push_str("</svg>\n");
    out
}

/// Whether the service was away in a stage.
pub fn away_in(page: &Page, stage: &str) -> bool {
    let of = match stage {
        "activate" => &page.report.activation,
        "reactivate" => &page.report.reactivation,
        _ => return false,
    };
    of.as_ref().is_some_and(|one| one.restarts)
}
