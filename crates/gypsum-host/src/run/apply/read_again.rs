//! Readings after the activation, beside those before it.

use crate::probe::ProbeContext;
use crate::run::live::Live;
use crate::run::prepare::read_all;
use gypsum_core::event;
use gypsum_core::event::Event;
use gypsum_core::probe::Probe;
use gypsum_core::reading::{Reading, Seen, unmoved};

/// Reads again what was read before, shows both, and warns of what should have moved. In `haste` only what can be
/// read without asking anybody.
pub(in crate::run) fn read_again(live: &mut Live<'_>, scene: &ProbeContext, haste: bool) {
    let world = live.cx.world;
    let plan = &live.plan;
    let at_once = |reading: &&Reading| !haste || matches!(reading.source, Probe::Process(_));
    let readings: Vec<Reading> = plan.readings.iter().filter(at_once).cloned().collect();
    if readings.is_empty() {
        return;
    }
    let now = read_all(world, &readings, scene);
    let before = &plan.readings_before;
    let shown = |seen: &Seen| {
        let old = before.iter().find(|old| old.name == seen.name).and_then(|old| old.value.clone());
        let text = |value: Option<String>| value.unwrap_or_else(|| "not to be seen".into());
        event::Reading { name: seen.name.clone(), before: text(old), after: text(seen.value.clone()) }
    };
    let readings: Vec<event::Reading> = now.iter().map(shown).collect();
    let findings = unmoved(before, &now, &plan.moved);
    live.emit(Event::Read { readings });
    for finding in findings {
        live.emit(Event::Found { finding });
    }
}
