//! Pictures that are made part by part.
//!
//! A product has a fixed set of parts that cover its picture, and each part is made without the
//! others. A run makes all of them. A preview makes only the parts that its region touches and cuts
//! the region out of them, so that both show the same bytes.

use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::CoreError;
use rayon::prelude::*;

/// Returns whether the work should stop.
pub type Stop<'a> = &'a (dyn Fn() -> bool + Sync);

/// A picture that is made part by part.
pub trait Product: Sync {
    /// A part: its light, and other products that are made along with it.
    type Part: Send;
    /// Scratch memory of one thread.
    type Scratch: Default + Send;

    /// Width and height of a part, in pixels; at the right and bottom edges parts are smaller.
    const PART: [u32; 2];

    /// Width and height of the picture, in pixels.
    fn size(&self) -> (u32, u32);

    /// The parts, which cover the picture and do not overlap.
    fn parts(&self) -> Vec<Region> {
        let (width, height) = self.size();
        Region::covering(width, height, Self::PART)
    }

    /// Makes one of the parts. What takes longer than a moment asks `stop` in between.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    fn make(
        &self,
        part: Region,
        scratch: &mut Self::Scratch,
        stop: Stop,
    ) -> Result<Self::Part, PictureError>;

    /// The linear light of a part, three channels interleaved.
    fn light(part: &Self::Part) -> &[f32];
}

/// Makes all parts of a product and hands each to `keep`.
///
/// # Errors
/// Those of [`Product::make`] and of `keep`.
pub fn each<P: Product>(
    product: &P,
    stop: Stop,
    keep: impl Fn(Region, P::Part) -> Result<(), PictureError> + Sync,
) -> Result<(), PictureError> {
    // Each thread takes the next part when it is free. With shares cut beforehand, threads would
    // finish at different times.
    product
        .parts()
        .into_iter()
        .par_bridge()
        .try_for_each_init(P::Scratch::default, |scratch, part| {
            keep(part, make(product, part, scratch, stop)?)
        })
}

/// [`Product::make`], unless `stop` says so before it begins.
fn make<P: Product>(
    product: &P,
    part: Region,
    scratch: &mut P::Scratch,
    stop: Stop,
) -> Result<P::Part, PictureError> {
    if stop() {
        return Err(PictureError::Cancelled);
    }
    product.make(part, scratch, stop)
}

/// The light of a region of a product, three channels interleaved. Only the parts that it touches
/// are made.
///
/// # Errors
/// [`CoreError::Setting`] for a region that is empty or reaches beyond the picture; those of
/// [`Product::make`].
pub fn region<P: Product>(product: &P, region: Region, stop: Stop) -> Result<Vec<f32>, CoreError> {
    inside(region, product.size())?;
    let parts =
        product.parts().into_iter().filter_map(|part| Some((part, part.shared_with(region)?)));
    let cuts: Result<Vec<(Region, Vec<f32>)>, PictureError> = parts
        .par_bridge()
        .map_init(P::Scratch::default, |scratch, (part, shared)| {
            let made = make(product, part, scratch, stop)?;
            let inner = Region { x: shared.x - part.x, y: shared.y - part.y, ..shared };
            Ok((shared, cut(P::light(&made), part.width, inner)))
        })
        .collect();
    let mut light = vec![0.0; 3 * region.area()];
    for (shared, cut) in cuts? {
        let left = 3 * (shared.x - region.x) as usize;
        let rows = cut.chunks_exact(3 * shared.width as usize);
        let below = light.chunks_exact_mut(3 * region.width as usize);
        for (row, out) in rows.zip(below.skip((shared.y - region.y) as usize)) {
            out[left..left + row.len()].copy_from_slice(row);
        }
    }
    Ok(light)
}

/// Checks that a region lies in a picture of a size.
///
/// # Errors
/// [`CoreError::Setting`] where it is empty or reaches beyond the picture.
pub fn inside(region: Region, (width, height): (u32, u32)) -> Result<(), CoreError> {
    let ends = |from: u32, length: u32, size: u32| {
        length > 0 && from.checked_add(length).is_some_and(|end| end <= size)
    };
    match ends(region.x, region.width, width) && ends(region.y, region.height, height) {
        true => Ok(()),
        false => Err(CoreError::Setting(format!(
            "The region of {} x {} pixels at {}, {} does not lie inside the picture, which has {width} x {height}; choose a smaller one.",
            region.width, region.height, region.x, region.y
        ))),
    }
}

/// A region of interleaved light that is `width` pixels wide.
fn cut(light: &[f32], width: u32, region: Region) -> Vec<f32> {
    let (left, length) = (3 * region.x as usize, 3 * region.width as usize);
    let rows = light.chunks_exact(3 * width as usize).skip(region.y as usize);
    rows.take(region.height as usize).flat_map(|row| &row[left..left + length]).copied().collect()
}
