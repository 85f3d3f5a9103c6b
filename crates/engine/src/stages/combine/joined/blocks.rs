//! Blocks of a picture that show sky, ground, or both.

use crate::stages::combine::used::BLOCK;
use jade_combine::mask::Side;
use jade_pixels::tiled::{Region, SIDE};

/// A block of the picture.
#[derive(Clone, Copy)]
pub struct Block {
    /// Its place in the result.
    pub region: Region,
    /// The layers that the mask shows in it and around it, as far as joining reads.
    pub side: Side,
}

impl Block {
    /// Number of its tiles, by which progress is counted.
    pub fn count(&self) -> u64 {
        let Region { width, height, .. } = self.region;
        u64::from(width.div_ceil(SIDE)) * u64::from(height.div_ceil(SIDE))
    }

    /// Whether sky and ground meet in it or near it.
    pub fn is_near(&self) -> bool {
        self.side == Side::Both
    }
}

/// The blocks of a picture: smaller near the skyline, where many tiles show one side alone.
/// `around` gives the side of a region of the result and its surroundings.
pub fn blocks((width, height): (u32, u32), around: &dyn Fn(Region) -> Side) -> Vec<Block> {
    let parts = |block: Region| match around(block) {
        Side::Both => alike(block, around),
        _ => vec![block],
    };
    let all = Region::covering(width, height, BLOCK).into_iter().flat_map(parts);
    all.map(|region| Block { region, side: around(region) }).collect()
}

/// The tiles of a block.
pub fn tiles(block: Region) -> Vec<Region> {
    let tiles = Region::covering(block.width, block.height, [SIDE; 2]).into_iter();
    tiles.map(|tile| tile.moved([block.x, block.y])).collect()
}

/// A block in rectangles of tiles with the same side.
fn alike(block: Region, around: &dyn Fn(Region) -> Side) -> Vec<Region> {
    let mut done: Vec<(Region, Side)> = vec![];
    for row in Region::covering(block.width, block.height, [block.width, SIDE]) {
        let mut runs: Vec<(Region, Side)> = vec![];
        for tile in tiles(row.moved([block.x, block.y])) {
            let side = around(tile);
            match runs.last_mut() {
                Some((run, its_side)) if *its_side == side => run.width += tile.width,
                _ => runs.push((tile, side)),
            }
        }
        for (run, side) in runs {
            let above = done.iter_mut().find(|(above, its_side)| {
                let same = (above.x, above.width, *its_side) == (run.x, run.width, side);
                same && above.y + above.height == run.y
            });
            match above {
                Some((above, _)) => above.height += run.height,
                None => done.push((run, side)),
            }
        }
    }
    done.into_iter().map(|(part, _)| part).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tiles_with_the_same_sides_around_them_stay_together() {
        let block = Region { x: 512, y: 256, width: 4 * SIDE, height: 2 * SIDE - 20 };
        // Sky, except for the two tiles on the right, and one more below.
        let side = |tile: Region| match (tile.x - 512) / SIDE + u32::from(tile.y > 256) {
            ..2 => Side::Sky,
            2.. if tile.x >= 512 + 3 * SIDE => Side::Ground,
            _ => Side::Both,
        };
        let parts = alike(block, &side);
        let mut of = vec![0; block.area()];
        for part in &parts {
            for tile in tiles(*part) {
                assert!(side(tile) == side(*part), "{tile:?} in {part:?}");
            }
            for y in part.y - block.y..part.y + part.height - block.y {
                for x in part.x - block.x..part.x + part.width - block.x {
                    of[(y * block.width + x) as usize] += 1;
                }
            }
        }
        assert!(of.iter().all(|count| *count == 1), "every pixel is in one part");
        // Two of sky of different width, one of ground in both rows, and two of both.
        assert_eq!(parts.len(), 5, "{parts:?}");
    }
}
