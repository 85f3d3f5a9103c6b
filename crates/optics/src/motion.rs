//! How positions of one frame relate to positions of the reference frame.

use super::camera::Lens;
use super::space::{InFrame, InReference};
use nalgebra::{Matrix3, Rotation3, Vector3};
use serde::{Deserialize, Serialize};

/// The motion of a frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Motion {
    /// It lies on the reference frame as it is.
    Still,
    /// A plane-to-plane mapping, frame to reference; shifts and similarities are such mappings too.
    Homography(Matrix3<f64>),
    /// A camera with radial distortion that turned (or under which the sky turned).
    Camera {
        /// The lens, the same for all frames of a run.
        lens: Lens,
        /// Turns directions of the frame into directions of the reference frame.
        turn: Rotation3<f64>,
    },
}

impl Motion {
    /// The model's name in reports.
    pub fn model(&self) -> &'static str {
        match self {
            Self::Still => "still",
            Self::Homography(h) => {
                let plain = |i: usize, j: usize, v: f64| h[(i, j)] == v;
                let flat = plain(2, 0, 0.0) && plain(2, 1, 0.0);
                if !flat || h[(0, 0)] != h[(1, 1)] || h[(0, 1)] != -h[(1, 0)] {
                    "homography"
                } else if plain(0, 0, 1.0) && plain(0, 1, 0.0) {
                    "shift"
                } else {
                    "similarity"
                }
            }
            Self::Camera { .. } => "camera",
        }
    }

    /// Where a position of the frame stands in the reference frame, both in pixels.
    pub fn to_reference(&self, InFrame(at): InFrame<[f64; 2]>) -> InReference<[f64; 2]> {
        InReference(match self {
            Self::Still => at,
            Self::Homography(h) => apply(h, at),
            Self::Camera { lens, turn } => lens.project(turn * lens.ray(at)),
        })
    }

    /// The way from the reference frame to the frame.
    pub fn backward(&self) -> Backward {
        Backward(self.inverted())
    }

    /// The motion of the reference frame to the frame, as if their roles were exchanged. A homography
    /// that cannot be inverted gives positions that are no numbers.
    pub fn inverted(&self) -> Self {
        match self {
            Self::Still => Self::Still,
            Self::Homography(h) => {
                Self::Homography(h.try_inverse().unwrap_or_else(|| Matrix3::from_element(f64::NAN)))
            }
            Self::Camera { lens, turn } => Self::Camera { lens: *lens, turn: turn.inverse() },
        }
    }

    /// Where a position of the reference frame stands in the frame, both in pixels.
    pub fn from_reference(&self, at: InReference<[f64; 2]>) -> InFrame<[f64; 2]> {
        self.backward().to_frame(at)
    }

    /// Positions in the frame and in the reference frame, `[x, y, X, Y]`, spread over a picture of
    /// this size with its edges, `across` x `down` of them.
    pub fn grid(&self, width: u32, height: u32, across: u32, down: u32) -> Vec<[f64; 4]> {
        let place = |i: u32, n: u32, size: u32| (size as f64 - 1.0) * i as f64 / (n - 1) as f64;
        (0..across * down)
            .map(|i| {
                let x = place(i % across, across, width);
                let y = place(i / across, down, height);
                let InReference([to_x, to_y]) = self.to_reference(InFrame([x, y]));
                [x, y, to_x, to_y]
            })
            .collect()
    }

    /// The homography, frame to reference, that comes nearest over a picture of this size.
    pub fn nearest_homography(&self, width: u32, height: u32) -> Matrix3<f64> {
        match self {
            Self::Still => Matrix3::identity(),
            Self::Homography(h) => h / h[(2, 2)],
            Self::Camera { .. } => {
                let pairs: Vec<([f64; 2], [f64; 2])> = self
                    .grid(width, height, 17, 11)
                    .into_iter()
                    .map(|[x, y, to_x, to_y]| ([x, y], [to_x, to_y]))
                    .collect();
                crate::homography::fit(&pairs, &vec![1.0; pairs.len()])
                    .unwrap_or_else(Matrix3::identity)
            }
        }
    }
}

/// The way from the reference frame to a frame.
#[derive(Debug, Clone, PartialEq)]
pub struct Backward(Motion);

impl Backward {
    /// The way to a frame that lies on the reference frame as it is.
    pub const STILL: Self = Self(Motion::Still);

    /// Where a position of the reference frame stands in the frame, both in pixels.
    pub fn to_frame(&self, InReference(at): InReference<[f64; 2]>) -> InFrame<[f64; 2]> {
        let InReference(at) = self.0.to_reference(InFrame(at));
        InFrame(at)
    }

    /// Whether the frame lies on the reference frame as it is.
    pub fn is_still(&self) -> bool {
        self.0 == Motion::Still
    }
}

/// A position mapped by a homography.
pub fn apply(h: &Matrix3<f64>, at: [f64; 2]) -> [f64; 2] {
    let v = h * Vector3::new(at[0], at[1], 1.0);
    [v.x / v.z, v.y / v.z]
}
