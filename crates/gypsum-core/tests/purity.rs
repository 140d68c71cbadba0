//! The core has no I/O, no clock, no environment and no printing: neither in its sources nor through
//! what it depends on. Clippy's lists (`clippy.toml` beside the manifest) say the same while typing.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)]

use std::path::Path;

const FORBIDDEN: [&str; 14] = [
    "std::fs",
    "std::env",
    // Addresses are values; sockets are not.
    "TcpStream",
    "UdpSocket",
    "ToSocketAddrs",
    "std::process",
    "std::io::",
    "Instant::now",
    "SystemTime",
    "Timestamp::now",
    "Zoned::now",
    "println!",
    "print!",
    "std::thread",
];
const ALLOWED: [&str; 14] = [
    "gypsum-formats",
    // Only for the reference of the profile format.
    "schemars",
    "aho-corasick",
    "imara-diff",
    "jiff",
    "libyaml-safer",
    "memchr",
    "quick-xml",
    "saphyr-parser",
    "serde",
    "serde_json",
    "shlex",
    "thiserror",
    "toml",
];

fn sources(folder: &Path, out: &mut Vec<(String, String)>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, out);
        } else {
            out.push((path.display().to_string(), std::fs::read_to_string(&path).unwrap()));
        }
    }
}

#[test]
fn no_source_of_the_core_touches_the_machine() {
    let mut all = Vec::new();
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    for folder in ["src", "../gypsum-formats/src"] {
        sources(&own.join(folder), &mut all);
    }
    assert!(all.len() > 60, "the sources were found");
    for (path, text) in all {
        // One file computes in two threads, and does nothing else with them.
        let may = |word: &str| word == "std::thread" && path.ends_with("src/join.rs");
        for word in FORBIDDEN.into_iter().filter(|word| !may(word)) {
            assert!(!text.contains(word), "{path} has {word}");
        }
        assert!(text.starts_with("//!"), "{path} does not open with what it is for");
    }
}

#[test]
fn the_core_depends_on_nothing_that_touches_the_machine() {
    for manifest in ["Cargo.toml", "../gypsum-formats/Cargo.toml"] {
        let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(manifest);
        let manifest = std::fs::read_to_string(path).unwrap();
        let section = manifest.split("[dependencies]").nth(1).unwrap().split("\n[").next().unwrap();
        let names = section.lines().filter_map(|line| line.split(['.', ' ', '=']).next());
        for name in names.filter(|name| !name.is_empty()) {
            assert!(ALLOWED.contains(&name), "the core depends on {name}");
        }
    }
}
