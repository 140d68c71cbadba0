//! The topics of `gypsum help`. They are documents of `docs/`; the manual has them, too.

/// One topic.
pub struct Topic {
    /// The word that is typed.
    pub name: &'static str,
    /// Its document.
    pub text: &'static str,
}

/// All topics.
pub const TOPICS: [Topic; 6] = [
    Topic { name: "addresses", text: include_str!("../../../../docs/addresses.md") },
    Topic { name: "edits", text: include_str!("../../../../docs/edits.md") },
    Topic { name: "checks", text: include_str!("../../../../docs/checks.md") },
    Topic { name: "formats", text: include_str!("../../../../docs/formats.md") },
    Topic { name: "profiles", text: include_str!("../../../../docs/profiles.md") },
    Topic { name: "safety", text: include_str!("../../../../docs/safety.md") },
];
