//! What clients asked is asked again. The plan of a change keeps digests of the paths, and not the paths.

use serde::{Deserialize, Serialize};

/// What clients asked, by digests; the paths are found again in the logs.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Replay {
    /// The access logs.
    pub logs: Vec<String>,
    /// What is asked.
    pub asked: Vec<Asked>,
}

/// One of the requests.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Asked {
    /// The site, as a URL that ends before the path.
    pub site: String,
    /// The address and port where it is asked.
    pub at: String,
    /// A digest of the path.
    pub digest: String,
}
