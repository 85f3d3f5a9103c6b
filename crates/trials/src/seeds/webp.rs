//! WebPs with and without loss.

use super::made::{SIZE, Seed, codes};
use image_webp::{ColorType, WebPEncoder};

/// Of 16 x 12 pixels, with loss.
const LOSSY: [u8; 80] = [
    82, 73, 70, 70, 72, 0, 0, 0, 87, 69, 66, 80, 86, 80, 56, 32, 60, 0, 0, 0, 240, 1, 0, 157, 1,
    42, 16, 0, 12, 0, 2, 128, 66, 37, 176, 2, 116, 96, 127, 129, 38, 98, 61, 128, 0, 254, 248, 157,
    77, 255, 211, 85, 12, 208, 150, 255, 210, 195, 167, 62, 177, 211, 159, 255, 7, 157, 56, 177,
    208, 159, 89, 253, 79, 113, 245, 151, 227, 0, 0, 0,
];

pub fn seeds() -> Vec<Seed> {
    let all = [
        ("lossy", LOSSY.to_vec()),
        ("lossless", made(3, ColorType::Rgb8)),
        ("opacity", made(4, ColorType::Rgba8)),
    ];
    all.map(|(name, bytes)| Seed { name, bytes, guarded: 0..0, ending: "webp" }).into()
}

fn made(channels: u32, colour: ColorType) -> Vec<u8> {
    let samples: Vec<u8> = codes(channels).iter().map(|code| (code >> 8) as u8).collect();
    let mut bytes = Vec::new();
    let encoder = WebPEncoder::new(&mut bytes);
    encoder.encode(&samples, SIZE.0, SIZE.1, colour).expect("memory has room");
    bytes
}
