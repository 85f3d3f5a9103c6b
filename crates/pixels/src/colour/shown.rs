//! Light as a screen shows it: 8-bit codes of sRGB.

use super::encoding::Encoding;
use std::sync::LazyLock;

/// Steps of light between black and white: a tenth of an 8-bit code where codes are closest.
const LIGHT_STEPS: usize = 1 << 15;

/// The 8-bit sRGB code of every step; white beyond them.
static EIGHT: LazyLock<Box<[u8; 1 << 16]>> = LazyLock::new(|| {
    let srgb = Encoding::srgb();
    let light = |step: usize| (step as f32 / LIGHT_STEPS as f32).min(1.0);
    let eight = |code: u16| ((u32::from(code) * 255 + 32767) / 65535) as u8;
    let mut all = Box::new([0; 1 << 16]);
    all.iter_mut().enumerate().for_each(|(i, value)| *value = eight(srgb.encode(0, light(i))));
    all
});

/// The step for linear light.
fn step(light: f32) -> u16 {
    // Casting saturates, and turns NaN into 0.
    (light * LIGHT_STEPS as f32 + 0.5) as u16
}

/// The 8-bit sRGB code of linear light, 0 (black) to 1 (white); light beyond is shown as one of these.
pub fn shown_code(light: f32) -> u8 {
    EIGHT[step(light) as usize]
}

/// Interleaved 8-bit codes of linear light in sRGB's primaries. A pixel's colours are brought `strength`
/// times as far from its grey, then everything is made `gain` times as bright.
pub fn shown_codes(light: &[[f32; 3]], gain: f32, strength: f32) -> Vec<u8> {
    let (mut codes, eight) = (vec![0; light.len() * 3], &*EIGHT);
    for (code, light) in codes.as_chunks_mut::<3>().0.iter_mut().zip(light) {
        let grey = (light[0] + light[1] + light[2]) / 3.0;
        for (code, v) in code.iter_mut().zip(light) {
            *code = eight[step((grey + strength * (v - grey)) * gain) as usize];
        }
    }
    codes
}

impl Encoding {
    /// Turns linear light in this encoding's primaries to sRGB's, pixel by pixel.
    pub fn turn_to_srgb(&self, light: &mut [[f32; 3]]) {
        if self.same_primaries(&Encoding::srgb()) {
            return;
        }
        let matrix = self.to_srgb();
        for light in light {
            *light = matrix.map(|row| row[0] * light[0] + row[1] * light[1] + row[2] * light[2]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::spaces::Space;

    #[test]
    fn light_is_shown_by_the_curve_of_srgb() {
        // IEC 61966-2-1: 0.2159 is the light of code 128.
        assert_eq!([0.0, 0.2159, 1.0].map(shown_code), [0, 128, 255]);
        assert_eq!([-1.0, f32::NAN, 7.0].map(shown_code), [0, 0, 255]);
        let light = [[0.1, 0.2, 0.3], [0.5; 3]];
        let plain = shown_codes(&light, 1.0, 1.0);
        assert_eq!(plain, light.as_flattened().iter().map(|v| shown_code(*v)).collect::<Vec<_>>());
        // Without colour everything is its grey, with more it is farther from it.
        assert_eq!(shown_codes(&light[..1], 2.0, 0.0), [shown_code(0.4); 3]);
        assert_eq!(shown_codes(&light[..1], 1.0, 2.0), [0.0, 0.2, 0.4].map(shown_code));
    }

    #[test]
    fn primaries_are_turned_as_the_matrix_says() {
        let mut light = [[0.2, 0.5, 0.1]];
        Encoding::srgb().turn_to_srgb(&mut light);
        assert_eq!(light, [[0.2, 0.5, 0.1]]);
        let wide = Encoding::of_space(Space::A98);
        wide.turn_to_srgb(&mut light);
        let wanted = wide.to_srgb().map(|row| row[0] * 0.2 + row[1] * 0.5 + row[2] * 0.1);
        assert_eq!(light, [wanted]);
        // The green of wide primaries leaves red below black.
        assert!(light[0][0] < 0.2 && light[0][1] > 0.49, "{light:?}");
    }
}
