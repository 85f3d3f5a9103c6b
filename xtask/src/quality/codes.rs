//! Reads pictures of simulated scenes and their results: 16-bit TIFF or PNG in sRGB.
//!
//! General libraries read them here rather than `jade-pixels`, which would make every command of this
//! project wait until it and its decoders are built.

use anyhow::{Context, Result, bail};
use png::Transformations;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;
use tiff::decoder::{Decoder, DecodingResult};

/// The codes of a picture.
pub struct Codes {
    /// Width in pixels.
    pub width: usize,
    /// Height in pixels.
    pub height: usize,
    /// Interleaved samples, row by row: 1 (grey) or 3 (red, green, blue) of each pixel.
    pub samples: Vec<u16>,
}

impl Codes {
    /// Reads a file, known by its ending.
    ///
    /// # Errors
    /// Where it cannot be read, or its samples have not 16 bits.
    pub fn read(path: &Path) -> Result<Self> {
        let codes = match path.extension().is_some_and(|ending| ending == "png") {
            true => of_png(path),
            false => of_tiff(path),
        };
        codes.with_context(|| path.display().to_string())
    }

    /// Samples of one pixel.
    pub fn channels(&self) -> usize {
        self.samples.len() / (self.width * self.height)
    }
}

fn of_tiff(path: &Path) -> Result<Codes> {
    let mut decoder = Decoder::new(BufReader::new(File::open(path)?))?;
    let (width, height) = decoder.dimensions()?;
    let DecodingResult::U16(samples) = decoder.read_image()? else { bail!("no 16-bit TIFF") };
    Ok(Codes { width: width as usize, height: height as usize, samples })
}

fn of_png(path: &Path) -> Result<Codes> {
    let mut decoder = png::Decoder::new(BufReader::new(File::open(path)?));
    decoder.set_transformations(Transformations::IDENTITY);
    let mut reader = decoder.read_info()?;
    let mut bytes = vec![0; reader.output_buffer_size().context("a picture too large")?];
    let info = reader.next_frame(&mut bytes)?;
    if info.bit_depth != png::BitDepth::Sixteen {
        bail!("no 16-bit PNG");
    }
    let pairs = bytes[..info.buffer_size()].as_chunks::<2>().0;
    let samples = pairs.iter().map(|pair| u16::from_be_bytes(*pair)).collect();
    Ok(Codes { width: info.width as usize, height: info.height as usize, samples })
}

/// Linear light of every code (sRGB, IEC 61966-2-1), 0 to 1.
pub fn light_of_codes() -> Vec<f32> {
    let light = |code: u16| {
        let v = f64::from(code) / 65535.0;
        let light = if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) };
        light as f32
    };
    (0..=u16::MAX).map(light).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_pixels::colour::Encoding;
    use jade_pixels::read::PictureFile;
    use jade_pixels::write::{Picture, Target, write_picture};

    /// The program reads the same codes and light from files that it wrote.
    #[test]
    fn pictures_are_read_as_the_program_reads_them() {
        let folder = tempfile::tempdir().unwrap();
        let (width, height) = (37, 23);
        let encoding = &Encoding::srgb();
        for (name, channels) in [("a.tif", 3), ("b.png", 3), ("c.png", 1)] {
            let path = folder.path().join(name);
            let target = match name.ends_with("tif") {
                true => Target::Tiff { sixteen_bit: true, deflate: true },
                false => Target::Png { sixteen_bit: true },
            };
            let picture = Picture { width, height, channels, encoding, taken: None };
            write_picture(&path, target, &picture, &mut |y, out| {
                let row = (width as usize * channels) as u32;
                let code = |i: u32| (i.wrapping_mul(2_654_435_761) >> 16) as u16;
                out.iter_mut().zip(y * row..).for_each(|(out, i)| *out = code(i));
                Ok(())
            })
            .unwrap();
            let codes = Codes::read(&path).unwrap();
            assert_eq!((codes.width, codes.height), (37, 23));
            assert_eq!(codes.channels(), channels);
            let file = PictureFile::open(&path).unwrap();
            let light = light_of_codes();
            let curve = file.encoding().curve(0).to_vec();
            assert!(light.iter().zip(&curve).all(|(a, b)| (a - b).abs() < 1e-6));
            let mut seen = vec![];
            file.rows(&mut |_, samples| {
                seen.extend_from_slice(samples);
                Ok(())
            })
            .unwrap();
            let wanted = codes.samples.iter().flat_map(|v| vec![*v; 3 / channels]);
            assert!(wanted.eq(seen), "{name}");
        }
    }
}
