//! `gypsum recover`.

use super::{Context, world};
use crate::document::{of_error, of_report};
use crate::target::NoTarget;
use crate::view::ChangeView;
use gypsum_core::change::Verdict;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::run::{recover, recover_all};
use gypsum_host::who::login_name;
use serde_json::json;

pub fn run(context: &Context, daemon: Option<&str>) -> Result<ExitStatus, NoTarget> {
    let world = world()?;
    let daemons = match daemon {
        Some(daemon) => vec![daemon.to_owned()],
        None => recover_all(&world, &context.state)?,
    };
    let mut worst = ExitStatus::Success;
    let mut documents = Vec::new();
    for daemon in &daemons {
        let mut view = ChangeView::new(context.out).recovery().progress(world.progress());
        match recover(&world, &context.state, &mut view, daemon, &login_name()) {
            Ok(Some(finished)) => {
                // Nothing was live, and the record is closed: that is all that a recovery had to do.
                let done = finished.report.verdict == Some(Verdict::Dropped);
                let status = if done { ExitStatus::Success } else { finished.status };
                worst = worst.max_by_code(status);
                let mut fields = of_report(&finished.report);
                fields["status"] = status.code().into();
                documents.push(fields);
            }
            Ok(None) if context.state.newest(&RealDisk, daemon)?.count() == 0 => {
                super::changes::must_be_known(daemon)?;
                context.say_unless_json(&format!("{daemon} has no change to recover."));
            }
            Ok(None) if context.out.json => {}
            Ok(None) => context.out.print(&format!("{daemon} has no change to recover.")),
            // The others are recovered all the same.
            Err(error) if daemons.len() > 1 => {
                worst = worst.max_by_code(error.status());
                context.out.error(&error);
                let mut fields = of_error(&error);
                fields["daemon"] = daemon.as_str().into();
                fields["status"] = error.status().code().into();
                documents.push(fields);
            }
            Err(error) => return Err(error.into()),
        }
    }
    if context.out.json {
        context.answer(worst, json!({ "recovered": documents }));
    } else if daemons.is_empty() {
        context.out.print(&format!("Nothing to recover (in {}).", context.state.root().display()));
    }
    Ok(worst)
}

/// Sets the records aside that keep new changes of a daemon from being made.
pub fn set_aside(context: &Context, daemon: Option<&str>) -> Result<ExitStatus, NoTarget> {
    let Some(daemon) = daemon else {
        return Err(Error::usage("--set-aside needs the name of a daemon").into());
    };
    let folder = context.state.set_aside(&RealDisk, daemon)?;
    if context.out.json {
        context.answer(ExitStatus::Success, json!({ "daemon": daemon, "set_aside": folder }));
    } else {
        context.out.print(&format!("Set aside: the records and the old files are in {}.", folder.display()));
    }
    Ok(ExitStatus::Success)
}
