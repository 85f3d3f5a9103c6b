use super::decoding::{Decoding, middle};
use super::samples::Samples;
use super::{Ahead, FrameInput, Light, Planes, Rows};
use crate::CoreError;
use crate::cache::{Cache, Key};
use crate::prepare::Denoise;
use crate::prepare::colour::Mix;
use crate::prepare::denoise::{Denoiser, Grain};
use crate::prepare::lens::{Geometry, LensPlan, Realign, Shade};
use crate::prepare::recorded::Shape;
use crate::prepare::{self, stored};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::read::{InPlace, PictureFile, Rows as CodeRows};
use jade_pixels::tiled::{Part, Region, RowWriter, TiledFile};

/// A frame: its header, and its samples once they are decoded.
pub struct Frame {
    /// The name it is reported under.
    pub name: String,
    /// What the file tells about itself.
    pub facts: Facts,
    /// The space of its light, and how a result of such frames is encoded.
    pub encoding: Encoding,
    size: (u32, u32),
    decoding: Decoding,
    /// What brings its colours together before they are mixed, and its decoding until then.
    realign: Option<(Realign, Decoding)>,
    source: Source,
    denoiser: Option<Denoiser>,
    lens_plan: LensPlan,
    lens: Option<Geometry>,
    shade: Option<Shade>,
}

/// Where a frame's light comes from.
enum Source {
    /// Decoded codes.
    Codes(Samples<u16>),
    /// Light, decoded from floating-point numbers.
    Light(Samples<f32>),
    /// Codes in the picture's own file.
    InPlace(InPlace),
    /// Nowhere yet: only the header was read.
    Undecoded,
}

/// Whether to go on.
type Watch<'a> = &'a mut dyn FnMut() -> Result<(), PictureError>;

impl Frame {
    /// Bytes that a frame takes in memory.
    pub fn bytes_in_memory(facts: &Facts) -> u64 {
        // Floating-point frames that are calibrated take half as much.
        match facts.float {
            true => Samples::<f32>::bytes_in_memory(facts.width, facts.height),
            false => Samples::<u16>::bytes_in_memory(facts.width, facts.height),
        }
    }

    /// Opens a frame where it lies, if it is stored so that any part of it can be read, finds it in
    /// the cache, or decodes it into the cache. `watch` is asked on the way and may stop it.
    ///
    /// # Errors
    /// [`CoreError::Picture`] when the file cannot be read.
    pub fn decode(input: &FrameInput, cache: &Cache, watch: Watch) -> Result<Self, CoreError> {
        let (frame, mut file) = Self::header(input)?;
        if let Some(place) = in_place(input, &mut file)? {
            return Self { source: Source::InPlace(place), ..frame }.denoised(input, Some(cache));
        }
        let path = cache.frame(&input.key());
        let source = match Holds::of(input, &file) {
            Holds::Stored => Source::Codes(Samples::Tiles(match TiledFile::open(&path) {
                Ok(samples) => samples,
                Err(_) => {
                    let (width, height) = frame.size;
                    let mut writer = RowWriter::create(&path, width, height, 3)?;
                    prepared(input, file, &mut |_, codes| {
                        watch()?;
                        writer.write(codes)
                    })?;
                    writer.finish()?
                }
            })),
            Holds::Light => Source::Light(Samples::Tiles(match TiledFile::open(&path) {
                Ok(samples) => samples,
                Err(_) => file.light_to(&path, watch)?,
            })),
            Holds::Codes => Source::Codes(Samples::Tiles(match TiledFile::open(&path) {
                Ok(samples) => samples,
                Err(_) => file.decode_to(&path, &mut |_, _| watch())?,
            })),
        };
        Self { source, ..frame }.denoised(input, Some(cache))
    }

    /// Opens a frame where it lies, if it is stored so that any part of it can be read, or decodes
    /// it into memory: as much of it as [`Frame::bytes_in_memory`] says.
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

    /// The same with its noise measured, if its treatment takes some of it off; what was measured
    /// is found in the cache, if there is one.
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

    /// Its light with all the noise it has: stars and details are found in that, as what is left
    /// of reduced noise looks like them.
    pub fn plain(&self) -> Plain<'_> {
        Plain { frame: self, decoding: &self.decoding }
    }

    /// What takes off its noise, if its treatment does.
    pub fn denoiser(&self) -> Option<&Denoiser> {
        self.denoiser.as_ref()
    }

    /// What of its lens is to be undone.
    pub fn lens_plan(&self) -> LensPlan {
        self.lens_plan
    }

    /// Reads a frame's header only; its samples cannot be read from what comes out.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn undecoded(input: &FrameInput) -> Result<Self, CoreError> {
        Ok(Self::header(input)?.0)
    }

    /// Whether floating-point light is stored of it, rather than codes.
    pub fn holds_light(&self) -> bool {
        matches!(self.source, Source::Light(_))
    }

    /// Reads the codes of a region, which must lie inside the picture, red, green and blue of each
    /// pixel, row by row; nothing where the frame holds light.
    ///
    /// # Errors
    /// [`PictureError`] of what is read.
    pub fn read_codes(&self, region: Region, out: &mut Vec<u16>) -> Result<(), PictureError> {
        out.clear();
        if !self.holds_light() {
            out.resize(region.area() * 3, 0);
        }
        if let Source::InPlace(file) = &self.source {
            return file.read_region(region, out);
        }
        let codes = |x: u32, y: u32, samples: &[u16]| {
            let row = (y - region.y) as usize * region.width as usize;
            let at = (row + (x - region.x) as usize) * 3;
            out[at..at + samples.len()].copy_from_slice(samples);
        };
        self.visit(region, codes, |_, _, _| ())
    }

    /// How its samples become light.
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
        // Flats give back what the lens kept, and more besides.
        let mut lens_plan = input.prepare.lens;
        if input.calibration.as_ref().is_some_and(|own| own.has_flat()) {
            lens_plan.shading = LensPlan::default().shading;
        }
        let lens = Geometry::of(&lens_plan, size);
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
                shade: Shade::of(&lens_plan, size),
                lens_plan,
            },
            file,
        ))
    }

    /// Light with all its noise, its colours brought together where that is done here.
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
        let light = Plain { frame: self, decoding }.planes(around)?;
        let [red, green, blue] = planes;
        realign.fill(around, &light, region, [&mut *red, &mut *green, &mut *blue], stride);
        for row in 0..region.height as usize {
            let range = row * stride..row * stride + region.width as usize;
            let row = [&mut *red, &mut *green, &mut *blue].map(|plane| &mut plane[range.clone()]);
            self.decoding.mix_planes(row);
        }
        Ok(())
    }

    /// Rows with all their noise.
    fn plain_rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        Ok(match &self.source {
            Source::Codes(samples) => {
                let part = samples.part(region, &mut ahead.codes)?;
                Box::new(Codes { part, decoding: &self.decoding })
            }
            Source::Light(samples) => {
                let part = samples.part(region, &mut ahead.light)?;
                Box::new(Apart { part, decoding: &self.decoding })
            }
            Source::InPlace(file) => {
                let codes = &mut ahead.codes;
                codes.resize(region.area() * 3, 0);
                file.read_region(region, codes)?;
                let part = Part::of_rows(codes.as_slice(), region, 3);
                Box::new(Codes { part, decoding: &self.decoding })
            }
            Source::Undecoded => unreachable!("a frame is decoded before it is read"),
        })
    }

    /// Calls `codes(x, y, samples)` or `light(x, y, samples)`, whichever the frame holds, for runs
    /// of pixels that make up a region.
    fn visit(
        &self,
        region: Region,
        mut codes: impl FnMut(u32, u32, &[u16]),
        light: impl FnMut(u32, u32, &[f32]),
    ) -> Result<(), PictureError> {
        match &self.source {
            Source::Codes(samples) => {
                with_buffer(|buffer| samples.visit(region, &mut buffer.codes, codes))
            }
            Source::Light(samples) => {
                with_buffer(|buffer| samples.visit(region, &mut buffer.light, light))
            }
            Source::InPlace(file) => with_buffer(|buffer| {
                let row = &mut buffer.codes;
                row.resize(region.width as usize * 3, 0);
                for y in region.y..region.y + region.height {
                    file.read_region(Region { y, height: 1, ..region }, row)?;
                    codes(region.x, y, row);
                }
                Ok(())
            }),
            Source::Undecoded => unreachable!("a frame is decoded before it is read"),
        }
    }
}

/// What is stored of a frame.
#[derive(Clone, Copy, PartialEq)]
enum Holds {
    /// Codes as the file has them.
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

/// The frame where it lies, if its codes are those that are wanted and any part of them can be read.
fn in_place(input: &FrameInput, file: &mut PictureFile) -> Result<Option<InPlace>, PictureError> {
    match Holds::of(input, file) {
        Holds::Codes => file.in_place(),
        Holds::Light | Holds::Stored => Ok(None),
    }
}

/// Gives codes of prepared light, developed and calibrated.
fn prepared(input: &FrameInput, file: PictureFile, rows: CodeRows) -> Result<(), PictureError> {
    let facts = file.facts().clone();
    let calibration = input.calibration.as_deref();
    if file.sensor().is_some() {
        let Some((mosaic, orientation)) = file.mosaic()? else { return Ok(()) };
        let calibration = calibration.map(|calibration| (calibration, &facts));
        return prepare::develop(&mosaic, orientation, input.prepare.demosaic, calibration, rows);
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
        codes.clear();
        codes.extend(light.iter().map(|light| stored::code(*light)));
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
        mut planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let own = planes.each_mut().map(|plane| &mut **plane);
        let fill = |region: Region, planes: [&mut [f32]; 3], stride: usize| {
            self.fill_noisy(region, planes, stride)
        };
        match &self.denoiser {
            None => fill(region, own, stride)?,
            Some(denoiser) => denoiser.fill((self.size, 0), region, own, stride, &fill)?,
        }
        if let Some(shade) = &self.shade {
            shade.undo_region(region, planes, stride);
        }
        Ok(())
    }

    fn rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        if self.denoiser.is_some() || self.realign.is_some() {
            return Ok(Box::new(Planes::of(self, region, ahead)?));
        }
        let rows = self.plain_rows(region, ahead)?;
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

/// A frame with all its noise, and shaded as the lens left it.
pub struct Plain<'a> {
    frame: &'a Frame,
    decoding: &'a Decoding,
}

impl Light for Plain<'_> {
    fn size(&self) -> (u32, u32) {
        self.frame.size
    }

    fn lens(&self) -> Option<&Geometry> {
        self.frame.lens()
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let planes = std::cell::RefCell::new(planes);
        let part = |x: u32, y: u32, samples: usize| {
            let at = (y - region.y) as usize * stride + (x - region.x) as usize;
            at..at + samples / 3
        };
        self.frame.visit(
            region,
            |x, y, samples| {
                let range = part(x, y, samples.len());
                let mut planes = planes.borrow_mut();
                let planes = planes.each_mut().map(|plane| &mut plane[range.clone()]);
                self.decoding.pixels(samples, planes);
            },
            |x, y, samples| {
                let range = part(x, y, samples.len());
                let mut planes = planes.borrow_mut();
                let planes = planes.each_mut().map(|plane| &mut plane[range.clone()]);
                self.decoding.apart(samples, planes);
            },
        )
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let width = region.width as usize;
        let out = std::cell::RefCell::new(out);
        let at = |x: u32, y: u32| (y - region.y) as usize * width + (x - region.x) as usize;
        self.frame.visit(
            region,
            |x, y, samples| {
                let (mut out, at) = (out.borrow_mut(), at(x, y));
                self.decoding.means(samples, &mut out[at..at + samples.len() / 3]);
            },
            |x, y, samples| {
                let (mut out, at) = (out.borrow_mut(), at(x, y));
                for (mean, pixel) in out[at..].iter_mut().zip(samples.as_chunks::<3>().0) {
                    *mean = middle(self.decoding.mixed(*pixel));
                }
            },
        )
    }

    fn thinned_mean(&self, region: Region, step: u32) -> Result<Vec<f32>, PictureError> {
        let light = self.decoding.pixel();
        let thinned = std::cell::RefCell::new(Thinned::new(region, step));
        self.frame.visit(
            region,
            |x, y, samples| thinned.borrow_mut().add(x, y, samples, &light),
            |x, y, samples| {
                thinned.borrow_mut().add(x, y, samples, |light| self.decoding.mixed(light))
            },
        )?;
        Ok(thinned.into_inner().means)
    }
}

/// Means of the colours of some pixels of a region.
struct Thinned {
    region: Region,
    step: u32,
    across: usize,
    means: Vec<f32>,
}

impl Thinned {
    fn new(region: Region, step: u32) -> Self {
        let across = region.width.div_ceil(step) as usize;
        let means = vec![0.0; across * region.height.div_ceil(step) as usize];
        Self { region, step, across, means }
    }

    fn add<T: Copy>(&mut self, x: u32, y: u32, samples: &[T], light: impl Fn([T; 3]) -> [f32; 3]) {
        let (x, y) = (x - self.region.x, y - self.region.y);
        if !y.is_multiple_of(self.step) {
            return;
        }
        // The first wanted column at or after the run's beginning.
        let first = x.div_ceil(self.step);
        let skip = (first * self.step - x) as usize;
        let at = (y / self.step) as usize * self.across + first as usize;
        let pixels = samples.as_chunks::<3>().0.iter().skip(skip).step_by(self.step as usize);
        for (value, pixel) in self.means[at..].iter_mut().zip(pixels) {
            *value = middle(light(*pixel));
        }
    }
}

/// Rows that are turned to light when they are asked for.
struct Codes<'a> {
    part: Part<'a, u16>,
    decoding: &'a Decoding,
}

impl Rows for Codes<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        let mut done = 0;
        for run in self.part.runs(x, y, planes[0].len() as u32) {
            let here = done..done + run.len() / 3;
            self.decoding.pixels(run, planes.each_mut().map(|p| &mut p[here.clone()]));
            done = here.end;
        }
    }
}

/// Rows that are given the light back that the lens kept.
struct Shaded<'a> {
    rows: Box<dyn Rows + 'a>,
    shade: &'a Shade,
}

impl Rows for Shaded<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        self.rows.row(x, y, planes.each_mut().map(|plane| &mut **plane));
        self.shade.undo(x, y, planes);
    }
}

/// Rows of interleaved light.
struct Apart<'a> {
    part: Part<'a, f32>,
    decoding: &'a Decoding,
}

impl Rows for Apart<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        let mut done = 0;
        for run in self.part.runs(x, y, planes[0].len() as u32) {
            let here = done..done + run.len() / 3;
            self.decoding.apart(run, planes.each_mut().map(|p| &mut p[here.clone()]));
            done = here.end;
        }
    }
}

#[derive(Default)]
struct Buffer {
    codes: Vec<u16>,
    light: Vec<f32>,
}

/// Lends this thread's buffer of raw samples, so that reading takes no new memory.
fn with_buffer<T>(work: impl FnOnce(&mut Buffer) -> T) -> T {
    thread_local! {
        static BUFFER: std::cell::Cell<Option<Buffer>> = const { std::cell::Cell::new(None) };
    }
    BUFFER.with(|cell| {
        let mut buffer = cell.take().unwrap_or_default();
        let done = work(&mut buffer);
        cell.set(Some(buffer));
        done
    })
}
