//! One change from the request to its end.

use super::close::close_early;
use super::drafts::Typed;
use super::follow::carry_on;
use super::handover::HandOver;
use super::observer::{Finished, Observer};
use super::prepare::prepare;
use super::recorder::Recorder;
use super::request::ChangeRequest;
use super::steps::{Obstacle, RunContext, Steps};
use crate::state::State;
use crate::world::World;
use gypsum_core::change::Change;
use gypsum_core::event::Event;

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
    let takes_back = request.takes_back();
    recorder.emit(Event::Begun { daemon, why, who, dry_run, hold, takes_back });
    let mut steps = Steps {
        cx: RunContext { world, state, recorder },
        change: Change::open(dry_run),
        obstacle: Obstacle::default(),
    };
    // It outlives the change: the locks are held, and a guardian that was not needed is waited for, until all is said.
    let mut to = HandOver::default();
    let mut typed = Typed::of(&request);
    match prepare(&mut steps, &mut to, &mut typed, request) {
        Some(saved) => carry_on(steps, saved, &mut to),
        None => close_early(steps, &typed),
    }
}
