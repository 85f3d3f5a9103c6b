//! Master frames: averages of many dark, bias or flat frames.

use super::master::{Master, Note};
use super::recorded::Recorded;
use super::shape::Shape;
use crate::cache::{Cache, Key};
use crate::input::FrameInput;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use jade_plan::progress::Watch;
use jade_plan::{CoreError, FrameRole};
use rayon::prelude::*;

/// Standard deviations from the median beyond which a sample is left out.
const CLIP: f32 = 4.0;

impl Master {
    /// Averages frames, or takes their average from the cache. `bias` is subtracted from flats.
    ///
    /// # Errors
    /// [`CoreError::Frames`] when their sizes differ, [`CoreError::Picture`],
    /// [`CoreError::Cancelled`].
    pub fn of(
        shows: FrameRole,
        inputs: &[FrameInput],
        bias: Option<&Self>,
        key: &Key,
        cache: &Cache,
        watch: &dyn Watch,
    ) -> Result<Self, CoreError> {
        let path = cache.frame(key);
        if let (Ok(picture), Some(note)) = (TiledFile::open(&path), cache.read("master", key)) {
            watch.advance(inputs.len() as u64);
            return Ok(Self { picture, note });
        }
        let stop = || match watch.cancelled() {
            true => Err(PictureError::Cancelled),
            false => Ok(()),
        };
        let mut frames = Vec::with_capacity(inputs.len());
        for input in inputs {
            let frame = Recorded::open(input, cache, &mut || stop())?;
            watch.advance(1);
            frames.push(frame);
        }
        let shape = frames[0].shape();
        for (frame, input) in frames.iter().zip(inputs) {
            if frame.shape() != shape {
                return Err(CoreError::Frames(format!(
                    "{}: this {} frame is {}, and {} is {}; choose frames of one kind.",
                    input.name,
                    shows.name(),
                    frame.shape(),
                    inputs[0].name,
                    shape
                )));
            }
        }
        if let Some(bias) = bias {
            bias.fits(shape, FrameRole::Bias, &inputs[0].name)?;
        }
        let scales = match shows {
            FrameRole::Flat => frames
                .par_iter()
                .map(|frame| Ok(mean_light(frame, bias)?.map(|mean| 1.0 / mean.max(1e-4))))
                .collect::<Result<Vec<[f32; 4]>, PictureError>>()?,
            _ => vec![[1.0; 4]; frames.len()],
        };
        let Shape { width, height, channels } = shape;
        let writer = TileWriter::<f32>::create(&path, width, height, channels)?;
        let spreads = Region::covering(width, height, [SIDE; 2])
            .into_par_iter()
            .map(|tile| {
                stop()?;
                let offset = bias.map(|bias| bias.picture.read_region(tile)).transpose()?;
                let light: Result<Vec<Vec<f32>>, PictureError> = frames
                    .iter()
                    .zip(&scales)
                    .map(|(frame, scale)| {
                        let mut light = frame.light(tile)?;
                        for (i, value) in light.iter_mut().enumerate() {
                            let offset = offset.as_ref().map_or(0.0, |offset| offset[i]);
                            *value = (*value - offset) * scale[class(i, tile, channels)];
                        }
                        Ok(light)
                    })
                    .collect();
                let (mean, spread) = average(&light?);
                writer.write_region(tile, &mean)?;
                Ok(spread)
            })
            .collect::<Result<Vec<f32>, PictureError>>()?;
        let picture = writer.finish(false)?;
        let exposure_s = frames[0].facts().exposure_s;
        let same = frames.iter().all(|frame| frame.facts().exposure_s == exposure_s);
        let note =
            Note { noise: median(&mut spreads.clone()), exposure_s: exposure_s.filter(|_| same) };
        cache.write("master", key, &note)?;
        Ok(Self { picture, note })
    }
}

/// The class of a sample: one of four positions in a mosaic's pattern, or one of three colours.
fn class(i: usize, region: Region, channels: u32) -> usize {
    match channels {
        1 => {
            let (x, y) = (i % region.width as usize, i / region.width as usize);
            (y + region.y as usize) % 2 * 2 + (x + region.x as usize) % 2
        }
        channels => i % channels as usize,
    }
}

/// The mean light of each class of samples, over patches spread over the frame.
fn mean_light(frame: &Recorded, bias: Option<&Master>) -> Result<[f32; 4], PictureError> {
    let Shape { width, height, channels } = frame.shape();
    let (mut sums, mut counts) = ([0.0f64; 4], [0u32; 4]);
    for tile in Region::covering(width, height, [SIDE; 2]) {
        let patch = Region { width: tile.width.min(16), height: tile.height.min(16), ..tile };
        let offset = bias.map(|bias| bias.picture.read_region(patch)).transpose()?;
        for (i, value) in frame.light(patch)?.into_iter().enumerate() {
            let class = class(i, patch, channels);
            sums[class] += f64::from(value - offset.as_ref().map_or(0.0, |offset| offset[i]));
            counts[class] += 1;
        }
    }
    Ok([0, 1, 2, 3].map(|class| (sums[class] / f64::from(counts[class].max(1))) as f32))
}

/// The clipped mean of each sample over all frames, and their typical standard deviation.
fn average(frames: &[Vec<f32>]) -> (Vec<f32>, f32) {
    let samples = frames[0].len();
    let mut column = Vec::with_capacity(frames.len());
    let mut spreads: Vec<f32> = (0..samples)
        .step_by(7)
        .map(|i| {
            column.clear();
            column.extend(frames.iter().map(|frame| frame[i]));
            let mean = column.iter().sum::<f32>() / column.len() as f32;
            let squares: f32 = column.iter().map(|v| (v - mean).powi(2)).sum();
            (squares / (column.len() as f32 - 1.0).max(1.0)).sqrt()
        })
        .collect();
    let usual = match frames.len() {
        // A single frame shows its noise only from place to place.
        1 => robust_sigma(&frames[0], median(&mut frames[0].clone())),
        _ => median(&mut spreads),
    };
    let mean = (0..samples).map(|i| {
        column.clear();
        column.extend(frames.iter().map(|frame| frame[i]));
        let middle = median(&mut column);
        // The spread of a few frames is uncertain, so it is never assumed to be below the usual
        // one.
        let reach = CLIP * robust_sigma(&column, middle).max(usual);
        let kept = column.iter().filter(|v| (*v - middle).abs() <= reach);
        let (sum, count) = kept.fold((0.0, 0), |(sum, count), v| (sum + v, count + 1));
        if count == 0 { middle } else { sum / count as f32 }
    });
    (mean.collect(), usual)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cosmic_ray_in_one_frame_is_left_out_of_the_average() {
        let noise = |i: usize| ((i * 7919 % 101) as f32 / 101.0 - 0.5) * 0.01;
        let mut frames: Vec<Vec<f32>> =
            (0..6).map(|f| (0..500).map(|i| 0.02 + noise(i * 6 + f)).collect()).collect();
        frames[3][200] = 0.9;
        let (mean, spread) = average(&frames);
        assert!(mean.iter().all(|v| (v - 0.02).abs() < 0.004));
        assert!((0.002..0.004).contains(&spread), "{spread}");
    }
}
