//! Searches in the frames of shoots: for a skyline, or the order of a sweep. The searches of two
//! shoots do not wait for each other.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Instant;

/// The searches of all shoots, each with its kept state.
pub struct Searches<T>(Mutex<HashMap<i64, Arc<Search<T>>>>);

impl<T> Default for Searches<T> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

/// The search of one shoot.
pub struct Search<T> {
    turn: tokio::sync::Mutex<()>,
    kept: Mutex<Option<T>>,
}

impl<T> Searches<T> {
    /// The search of a shoot.
    pub fn of(&self, shoot: i64) -> Arc<Search<T>> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let new = || Search { turn: tokio::sync::Mutex::default(), kept: Mutex::default() };
        all.entry(shoot).or_insert_with(|| Arc::new(new())).clone()
    }

    /// Changes the kept states of the other shoots.
    pub fn of_others(&self, shoot: i64, change: impl Fn(&mut Option<T>)) {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let others = all.iter().filter(|(id, _)| **id != shoot);
        others.for_each(|(_, search)| change(&mut search.kept()));
    }
}

impl<T> Searches<T> {
    /// Clears the large part of the kept state of all searches but the `most` used last. `used`
    /// gives the time of last use; `None` without such a part.
    pub fn trim(&self, most: usize, used: impl Fn(&T) -> Option<Instant>, clear: impl Fn(&mut T)) {
        let all: Vec<Arc<Search<T>>> = {
            let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            all.values().cloned().collect()
        };
        let mut kept: Vec<_> = all
            .iter()
            .filter_map(|search| Some((used(search.kept().as_ref()?)?, search)))
            .collect();
        kept.sort_by_key(|(used, _)| std::cmp::Reverse(*used));
        for (_, search) in kept.into_iter().skip(most) {
            search.kept().as_mut().map(&clear);
        }
    }
}

impl<T> Search<T> {
    /// The kept state. A search that panicked leaves the state from before it.
    pub fn kept(&self) -> MutexGuard<'_, Option<T>> {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits for the right to search: one at a time.
    pub async fn turn(&self) -> tokio::sync::MutexGuard<'_, ()> {
        self.turn.lock().await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn searches_of_one_shoot_wait_for_each_other_and_those_of_two_do_not() {
        let searches = Searches::<u32>::default();
        let (one, other) = (searches.of(1), searches.of(2));
        let running = one.turn().await;
        let waits = one.clone();
        let waiting = tokio::spawn(async move { drop(waits.turn().await) });
        drop(other.turn().await);
        tokio::task::yield_now().await;
        assert!(!waiting.is_finished());
        drop(running);
        waiting.await.unwrap();
    }

    #[test]
    fn only_the_last_used_keep_what_takes_memory() {
        let searches = Searches::<Option<Instant>>::default();
        let begun = Instant::now();
        for shoot in 0..6u64 {
            let at = begun + std::time::Duration::from_secs(shoot * 7 % 6);
            *searches.of(shoot as i64).kept() = Some(Some(at));
        }
        searches.trim(2, |found| *found, |found| *found = None);
        let left = |shoot: i64| searches.of(shoot).kept().unwrap().is_some();
        assert_eq!([0, 1, 2, 3, 4, 5].map(left), [false, false, false, false, true, true]);
    }

    #[test]
    fn a_search_that_breaks_off_spoils_no_later_one() {
        let searches = Searches::<u32>::default();
        let search = searches.of(1);
        *search.kept() = Some(7);
        let broken = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            let _kept = search.kept();
            panic!("breaks off");
        }));
        assert!(broken.is_err());
        assert_eq!(*search.kept(), Some(7));
    }
}
