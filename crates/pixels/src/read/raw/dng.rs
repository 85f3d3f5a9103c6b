//! Data about the sensor in a DNG's directories (Digital Negative specification 1.4).

use crate::mosaic::{Pattern, Sensor};
use rawler::formats::tiff::IFD;
use rawler::tags::{DngTag, TiffCommonTag, TiffTag};

/// Standard illuminant D65 in CIE 15's list of light sources.
const D65: f32 = 21.0;

/// The whole recorded sensor; `None` unless its colours repeat after two columns and two rows.
pub fn sensor(root: &IFD, raw: &IFD, bits: usize) -> Option<Sensor> {
    let of_root = |tag: DngTag| values(root, tag);
    let colours = values(raw, TiffCommonTag::CFAPattern)?;
    let [a, b, c, d] = colours.as_slice() else { return None };
    let pattern = Pattern::new([[*a as u8, *b as u8], [*c as u8, *d as u8]])?;
    // The pattern and the black level are counted from the corner of the active area.
    let corner = values(raw, DngTag::ActiveArea).unwrap_or_default();
    let [top, left] = [0, 1].map(|i| corner.get(i).copied().unwrap_or(0.0) as u32);
    let repeat = values(raw, DngTag::BlackLevelRepeatDim);
    let levels = values(raw, TiffCommonTag::BlackLevels).unwrap_or_default();
    let black = match (repeat.as_deref(), levels.as_slice()) {
        (Some([2.0, 2.0]), &[a, b, c, d]) => [a, b, c, d],
        _ => [levels.first().copied().unwrap_or(0.0); 4],
    };
    let full = ((1u64 << bits.clamp(8, 16)) - 1) as f32;
    let white = values(raw, TiffCommonTag::WhiteLevel).and_then(|v| v.first().copied());
    let matrices = [
        (DngTag::CalibrationIlluminant2, DngTag::ColorMatrix2),
        (DngTag::CalibrationIlluminant1, DngTag::ColorMatrix1),
    ];
    let matrices: Vec<(f32, [[f32; 3]; 3])> = matrices
        .into_iter()
        .filter_map(|(light, matrix)| {
            let matrix = *of_root(matrix)?.as_chunks::<3>().0.first_chunk::<3>()?;
            Some((of_root(light)?.first().copied()?, matrix))
        })
        .collect();
    let daylight = matrices.iter().find(|(light, _)| *light == D65).or(matrices.first());
    let xyz_to_camera = daylight.map(|(_, matrix)| *matrix);
    let shot = match (of_root(DngTag::AsShotNeutral), of_root(DngTag::AsShotWhiteXY)) {
        (Some(neutral), _) => neutral.first_chunk::<3>().copied(),
        (None, Some(white)) => match (white.as_slice(), xyz_to_camera) {
            (&[x, y], Some(matrix)) => {
                let xyz = [x / y, 1.0, (1.0 - x - y) / y];
                Some(matrix.map(|row| (0..3).map(|i| row[i] * xyz[i]).sum()))
            }
            _ => None,
        },
        _ => None,
    };
    let neutral = shot.map(|[r, g, b]| [r / g, 1.0, b / g]);
    let neutral = neutral.filter(|shot| shot.iter().all(|v| v.is_finite() && *v > 0.0));
    let lit = Sensor { pattern, black, white: white.unwrap_or(full), neutral, xyz_to_camera };
    Some(lit.shifted(left, top))
}

fn values<T: TiffTag>(directory: &IFD, tag: T) -> Option<Vec<f32>> {
    let entry = directory.get_entry(tag)?;
    Some((0..entry.count() as usize).map(|i| entry.force_f32(i)).collect())
}
