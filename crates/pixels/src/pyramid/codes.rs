//! Makes all smaller levels of a picture of codes in one pass over its rows.

use super::levels::level_sizes;
use crate::PictureError;
use crate::rounding::nearest;
use crate::tiled::{Region, RowWriter, TiledFile};
use multiversion::multiversion;
use std::path::PathBuf;

/// Rows of the picture that are read at a time: few enough to stay in the nearer caches.
const BAND: u32 = 32;
/// Steps of light between black and white by which codes are found; finer than can be seen.
const STEPS: usize = 32_768;

/// Reads a region of a picture's codes, red, green and blue of each pixel, row by row.
pub type ReadCodes<'a> = &'a mut dyn FnMut(Region, &mut Vec<u16>) -> Result<(), PictureError>;

/// Writes all levels below a picture of `size` whose codes `read` gives, to `path(level)` for each
/// level from 1 on; `curves` are those of [`HalvedCodes::create`].
///
/// # Errors
/// [`PictureError`] of reading or writing.
pub fn halve_codes(
    size: (u32, u32),
    curves: [&[f32]; 3],
    path: impl Fn(usize) -> PathBuf,
    read: ReadCodes,
) -> Result<Vec<TiledFile<u16>>, PictureError> {
    let mut levels = HalvedCodes::create(size, curves, path)?;
    let mut band = Vec::new();
    for y in (0..size.1).step_by(BAND as usize) {
        let height = BAND.min(size.1 - y);
        read(Region { x: 0, y, width: size.0, height }, &mut band)?;
        levels.write(&band)?;
    }
    levels.finish()
}

/// All levels below a picture of codes, written while its rows arrive.
pub struct HalvedCodes<'a> {
    codes: Vec<Codes<'a>>,
    levels: Vec<Halved>,
    /// Samples of a row.
    length: usize,
    /// The first of two rows, while the second has not arrived.
    upper: Vec<u16>,
}

impl<'a> HalvedCodes<'a> {
    /// Begins the levels of a picture of `size`, at `path(level)` for each level from 1 on;
    /// `curves` give the light of all 65536 codes of each colour, which must not fall.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn create(
        size: (u32, u32),
        curves: [&'a [f32]; 3],
        path: impl Fn(usize) -> PathBuf,
    ) -> Result<Self, PictureError> {
        let same = curves.iter().all(|curve| std::ptr::eq(*curve, curves[0]));
        let codes = curves.iter().take(if same { 1 } else { 3 }).map(|curve| Codes::new(curve));
        let mut levels = Vec::new();
        for (level, &(width, height)) in level_sizes(size.0, size.1).iter().enumerate().skip(1) {
            let writer = RowWriter::create(&path(level), width, height, 3)?;
            let light = vec![0.0; width as usize * 3];
            levels.push(Halved { writer, light, upper: None, codes: Vec::new() });
        }
        Ok(Self { codes: codes.collect(), levels, length: size.0 as usize * 3, upper: Vec::new() })
    }

    /// Takes the next whole rows.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn write(&mut self, rows: &[u16]) -> Result<(), PictureError> {
        let mut rows = rows.chunks_exact(self.length);
        while let Some(row) = rows.next() {
            if !self.upper.is_empty() {
                let upper = std::mem::take(&mut self.upper);
                self.halve(&upper, row)?;
            } else if let Some(lower) = rows.next() {
                self.halve(row, lower)?;
            } else {
                self.upper.extend_from_slice(row);
            }
        }
        Ok(())
    }

    fn halve(&mut self, upper: &[u16], lower: &[u16]) -> Result<(), PictureError> {
        let Some(first) = self.levels.first_mut() else { return Ok(()) };
        halve_codes_of(&self.codes, upper, lower, &mut first.light);
        give(&mut self.levels, &self.codes)
    }

    /// Gives all files their names, once all rows have arrived.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn finish(mut self) -> Result<Vec<TiledFile<u16>>, PictureError> {
        // Where a side is odd, the last row is used twice.
        if !self.upper.is_empty() {
            let last = std::mem::take(&mut self.upper);
            self.halve(&last, &last)?;
        }
        let Self { codes, mut levels, .. } = self;
        for level in 0..levels.len() {
            if let Some(last) = levels[level].upper.take() {
                halve_rows(&last, &last, &mut levels[level].light);
                give(&mut levels[level..], &codes)?;
            }
        }
        levels.into_iter().map(|level| level.writer.finish()).collect()
    }
}

/// Writes the last row of light of the first of these levels, and passes each two rows to the next
/// level.
fn give(levels: &mut [Halved], codes: &[Codes]) -> Result<(), PictureError> {
    let Some((level, below)) = levels.split_first_mut() else { return Ok(()) };
    level.write(codes)?;
    let Some(next) = below.first_mut() else { return Ok(()) };
    match next.upper.take() {
        None => {
            let other = vec![0.0; level.light.len()];
            next.upper = Some(std::mem::replace(&mut level.light, other));
            Ok(())
        }
        Some(upper) => {
            halve_rows(&upper, &level.light, &mut next.light);
            give(below, codes)
        }
    }
}

/// A level that is being written.
struct Halved {
    writer: RowWriter<u16>,
    /// The last row.
    light: Vec<f32>,
    /// The first of two rows of the level above, while the second has not arrived.
    upper: Option<Vec<f32>>,
    codes: Vec<u16>,
}

impl Halved {
    /// Writes the last row.
    fn write(&mut self, codes: &[Codes]) -> Result<(), PictureError> {
        self.codes.resize(self.light.len(), 0);
        match codes {
            [one] => one.nearest(&self.light, &mut self.codes),
            _ => {
                for (c, plane) in codes.iter().enumerate() {
                    let light: Vec<f32> = self.light[c..].iter().step_by(3).copied().collect();
                    let mut channel = vec![0; light.len()];
                    plane.nearest(&light, &mut channel);
                    for (to, from) in self.codes[c..].iter_mut().step_by(3).zip(channel) {
                        *to = from;
                    }
                }
            }
        }
        self.writer.write(&self.codes)
    }
}

/// Mean light of each two pixels of two rows of codes.
fn halve_codes_of(codes: &[Codes], upper: &[u16], lower: &[u16], out: &mut [f32]) {
    match codes {
        [one] => halve_by([one.curve; 3], upper, lower, out),
        _ => halve_by([0, 1, 2].map(|c| codes[c].curve), upper, lower, out),
    }
}

fn halve_by(curves: [&[f32; 65_536]; 3], upper: &[u16], lower: &[u16], out: &mut [f32]) {
    let (above, rest) = upper.as_chunks::<6>();
    let (below, rest_below) = lower.as_chunks::<6>();
    let (pixels, _) = out.as_chunks_mut::<3>();
    let light = |c: usize, code: u16| curves[c][code as usize];
    for ((a, b), out) in above.iter().zip(below).zip(pixels.iter_mut()) {
        for c in 0..3 {
            let (a, b) = (light(c, a[c]) + light(c, a[c + 3]), light(c, b[c]) + light(c, b[c + 3]));
            out[c] = 0.25 * (a + b);
        }
    }
    for c in 0..rest.len() {
        pixels[above.len()][c] = 0.5 * (light(c, rest[c]) + light(c, rest_below[c]));
    }
}

/// The codes of a colour by their light, for showing.
struct Codes<'a> {
    curve: &'a [f32; 65_536],
    lowest: f32,
    scale: f32,
    /// Indexed by steps of the root of light; everything beyond the last step is white.
    of_root: Box<[u16; 65_536]>,
}

impl<'a> Codes<'a> {
    fn new(curve: &'a [f32]) -> Self {
        let curve: &[f32; 65_536] = curve.try_into().expect("a curve has a value for each code");
        let (lowest, highest) = (curve[0], curve[curve.len() - 1]);
        let mut code = 0;
        let mut of_root = Box::new([u16::MAX; 65_536]);
        for (step, nearest) in of_root[..=STEPS].iter_mut().enumerate() {
            let light = lowest + (highest - lowest) * (step as f32 / STEPS as f32).powi(2);
            while code + 1 < curve.len() && curve[code + 1] <= light {
                code += 1;
            }
            let next = (code + 1).min(curve.len() - 1);
            // The nearer of the two neighbours.
            let upper = curve[next] - light < light - curve[code];
            *nearest = if upper { next as u16 } else { code as u16 };
        }
        Self { curve, lowest, scale: 1.0 / (highest - lowest), of_root }
    }

    /// The codes whose light is nearest.
    fn nearest(&self, light: &[f32], out: &mut [u16]) {
        roots(light, self.lowest, self.scale, out);
        for step in out {
            *step = self.of_root[*step as usize];
        }
    }
}

/// Means of each two pixels of two rows.
#[multiversion(targets("x86_64+avx512f+avx512vl", "x86_64+avx2"))]
fn halve_rows(upper: &[f32], lower: &[f32], out: &mut [f32]) {
    let (above, rest) = upper.as_chunks::<6>();
    let (below, rest_below) = lower.as_chunks::<6>();
    let (pixels, _) = out.as_chunks_mut::<3>();
    for ((a, b), out) in above.iter().zip(below).zip(pixels.iter_mut()) {
        for c in 0..3 {
            out[c] = 0.25 * ((a[c] + a[c + 3]) + (b[c] + b[c + 3]));
        }
    }
    for c in 0..rest.len() {
        pixels[above.len()][c] = 0.5 * (rest[c] + rest_below[c]);
    }
}

/// The steps of the root of light.
#[multiversion(targets("x86_64+avx512f+avx512vl+avx512bw", "x86_64+avx2"))]
fn roots(light: &[f32], lowest: f32, scale: f32, out: &mut [u16]) {
    for (light, out) in light.iter().zip(out) {
        let share = ((light - lowest) * scale).clamp(0.0, 3.99);
        *out = nearest(share.sqrt() * STEPS as f32);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::Encoding;
    use std::path::Path;

    /// The levels of a picture with these codes.
    fn levels(folder: &Path, size: (u32, u32), codes: &[u16]) -> Vec<TiledFile<u16>> {
        let srgb = Encoding::srgb();
        let curves = [0, 1, 2].map(|c| srgb.curve(c));
        let path = |level: usize| folder.join(format!("{level}.tiles"));
        let row = size.0 as usize * 3;
        halve_codes(size, curves, path, &mut |region, out| {
            out.clear();
            let from = region.y as usize * row;
            out.extend_from_slice(&codes[from..from + region.height as usize * row]);
            Ok(())
        })
        .unwrap()
    }

    fn whole(level: &TiledFile<u16>) -> Vec<u16> {
        let (width, height) = (level.width(), level.height());
        level.read_region(Region { x: 0, y: 0, width, height }).unwrap()
    }

    #[test]
    fn halving_keeps_linear_light_at_odd_sizes() {
        let folder = tempfile::tempdir().unwrap();
        // A checkerboard of black and white becomes half the light; the last column and row are
        // used twice.
        let (width, height) = (301, 259);
        let grey = |x: u32, y: u32| match (x, y) {
            (300, _) => 9,
            (_, 258) => 7,
            _ => ((x + y) % 2) as u16 * 65_535,
        };
        let pixels = (0..height).flat_map(|y| (0..width).map(move |x| [grey(x, y); 3]));
        let codes = pixels.collect::<Vec<_>>().into_flattened();
        let levels = levels(folder.path(), (width, height), &codes);
        let sizes: Vec<_> = levels.iter().map(|l| (l.width(), l.height())).collect();
        assert_eq!(sizes, [(151, 130)]);
        let half = Encoding::srgb().encode(0, 0.5);
        for (i, pixel) in whole(&levels[0]).as_chunks::<3>().0.iter().enumerate() {
            let wanted = match (i % 151, i / 151) {
                (150, _) => 9,
                (_, 129) => 7,
                _ => half,
            };
            assert!(pixel.iter().all(|code| code.abs_diff(wanted) <= 2), "{i}: {pixel:?} {wanted}");
        }
    }

    #[test]
    fn each_level_holds_the_means_of_the_one_above() {
        let folder = tempfile::tempdir().unwrap();
        let (width, height) = (1030u32, 600u32);
        let code = |i: u32| (i.wrapping_mul(2_654_435_761) >> 16) as u16;
        let codes: Vec<u16> = (0..width * height * 3).map(code).collect();
        let levels = levels(folder.path(), (width, height), &codes);
        let srgb = Encoding::srgb();
        let light = |level: &[u16], c: usize| -> f64 {
            let pixels = level.as_chunks::<3>().0;
            let sum: f64 = pixels.iter().map(|p| f64::from(srgb.curve(c)[p[c] as usize])).sum();
            sum / pixels.len() as f64
        };
        assert_eq!(levels.len(), 3);
        // The last column of the second level counts twice; it moves a mean by no more than this.
        for (level, within) in levels[..2].iter().zip([1e-4, 1e-3]) {
            for c in 0..3 {
                let (found, wanted) = (light(&whole(level), c), light(&codes, c));
                assert!((found - wanted).abs() < within, "{found} for {wanted}");
            }
        }
    }
}
