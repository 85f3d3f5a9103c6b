//! The system's allocator, except that large blocks are reserved without committing memory to them.
//!
//! The library that reads raw files takes as much memory as a file announces before it reads what is
//! there: 34 GB for one damaged number. The system refuses a block larger than the machine's memory, and
//! Rust ends the program where memory is refused. A reserved block costs memory only where it is written,
//! which for such a file is nearly nowhere, so that the file alone fails.
//!
//! Where the system is set to commit strictly (`vm.overcommit_memory = 2`), nothing can be reserved, and
//! such a block is refused as before.

use rustix::mm::{MapFlags, ProtFlags, mmap_anonymous, munmap};
use std::alloc::{GlobalAlloc, Layout, System};
use std::ptr;

/// Bytes from which on a block is reserved; ordinary work takes smaller ones.
const LARGE: usize = 1 << 30;
/// Bytes of the smallest page: every mapping begins at a multiple of it.
const PAGE: usize = 4096;

/// To be set as the `#[global_allocator]` of a program.
#[derive(Clone, Copy, Debug, Default)]
pub struct Reserving;

fn is_large(layout: Layout) -> bool {
    layout.size() >= LARGE && layout.align() <= PAGE
}

/// A block of zeros; null where the system refuses it.
fn reserved(bytes: usize) -> *mut u8 {
    let access = ProtFlags::READ | ProtFlags::WRITE;
    // SAFETY: the system chooses a place that nothing else occupies.
    let block = unsafe {
        mmap_anonymous(ptr::null_mut(), bytes, access, MapFlags::PRIVATE | MapFlags::NORESERVE)
    };
    block.map_or(ptr::null_mut(), <*mut _>::cast)
}

// SAFETY: a layout alone decides who serves a block, so each goes back to where it came from. A mapping
// is as long as was asked for, and begins at a page.
unsafe impl GlobalAlloc for Reserving {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        if is_large(layout) {
            return reserved(layout.size());
        }
        // SAFETY: the caller's promises are those that the system's allocator asks for.
        unsafe { System.alloc(layout) }
    }

    unsafe fn alloc_zeroed(&self, layout: Layout) -> *mut u8 {
        if is_large(layout) {
            return reserved(layout.size());
        }
        // SAFETY: as in `alloc`.
        unsafe { System.alloc_zeroed(layout) }
    }

    unsafe fn dealloc(&self, block: *mut u8, layout: Layout) {
        if is_large(layout) {
            // SAFETY: a large block was mapped with this length, and its owner gives it up. Unmapping a
            // whole mapping does not fail.
            let _ = unsafe { munmap(block.cast(), layout.size()) };
        } else {
            // SAFETY: a smaller block came from the system's allocator, with this layout.
            unsafe { System.dealloc(block, layout) }
        }
    }

    unsafe fn realloc(&self, block: *mut u8, layout: Layout, size: usize) -> *mut u8 {
        // SAFETY: the caller promises that `size`, rounded up to the alignment, is a valid size.
        let wanted = unsafe { Layout::from_size_align_unchecked(size, layout.align()) };
        if !is_large(layout) && !is_large(wanted) {
            // SAFETY: the block came from the system's allocator, and the new one would too.
            return unsafe { System.realloc(block, layout, size) };
        }
        // SAFETY: `wanted` is a valid layout, and its size is not zero.
        let moved = unsafe { self.alloc(wanted) };
        if !moved.is_null() {
            // SAFETY: both blocks hold this many bytes and are apart; the old one is given up.
            unsafe {
                ptr::copy_nonoverlapping(block, moved, layout.size().min(size));
                self.dealloc(block, layout);
            }
        }
        moved
    }
}
