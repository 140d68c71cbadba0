//! Two computations at the same time.

use std::thread;

/// What both return. `one` runs in a thread of its own; if the system has none to give, it runs here afterwards.
pub fn join<A: Send, B>(one: impl FnOnce() -> A + Clone + Send, other: impl FnOnce() -> B) -> (A, B) {
    thread::scope(|scope| {
        let spawned = thread::Builder::new().spawn_scoped(scope, one.clone());
        let other = other();
        let one = match spawned.map(|thread| thread.join()) {
            Ok(Ok(one)) => one,
            Ok(Err(panic)) => std::panic::resume_unwind(panic),
            Err(_) => one(),
        };
        (one, other)
    })
}

#[cfg(test)]
mod tests {
    use super::join;

    #[test]
    fn both_answers_come_back_in_their_places() {
        let words = ["ferry".to_owned(), "quay".to_owned()];
        assert_eq!(join(|| words[0].len(), || &words[1]), (5, &words[1]));
    }
}
