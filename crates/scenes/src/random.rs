//! Independent streams of random numbers by name, so that adding one never shifts another.

use rand::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;

/// The stream of `seed` for a purpose and up to two indices.
pub fn stream(seed: u64, purpose: &str, a: u64, b: u64) -> Xoshiro256PlusPlus {
    let mut state = seed ^ 0x9e37_79b9_7f4a_7c15;
    for word in purpose.bytes().map(u64::from).chain([a, b]) {
        state = mix(state ^ mix(word.wrapping_add(0x632b_e59b_d9b4_e019)));
    }
    Xoshiro256PlusPlus::seed_from_u64(state)
}

/// The finaliser of splitmix64 (Steele, Lea, Flood 2014).
pub fn mix(mut z: u64) -> u64 {
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}
