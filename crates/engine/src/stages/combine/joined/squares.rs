//! The light of squares near the skyline, from which what is seen far behind it goes on.

use jade_combine::backdrop::{self, Backdrop};
use jade_pixels::tiled::Region;

/// Light of the squares of [`backdrop`] near the skyline: of the sky, and of sky and ground in the
/// unaligned stack.
pub struct Squares {
    size: (u32, u32),
    layers: [Vec<Option<[f32; 3]>>; 4],
}

impl Squares {
    pub fn new(size: (u32, u32)) -> Self {
        let count = size.0.div_ceil(backdrop::SQUARE) * size.1.div_ceil(backdrop::SQUARE);
        Self { size, layers: [(); 4].map(|()| vec![None; count as usize]) }
    }

    /// Notes those of a layer.
    pub fn note(&mut self, layer: usize, squares: Vec<Square>) {
        let across = self.size.0.div_ceil(backdrop::SQUARE) as usize;
        for ([x, y], light) in squares {
            self.layers[layer][y * across + x] = light;
        }
    }

    pub fn backdrop(&self, layer: usize) -> Backdrop {
        Backdrop::new(self.size, &self.layers[layer])
    }
}

/// A square by column and row, and its light.
pub type Square = ([usize; 2], Option<[f32; 3]>);

/// The layers of the squares.
pub const SKY: usize = 0;
pub const PASSING: usize = 1;
pub const GROUND: usize = 2;
pub const STILL_SKY: usize = 3;

/// The squares of a block by column and row, with the light of the pixels that count.
pub fn squares_of(block: Region, light: &[f32], counts: &dyn Fn(usize) -> bool) -> Vec<Square> {
    let pixels = light.as_chunks::<3>().0;
    let squares = Region::covering(block.width, block.height, [backdrop::SQUARE; 2]).into_iter();
    squares
        .map(|square| {
            let rows = square.y..square.y + square.height;
            let places = rows.flat_map(|y| {
                (square.x..square.x + square.width).map(move |x| (y * block.width + x) as usize)
            });
            let there: Vec<[f32; 3]> = places.filter(|&i| counts(i)).map(|i| pixels[i]).collect();
            let at = |v: u32, from: u32| ((v + from) / backdrop::SQUARE) as usize;
            ([at(square.x, block.x), at(square.y, block.y)], backdrop::square(&there))
        })
        .collect()
}
