//! What came into a log since the service was told of its configuration.

use super::ProbeContext;
use super::ProbeError;
use crate::service;
use gypsum_core::probe::Log;
use std::path::Path;

pub fn probe(log: &Log, scene: &ProbeContext) -> Result<String, ProbeError> {
    let Some(since) = &scene.since else {
        return Ok("will be looked at after the activation".into());
    };
    let text = match &log.file {
        None => crate::world::texts(service::logs_since(&scene.service, since, None)).join("\n"),
        Some(path) => since.since(Path::new(path)).map_err(ProbeError::io)?,
    };
    Ok(log.expect.judge("the log since then", &text)?)
}
