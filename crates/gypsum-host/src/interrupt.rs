//! Whether the person wants out. Signals are the whole process's, and so is this.

use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, LazyLock};

static REQUESTED: LazyLock<Arc<AtomicBool>> = LazyLock::new(Arc::default);

/// Whether an interrupt ends this process at once, where that was asked for.
static AT_ONCE: LazyLock<Arc<AtomicBool>> = LazyLock::new(|| Arc::new(AtomicBool::new(true)));

/// Set once somebody wants out.
pub fn flag() -> Arc<AtomicBool> {
    Arc::clone(&REQUESTED)
}

/// Whether somebody wants out.
pub fn is_requested() -> bool {
    REQUESTED.load(Ordering::Relaxed)
}

/// The same, and forgets it: what is asked for from now on is asked for anew.
pub fn take() -> bool {
    REQUESTED.swap(false, Ordering::Relaxed)
}

/// From now on the end of the session is noted here, too.
///
/// # Errors
///
/// If the signal cannot be caught.
pub fn watch_session() -> io::Result<()> {
    signal_hook::flag::register(signal_hook::consts::SIGHUP, flag()).map(|_| ())
}

/// From now on an interrupt, or the request to end, is noted here, and ends nothing by itself.
///
/// # Errors
///
/// If the signals cannot be caught.
pub fn watch() -> io::Result<()> {
    let signals = [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM];
    for signal in signals {
        signal_hook::flag::register(signal, flag())?;
    }
    Ok(())
}

/// From now on an interrupt ends this process at once, as a command that only answers may be ended.
///
/// # Errors
///
/// If the signal cannot be caught.
pub fn end_at_once(status: i32) -> io::Result<()> {
    let at_once = Arc::clone(&AT_ONCE);
    signal_hook::flag::register_conditional_shutdown(signal_hook::consts::SIGINT, status, at_once).map(|_| ())
}

/// From now on an interrupt is the business of the program that shows the answer.
pub fn leave_to_another() {
    AT_ONCE.store(false, Ordering::Relaxed);
}
