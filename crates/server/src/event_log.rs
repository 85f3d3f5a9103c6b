//! Events with numbers, the last of which are kept, so that a page whose connection broke is told
//! what it missed.

use crate::types::Event;
use std::collections::VecDeque;
use std::sync::Mutex;
use tokio::sync::broadcast;

/// Events that are kept, and that a listener may fall behind.
const KEPT: usize = 1024;

/// An event and its number.
pub type Numbered = (u64, Event);

/// The events of one life of the server.
pub struct EventLog {
    /// Differs between lives of the server, whose numbers begin anew.
    life: u64,
    kept: Mutex<Kept>,
    sender: broadcast::Sender<Numbered>,
}

#[derive(Default)]
struct Kept {
    last: u64,
    events: VecDeque<Numbered>,
}

/// What a listener gets first.
pub struct Joined {
    /// Events since the one that it had last; nothing where they are not all known any more.
    pub missed: Option<Vec<Numbered>>,
    /// The number of the last event so far.
    pub last: u64,
    /// All events from now on.
    pub coming: broadcast::Receiver<Numbered>,
}

impl EventLog {
    /// An empty log; `life` differs from that of earlier logs.
    pub fn new(life: u64) -> Self {
        Self { life, kept: Mutex::default(), sender: broadcast::channel(KEPT).0 }
    }

    /// Numbers and keeps an event, and sends it to all listeners.
    pub fn tell(&self, event: Event) {
        let mut kept = self.kept.lock().expect("no holder panics");
        kept.last += 1;
        let numbered = (kept.last, event);
        if kept.events.len() == KEPT {
            kept.events.pop_front();
        }
        kept.events.push_back(numbered.clone());
        // Sent under the lock, so that events arrive in the order of their numbers. An error means
        // that nobody listens.
        let _ = self.sender.send(numbered);
    }

    /// The id of an event, which a listener may come back with.
    pub fn id(&self, number: u64) -> String {
        format!("{}-{number}", self.life)
    }

    /// Begins to listen. `id` is that of the last event that the listener had.
    pub fn join(&self, id: Option<&str>) -> Joined {
        let kept = self.kept.lock().expect("no holder panics");
        let had = id.and_then(|id| {
            let (life, number) = id.split_once('-')?;
            (life.parse() == Ok(self.life)).then(|| number.parse::<u64>().ok())?
        });
        let oldest = kept.last + 1 - kept.events.len() as u64;
        let known = had.filter(|had| (oldest..=kept.last + 1).contains(&(had.saturating_add(1))));
        let missed = known
            .map(|had| kept.events.iter().filter(|(number, _)| *number > had).cloned().collect());
        Joined { missed, last: kept.last, coming: self.sender.subscribe() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shoots(missed: &Joined) -> Option<Vec<i64>> {
        let shoot = |(_, event): &Numbered| match event {
            Event::Shoot { id } => *id,
            other => panic!("{other:?}"),
        };
        missed.missed.as_ref().map(|missed| missed.iter().map(shoot).collect())
    }

    #[test]
    fn a_listener_that_comes_back_is_told_what_it_missed() {
        let log = EventLog::new(5);
        for id in 0..6 {
            log.tell(Event::Shoot { id });
        }
        assert_eq!(shoots(&log.join(Some(&log.id(4)))), Some(vec![4, 5]));
        assert_eq!(shoots(&log.join(Some(&log.id(6)))), Some(vec![]));
        assert_eq!(shoots(&log.join(Some(&log.id(0)))), Some((0..6).collect()));
        assert_eq!(log.join(None).last, 6);
    }

    #[test]
    fn what_is_not_known_any_more_is_not_resumed() {
        let log = EventLog::new(5);
        assert_eq!(shoots(&log.join(None)), None);
        for id in 0..KEPT as i64 + 10 {
            log.tell(Event::Shoot { id });
        }
        assert_eq!(shoots(&log.join(Some(&log.id(9)))), None);
        assert_eq!(shoots(&log.join(Some(&log.id(10)))).unwrap().len(), KEPT);
        for odd in ["", "5", "5-", "4-1030", "5-99999", "5-18446744073709551615", "a-b"] {
            assert_eq!(shoots(&log.join(Some(odd))), None, "{odd}");
        }
    }

    #[tokio::test]
    async fn events_that_come_are_those_after_the_ones_that_were_missed() {
        let log = EventLog::new(1);
        log.tell(Event::Shoot { id: 1 });
        let mut joined = log.join(Some(&log.id(0)));
        log.tell(Event::Shoot { id: 2 });
        assert_eq!(shoots(&joined), Some(vec![1]));
        assert_eq!(joined.coming.recv().await.unwrap().0, 2);
    }
}
