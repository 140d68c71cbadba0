//! The order *hand over*: the guardian gets the change.

use super::live::{HandOverTo, Live};
use crate::guardian::{GuardianClient, Handover, Staged};
use std::io;

/// Hands the change over to the guardian that was started for it. `None` if there is none: then the change goes on in
/// this process, and that is said.
pub(super) fn hand_over(live: &mut Live<'_>, to: &mut HandOverTo) -> Option<GuardianClient> {
    let guardian = to.guardian.take()?;
    match guardian.come().and_then(|client| send(live, client, to)) {
        Ok(client) => Some(client),
        Err(why) => {
            live.note(format!("running in this session: the guardian could not be started ({why})"));
            None
        }
    }
}

fn send(live: &Live<'_>, mut client: GuardianClient, to: &HandOverTo) -> io::Result<GuardianClient> {
    let recorder = &live.cx.recorder;
    let staged = Staged {
        entry: live.entry.clone(),
        plan: live.plan.clone(),
        report: recorder.report().clone(),
        secrets: recorder.secrets(),
    };
    let handover = Handover { state: live.cx.state.clone(), staged, holder: to.holder.clone() };
    client.hand_over(handover, &to.locks)?;
    Ok(client)
}
