//! The hooks of a change: commands of the profile between the files and the activation.

use crate::error::Error;
use crate::run::live::Live;
use crate::run::steps::Timer;
use gypsum_core::event::Event;
use std::time::Duration;

/// Runs the hooks of this change; on the way back those that undo them.
pub(in crate::run) fn run_hooks(live: &mut Live<'_>, back: bool) -> Result<(), Error> {
    let plan = live.plan.clone();
    for hook in &plan.hooks {
        let argv = if back { hook.undo.as_ref().unwrap_or(&hook.run) } else { &hook.run };
        let limit = hook.limit.and_then(|limit| limit.try_into().ok());
        let limit = limit.unwrap_or(Duration::from_millis(plan.limit_ms));
        let timer = Timer::start(live.cx.world);
        let done = live.cx.world.run(argv, limit);
        let ms = timer.ms(live.cx.world);
        let (action, target) = (if back { "undo" } else { "hook" }.to_owned(), hook.title.clone());
        let failed = done.err();
        let said = failed.as_ref().map(ToString::to_string).unwrap_or_default();
        live.emit(Event::Beside { action, target, ok: failed.is_none(), said, ms });
        if let Some(why) = failed.filter(|_| !back) {
            return Err(Error::cannot(format!("{} failed: {why}", hook.title)));
        }
    }
    Ok(())
}
