//! What is waited for: shown after half a second, for what takes less needs no word.

use crate::out::Terminal;
use gypsum_host::world::Progress;
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal;
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::JoinHandle;
use std::time::Duration;

/// What takes less than this is not said.
const SILENT: Duration = Duration::from_millis(500);
const TICK: Duration = Duration::from_millis(120);

/// Shows what is waited for, until it is dropped.
pub struct Waiting {
    stop: Option<Sender<()>>,
    shows: Option<JoinHandle<()>>,
}

impl Waiting {
    /// Waits for `on`; how many checks are healthy is in `progress`.
    pub fn begin(out: Terminal, on: String, progress: Progress) -> Self {
        let (stop, stopped) = channel::<()>();
        let show = move || {
            if stopped.recv_timeout(SILENT) != Err(RecvTimeoutError::Timeout) {
                return;
            }
            if !std::io::stderr().is_terminal() {
                out.eprint(&text(&on, &progress));
                return;
            }
            let bar = ProgressBar::new_spinner();
            if let Ok(style) = ProgressStyle::with_template("{spinner} {msg} ({elapsed})") {
                bar.set_style(style.tick_chars(".oO0Oo. "));
            }
            loop {
                bar.set_message(out.visible(&text(&on, &progress)));
                bar.tick();
                if stopped.recv_timeout(TICK) != Err(RecvTimeoutError::Timeout) {
                    bar.finish_and_clear();
                    return;
                }
            }
        };
        // Without a thread nothing is shown, and the wait is the same.
        let shows = std::thread::Builder::new().spawn(show).ok();
        Self { stop: Some(stop), shows }
    }
}

impl Drop for Waiting {
    fn drop(&mut self) {
        drop(self.stop.take());
        if let Some(shows) = self.shows.take() {
            // It has drawn its last; a panic in it is no reason to stop.
            let _ = shows.join();
        }
    }
}

fn text(on: &str, progress: &Progress) -> String {
    match progress.get() {
        (_, 0) => format!("waiting for {on}"),
        (healthy, of) => format!("waiting for {on}: {healthy} of {of} healthy"),
    }
}
