//! Health checks as a profile has them: a table of which one key says what is looked at.

use super::expect::Expect;
use super::kind::{Common, KINDS, fields, one_line};
use super::{BadWords, Check, Probe};
use crate::profile::Argv;
use serde::{Deserialize, Deserializer};
use toml::{Table, Value};

/// A check that is read from a table.
#[derive(Deserialize)]
#[serde(try_from = "Table")]
struct Written(Check);

impl TryFrom<Table> for Written {
    type Error = BadWords;

    fn try_from(table: Table) -> Result<Self, BadWords> {
        read(table).map(Self)
    }
}

/// Reads the health checks of a profile.
pub fn checks<'de, D: Deserializer<'de>>(source: D) -> Result<Vec<Check>, D::Error> {
    let written = Vec::<Written>::deserialize(source)?;
    Ok(written.into_iter().map(|Written(check)| check).collect())
}

/// What a reading looks at, of which one is given, without anything that is expected.
pub fn source(process: Option<String>, run: Option<Argv>, http: Option<String>) -> Result<Probe, BadWords> {
    let text = |word: &str, text: Option<String>| Some((word.to_owned(), Value::String(text?)));
    let run =
        run.map(|run| ("run".to_owned(), run.into_iter().map(Value::String).collect::<Vec<_>>().into()));
    let words = [text("process", process), run, text("http", http)];
    read(words.into_iter().flatten().collect()).map(|check| check.probe)
}

pub(super) fn read(mut table: Table) -> Result<Check, BadWords> {
    let mut kinds = KINDS.iter().filter(|kind| table.contains_key(kind.word));
    let (Some(kind), None) = (kinds.next(), kinds.next()) else {
        let all = KINDS.map(|kind| kind.word).join(", ");
        return Err(BadWords(format!("a health check has exactly one of {all}")));
    };
    let known: Vec<&str> = kind.words().chain([kind.word]).collect();
    if let Some(strange) = table.keys().find(|word| !known.contains(&word.as_str())) {
        return Err(BadWords(format!("{strange} does not go with {}", kind.word)));
    }
    let mut expected = take(&mut table, kind.expects);
    if let Some(prints) = expected.remove("prints") {
        expected.entry("contains").or_insert(prints);
    }
    // Nobody types quotes for a number.
    for value in expected.iter_mut().map(|(_, value)| value) {
        if let Value::Integer(number) = value {
            *value = Value::String(number.to_string());
        }
    }
    let common = take(&mut table, fields::<Common>());
    let expect = Expect::deserialize(expected).map_err(|error| one_line(error.message()))?;
    let common = Common::deserialize(common).map_err(|error| one_line(error.message()))?;
    common.check((kind.of_table)(table, expect)?)
}

/// The health checks of a profile, for its reference: the words of each kind, with those that go with all of them.
#[cfg(feature = "reference")]
pub(crate) fn health_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
    use schemars::JsonSchema;
    use serde_json::{Value, json};
    let properties = |schema: schemars::Schema| schema.get("properties").cloned().unwrap_or_default();
    let (common, expect) = (Common::json_schema(generator), Expect::json_schema(generator));
    let (common, expect) = (properties(common), properties(expect));
    let one = |kind: &super::kind::Entry| {
        let own = (kind.schema)(generator);
        let about = own.get("description").cloned();
        let mut all = properties(own);
        let Value::Object(words) = &mut all else { return json!({}) };
        for word in kind.expects {
            let name = if *word == "prints" { "contains" } else { word };
            words.insert((*word).to_owned(), expect[name].clone());
        }
        words.extend(common.as_object().cloned().into_iter().flatten());
        json!({
            "type": "object", "title": kind.word, "description": about, "required": [kind.word],
            "properties": all, "additionalProperties": false, "examples": [kind.example],
        })
    };
    let kinds: Vec<Value> = KINDS.iter().map(one).collect();
    schemars::json_schema!({ "type": "array", "items": { "oneOf": kinds } })
}

/// Takes these words out of a table.
fn take(table: &mut Table, words: &[&str]) -> Table {
    words.iter().filter_map(|word| table.remove_entry(*word)).collect()
}
