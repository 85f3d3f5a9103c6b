//! A frame as it looks without its lens's flaws.

use super::Geometry;
use crate::align::Motion;
use crate::combine::resample::{self, Room};
use crate::frames::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// The corrected picture of a frame: for looking at it, and for finding what is in it. A stack is
/// not made from this, as that would resample twice.
pub struct Corrected<'a>(pub &'a dyn Light);

impl Light for Corrected<'_> {
    fn size(&self) -> (u32, u32) {
        self.0.size()
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        if self.0.lens().is_none() {
            return self.0.fill(region, planes, stride);
        }
        let mut whole = [(); 3].map(|()| vec![0.0; region.area()]);
        let out = whole.each_mut().map(Vec::as_mut_slice);
        let covered = resample::read(self.0, &Motion::Still, region, out, &mut Room::default())?;
        let wide = region.width as usize;
        for (mut from, to) in whole.into_iter().zip(planes) {
            if let Some(covered) = &covered {
                // Where there is nothing to see, there is none.
                from.iter_mut().zip(covered).for_each(|(v, seen)| *v *= f32::from(u8::from(*seen)));
            }
            for (from, to) in from.chunks_exact(wide).zip(to.chunks_mut(stride)) {
                to[..wide].copy_from_slice(from);
            }
        }
        Ok(())
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        if self.0.lens().is_none() {
            return self.0.fill_mean(region, out);
        }
        let [red, green, blue] = self.planes(region)?;
        for (i, value) in out.iter_mut().enumerate() {
            *value = (red[i] + green[i] + blue[i]) / 3.0;
        }
        Ok(())
    }
}

impl Geometry {
    /// The region of the frame that shows what lies in the middle of `region` of the corrected
    /// picture, of the same size and inside a frame of `size`.
    pub fn shifted(&self, region: Region, size: (u32, u32)) -> Region {
        let middle = [
            f64::from(region.x) + (f64::from(region.width) - 1.0) / 2.0,
            f64::from(region.y) + (f64::from(region.height) - 1.0) / 2.0,
        ];
        let there = self.to_frame(middle);
        let moved = |from: u32, axis: usize, room: u32| {
            let moved = f64::from(from) + there[axis] - middle[axis];
            (moved.round().max(0.0) as u32).min(room)
        };
        let x = moved(region.x, 0, size.0.saturating_sub(region.width));
        let y = moved(region.y, 1, size.1.saturating_sub(region.height));
        Region { x, y, ..region }
    }
}
