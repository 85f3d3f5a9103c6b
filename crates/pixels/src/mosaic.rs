//! Mosaics: codes of a sensor under a colour filter array, one colour at each photosite.

/// The colours of a filter array that repeats after two columns and two rows (Bayer 1976).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pattern([[u8; 2]; 2]);

impl Pattern {
    /// Red and green in the first row, green and blue in the second.
    pub const RGGB: Self = Self([[0, 1], [1, 2]]);

    /// From the colours (0 red, 1 green, 2 blue) of the first row and the second; `None` unless
    /// two of them on a diagonal are green, and the others red and blue.
    pub fn new(colours: [[u8; 2]; 2]) -> Option<Self> {
        let [[a, b], [c, d]] = colours;
        let bayer =
            |green: [u8; 2], other: [u8; 2]| green == [1, 1] && matches!(other, [0, 2] | [2, 0]);
        (bayer([a, d], [b, c]) || bayer([b, c], [a, d])).then_some(Self(colours))
    }

    /// The colour at a photosite: 0 red, 1 green, 2 blue.
    pub fn colour(self, x: u32, y: u32) -> usize {
        self.0[y as usize % 2][x as usize % 2].into()
    }

    /// The pattern after columns and rows are cut off.
    pub fn shifted(self, columns: u32, rows: u32) -> Self {
        let at = |x: usize, y: usize| self.0[(y + rows as usize) % 2][(x + columns as usize) % 2];
        Self([[at(0, 0), at(1, 0)], [at(0, 1), at(1, 1)]])
    }

    /// The four colours, row by row.
    pub fn colours(self) -> [u8; 4] {
        let [[a, b], [c, d]] = self.0;
        [a, b, c, d]
    }
}

/// How a sensor's codes relate to light.
#[derive(Debug, Clone, PartialEq)]
pub struct Sensor {
    /// Colours of the photosites.
    pub pattern: Pattern,
    /// The code of no light at the pattern's four places, row by row.
    pub black: [f32; 4],
    /// The code from which a photosite is full.
    pub white: f32,
    /// Codes of red, green and blue above black for grey by the camera's white balance, green 1;
    /// `None` if the file does not say.
    pub neutral: Option<[f32; 3]>,
    /// CIE XYZ to the camera's red, green and blue, under daylight (D65); `None` for an unknown
    /// camera.
    pub xyz_to_camera: Option<[[f32; 3]; 3]>,
}

/// sRGB's linear light to CIE XYZ (IEC 61966-2-1).
pub const SRGB_TO_XYZ: [[f32; 3]; 3] = [
    [0.412_456_4, 0.357_576_1, 0.180_437_5],
    [0.212_672_9, 0.715_152_2, 0.072_175],
    [0.019_333_9, 0.119_192, 0.950_304_1],
];

impl Sensor {
    /// Index of a photosite in [`Sensor::black`].
    pub fn place(x: u32, y: u32) -> usize {
        (y as usize % 2) * 2 + x as usize % 2
    }

    /// The sensor counted from another photosite, after columns and rows are cut off or added. The
    /// pattern repeats after two, so both are the same.
    pub fn shifted(self, columns: u32, rows: u32) -> Self {
        let (x, y) = (columns % 2, rows % 2);
        let black =
            [(0, 0), (1, 0), (0, 1), (1, 1)].map(|(a, b)| self.black[Self::place(a + x, b + y)]);
        Self { pattern: self.pattern.shifted(x, y), black, ..self }
    }

    /// Matrix from camera colours, balanced so that grey is equal in all three, to linear light in
    /// sRGB's primaries: white stays white. The identity for an unknown camera.
    pub fn balanced_to_srgb(&self) -> [[f32; 3]; 3] {
        const SAME: [[f32; 3]; 3] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        self.srgb_to_balanced().and_then(inverse).unwrap_or(SAME)
    }

    /// The inverse: sRGB's linear light to balanced camera colours.
    pub fn srgb_to_balanced(&self) -> Option<[[f32; 3]; 3]> {
        let mut matrix = product(self.xyz_to_camera?, SRGB_TO_XYZ);
        for row in &mut matrix {
            let sum: f32 = row.iter().sum();
            if sum.abs() < 1e-6 {
                return None;
            }
            row.iter_mut().for_each(|v| *v /= sum);
        }
        Some(matrix)
    }
}

/// A mosaic in memory: a code for each photosite, row by row.
#[derive(Debug, Clone, PartialEq)]
pub struct Mosaic {
    /// Columns.
    pub width: u32,
    /// Rows.
    pub height: u32,
    /// How codes relate to light.
    pub sensor: Sensor,
    /// `width * height` codes.
    pub codes: Vec<u16>,
}

pub(crate) fn product(a: [[f32; 3]; 3], b: [[f32; 3]; 3]) -> [[f32; 3]; 3] {
    a.map(|row| [0, 1, 2].map(|j| (0..3).map(|k| row[k] * b[k][j]).sum()))
}

/// The inverse by cofactors; `None` if there is none.
pub(crate) fn inverse(m: [[f32; 3]; 3]) -> Option<[[f32; 3]; 3]> {
    let minor = |i: usize, j: usize| {
        let (a, b, c, d) = ((i + 1) % 3, (i + 2) % 3, (j + 1) % 3, (j + 2) % 3);
        m[a][c] * m[b][d] - m[a][d] * m[b][c]
    };
    let whole: f32 = (0..3).map(|j| m[0][j] * minor(0, j)).sum();
    (whole.abs() > 1e-6).then(|| [0, 1, 2].map(|i| [0, 1, 2].map(|j| minor(j, i) / whole)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn only_patterns_with_green_on_a_diagonal_are_taken() {
        assert_eq!(Pattern::new([[0, 1], [1, 2]]), Some(Pattern::RGGB));
        assert!(Pattern::new([[1, 2], [0, 1]]).is_some());
        assert!(Pattern::new([[0, 1], [2, 1]]).is_none());
        assert!(Pattern::new([[0, 1], [1, 0]]).is_none());
    }

    proptest! {
        #[test]
        fn a_shifted_pattern_has_the_same_colours(x in 0u32..9, y in 0u32..9, dx in 0u32..9, dy in 0u32..9) {
            let shifted = Pattern::RGGB.shifted(dx, dy);
            prop_assert_eq!(shifted.colour(x, y), Pattern::RGGB.colour(x + dx, y + dy));
        }

        #[test]
        fn an_inverse_takes_a_product_back(values in prop::array::uniform9(-0.3f32..0.3)) {
            let mut m = [[0.0; 3]; 3];
            for (i, v) in values.into_iter().enumerate() {
                m[i / 3][i % 3] = v + f32::from(u8::from(i % 4 == 0)) * 1.5;
            }
            let one = product(m, inverse(m).unwrap());
            for (i, row) in one.iter().enumerate() {
                for (j, v) in row.iter().enumerate() {
                    prop_assert!((v - f32::from(u8::from(i == j))).abs() < 1e-4);
                }
            }
        }
    }

    #[test]
    fn white_stays_white() {
        let sensor = Sensor {
            pattern: Pattern::RGGB,
            black: [0.0; 4],
            white: 16_383.0,
            neutral: None,
            xyz_to_camera: Some([[0.8, -0.2, -0.1], [-0.4, 1.2, 0.2], [-0.1, 0.2, 0.7]]),
        };
        for row in sensor.balanced_to_srgb() {
            assert!((row.iter().sum::<f32>() - 1.0).abs() < 1e-5, "{row:?}");
        }
    }
}
