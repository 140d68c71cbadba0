//! What is found out in another thread while this one goes on.

use std::cell::{OnceCell, RefCell};
use std::thread::JoinHandle;

/// A value that may still be on its way.
pub struct Background<T> {
    here: OnceCell<T>,
    coming: RefCell<Option<JoinHandle<T>>>,
    find: Box<dyn Fn() -> T>,
}

impl<T: Send + 'static> Background<T> {
    /// Begins to find it out.
    pub fn begin(find: impl Fn() -> T + Clone + Send + 'static) -> Self {
        // Where no thread can be had, it is found out when it is wanted.
        let coming = std::thread::Builder::new().spawn(find.clone()).ok();
        Self { coming: RefCell::new(coming), ..Self::when_wanted(find) }
    }

    /// One that is found out when it is wanted.
    pub fn when_wanted(find: impl Fn() -> T + 'static) -> Self {
        Self { here: OnceCell::new(), coming: RefCell::new(None), find: Box::new(find) }
    }

    /// The value itself; waits for it.
    pub fn take(self) -> T {
        match self.coming.into_inner() {
            Some(coming) => coming.join().unwrap_or_else(|_| (self.find)()),
            None => self.here.into_inner().unwrap_or_else(self.find),
        }
    }

    /// The value; waits for it.
    pub fn get(&self) -> &T {
        self.here.get_or_init(|| match self.coming.borrow_mut().take() {
            Some(coming) => coming.join().unwrap_or_else(|_| (self.find)()),
            None => (self.find)(),
        })
    }
}
