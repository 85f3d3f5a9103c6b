//! Blocks of this test come from the allocator, small ones and large ones.

use jade_allocator::Reserving;

#[global_allocator]
static ALLOCATOR: Reserving = Reserving;

/// 16 TiB: more than a machine holds, and less than the addresses of a process reach.
const BEYOND_THE_MACHINE: usize = 16 << 40;

#[test]
fn a_block_larger_than_the_machine_costs_what_is_written_to_it() {
    let mut zeros = vec![0u8; BEYOND_THE_MACHINE];
    zeros[BEYOND_THE_MACHINE - 1] = 7;
    assert_eq!((zeros[0], zeros[BEYOND_THE_MACHINE / 2]), (0, 0));
    assert_eq!(zeros[BEYOND_THE_MACHINE - 1], 7);
    let empty: Vec<u64> = Vec::with_capacity(BEYOND_THE_MACHINE / 8);
    assert!(empty.is_empty());
}

#[test]
fn what_a_block_holds_stays_when_it_grows_and_shrinks() {
    let mut numbers: Vec<u64> = (0..1000).collect();
    let is_whole = |numbers: &[u64]| numbers.iter().zip(0..).all(|(have, wanted)| *have == wanted);
    for room in [2000, 1 << 28, 1 << 30, 1 << 27, 1000, 1 << 29, 1000] {
        numbers.shrink_to(room);
        numbers.reserve_exact(room - numbers.len());
        assert_eq!(numbers.capacity(), room);
        assert!(numbers.len() == 1000 && is_whole(&numbers));
    }
}

#[test]
fn a_large_block_that_is_given_back_is_gone() {
    // Twice the addresses that a process has, one after the other.
    for _ in 0..16 {
        drop(vec![0u8; BEYOND_THE_MACHINE]);
    }
}
