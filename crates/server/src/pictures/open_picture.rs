//! An open picture: tiles, patches, figures and histogram.

use super::derived::Derived;
use super::overlay::{Overlay, over, skyline};
use crate::skyline_seen::OpenSkyline;
use crate::types::{Histogram, PictureInfo};
use jade_align::noise::{self, PatchFigures};
use jade_align::sharpness::Sharpness;
use jade_combine::painting::PartlyThere;
use jade_frames::cache::MapKind;
use jade_frames::lens::{Corrected, Vignetting};
use jade_frames::{Decoding, Frame, TreatedLight};
use jade_optics::combined::Combined;
use jade_optics::lens::Geometry;
use jade_optics::light::{Light, interleaved};
use jade_optics::motion::Backward;
use jade_optics::resample::{self, Scale};
use jade_pixels::PictureError;
use jade_pixels::colour::{Encoding, shown_code, shown_codes};
use jade_pixels::tiled::{Region, TiledFile};
use std::sync::Arc;

/// Side of a tile that the browser asks for, in pixels.
const VIEW_TILE: u32 = 256;
/// Factor by which colours are exaggerated, to check them.
const COLOURS: f32 = 4.0;
/// Steps of brightness in a histogram.
const BINS: usize = 64;
/// One row in this many is searched for clipped pixels.
const CLIP_ROWS: usize = 16;

/// How a picture is shown.
#[derive(Debug, Clone, Copy, Default)]
pub struct How {
    /// Exposure steps by which it is shown brighter.
    pub stops: f32,
    /// Whether colours are exaggerated, to check them.
    pub colours: bool,
    /// How a skyline is overlaid.
    pub overlay: Overlay,
    /// The only frame whose part of a depth map is shown: its index among the merged frames, in
    /// order.
    pub only: Option<u16>,
}

/// Levels of a picture, full size first.
pub(super) enum Levels {
    /// A frame of codes, and its smaller levels.
    Frame(Box<Frame>, Vec<TiledFile<u16>>),
    /// A frame of floating-point numbers.
    Light(Box<Frame>, Vec<TiledFile<f32>>),
    /// Light of a result, or of a frame placed on the reference frame.
    Result(Combined, Vec<TiledFile<f32>>),
    /// A skyline.
    Skyline(Arc<OpenSkyline>),
    /// A map, and the largest count in it.
    Map(Vec<TiledFile<u16>>, MapKind, u16),
    /// A picture derived from other pictures.
    Derived(Box<dyn Derived>),
}

/// A picture that is open for showing and measuring.
pub struct OpenPicture {
    pub(super) levels: Levels,
    pub(super) encoding: Encoding,
    pub(super) version: String,
    pub(super) origin: [u32; 2],
}

/// Reads a region of a level by a decoding.
type Read<'a> = &'a (dyn Fn(&Decoding, Region, [&mut [f32]; 3]) -> Result<(), PictureError> + Sync);

/// A level of a frame under its treatment.
struct Level<'a> {
    frame: &'a Frame,
    decoding: &'a Decoding,
    size: (u32, u32),
    halved: usize,
    read: Read<'a>,
    lens: Option<Geometry>,
    shade: Option<Vignetting>,
}

impl<'a> Level<'a> {
    fn of(frame: &'a Frame, size: (u32, u32), halved: usize, read: Read<'a>) -> Self {
        let lens = frame.lens_plan();
        let (lens, shade) = (lens.geometry(size), Vignetting::of(&lens, size));
        Self { frame, decoding: frame.decoding(), size, halved, read, lens, shade }
    }

    /// Whether the treatment reads neighbours of a pixel.
    fn is_treated(&self) -> bool {
        self.frame.denoiser().is_some() || self.lens.is_some() || self.shade.is_some()
    }
}

impl Light for Level<'_> {
    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn lens(&self) -> Option<&Geometry> {
        self.lens.as_ref()
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let fill = |region: Region, planes: [&mut [f32]; 3], stride: usize| {
            let width = region.width as usize;
            if stride == width {
                return (self.read)(self.decoding, region, planes);
            }
            let mut whole = [(); 3].map(|()| vec![0.0; region.area()]);
            (self.read)(self.decoding, region, whole.each_mut().map(Vec::as_mut_slice))?;
            for (from, to) in whole.iter().zip(planes) {
                for (from, to) in from.chunks_exact(width).zip(to.chunks_mut(stride)) {
                    to[..width].copy_from_slice(from);
                }
            }
            Ok(())
        };
        let Self { frame, size, halved, shade, .. } = self;
        let (denoiser, shade) = (frame.denoiser(), shade.as_ref());
        let cleaned = TreatedLight { denoiser, shade, size: *size, halved: *halved };
        cleaned.fill(region, planes, stride, &fill)
    }
}

impl OpenPicture {
    /// The picture's size and place.
    pub fn info(&self, source: &str) -> PictureInfo {
        let (width, height) = self.level_size(0);
        PictureInfo {
            source: source.to_owned(),
            version: self.version.clone(),
            width,
            height,
            levels: self.count() as u32,
            origin: self.origin,
        }
    }

    /// Changes with the pixels of the source's picture.
    pub fn version(&self) -> &str {
        &self.version
    }

    /// The levels of light; `None` for maps and skylines.
    fn light(&self) -> Option<&dyn Light> {
        match &self.levels {
            Levels::Frame(frame, _) | Levels::Light(frame, _) => Some(frame.as_ref()),
            Levels::Result(result, _) => Some(result),
            Levels::Map(..) | Levels::Skyline(_) | Levels::Derived(_) => None,
        }
    }

    pub(super) fn count(&self) -> usize {
        match &self.levels {
            Levels::Frame(_, smaller) => smaller.len() + 1,
            Levels::Light(_, levels) | Levels::Result(_, levels) => levels.len(),
            Levels::Map(levels, ..) => levels.len(),
            Levels::Derived(derived) => derived.count(),
            Levels::Skyline(open) => open.levels.len(),
        }
    }

    /// Size of a level in pixels.
    pub(super) fn level_size(&self, level: usize) -> (u32, u32) {
        match &self.levels {
            Levels::Frame(frame, _) if level == 0 => frame.size(),
            Levels::Frame(_, smaller) => (smaller[level - 1].width(), smaller[level - 1].height()),
            Levels::Light(_, levels) | Levels::Result(_, levels) => {
                (levels[level].width(), levels[level].height())
            }
            Levels::Map(levels, ..) => (levels[level].width(), levels[level].height()),
            Levels::Skyline(open) => open.levels[level].size(),
            Levels::Derived(derived) => derived.level_size(level),
        }
    }

    /// A region of a level as interleaved 8-bit sRGB. Overlays have a fourth channel: their
    /// opacity.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn render(&self, level: usize, region: Region, how: How) -> Result<Vec<u8>, PictureError> {
        if let Levels::Map(levels, map, most) = &self.levels {
            let counts = levels[level].read_region(region)?;
            let counts = counts.chunks_exact(levels[level].channels()).map(|c| c[0]);
            let pixels = 4f32.powi(level as i32);
            return Ok(counts.flat_map(|n| over(*map, n, pixels, *most, how.only)).collect());
        }
        if let Levels::Skyline(open) = &self.levels {
            return Ok(skyline(open, level, region, how.overlay));
        }
        let strength = if how.colours { COLOURS } else { 1.0 };
        Ok(shown_codes(&self.light_of(level, region)?, how.stops.exp2(), strength))
    }

    /// Light of this picture, turned to sRGB's primaries.
    fn turned(&self, mut light: Vec<[f32; 3]>) -> Vec<[f32; 3]> {
        self.encoding.turn_to_srgb(&mut light);
        light
    }

    /// Codes of a region of a frame's level.
    fn codes(&self, level: usize, region: Region) -> Result<Vec<u16>, PictureError> {
        match (&self.levels, level) {
            (Levels::Frame(frame, _), 0) => {
                let mut codes = Vec::new();
                frame.read_codes(region, &mut codes).map(|()| codes)
            }
            (Levels::Frame(_, smaller), _) => smaller[level - 1].read_region(region),
            _ => Ok(vec![]),
        }
    }

    /// Calls `work` with a frame's level as light; `None` for pictures that are not frames.
    fn with_level<T>(&self, level: usize, work: impl FnOnce(&Frame, &Level) -> T) -> Option<T> {
        let size = self.level_size(level);
        match &self.levels {
            Levels::Frame(frame, _) => {
                let read = |decoding: &Decoding, region: Region, planes: [&mut [f32]; 3]| {
                    decoding.pixels(&self.codes(level, region)?, planes);
                    Ok(())
                };
                Some(work(frame, &Level::of(frame, size, level, &read)))
            }
            Levels::Light(frame, levels) => {
                let read = |decoding: &Decoding, region: Region, planes: [&mut [f32]; 3]| {
                    decoding.apart(&levels[level].read_region(region)?, planes);
                    Ok(())
                };
                Some(work(frame, &Level::of(frame, size, level, &read)))
            }
            _ => None,
        }
    }

    /// Linear light of a region of a level in sRGB's primaries, under the frame's treatment.
    pub(super) fn light_of(
        &self,
        level: usize,
        region: Region,
    ) -> Result<Vec<[f32; 3]>, PictureError> {
        let treated = self.with_level(level, |frame, halved| {
            // At full size a frame is shown exactly as a run reads it.
            let light: &dyn Light = if level == 0 { frame } else { halved };
            halved.is_treated().then(|| Corrected(light).planes(region))
        });
        let light = match (treated.flatten(), &self.levels) {
            (Some(planes), _) => interleaved(&planes?),
            (None, Levels::Frame(frame, _)) => frame.decoding().light(&self.codes(level, region)?),
            (None, Levels::Light(frame, levels)) => {
                let samples = levels[level].read_region(region)?;
                let mut light = samples.as_chunks::<3>().0.to_vec();
                frame.decoding().mix_pixels(&mut light);
                light
            }
            (None, Levels::Result(_, levels)) => {
                levels[level].read_region(region)?.as_chunks::<3>().0.to_vec()
            }
            (None, Levels::Derived(derived)) => return derived.light_of(level, region),
            (None, Levels::Map(..) | Levels::Skyline(_)) => vec![],
        };
        Ok(self.turned(light))
    }

    /// A region of a level of another picture, read from a frame as it lies on the reference frame.
    /// `backward` leads from the reference frame to the frame, both at full size; the picture
    /// begins at `origin` in the reference frame.
    pub(super) fn placed(
        &self,
        level: usize,
        region: Region,
        backward: &Backward,
        origin: [u32; 2],
    ) -> Result<PartlyThere, PictureError> {
        let scale = Scale { factor: 2f64.powi(level as i32), origin };
        let placed = self.with_level(level, |frame, halved| {
            let light: &dyn Light = if level == 0 { frame } else { halved };
            let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
            let slices = planes.each_mut().map(Vec::as_mut_slice);
            let mut scratch = resample::Scratch::default();
            let covered =
                resample::read_small(light, backward, scale, region, slices, &mut scratch)?;
            Ok((self.turned(interleaved(&planes)), covered))
        });
        placed.unwrap_or_else(|| Ok((vec![], None)))
    }

    /// Sharpness of a frame around a position; `None` near its edges.
    pub fn sharp_around(&self, at: [f64; 2]) -> Result<Option<f32>, PictureError> {
        self.light().map_or(Ok(None), |light| Sharpness::around(light, at))
    }

    /// Number of pixels at each brightness, by colour, and shares of clipped pixels.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn histogram(&self) -> Result<Histogram, PictureError> {
        let whole = |(width, height)| Region { x: 0, y: 0, width, height };
        let mut bins = [(); 3].map(|()| vec![0u32; BINS]);
        let level = (0..self.count()).find(|&l| self.level_size(l).0 <= 1024);
        let level = level.unwrap_or(self.count() - 1);
        for light in self.light_of(level, whole(self.level_size(level)))? {
            for (bins, value) in bins.iter_mut().zip(light) {
                bins[usize::from(shown_code(value)) * BINS / 256] += 1;
            }
        }
        // Clipped pixels are counted at full size, because smaller levels average them away.
        let (width, height) = self.level_size(0);
        let (mut white, mut black, mut all) = (0u64, 0u64, 0u64);
        for y in (0..height).step_by(CLIP_ROWS) {
            for light in self.light_of(0, Region { x: 0, y, width, height: 1 })? {
                white += u64::from(light.iter().any(|v| *v >= 0.998));
                black += u64::from(light.iter().all(|v| *v <= 0.0));
                all += 1;
            }
        }
        let share = |count: u64| count as f32 / all.max(1) as f32;
        Ok(Histogram { bins, white: share(white), black: share(black) })
    }

    /// The view tile in a column and row of a level, as PNG; `None` outside the picture.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn tile(
        &self,
        level: u32,
        column: u32,
        row: u32,
        how: How,
    ) -> Result<Option<Vec<u8>>, PictureError> {
        if level as usize >= self.count() {
            return Ok(None);
        }
        let (width, height) = self.level_size(level as usize);
        let (Some(x), Some(y)) = (column.checked_mul(VIEW_TILE), row.checked_mul(VIEW_TILE)) else {
            return Ok(None);
        };
        if x >= width || y >= height {
            return Ok(None);
        }
        let region =
            Region { x, y, width: VIEW_TILE.min(width - x), height: VIEW_TILE.min(height - y) };
        let pixels = self.render(level as usize, region, how)?;
        Ok(Some(png(region.width, region.height, &pixels)))
    }

    /// A square of the reference frame's pixels as PNG, for showing enlarged.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn patch(
        &self,
        x: u32,
        y: u32,
        size: u32,
        how: How,
    ) -> Result<Option<Vec<u8>>, PictureError> {
        let Some(region) = self.region_of(x, y, size) else { return Ok(None) };
        let rgb = self.render(0, region, how)?;
        Ok(Some(png(region.width, region.height, &rgb)))
    }

    /// Figures of a square of the reference frame's pixels.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn measure(&self, x: u32, y: u32, size: u32) -> Result<Option<PatchFigures>, PictureError> {
        match (self.region_of(x, y, size), self.light()) {
            (Some(region), Some(light)) => {
                // Corrected pixels are interpolated from several of the frame's, so the figures are
                // taken from uncorrected pixels of the same place.
                let region = match light.lens() {
                    Some(lens) => lens.shifted(region, light.size()),
                    None => region,
                };
                noise::measure(light, region).map(Some)
            }
            _ => Ok(None),
        }
    }

    /// The whole square in this picture's pixels, if the square lies inside.
    fn region_of(&self, x: u32, y: u32, size: u32) -> Option<Region> {
        let (width, height) = self.level_size(0);
        let (x, y) = (x.checked_sub(self.origin[0])?, y.checked_sub(self.origin[1])?);
        let inside = x.checked_add(size)? <= width && y.checked_add(size)? <= height;
        inside.then_some(Region { x, y, width: size, height: size })
    }

    /// A small picture as JPEG, at most 512 pixels wide.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn thumbnail(&self) -> Result<Vec<u8>, PictureError> {
        let level =
            (0..self.count()).find(|&l| self.level_size(l).0 <= 640).unwrap_or(self.count() - 1);
        let (width, height) = self.level_size(level);
        let rgb = self.render(level, Region { x: 0, y: 0, width, height }, How::default())?;
        Ok(jade_pixels::write::encode_jpeg(width as u16, height as u16, &rgb, 86))
    }
}

/// Encodes interleaved colour as PNG, with opacity where there is a fourth channel.
fn png(width: u32, height: u32, pixels: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, width, height);
    let covered = pixels.len() == width as usize * height as usize * 4;
    encoder.set_color(if covered { png::ColorType::Rgba } else { png::ColorType::Rgb });
    encoder.set_compression(png::Compression::Fastest);
    let mut writer = encoder.write_header().expect("writing to memory");
    writer.write_image_data(pixels).expect("the tile has its size");
    writer.finish().expect("writing to memory");
    out
}
