//! Point lights that go with the sky.

use super::evidence::View;
use super::grid::Grid;
use crate::align::Motion;
use std::collections::HashMap;

/// Two positions of one light are this near, in pixels.
const NEAR: f64 = 0.7;
/// Where the sky moves less than this between two frames, lights do not tell what they go with.
const TELLS: f64 = 3.0;
/// What a light counts of which nothing is told.
const UNTOLD: f32 = 0.3;

/// Lights of one frame, found by place.
struct Places(HashMap<(i64, i64), Vec<[f64; 2]>>);

impl Places {
    fn of(lights: &[[f64; 2]]) -> Self {
        let mut cells: HashMap<(i64, i64), Vec<[f64; 2]>> = HashMap::new();
        for at in lights {
            cells.entry(Self::cell(*at)).or_default().push(*at);
        }
        Self(cells)
    }

    fn cell([x, y]: [f64; 2]) -> (i64, i64) {
        ((x / 4.0).floor() as i64, (y / 4.0).floor() as i64)
    }

    /// Whether a light is near a place.
    fn holds(&self, at: [f64; 2]) -> bool {
        let (column, row) = Self::cell(at);
        (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| (column + dx, row + dy))).any(|cell| {
            let near = |own: &[f64; 2]| (own[0] - at[0]).hypot(own[1] - at[1]) < NEAR;
            self.0.get(&cell).is_some_and(|all| all.iter().any(near))
        })
    }
}

/// For each cell, the lights in it that go with the sky; each counts once for all frames together.
pub fn stars(views: &[View], grid: Grid) -> Vec<f32> {
    let mut counts = vec![0.0f32; grid.cells()];
    let places: Vec<Places> = views.iter().map(|view| Places::of(view.lights)).collect();
    let backward: Vec<Motion> = views.iter().map(|view| view.motion.backward()).collect();
    let share = 1.0 / views.len() as f32;
    let mut put = |at: [f64; 2], count: f32| {
        if let Some(cell) = grid.cell(at) {
            counts[cell] += count * share;
        }
    };
    for (i, view) in views.iter().enumerate() {
        for light in view.lights {
            let there = view.motion.to_reference(*light);
            let (mut told, mut goes, mut stands) = (0, 0, 0);
            for j in (0..views.len()).filter(|j| *j != i) {
                let moved = backward[j].to_reference(there);
                if (moved[0] - light[0]).hypot(moved[1] - light[1]) < TELLS {
                    continue;
                }
                told += 1;
                goes += usize::from(places[j].holds(moved));
                stands += usize::from(places[j].holds(*light));
            }
            match told {
                0 => put(there, UNTOLD),
                _ if goes > stands && 2 * goes >= told => put(there, 1.0),
                _ => {}
            }
        }
    }
    counts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frames::Light;
    use jade_pixels::PictureError;
    use jade_pixels::tiled::Region;
    use nalgebra::Matrix3;

    /// A picture of which nothing but the size is known.
    struct Blank;

    impl Light for Blank {
        fn size(&self) -> (u32, u32) {
            (300, 200)
        }
        fn fill(&self, _: Region, _: [&mut [f32]; 3], _: usize) -> Result<(), PictureError> {
            Ok(())
        }
    }

    #[test]
    fn stars_go_with_the_sky_and_lamps_do_not() {
        let shift = |x: f64| {
            Motion::Homography(Matrix3::new(1.0, 0.0, x, 0.0, 1.0, 0.5 * x, 0.0, 0.0, 1.0))
        };
        let motions = [shift(0.0), shift(6.0), shift(12.0)];
        let star = [120.0, 90.0];
        let lights: Vec<Vec<[f64; 2]>> = motions
            .iter()
            .map(|motion| vec![motion.from_reference(star), [200.0, 150.0]])
            .collect();
        let views: Vec<View> = motions
            .iter()
            .zip(&lights)
            .map(|(motion, lights)| View { light: &Blank, motion, lights })
            .collect();
        let grid = Grid::of((300, 200));
        let counts = stars(&views, grid);
        let cell = grid.cell(star).unwrap();
        assert!((counts[cell] - 1.0).abs() < 1e-6, "{}", counts[cell]);
        assert!((counts.iter().sum::<f32>() - 1.0).abs() < 1e-6, "the lamp counts nowhere");
    }
}
