//! The three spaces of pixel positions, as wrappers that cannot be mixed up: the pixels of a frame,
//! of the reference frame, and of the result, which may be a part of the reference frame.
//!
//! They wrap positions, `[x, y]` in pixels, and regions. Code that handles one picture alone, such
//! as reading its light, takes that picture's positions and regions without a wrapper.

use jade_pixels::tiled::Region;

/// A value in the pixels of a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct InFrame<T>(pub T);

/// A value in the pixels of the reference frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct InReference<T>(pub T);

/// A value in the pixels of the result.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct InResult<T>(pub T);

/// The top-left pixel of a result in the reference frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Origin(pub [u32; 2]);

impl Origin {
    /// A region of the result in the reference frame.
    pub fn to_reference(self, region: InResult<Region>) -> InReference<Region> {
        InReference(region.0.moved(self.0))
    }

    /// A region of the reference frame in the result; `None` where it begins left of the result or
    /// above it.
    pub fn to_result(self, region: InReference<Region>) -> Option<InResult<Region>> {
        let (Self([left, top]), InReference(region)) = (self, region);
        let (x, y) = (region.x.checked_sub(left)?, region.y.checked_sub(top)?);
        Some(InResult(Region { x, y, ..region }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn regions_go_to_the_reference_frame_and_back() {
        let (origin, region) = (Origin([12, 7]), Region { x: 3, y: 90, width: 40, height: 20 });
        let there = origin.to_reference(InResult(region));
        assert_eq!(there, InReference(Region { x: 15, y: 97, ..region }));
        assert_eq!(origin.to_result(there), Some(InResult(region)));
        assert_eq!(origin.to_result(InReference(Region { x: 11, ..region })), None);
    }
}
