//! JPEGs with all layouts of coefficients.

use super::made::{SIZE, Seed, codes, saved};
use jade_pixels::facts::FileFormat;
use jade_pixels::write::Target;
use jpeg_encoder::{ColorType, Encoder, SamplingFactor};

pub fn seeds() -> Vec<Seed> {
    let all = [
        ("own", saved(Target::Jpeg { quality: 90 }, FileFormat::Jpeg)),
        ("quarter-colours", made(3, |encoder| encoder.set_sampling_factor(SamplingFactor::F_2_2))),
        ("progressive", made(3, |encoder| encoder.set_progressive(true))),
        ("restarts", made(3, |encoder| encoder.set_restart_interval(2))),
        ("grey", made(1, |_| ())),
        ("own-tables", made(3, |encoder| encoder.set_optimized_huffman_tables(true))),
    ];
    all.map(|(name, bytes)| Seed { name, bytes, guarded: 0..0, ending: "jpg" }).into()
}

fn made(channels: u32, set: impl FnOnce(&mut Encoder<&mut Vec<u8>>)) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, 80);
    set(&mut encoder);
    let samples: Vec<u8> = codes(channels).iter().map(|code| (code >> 8) as u8).collect();
    let colour = if channels == 1 { ColorType::Luma } else { ColorType::Rgb };
    let size = (SIZE.0 as u16, SIZE.1 as u16);
    encoder.encode(&samples, size.0, size.1, colour).expect("memory has room");
    bytes
}
