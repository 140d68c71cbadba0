//! The one JSON document of a command. All of them have `schema`, `command` and `status`; the shapes are published in
//! `docs/schema/`.

use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::{Report, SCHEMA};
use gypsum_host::error::Error;
use gypsum_host::state::number_of;
use serde_json::{Map, Value, json};
use std::path::Path;

/// `fields` as the document of `command`; `None` where the command line could not be read.
pub fn document(command: Option<&str>, status: ExitStatus, fields: Value) -> Value {
    let mut document = match fields {
        Value::Object(fields) => fields,
        other => Map::from_iter([("answer".to_owned(), other)]),
    };
    document.insert("schema".into(), SCHEMA.into());
    document.insert("command".into(), command.into());
    document.insert("status".into(), status.code().into());
    Value::Object(document)
}

/// An error for other programs.
pub fn of_error(error: &Error) -> Value {
    json!({ "error": { "message": error.to_string(), "help": error.advice() } })
}

/// A report with its change as an object of its own. One that cannot be written as JSON says so.
pub fn of_report(report: &Report) -> Value {
    let mut value = match serde_json::to_value(report) {
        Ok(value) => value,
        Err(error) => return json!({ "error": { "message": error.to_string(), "help": null } }),
    };
    let name = report.change.as_deref();
    let folder = report.backup.as_deref().and_then(|backup| Path::new(backup).parent());
    value["change"] = json!({
        "number": name.and_then(number_of),
        "name": name,
        "folder": folder,
        "begun": report.begun,
        "ended": report.ended,
    });
    if let Some(fields) = value.as_object_mut() {
        for field in ["schema", "begun", "ended"] {
            fields.remove(field);
        }
    }
    value
}
