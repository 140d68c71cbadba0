//! The way back: the old files, the old configuration in the service, and its health. One file an order.

mod check_health;
mod reactivate;
mod restore_files;

pub(super) use check_health::check_health_again;
pub(super) use reactivate::reactivate;
pub(super) use restore_files::restore_files;
