//! One frame: its header, its samples, and its light under its treatment.

mod lazy;
mod plain;
mod source;

use lazy::Lazy;
pub use plain::Plain;
use source::Source;

use crate::band::develop;
use crate::cache::{Cache, Key};
use crate::colour::Mix;
use crate::decoding::{Decoding, middle};
use crate::denoise::{Denoiser, Grain};
use crate::input::FrameInput;
use crate::lens::realign::Realign;
use crate::lens::vignetting::Vignetting;
use crate::light_codes;
use crate::samples::Samples;
use crate::shape::Shape;
use crate::treated::TreatedLight;
use jade_optics::lens::Geometry;
use jade_optics::light::{Ahead, Light, Planes, Rows};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Facts, FileFormat};
use jade_pixels::read::{InPlace, PictureFile, Rows as CodeRows};
use jade_pixels::tiled::{Region, RowWriter, TiledFile};
use jade_plan::{CoreError, Denoise, LensPlan};

/// A frame: its header, and its samples once they are decoded.
pub struct Frame {
    /// The name it is reported under.
    pub name: String,
    /// Facts from the file.
    pub facts: Facts,
    /// The encoding of a result of such frames, which also names the primaries of its light.
    pub encoding: Encoding,
    size: (u32, u32),
    decoding: Decoding,
    /// Aligns its colours before they are mixed, with the decoding without mixing.
    realign: Option<(Realign, Decoding)>,
    source: Source,
    denoiser: Option<Denoiser>,
    lens_plan: LensPlan,
    lens: Option<Geometry>,
    shade: Option<Vignetting>,
}

/// Takes codes of whole rows; an error stops decoding.
type TakeRows<'a> = &'a mut dyn FnMut(&[u16]) -> Result<(), PictureError>;
/// An error stops decoding.
type Watch<'a> = &'a mut dyn FnMut() -> Result<(), PictureError>;

impl Frame {
    /// Bytes of memory that a frame takes.
    pub fn bytes_in_memory(facts: &Facts) -> u64 {
        // Calibrated frames of floating-point numbers take half as much.
        match facts.float {
            true => Samples::<f32>::bytes_in_memory(facts.width, facts.height),
            false => Samples::<u16>::bytes_in_memory(facts.width, facts.height),
        }
    }

    /// Opens a frame in its own file if any part of that can be read, or in the cache, or decodes
    /// it into the cache. `watch` may stop it.
    ///
    /// # Errors
    /// [`CoreError::Picture`] when the file cannot be read.
    pub fn decode(input: &FrameInput, cache: &Cache, watch: Watch) -> Result<Self, CoreError> {
        let (frame, mut file) = Self::header(input)?;
        if let Some(place) = in_place(input, &mut file)? {
            return Self { source: Source::InPlace(place), ..frame }.denoised(input, Some(cache));
        }
        frame.stored(input, file, cache, &mut |_| watch())
    }

    /// Opens a frame for the screen. It is as from [`Frame::decode`], but where its file is decoded
    /// about as fast as its samples are written, they are written only when they are first read.
    ///
    /// If the frame has to be decoded, its codes are passed to `take`, whole rows from top to
    /// bottom; not for floating-point numbers, or where any part of the file can be read.
    ///
    /// # Errors
    /// As for [`Frame::decode`], and the error of `take`.
    pub fn shown(
        input: &FrameInput,
        cache: &Cache,
        take: Option<TakeRows>,
    ) -> Result<Self, CoreError> {
        let (frame, mut file) = Self::header(input)?;
        if let Some(place) = in_place(input, &mut file)? {
            return Self { source: Source::InPlace(place), ..frame }.denoised(input, Some(cache));
        }
        let path = cache.frame(&input.key());
        let quick = frame.facts.format == FileFormat::Jpeg;
        if Holds::of(input, &file) == Holds::Codes && quick && !path.exists() {
            if let Some(take) = take {
                file.rows(&mut |_, codes| take(codes))?;
            }
            let source = Source::Lazy(Lazy::new(input, path));
            return Self { source, ..frame }.denoised(input, Some(cache));
        }
        frame.stored(input, file, cache, take.unwrap_or(&mut |_| Ok(())))
    }

    /// The frame with its samples in the cache, decoded if they are not there.
    fn stored(
        self,
        input: &FrameInput,
        file: PictureFile,
        cache: &Cache,
        take: TakeRows,
    ) -> Result<Self, CoreError> {
        let path = cache.frame(&input.key());
        let source = match Holds::of(input, &file) {
            Holds::Stored => Source::Codes(Samples::Tiles(match TiledFile::open(&path) {
                Ok(samples) => samples,
                Err(_) => {
                    let (width, height) = self.size;
                    let mut writer = RowWriter::create(&path, width, height, 3)?;
                    prepared(input, file, &mut |_, codes| {
                        take(codes)?;
                        writer.write(codes)
                    })?;
                    writer.finish()?
                }
            })),
            Holds::Light => Source::Light(Samples::Tiles(match TiledFile::open(&path) {
                Ok(samples) => samples,
                Err(_) => file.light_to(&path, &mut || take(&[]))?,
            })),
            Holds::Codes => Source::Codes(Samples::Tiles(match TiledFile::open(&path) {
                Ok(samples) => samples,
                Err(_) => file.decode_to(&path, &mut |_, codes| take(codes))?,
            })),
        };
        Self { source, ..self }.denoised(input, Some(cache))
    }

    /// Opens a frame in its own file if any part of that can be read, or decodes it into memory,
    /// which takes [`Frame::bytes_in_memory`].
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn load(input: &FrameInput, watch: Watch) -> Result<Self, CoreError> {
        let (frame, mut file) = Self::header(input)?;
        if let Some(place) = in_place(input, &mut file)? {
            return Self { source: Source::InPlace(place), ..frame }.denoised(input, None);
        }
        let source = match Holds::of(input, &file) {
            Holds::Stored => Source::Codes(Samples::in_memory(frame.size, |take| {
                prepared(input, file, &mut |y, band| {
                    take(y, band);
                    watch()
                })
            })?),
            Holds::Light => Source::Light(Samples::in_memory(frame.size, |take| {
                file.light(&mut |y, band| {
                    take(y, band);
                    watch()
                })
            })?),
            Holds::Codes => Source::Codes(Samples::in_memory(frame.size, |take| {
                file.rows(&mut |y, band| {
                    take(y, band);
                    watch()
                })
            })?),
        };
        Self { source, ..frame }.denoised(input, None)
    }

    /// Adds a denoiser, if the treatment asks for one; the measured noise comes from the cache, if
    /// there is one.
    fn denoised(self, input: &FrameInput, cache: Option<&Cache>) -> Result<Self, CoreError> {
        let amount = input.prepare.denoise;
        if amount == Denoise::default() {
            return Ok(self);
        }
        let key = Key::of("grain", &(), &[&input.plain_key()]);
        let grain = match cache.and_then(|cache| cache.read("grain", &key)) {
            Some(grain) => Some(grain),
            None => {
                let grain = Grain::of(&self.plain())?;
                if let (Some(cache), Some(grain)) = (cache, &grain) {
                    cache.write("grain", &key, grain)?;
                }
                grain
            }
        };
        Ok(Self { denoiser: Denoiser::new(amount, grain), ..self })
    }

    /// Its light before noise reduction. Stars and details are searched in it, as remains of
    /// reduced noise look like them.
    pub fn plain(&self) -> Plain<'_> {
        self.plain_by(&self.decoding)
    }

    /// Its light before noise reduction, with another decoding.
    fn plain_by<'a>(&'a self, decoding: &'a Decoding) -> Plain<'a> {
        Plain { source: &self.source, size: self.size, lens: self.lens(), decoding }
    }

    /// The denoiser, if the treatment asks for noise reduction.
    pub fn denoiser(&self) -> Option<&Denoiser> {
        self.denoiser.as_ref()
    }

    /// The flaws of the lens that are to be undone.
    pub fn lens_plan(&self) -> LensPlan {
        self.lens_plan
    }

    /// Reads a frame's header only; its samples cannot be read.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn undecoded(input: &FrameInput) -> Result<Self, CoreError> {
        Ok(Self::header(input)?.0)
    }

    /// Whether floating-point light is stored, rather than codes.
    pub fn holds_light(&self) -> bool {
        matches!(self.source, Source::Light(_))
    }

    /// Reads the codes of a region, which must lie inside the picture: red, green and blue of each
    /// pixel, row by row; nothing where the frame stores light.
    ///
    /// # Errors
    /// [`PictureError`] of what is read.
    pub fn read_codes(&self, region: Region, out: &mut Vec<u16>) -> Result<(), PictureError> {
        out.clear();
        if self.holds_light() {
            return Ok(());
        }
        out.resize(region.area() * 3, 0);
        self.source.read_codes(region, out)
    }

    /// The conversion from its samples to light.
    pub fn decoding(&self) -> &Decoding {
        &self.decoding
    }

    /// Whether its samples can be read.
    pub fn is_decoded(&self) -> bool {
        !matches!(self.source, Source::Undecoded)
    }

    fn header(input: &FrameInput) -> Result<(Self, PictureFile), CoreError> {
        let file = PictureFile::open(&input.path)?;
        input.unchanged()?;
        let (facts, encoding) = (file.facts().clone(), file.encoding().clone());
        let size = (facts.width, facts.height);
        let name = input.name.clone();
        let decoding = match (file.sensor(), Mix::of_developed(&input.prepare)) {
            (Some(sensor), _) => Decoding::stored(Some(Mix::of_sensor(sensor, &input.prepare))),
            (None, mix) if input.calibration.is_some() => Decoding::stored(mix),
            (None, mix) => Decoding::encoded(&encoding, mix),
        };
        if let Some(calibration) = &input.calibration {
            calibration.fits(Shape::of_file(&file), &name)?;
        }
        // A flat corrects vignetting already, and dust besides.
        let mut lens_plan = input.prepare.lens;
        if input.calibration.as_ref().is_some_and(|set| set.has_flat()) {
            lens_plan.shading = LensPlan::default().shading;
        }
        let lens = lens_plan.geometry(size);
        let realign = lens.as_ref().zip(file.sensor()).and_then(|(lens, sensor)| {
            let way = input.prepare.demosaic;
            Realign::of(lens, way, sensor.pattern, file.orientation(), file.stored_size())
        });
        let lens = match realign {
            Some(_) => lens.and_then(|lens| lens.of_green()),
            None => lens,
        };
        Ok((
            Self {
                name,
                facts,
                encoding,
                size,
                realign: realign.map(|realign| (realign, decoding.unmixed())),
                decoding,
                source: Source::Undecoded,
                denoiser: None,
                lens,
                shade: Vignetting::of(&lens_plan, size),
                lens_plan,
            },
            file,
        ))
    }

    /// Light with all its noise, with aligned colours.
    fn fill_noisy(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let Some((realign, decoding)) = &self.realign else {
            return self.plain().fill(region, planes, stride);
        };
        let around = realign.around(region);
        let light = self.plain_by(decoding).planes(around)?;
        let [red, green, blue] = planes;
        realign.fill(around, &light, region, [&mut *red, &mut *green, &mut *blue], stride);
        for row in 0..region.height as usize {
            let range = row * stride..row * stride + region.width as usize;
            let row = [&mut *red, &mut *green, &mut *blue].map(|plane| &mut plane[range.clone()]);
            self.decoding.mix_planes(row);
        }
        Ok(())
    }
}

/// What is stored of a frame.
#[derive(Clone, Copy, PartialEq)]
enum Holds {
    /// Codes as in the file.
    Codes,
    /// Light, from floating-point numbers.
    Light,
    /// Codes of prepared light.
    Stored,
}

impl Holds {
    fn of(input: &FrameInput, file: &PictureFile) -> Self {
        match file.is_float() {
            _ if file.sensor().is_some() || input.calibration.is_some() => Self::Stored,
            true => Self::Light,
            false => Self::Codes,
        }
    }
}

/// Opens the frame in its own file, if that holds the wanted codes and any part of it can be read.
///
/// # Errors
/// [`PictureError::Io`].
pub fn in_place(
    input: &FrameInput,
    file: &mut PictureFile,
) -> Result<Option<InPlace>, PictureError> {
    match Holds::of(input, file) {
        Holds::Codes => file.in_place(),
        Holds::Light | Holds::Stored => Ok(None),
    }
}

/// Codes of prepared light, developed and calibrated.
fn prepared(input: &FrameInput, file: PictureFile, rows: CodeRows) -> Result<(), PictureError> {
    let facts = file.facts().clone();
    let calibration = input.calibration.as_deref();
    if file.sensor().is_some() {
        let Some((mosaic, orientation)) = file.mosaic()? else { return Ok(()) };
        let calibration = calibration.map(|calibration| (calibration, &facts));
        return develop(&mosaic, orientation, input.prepare.demosaic, calibration, rows);
    }
    let (mut light, mut codes) = (Vec::new(), Vec::new());
    file.light(&mut |y, band| {
        light.clear();
        light.extend_from_slice(band);
        if let Some(calibration) = calibration {
            let height = (band.len() / 3) as u32 / facts.width;
            let region = Region { x: 0, y, width: facts.width, height };
            calibration.apply(&facts, region, 3, &mut light)?;
        }
        codes.resize(light.len(), 0);
        light_codes::codes(&light, &mut codes);
        rows(y, &codes)
    })
}

impl Light for Frame {
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
        let Self { denoiser, shade, size, .. } = self;
        let (denoiser, shade) = (denoiser.as_ref(), shade.as_ref());
        let cleaned = TreatedLight { denoiser, shade, size: *size, halved: 0 };
        cleaned.fill(region, planes, stride, &|region, planes, stride| {
            self.fill_noisy(region, planes, stride)
        })
    }

    fn rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        if self.denoiser.is_some() || self.realign.is_some() {
            return Ok(Box::new(Planes::of(self, region, ahead)?));
        }
        let rows = self.source.rows(&self.decoding, region, ahead)?;
        Ok(match &self.shade {
            None => rows,
            Some(shade) => Box::new(Shaded { rows, shade }),
        })
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let treated = self.denoiser.is_some() || self.shade.is_some() || self.realign.is_some();
        if !treated {
            return self.plain().fill_mean(region, out);
        }
        let [red, green, blue] = self.planes(region)?;
        let pixels = red.into_iter().zip(green).zip(blue);
        for (mean, ((r, g), b)) in out.iter_mut().zip(pixels) {
            *mean = middle([r, g, b]);
        }
        Ok(())
    }
}

/// Rows with vignetting undone.
struct Shaded<'a> {
    rows: Box<dyn Rows + 'a>,
    shade: &'a Vignetting,
}

impl Rows for Shaded<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        self.rows.row(x, y, planes.each_mut().map(|plane| &mut **plane));
        self.shade.undo(x, y, planes);
    }
}
