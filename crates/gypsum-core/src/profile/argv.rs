//! A command of a profile.

/// A command as an argument vector; never a shell line. The first word is an absolute path.
pub type Argv = Vec<String>;
