//! The published schema of what is printed with `--json`.

use serde_json::Value;

/// Another maker's validator reads the published schema.
pub fn assert_schema(document: &Value) {
    let schema = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/schema/document.json");
    let (mut schemas, mut compiler) = (boon::Schemas::new(), boon::Compiler::new());
    compiler.enable_format_assertions();
    let schema = compiler.compile(schema, &mut schemas).unwrap();
    if let Err(error) = schemas.validate(document, schema) {
        let why = error.to_string();
        let why: Vec<&str> = why.lines().take(60).collect();
        panic!("{}\n{document:#}", why.join("\n"));
    }
}
