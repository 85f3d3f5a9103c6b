//! What a camera recorded, before anything is done to it: light of photosites, or of the colours of
//! a developed picture.

use crate::CoreError;
use crate::cache::{Cache, Key};
use crate::frames::{Frame, FrameInput, Light};
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::mosaic::Sensor;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::{Region, RowWriter, SIDE, TiledFile};

/// A frame on scratch.
pub enum Recorded {
    /// Codes of a mosaic's photosites.
    Sensor(Box<Photosites>),
    /// A developed picture.
    Developed(Box<Frame>),
}

/// A mosaic's codes and what they mean.
pub struct Photosites {
    codes: TiledFile<u16>,
    sensor: Sensor,
    facts: Facts,
}

impl Recorded {
    /// Reads a frame into the cache, or finds it there.
    ///
    /// # Errors
    /// [`CoreError::Picture`].
    pub fn open(
        input: &FrameInput,
        cache: &Cache,
        watch: &mut dyn FnMut() -> Result<(), PictureError>,
    ) -> Result<Self, CoreError> {
        let file = PictureFile::open(&input.path)?;
        let Some(sensor) = file.sensor().cloned() else {
            return Ok(Self::Developed(Box::new(Frame::decode(input, cache, watch)?)));
        };
        let facts = file.facts().clone();
        let path = cache.frame(&Key::of("sensor", &input.content, &[]));
        if let Ok(codes) = TiledFile::open(&path) {
            return Ok(Self::Sensor(Box::new(Photosites { codes, sensor, facts })));
        }
        let Some((mosaic, _)) = file.mosaic()? else {
            unreachable!("a file with a sensor holds its mosaic")
        };
        let mut writer = RowWriter::create(&path, mosaic.width, mosaic.height, 1)?;
        for codes in mosaic.codes.chunks(mosaic.width as usize * SIDE as usize) {
            watch()?;
            writer.write(codes)?;
        }
        let codes = writer.finish()?;
        Ok(Self::Sensor(Box::new(Photosites { codes, sensor, facts })))
    }

    /// Width and height in photosites or pixels, and samples of each.
    pub fn shape(&self) -> Shape {
        match self {
            Self::Sensor(own) => Shape::of(&own.codes),
            Self::Developed(frame) => {
                let (width, height) = frame.size();
                Shape { width, height, channels: 3 }
            }
        }
    }

    /// Samples of a region by colour: column, row and light of each.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn by_colour(&self, region: Region) -> Result<[Vec<[f64; 3]>; 3], PictureError> {
        let channels = self.shape().channels as usize;
        let light = self.light(region)?;
        let mut samples: [Vec<[f64; 3]>; 3] = Default::default();
        for (i, pixel) in light.chunks_exact(channels).enumerate() {
            let (x, y) = (i as u32 % region.width + region.x, i as u32 / region.width + region.y);
            for (c, value) in pixel.iter().enumerate() {
                let colour = match self {
                    Self::Sensor(own) => own.sensor.pattern.colour(x, y),
                    Self::Developed(_) => c,
                };
                samples[colour].push([f64::from(x), f64::from(y), f64::from(*value)]);
            }
        }
        Ok(samples)
    }

    /// What the file tells about itself.
    pub fn facts(&self) -> &Facts {
        match self {
            Self::Sensor(own) => &own.facts,
            Self::Developed(frame) => &frame.facts,
        }
    }

    /// Light of a region: row by row, the samples of a pixel together.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn light(&self, region: Region) -> Result<Vec<f32>, PictureError> {
        match self {
            Self::Sensor(own) => {
                let codes = own.codes.read_region(region)?;
                let mut light = vec![0.0; codes.len()];
                let wide = region.width as usize;
                let rows = light.chunks_exact_mut(wide).zip(codes.chunks_exact(wide));
                for (y, (light, codes)) in (region.y..).zip(rows) {
                    sensor_light(&own.sensor, [region.x, y], codes, light);
                }
                Ok(light)
            }
            Self::Developed(frame) => {
                let [red, green, blue] = frame.planes(region)?;
                let planes = red.iter().zip(&green).zip(&blue);
                Ok(planes.flat_map(|((r, g), b)| [*r, *g, *b]).collect())
            }
        }
    }
}

/// A picture's size, and samples of a pixel: 1 for a mosaic, 3 for colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shape {
    pub width: u32,
    pub height: u32,
    pub channels: u32,
}

impl Shape {
    pub fn of<T: jade_pixels::tiled::Sample>(file: &TiledFile<T>) -> Self {
        Self { width: file.width(), height: file.height(), channels: file.channels() as u32 }
    }

    /// Of what a file holds, as it lies in it.
    pub fn of_file(file: &PictureFile) -> Self {
        let (width, height) = file.stored_size();
        let channels = if file.sensor().is_some() { 1 } else { 3 };
        Self { width, height, channels }
    }

    /// In words.
    pub fn told(self) -> String {
        let kind = if self.channels == 1 { "raw, " } else { "developed, " };
        format!("{kind}{} x {} pixels", self.width, self.height)
    }
}

/// Light of codes of a row from a photosite on: 0 black, 1 where a photosite is full.
pub fn sensor_light(sensor: &Sensor, [x, y]: [u32; 2], codes: &[u16], light: &mut [f32]) {
    let scale = [0, 1].map(|dx| {
        let black = sensor.black[Sensor::place(x + dx, y)];
        (black, 1.0 / (sensor.white - black).max(1.0))
    });
    for (i, (light, code)) in light.iter_mut().zip(codes).enumerate() {
        let (black, factor) = scale[i % 2];
        *light = (f32::from(*code) - black) * factor;
    }
}
