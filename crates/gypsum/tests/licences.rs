//! Everything that is built into the program may be distributed with it.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::Value;
use std::process::Command;

/// Licences that go with Apache-2.0, by their SPDX identifiers.
const GOES_WITH_OURS: [&str; 11] = [
    "Apache-2.0",
    "MIT",
    "MIT-0",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "ISC",
    "Zlib",
    "CC0-1.0",
    "0BSD",
    "Unlicense",
    "Unicode-3.0",
];

/// Whether an SPDX expression can be met: of `OR` one side, of `AND` both.
fn is_met(expression: &str) -> bool {
    let expression = expression.replace('/', " OR ").replace(['(', ')'], " ");
    let meets = |name: &str| {
        let name = name.split(" WITH ").next().unwrap_or_default().trim();
        GOES_WITH_OURS.contains(&name) || name == "CDLA-Permissive-2.0"
    };
    expression.split(" AND ").all(|all| all.split(" OR ").any(meets))
}

#[test]
fn all_licences_go_with_ours() {
    // Only what is built here has been fetched.
    let rustc = Command::new("rustc").arg("-vV").output().unwrap();
    let told = String::from_utf8(rustc.stdout).unwrap();
    let host = told.lines().find_map(|line| line.strip_prefix("host: ")).unwrap();
    let words = ["metadata", "--format-version", "1", "--locked", "--offline", "--filter-platform", host];
    let output = Command::new(env!("CARGO")).args(words).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let metadata: Value = serde_json::from_slice(&output.stdout).unwrap();
    let packages = metadata["packages"].as_array().unwrap();
    assert!(packages.len() > 50, "{}", packages.len());
    for package in packages {
        // One names the file with its licence only: that of MIT.
        let licence = match package["license_file"].as_str() {
            Some("LICENSE-MIT") => "MIT",
            _ => package["license"].as_str().unwrap_or_default(),
        };
        assert!(is_met(licence), "{} has {licence:?}", package["name"]);
    }
}
