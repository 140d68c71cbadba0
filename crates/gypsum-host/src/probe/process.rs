//! Properties of the main process of a service.

use super::{ProbeContext, ProbeError, privileges};
use crate::accounts::user_name;
use crate::service;
use gypsum_core::probe::{self, Property, option_of};
use procfs::process::{LimitValue, Process};

/// Judges a property of the main process.
pub fn probe(process: &probe::Process, scene: &ProbeContext) -> Result<String, ProbeError> {
    let seen = look(&process.property, scene)?;
    Ok(process.expect.judge(&process.property.words(), &seen)?)
}

pub fn look(property: &Property, scene: &ProbeContext) -> Result<String, ProbeError> {
    let seen = scene.look();
    let main = seen.main.ok_or("no main process is known")?;
    let process = i32::try_from(main.pid).ok().and_then(|pid| Process::new(pid).ok());
    let process = process.ok_or_else(|| format!("process {} has ended", main.pid))?;
    let unseen = |error: procfs::ProcError| format!("process {} cannot be looked at: {error}", main.pid);
    let limit = |value: LimitValue| match value {
        LimitValue::Unlimited => "unlimited".to_owned(),
        LimitValue::Value(value) => value.to_string(),
    };
    Ok(match property {
        Property::CommandLine => process.cmdline().map_err(unseen)?.join(" "),
        Property::Nice => process.stat().map_err(unseen)?.nice.to_string(),
        Property::User => user_name(process.status().map_err(unseen)?.euid),
        Property::Privileges => privileges::of(&process).map_err(unseen)?,
        Property::OpenFilesLimit => limit(process.limits().map_err(unseen)?.max_open_files.soft_limit),
        Property::ProcessesLimit => limit(process.limits().map_err(unseen)?.max_processes.soft_limit),
        Property::OpenFiles => process.fd_count().map_err(unseen)?.to_string(),
        Property::Memory => (process.stat().map_err(unseen)?.rss * procfs::page_size()).to_string(),
        Property::Children => (service::processes(&seen).len() - 1).to_string(),
        Property::Option(name) => option_of(&process.cmdline().map_err(unseen)?, name)
            .ok_or_else(|| format!("{name} is not among its options"))?,
        Property::OomScore => process.oom_score_adj().map_err(unseen)?.to_string(),
    })
}
