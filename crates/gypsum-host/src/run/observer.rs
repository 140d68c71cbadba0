//! Who watches a change, and how it ended.

use crate::error::Error;
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;

/// Somebody who watches what happens.
pub trait Observer {
    /// One thing happened.
    fn on_event(&mut self, event: &Event);

    /// Whether to go on although something is unhealthy already, as was just told. An observer that can ask nobody
    /// says yes: the change is judged by whether anything gets worse.
    fn confirm(&mut self) -> bool;
}

/// Nobody looks on: what happens is on record, and how it ends is told.
pub struct Nobody;

impl Observer for Nobody {
    fn on_event(&mut self, _event: &Event) {}

    fn confirm(&mut self) -> bool {
        true
    }
}

/// How a change ended.
#[derive(Debug)]
pub struct Finished {
    /// Its report.
    pub report: Report,
    /// The exit status that it amounts to.
    pub status: ExitStatus,
}

impl Finished {
    /// As the report says.
    pub(super) fn as_reported(report: Report) -> Self {
        let status = ExitStatus::of(&report);
        Self { report, status }
    }

    /// By this error, if nothing was live and there was one; else as the report says.
    pub(super) fn early(report: Report, error: Option<&Error>) -> Self {
        match error {
            Some(error) => Self { status: error.status(), report },
            None => Self::as_reported(report),
        }
    }
}
