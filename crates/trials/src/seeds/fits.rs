//! FITS files of the kinds of numbers that are read.

use super::made::{PIXELS, SIZE, Seed, codes, light};

/// Bytes of a block; headers and data fill whole blocks.
const BLOCK: usize = 2880;

pub fn seeds() -> Vec<Seed> {
    let bytes = codes(1).iter().map(|code| (code >> 8) as u8).collect();
    let words = planes(codes(3)).flat_map(|code| ((code ^ 0x8000) as i16).to_be_bytes());
    let floats = planes(light()).flat_map(f32::to_be_bytes);
    let doubles = planes(light()).flat_map(|v| f64::from(v).to_be_bytes());
    let all = [
        ("bytes", made(8, 1, bytes)),
        ("words", made(16, 3, words.collect())),
        ("floats", made(-32, 3, floats.collect())),
        ("doubles", made(-64, 3, doubles.collect())),
    ];
    all.map(|(name, bytes)| Seed { name, bytes, guarded: 0..0, ending: "fits" }).into()
}

/// Interleaved samples plane by plane.
fn planes<T: Copy>(samples: Vec<T>) -> impl Iterator<Item = T> {
    (0..PIXELS * 3).map(move |i| samples[i % PIXELS * 3 + i / PIXELS])
}

fn made(bits: i32, planes: u32, data: Vec<u8>) -> Vec<u8> {
    let mut cards = vec![
        ("SIMPLE", "T".to_owned()),
        ("BITPIX", bits.to_string()),
        ("NAXIS", if planes == 1 { "2" } else { "3" }.to_owned()),
        ("NAXIS1", SIZE.0.to_string()),
        ("NAXIS2", SIZE.1.to_string()),
    ];
    if planes > 1 {
        cards.push(("NAXIS3", planes.to_string()));
    }
    if bits == 16 {
        cards.extend([("BSCALE", "1".to_owned()), ("BZERO", "32768".to_owned())]);
    }
    cards.push(("EXPTIME", "8.0".to_owned()));
    let card = |(key, value): (&str, String)| format!("{:80}", format!("{key:8}= {value:>20}"));
    let mut bytes: Vec<u8> = cards.into_iter().map(card).collect::<String>().into_bytes();
    bytes.extend(format!("{:80}", "END").bytes());
    bytes.resize(bytes.len().next_multiple_of(BLOCK), b' ');
    bytes.extend(data);
    bytes.resize(bytes.len().next_multiple_of(BLOCK), 0);
    bytes
}
