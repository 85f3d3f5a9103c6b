//! Decoded samples of a frame, in the cache or in memory.

use bytemuck::{cast_slice, cast_slice_mut};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Part, Region, Sample, TiledFile};
use memmap2::{Advice, MmapMut};

/// Width of the columns in which frames lie in memory: regions that are read one below the other
/// are then as long stretches as can be.
const COLUMN: u32 = 128;

/// Three samples for each pixel.
pub enum Samples<T> {
    /// In the cache.
    Tiles(TiledFile<T>),
    /// In memory, in columns of [`COLUMN`] pixels and this many rows.
    Memory(MmapMut, u32),
}

/// Takes bands of whole rows: the first one's number, and interleaved samples.
type Take<'a, T> = &'a mut dyn FnMut(u32, &[T]);

impl<T: Sample> Samples<T> {
    /// Bytes that a picture of this size takes in memory.
    pub fn bytes_in_memory(width: u32, height: u32) -> u64 {
        u64::from(width.next_multiple_of(COLUMN)) * u64::from(height) * 3 * size_of::<T>() as u64
    }

    /// Holds a picture of this size in memory, whose rows come from `decode`.
    ///
    /// # Errors
    /// What `decode` returned; the system's own when it has no memory.
    pub fn in_memory(
        (width, height): (u32, u32),
        decode: impl FnOnce(Take<T>) -> Result<(), PictureError>,
    ) -> Result<Self, PictureError> {
        let bytes = Self::bytes_in_memory(width, height) as usize;
        let mut memory = MmapMut::map_anon(bytes)
            .map_err(PictureError::io(std::path::Path::new("memory for a frame")))?;
        // Columns far apart are read from it, which takes large pages to be fast; a system without
        // them is only slower.
        let _ = memory.advise(Advice::HugePage);
        let samples: &mut [T] = cast_slice_mut(&mut memory);
        let (row, narrow) = (width as usize * 3, COLUMN as usize * 3);
        decode(&mut |y, band| {
            let columns = samples.chunks_exact_mut(height as usize * narrow);
            for (x, column) in columns.enumerate() {
                let to = column[y as usize * narrow..].chunks_exact_mut(narrow);
                for (to, from) in to.zip(band.chunks_exact(row)) {
                    let from = &from[x * narrow..row.min((x + 1) * narrow)];
                    to[..from.len()].copy_from_slice(from);
                }
            }
        })?;
        Ok(Self::Memory(memory, height))
    }

    /// Calls `visit(x, y, samples)` for runs of pixels that make up a region.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn visit(
        &self,
        region: Region,
        buffer: &mut Vec<T>,
        mut visit: impl FnMut(u32, u32, &[T]),
    ) -> Result<(), PictureError> {
        match self {
            Self::Tiles(tiles) => tiles.visit_region(region, buffer, visit),
            Self::Memory(..) => {
                let part = self.part(region, buffer)?;
                for y in region.y..region.y + region.height {
                    let mut x = region.x;
                    for run in part.runs(region.x, y, region.width) {
                        visit(x, y, run);
                        x += run.len() as u32 / 3;
                    }
                }
                Ok(())
            }
        }
    }

    /// The pixels of a region, read into `buffer` where they are not in memory.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn part<'a>(
        &'a self,
        region: Region,
        buffer: &'a mut Vec<T>,
    ) -> Result<Part<'a, T>, PictureError> {
        match self {
            Self::Tiles(tiles) => tiles.part(region, buffer),
            Self::Memory(memory, height) => {
                Ok(Part::of_columns(cast_slice(memory), COLUMN, *height, 3))
            }
        }
    }
}
