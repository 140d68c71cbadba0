//! Another entry of the service's manager is up: one that goes down or is told with the service, or opens its ports.

use super::ProbeContext;
use super::ProbeError;
use crate::service;

pub fn probe(name: &str, scene: &ProbeContext) -> Result<String, ProbeError> {
    let seen = service::glance(&scene.service.beside(name), None);
    let words = seen.state.words();
    if seen.state.is_up() {
        Ok(words.to_owned())
    } else {
        Err(format!("{words}{}", seen.result_words()).into())
    }
}
