//! Another entry of the service's manager is up: one that goes down or is told with the service, or opens its ports.

use super::Scene;
use crate::service;
use gypsum_core::profile::Service;

pub fn probe(name: &str, scene: &Scene) -> Result<String, String> {
    let unit = Service { unit: vec![name.to_owned()], proof: None, ..scene.service.clone() };
    let seen = service::glance(&unit, None);
    let result = seen.result.as_deref().filter(|result| *result != "success" && !seen.state.is_up());
    let said =
        format!("{}{}", seen.state.words(), result.map_or(String::new(), |result| format!(" ({result})")));
    if seen.state.is_up() { Ok(said) } else { Err(said) }
}
