//! Records of version 1, as the program of that time wrote them, are read by this one.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use gypsum_core::change::{Stage, Verdict, decode};
use gypsum_core::event::Event;
use gypsum_core::health::Judgement;
use gypsum_core::probe::{Probe, Property};
use gypsum_core::record::unseal;
use gypsum_core::report::Report;

#[test]
fn a_journal_of_version_1_has_its_plan_and_its_end() {
    let log = decode(include_bytes!("records/journal-1"));
    assert_eq!((log.last, log.damaged, log.newer), (Some(Stage::Closed(Verdict::Kept)), None, None));
    let plan = log.plan.unwrap();
    assert_eq!((plan.daemon.as_str(), plan.steady_ms), ("quay", 1_000));
    assert!(plan.baseline.iter().all(|outcome| outcome.healthy) && !plan.baseline.is_empty());
}

#[test]
fn events_of_version_1_are_read_whole() {
    let lines = include_str!("records/events-1.jsonl").lines();
    let events: Vec<Event> =
        lines.map(|line| unseal(line.as_bytes()).whole().expect("a whole event")).collect();
    let has = |wanted: &dyn Fn(&Event) -> bool| events.iter().any(wanted);
    assert!(has(&|event| matches!(event, Event::Checked { by } if by[0].name.contains("rules"))));
    assert!(has(&|event| matches!(event, Event::Waiting { steady_ms: Some(1_000), .. })));
    assert!(has(
        &|event| matches!(event, Event::Looked { judgement: Judgement::Healthy, health, .. } if health[0].healthy)
    ));
}

#[test]
fn a_report_of_version_1_is_read_whole() {
    let report: Report = unseal(include_bytes!("records/change-1.json")).whole().unwrap();
    assert_eq!((report.verdict, report.healthy, report.schema), (Some(Verdict::Kept), Some(true), 1));
}

#[test]
fn a_check_of_version_1_names_a_property_fact() {
    let expect = r#"{"is":"5","contains":null,"lacks":null,"at-least":null,"at-most":null}"#;
    let text = format!(r#"{{"process":{{"fact":"nice","expect":{expect}}}}}"#);
    let probe: Probe = serde_json::from_str(&text).unwrap();
    assert!(matches!(&probe, Probe::Process(process) if process.property == Property::Nice), "{probe:?}");
}
