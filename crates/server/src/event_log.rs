//! A log of the last events. A page whose connection broke reads from it what it missed.

use crate::types::Event;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex};
use tokio::sync::watch;

/// Most events that are kept.
const MOST: usize = 1024;
/// Most bytes of text that are kept: a plan with much painted work takes megabytes.
const BYTES: usize = 16 << 20;

/// The number of an event and its JSON.
pub type Numbered = (u64, Arc<str>);

/// The events of one life of the server. Listeners read them here, so that a slow one holds none.
pub struct EventLog {
    /// Differs between lives of the server, whose numbers begin anew.
    life: u64,
    kept: Mutex<Kept>,
    last: watch::Sender<u64>,
}

#[derive(Default)]
struct Kept {
    last: u64,
    bytes: usize,
    events: VecDeque<Numbered>,
}

impl EventLog {
    /// An empty log; `life` differs from that of earlier logs.
    pub fn new(life: u64) -> Self {
        Self { life, kept: Mutex::default(), last: watch::Sender::new(0) }
    }

    /// Numbers and keeps an event, and wakes all listeners.
    pub fn tell(&self, event: &Event) {
        let text: Arc<str> = serde_json::to_string(event).expect("events serialise").into();
        let mut kept = self.kept.lock().expect("no holder panics");
        kept.last += 1;
        kept.bytes += text.len();
        let number = kept.last;
        kept.events.push_back((number, text));
        while kept.events.len() > MOST || (kept.bytes > BYTES && kept.events.len() > 1) {
            let dropped = kept.events.pop_front().map_or(0, |(_, text)| text.len());
            kept.bytes -= dropped;
        }
        self.last.send_replace(number);
    }

    /// The number of the last event so far.
    pub fn last(&self) -> u64 {
        self.kept.lock().expect("no holder panics").last
    }

    /// Changes with each event.
    pub fn listen(&self) -> watch::Receiver<u64> {
        self.last.subscribe()
    }

    /// The events after that of a number; `None` where they are not all kept any more.
    pub fn after(&self, number: u64) -> Option<Vec<Numbered>> {
        let kept = self.kept.lock().expect("no holder panics");
        let first = kept.last - kept.events.len() as u64;
        let is_known = (first..=kept.last).contains(&number);
        is_known.then(|| kept.events.iter().filter(|(n, _)| *n > number).cloned().collect())
    }

    /// The id of an event, which a listener may come back with.
    pub fn id(&self, number: u64) -> String {
        format!("{}-{number}", self.life)
    }

    /// The number of an event by its id; `None` for one of another life.
    pub fn number(&self, id: &str) -> Option<u64> {
        let (life, number) = id.split_once('-')?;
        (life.parse() == Ok(self.life)).then(|| number.parse().ok())?
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The shoots that the events after that of an id are about.
    fn missed(log: &EventLog, id: &str) -> Option<Vec<i64>> {
        let events = log.after(log.number(id)?)?;
        let shoot = |(_, text): &Numbered| match serde_json::from_str(text).unwrap() {
            Event::Shoot { id } => id,
            other => panic!("{other:?}"),
        };
        Some(events.iter().map(shoot).collect())
    }

    #[test]
    fn a_listener_that_comes_back_reads_what_it_missed() {
        let log = EventLog::new(5);
        assert_eq!(missed(&log, "5-0"), Some(vec![]));
        for id in 0..6 {
            log.tell(&Event::Shoot { id });
        }
        assert_eq!(missed(&log, &log.id(4)), Some(vec![4, 5]));
        assert_eq!(missed(&log, &log.id(6)), Some(vec![]));
        assert_eq!(missed(&log, &log.id(0)), Some((0..6).collect()));
        assert_eq!(log.last(), 6);
    }

    #[test]
    fn events_that_are_not_kept_any_more_are_not_resumed() {
        let log = EventLog::new(5);
        for id in 0..MOST as i64 + 10 {
            log.tell(&Event::Shoot { id });
        }
        assert_eq!(missed(&log, &log.id(9)), None);
        assert_eq!(missed(&log, &log.id(10)).unwrap().len(), MOST);
        for odd in ["", "5", "5-", "4-1030", "5-99999", "5-18446744073709551615", "a-b"] {
            assert_eq!(missed(&log, odd), None, "{odd}");
        }
    }

    #[test]
    fn large_events_leave_the_log_early() {
        let log = EventLog::new(5);
        // Jobs carry their plans; a list of them is as large as a plan with much painted work.
        let job = crate::types::Job {
            id: 1,
            shoot_id: 1,
            task: crate::types::Task::Run,
            result_id: None,
            state: crate::types::JobState::Running,
            plan: jade_plan::Plan::of(jade_plan::Kind::NightSky),
            stage: None,
            done: 0,
            total: 0,
            remaining_s: None,
            problem: Some("x".repeat(3 << 20)),
            created: 0,
            finished: None,
        };
        for _ in 0..20 {
            log.tell(&Event::Job { job: job.clone() });
        }
        assert_eq!(log.after(15).unwrap().len(), 5);
        assert!(log.after(14).is_none());
        assert!(log.kept.lock().unwrap().bytes <= BYTES);
    }

    #[tokio::test]
    async fn a_listener_is_woken_by_each_event() {
        let log = EventLog::new(1);
        log.tell(&Event::Shoot { id: 1 });
        let mut listening = log.listen();
        log.tell(&Event::Shoot { id: 2 });
        listening.changed().await.unwrap();
        assert_eq!(log.after(1).unwrap()[0].0, 2);
    }
}
