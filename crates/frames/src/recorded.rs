//! What a camera recorded, before any treatment: light of photosites, or of the colours of a
//! developed picture.

use crate::cache::{Cache, Key};
use crate::frame::Frame;
use crate::input::FrameInput;
use crate::photosites::sensor_light;
use crate::shape::Shape;
use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::mosaic::Sensor;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::{Region, RowWriter, SIDE, TiledFile};
use jade_plan::CoreError;

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
        let path = cache.frame(&Key::of("sensor", &input.id, &[]));
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
            Self::Sensor(raw) => Shape::of(&raw.codes),
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
                    Self::Sensor(raw) => raw.sensor.pattern.colour(x, y),
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
            Self::Sensor(raw) => &raw.facts,
            Self::Developed(frame) => &frame.facts,
        }
    }

    /// Light of a region: row by row, the samples of a pixel together.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn light(&self, region: Region) -> Result<Vec<f32>, PictureError> {
        match self {
            Self::Sensor(raw) => {
                let codes = raw.codes.read_region(region)?;
                let mut light = vec![0.0; codes.len()];
                let width = region.width as usize;
                let rows = light.chunks_exact_mut(width).zip(codes.chunks_exact(width));
                for (y, (light, codes)) in (region.y..).zip(rows) {
                    sensor_light(&raw.sensor, [region.x, y], codes, light);
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
