//! The way forward: the new files go live, the service takes them up, its health decides. One file an order.

mod activate;
mod await_word;
mod check_health;
mod complaints;
mod hooks;
mod log_excerpt;
mod read_again;
mod related;
mod replace;
mod service_action;
mod stage;
mod tidy;

pub(super) use activate::{activate, gentle_action};
pub(super) use await_word::await_word;
pub(super) use check_health::{check_health, health_of};
pub(super) use hooks::run_hooks;
pub(super) use log_excerpt::{keep_log, mark_log, quote_log};
pub(super) use related::{
    open_sockets, release_watchdogs, reopen_sockets, restart_followers, start_taken_along,
};
pub(super) use replace::replace;
pub(super) use service_action::{act_on_service, reread};
pub(super) use stage::stage;
pub(super) use tidy::tidy;
