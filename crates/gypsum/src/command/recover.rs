//! `gypsum recover`.

use super::{Context, world};
use crate::target::NoTarget;
use crate::view::ChangeView;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::run::{recover, recover_all};
use gypsum_host::who::login_name;

pub fn run(context: &Context, daemon: Option<&str>) -> Result<ExitStatus, NoTarget> {
    let world = world()?;
    let daemons = match daemon {
        Some(daemon) => vec![daemon.to_owned()],
        None => recover_all(&world, &context.state)?,
    };
    let mut worst = ExitStatus::Success;
    let mut documents = Vec::new();
    for daemon in &daemons {
        let mut view = ChangeView::new(context.out);
        match recover(&world, &context.state, &mut view, daemon, &login_name()) {
            Ok(Some(finished)) => {
                worst = worst.max_by_code(finished.status);
                documents.push(serde_json::to_value(&finished.report).unwrap_or_default());
            }
            Ok(None) if context.out.json => {}
            Ok(None) => context.out.line(&format!("{daemon} has no change to recover.")),
            // The others are recovered all the same.
            Err(error) if daemons.len() > 1 => worst = worst.max_by_code(context.out.error(&error)),
            Err(error) => return Err(error.into()),
        }
    }
    if context.out.json {
        let one = if documents.len() == 1 { documents.pop().unwrap_or_default() } else { documents.into() };
        context.out.document(&one);
    } else if daemons.is_empty() {
        context.out.line(&format!("Nothing to recover (in {}).", context.state.root().display()));
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
        let schema = gypsum_core::report::SCHEMA;
        context.out.document(&serde_json::json!({ "schema": schema, "daemon": daemon, "set_aside": folder }));
    } else {
        context.out.line(&format!("Set aside: the records and the old files are in {}.", folder.display()));
    }
    Ok(ExitStatus::Success)
}
