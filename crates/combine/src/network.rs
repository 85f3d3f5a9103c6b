//! Sorting networks that work across lanes: one lane for each pixel position, one row for each
//! frame; a comparison orders two whole rows at once (Batcher 1968).

use multiversion::multiversion;

/// Pixel positions that are sorted together.
pub const LANES: usize = 32;

/// The samples of one frame at [`LANES`] positions.
pub type Row = [f32; LANES];

/// Comparisons that give the rows at `wanted` the values that they would have if each lane were
/// sorted, lowest first. Comparisons that no wanted row depends on are left out.
pub struct Network {
    comparisons: Vec<(u16, u16)>,
}

impl Network {
    /// A network for `rows` rows of which only `wanted` are read afterwards.
    pub fn new(rows: usize, wanted: &[usize]) -> Self {
        let mut comparisons = Vec::new();
        let size = rows.next_power_of_two();
        // Odd-even merge sort of the next power of two. Rows beyond the end would hold the highest
        // values and never move, so their comparisons are left out.
        let mut merged = 1;
        while merged < size {
            let mut apart = merged;
            while apart >= 1 {
                let mut start = apart % merged;
                while start + apart < size {
                    for i in start..start + apart {
                        if i / (2 * merged) == (i + apart) / (2 * merged) && i + apart < rows {
                            comparisons.push((i as u16, (i + apart) as u16));
                        }
                    }
                    start += 2 * apart;
                }
                apart /= 2;
            }
            merged *= 2;
        }
        let mut needed = vec![false; rows];
        wanted.iter().for_each(|&w| needed[w] = true);
        let mut kept: Vec<(u16, u16)> = comparisons
            .into_iter()
            .rev()
            .filter(|&(a, b)| {
                let needs = needed[a as usize] || needed[b as usize];
                if needs {
                    needed[a as usize] = true;
                    needed[b as usize] = true;
                }
                needs
            })
            .collect();
        kept.reverse();
        Self { comparisons: kept }
    }

    /// The rows whose mean is the median of `rows` rows.
    pub fn median_rows(rows: usize) -> [usize; 2] {
        [(rows - 1) / 2, rows / 2]
    }

    /// Runs the network. The samples must not be NaN.
    pub fn run(&self, rows: &mut [Row]) {
        run(&self.comparisons, rows);
    }
}

#[multiversion(targets("x86_64+avx512f+avx512vl", "x86_64+avx2"))]
fn run(comparisons: &[(u16, u16)], rows: &mut [Row]) {
    for &(a, b) in comparisons {
        let (below, above) = rows.split_at_mut(b as usize);
        let (low, high) = (&mut below[a as usize], &mut above[0]);
        let (p, q) = (*low, *high);
        for lane in 0..LANES {
            // Selecting values compiles to vector code; swapping in place does not.
            low[lane] = if p[lane] < q[lane] { p[lane] } else { q[lane] };
            high[lane] = if p[lane] < q[lane] { q[lane] } else { p[lane] };
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A network that sorts every input of zeros and ones sorts everything (Knuth's 0-1 principle).
    #[test]
    fn every_zero_one_input_is_sorted_up_to_twelve_rows() {
        for n in 1..=12usize {
            let network = Network::new(n, &(0..n).collect::<Vec<_>>());
            for first in (0..1u32 << n).step_by(LANES) {
                let mut rows = vec![[0.0; LANES]; n];
                for (r, row) in rows.iter_mut().enumerate() {
                    for (lane, v) in row.iter_mut().enumerate() {
                        *v = ((first + lane as u32) >> r & 1) as f32;
                    }
                }
                network.run(&mut rows);
                for lane in 0..LANES {
                    assert!(rows.windows(2).all(|w| w[0][lane] <= w[1][lane]), "{n} rows");
                }
            }
        }
    }

    proptest! {
        #[test]
        fn wanted_rows_hold_what_sorting_gives(
            values in prop::collection::vec(-1e3f32..1e3, 1..220),
        ) {
            let n = values.len();
            let wanted = Network::median_rows(n);
            let mut rows: Vec<Row> = values.iter().map(|v| [*v; LANES]).collect();
            Network::new(n, &wanted).run(&mut rows);
            let mut sorted = values;
            sorted.sort_by(f32::total_cmp);
            for w in wanted {
                prop_assert_eq!(rows[w], [sorted[w]; LANES]);
            }
        }
    }
}
