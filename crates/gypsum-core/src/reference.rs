//! The reference of the profile format, made from its types: a JSON schema, and the same as Markdown.

use crate::profile::Profile;
use crate::rules::form_schemas;
use schemars::generate::SchemaSettings;
use serde_json::{Map, Value, json};

/// The schema of a profile (JSON Schema, draft 2020-12).
pub fn schema() -> Value {
    let mut generator = SchemaSettings::draft2020_12().into_generator();
    let forms = form_schemas(&mut generator).into_iter().map(|(word, mut form)| {
        let about = form.as_object_mut().and_then(|form| form.remove("description")).unwrap_or_default();
        if let Some(form) = form.as_object_mut() {
            form.remove("title");
        }
        json!({ "type": "object", "description": about, "properties": { word: form }, "required": [word] })
    });
    let forms: Vec<Value> = forms.collect();
    let mut schema = generator.into_root_schema_for::<Profile>().to_value();
    schema["$defs"]["Rule"]["oneOf"] = forms.into();
    schema["title"] = "A profile of a daemon".into();
    schema
}

/// The tables and words that a schema names.
pub fn definitions(schema: &Value) -> Map<String, Value> {
    schema["$defs"].as_object().cloned().unwrap_or_default()
}

/// The keys of a table.
pub fn properties(table: &Value) -> Vec<(String, Value)> {
    let own = table["properties"].as_object().into_iter().flatten();
    own.map(|(key, value)| (key.clone(), value.clone())).collect()
}

/// The schema itself, or the one that it refers to.
pub fn resolved<'a>(root: &'a Value, schema: &'a Value) -> &'a Value {
    let name = schema.get("$ref").and_then(Value::as_str).and_then(|name| name.strip_prefix("#/$defs/"));
    name.map_or(schema, |name| &root["$defs"][name])
}

/// The schemas that a value may be of: one of several, or this one.
pub fn any_of<'a>(root: &'a Value, schema: &'a Value) -> Vec<&'a Value> {
    let schema = resolved(root, schema);
    let several =
        ["oneOf", "anyOf", "allOf"].into_iter().filter_map(|key| schema.get(key)?.as_array()).flatten();
    std::iter::once(schema).chain(several.flat_map(|one| any_of(root, one))).collect()
}

/// The forms of a rule: the key of each, and what is behind it.
pub fn rule_forms(schema: &Value) -> Vec<(String, Value)> {
    let forms = schema["$defs"]["Rule"]["oneOf"].as_array().into_iter().flatten();
    forms.filter_map(|form| Some((properties(form).first()?.0.clone(), form.clone()))).collect()
}

/// The reference as Markdown: a table of keys for each table of a profile.
pub fn reference(schema: &Value) -> String {
    let mut out = String::from("\n## Reference\n\n");
    section(&mut out, "The profile itself", schema);
    for (name, one) in definitions(schema) {
        section(&mut out, &name, &one);
    }
    out.push_str("\n### Forms of rules\n\nA rule has one of these keys.\n");
    for (word, form) in rule_forms(schema) {
        let about = form["description"].as_str().unwrap_or_default();
        out.push_str(&format!("\n#### {word}\n\n{about}\n"));
        match &form["properties"][&word] {
            fields if !properties(fields).is_empty() => {
                out.push('\n');
                table_of(&mut out, fields);
            }
            value => out.push_str(&format!("\nIt takes {}.\n", takes(value))),
        }
    }
    out.push_str("\n### Health checks\n\n");
    out.push_str("A table `[[health]]` has one of these keys, and words that go with it. `--health` and `--must` take the same words as a sentence.\n");
    let kinds = schema["properties"]["health"]["items"]["oneOf"].as_array().cloned().unwrap_or_default();
    for kind in kinds {
        let name = kind["title"].as_str().unwrap_or_default().to_owned();
        let about = kind["description"].as_str().unwrap_or_default();
        out.push_str(&format!(
            "\n#### {name}\n\n{about} For example: `{}`.\n\n",
            kind["examples"][0].as_str().unwrap_or_default()
        ));
        table_of(&mut out, &kind);
    }
    out
}

fn section(out: &mut String, name: &str, one: &Value) {
    let about = one["description"].as_str().unwrap_or_default().replace('\n', " ");
    out.push_str(&format!("\n### {name}\n\n{about}\n\n"));
    if let Some(choices) = one.get("oneOf").or_else(|| one.get("enum")).and_then(Value::as_array) {
        out.push_str("| one of | meaning |\n|---|---|\n");
        for choice in choices {
            choice_of(out, choice);
        }
        out.push('\n');
    }
    if !properties(one).is_empty() {
        table_of(out, one);
    }
}

fn choice_of(out: &mut String, choice: &Value) {
    let about = choice["description"].as_str().unwrap_or_default().replace('\n', " ").replace('|', "\\|");
    let plain = choice.get("const").or_else(|| choice.as_str().map(|_| choice)).and_then(Value::as_str);
    if let Some(word) = plain {
        out.push_str(&format!("| `{word}` | {about} |\n"));
    }
    // Words of one meaning each, together.
    for word in choice.get("enum").and_then(Value::as_array).into_iter().flatten().filter_map(Value::as_str) {
        out.push_str(&format!("| `{word}` | {about} |\n"));
    }
    for (key, value) in properties(choice) {
        out.push_str(&format!("| `{key} =` {} | {about} |\n", takes(&value)));
    }
}

fn table_of(out: &mut String, one: &Value) {
    out.push_str("| key | takes | meaning |\n|---|---|---|\n");
    let required: Vec<&str> =
        one["required"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
    for (key, value) in properties(one) {
        let about = value["description"].as_str().unwrap_or_default().replace('\n', " ").replace('|', "\\|");
        let needed = if required.contains(&key.as_str()) { " (needed)" } else { "" };
        out.push_str(&format!("| `{key}`{needed} | {} | {about} |\n", takes(&value)));
    }
}

/// What a key takes, in words.
fn takes(value: &Value) -> String {
    if let Some(name) =
        value.get("$ref").and_then(Value::as_str).and_then(|name| name.strip_prefix("#/$defs/"))
    {
        return format!("[{name}](#{})", name.to_lowercase());
    }
    if value.get("format").and_then(Value::as_str) == Some("duration") {
        return "a time".into();
    }
    if value["items"].get("oneOf").is_some() {
        return "[health checks](#health-checks)".into();
    }
    let several =
        ["anyOf", "allOf", "oneOf"].into_iter().filter_map(|key| value.get(key)?.as_array()).flatten();
    let several: Vec<String> = several.filter(|one| one["type"] != "null").map(takes).collect();
    if !several.is_empty() {
        return several.join(" or ");
    }
    let kind = match &value["type"] {
        Value::Array(kinds) => kinds.iter().find_map(Value::as_str).unwrap_or_default(),
        kind => kind.as_str().unwrap_or_default(),
    };
    match kind {
        "string" => "a text".into(),
        "boolean" => "true or false".into(),
        "integer" => "a whole number".into(),
        "array" => match value.get("items").or_else(|| value.get("prefixItems").and_then(|all| all.get(0))) {
            Some(items) => format!("a list: {}", takes(items)),
            None => "a list".into(),
        },
        "object" => match value.get("additionalProperties").filter(|any| any.is_object()) {
            Some(any) => format!("a table, by name: {}", takes(any)),
            None => "a table".into(),
        },
        other => other.to_owned(),
    }
}
