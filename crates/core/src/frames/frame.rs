use super::{Ahead, FrameInput, Light, Rows};
use crate::CoreError;
use crate::cache::Cache;
use bytemuck::{cast_slice, cast_slice_mut};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::read::{InPlace, PictureFile};
use jade_pixels::tiled::{Part, Region, TiledFile};
use memmap2::{Advice, MmapMut};

/// Width of the columns in which frames lie in memory: regions that are read one below the other
/// are then as long stretches as can be.
const COLUMN: u32 = 128;

/// A frame: its header, and its samples once they are decoded.
pub struct Frame {
    /// The name it is reported under.
    pub name: String,
    /// What the file tells about itself.
    pub facts: Facts,
    /// How its samples relate to light.
    pub encoding: Encoding,
    size: (u32, u32),
    samples: Samples,
}

/// Where a frame's samples are.
enum Samples {
    /// In the cache.
    Tiles(TiledFile<u16>),
    /// In memory, in columns of [`COLUMN`] pixels.
    Memory(MmapMut),
    /// In the picture's own file.
    InPlace(InPlace),
    /// Nowhere yet: only the header was read.
    Undecoded,
}

impl Frame {
    /// Bytes that a frame of this size takes in memory.
    pub fn bytes_in_memory(width: u32, height: u32) -> u64 {
        u64::from(width.next_multiple_of(COLUMN)) * u64::from(height) * 6
    }

    /// Decodes a frame into the cache, or finds it there. `watch` sees the rows of a frame that is
    /// decoded and may stop it.
    ///
    /// # Errors
    /// [`CoreError::Picture`] when the file cannot be read.
    pub fn decode(
        input: &FrameInput,
        cache: &Cache,
        watch: &mut dyn FnMut() -> Result<(), PictureError>,
    ) -> Result<Self, CoreError> {
        let (frame, file) = Self::header(input)?;
        let path = cache.frame(&input.key());
        let samples = match TiledFile::open(&path) {
            Ok(samples) => samples,
            Err(_) => file.decode_to(&path, &mut |_, _| watch())?,
        };
        Ok(Self { samples: Samples::Tiles(samples), ..frame })
    }

    /// Opens a frame to be read where it lies, if it is stored so that this is fast.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn in_place(input: &FrameInput) -> Result<Option<Self>, CoreError> {
        let (frame, mut file) = Self::header(input)?;
        Ok(file.in_place()?.map(|place| Self { samples: Samples::InPlace(place), ..frame }))
    }

    /// Opens a frame where it lies, or decodes it into memory: as much of it as
    /// [`Frame::bytes_in_memory`] says.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn load(
        input: &FrameInput,
        watch: &mut dyn FnMut() -> Result<(), PictureError>,
    ) -> Result<Self, CoreError> {
        let (frame, mut file) = Self::header(input)?;
        if let Some(place) = file.in_place()? {
            return Ok(Self { samples: Samples::InPlace(place), ..frame });
        }
        let (width, height) = frame.size;
        let io = PictureError::io(&input.path);
        let bytes = Self::bytes_in_memory(width, height) as usize;
        let mut memory = MmapMut::map_anon(bytes).map_err(&io)?;
        // Columns far apart are read from it, which takes large pages to be fast; a system without
        // them is only slower.
        let _ = memory.advise(Advice::HugePage);
        let samples: &mut [u16] = cast_slice_mut(&mut memory);
        let (row, narrow) = (width as usize * 3, COLUMN as usize * 3);
        file.rows(&mut |y, band| {
            let columns = samples.chunks_exact_mut(height as usize * narrow);
            for (x, column) in columns.enumerate() {
                let to = column[y as usize * narrow..].chunks_exact_mut(narrow);
                for (to, from) in to.zip(band.chunks_exact(row)) {
                    let from = &from[x * narrow..row.min((x + 1) * narrow)];
                    to[..from.len()].copy_from_slice(from);
                }
            }
            watch()
        })?;
        Ok(Self { samples: Samples::Memory(memory), ..frame })
    }

    /// Reads a frame's header only; its samples cannot be read from what comes out.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn undecoded(input: &FrameInput) -> Result<Self, CoreError> {
        Ok(Self::header(input)?.0)
    }

    /// Whether its samples can be read.
    pub fn is_decoded(&self) -> bool {
        !matches!(self.samples, Samples::Undecoded)
    }

    fn header(input: &FrameInput) -> Result<(Self, PictureFile), CoreError> {
        let file = PictureFile::open(&input.path)?;
        let (facts, encoding) = (file.facts().clone(), file.encoding().clone());
        let size = (facts.width, facts.height);
        let name = input.name.clone();
        Ok((Self { name, facts, encoding, size, samples: Samples::Undecoded }, file))
    }

    /// Calls `visit(x, y, samples)` for runs of pixels that make up a region.
    fn visit(
        &self,
        region: Region,
        mut visit: impl FnMut(u32, u32, &[u16]),
    ) -> Result<(), PictureError> {
        match &self.samples {
            Samples::Tiles(tiles) => {
                with_buffer(|buffer| tiles.visit_region(region, buffer, visit))
            }
            Samples::Memory(memory) => {
                let part = self.columns(memory);
                for y in region.y..region.y + region.height {
                    let mut x = region.x;
                    for run in part.runs(region.x, y, region.width) {
                        visit(x, y, run);
                        x += run.len() as u32 / 3;
                    }
                }
                Ok(())
            }
            Samples::InPlace(file) => with_buffer(|buffer| {
                buffer.resize(region.width as usize * 3, 0);
                for y in region.y..region.y + region.height {
                    file.read_region(Region { y, height: 1, ..region }, buffer)?;
                    visit(region.x, y, buffer);
                }
                Ok(())
            }),
            Samples::Undecoded => unreachable!("a frame is decoded before it is read"),
        }
    }

    fn columns<'a>(&self, memory: &'a MmapMut) -> Part<'a, u16> {
        Part::of_columns(cast_slice(memory), COLUMN, self.size.1, 3)
    }

    fn codes<'a>(
        &'a self,
        region: Region,
        buffer: &'a mut Vec<u16>,
    ) -> Result<Part<'a, u16>, PictureError> {
        match &self.samples {
            Samples::Tiles(tiles) => tiles.part(region, buffer),
            Samples::Memory(memory) => Ok(self.columns(memory)),
            Samples::InPlace(file) => {
                buffer.resize(region.area() * 3, 0);
                file.read_region(region, buffer)?;
                Ok(Part::of_rows(buffer, region, 3))
            }
            Samples::Undecoded => unreachable!("a frame is decoded before it is read"),
        }
    }
}

impl Light for Frame {
    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn fill(
        &self,
        region: Region,
        [red, green, blue]: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        self.visit(region, |x, y, samples| {
            let at = (y - region.y) as usize * stride + (x - region.x) as usize;
            let range = at..at + samples.len() / 3;
            let [red, green, blue] = [&mut *red, &mut *green, &mut *blue];
            let planes = [red, green, blue].map(|plane| &mut plane[range.clone()]);
            self.encoding.decode_pixels(samples, planes);
        })
    }

    fn rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        let part = self.codes(region, &mut ahead.codes)?;
        Ok(Box::new(Codes { part, encoding: &self.encoding }))
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let width = region.width as usize;
        self.visit(region, |x, y, samples| {
            let at = (y - region.y) as usize * width + (x - region.x) as usize;
            self.encoding.decode_means(samples, &mut out[at..at + samples.len() / 3]);
        })
    }

    fn thinned_mean(&self, region: Region, step: u32) -> Result<Vec<f32>, PictureError> {
        let curves = [0, 1, 2].map(|c| self.encoding.curve(c));
        let across = region.width.div_ceil(step) as usize;
        let mut out = vec![0.0; across * region.height.div_ceil(step) as usize];
        self.visit(region, |x, y, samples| {
            let (x, y) = (x - region.x, y - region.y);
            if !y.is_multiple_of(step) {
                return;
            }
            // The first wanted column at or after the run's beginning.
            let first = x.div_ceil(step);
            let skip = (first * step - x) as usize * 3;
            let at = (y / step) as usize * across + first as usize;
            let pixels = samples.get(skip..).unwrap_or_default().chunks(3 * step as usize);
            for (value, pixel) in out[at..].iter_mut().zip(pixels) {
                let [r, g, b] = [0, 1, 2].map(|c| curves[c][pixel[c] as usize]);
                *value = (r + g + b) / 3.0;
            }
        })?;
        Ok(out)
    }
}

/// Rows that are turned to light when they are asked for.
struct Codes<'a> {
    part: Part<'a, u16>,
    encoding: &'a Encoding,
}

impl Rows for Codes<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        let mut done = 0;
        for run in self.part.runs(x, y, planes[0].len() as u32) {
            let here = done..done + run.len() / 3;
            self.encoding.decode_pixels(run, planes.each_mut().map(|p| &mut p[here.clone()]));
            done = here.end;
        }
    }
}

/// Lends this thread's buffer of raw samples, so that reading takes no new memory.
fn with_buffer<T>(work: impl FnOnce(&mut Vec<u16>) -> T) -> T {
    thread_local! {
        static BUFFER: std::cell::Cell<Vec<u16>> = const { std::cell::Cell::new(Vec::new()) };
    }
    BUFFER.with(|cell| {
        let mut buffer = cell.take();
        let done = work(&mut buffer);
        cell.set(buffer);
        done
    })
}
