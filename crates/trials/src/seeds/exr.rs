//! OpenEXRs of all codings that are read.

use super::made::{SIZE, Seed, light, written};
use exr::prelude::*;

pub fn seeds() -> Vec<Seed> {
    let all = [
        ("plain", Compression::Uncompressed),
        ("rle", Compression::RLE),
        ("zip-1", Compression::ZIP1),
        ("zip-16", Compression::ZIP16),
        ("piz", Compression::PIZ),
        ("pxr24", Compression::PXR24),
        ("b44", Compression::B44),
    ];
    all.map(|(name, compression)| Seed {
        name,
        bytes: made(compression),
        guarded: 0..0,
        ending: "exr",
    })
    .into()
}

fn made(compression: Compression) -> Vec<u8> {
    let light = light();
    let (width, height) = (SIZE.0 as usize, SIZE.1 as usize);
    let pixel = |at: Vec2<usize>| {
        let from = (at.y() * width + at.x()) * 3;
        [0, 1, 2].map(|c| f16::from_f32(light[from + c]))
    };
    let channels = SpecificChannels::rgb(|at| {
        let [r, g, b] = pixel(at);
        (r, g, b)
    });
    let encoding = Encoding { compression, ..Encoding::default() };
    let layer = Layer::new((width, height), LayerAttributes::named("light"), encoding, channels);
    let image = Image::from_layer(layer);
    written(|path| image.write().to_file(path).expect("a seed can be written"))
}
