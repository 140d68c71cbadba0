//! What is done in a thread of its own beside something else; where the system has no thread to give, it is done when
//! it is waited for.

use std::thread::{Builder, Result, Scope, ScopedJoinHandle};

/// Something that is being done, or is still to be.
pub struct Beside<'scope, T, F> {
    thread: Option<ScopedJoinHandle<'scope, T>>,
    work: F,
}

/// Begins it.
pub fn begin<'scope, T, F>(scope: &'scope Scope<'scope, '_>, work: F) -> Beside<'scope, T, F>
where
    T: Send + 'scope,
    F: FnOnce() -> T + Clone + Send + 'scope,
{
    let thread = Builder::new().spawn_scoped(scope, work.clone()).ok();
    Beside { thread, work }
}

impl<T, F: FnOnce() -> T> Beside<'_, T, F> {
    /// What it came to.
    ///
    /// # Errors
    ///
    /// If its thread broke off.
    pub fn wait(self) -> Result<T> {
        match self.thread {
            Some(thread) => thread.join(),
            None => Ok((self.work)()),
        }
    }
}
