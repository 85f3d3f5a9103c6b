//! The password, sent by HTTP's Basic scheme (RFC 7617), and the waits that keep guessing slow.

use axum::http::{HeaderMap, header};
use base64::Engine;
use base64::alphabet::STANDARD;
use base64::engine::{DecodePaddingMode, GeneralPurpose, GeneralPurposeConfig};
use std::collections::HashMap;
use std::net::{IpAddr, Ipv6Addr};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// The challenge in the answer to a request without the password.
pub const ASK: &str = "Basic realm=\"Jade Stack\", charset=\"UTF-8\"";

/// Wait before the first wrong guess is answered; it doubles with each further one.
const FIRST: Duration = Duration::from_secs(1);
/// The longest wait.
const LONGEST: Duration = Duration::from_secs(16);
/// Time after which the wrong guesses of an address are forgotten.
const FORGET: Duration = Duration::from_secs(600);
/// Guesses of one address that may wait for their answers at the same time.
const AT_ONCE: u32 = 4;
/// Addresses that are remembered.
const MOST: usize = 10_000;

/// The password in a request.
#[derive(Debug, PartialEq, Eq)]
pub enum Said {
    /// No password.
    Nothing,
    /// A wrong password, or an unreadable header.
    Wrong,
    /// The right password.
    Right,
}

/// The password of the server, and the wrong guesses so far.
#[derive(Debug)]
pub struct Password {
    hash: blake3::Hash,
    guesses: Arc<Mutex<HashMap<IpAddr, Guesses>>>,
    first: Duration,
}

/// The wrong guesses of one address.
#[derive(Debug)]
struct Guesses {
    wrong: u32,
    waiting: u32,
    last: Instant,
}

/// A wrong guess that waits for its answer.
#[must_use = "the wait is the point"]
pub struct Wait {
    guesses: Arc<Mutex<HashMap<IpAddr, Guesses>>>,
    from: IpAddr,
    time: Duration,
    /// Number of wrong guesses of this address.
    pub wrong: u32,
}

impl Password {
    /// A password; the user's name does not matter.
    pub fn new(password: &str) -> Self {
        Self {
            // Hashes are compared, so that the time taken tells nothing about the password.
            hash: blake3::hash(password.as_bytes()),
            guesses: Default::default(),
            first: FIRST,
        }
    }

    /// The password in the headers of a request.
    pub fn said(&self, headers: &HeaderMap) -> Said {
        let Some(given) = headers.get(header::AUTHORIZATION) else { return Said::Nothing };
        let right = given.to_str().ok().and_then(basic).is_some_and(|credentials| {
            let after = credentials.iter().position(|byte| *byte == b':').map(|colon| colon + 1);
            after.is_some_and(|at| blake3::hash(&credentials[at..]) == self.hash)
        });
        if right { Said::Right } else { Said::Wrong }
    }

    /// Whether [`AT_ONCE`] wrong guesses of an address or more are waiting; further ones are refused.
    pub fn is_deaf_to(&self, from: IpAddr) -> bool {
        let guesses = self.guesses.lock().unwrap_or_else(PoisonError::into_inner);
        guesses.get(&network(from)).is_some_and(|one| one.waiting >= AT_ONCE)
    }

    /// Counts a wrong guess.
    pub fn wrong(&self, from: IpAddr) -> Wait {
        let from = network(from);
        let now = Instant::now();
        let mut all = self.guesses.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|_, record| record.waiting > 0 || now.duration_since(record.last) < FORGET);
        if all.len() >= MOST
            && let Some(oldest) =
                all.iter().min_by_key(|(_, record)| record.last).map(|(from, _)| *from)
        {
            all.remove(&oldest);
        }
        let record = all.entry(from).or_insert(Guesses { wrong: 0, waiting: 0, last: now });
        let time = self.first.saturating_mul(1 << record.wrong.min(10)).min(LONGEST);
        record.wrong = record.wrong.saturating_add(1);
        record.waiting += 1;
        record.last = now;
        Wait { guesses: self.guesses.clone(), from, time, wrong: record.wrong }
    }
}

impl Wait {
    /// Waits as long as the guess has to.
    pub async fn out(self) {
        tokio::time::sleep(self.time).await;
    }
}

impl Drop for Wait {
    fn drop(&mut self) {
        let mut all = self.guesses.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(record) = all.get_mut(&self.from) {
            record.waiting = record.waiting.saturating_sub(1);
        }
    }
}

/// The network that a provider gives one customer: with IPv6 the first 64 bits of the address.
fn network(from: IpAddr) -> IpAddr {
    match from.to_canonical() {
        IpAddr::V6(v6) => Ipv6Addr::from_bits(v6.to_bits() >> 64 << 64).into(),
        v4 => v4,
    }
}

/// User name and password of the Basic scheme, whose name is case-insensitive.
fn basic(header: &str) -> Option<Vec<u8>> {
    // Some programs leave the padding out.
    let lenient =
        GeneralPurposeConfig::new().with_decode_padding_mode(DecodePaddingMode::Indifferent);
    let (scheme, credentials) = header.trim().split_once(' ')?;
    let known = scheme.eq_ignore_ascii_case("basic");
    known.then(|| GeneralPurpose::new(&STANDARD, lenient).decode(credentials.trim()).ok())?
}

#[cfg(test)]
mod tests {
    use super::*;

    fn said(password: &str, header: &str) -> Said {
        let mut headers = HeaderMap::new();
        headers.insert(header::AUTHORIZATION, header.parse().unwrap());
        Password::new(password).said(&headers)
    }

    #[test]
    fn the_scheme_has_any_case_and_the_password_any_letters() {
        assert_eq!(Password::new("kiln").said(&HeaderMap::new()), Said::Nothing);
        // "me:kiln", "me:klin", "Zoë:Köln: 小"
        assert_eq!(said("kiln", "Basic bWU6a2lsbg=="), Said::Right);
        assert_eq!(said("kiln", "bAsIC  bWU6a2lsbg"), Said::Right);
        assert_eq!(said("Köln: 小", "Basic Wm/DqzpLw7Zsbjog5bCP"), Said::Right);
        for wrong in
            ["Basic bWU6a2xpbg==", "Basic %%%", "Basic", "Bearer bWU6a2lsbg==", "Basic a2lsbg=="]
        {
            assert_eq!(said("kiln", wrong), Said::Wrong, "{wrong}");
        }
    }

    #[test]
    fn guesses_are_answered_ever_later_and_few_at_once() {
        let password = Password::new("kiln");
        let from: IpAddr = "2001:db8::1".parse().unwrap();
        let waits: Vec<Wait> = (0..AT_ONCE).map(|_| password.wrong(from)).collect();
        let seconds: Vec<u64> = waits.iter().map(|wait| wait.time.as_secs()).collect();
        assert_eq!(seconds, [1, 2, 4, 8]);
        // Another address of the same network counts as the same guesser; another network does not.
        assert!(password.is_deaf_to("2001:db8::2".parse().unwrap()));
        assert!(!password.is_deaf_to("2001:db8:0:1::1".parse().unwrap()));
        drop(waits);
        assert!(!password.is_deaf_to(from));
        assert_eq!(password.wrong(from).time, LONGEST);
        assert_eq!(password.wrong(from).wrong, 6);
    }
}
