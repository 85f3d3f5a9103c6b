//! Macros that both ways of resampling use for the pixels of a run, side by side. They are macros
//! so that their code becomes part of functions that are compiled once for each kind of processor.

/// Added to a position and subtracted again, it leaves the nearest whole number.
pub const WHOLE: f32 = 8_388_608.0;

/// `a * b + c`, in one instruction where the processor has it.
macro_rules! fused {
    ($a:expr, $b:expr, $c:expr) => {
        if target_cfg_f!(target_feature = "fma") { $a.mul_add($b, $c) } else { $a * $b + $c }
    };
}
pub(super) use fused;

/// Splits the positions along a run into the source pixel before each, counted from `$step` times
/// its lane, and the fraction beyond that pixel, less a half; also gives the lowest and the highest
/// of those pixels. The ends of the run's straight lines bound them: a lane that rounding puts one
/// pixel beyond is taken back, and its fraction still describes where it lies.
macro_rules! parted {
    ($at:expr, $step:expr) => {{
        let (mut pixels, mut beyond) = ([0.0f32; RUN], [0.0f32; RUN]);
        for lane in 0..RUN {
            // Positions are at least 2, so that rounding the half below them takes the whole part.
            pixels[lane] = $at[lane] - 0.5 + WHOLE - WHOLE - $step * lane as f32;
        }
        let [a, b, c, d] = [0, FINE - 1, FINE, RUN - 1].map(|lane| pixels[lane]);
        let (low, high) = (a.min(b).min(c.min(d)), a.max(b).max(c.max(d)));
        for lane in 0..RUN {
            let pixel = if pixels[lane] < low { low } else { pixels[lane] };
            pixels[lane] = if pixel > high { high } else { pixel };
            beyond[lane] = $at[lane] - (pixels[lane] + $step * lane as f32) - 0.5;
        }
        (pixels, beyond, low, high)
    }};
}
pub(super) use parted;

/// The weights of all taps at the positions `$t` after the third tap, less a half.
macro_rules! weights {
    ($t:expr, $kernel:expr) => {{
        let mut square = [0.0f32; RUN];
        for lane in 0..RUN {
            square[lane] = $t[lane] * $t[lane];
        }
        let mut weights = [[0.0f32; RUN]; TAPS];
        for (tap, pair) in $kernel.iter().enumerate() {
            let (mut even, mut odd) = (pair.even[3], pair.odd[3]);
            for term in (0..3).rev() {
                for lane in 0..RUN {
                    even[lane] = fused!(even[lane], square[lane], pair.even[term][lane]);
                    odd[lane] = fused!(odd[lane], square[lane], pair.odd[term][lane]);
                }
            }
            for lane in 0..RUN {
                weights[tap][lane] = fused!(odd[lane], $t[lane], even[lane]);
                weights[TAPS - 1 - tap][lane] = fused!(-odd[lane], $t[lane], even[lane]);
            }
        }
        weights
    }};
}
pub(super) use weights;
