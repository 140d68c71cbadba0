//! The forms of a profile's rules: a closed set, filled in by a profile. One file a form, with its fields and its check;
//! the list here has them all.

mod admitted;
mod asked;
mod covered;
mod dead_behind;
mod dead_in_list;
mod ends_alike;
mod keeps;
mod last_word;
mod needs;
mod never;
mod never_block;
mod not_above;
mod not_all;
mod not_beside;
mod one_of;
mod same;
mod twins;
mod wants_end;
mod whole_names;

use super::ConfigView;
use super::statements::broken;
use crate::described::Described;
use crate::finding::Finding;
use crate::layers::Occurrence;
use crate::malformed::Malformed;
use crate::profile::{self, Profile, Rule};
use crate::text::nearest;
use serde::de::DeserializeOwned;

/// A form, filled in by a rule.
trait RuleForm {
    /// What is broken of the rule.
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>);
}

/// On what a form looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum When {
    /// On a configuration as it is.
    Standing,
    /// On a change.
    Change,
}

/// What a form looks at. As it is, both sides are the same.
pub(super) struct Sides<'a> {
    /// What was there.
    pub before: ConfigView<'a>,
    /// What will be.
    pub after: ConfigView<'a>,
}

/// One of the forms.
struct Entry {
    /// Its key in a rule.
    word: &'static str,
    /// On what it looks.
    when: When,
    /// Reads what is behind the key.
    read: fn(toml::Value) -> Result<Box<dyn RuleForm>, String>,
    /// What is behind the key, for the reference.
    #[cfg(feature = "reference")]
    schema: fn(&mut schemars::SchemaGenerator) -> schemars::Schema,
}

impl Entry {
    const fn of<F: RuleForm + DeserializeOwned + Described + 'static>(
        word: &'static str,
        when: When,
    ) -> Self {
        Self {
            word,
            when,
            read: |value| {
                let read: Result<F, toml::de::Error> = value.try_into();
                read.map(|form| Box::new(form) as Box<dyn RuleForm>)
                    .map_err(|error| error.message().to_owned())
            },
            #[cfg(feature = "reference")]
            schema: |generator| F::json_schema(generator),
        }
    }
}

const FORMS: [Entry; 19] = [
    Entry::of::<one_of::OneOf>("one-of", When::Standing),
    Entry::of::<not_all::NotAll>("not-all", When::Standing),
    Entry::of::<needs::Needs>("needs", When::Standing),
    Entry::of::<not_above::NotAbove>("not-above", When::Standing),
    Entry::of::<same::Same>("same", When::Standing),
    Entry::of::<dead_behind::DeadBehind>("dead-behind", When::Standing),
    Entry::of::<wants_end::WantsEnd>("wants-end", When::Standing),
    Entry::of::<dead_in_list::DeadInList>("dead-in-list", When::Standing),
    Entry::of::<never::Never>("never", When::Standing),
    Entry::of::<not_beside::NotBeside>("not-beside", When::Standing),
    Entry::of::<never_block::NeverBlock>("never-block", When::Standing),
    Entry::of::<twins::Twins>("twins", When::Standing),
    Entry::of::<covered::Covered>("covered", When::Standing),
    Entry::of::<last_word::LastWord>("last-word", When::Standing),
    Entry::of::<ends_alike::EndsAlike>("ends-alike", When::Standing),
    Entry::of::<whole_names::WholeNames>("whole-names", When::Standing),
    Entry::of::<admitted::Admitted>("admitted", When::Standing),
    Entry::of::<asked::Asked>("asked", When::Change),
    Entry::of::<keeps::Keeps>("keeps", When::Change),
];

/// The form that a rule has.
fn entry_of(rule: &Rule) -> Result<&'static Entry, String> {
    let word = &rule.form.word;
    FORMS.iter().find(|entry| entry.word == word).ok_or_else(|| {
        let near = nearest(word, FORMS.iter().map(|entry| entry.word));
        let near = near.first().map_or(String::new(), |near| format!("; did you mean {near}?"));
        format!("there is no form of rules called {word:?}{near}")
    })
}

/// Reads a profile, with the forms of its rules.
///
/// # Errors
///
/// With the place of what is wrong, if it is no profile, or a rule of it has no form.
pub fn read_profile(text: &str) -> Result<Profile, Malformed> {
    profile::read_with(text, |profile| {
        let misread = |rule: &Rule| {
            let read = entry_of(rule).and_then(|entry| (entry.read)(rule.form.value.clone()));
            read.err().map(|why| (why, rule.form.word.clone()))
        };
        profile.rule.iter().find_map(misread)
    })
}

/// What the rules of a profile say.
pub(super) fn check(when: When, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
    for rule in &sides.after.profile.rule {
        let read = match entry_of(rule) {
            // What looks at something else is not even read.
            Ok(entry) if entry.when != when => continue,
            entry => entry.and_then(|entry| (entry.read)(rule.form.value.clone())),
        };
        match read {
            Ok(form) => form.check(rule, sides, findings),
            Err(why) => findings
                .push(Finding::warning("profile", format!("the rule {} cannot be read: {why}", rule.name))),
        }
    }
}

/// The finding that conditions do not go together, at the last of their settings.
fn say_of_conditions(config_view: &ConfigView<'_>, rule: &Rule, conditions: &[String]) -> Finding {
    at_last_of(config_view, broken(rule, rule.says.clone()), conditions)
}

/// A finding at the last of the settings in these conditions; without a place if none of them is set.
fn at_last_of(config_view: &ConfigView<'_>, finding: Finding, conditions: &[String]) -> Finding {
    match last_of(config_view, conditions) {
        Some(turn) => config_view.at_value(finding, &turn, 0),
        None => finding,
    }
}

/// The last of the settings in these conditions that is set in a file; one that is new comes first.
fn last_of(config_view: &ConfigView<'_>, conditions: &[String]) -> Option<Occurrence> {
    let names = conditions.iter().map(|one| one.trim_start_matches('!'));
    let names: Vec<&str> = names.map(|one| one.split(['=', '!']).next().unwrap_or(one)).collect();
    let turns = names
        .iter()
        .filter_map(|name| config_view.layers.called(config_view.files, config_view.profile, name).last());
    let turns: Vec<&Occurrence> = turns.collect();
    let changed_statements = turns.iter().rfind(|turn| config_view.is_fresh(turn));
    changed_statements.or(turns.last()).map(|turn| **turn)
}

/// The forms for the reference of the profile format: the key of each, and what is behind it.
#[cfg(feature = "reference")]
pub(crate) fn schemas(generator: &mut schemars::SchemaGenerator) -> Vec<(&'static str, serde_json::Value)> {
    FORMS.iter().map(|entry| (entry.word, (entry.schema)(generator).to_value())).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(rule: &str) -> String {
        let head =
            "daemon = 'boards'\ntitle = 'boards'\n[files]\nread = ['/b']\nhome = '/b'\nformat = 'keyword'\n";
        match read_profile(&format!("{head}[[rule]]\nname = 'tide'\nsays = 'high'\n{rule}")) {
            Ok(profile) => profile.rule[0].form.word.clone(),
            Err(error) => format!("{}: {}", error.line, error.message),
        }
    }

    #[test]
    fn a_rule_has_one_form_and_what_is_wrong_has_its_place() {
        assert_eq!(read("one-of = ['a', 'b']"), "one-of");
        assert_eq!(read("twins = { block = 'quay', setting = 'row' }"), "twins");
        assert!(read("").ends_with("the rule tide has no form, such as one-of = [...]"), "{}", read(""));
        let several = read("one-of = ['a']\nneeds = ['b']");
        assert!(several.ends_with("the rule tide has several forms: needs, one-of"), "{several}");
        let near = read("\nonce-of = ['a']");
        assert_eq!(near, "11: there is no form of rules called \"once-of\"; did you mean one-of?");
        let lacking = read("twins = { block = 'quay' }");
        assert!(lacking.starts_with("10: ") && lacking.contains("setting"), "{lacking}");
    }
}
