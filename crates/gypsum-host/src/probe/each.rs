//! The same asked of each of several: side by side by a few clients.

use super::{ProbeContext, ProbeError, answers};
use crate::beside;
use gypsum_core::probe::{Answer, Grade, Probe};
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// So many clients ask at once.
const CLIENTS: usize = 4;
/// So many times the limit of one question all of them together may take.
const LIMITS: u32 = 2;

/// The answers, in the order of the questions. One that did not come is an answer that failed; what was not asked in
/// time, or may not be asked by this account, has none.
///
/// # Errors
///
/// If nothing may be asked.
pub fn answers_of(
    probes: &[Probe],
    scene: &ProbeContext,
    limit: Duration,
) -> Result<Vec<Answer>, ProbeError> {
    let deadline = Instant::now() + limit * LIMITS;
    let next = Mutex::new(0..probes.len());
    let (next, ask) = (&next, |probe: &Probe| {
        answers(probe, scene, limit).or_else(|error| match error.is_unknown() {
            true => Err(error),
            false => Ok(vec![Answer::new(probe.asks(), Grade::Failed, error.to_string())]),
        })
    });
    let client = move || {
        let mut got = Vec::new();
        while Instant::now() < deadline {
            let Some(n) = next.lock().ok().and_then(|mut next| next.next()) else { break };
            got.push((n, ask(&probes[n])));
        }
        got
    };
    let mut all: Vec<(usize, Result<Vec<Answer>, ProbeError>)> = std::thread::scope(|scope| {
        let clients: Vec<_> = (0..CLIENTS.min(probes.len())).map(|_| beside::begin(scope, client)).collect();
        clients.into_iter().filter_map(|client| client.wait().ok()).flatten().collect()
    });
    all.sort_by_key(|(n, _)| *n);
    let (mut asked, mut unknown) = (Vec::new(), None);
    for (_, answers) in all {
        match answers {
            Ok(answers) => asked.extend(answers),
            Err(error) => unknown = Some(error),
        }
    }
    match unknown {
        Some(error) if asked.is_empty() => Err(error),
        _ => Ok(asked),
    }
}
