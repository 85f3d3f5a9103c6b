//! The light of sky and ground around each cell, by which its pixels are judged.

use super::evidence::Evidence;
use super::strokes::Labels;
use jade_optics::grid::Grid;
use jade_optics::statistics::median;

/// Cells around the labels' border in which every pixel is judged.
const BORDER: usize = 2;
/// Texture from which on ground near the sky may also show sky.
const TEXTURED: f32 = 0.7;
/// Least share of the ground without texture at which textured cells do not define its light.
const PLAIN: f32 = 0.3;
/// Noise that a cell may have, relative to the usual noise at its brightness.
const NOISY: f32 = 1.5;
/// Logarithm of a likelihood ratio beyond which a cell is far from the border.
pub(super) const SURE: f32 = 6.0;
/// Logarithm of a likelihood ratio that a person's strokes set: nothing thin is there either.
pub(super) const SAID: f32 = 20.0;

/// Noise of a median of many frames, relative to that of their mean.
const MEDIAN_NOISE: f32 = 1.25;

/// The light of both sides around each cell.
pub(super) struct LocalColour {
    /// The share of ground in a pixel is `weights . light - offset`.
    pub weights: [Vec<f32>; 3],
    pub offset: Vec<f32>,
    /// Standard deviation of that share in one pixel.
    pub sigma: Vec<f32>,
    /// Logarithm of the likelihood ratio of sky; beyond [`SURE`] no ground is near.
    pub sky: Vec<f32>,
    /// Light above that of the sky and its noise.
    pub dazzling: Vec<f32>,
    /// Detail that stands still, relative to noise.
    pub texture: Vec<f32>,
}

impl LocalColour {
    /// From the evidence of `frames` frames for each cell, and its label.
    pub fn of(evidence: &Evidence, labels: &Labels, frames: usize) -> Self {
        let grid = evidence.grid;
        let sides = Sides::of(evidence, labels);
        let (clear, firm) = sides.pure();
        let [sky_light, ground_light] = lights(grid, &evidence.colour, &clear, &firm);
        let distinct = sides.is_ground_distinct();
        let mut around = Self {
            weights: [(); 3].map(|()| vec![0.0; grid.cells()]),
            offset: vec![0.0; grid.cells()],
            sigma: vec![0.0; grid.cells()],
            sky: vec![0.0; grid.cells()],
            dazzling: vec![0.0; grid.cells()],
            texture: evidence.texture.clone(),
        };
        let efficiency = if frames > 2 { MEDIAN_NOISE } else { 1.0 };
        for i in 0..grid.cells() {
            let (apart, far) = difference(&sky_light, &ground_light, i);
            for (c, apart) in apart.iter().enumerate() {
                around.weights[c][i] = apart / far;
                around.offset[i] += apart / far * sky_light[c][i];
            }
            let light: f32 = sky_light.iter().map(|plane| plane[i]).sum();
            around.dazzling[i] = 2.5 * light + 10.0 * evidence.noise[i];
            // A star that passes is no noise. But where the ground is brighter than the sky, its
            // trace in the median would be taken for ground.
            let darker = apart.iter().sum::<f32>() < 0.0;
            let most = if darker { NOISY * evidence.usual_noise[i] } else { f32::MAX };
            // Noise was measured in the sum of three colours.
            let noise = evidence.noise[i].min(most);
            let noise = noise / 3f32.sqrt() * efficiency / (frames as f32).sqrt();
            around.sigma[i] = (noise / far.sqrt()).min(3.0);
            around.sky[i] = sides.ratio(labels, distinct, i);
        }
        around
    }
}

/// The cells of both sides, and how they look.
struct Sides<'a> {
    /// Probability of sky in each cell, 0 to 1.
    sky: &'a [f32],
    /// 1 for cells of sky without ground around them, 0 for others.
    above: Vec<f32>,
    /// 1 for cells of ground without sky around them, 0 for others.
    below: Vec<f32>,
    /// Those of `below` that define the light of the ground.
    solid: Vec<f32>,
    /// Share of sky in a wide square around each cell.
    near: Vec<f32>,
    /// Texture around each cell.
    texture: Vec<f32>,
    /// How far the colour of each cell is from that of the sky around to that of the ground.
    share: Vec<f32>,
}

impl<'a> Sides<'a> {
    fn of(evidence: &Evidence, labels: &'a Labels) -> Self {
        let (grid, sky) = (evidence.grid, &labels.sky);
        let [above, below] = [true, false].map(|above| cells_of(grid, sky, above));
        let is_sky: Vec<f32> = sky.iter().map(|v| f32::from(u8::from(*v > 0.5))).collect();
        let near = grid.blurred(&is_sky, 12);
        let texture = grid.blurred(&evidence.texture, 1);
        // Branches are textured and show sky between them: cells of branches do not define the
        // light of the ground.
        let counts = |i: usize| near[i] <= 0.0 || texture[i] < TEXTURED;
        let plain: Vec<f32> =
            (0..below.len()).map(|i| if counts(i) { below[i] } else { 0.0 }).collect();
        let sum = |side: &[f32]| side.iter().sum::<f32>();
        let solid = if sum(&plain) > PLAIN * sum(&below) { plain } else { below.clone() };
        let [sky_light, ground_light] = lights(grid, &evidence.colour, &above, &solid);
        let share = (0..grid.cells())
            .map(|i| {
                let (apart, far) = difference(&sky_light, &ground_light, i);
                let beyond = |c: usize| apart[c] * (evidence.colour[c][i] - sky_light[c][i]);
                (0..3).map(beyond).sum::<f32>() / far
            })
            .collect();
        Self { sky, above, below, solid, near, texture, share }
    }

    /// The cells of both sides whose colour is that of one side. Cells of both, as branches close
    /// to each other, define neither.
    fn pure(&self) -> (Vec<f32>, Vec<f32>) {
        let pure = |chosen: &[f32], mixed: std::ops::Range<f32>| -> Vec<f32> {
            let one = |(chosen, share): (&f32, &f32)| {
                if mixed.contains(share) { 0.0 } else { *chosen }
            };
            chosen.iter().zip(&self.share).map(one).collect()
        };
        (pure(&self.above, 0.2..1.5), pure(&self.solid, -0.3..0.75))
    }

    /// Whether hardly any ground looks like the sky, so that cells that do are judged closely.
    fn is_ground_distinct(&self) -> bool {
        let known = self.share.iter().zip(&self.below).filter(|(_, below)| **below > 0.0);
        let mut shares: Vec<f32> = known.map(|(share, _)| *share).collect();
        let tenth = shares.len() / 10;
        !shares.is_empty() && *shares.select_nth_unstable_by(tenth, f32::total_cmp).1 > 0.7
    }

    /// The logarithm of the likelihood ratio of sky in a cell, as [`LocalColour::sky`].
    fn ratio(&self, labels: &Labels, is_ground_distinct: bool, i: usize) -> f32 {
        let sky = self.sky[i];
        let looks_like_sky = || {
            is_ground_distinct
                && self.near[i] > 0.0
                && self.texture[i] > 0.7
                && (-0.3..0.7).contains(&self.share[i])
        };
        match (self.above[i] > 0.0, self.below[i] > 0.0) {
            (true, _) if labels.said[i] == Some(true) => 2.0 * SAID,
            (true, _) if sky > 0.9 => SURE + 1.0,
            (_, true) if looks_like_sky() => -1.0,
            (_, true) if sky < 0.1 => -SURE - 1.0,
            _ => 0.6 * ((sky + 0.01) / (1.01 - sky)).ln(),
        }
    }
}

/// 1 for cells of one side without cells of the other around them, 0 for others.
fn cells_of(grid: Grid, sky: &[f32], above: bool) -> Vec<f32> {
    let other: Vec<f32> = sky.iter().map(|v| f32::from(u8::from((*v > 0.5) != above))).collect();
    grid.blurred(&other, BORDER).iter().map(|v| f32::from(u8::from(*v == 0.0))).collect()
}

/// The light of sky and of ground around each cell, from the chosen cells of each.
fn lights(grid: Grid, colours: &[Vec<f32>; 3], sky: &[f32], ground: &[f32]) -> [[Vec<f32>; 3]; 2] {
    rayon::join(|| nearest(grid, colours, sky), || nearest(grid, colours, ground)).into()
}

/// The colours of the ground minus those of the sky at a cell, and the square of that distance.
fn difference(sky: &[Vec<f32>; 3], ground: &[Vec<f32>; 3], i: usize) -> ([f32; 3], f32) {
    let apart: [f32; 3] = [0, 1, 2].map(|c| ground[c][i] - sky[c][i]);
    (apart, apart.iter().map(|v| v * v).sum::<f32>().max(1e-9))
}

/// For each cell, the mean colours of the chosen cells around it, within the smallest radius that
/// has enough of them.
fn nearest(grid: Grid, colours: &[Vec<f32>; 3], chosen: &[f32]) -> [Vec<f32>; 3] {
    let whole = colours.each_ref().map(|plane| {
        let mut values: Vec<f32> = plane
            .iter()
            .zip(chosen)
            .filter(|(_, chosen)| **chosen > 0.0)
            .map(|(v, _)| *v)
            .collect();
        if values.is_empty() { 0.0 } else { median(&mut values) }
    });
    let mut out = whole.map(|v| vec![v; grid.cells()]);
    let cells: Vec<[f32; 4]> = (0..grid.cells())
        .map(|i| [1.0, colours[0][i], colours[1][i], colours[2][i]].map(|v| v * chosen[i]))
        .collect();
    // From the largest radius to the smallest; each replaces the one before where it has enough
    // cells.
    for radius in [48, 20, 8, 4] {
        for (i, [share, sums @ ..]) in grid.blurred_all(&cells, radius).into_iter().enumerate() {
            if share <= 0.0 {
                continue;
            }
            let (sure, part) = ((share / 0.08).min(1.0), 1.0 / share.max(1e-6));
            for (out, sum) in out.iter_mut().zip(sums) {
                out[i] += sure * (sum * part - out[i]);
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Sky to the left, ground to the right, each darker towards the bottom.
    fn evidence(grid: Grid) -> (Evidence, Labels) {
        let row = |i: usize| 1.0 - 0.3 * (i / grid.across) as f32 / grid.down as f32;
        let sky = |i: usize| i % grid.across < grid.across / 2;
        let plane = |above: f32, below: f32| -> Vec<f32> {
            (0..grid.cells()).map(|i| row(i) * if sky(i) { above } else { below }).collect()
        };
        let evidence = Evidence {
            grid,
            colour: [plane(0.10, 0.02), plane(0.12, 0.03), plane(0.14, 0.02)],
            texture: vec![0.0; grid.cells()],
            change: vec![1.0; grid.cells()],
            noise: vec![0.01; grid.cells()],
            usual_noise: vec![0.01; grid.cells()],
            stars: vec![0.0; grid.cells()],
            mirrored: vec![0.0; grid.cells()],
        };
        let shares = (0..grid.cells()).map(|i| if sky(i) { 0.99 } else { 0.01 }).collect();
        (evidence, Labels { sky: shares, said: vec![None; grid.cells()] })
    }

    #[test]
    fn the_share_of_ground_is_none_in_the_light_of_sky_and_all_in_that_of_ground() {
        let grid = Grid { step: 4, across: 80, down: 60 };
        let (evidence, labels) = evidence(grid);
        let around = LocalColour::of(&evidence, &labels, 6);
        let share = |place: usize, light: usize| {
            let terms = (0..3).map(|c| around.weights[c][place] * evidence.colour[c][light]);
            terms.sum::<f32>() - around.offset[place]
        };
        for y in 5..55 {
            let at = |x: usize| y * grid.across + x;
            // At the border: from the light of both sides in the same row.
            for place in [at(38), at(41)] {
                let (sky, ground) = (share(place, at(30)), share(place, at(50)));
                assert!(sky.abs() < 0.05 && (ground - 1.0).abs() < 0.05, "{sky}, {ground}");
            }
            assert!(around.sky[at(10)] > SURE && around.sky[at(70)] < -SURE);
            assert!(around.sky[at(39)] < SURE && around.sky[at(40)] > -SURE);
        }
    }

    #[test]
    fn a_star_that_passes_a_cell_does_not_make_it_blind_to_dark_things() {
        let grid = Grid { step: 4, across: 80, down: 60 };
        let (mut evidence, labels) = evidence(grid);
        let at = 30 * grid.across + 39;
        let usual = LocalColour::of(&evidence, &labels, 6).sigma[at];
        evidence.noise[at] = 5.0;
        let passed = LocalColour::of(&evidence, &labels, 6).sigma[at];
        assert!(passed > usual && passed < 1.6 * usual, "{passed} against {usual}");
        // The star's trace is bright, as this ground is.
        for plane in &mut evidence.colour {
            plane.iter_mut().for_each(|light| *light = 0.2 - *light);
        }
        let passed = LocalColour::of(&evidence, &labels, 6).sigma[at];
        assert!(passed > 2.0, "{passed}");
    }

    #[test]
    fn a_crown_that_is_told_to_be_ground_does_not_tell_the_grounds_light() {
        let grid = Grid { step: 4, across: 80, down: 60 };
        let (mut evidence, mut labels) = evidence(grid);
        // Branches of the ground's light, half as dense, that reach far into the sky.
        for i in 0..grid.cells() {
            let (x, y) = (i % grid.across, i / grid.across);
            if (10..40).contains(&x) && (20..40).contains(&y) {
                labels.sky[i] = 0.01;
                evidence.texture[i] = 5.0;
                for (plane, ground) in evidence.colour.iter_mut().zip([0.02, 0.03, 0.02]) {
                    plane[i] = 0.5 * (plane[i] + ground);
                }
            }
        }
        let around = LocalColour::of(&evidence, &labels, 6);
        let at = 30 * grid.across + 16;
        let share = |light: [f32; 3]| {
            let terms =
                light.iter().zip(&around.weights).map(|(light, weights)| light * weights[at]);
            terms.sum::<f32>() - around.offset[at]
        };
        let (branch, sky) = (share([0.017, 0.0255, 0.017]), share([0.085, 0.102, 0.119]));
        assert!((branch - 1.0).abs() < 0.1 && sky.abs() < 0.1, "{branch}, {sky}");
    }
}
