//! Checks that a JPEG file is complete, by reading its data code by code without making a picture.
//!
//! Decoders go on over damaged data, with wrong colours. Damage shows by codes that do not exist,
//! data that end before the last block or go on after it, restart markers out of order, impossible
//! levels, and a missing end of image. Sequential and progressive files with Huffman codes are
//! checked (ITU-T T.81, annexes F and G).

use super::bits::{Bits, Codes};

/// Number of zero bytes in a row that mark a lost stretch in a damaged file.
const LOST: usize = 24;
/// Largest level of a block's mean against middle grey, times 8, that an encoder can write.
const MOST_LEVEL: i32 = 2048;

/// Most bits of a coefficient.
const MOST_BITS: u8 = 11;

/// The damage of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Damage {
    /// What is wrong, as half a sentence.
    pub what: &'static str,
    /// Rows from the top that come before the damage; `None` if all may be spoiled.
    pub good: Option<u32>,
    /// Whether exactly those rows are good; otherwise fewer may be.
    pub certain: bool,
    /// Rows of the picture.
    pub height: u32,
}

/// One colour component of a frame.
#[derive(Clone)]
struct Component {
    id: u8,
    /// Blocks of each unit across and down, as in the frame's header.
    across: usize,
    down: usize,
    /// Index of its quantisation table.
    quantised_by: usize,
    /// Size in blocks if it is the only component of a scan.
    blocks: (usize, usize),
    /// Width in blocks with those that complete the last unit.
    width: usize,
    /// For progressive files, the nonzero coefficients of each block, as bits.
    set: Vec<u64>,
    /// Whether a scan has contained it.
    scanned: bool,
}

struct Frame {
    progressive: bool,
    height: u32,
    components: Vec<Component>,
    /// Units across and down, and the height of one in pixels.
    units: (usize, usize),
    unit_height: u32,
}

/// What a scan holds.
struct Scan {
    /// Its components, each with the indices of its tables for first and other coefficients.
    components: Vec<(usize, usize, usize)>,
    /// First and last coefficient.
    band: (usize, usize),
    /// Bits of precision that earlier scans contained, and that this one leaves out.
    bits: (u32, u32),
}

/// Reads a file to its end.
#[derive(Default)]
struct Reader {
    /// First levels of the quantisation tables.
    steps: [i32; 4],
    first: [Option<Codes>; 4],
    others: [Option<Codes>; 4],
    restart: usize,
    frame: Option<Frame>,
}

/// Checks that a file is complete. Files that are not JPEG of a kind that is checked here are left
/// to the decoder to refuse.
///
/// # Errors
/// The first damage.
pub fn check(bytes: &[u8]) -> Result<(), Damage> {
    let mut reader = Reader::default();
    let mut at = 2;
    loop {
        // Any number of 0xff may precede a marker.
        while bytes.get(at) == Some(&0xff) && bytes.get(at + 1) == Some(&0xff) {
            at += 1;
        }
        let Some(&[0xff, marker]) = bytes.get(at..at + 2) else {
            return Err(reader.cut("it ends before its end-of-image marker"));
        };
        at += 2;
        match marker {
            0xd9 => return reader.ended(),
            0x01 | 0xd0..=0xd7 => continue,
            _ => {}
        }
        let length = bytes.get(at..at + 2).map(|b| usize::from(u16::from_be_bytes([b[0], b[1]])));
        let segment =
            length.filter(|length| *length >= 2).and_then(|length| bytes.get(at + 2..at + length));
        let Some(segment) = segment else {
            return Err(reader.cut("it ends within its header"));
        };
        at += segment.len() + 2;
        let understood = match marker {
            0xdb => reader.quantisation(segment),
            0xc4 => reader.huffman(segment),
            0xdd => segment.first_chunk().map(|b| {
                reader.restart = u16::from_be_bytes(*b).into();
            }),
            0xc0..=0xc2 => reader.begin(segment, marker == 0xc2),
            0xda => {
                let Some(scan) = reader.scan(segment) else { return Ok(()) };
                at = reader.walk(&scan, bytes, at)?;
                Some(())
            }
            // Arithmetic codes, lossless and hierarchical files are left to the decoder.
            0xc3 | 0xc5..=0xc7 | 0xc9..=0xcb | 0xcd..=0xcf => None,
            _ => Some(()),
        };
        if understood.is_none() {
            return Ok(());
        }
    }
}

impl Reader {
    fn quantisation(&mut self, mut segment: &[u8]) -> Option<()> {
        while let [kind, rest @ ..] = segment {
            let (two_bytes, table) = (kind >> 4 != 0, usize::from(kind & 15));
            let step = match two_bytes {
                true => i32::from(u16::from_be_bytes(*rest.first_chunk()?)),
                false => i32::from(*rest.first()?),
            };
            *self.steps.get_mut(table)? = step;
            segment = rest.get(if two_bytes { 128 } else { 64 }..)?;
        }
        Some(())
    }

    fn huffman(&mut self, mut segment: &[u8]) -> Option<()> {
        while let [kind, rest @ ..] = segment {
            let counts: &[u8; 16] = rest.first_chunk()?;
            let all: usize = counts.iter().map(|n| usize::from(*n)).sum();
            let codes = Codes::new(counts, rest.get(16..16 + all)?)?;
            let tables = if kind >> 4 == 0 { &mut self.first } else { &mut self.others };
            *tables.get_mut(usize::from(kind & 15))? = Some(codes);
            segment = &rest[16 + all..];
        }
        Some(())
    }

    /// Reads the header of the frame.
    fn begin(&mut self, segment: &[u8], progressive: bool) -> Option<()> {
        let &[8, h1, h0, w1, w0, count, ref rest @ ..] = segment else { return None };
        let height = u32::from(u16::from_be_bytes([h1, h0]));
        let width = u32::from(u16::from_be_bytes([w1, w0]));
        let parts = rest.as_chunks::<3>().0.get(..count.into())?;
        let most = |of: fn(&[u8; 3]) -> u8| parts.iter().map(of).max().unwrap_or(0);
        let (most_across, most_down) = (most(|part| part[1] >> 4), most(|part| part[1] & 15));
        let factors = parts.iter().flat_map(|part| [part[1] >> 4, part[1] & 15]);
        if height == 0 || width == 0 || factors.into_iter().any(|f| !(1..=4).contains(&f)) {
            return None;
        }
        let (unit_width, unit_height) = (8 * u32::from(most_across), 8 * u32::from(most_down));
        let units = (width.div_ceil(unit_width) as usize, height.div_ceil(unit_height) as usize);
        let component = |part: &[u8; 3]| {
            let (across, down) = (part[1] >> 4, part[1] & 15);
            let side = |size: u32, factor: u8, most: u8| {
                (size * u32::from(factor)).div_ceil(u32::from(most)).div_ceil(8) as usize
            };
            let (columns, rows) = (units.0 * usize::from(across), units.1 * usize::from(down));
            Component {
                id: part[0],
                across: across.into(),
                down: down.into(),
                quantised_by: part[2].into(),
                blocks: (side(width, across, most_across), side(height, down, most_down)),
                width: columns,
                set: vec![0; if progressive { columns * rows } else { 0 }],
                scanned: false,
            }
        };
        let components = parts.iter().map(component).collect();
        self.frame = Some(Frame { progressive, height, components, units, unit_height });
        Some(())
    }

    /// Reads the header of a scan.
    fn scan(&self, segment: &[u8]) -> Option<Scan> {
        let frame = self.frame.as_ref()?;
        let &[count, ref rest @ ..] = segment else { return None };
        let parts = rest.as_chunks::<2>().0.get(..count.into())?;
        let &[from, to, bits, ..] = rest.get(2 * usize::from(count)..)? else { return None };
        let component = |&[id, tables]: &[u8; 2]| {
            let place = frame.components.iter().position(|component| component.id == id)?;
            Some((place, usize::from(tables >> 4) & 3, usize::from(tables) & 3))
        };
        let components = parts.iter().map(component).collect::<Option<Vec<_>>>()?;
        let band = match frame.progressive {
            true => (usize::from(from), usize::from(to).min(63)),
            false => (0, 63),
        };
        let bits = match frame.progressive {
            true => (u32::from(bits >> 4), u32::from(bits & 15)),
            false => (0, 0),
        };
        (!components.is_empty()).then_some(Scan { components, band, bits })
    }

    fn cut(&self, what: &'static str) -> Damage {
        let Some(frame) = &self.frame else {
            return Damage { what, good: None, certain: true, height: 0 };
        };
        // The last row of units may lack its last bits; missing scans of a progressive file may
        // affect all rows.
        let whole =
            frame.components.iter().all(|component| component.scanned) && !frame.progressive;
        let good = whole.then(|| (frame.units.1 as u32 - 1) * frame.unit_height);
        Damage { what, good, certain: true, height: frame.height }
    }

    fn ended(&self) -> Result<(), Damage> {
        match &self.frame {
            Some(frame) if frame.components.iter().all(|component| component.scanned) => Ok(()),
            _ => Err(self.cut("there is no picture between its header and its end")),
        }
    }

    /// Checks the data of a scan from a position in the file on; returns the position of the marker
    /// behind them.
    fn walk(&mut self, scan: &Scan, bytes: &[u8], begin: usize) -> Result<usize, Damage> {
        let Self { steps, first, others, restart, frame: Some(frame) } = self else {
            return Ok(begin);
        };
        let alone = match scan.components[..] {
            [(place, ..)] => Some(frame.components[place].blocks),
            _ => None,
        };
        let (across, down) = alone.unwrap_or(frame.units);
        let (height, row_count) = (frame.height, frame.height.div_ceil(down as u32));
        let row_height = if alone.is_some() { row_count } else { frame.unit_height };
        let mut bits = Bits::new(bytes, begin);
        let mut state = State::default();
        // Positions where the data of each row of units begin.
        let mut rows: Vec<usize> = vec![];
        // If a scan is missing, or this one affects other rows' colours too, no row is known to be
        // good.
        let others_miss = alone.is_some() && frame.components.len() > 1;
        let at_once = !frame.progressive && !others_miss;
        let damaged = |what, unit: usize, rows: &[usize], exact: bool, end: usize| {
            let lost = lost(&bytes[begin..end]).map(|at| begin + at);
            let whole = match lost {
                Some(lost) => rows.iter().skip(1).take_while(|row| **row <= lost).count(),
                None => unit / across,
            };
            let good = at_once.then(|| (whole as u32 * row_height).min(height));
            Damage { what, good, certain: exact || lost.is_some(), height }
        };
        for unit in 0..across * down {
            if *restart > 0 && unit > 0 && unit.is_multiple_of(*restart) {
                let (left, marker) = bits.rest();
                let number = (unit / *restart - 1) as u8 % 8;
                let marker = marker + fillers(&bytes[marker..]);
                if left > 0 || bytes.get(marker..marker + 2) != Some(&[0xff, 0xd0 + number]) {
                    let what = "its data and their restart markers do not agree";
                    return Err(damaged(what, unit - *restart, &rows, false, marker));
                }
                bits = Bits::new(bytes, marker + 2);
                state = State::default();
            }
            if unit.is_multiple_of(across) {
                rows.push(bits.place());
            }
            for (number, &(place, one, other)) in scan.components.iter().enumerate() {
                let component = &mut frame.components[place];
                let tables = Tables { first: first[one].as_ref(), others: others[other].as_ref() };
                let step = steps.get(component.quantised_by).copied().unwrap_or(1);
                let (many_across, many_down) = match alone {
                    Some(_) => (1, 1),
                    None => (component.across, component.down),
                };
                for block in 0..many_across * many_down {
                    let x = (unit % across) * many_across + block % many_across;
                    let y = (unit / across) * many_down + block / many_across;
                    let mut none = 0;
                    let set = component.set.get_mut(y * component.width + x).unwrap_or(&mut none);
                    let read = match frame.progressive {
                        false => state.block(&mut bits, &tables, number, step),
                        true => state.part(&mut bits, &tables, scan, number, step, set),
                    };
                    if read.is_none() && !bits.is_beyond() {
                        let what = "its data hold what no picture is made of";
                        return Err(damaged(what, unit, &rows, false, bits.place()));
                    }
                }
            }
            if bits.is_beyond() {
                let what = "its data end before the last row";
                return Err(damaged(what, unit, &rows, true, bits.place()));
            }
        }
        let (left, end) = bits.rest();
        if left > 0 {
            let what = "its data go on after the last row";
            return Err(damaged(what, across * (down - 1), &rows, false, end));
        }
        if scan.band.0 == 0 && scan.bits.0 == 0 {
            scan.components.iter().for_each(|(place, ..)| frame.components[*place].scanned = true);
        }
        Ok(end)
    }
}

/// The tables of a component in a scan.
struct Tables<'a> {
    first: Option<&'a Codes>,
    others: Option<&'a Codes>,
}

/// State carried from one block to the next.
#[derive(Default)]
struct State {
    /// The last level of each component of the scan.
    levels: [i32; 4],
    /// Blocks from the next one on that have no further coefficients in this band.
    ended: u32,
}

impl State {
    /// Reads a level; `None` if it is impossible.
    fn level(&mut self, bits: &mut Bits, codes: &Codes, number: usize, step: i32) -> Option<()> {
        let category = bits.symbol(codes).filter(|category| *category <= 11)?;
        let level = self.levels.get_mut(number)?;
        *level += bits.signed(category.into());
        (level.saturating_mul(step).abs() <= MOST_LEVEL + step).then_some(())
    }

    /// Reads a block of a sequential scan.
    fn block(&mut self, bits: &mut Bits, tables: &Tables, number: usize, step: i32) -> Option<()> {
        self.level(bits, tables.first?, number, step)?;
        let codes = tables.others?;
        let mut place = 1;
        while place < 64 {
            match bits.pass(codes)? {
                0xf0 => place += 16,
                symbol if symbol & 15 == 0 => break,
                symbol => {
                    place += usize::from(symbol >> 4) + 1;
                    if place > 64 || symbol & 15 > MOST_BITS {
                        return None;
                    }
                }
            }
        }
        Some(())
    }

    /// Reads a block of a progressive scan; the bits of `set` are its nonzero coefficients.
    fn part(
        &mut self,
        bits: &mut Bits,
        tables: &Tables,
        scan: &Scan,
        number: usize,
        step: i32,
        set: &mut u64,
    ) -> Option<()> {
        match (scan.band, scan.bits) {
            ((0, _), (0, low)) => self.level(bits, tables.first?, number, step << low.min(13)),
            ((0, _), _) => {
                bits.take(1);
                Some(())
            }
            (band, (0, _)) => self.begun(bits, tables.others?, band, set),
            (band, _) => self.refined(bits, tables.others?, band, set),
        }
    }

    /// Reads the first bits of a band of coefficients.
    fn begun(
        &mut self,
        bits: &mut Bits,
        codes: &Codes,
        (from, to): (usize, usize),
        set: &mut u64,
    ) -> Option<()> {
        if self.ended > 0 {
            self.ended -= 1;
            return Some(());
        }
        let mut place = from;
        while place <= to {
            match bits.symbol(codes)? {
                0xf0 => place += 16,
                symbol if symbol & 15 == 0 => {
                    let run = u32::from(symbol >> 4);
                    self.ended = (1 << run) - 1 + bits.take(run);
                    break;
                }
                symbol => {
                    place += usize::from(symbol >> 4);
                    if place > to || symbol & 15 > MOST_BITS {
                        return None;
                    }
                    bits.take((symbol & 15).into());
                    *set |= 1 << place;
                    place += 1;
                }
            }
        }
        Some(())
    }

    /// Reads one more bit of a band of coefficients.
    fn refined(
        &mut self,
        bits: &mut Bits,
        codes: &Codes,
        (from, to): (usize, usize),
        set: &mut u64,
    ) -> Option<()> {
        let mut place = from;
        while self.ended == 0 && place <= to {
            let symbol = bits.symbol(codes)?;
            let (mut zeros, fresh) = (symbol >> 4, symbol & 15);
            match fresh {
                0 if zeros < 15 => {
                    self.ended = (1 << zeros) + bits.take(zeros.into());
                    break;
                }
                0 => {}
                1 => _ = bits.take(1),
                _ => return None,
            }
            // Coefficients that are nonzero already have one bit each in between.
            while place <= to {
                match *set >> place & 1 {
                    1 => _ = bits.take(1),
                    _ if zeros == 0 => break,
                    _ => zeros -= 1,
                }
                place += 1;
            }
            if fresh == 1 {
                if place > to {
                    return None;
                }
                *set |= 1 << place;
            }
            place += 1;
        }
        if self.ended > 0 {
            let rest = (place..=to).filter(|place| *set >> place & 1 == 1).count();
            for _ in 0..rest {
                bits.take(1);
            }
            self.ended -= 1;
        }
        Some(())
    }
}

/// Number of leading 0xff bytes that are padding.
fn fillers(bytes: &[u8]) -> usize {
    bytes.windows(2).take_while(|two| two == &[0xff, 0xff]).count()
}

/// Position of the first stretch of zeros long enough to be lost data.
fn lost(bytes: &[u8]) -> Option<usize> {
    let mut zeros = 0;
    let end = bytes.iter().position(|byte| {
        zeros = if *byte == 0 { zeros + 1 } else { 0 };
        zeros == LOST
    })?;
    Some(end + 1 - LOST)
}
