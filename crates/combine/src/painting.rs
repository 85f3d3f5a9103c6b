//! Strokes that paint pixels of other pictures over a picture: at full size for a result, and at
//! any smaller size for the screen.

use jade_optics::brush::Brush;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use std::sync::Arc;

/// Linear light of a region, row by row, and which of its pixels exist; `None` where all do.
pub type PartlyThere = (Vec<[f32; 3]>, Option<Vec<bool>>);

/// The pixels that a stroke paints with.
pub trait Pixels: Send + Sync {
    /// The light of a region of a level of the picture that is painted on: level 0 is the picture itself,
    /// each further one half as large. `origin` is the picture's top-left pixel in the reference frame.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn read(
        &self,
        level: usize,
        region: Region,
        origin: [u32; 2],
    ) -> Result<PartlyThere, PictureError>;
}

/// One stroke of the brush.
pub struct Stroke {
    /// The pixels that it paints with.
    pub pixels: Arc<dyn Pixels>,
    /// `[x, y, radius]` along the stroke, in pixels of the reference frame.
    pub points: Vec<[f32; 3]>,
    /// Share of the radius over which the stroke fades out, 0 to 1.
    pub soft: f32,
}

/// All strokes on a picture, the first of them lowest.
pub struct Painting {
    /// The strokes, in order.
    pub strokes: Vec<Stroke>,
    /// The picture's top-left pixel in the reference frame.
    pub origin: [u32; 2],
}

impl Painting {
    /// Paints a region of a level of the picture: `light` holds its pixels row by row, and `size`
    /// is the level's width and height. Each pixel depends on nothing but itself, so that any
    /// region can be painted alone.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn paint(
        &self,
        light: &mut [[f32; 3]],
        region: Region,
        level: usize,
        size: (u32, u32),
    ) -> Result<(), PictureError> {
        for Stroke { pixels, points, soft } in &self.strokes {
            let whole = Brush { points, soft: *soft };
            let points = whole.points_in(self.origin, (1u32 << level) as f32);
            let brush = Brush { points: &points, ..whole };
            let Some(both) = brush.bounds(size).and_then(|reach| reach.shared_with(region)) else {
                continue;
            };
            let (painted, covered) = pixels.read(level, both, self.origin)?;
            let there = |i: usize| covered.as_ref().is_none_or(|covered| covered[i]);
            brush.lay(light, region, both, |i| there(i).then(|| painted[i]));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Light that encodes its position, with a gap.
    struct Ramp;

    impl Pixels for Ramp {
        fn read(&self, _: usize, region: Region, _: [u32; 2]) -> Result<PartlyThere, PictureError> {
            let at = |i: usize| {
                let width = region.width as usize;
                [region.x as usize + i % width, region.y as usize + i / width]
            };
            let light = |i| [at(i)[0] as f32, at(i)[1] as f32, 1.0];
            let all = 0..region.area();
            let there = all.clone().map(|i| at(i)[0] % 7 != 3).collect();
            Ok((all.map(light).collect(), Some(there)))
        }
    }

    proptest! {
        #[test]
        fn a_region_alone_is_painted_as_in_the_whole(
            strokes in prop::collection::vec(
                (prop::collection::vec((0f32..90.0, 0f32..60.0, 1f32..20.0), 1..4), 0f32..1.0),
                1..4,
            ),
            x in 0u32..70, y in 0u32..40, width in 1u32..20, height in 1u32..20, level in 0usize..2,
        ) {
            let strokes = strokes.into_iter().map(|(points, soft)| Stroke {
                pixels: Arc::new(Ramp),
                points: points.into_iter().map(|(x, y, r)| [x, y, r]).collect(),
                soft,
            });
            let painting = Painting { strokes: strokes.collect(), origin: [3, 5] };
            let size = (90, 60);
            let paint = |region: Region| {
                let mut light = vec![[0.25f32; 3]; region.area()];
                painting.paint(&mut light, region, level, size).unwrap();
                light
            };
            let whole = paint(Region { x: 0, y: 0, width: size.0, height: size.1 });
            let region = Region { x, y, width, height };
            let alone = paint(region);
            for (i, pixel) in alone.into_iter().enumerate() {
                let (x, y) = (x + i as u32 % width, y + i as u32 / width);
                prop_assert_eq!(pixel, whole[(y * size.0 + x) as usize]);
            }
        }
    }
}
