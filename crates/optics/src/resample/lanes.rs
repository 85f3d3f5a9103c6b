//! What both ways of resampling do side by side for a run of pixels. Macros, so that the code
//! becomes part of functions that are compiled once for each kind of processor.

/// Added to a position and taken off again, it leaves the nearest whole number.
pub const WHOLE: f32 = 8_388_608.0;

/// `a * b + c`, in one step where the processor has it.
macro_rules! fused {
    ($a:expr, $b:expr, $c:expr) => {
        if target_cfg_f!(target_feature = "fma") { $a.mul_add($b, $c) } else { $a * $b + $c }
    };
}
pub(super) use fused;

/// Positions along a run as the source pixel before each, counted from `$step` times its lane, and
/// what is beyond that pixel, less a half; with the lowest and highest of those pixels. They are told
/// by the ends of the run's straight lines: a lane that rounding puts one pixel beyond them is taken
/// back, and what is beyond its pixel tells where it lies all the same.
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
