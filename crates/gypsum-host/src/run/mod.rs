//! One change, from the request to its verdict. The state machine of the core gives the orders; here they are
//! carried out, and what came of them is fed back.
//!
//! Before anything is written each step takes what the one before it made ([`prepare`]). From the backup on a change
//! is its plan and its record ([`apply`], [`restore`]).

mod apply;
mod close;
mod drafts;
mod handover;
mod prepare;
mod ready;
mod recorder;
mod recover;
mod request;
mod restore;
mod steps;
mod values;

pub use handover::{Staged, carry_staged};
pub use prepare::{Companion, ExtraFiles};
pub use ready::ready;
pub use recorder::Acceptance;
pub use recover::{carry_saved, recover, recover_all, resume};
pub use request::{ChangeRequest, NewContent, Wishes};
pub use values::Values;

use crate::error::Error;
use crate::locks::Locks;
use crate::state::State;
use crate::world::World;
use drafts::Typed;
use gypsum_core::change::Change;
use gypsum_core::event::Event;
use gypsum_core::report::Report;
use prepare::prepare;
use recorder::Recorder;
use steps::{Obstacle, RunContext, Steps};

/// Somebody who watches what happens.
pub trait Observer {
    /// One thing happened.
    fn on_event(&mut self, event: &Event);

    /// Whether to go on although something is unhealthy already, as was just told. An observer that can ask nobody
    /// says yes: the change is judged by whether anything gets worse.
    fn confirm(&mut self) -> bool;
}

/// How a change ended.
#[derive(Debug)]
pub struct Finished {
    /// Its report.
    pub report: Report,
    /// The exit status that it amounts to.
    pub status: u8,
}

impl Finished {
    /// As the report says.
    fn as_reported(report: Report) -> Self {
        let status = report.status();
        Self { report, status }
    }

    /// By this error, if nothing was live and there was one; else as the report says.
    fn early(report: Report, error: Option<&Error>) -> Self {
        match error {
            Some(error) => Self { status: error.kind.status(), report },
            None => Self::as_reported(report),
        }
    }
}

/// Carries out a whole change.
pub fn change(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    request: ChangeRequest,
) -> Finished {
    let daemon = request.profile.daemon.clone();
    let mut recorder = Recorder::new(world, observer, &daemon);
    let (why, who) = (request.why.clone(), request.who.clone());
    let (dry_run, hold) = (request.wishes.dry_run, request.wishes.hold);
    recorder.emit(Event::Begun { daemon, why, who, dry_run, hold });
    let mut steps = Steps {
        cx: RunContext { world, state, recorder },
        change: Change::open(dry_run),
        obstacle: Obstacle::default(),
    };
    let mut locks = Locks::default();
    let mut typed = Typed::of(&request);
    match prepare(&mut steps, &mut locks, &mut typed, request) {
        Some(prepared) => handover::carry_prepared(steps, prepared, locks),
        None => close::close_early(steps, &typed),
    }
}
