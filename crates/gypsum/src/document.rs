//! The one JSON document of a command. All of them have `schema`, `command` and `status`; the shapes are published in
//! `docs/schema/`.

use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::{Report, SCHEMA};
use gypsum_host::error::Error;
use serde_json::{Map, Value, json};

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

/// A report with its change as an object of its own.
pub fn of_report(report: &Report) -> Value {
    report.document()
}
