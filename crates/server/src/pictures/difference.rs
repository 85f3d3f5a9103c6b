//! The difference of two pictures in linear light.

use super::derived::Derived;
use super::open::open;
use super::open_picture::{Levels, OpenPicture};
use super::source::Source;
use crate::app::App;
use crate::error::ApiError;
use jade_pixels::colour::Encoding;
use jade_pixels::tiled::Region;
use jade_pixels::{PictureError, pyramid};
use std::sync::Arc;

/// Factor by which a difference is brightened.
pub const TIMES: f32 = 6.0;
/// Levels between a level that is shown and the finer one that its pixels are means of. Two
/// pictures whose origins differ by less than a pixel of a level then align within an eighth of a
/// pixel.
const FINER: usize = 2;

/// Two pictures and the part of the reference frame that both show.
pub struct Difference {
    one: Arc<OpenPicture>,
    other: Arc<OpenPicture>,
    /// Left top of that part in the reference frame, in pixels.
    origin: [u32; 2],
    sizes: Vec<(u32, u32)>,
}

/// Opens the difference of two pictures.
///
/// # Errors
/// [`ApiError`] when one is missing or cannot be read, or when they show nothing in common.
pub async fn difference(
    app: &Arc<App>,
    one: Source,
    other: Source,
) -> Result<Arc<OpenPicture>, ApiError> {
    let (one, other) = (open(app, one).await?, open(app, other).await?);
    let version = format!("{}-{}", one.version, other.version);
    let both = Difference::of(one, other).ok_or_else(|| {
        ApiError::Refused("These two pictures show nothing in common; choose others.".to_owned())
    })?;
    let (origin, encoding) = (both.origin, Encoding::srgb());
    Ok(Arc::new(OpenPicture { levels: Levels::Derived(Box::new(both)), encoding, version, origin }))
}

impl Difference {
    fn of(one: Arc<OpenPicture>, other: Arc<OpenPicture>) -> Option<Self> {
        let both = [&one, &other];
        let from = |i: usize| both.map(|picture| picture.origin[i]).into_iter().max();
        let until = |i: usize| {
            let ends = both.map(|picture| {
                let (width, height) = picture.level_size(0);
                picture.origin[i] + [width, height][i]
            });
            ends.into_iter().min()
        };
        let origin = [from(0)?, from(1)?];
        let (width, height) =
            (until(0)?.checked_sub(origin[0])?, until(1)?.checked_sub(origin[1])?);
        if width == 0 || height == 0 {
            return None;
        }
        let sizes = pyramid::level_sizes(width, height);
        Some(Self { one, other, origin, sizes })
    }

    /// Light of one of the two in a region of a level of the part that both show.
    fn light_seen(
        &self,
        picture: &OpenPicture,
        level: usize,
        region: Region,
    ) -> Result<Vec<[f32; 3]>, PictureError> {
        // The picture may have fewer levels than the common part, where it is smaller in one
        // direction.
        let finer = level.saturating_sub(FINER).min(picture.count() - 1);
        let times = 1usize << (level - finer);
        let size = picture.level_size(finer);
        let start = |i: usize, at: u32| {
            let shift = f64::from(self.origin[i] - picture.origin[i]) / f64::from(1u32 << finer);
            shift.round() as u32 + at * times as u32
        };
        let (left, top) = (start(0, region.x), start(1, region.y));
        // The last pixels of a level may stand for fewer full-size pixels than the others.
        let width = (region.width * times as u32).min(size.0.saturating_sub(left));
        let high = (region.height * times as u32).min(size.1.saturating_sub(top));
        if width == 0 || high == 0 {
            return Ok(vec![[0.0; 3]; region.area()]);
        }
        let light = picture.light_of(finer, Region { x: left, y: top, width, height: high })?;
        if times == 1 && (width, high) == (region.width, region.height) {
            return Ok(light);
        }
        let (width, high) = (width as usize, high as usize);
        let mean = |x: usize, y: usize| {
            // Columns beyond the edge repeat the last pixel.
            let columns = (x * times).min(width - 1)..((x + 1) * times).min(width).max(1);
            let rows = (y * times).min(high - 1)..((y + 1) * times).min(high).max(1);
            let (mut sum, mut count) = ([0.0; 3], 0.0f32);
            for row in rows {
                for light in &light[row * width..][columns.clone()] {
                    sum.iter_mut().zip(light).for_each(|(sum, v)| *sum += v);
                    count += 1.0;
                }
            }
            sum.map(|sum| sum / count.max(1.0))
        };
        let columns = 0..region.width as usize;
        let all = (0..region.height as usize).flat_map(|y| columns.clone().map(move |x| (x, y)));
        Ok(all.map(|(x, y)| mean(x, y)).collect())
    }
}

/// The absolute difference of the light.
impl Derived for Difference {
    fn count(&self) -> usize {
        self.sizes.len()
    }

    fn level_size(&self, level: usize) -> (u32, u32) {
        self.sizes[level]
    }

    fn light_of(&self, level: usize, region: Region) -> Result<Vec<[f32; 3]>, PictureError> {
        let (one, other) = (
            self.light_seen(&self.one, level, region)?,
            self.light_seen(&self.other, level, region)?,
        );
        let apart = |(one, other): (&[f32; 3], &[f32; 3])| {
            [0, 1, 2].map(|c| (one[c] - other[c]).abs() * TIMES)
        };
        Ok(one.iter().zip(&other).map(apart).collect())
    }
}
