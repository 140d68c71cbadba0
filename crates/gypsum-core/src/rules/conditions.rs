//! Blocks that hold only under a condition, such as that a module is loaded.

use super::ConfigView;
use crate::layers::Occurrence;
use crate::profile::Condition;

/// Whether the conditions around a statement hold; `None` if one of them cannot be told and none is known not to hold.
pub fn hold_around(config_view: &ConfigView<'_>, turn: &Occurrence) -> Option<bool> {
    let conditions = &config_view.profile.condition;
    let mut all = Some(true);
    let mut next = (!conditions.is_empty()).then_some(turn.scope);
    while let Some(id) = next {
        let scope = config_view.layers.scope(id);
        let same = |block: &str| config_view.profile.dialect.same(block.as_bytes(), scope.word().as_bytes());
        if let Some(condition) = conditions.iter().find(|condition| same(&condition.block)) {
            let argument = scope.title.get(scope.word().len()..).unwrap_or_default();
            match holds(config_view, condition, argument.trim().trim_matches(['"', '>'])) {
                Some(false) => return Some(false),
                Some(true) => {}
                None => all = None,
            }
        }
        next = scope.parent;
    }
    all
}

fn holds(config_view: &ConfigView<'_>, condition: &Condition, argument: &str) -> Option<bool> {
    let loads = condition.loaded_by.as_deref()?;
    let (argument, negated) = match argument.strip_prefix('!') {
        Some(argument) => (argument.trim(), true),
        None => (argument, false),
    };
    // A module has two names: its own, and that of its source file.
    let module = match argument.strip_prefix("mod_").and_then(|name| name.strip_suffix(".c")) {
        Some(name) => format!("{name}_module"),
        None => argument.to_owned(),
    };
    let called = config_view.layers.called(config_view.files, config_view.profile, loads);
    let mut loaded =
        called.filter_map(|turn| config_view.value(turn).split_whitespace().next().map(str::to_owned));
    let is_loaded = condition.built_in.contains(&module) || loaded.any(|name| name == module);
    Some(is_loaded != negated)
}
