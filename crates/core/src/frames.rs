//! Frames as the later steps read them: decoded samples in a tiled file, turned to linear light
//! where they are needed.

use crate::CoreError;
use crate::cache::{Cache, Key};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::{Region, TiledFile};
use std::path::PathBuf;

/// A picture file to be stacked.
#[derive(Debug, Clone)]
pub struct FrameInput {
    /// The file.
    pub path: PathBuf,
    /// The name it is reported under.
    pub name: String,
    /// BLAKE3 of its content.
    pub blake3: String,
}

impl FrameInput {
    /// The key of its decoded samples.
    pub fn key(&self) -> Key {
        Key::of("frames", &self.blake3, &[])
    }
}

/// Where linear light of a picture can be read, region by region, from any thread.
pub trait Light: Sync {
    /// Width and height in pixels.
    fn size(&self) -> (u32, u32);

    /// The light of `region`, which must lie inside the picture: three planes (red, green, blue)
    /// of `region.area()` values each.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn planes(&self, region: Region) -> Result<[Vec<f32>; 3], PictureError>;

    /// The mean of the three colours in `region`, row by row.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn mean(&self, region: Region) -> Result<Vec<f32>, PictureError> {
        let [mut sum, green, blue] = self.planes(region)?;
        for ((s, g), b) in sum.iter_mut().zip(green).zip(blue) {
            *s = (*s + g + b) / 3.0;
        }
        Ok(sum)
    }
}

/// A decoded frame.
pub struct Frame {
    /// The name it is reported under.
    pub name: String,
    /// What the file tells about itself.
    pub facts: Facts,
    /// How its samples relate to light.
    pub encoding: Encoding,
    samples: TiledFile<u16>,
}

impl Frame {
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
        let file = PictureFile::open(&input.path)?;
        let (facts, encoding) = (file.facts().clone(), file.encoding().clone());
        let path = cache.frame(&input.key());
        let samples = match TiledFile::open(&path) {
            Ok(samples) => samples,
            Err(_) => file.decode_to(&path, &mut |_, _| watch())?,
        };
        Ok(Self { name: input.name.clone(), facts, encoding, samples })
    }
}

impl Light for Frame {
    fn size(&self) -> (u32, u32) {
        (self.samples.width(), self.samples.height())
    }

    fn planes(&self, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        let curves = [0, 1, 2].map(|c| {
            let curve = self.encoding.curve(c);
            <&[f32; 65536]>::try_from(curve).expect("a value for every code")
        });
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        self.samples.visit_region(region, &mut Vec::new(), |x, y, samples| {
            let row = (y - region.y) as usize * region.width as usize;
            let at = row + (x - region.x) as usize;
            let long = samples.len() / 3;
            let [red, green, blue] = &mut planes;
            let out = red[at..at + long]
                .iter_mut()
                .zip(&mut green[at..at + long])
                .zip(&mut blue[at..at + long]);
            for (((r, g), b), pixel) in out.zip(samples.chunks_exact(3)) {
                *r = curves[0][pixel[0] as usize];
                *g = curves[1][pixel[1] as usize];
                *b = curves[2][pixel[2] as usize];
            }
        })?;
        Ok(planes)
    }
}

/// A combined picture: linear light in a tiled file.
pub struct Combined(pub TiledFile<f32>);

impl Light for Combined {
    fn size(&self) -> (u32, u32) {
        (self.0.width(), self.0.height())
    }

    fn planes(&self, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        let pixels = self.0.read_region(region)?;
        Ok([0, 1, 2].map(|c| pixels.iter().skip(c).step_by(3).copied().collect()))
    }
}
