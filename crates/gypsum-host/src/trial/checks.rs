//! Asking as clients do, inside of a trial.

use super::spec::TrialSpec;
use crate::beside;
use crate::probe::{ProbeContext, answers, probe};
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Answer, Check, Measure};
use gypsum_core::trial::Got;
use std::time::{Duration, Instant};

/// How often it is asked again.
const AGAIN: Duration = Duration::from_millis(30);
/// So long it is waited for somebody to answer at all, at first.
const PATIENCE: Duration = Duration::from_millis(600);
/// So often it is asked where somebody answers, and not what is wanted.
const TRIES: u32 = 3;

/// What clients get, check by check, side by side. Nobody is asked any more once the daemon is not there.
pub fn ask(spec: &TrialSpec, mut is_alive: impl FnMut() -> bool) -> Vec<Got> {
    let checks = spec.checks_inside();
    let asked = std::thread::scope(|scope| {
        let begin = |check| beside::begin(scope, move || one(check));
        let all: Vec<_> = checks.iter().map(begin).collect();
        all.into_iter().map(|one| one.wait().ok()).collect::<Vec<_>>()
    });
    // A second look at what failed, where it takes longer than that: a daemon that opens its port late.
    let patience = Duration::from_millis(spec.answer_ms);
    let begun = Instant::now();
    let mut all = Vec::new();
    for (check, got) in checks.iter().zip(asked) {
        let mut got = got.unwrap_or_else(|| nothing(check));
        while !got.outcome.healthy
            && got.answers.is_empty()
            && begun.elapsed() < patience.min(Duration::from_millis(check.patience_ms))
            && is_alive()
        {
            got = one(check);
        }
        all.push(got);
    }
    all
}

fn one(check: &Check) -> Got {
    let begun = Instant::now();
    let mut tries = 0;
    loop {
        let got = once(check);
        tries += 1;
        let is_answered = !got.answers.is_empty();
        if got.outcome.healthy || is_answered && tries >= TRIES || begun.elapsed() >= PATIENCE {
            return got;
        }
        std::thread::sleep(AGAIN);
    }
}

fn once(check: &Check) -> Got {
    let scene = ProbeContext::default();
    let Some(measure) = &check.measure else {
        return Got { outcome: probe(check, &scene), answers: Vec::new() };
    };
    let begun = Instant::now();
    let got = answers(&check.probe, &scene, Duration::from_millis(check.limit_ms));
    // By themselves: what they are compared with is known outside.
    let judged = got.as_ref().map_err(ToString::to_string).and_then(|got| {
        let plain = Measure { before: Vec::new(), ..measure.clone() };
        plain.judge(got).map_err(|why| why.0)
    });
    let is_unknown = got.as_ref().is_err_and(crate::probe::ProbeError::is_unknown);
    let outcome = Outcome {
        name: check.name.clone(),
        healthy: judged.is_ok() || is_unknown,
        is_unknown,
        said: judged.unwrap_or_else(|why| why),
        ms: u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX),
        is_left: false,
    };
    let answers: Vec<Answer> = got.unwrap_or_default();
    Got { outcome, answers }
}

fn nothing(check: &Check) -> Got {
    let said = "it could not be asked".to_owned();
    let outcome = Outcome { name: check.name.clone(), said, ..Outcome::default() };
    Got { outcome, answers: Vec::new() }
}
