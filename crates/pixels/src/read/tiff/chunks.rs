//! Rows of TIFFs in strips and tiles of any kind: unpacked, their predictor undone, their samples
//! reordered.

use super::form::{Form, Kind, Predictor};
use super::packing::Unpacker;
use crate::PictureError;
use crate::read::layout::widened;
use crate::read::rows::RowsOf;
use half::f16;
use std::fs::File;
use std::path::Path;

/// A type of output samples.
pub trait Given: Copy + Default {
    /// Calls `put` with the index and value of every sample of a row whose predictor was undone and
    /// whose bytes are in the machine's order.
    fn each(kind: Kind, row: &[u8], put: impl FnMut(usize, Self));

    /// The inverted value, for pictures stored as negatives.
    fn inverse(self) -> Self;
}

impl Given for u16 {
    fn each(kind: Kind, row: &[u8], mut put: impl FnMut(usize, Self)) {
        match kind {
            Kind::U8 => row.iter().enumerate().for_each(|(i, v)| put(i, widened(*v))),
            Kind::U16 => numbers(row).for_each(|(i, b)| put(i, u16::from_ne_bytes(b))),
            // A code has 16 bit; the lower half of 32 is dropped.
            Kind::U32 => {
                numbers(row).for_each(|(i, b)| put(i, (u32::from_ne_bytes(b) >> 16) as u16));
            }
            Kind::F16 | Kind::F32 | Kind::F64 => {}
        }
    }

    fn inverse(self) -> Self {
        u16::MAX - self
    }
}

impl Given for f32 {
    fn each(kind: Kind, row: &[u8], mut put: impl FnMut(usize, Self)) {
        match kind {
            Kind::F16 => numbers(row).for_each(|(i, b)| put(i, f16::from_ne_bytes(b).to_f32())),
            Kind::F32 => numbers(row).for_each(|(i, b)| put(i, f32::from_ne_bytes(b))),
            Kind::F64 => numbers(row).for_each(|(i, b)| put(i, f64::from_ne_bytes(b) as f32)),
            Kind::U8 | Kind::U16 | Kind::U32 => {}
        }
    }

    fn inverse(self) -> Self {
        1.0 - self
    }
}

/// The numbers of a row, with their indices.
fn numbers<const N: usize>(row: &[u8]) -> impl Iterator<Item = (usize, [u8; N])> + '_ {
    row.as_chunks::<N>().0.iter().copied().enumerate()
}

/// Bytes that [`rows`] takes at most besides its output.
pub fn decoding_bytes(form: &Form) -> u64 {
    let packed = form.places.iter().map(|(_, length)| *length).max().unwrap_or(0);
    let unpacked = form.row_bytes() as u64 * u64::from(form.chunk.1);
    let band = u64::from(form.width) * u64::from(form.chunk.1.min(form.height)) * 12;
    packed + unpacked + band
}

/// Calls `rows` with the rows of each row of strips or tiles, as red, green and blue.
///
/// # Errors
/// [`PictureError`] of the file, or what `rows` returned.
pub fn rows<T: Given>(
    path: &Path,
    file: &File,
    form: &Form,
    rows: RowsOf<T>,
) -> Result<(), PictureError> {
    let (width, height) = (form.width as usize, form.height);
    let (columns, row_count) = form.chunk;
    let across = form.width.div_ceil(columns) as usize;
    let plane = across * height.div_ceil(row_count) as usize;
    let planes = form.places.len() / plane;
    let row_bytes = form.row_bytes();
    let (mut unpacker, mut unpacked) = (Unpacker::default(), vec![]);
    let mut band = vec![T::default(); width * 3 * row_count.min(height) as usize];
    for (down, y) in (0..height).step_by(row_count as usize).enumerate() {
        let some = row_count.min(height - y) as usize;
        let band = &mut band[..width * 3 * some];
        for column in 0..across {
            let left = column * columns as usize;
            let inside = (columns as usize).min(width - left);
            for colour in 0..planes {
                let place = form.places[colour * plane + down * across + column];
                // A last strip may end with the picture; tiles are always complete.
                let held = if form.tiled { row_count as usize } else { some };
                unpacked.resize(row_bytes * held, 0);
                unpacker.unpack(path, file, form, place, &mut unpacked)?;
                let lines =
                    unpacked.chunks_exact_mut(row_bytes).zip(band.chunks_exact_mut(width * 3));
                for (line, out) in lines {
                    undo(form, line);
                    put(form, line, colour, &mut out[left * 3..(left + inside) * 3]);
                }
            }
        }
        rows(y, band)?;
    }
    Ok(())
}

/// Writes the samples of a row of a strip or tile, or those of one colour, to their places in the
/// output.
fn put<T: Given>(form: &Form, line: &[u8], colour: usize, out: &mut [T]) {
    use crate::read::layout::Layout;
    let value_of = |value: T| if form.inverted { value.inverse() } else { value };
    let pixels = out.len() / 3;
    let stride = form.together();
    if let (Layout::Rgb { stride: 3 }, false) = (form.layout, form.apart) {
        let count = out.len();
        return T::each(form.kind, line, |i, value| {
            if i < count {
                out[i] = value_of(value);
            }
        });
    }
    T::each(form.kind, line, |i, value| {
        let (pixel, channel) = (i / stride, i % stride);
        if pixel >= pixels {
            return;
        }
        match form.layout {
            Layout::Grey { .. } if channel == 0 => {
                out[pixel * 3..pixel * 3 + 3].fill(value_of(value))
            }
            Layout::Rgb { .. } if form.apart => out[pixel * 3 + colour] = value_of(value),
            Layout::Rgb { .. } if channel < 3 => out[pixel * 3 + channel] = value_of(value),
            _ => {}
        }
    });
}

/// Undoes the predictor of a row, whose numbers stand in the machine's own order afterwards.
fn undo(form: &Form, row: &mut [u8]) {
    let (bytes, stride) = (form.kind.bytes(), form.together());
    if form.predictor == Predictor::Floats {
        return undo_floats(row, bytes, stride);
    }
    if form.big_endian != cfg!(target_endian = "big") && bytes > 1 {
        row.chunks_exact_mut(bytes).for_each(<[u8]>::reverse);
    }
    if form.predictor == Predictor::Differences {
        match bytes {
            1 => add::<1>(row, stride, |a, b| [a[0].wrapping_add(b[0])]),
            2 => add(row, stride, |a, b| {
                u16::from_ne_bytes(a).wrapping_add(u16::from_ne_bytes(b)).to_ne_bytes()
            }),
            4 => add(row, stride, |a, b| {
                u32::from_ne_bytes(a).wrapping_add(u32::from_ne_bytes(b)).to_ne_bytes()
            }),
            _ => add(row, stride, |a, b| {
                u64::from_ne_bytes(a).wrapping_add(u64::from_ne_bytes(b)).to_ne_bytes()
            }),
        }
    }
}

/// Adds to each number the one `stride` before it.
fn add<const N: usize>(row: &mut [u8], stride: usize, sum: impl Fn([u8; N], [u8; N]) -> [u8; N]) {
    let numbers = row.as_chunks_mut::<N>().0;
    for i in stride..numbers.len() {
        numbers[i] = sum(numbers[i], numbers[i - stride]);
    }
}

/// Undoes the predictor for floating-point numbers (TIFF Technical Note 3): bytes are differences, and
/// stand in the order of their weight.
fn undo_floats(row: &mut [u8], bytes: usize, stride: usize) {
    for i in stride..row.len() {
        row[i] = row[i].wrapping_add(row[i - stride]);
    }
    let by_weight = row.to_vec();
    let count = row.len() / bytes;
    for (i, number) in row.chunks_exact_mut(bytes).enumerate() {
        for (weight, byte) in number.iter_mut().enumerate() {
            *byte = by_weight[weight * count + i];
        }
        if cfg!(target_endian = "little") {
            number.reverse();
        }
    }
}
