//! Rotations and a lens with radial distortion, apart from the solver in the core so that truth
//! does not come from what it judges.

use serde::Serialize;

/// A direction or point.
pub type Vec3 = [f64; 3];

/// A rotation as three rows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Rotation(pub [[f64; 3]; 3]);

impl Rotation {
    /// About a unit `axis` by `angle` radians (Rodrigues).
    pub fn about(axis: Vec3, angle: f64) -> Self {
        let ([x, y, z], (s, c)) = (axis, angle.sin_cos());
        let t = 1.0 - c;
        Self([
            [t * x * x + c, t * x * y - s * z, t * x * z + s * y],
            [t * x * y + s * z, t * y * y + c, t * y * z - s * x],
            [t * x * z - s * y, t * y * z + s * x, t * z * z + c],
        ])
    }

    /// The rotated direction.
    pub fn apply(&self, v: Vec3) -> Vec3 {
        self.0.map(|row| row[0] * v[0] + row[1] * v[1] + row[2] * v[2])
    }
}

/// `v` at length one.
pub fn unit(v: Vec3) -> Vec3 {
    let length = v.iter().map(|x| x * x).sum::<f64>().sqrt();
    v.map(|x| x / length)
}

/// A lens in camera coordinates (x right, y down, z forward): pinhole with radial distortion
/// `r (1 + k1 r^2 + k2 r^4)` of the ideal distance from the centre (Brown 1971).
#[derive(Debug, Clone, Copy, Serialize)]
pub struct Lens {
    /// Focal length in pixels.
    pub focal_px: f64,
    /// Position of the optical axis in pixels.
    pub centre: [f64; 2],
    /// Second-order coefficient; negative bends the corners inward.
    pub k1: f64,
    /// Fourth-order coefficient.
    pub k2: f64,
}

impl Lens {
    /// Where a direction is imaged, in pixels; `None` behind the camera or far off the axis.
    pub fn project(&self, ray: Vec3) -> Option<[f64; 2]> {
        if ray[2] < 0.2 {
            return None;
        }
        let (x, y) = (ray[0] / ray[2], ray[1] / ray[2]);
        let r2 = x * x + y * y;
        let bend = self.focal_px * (1.0 + self.k1 * r2 + self.k2 * r2 * r2);
        Some([self.centre[0] + x * bend, self.centre[1] + y * bend])
    }

    /// The unit direction imaged at a pixel position, by fixed-point iteration to 1e-12.
    pub fn unproject(&self, pixel: [f64; 2]) -> Vec3 {
        let x = (pixel[0] - self.centre[0]) / self.focal_px;
        let y = (pixel[1] - self.centre[1]) / self.focal_px;
        let bent = (x * x + y * y).sqrt();
        let mut r = bent;
        for _ in 0..100 {
            let next = bent / (1.0 + self.k1 * r * r + self.k2 * r.powi(4));
            if (next - r).abs() < 1e-13 {
                break;
            }
            r = next;
        }
        let scale = if bent > 0.0 { r / bent } else { 1.0 };
        unit([x * scale, y * scale, 1.0])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn projecting_undoes_unprojecting() {
        let lens = Lens { focal_px: 700.0, centre: [500.0, 330.0], k1: -0.09, k2: 0.012 };
        for x in (0..1000).step_by(111) {
            for y in (0..660).step_by(71) {
                let [px, py] = lens.project(lens.unproject([x as f64, y as f64])).unwrap();
                assert!((px - x as f64).abs() < 1e-8 && (py - y as f64).abs() < 1e-8);
            }
        }
    }

    #[test]
    fn a_rotation_keeps_lengths_and_its_axis() {
        let axis = unit([0.3, -0.8, 0.5]);
        let turn = Rotation::about(axis, 0.7);
        let moved = turn.apply(axis);
        assert!(axis.iter().zip(moved).all(|(a, b)| (a - b).abs() < 1e-12));
        let v = turn.apply([1.0, 2.0, 3.0]);
        assert!((v.iter().map(|x| x * x).sum::<f64>() - 14.0).abs() < 1e-12);
    }
}
