//! Reads bits of entropy-coded data and Huffman codes (ITU-T T.81, annexes C and F).

/// Bits that index the table of short codes.
const LOOK: u32 = 10;

/// A Huffman table: the symbol of each code.
pub struct Codes {
    /// For each value of [`LOOK`] bits, the length and symbol of the code that it begins with;
    /// length 0 if the code is longer.
    short: Vec<(u8, u8)>,
    /// For each length, one more than its last code, shifted to 16 bits, and the offset from a code
    /// to the index of its symbol.
    ends: [(u32, i32); 17],
    symbols: Vec<u8>,
}

impl Codes {
    /// A table from the number of codes of each length from 1 to 16, and their symbols in order;
    /// `None` if there are more codes than fit.
    pub fn new(counts: &[u8; 16], symbols: &[u8]) -> Option<Self> {
        let mut short = vec![(0u8, 0u8); 1 << LOOK];
        let mut ends = [(0u32, 0i32); 17];
        let (mut code, mut place) = (0u32, 0usize);
        for length in 1..=16u32 {
            let count = counts[length as usize - 1] as usize;
            ends[length as usize].1 = place as i32 - code as i32;
            for _ in 0..count {
                let symbol = *symbols.get(place)?;
                if code >= 1 << length {
                    return None;
                }
                if length <= LOOK {
                    let first = (code << (LOOK - length)) as usize;
                    short[first..first + (1 << (LOOK - length))].fill((length as u8, symbol));
                }
                code += 1;
                place += 1;
            }
            ends[length as usize].0 = code << (16 - length);
            code <<= 1;
        }
        Some(Self { short, ends, symbols: symbols.to_vec() })
    }
}

/// Reads the bits of one stretch of entropy-coded data, up to the next marker.
pub struct Bits<'a> {
    bytes: &'a [u8],
    /// Position of the next byte.
    at: usize,
    /// The buffered bits, the first one on top.
    held: u64,
    count: u32,
    /// Zero bits that were supplied beyond the end of the data.
    beyond: u32,
}

impl<'a> Bits<'a> {
    /// Reads the data from a position in a file on.
    pub fn new(bytes: &'a [u8], at: usize) -> Self {
        Self { bytes, at, held: 0, count: 0, beyond: 0 }
    }

    #[inline]
    fn fill(&mut self) {
        // Mostly the next eight bytes are data without a 0xff among them.
        if let Some(next) = self.bytes.get(self.at..).and_then(|rest| rest.first_chunk()) {
            let next = u64::from_be_bytes(*next);
            let (low, high) = (0x0101_0101_0101_0101, 0x8080_8080_8080_8080);
            let has_marker = (!next).wrapping_sub(low) & next & high != 0;
            if !has_marker {
                let bytes = (64 - self.count) / 8;
                let kept = next & (u64::MAX << (64 - 8 * bytes));
                self.held |= kept >> self.count;
                self.count += 8 * bytes;
                self.at += bytes as usize;
                return;
            }
        }
        self.fill_slowly();
    }

    fn fill_slowly(&mut self) {
        while self.count <= 56 {
            let byte = match self.bytes.get(self.at) {
                // The byte after 0xff says whether it is data or a marker.
                Some(0xff) if self.bytes.get(self.at + 1) == Some(&0) => {
                    self.at += 2;
                    0xff
                }
                Some(0xff) | None => {
                    self.beyond += 8;
                    0
                }
                Some(&byte) => {
                    self.at += 1;
                    byte
                }
            };
            self.held |= u64::from(byte) << (56 - self.count);
            self.count += 8;
        }
    }

    #[inline]
    fn skip(&mut self, count: u32) {
        self.held <<= count;
        self.count -= count;
    }

    /// The next `count` bits as a number, at most 16.
    #[inline]
    pub fn take(&mut self, count: u32) -> u32 {
        if count == 0 {
            return 0;
        }
        if self.count < count {
            self.fill();
        }
        let value = (self.held >> (64 - count)) as u32;
        self.skip(count);
        value
    }

    /// The next number of a category of magnitude (T.81, F.2.2.1).
    #[inline]
    pub fn signed(&mut self, category: u32) -> i32 {
        let value = self.take(category) as i32;
        match category {
            0 => 0,
            _ if value < 1 << (category - 1) => value - (1 << category) + 1,
            _ => value,
        }
    }

    /// The symbol of the next code; `None` if there is no such code.
    #[inline]
    pub fn symbol(&mut self, codes: &Codes) -> Option<u8> {
        if self.count < 16 {
            self.fill();
        }
        let (length, symbol) = codes.short[(self.held >> (64 - LOOK)) as usize];
        if length != 0 {
            self.skip(length.into());
            return Some(symbol);
        }
        let next = (self.held >> 48) as u32;
        let length = (LOOK + 1..=16).find(|length| next < codes.ends[*length as usize].0)?;
        let place = (next >> (16 - length)) as i32 + codes.ends[length as usize].1;
        self.skip(length);
        codes.symbols.get(place as usize).copied()
    }

    /// Reads the next code and skips the bits that follow it, counted by its symbol's lower half;
    /// returns the symbol.
    #[inline]
    pub fn pass(&mut self, codes: &Codes) -> Option<u8> {
        if self.count < 32 {
            self.fill();
        }
        let (length, symbol) = codes.short[(self.held >> (64 - LOOK)) as usize];
        if length != 0 {
            self.skip(u32::from(length) + u32::from(symbol & 15));
            return Some(symbol);
        }
        let symbol = self.symbol(codes)?;
        self.take((symbol & 15).into());
        Some(symbol)
    }

    /// Whether bits beyond the end of the data were read.
    pub fn is_beyond(&self) -> bool {
        self.beyond > self.count
    }

    /// Position in the file of the next bit, or some bytes after it.
    pub fn place(&self) -> usize {
        self.at
    }

    /// Whole bytes of data left before the next marker, and the position of that marker or of the
    /// end of the file.
    pub fn rest(&self) -> (usize, usize) {
        let held = (self.count.saturating_sub(self.beyond) / 8) as usize;
        let (mut at, mut left) = (self.at, held);
        while let Some(byte) = self.bytes.get(at) {
            match (byte, self.bytes.get(at + 1)) {
                (0xff, Some(0)) => at += 2,
                (0xff, _) => break,
                _ => at += 1,
            }
            left += 1;
        }
        (left, at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_of_all_lengths_are_read_and_others_are_none() {
        // One code of each length: 0, 10, 110 ...
        let symbols: Vec<u8> = (1..=16).collect();
        let codes = Codes::new(&[1; 16], &symbols).unwrap();
        let mut bytes = vec![];
        let (mut held, mut count) = (0u32, 0);
        for length in 1..=16u32 {
            held = held << length | ((1 << length) - 2);
            count += length;
            while count >= 8 {
                let byte = (held >> (count - 8)) as u8;
                bytes.push(byte);
                if byte == 0xff {
                    bytes.push(0);
                }
                count -= 8;
                held &= (1 << count) - 1;
            }
        }
        let mut bits = Bits::new(&bytes, 0);
        for length in 1..=16 {
            assert_eq!(bits.symbol(&codes), Some(length));
        }
        let ones = [0xff, 0, 0xff, 0, 0xff, 0];
        assert_eq!(Bits::new(&ones, 0).symbol(&codes), None);
        assert!(Codes::new(&[3; 16], &[0; 48]).is_none());
    }

    #[test]
    fn numbers_are_signed_and_the_end_is_noticed() {
        let mut bits = Bits::new(&[0b0110_1000, 0xff, 0xd9], 0);
        assert_eq!((bits.signed(2), bits.signed(2), bits.signed(1)), (-2, 2, 1));
        assert!(!bits.is_beyond());
        assert_eq!((bits.take(3), bits.is_beyond()), (0, false));
        bits.take(1);
        assert!(bits.is_beyond());
    }

    #[test]
    fn what_is_left_before_a_marker_is_counted() {
        let mut bits = Bits::new(&[1, 2, 0xff, 0, 3, 4, 5, 6, 7, 8, 9, 0xff, 0xd9], 0);
        bits.take(8);
        assert_eq!(bits.rest(), (9, 11));
    }
}
