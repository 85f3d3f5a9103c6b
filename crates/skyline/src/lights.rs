//! Point lights that move with the sky.

use super::view::View;
use jade_optics::grid::Grid;
use jade_optics::motion::Backward;
use jade_optics::space::InFrame;
use rayon::prelude::*;
use std::collections::HashMap;

/// Largest distance between two positions of the same light, in pixels.
const NEAR: f64 = 0.7;
/// Where the sky moves less than this between two frames, in pixels, a light may go with either
/// side.
const TELLS: f64 = 3.0;
/// Least number of lights that move as a reflection does, in all frames together.
const FEWEST: usize = 8;
/// Weight of a light of which nothing is known.
const UNKNOWN: f32 = 0.3;

/// Lights of one frame, searchable by place.
struct LightIndex(HashMap<(i64, i64), Vec<[f64; 2]>>);

impl LightIndex {
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

    /// Whether a light is near a position.
    fn holds(&self, at: [f64; 2]) -> bool {
        let (column, row) = Self::cell(at);
        (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| (column + dx, row + dy))).any(|cell| {
            let near = |other: &[f64; 2]| (other[0] - at[0]).hypot(other[1] - at[1]) < NEAR;
            self.0.get(&cell).is_some_and(|all| all.iter().any(near))
        })
    }
}

/// For each cell, the number of lights that move with the sky, and of those that move as the sky's
/// reflection in water does; divided by the number of frames.
pub fn lights(views: &[View], grid: Grid) -> [Vec<f32>; 2] {
    let mut counts = [(); 2].map(|()| vec![0.0f32; grid.cells()]);
    let sky = Sky::of(views);
    let share = 1.0 / views.len() as f32;
    let mut put = |to: usize, at: [f64; 2], count: f32| {
        if let Some(cell) = grid.cell(at) {
            counts[to][cell] += count * share;
        }
    };
    let mut others: Vec<(usize, [f64; 2])> = Vec::new();
    for (i, view) in views.iter().enumerate() {
        let found: Vec<[usize; 3]> = view.lights.par_iter().map(|at| sky.found(i, *at)).collect();
        for (light, [said, goes, stands]) in view.lights.iter().zip(found) {
            match said {
                0 => put(0, view.motion.to_reference(InFrame(*light)).0, UNKNOWN),
                _ if goes > stands && 2 * goes >= said => {
                    put(0, view.motion.to_reference(InFrame(*light)).0, 1.0);
                }
                _ if goes + stands == 0 => others.push((i, *light)),
                _ => {}
            }
        }
    }
    // Water stands still: a reflected light is where its frame shows it.
    sky.mirrored(&others).into_iter().for_each(|at| put(1, at, 1.0));
    counts
}

/// The motion of the sky from frame to frame, and the lights of all frames.
struct Sky<'a> {
    views: &'a [View<'a>],
    places: Vec<LightIndex>,
    backward: Vec<Backward>,
}

impl<'a> Sky<'a> {
    fn of(views: &'a [View<'a>]) -> Self {
        let places = views.iter().map(|view| LightIndex::of(view.lights)).collect();
        let backward = views.iter().map(|view| view.motion.backward()).collect();
        Self { views, places, backward }
    }

    /// Position in one frame of the sky at a position of another.
    fn moved(&self, from: usize, to: usize, at: [f64; 2]) -> [f64; 2] {
        self.backward[to].to_frame(self.views[from].motion.to_reference(InFrame(at))).0
    }

    /// For a light of one frame: in how many other frames it could be judged, in how many it is
    /// found where the sky would take it, and in how many where it was.
    fn found(&self, i: usize, light: [f64; 2]) -> [usize; 3] {
        let (mut said, mut goes, mut stands) = (0, 0, 0);
        for j in (0..self.views.len()).filter(|j| *j != i) {
            let moved = self.moved(i, j, light);
            if (moved[0] - light[0]).hypot(moved[1] - light[1]) < TELLS {
                continue;
            }
            said += 1;
            goes += usize::from(self.places[j].holds(moved));
            stands += usize::from(self.places[j].holds(light));
        }
        [said, goes, stands]
    }

    /// Those of some lights that move as reflections of the sky do, with the waterline that most of
    /// them agree on; none where they are too few to be sure.
    fn mirrored(&self, lights: &[(usize, [f64; 2])]) -> Vec<[f64; 2]> {
        /// Waterlines that are tried, over the height of the picture: a small error changes little.
        const ROWS: u32 = 64;
        /// Most lights by which the waterline is chosen.
        const ENOUGH: usize = 500;
        let height = f64::from(self.views[0].light.size().1);
        let those = |meet: f64, step: usize| -> Vec<[f64; 2]> {
            let below = lights.iter().step_by(step).filter(|(_, at)| at[1] > meet);
            below.filter(|(i, at)| self.goes_mirrored(*i, *at, meet)).map(|(_, at)| *at).collect()
        };
        let step = lights.len().div_ceil(ENOUGH).max(1);
        let tried = (ROWS / 4..ROWS).into_par_iter().map(|row| {
            let meet = height * f64::from(row) / f64::from(ROWS);
            (those(meet, step).len(), meet)
        });
        // Of equally good waterlines the highest, which allows most water.
        let best =
            tried.reduce(|| (0, height), |best, next| if next.0 > best.0 { next } else { best });
        let all = those(best.1, 1);
        if all.len() < FEWEST { vec![] } else { all }
    }

    /// Whether a light is found in most other frames where the reflected sky would take it.
    fn goes_mirrored(&self, i: usize, at: [f64; 2], meet: f64) -> bool {
        let mirrored = |[x, y]: [f64; 2]| [x, 2.0 * meet - y];
        let (mut said, mut goes) = (0, 0);
        for j in (0..self.views.len()).filter(|j| *j != i) {
            let moved = mirrored(self.moved(i, j, mirrored(at)));
            if (moved[0] - at[0]).hypot(moved[1] - at[1]) >= TELLS {
                said += 1;
                goes += usize::from(self.places[j].holds(moved));
            }
        }
        said > 0 && 2 * goes >= said
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::light::Light;
    use jade_optics::motion::Motion;
    use jade_optics::space::InReference;
    use jade_pixels::PictureError;
    use jade_pixels::tiled::Region;
    use nalgebra::Matrix3;

    /// A picture with a size and no content.
    struct Blank;

    impl Light for Blank {
        fn size(&self) -> (u32, u32) {
            (300, 200)
        }
        fn fill(&self, _: Region, _: [&mut [f32]; 3], _: usize) -> Result<(), PictureError> {
            Ok(())
        }
    }

    fn views<'a>(motions: &'a [Motion], lights: &'a [Vec<[f64; 2]>]) -> Vec<View<'a>> {
        let all = motions.iter().zip(lights);
        all.map(|(motion, lights)| View { light: &Blank, motion, lights }).collect()
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
            .map(|motion| vec![motion.from_reference(InReference(star)).0, [200.0, 150.0]])
            .collect();
        let views = views(&motions, &lights);
        let grid = Grid::of((300, 200), 640);
        let [counts, mirrored] = crate::lights::lights(&views, grid);
        let cell = grid.cell(star).unwrap();
        assert!((counts[cell] - 1.0).abs() < 1e-6, "{}", counts[cell]);
        assert!((counts.iter().sum::<f32>() - 1.0).abs() < 1e-6, "the lamp counts nowhere");
        assert!(mirrored.iter().all(|count| *count == 0.0));
    }

    #[test]
    fn stars_that_water_mirrors_are_told_from_those_of_the_sky() {
        // A rotation about a pole above the picture; water from row 120 on.
        let turn = |angle: f64| {
            let (s, c) = angle.sin_cos();
            let (x, y) = (160.0, -300.0);
            Motion::Homography(Matrix3::new(
                c,
                -s,
                x - c * x + s * y,
                s,
                c,
                y - s * x - c * y,
                0.0,
                0.0,
                1.0,
            ))
        };
        let motions = [turn(0.0), turn(0.02), turn(0.04)];
        let meet = 120.0;
        let stars: Vec<[f64; 2]> =
            (0..12).map(|i| [40.0 + 19.0 * f64::from(i), 60.0 + f64::from(i * 17 % 50)]).collect();
        let lights: Vec<Vec<[f64; 2]>> = motions
            .iter()
            .map(|motion| {
                let above = stars.iter().map(|star| motion.from_reference(InReference(*star)).0);
                let above: Vec<[f64; 2]> = above.collect();
                let below = above.iter().map(|[x, y]| [*x, 2.0 * meet - y]);
                above.iter().copied().chain(below).collect()
            })
            .collect();
        let views = views(&motions, &lights);
        let grid = Grid::of((300, 200), 640);
        let [counts, mirrored] = crate::lights::lights(&views, grid);
        let shore = meet as usize / grid.step as usize * grid.across;
        let sum = |counts: &[f32]| counts.iter().sum::<f32>();
        assert!((sum(&counts[..shore]) - 12.0).abs() < 0.1 && sum(&counts[shore..]) == 0.0);
        assert!(sum(&mirrored[shore..]) > 10.0 && sum(&mirrored[..shore]) == 0.0);
    }
}
