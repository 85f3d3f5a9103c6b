//! Bounds of memory and scratch space.

use jade_combine::reduce::HELD_BYTES;
use jade_plan::CoreError;
use std::path::Path;

/// The least memory a run works with, in bytes.
const LEAST: u64 = 128 << 20;

/// Bytes that a run takes beside pictures.
pub const APART: u64 = 64 << 20;

/// The least memory for each thread, in bytes: twice the samples that it holds.
const FOR_THREAD: u64 = 2 * HELD_BYTES as u64;

/// Bounds of a run.
#[derive(Debug, Clone, Copy)]
pub struct Budget {
    /// Bytes of memory.
    pub memory: u64,
    /// Threads.
    pub threads: usize,
}

impl Budget {
    /// A budget of `memory_mib` MiB and `threads` threads; by default the smaller of 2 GiB and a
    /// quarter of the machine's memory, and a thread for each core, as far as each has 64 MiB.
    ///
    /// # Errors
    /// [`CoreError::Setting`] for less than 128 MiB, no thread, or more threads than one for each
    /// 64 MiB.
    pub fn new(memory_mib: Option<u64>, threads: Option<usize>) -> Result<Self, CoreError> {
        let memory = memory_mib.map_or_else(default_memory, |mib| mib << 20);
        if memory < LEAST {
            return Err(CoreError::Setting(format!(
                "A memory budget of {} MiB is too little to work with; give it at least {} MiB.",
                memory >> 20,
                LEAST >> 20
            )));
        }
        let most = (memory / FOR_THREAD) as usize;
        let cores = || std::thread::available_parallelism().map_or(2, |n| n.get()).min(most);
        let threads = threads.unwrap_or_else(cores);
        if !(1..=256).contains(&threads) {
            return Err(CoreError::Setting(format!(
                "{threads} threads cannot be used; choose from 1 to 256."
            )));
        }
        if threads > most {
            return Err(CoreError::Setting(format!(
                "{threads} threads need a memory budget of {} MiB, and it is {} MiB; give it more, or use fewer threads.",
                (threads as u64 * FOR_THREAD) >> 20,
                memory >> 20
            )));
        }
        Ok(Self { memory, threads })
    }

    /// How many pictures may be decoded at once when decoding one takes `bytes`.
    pub fn decoders(&self, bytes: u64) -> usize {
        let half = self.memory / 2;
        ((half / bytes.max(1)) as usize).clamp(1, self.threads)
    }

    /// Bytes that remain for decoded frames beside decoders of `decoding` bytes, sorted samples and
    /// everything else.
    pub fn room_for_frames(&self, decoding: u64) -> u64 {
        let held = (HELD_BYTES * self.threads) as u64;
        self.room_for_one(decoding).saturating_sub(held)
    }

    /// Bytes that remain for a decoded frame where no samples are sorted, beside decoders of
    /// `decoding` bytes and everything else.
    pub fn room_for_one(&self, decoding: u64) -> u64 {
        let decoders = self.decoders(decoding) as u64 * decoding;
        self.memory.saturating_sub(APART + decoders)
    }
}

/// The smaller of 2 GiB and a quarter of the machine's memory, in bytes.
pub fn default_memory() -> u64 {
    let total = std::fs::read_to_string("/proc/meminfo").ok().and_then(|text| {
        let line = text.lines().find(|l| l.starts_with("MemTotal:"))?;
        line.split_whitespace().nth(1)?.parse::<u64>().ok()
    });
    total.map_or(1 << 30, |kib| (kib * 1024 / 4).clamp(LEAST, 2 << 30))
}

/// Bytes that must stay free on the disk, as other programs write there too.
const RESERVE: u64 = 64 << 20;

/// Checks that `need` bytes fit into `folder` beside [`RESERVE`].
///
/// # Errors
/// [`CoreError::Scratch`] when they do not.
pub fn check_scratch(folder: &Path, need: u64) -> Result<(), CoreError> {
    std::fs::create_dir_all(folder).map_err(jade_pixels::PictureError::io(folder))?;
    let free = fs4::available_space(folder).map_err(jade_pixels::PictureError::io(folder))?;
    if free < need + RESERVE {
        return Err(CoreError::Scratch {
            folder: folder.display().to_string(),
            need_mib: need.div_ceil(1 << 20),
            reserve_mib: RESERVE >> 20,
            free_mib: free >> 20,
        });
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn too_little_memory_is_refused_and_large_pictures_are_decoded_one_by_one() {
        assert!(Budget::new(Some(20), Some(2)).is_err());
        assert!(Budget::new(None, Some(0)).is_err());
        assert!(Budget::new(Some(128), Some(2)).is_ok() && Budget::new(Some(128), None).is_ok());
        let refused = Budget::new(Some(128), Some(3)).unwrap_err().to_string();
        assert!(refused.starts_with("3 threads need a memory budget of 192 MiB"), "{refused}");
        let budget = Budget::new(Some(1024), Some(4)).unwrap();
        assert_eq!(budget.decoders(32_000_000), 4);
        assert_eq!(budget.decoders(400_000_000), 1);
        let room = budget.room_for_frames(32_000_000);
        assert!(room > 700 << 20 && room + (4 * 32_000_000) < 1024 << 20, "{room}");
        assert_eq!(budget.room_for_frames(3_200_000_000), 0);
        // Little memory still holds one frame where nothing is sorted.
        let little = Budget::new(Some(128), Some(2)).unwrap();
        assert_eq!(little.room_for_frames(1 << 20), 0);
        assert!(little.room_for_one(1 << 20) > 60 << 20);
    }

    #[test]
    fn scratch_that_does_not_fit_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        assert!(check_scratch(folder.path(), 1 << 20).is_ok());
        let error = check_scratch(folder.path(), 1 << 60).unwrap_err();
        assert!(matches!(error, CoreError::Scratch { .. }), "{error}");
    }
}
