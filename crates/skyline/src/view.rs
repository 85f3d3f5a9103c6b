//! A frame in which the skyline is sought.

use jade_optics::light::Light;
use jade_optics::motion::{Backward, Motion};
use jade_optics::resample::{self, Scratch};
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// A frame and the motion of its sky.
#[derive(Clone, Copy)]
pub struct View<'a> {
    /// The frame's light.
    pub light: &'a dyn Light,
    /// The motion of its sky.
    pub motion: &'a Motion,
    /// Positions of its point lights in pixels.
    pub lights: &'a [[f64; 2]],
}

impl View<'_> {
    /// The light of a region of the unaligned frame, without the displacement of its lens, into
    /// three planes.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub(crate) fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        scratch: &mut Scratch,
    ) -> Result<(), PictureError> {
        match self.light.lens() {
            None => self.light.fill(region, planes, region.width as usize),
            Some(_) => {
                let region = InReference(region);
                resample::read(self.light, &Backward::STILL, region, planes, scratch).map(|_| ())
            }
        }
    }
}
