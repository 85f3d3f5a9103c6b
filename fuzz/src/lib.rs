//! What all fuzz targets share.

use std::path::PathBuf;

/// Where an input lies while it is read: in memory, where the system has such a folder.
pub fn path() -> PathBuf {
    let memory = PathBuf::from("/dev/shm");
    let folder = if memory.is_dir() { memory } else { std::env::temp_dir() };
    folder.join(format!("jade-fuzz-{}", std::process::id()))
}

/// The target of a reader.
#[macro_export]
macro_rules! target {
    ($reader:expr) => {
        libfuzzer_sys::fuzz_target!(|input: &[u8]| {
            static PATH: std::sync::OnceLock<std::path::PathBuf> = std::sync::OnceLock::new();
            $reader.read(input, PATH.get_or_init($crate::path));
        });
    };
}
