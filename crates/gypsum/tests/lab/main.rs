//! Real daemons from Debian's packages, under a real systemd, in a disposable host. Needs root and the
//! packages that `.ci/run` installs; without them the tests say that they were skipped, and why.

mod daemons;
mod host;
mod kill;
mod places;
mod services;
