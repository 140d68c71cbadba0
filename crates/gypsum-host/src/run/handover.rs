//! The order *hand over*: the guardian gets the change.

use super::live::Live;
use crate::guardian::{Guardian, GuardianClient, Handover, Staged};
use crate::locks::Locks;
use gypsum_core::change::StepOutcome;
use std::io;

/// The locks of a change, and the process that may take it over with them.
#[derive(Default)]
pub(super) struct HandOver {
    /// The locks.
    pub locks: Locks,
    /// What others are told who want the locks.
    pub holder: String,
    /// The process, while it comes up; `None` if the change stays in this one.
    pub guardian: Option<Guardian>,
    /// The line to it, once it has the change.
    pub client: Option<GuardianClient>,
}

/// Hands the change over to the guardian that was started for it. If there is none, the change goes on in this process;
/// if it did not come up, that is said.
pub(super) fn hand_over(live: &mut Live<'_>, to: &mut HandOver) -> StepOutcome {
    let Some(guardian) = to.guardian.take() else { return StepOutcome::Done };
    match guardian.come().and_then(|client| send(live, client, to)) {
        Ok(client) => {
            to.client = Some(client);
            StepOutcome::HandedOver
        }
        Err(why) => {
            live.note(format!("running in this session: the guardian could not be started ({why})"));
            StepOutcome::Done
        }
    }
}

fn send(live: &Live<'_>, mut client: GuardianClient, to: &HandOver) -> io::Result<GuardianClient> {
    let recorder = &live.cx.recorder;
    let staged = Staged {
        entry: live.entry.clone(),
        plan: live.plan.clone(),
        report: recorder.report().clone(),
        secrets: recorder.secrets(),
    };
    let handover = Handover {
        state: live.cx.state.clone(),
        staged,
        holder: to.holder.clone(),
        is_watched: live.cx.world.is_watched(),
    };
    client.hand_over(handover, &to.locks)?;
    Ok(client)
}
