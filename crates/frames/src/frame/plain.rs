//! The light of a frame before noise reduction.

use super::source::Source;
use crate::decoding::{Decoding, middle};
use jade_optics::lens::Geometry;
use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// A frame before noise reduction and with its vignetting.
pub struct Plain<'a> {
    pub(super) source: &'a Source,
    pub(super) size: (u32, u32),
    pub(super) lens: Option<&'a Geometry>,
    pub(super) decoding: &'a Decoding,
}

impl Light for Plain<'_> {
    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn lens(&self) -> Option<&Geometry> {
        self.lens
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let planes = std::cell::RefCell::new(planes);
        let part = |x: u32, y: u32, samples: usize| {
            let at = (y - region.y) as usize * stride + (x - region.x) as usize;
            at..at + samples / 3
        };
        self.source.visit(
            region,
            |x, y, samples| {
                let range = part(x, y, samples.len());
                let mut planes = planes.borrow_mut();
                let planes = planes.each_mut().map(|plane| &mut plane[range.clone()]);
                self.decoding.pixels(samples, planes);
            },
            |x, y, samples| {
                let range = part(x, y, samples.len());
                let mut planes = planes.borrow_mut();
                let planes = planes.each_mut().map(|plane| &mut plane[range.clone()]);
                self.decoding.apart(samples, planes);
            },
        )
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let width = region.width as usize;
        let out = std::cell::RefCell::new(out);
        let at = |x: u32, y: u32| (y - region.y) as usize * width + (x - region.x) as usize;
        self.source.visit(
            region,
            |x, y, samples| {
                let (mut out, at) = (out.borrow_mut(), at(x, y));
                self.decoding.means(samples, &mut out[at..at + samples.len() / 3]);
            },
            |x, y, samples| {
                let (mut out, at) = (out.borrow_mut(), at(x, y));
                for (mean, pixel) in out[at..].iter_mut().zip(samples.as_chunks::<3>().0) {
                    *mean = middle(self.decoding.mixed(*pixel));
                }
            },
        )
    }

    fn thinned_mean(&self, region: Region, step: u32) -> Result<Vec<f32>, PictureError> {
        let light = self.decoding.pixel();
        let thinned = std::cell::RefCell::new(Thinned::new(region, step));
        self.source.visit(
            region,
            |x, y, samples| thinned.borrow_mut().add(x, y, samples, &light),
            |x, y, samples| {
                thinned.borrow_mut().add(x, y, samples, |light| self.decoding.mixed(light))
            },
        )?;
        Ok(thinned.into_inner().means)
    }
}

/// Means of the colours of some pixels of a region.
struct Thinned {
    region: Region,
    step: u32,
    across: usize,
    means: Vec<f32>,
}

impl Thinned {
    fn new(region: Region, step: u32) -> Self {
        let across = region.width.div_ceil(step) as usize;
        let means = vec![0.0; across * region.height.div_ceil(step) as usize];
        Self { region, step, across, means }
    }

    fn add<T: Copy>(&mut self, x: u32, y: u32, samples: &[T], light: impl Fn([T; 3]) -> [f32; 3]) {
        let (x, y) = (x - self.region.x, y - self.region.y);
        if !y.is_multiple_of(self.step) {
            return;
        }
        // The first wanted column at or after the beginning of the run.
        let first = x.div_ceil(self.step);
        let skip = (first * self.step - x) as usize;
        let at = (y / self.step) as usize * self.across + first as usize;
        let pixels = samples.as_chunks::<3>().0.iter().skip(skip).step_by(self.step as usize);
        for (value, pixel) in self.means[at..].iter_mut().zip(pixels) {
            *value = middle(light(*pixel));
        }
    }
}
