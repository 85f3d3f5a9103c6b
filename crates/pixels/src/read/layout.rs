//! The order of a source's samples.

/// Which channels of an interleaved source become red, green and blue.
#[derive(Debug, Clone, Copy)]
pub enum Layout {
    /// One channel for all three.
    Grey { stride: usize },
    /// The first three channels.
    Rgb { stride: usize },
}

impl Layout {
    /// Samples of one source pixel.
    pub fn stride(self) -> usize {
        match self {
            Self::Grey { stride } | Self::Rgb { stride } => stride,
        }
    }

    /// Appends the pixels of `source` as red, green, blue.
    pub fn append<T: Copy>(self, source: impl Iterator<Item = T>, out: &mut Vec<T>) {
        match self {
            Self::Rgb { stride: 3 } => out.extend(source),
            Self::Rgb { stride } => {
                out.extend(source.enumerate().filter(|(i, _)| i % stride < 3).map(|(_, v)| v));
            }
            Self::Grey { stride } => out.extend(source.step_by(stride).flat_map(|v| [v; 3])),
        }
    }

    /// [`Layout::append`] from 8-bit samples.
    pub fn append_bytes(self, source: &[u8], out: &mut Vec<u16>) {
        self.append(source.iter().map(|&v| widened(v)), out);
    }

    /// Writes the pixels of `source` as red, green, blue, each sample converted by `to`.
    pub fn put<T: Copy>(self, source: &[T], to: impl Fn(T) -> u16, out: &mut [u16]) {
        let pixels = out.as_chunks_mut::<3>().0.iter_mut();
        for (pixel, source) in pixels.zip(source.chunks_exact(self.stride())) {
            *pixel = match self {
                Self::Rgb { .. } => [to(source[0]), to(source[1]), to(source[2])],
                Self::Grey { .. } => [to(source[0]); 3],
            };
        }
    }
}

/// An 8-bit sample widened to 16 bit: 255 becomes 65535.
pub fn widened(v: u8) -> u16 {
    v as u16 * 257
}
