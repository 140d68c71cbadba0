//! What is known of a change, from its records.

use crate::document::of_report;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::evidence::Progress;
use gypsum_host::state::{Entry, Way};
use serde_json::{Value, json};

/// What is known of a change.
pub(super) struct Known {
    pub way: Way,
    /// The record, or as much of it as there is yet, or as can still be read; `None` if nothing was ever live.
    pub report: Option<Report>,
    /// The records that are damaged, in words.
    pub damaged: Vec<String>,
}

pub(super) fn known(daemon: &str, entry: &Entry) -> Known {
    let so_far = || entry.so_far(&RealDisk, Report::new(daemon));
    let evidence = match entry.evidence(&RealDisk) {
        Ok(evidence) => evidence,
        Err(error) => {
            let way = Way::Unknown(error.to_string());
            let report = entry.report(&RealDisk).or_else(|| Some(so_far()));
            return Known { way, report, damaged: vec![error.to_string()] };
        }
    };
    let way = entry.way(&evidence);
    let damaged = evidence.damage.iter().map(|damage| damage.words()).collect();
    let report = match (evidence.report, evidence.progress) {
        (Some(report), _) => Some(report),
        (None, Progress::NotBegun) => None,
        (None, Progress::Ended(verdict)) => Some(Report { verdict: Some(verdict), ..so_far() }),
        (None, Progress::Open(..) | Progress::Unknown | Progress::Newer(..)) => Some(so_far()),
    };
    Known { way, report, damaged }
}

impl Known {
    /// The change for other programs: its report, and what is known beside it.
    pub fn document(&self, daemon: &str, entry: &Entry) -> Value {
        let empty = Report::new(daemon);
        let mut fields = of_report(self.report.as_ref().unwrap_or(&empty));
        let change = &mut fields["change"];
        change["number"] = entry.number.into();
        change["name"] = entry.name.as_str().into();
        change["folder"] = json!(entry.folder);
        if change["begun"].is_null() {
            change["begun"] = json!(entry.begun().map(|begun| begun.to_string()));
        }
        fields["backup"] = json!(entry.folder.join("before"));
        fields["damaged"] = json!(self.damaged);
        fields["way"] = match self.way {
            Way::Ended => "ended",
            Way::GoesOn(_) => "goes on",
            Way::CutOff => "interrupted",
            Way::Unknown(_) => "unknown",
        }
        .into();
        fields
    }
}

/// When a change was begun, in local time with its zone.
pub(super) fn local_time(entry: &Entry) -> String {
    let zone = gypsum_host::local_zone::local_zone();
    let local = entry.begun().map(|begun| begun.to_zoned(zone).strftime("%Y-%m-%d %H:%M:%S %Z").to_string());
    local.unwrap_or_else(|| entry.name.clone())
}
