//! Sizes of the levels of a pyramid.

/// Sizes of all levels: from the picture down to the first that fits into 256 x 256 pixels.
pub fn level_sizes(width: u32, height: u32) -> Vec<(u32, u32)> {
    let mut sizes = vec![(width, height)];
    while let Some(&(w, h)) = sizes.last().filter(|(w, h)| (*w).max(*h) > 256) {
        sizes.push((w.div_ceil(2), h.div_ceil(2)));
    }
    sizes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn levels_end_at_one_view_tile() {
        assert_eq!(
            level_sizes(2400, 1601),
            [(2400, 1601), (1200, 801), (600, 401), (300, 201), (150, 101)]
        );
        assert_eq!(level_sizes(256, 3), [(256, 3)]);
    }
}
