//! Overlays over a picture: a skyline, and maps of a result.

use crate::skyline_seen::OpenSkyline;
use jade_focus::BETWEEN;
use jade_frames::cache::MapKind;
use jade_pixels::tiled::Region;

/// How a skyline is overlaid on a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Overlay {
    /// Ground hatched, undecided margin stippled.
    #[default]
    Hatching,
    /// The mask in place of the picture, white for sky.
    Mask,
    /// Only the sky is shown.
    Sky,
    /// Only the ground is shown.
    Ground,
    /// A veil over uncertain pixels.
    Doubt,
}

const AMBER: [u8; 3] = [0xe0, 0xb0, 0x57];
const ROSE: [u8; 3] = [0xe8, 0x7d, 0x8a];
/// Colour of hidden parts: that of the space around the picture.
const WELL: [u8; 3] = [0x0f, 0x0f, 0x0e];

/// The overlay of a skyline: colour and opacity.
pub(super) fn skyline(open: &OpenSkyline, level: usize, region: Region, how: Overlay) -> Vec<u8> {
    let (width, shares) = (open.levels[level].size().0, open.levels[level].shares());
    let scale = open.mask().size().0 as f32 / width as f32;
    let mut out = Vec::with_capacity(region.area() * 4);
    for y in region.y..region.y + region.height {
        for x in region.x..region.x + region.width {
            let share = shares[(y * width + x) as usize];
            let ([r, g, b], cover) = match how {
                Overlay::Hatching => (AMBER, hatching(share, x, y)),
                Overlay::Mask => ([share; 3], 255),
                Overlay::Sky => (WELL, 255 - share),
                Overlay::Ground => (WELL, share),
                Overlay::Doubt => {
                    let doubt = open.likely.as_ref().map_or(0.0, |(grid, sky)| {
                        let at = [x as f32, y as f32].map(|v| f64::from((v + 0.5) * scale));
                        1.0 - (2.0 * grid.at(sky, at) - 1.0).abs()
                    });
                    (AMBER, (220.0 * doubt) as u8)
                }
            };
            out.extend([r, g, b, cover]);
        }
    }
    out
}

/// Opacity of the amber hatching at a pixel: slanted lines over ground, dots over mixed pixels.
fn hatching(share: u8, x: u32, y: u32) -> u8 {
    match share {
        250.. => 0,
        6..250 => match ([x, y].iter().all(|v| v.is_multiple_of(3)), (x + y).is_multiple_of(2)) {
            (true, _) => 255,
            (_, true) => 90,
            _ => 20,
        },
        _ => match (x + y) % 12 {
            0 => 190,
            1 | 11 => 90,
            _ => 16,
        },
    }
}

/// Colour and opacity of a map's sample, a count for a number of pixels. A single rejected sample
/// is clearly visible at full size; at smaller sizes scattered ones are a faint veil and streaks
/// stand out. For a depth map, `only` shows the part of one frame.
pub(super) fn over(
    map: MapKind,
    sample: u16,
    pixels: f32,
    most: u16,
    only: Option<u16>,
) -> [u8; 4] {
    let count = f32::from(sample) / pixels;
    let share = match map {
        MapKind::Rejected => 0.75 * count,
        MapKind::Coverage => 0.8 * (1.0 - count / f32::from(most.max(1))),
        MapKind::Depth => {
            return only.map_or_else(|| graded(sample), |wanted| lit(sample, wanted, most));
        }
        MapKind::Certainty if sample == BETWEEN => {
            let [r, g, b] = ROSE;
            return [r, g, b, 200];
        }
        MapKind::Certainty => 0.8 * (1.0 - f32::from(sample) / 65_534.0),
    };
    let [r, g, b] = AMBER;
    [r, g, b, (share.clamp(0.0, 0.9) * 255.0) as u8]
}

/// Colours of a depth map from the first frame to the last, evenly spaced. The page's legend has
/// the same.
const GRADES: [[u8; 3]; 4] =
    [[0xe8, 0xc0, 0x6a], [0x5c, 0xc8, 0xa1], [0x4a, 0x86, 0xc8], [0x6b, 0x4f, 0x9e]];

/// Colour and opacity of a depth map: graded by the sharpest frame, dark where none is known.
fn graded(code: u16) -> [u8; 4] {
    if code == u16::MAX {
        let [r, g, b] = WELL;
        return [r, g, b, 200];
    }
    let at = f32::from(code) / 65_534.0 * (GRADES.len() - 1) as f32;
    let first = (at as usize).min(GRADES.len() - 2);
    let part = at - first as f32;
    let [r, g, b] = std::array::from_fn(|c| {
        let (here, next) = (f32::from(GRADES[first][c]), f32::from(GRADES[first + 1][c]));
        (here + part * (next - here)).round() as u8
    });
    [r, g, b, 215]
}

/// Shows the picture where the chosen frame is the sharpest, and darkens the rest.
fn lit(code: u16, frame: u16, merged: u16) -> [u8; 4] {
    let at = f32::from(code) / 65_534.0 * f32::from(merged.saturating_sub(1));
    let of_frame = code != u16::MAX && (at - f32::from(frame)).abs() <= 0.5;
    let [r, g, b] = WELL;
    [r, g, b, if of_frame { 0 } else { 215 }]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_focus_map_goes_from_its_first_colour_to_its_last_one() {
        let of = |sample| over(MapKind::Depth, sample, 1.0, 9, None);
        let ([r, g, b], [last_r, last_g, last_b]) = (GRADES[0], GRADES[3]);
        assert_eq!((of(0), of(65_534)), ([r, g, b, 215], [last_r, last_g, last_b, 215]));
        assert_eq!(of(65_534 / 3)[..3], GRADES[1][..]);
        // Places without a known frame are dark.
        assert_eq!(of(u16::MAX)[..3], WELL[..]);
        // The fifth of nine frames alone: its part ends half way to its neighbours.
        let lit = |sample| over(MapKind::Depth, sample, 1.0, 9, Some(4))[3] == 0;
        let at = |frame: f32| (frame / 8.0 * 65_534.0) as u16;
        assert!(lit(at(4.0)) && lit(at(3.6)) && lit(at(4.4)));
        assert!(!lit(at(3.4)) && !lit(at(4.6)) && !lit(u16::MAX));
    }

    #[test]
    fn counts_of_many_pixels_cover_as_their_mean() {
        let cover = |map, sample, pixels| over(map, sample, pixels, 8, None)[3];
        assert_eq!(cover(MapKind::Rejected, 0, 1.0), 0);
        assert_eq!(cover(MapKind::Rejected, 4, 4.0), cover(MapKind::Rejected, 1, 1.0));
        // Certain places are clear and others veiled; a missing plane has a colour that no
        // certainty has.
        let certainty = |sample| over(MapKind::Certainty, sample, 1.0, 8, None);
        assert_eq!((certainty(65_534)[3], certainty(0)[3]), (0, 204));
        assert_eq!(certainty(BETWEEN)[..3], ROSE[..]);
        // A place covered by all eight frames, and one covered by none.
        assert_eq!((cover(MapKind::Coverage, 8, 1.0), cover(MapKind::Coverage, 0, 1.0)), (0, 204));
    }
}
