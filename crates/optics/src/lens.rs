//! The flaws of a lens and how they are undone: bent lines, colours of different magnification,
//! dark corners. All of them depend on the distance `r` from the middle of the picture, which is 1
//! at the corners.
//!
//! Distortion is the radial part of Brown ("Close-range camera calibration", 1971). Positions and
//! light are corrected where a frame is read, so that a frame is resampled only once
//! ([`crate::resample`]).

use crate::camera::Lens;
use jade_pixels::tiled::Region;
use nalgebra::Vector3;

/// The displacement of pixels by a lens, for pictures of one size.
#[derive(Debug, Clone, PartialEq)]
pub struct Geometry {
    lens: Lens,
    /// Magnification `[a, b]` of red, green and blue: constant, and growing with `r^2`.
    colours: [[f64; 2]; 3],
}

impl Geometry {
    /// The displacement for pictures of a size in pixels; `None` where nothing moves.
    ///
    /// `distortion` holds `[a, b]`: without the lens's distortion, what is seen at `r` would be at
    /// `r (1 + a r^2 + b r^4)`. `red` and `blue` hold `[a, b]` each: where green is at `r`, that
    /// colour is at `r (1 + a + b r^2)`.
    pub fn new(
        distortion: [f32; 2],
        red: [f32; 2],
        blue: [f32; 2],
        (width, height): (u32, u32),
    ) -> Option<Self> {
        if [distortion, red, blue].concat().iter().all(|v| *v == 0.0) {
            return None;
        }
        // A lens whose focal length is half the diagonal images a direction at its own `r`.
        let flat = Lens::plain(half_diagonal((width, height)), width, height);
        let [k1, k2] = distortion.map(f64::from);
        let colours = [red, [0.0; 2], blue].map(|terms| terms.map(f64::from));
        Some(Self { lens: Lens { k1, k2, ..flat }, colours })
    }

    /// The position in the frame of a position in the corrected picture, in pixels; for green.
    pub fn to_frame(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let Lens { focal_px: half, centre, .. } = self.lens;
        self.lens.project(Vector3::new((x - centre[0]) / half, (y - centre[1]) / half, 1.0))
    }

    /// The position in the corrected picture of a position in the frame, in pixels; for green.
    pub fn to_corrected(&self, at: [f64; 2]) -> [f64; 2] {
        let Lens { focal_px: half, centre, .. } = self.lens;
        let ray = self.lens.ray(at);
        [centre[0] + ray.x * half, centre[1] + ray.y * half]
    }

    /// The position of a colour (0 to 2) where green is at a position of the frame, in pixels.
    pub fn colour(&self, colour: usize, [x, y]: [f64; 2]) -> [f64; 2] {
        let [a, b] = self.colours[colour];
        let Lens { focal_px: half, centre, .. } = self.lens;
        let (dx, dy) = (x - centre[0], y - centre[1]);
        let grown = a + b * (dx * dx + dy * dy) / (half * half);
        [x + dx * grown, y + dy * grown]
    }

    /// The same displacement for pictures whose colours were already aligned.
    pub fn of_green(&self) -> Option<Self> {
        let bends = self.lens.k1 != 0.0 || self.lens.k2 != 0.0;
        bends.then(|| Self { colours: Default::default(), ..self.clone() })
    }

    /// The region of the frame that shows the middle of `region` of the corrected picture: of the
    /// same size, and inside a frame of `size`.
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

    /// Whether red or blue has another magnification than green.
    pub fn parts_colours(&self) -> bool {
        self.colours.as_flattened().iter().any(|v| *v != 0.0)
    }
}

/// Half the diagonal of a picture in pixels, from the middle of its corner pixels.
pub fn half_diagonal((width, height): (u32, u32)) -> f64 {
    (f64::from(width) - 1.0).hypot(f64::from(height) - 1.0) / 2.0
}

/// Share of the light that reaches a place with vignetting `[a, b, c]`: `1 + a r^2 + b r^4 + c
/// r^6`. `r2` is the square of the distance from the middle.
pub fn falloff([a, b, c]: &[f32; 3], r2: f32) -> f32 {
    1.0 + r2 * (a + r2 * (b + r2 * c))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn correcting_and_back_is_where_it_began(
            x in 0.0f64..900.0, y in 0.0f64..600.0, a in -0.12f32..0.12, b in -0.04f32..0.04,
        ) {
            let lens = Geometry::new([a, b], [0.0; 2], [0.0; 2], (900, 600)).unwrap();
            let [u, v] = lens.to_frame(lens.to_corrected([x, y]));
            prop_assert!((u - x).abs() < 1e-6 && (v - y).abs() < 1e-6);
        }
    }

    #[test]
    fn the_middle_stays_and_the_corner_moves_as_told() {
        let size = (901, 601);
        let lens = Geometry::new([-0.03, 0.01], [0.001, 0.0005], [0.0; 2], size).unwrap();
        assert_eq!(lens.to_corrected([450.0, 300.0]), [450.0, 300.0]);
        let [x, y] = lens.to_corrected([900.0, 600.0]);
        assert!((x - (450.0 + 450.0 * 0.98)).abs() < 1e-4, "{x}");
        assert!((y - (300.0 + 300.0 * 0.98)).abs() < 1e-4, "{y}");
        let [red, _] = lens.colour(0, [900.0, 600.0]);
        assert!((red - (450.0 + 450.0 * 1.0015)).abs() < 1e-4, "{red}");
        assert_eq!(lens.colour(1, [900.0, 600.0]), [900.0, 600.0]);
        assert!(lens.parts_colours());
        assert_eq!(Geometry::new([0.0; 2], [0.0; 2], [0.0; 2], size), None);
    }
}
