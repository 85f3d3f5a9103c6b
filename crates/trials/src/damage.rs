//! Damage as cards, cables and disks do it to files.

use rand::Rng;
use std::ops::Range;

/// What was done to a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Damage {
    /// One bit is the other way round.
    Flip {
        /// The byte.
        at: usize,
        /// The bit, 0 to 7.
        bit: u8,
    },
    /// The file ends early.
    Cut {
        /// Bytes that are left at its beginning.
        left: usize,
    },
    /// A stretch is zero.
    Zero {
        /// The first byte.
        from: usize,
        /// Bytes.
        count: usize,
    },
    /// A stretch is a copy of another one.
    Copy {
        /// The first byte that is copied.
        from: usize,
        /// Where it goes.
        to: usize,
        /// Bytes.
        count: usize,
    },
    /// A number of two or four bytes is an extreme one.
    Number {
        /// The first byte.
        at: usize,
        /// Bytes, 2 or 4.
        wide: usize,
        /// The bytes of the number.
        bytes: [u8; 4],
    },
}

/// A damaged copy of `whole`, which must not be empty, and what was done.
pub fn damaged(whole: &[u8], random: &mut impl Rng) -> (Vec<u8>, Damage) {
    let mut bytes = whole.to_vec();
    let len = bytes.len();
    let at = random.random_range(0..len);
    let stretch = |random: &mut dyn rand::RngCore, from: usize| {
        // Short stretches as often as long ones.
        let most = (len - from).max(1);
        let count = (most as f64).powf(random.random_range(0.0..1.0)) as usize;
        count.clamp(1, most)
    };
    let damage = match random.random_range(0..8) {
        0..3 => Damage::Flip { at, bit: random.random_range(0..8) },
        3 => Damage::Cut { left: at },
        4 => Damage::Zero { from: at, count: stretch(random, at) },
        5 => {
            let from = random.random_range(0..len);
            Damage::Copy { from, to: at, count: stretch(random, from.max(at)) }
        }
        _ => {
            let wide = if random.random() { 2 } else { 4 };
            let most = [0, 1, 0x7fff_ffff, 0x8000_0000, 0xffff_fffe, u32::MAX, 0xffff, 40_001];
            let number: u32 = most[random.random_range(0..most.len())];
            let mut bytes = number.to_le_bytes();
            if random.random() {
                bytes[..wide].reverse();
            }
            Damage::Number { at, wide, bytes }
        }
    };
    damage.to(&mut bytes);
    (bytes, damage)
}

impl Damage {
    /// Whether it befell one of these bytes of a file.
    pub fn touches(self, bytes: &Range<usize>) -> bool {
        let hit = match self {
            Self::Flip { at, .. } => at..at + 1,
            Self::Cut { left } => left..usize::MAX,
            Self::Zero { from, count } => from..from + count,
            Self::Copy { to, count, .. } => to..to + count,
            Self::Number { at, wide, .. } => at..at + wide,
        };
        hit.start < bytes.end && bytes.start < hit.end
    }

    /// Does it to a file, as far as that has these places.
    pub fn to(self, bytes: &mut Vec<u8>) {
        let len = bytes.len();
        match self {
            Self::Flip { at, bit } => bytes[at] ^= 1 << bit,
            Self::Cut { left } => bytes.truncate(left),
            Self::Zero { from, count } => bytes[from..(from + count).min(len)].fill(0),
            Self::Copy { from, to, count } => {
                let count = count.min(len - from.max(to));
                bytes.copy_within(from..from + count, to);
            }
            Self::Number { at, wide, bytes: number } => {
                let count = wide.min(len - at);
                bytes[at..at + count].copy_from_slice(&number[..count]);
            }
        }
    }
}
