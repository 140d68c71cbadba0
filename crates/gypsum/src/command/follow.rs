//! `gypsum follow`: the last change from its beginning, and on until it ends.

use super::Context;
use super::changes::must_be_known;
use crate::target::NoTarget;
use crate::view::ChangeView;
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::record::Recorded;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::run::Observer;
use gypsum_host::state::{Entry, Way};
use std::time::Duration;

/// How often it is looked for more.
const LOOK: Duration = Duration::from_millis(100);

pub fn run(context: &Context, daemon: &str) -> Result<ExitStatus, NoTarget> {
    let Some(entry) = context.state.newest(&RealDisk, daemon)?.next().transpose()? else {
        must_be_known(daemon)?;
        return Err(Error::usage(format!("{daemon} has no change to follow")).into());
    };
    let (status, report) = follow(context, daemon, &entry, ChangeView::new(context.out))?;
    context.report(status, &report);
    Ok(status)
}

/// Shows this change in `view` until it ends; its exit status, and what is known of it.
pub fn follow(
    context: &Context,
    daemon: &str,
    entry: &Entry,
    mut view: ChangeView,
) -> Result<(ExitStatus, Report), NoTarget> {
    let mut report = Report::new(daemon);
    let mut shown = 0;
    loop {
        // Asked before its events are read: what ends meanwhile is seen in them.
        let way = entry.way(&entry.evidence(&RealDisk)?);
        let events = entry.events(&RealDisk);
        for event in events.into_iter().skip(shown) {
            // The last line may be half written.
            let Recorded::Whole(event) = event else { break };
            shown += 1;
            report.take(&event);
            view.on_event(&event);
            if matches!(event, Event::Ended { .. }) {
                let report = entry.report(&RealDisk).unwrap_or(report);
                return Ok((ExitStatus::of(&report), report));
            }
        }
        match way {
            Way::GoesOn(_) => std::thread::sleep(LOOK),
            Way::Ended | Way::CutOff | Way::Unknown(_) => {
                say_cut_off(context, daemon)?;
                return Ok((ExitStatus::Stuck, report));
            }
        }
    }
}

/// Nobody carries it any more, and it has no end.
fn say_cut_off(context: &Context, daemon: &str) -> Result<(), Error> {
    if context.open_change(daemon)?.is_none() {
        context.say_unless_json(&format!("Nothing of the last change of {daemon} was ever live."));
    }
    Ok(())
}
