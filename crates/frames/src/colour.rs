//! From a camera's colours to linear light: white balance, highlights, matrix, exposure.

use jade_pixels::mosaic::Sensor;
use jade_plan::{Highlights, PreparePlan, WhiteBalance};

/// The conversion from a pixel's stored light to its light.
#[derive(Debug, Clone, PartialEq)]
pub struct Mix {
    /// Factors of white balance, none below one.
    gains: [f32; 3],
    highlights: Highlights,
    /// From balanced camera colours to linear light in sRGB's primaries, including exposure.
    matrix: [[f32; 3]; 3],
    /// Whether the matrix changes anything.
    mixes: bool,
}

impl Mix {
    /// For a sensor's light that is stored balanced as shot.
    pub fn of_sensor(sensor: &Sensor, plan: &PreparePlan) -> Self {
        let shot = as_shot(sensor);
        let wanted = neutral(sensor, &plan.white_balance);
        let mut gains = [0, 1, 2].map(|c| shot[c] / wanted[c]);
        // The colour that clips first decides where white is.
        let full = [0, 1, 2].map(|c| gains[c] / shot[c]).into_iter().fold(f32::MAX, f32::min);
        gains.iter_mut().for_each(|gain| *gain /= full);
        let matrix = sensor.balanced_to_srgb();
        Self::new(gains, plan, matrix)
    }

    /// For developed pictures, whose white balance is changed by factors only; `None` where nothing
    /// changes.
    pub fn of_developed(plan: &PreparePlan) -> Option<Self> {
        let gains = match plan.white_balance {
            WhiteBalance::Neutral { grey } => {
                let most = grey.into_iter().fold(0.0, f32::max);
                grey.map(|v| most / v)
            }
            _ => [1.0; 3],
        };
        let same = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        (gains != [1.0; 3] || plan.gain_ev != 0.0).then(|| {
            let plan = PreparePlan { highlights: Highlights::Keep, ..plan.clone() };
            Self::new(gains, &plan, same)
        })
    }

    fn new(gains: [f32; 3], plan: &PreparePlan, matrix: [[f32; 3]; 3]) -> Self {
        let exposure = plan.gain_ev.exp2();
        let mixes = matrix != [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        let matrix = matrix.map(|row| row.map(|v| v * exposure));
        Self { gains, highlights: plan.highlights, matrix, mixes: mixes || exposure != 1.0 }
    }

    /// The light of a pixel from its stored light.
    #[inline(always)]
    pub fn pixel(&self, stored: [f32; 3]) -> [f32; 3] {
        let mut light = [0, 1, 2].map(|c| stored[c] * self.gains[c]);
        match self.highlights {
            Highlights::Clip => light = light.map(|v| v.min(1.0)),
            Highlights::Keep => {}
        }
        match self.mixes {
            true => self.matrix.map(|[r, g, b]| r * light[0] + g * light[1] + b * light[2]),
            false => light,
        }
    }
}

/// What the camera took for neutral; equal colours where it did not say.
pub fn as_shot(sensor: &Sensor) -> [f32; 3] {
    sensor.neutral.unwrap_or([1.0; 3])
}

/// Codes of red, green and blue of grey under a white balance, relative to green.
fn neutral(sensor: &Sensor, balance: &WhiteBalance) -> [f32; 3] {
    let shot = as_shot(sensor);
    match (balance, sensor.xyz_to_camera) {
        (WhiteBalance::AsShot, _) | (WhiteBalance::Light { .. }, None) => shot,
        (WhiteBalance::Neutral { grey }, _) => {
            // The picked light is as shot.
            let camera = match sensor.srgb_to_balanced() {
                Some(matrix) => matrix.map(|row| (0..3).map(|c| row[c] * grey[c]).sum::<f32>()),
                None => *grey,
            };
            [0, 1, 2].map(|c| (camera[c] / camera[1] * shot[c]).max(1e-3))
        }
        (WhiteBalance::Light { kelvin, tint }, Some(matrix)) => {
            let light = light_source(*kelvin, *tint);
            let camera = matrix.map(|row| (0..3).map(|c| row[c] * light[c]).sum::<f32>());
            [0, 1, 2].map(|c| (camera[c] / camera[1]).max(1e-3))
        }
    }
}

/// CIE XYZ of a light source by its colour temperature: daylight from 4000 K on (CIE 15:2004), a
/// black body below (Kim et al. 2002), shifted by `tint` / 3000 in CIE 1960 v, towards green above
/// 0.
pub fn light_source(kelvin: f32, tint: f32) -> [f32; 3] {
    let t = f64::from(kelvin.clamp(1700.0, 25_000.0));
    let (k, k2, k3) = (1e3 / t, 1e6 / (t * t), 1e9 / (t * t * t));
    let x = match t {
        ..4000.0 => -0.266_123_9 * k3 - 0.234_358_9 * k2 + 0.877_695_6 * k + 0.179_91,
        4000.0..7000.0 => -4.607 * k3 + 2.9678 * k2 + 0.09911 * k + 0.244_063,
        _ => -2.0064 * k3 + 1.9018 * k2 + 0.24748 * k + 0.237_04,
    };
    let (x2, x3) = (x * x, x * x * x);
    let y = match t {
        ..2222.0 => -1.106_381_4 * x3 - 1.348_110_2 * x2 + 2.185_558_32 * x - 0.202_196_83,
        2222.0..4000.0 => -0.954_947_6 * x3 - 1.374_185_93 * x2 + 2.091_370_15 * x - 0.167_488_67,
        _ => -3.0 * x2 + 2.87 * x - 0.275,
    };
    // In CIE 1960, isotherms cross the locus almost vertically.
    let whole = -2.0 * x + 12.0 * y + 3.0;
    let (u, v) = (4.0 * x / whole, 6.0 * y / whole + f64::from(tint) / 3000.0);
    let whole = 2.0 * u - 8.0 * v + 4.0;
    let (x, y) = (3.0 * u / whole, 2.0 * v / whole);
    [(x / y) as f32, 1.0, ((1.0 - x - y) / y) as f32]
}

/// The temperature in kelvin and the tint under which a sensor's codes of grey are as shot.
pub fn shot_under(sensor: &Sensor) -> Option<(f32, f32)> {
    let (shot, _) = (sensor.neutral?, sensor.xyz_to_camera?);
    let off = |kelvin: f32, tint: f32| {
        let codes = neutral(sensor, &WhiteBalance::Light { kelvin, tint });
        (codes[0] / shot[0]).ln().powi(2) + (codes[2] / shot[2]).ln().powi(2)
    };
    // Even steps of inverse temperature look even.
    let (mut best, mut reach) = ((5500.0f32, 0.0f32), (250.0f32, 60.0f32));
    for _ in 0..14 {
        let from = best;
        for i in -4..=4 {
            for j in -4..=4 {
                let mired = 1e6 / from.0 + i as f32 / 4.0 * reach.0;
                let kelvin = (1e6 / mired.max(1.0)).clamp(1700.0, 25_000.0);
                let tint = (from.1 + j as f32 / 4.0 * reach.1).clamp(-150.0, 150.0);
                if off(kelvin, tint) < off(best.0, best.1) {
                    best = (kelvin, tint);
                }
            }
        }
        reach = (reach.0 * 0.55, reach.1 * 0.55);
    }
    Some(best)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_pixels::mosaic::{Pattern, SRGB_TO_XYZ};
    use proptest::prelude::*;

    fn sensor(neutral: [f32; 3]) -> Sensor {
        Sensor {
            pattern: Pattern::RGGB,
            black: [512.0; 4],
            white: 16_383.0,
            neutral: Some(neutral),
            xyz_to_camera: Some([[0.9, -0.3, -0.1], [-0.45, 1.25, 0.2], [-0.1, 0.25, 0.65]]),
        }
    }

    #[test]
    fn daylight_is_where_srgb_has_its_white() {
        let light = light_source(6504.0, 0.0);
        let white = SRGB_TO_XYZ.map(|row| row.iter().sum::<f32>());
        for (light, white) in light.iter().zip(white) {
            assert!((light - white).abs() < 3e-3, "{light} for {white}");
        }
    }

    #[test]
    fn what_the_camera_took_for_neutral_is_grey_as_shot() {
        let sensor = sensor([0.52, 1.0, 0.71]);
        let mix = Mix::of_sensor(&sensor, &PreparePlan::default());
        // Stored balanced as shot, grey is equal in all colours.
        let [r, g, b] = mix.pixel([0.2; 3]);
        assert!((r - 0.2).abs() < 1e-5 && (g - 0.2).abs() < 1e-5 && (b - 0.2).abs() < 1e-5);
        // Clipped in all colours is white.
        assert_eq!(mix.pixel([1.0 / 0.52, 1.0, 1.0 / 0.71]).map(|v| (v * 1e4).round()), [1e4; 3]);
    }

    #[test]
    fn a_picked_patch_becomes_grey() {
        let sensor = sensor([0.52, 1.0, 0.71]);
        let shot = Mix::of_sensor(&sensor, &PreparePlan::default());
        let stored = [0.11, 0.2, 0.31];
        let grey = shot.pixel(stored);
        let plan =
            PreparePlan { white_balance: WhiteBalance::Neutral { grey }, ..PreparePlan::default() };
        let [r, g, b] = Mix::of_sensor(&sensor, &plan).pixel(stored);
        assert!((r / g - 1.0).abs() < 1e-3 && (b / g - 1.0).abs() < 1e-3, "{r} {g} {b}");
        let [r, g, b] = Mix::of_developed(&plan).unwrap().pixel(grey);
        assert!((r / g - 1.0).abs() < 1e-3 && (b / g - 1.0).abs() < 1e-3, "{r} {g} {b}");
    }

    proptest! {
        #[test]
        fn the_light_a_frame_was_shot_under_is_found(kelvin in 2200.0f32..9500.0, tint in -30.0f32..30.0) {
            let any = sensor([1.0; 3]);
            let shot = sensor(neutral(&any, &WhiteBalance::Light { kelvin, tint }));
            let (k, t) = shot_under(&shot).unwrap();
            // The locus consists of pieces that meet with a small step.
            prop_assert!((1e6 / k - 1e6 / kelvin).abs() < 4.0 && (t - tint).abs() < 4.0, "{k} {t}");
        }
    }
}
