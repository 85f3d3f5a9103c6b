//! Chooses the calibration frames of some lights, and makes master frames of them.

use crate::cache::{Cache, Key};
use crate::calibration::Calibration;
use crate::calibration_match::{Named, fitting_all};
use crate::defect_search;
use crate::defects::Defects;
use crate::input::FrameInput;
use crate::master::Master;
use crate::recorded::Recorded;
use crate::shape::Shape;
use crate::smooth;
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_plan::progress::{Stage, Watch};
use jade_plan::{CoreError, FrameId, FrameRole, Repair};

/// Calibration frames.
#[derive(Debug, Clone, Default)]
pub struct CalibrationFrames {
    /// With the lens cap on, exposed as the lights.
    pub darks: Vec<FrameInput>,
    /// Of an evenly lit surface, through the lens as it was.
    pub flats: Vec<FrameInput>,
    /// With the lens cap on, with the shortest exposure.
    pub biases: Vec<FrameInput>,
}

impl CalibrationFrames {
    /// The frames that match all lights, by the facts of their files.
    fn fitting(&self, lights: &[FrameInput]) -> Result<Self, CoreError> {
        if self.darks.is_empty() && self.flats.is_empty() && self.biases.is_empty() {
            return Ok(self.clone());
        }
        let lights = with_facts(lights);
        let scaled = !self.biases.is_empty();
        Ok(Self {
            darks: fitting_facts(FrameRole::Dark, &self.darks, &lights, scaled)?,
            flats: fitting_facts(FrameRole::Flat, &self.flats, &lights, scaled)?,
            biases: fitting_facts(FrameRole::Bias, &self.biases, &lights, scaled)?,
        })
    }

    /// The kinds of frames that match other lights than those they were taken for, as a ground set,
    /// which may have another exposure or be developed already. None for a single developed
    /// picture: it may be finished, and would be calibrated twice.
    pub fn as_far_as_fitting(&self, lights: &[FrameInput]) -> Self {
        let raw = lights.first().is_some_and(is_raw);
        if lights.len() == 1 && !raw {
            return Self::default();
        }
        let said = with_facts(lights);
        let of = |shows: FrameRole, inputs: &[FrameInput], scaled: bool| match inputs.first() {
            Some(first) if is_raw(first) == raw => {
                fitting_facts(shows, inputs, &said, scaled).unwrap_or_default()
            }
            _ => vec![],
        };
        let biases = of(FrameRole::Bias, &self.biases, false);
        let darks = of(FrameRole::Dark, &self.darks, !biases.is_empty());
        Self { darks, flats: of(FrameRole::Flat, &self.flats, false), biases }
    }
}

/// Frames with the facts of their files; a frame that cannot be read is reported later.
fn with_facts(inputs: &[FrameInput]) -> Vec<(&FrameInput, Facts)> {
    let facts = |input: &FrameInput| Some(PictureFile::open(&input.path).ok()?.facts().clone());
    inputs.iter().filter_map(|input| Some((input, facts(input)?))).collect()
}

/// The frames of one kind that match all lights, by the facts of their files.
fn fitting_facts(
    shows: FrameRole,
    inputs: &[FrameInput],
    lights: &[(&FrameInput, Facts)],
    scaled: bool,
) -> Result<Vec<FrameInput>, CoreError> {
    fn named<'a>(all: &'a [(&FrameInput, Facts)]) -> Vec<Named<'a>> {
        all.iter().map(|(input, facts)| (input.name.as_str(), facts)).collect()
    }
    let usable = with_facts(inputs);
    if usable.len() < inputs.len() || lights.is_empty() {
        // Reading them reports what is wrong with them.
        return Ok(inputs.to_vec());
    }
    let places = fitting_all(shows, &named(&usable), &named(lights), scaled);
    let places = places.map_err(CoreError::Frames)?;
    Ok(places.into_iter().map(|i| inputs[i].clone()).collect())
}

/// Most light frames in which faulty samples are searched.
const LOOKED_AT: usize = 12;
/// Fewer light frames do not show which samples are faulty.
const FEWEST: usize = 4;

impl Calibration {
    /// Makes the master frames that match the lights, or takes them from the cache, and finds
    /// faulty samples: in the darks, or without darks in `lights`, as `repair` says. `None` where
    /// there is nothing to calibrate.
    ///
    /// # Errors
    /// [`CoreError::Frames`] when frames do not fit together, [`CoreError::Picture`],
    /// [`CoreError::Cancelled`].
    pub fn of(
        frames: &CalibrationFrames,
        lights: &[FrameInput],
        repair: Repair,
        cache: &Cache,
        watch: &dyn Watch,
    ) -> Result<Option<Self>, CoreError> {
        let CalibrationFrames { darks, flats, biases } = &frames.fitting(lights)?;
        let looked_at: Vec<&FrameInput> = match repair {
            _ if !darks.is_empty() => vec![],
            Repair::Auto if lights.first().is_some_and(is_raw) => spread(lights),
            Repair::Always => spread(lights),
            Repair::Auto | Repair::Off => vec![],
        };
        let total = darks.len() + flats.len() + biases.len() + looked_at.len();
        if total == 0 {
            return Ok(None);
        }
        watch.begin(Stage::Prepare, total as u64);
        let key_of = |shows: FrameRole, inputs: &[FrameInput], before: Option<&Key>| {
            let ids: Vec<&FrameId> = inputs.iter().map(|input| &input.id).collect();
            Key::of("master", &(shows, ids), &before.into_iter().collect::<Vec<_>>())
        };
        let bias_key = (!biases.is_empty()).then(|| key_of(FrameRole::Bias, biases, None));
        let make = |shows, inputs: &[FrameInput], bias: Option<&Master>| {
            let before = bias.and(bias_key.as_ref());
            let key = key_of(shows, inputs, before);
            let made = (!inputs.is_empty())
                .then(|| Master::of(shows, inputs, bias, &key, cache, watch))
                .transpose()?;
            Ok::<_, CoreError>((key, made))
        };
        let (_, bias) = make(FrameRole::Bias, biases, None)?;
        let (dark_key, dark) = make(FrameRole::Dark, darks, None)?;
        let (flat_key, flat) = make(FrameRole::Flat, flats, bias.as_ref())?;
        let flat =
            flat.map(|flat| smooth::as_needed(flat, flats.len(), &flat_key, cache)).transpose()?;
        let mut keys: Vec<Key> = Vec::new();
        keys.extend(bias.is_some().then(|| bias_key.clone()).flatten());
        keys.extend(dark.is_some().then_some(dark_key));
        keys.extend(flat.is_some().then_some(flat_key));
        let mut calibration =
            Self { key: Key::of("calibration", &0, &[]), dark, bias, flat, faults: vec![] };
        let faults_key = Key::of(
            "faults",
            &looked_at.iter().map(|input| &input.id).collect::<Vec<_>>(),
            &keys.iter().collect::<Vec<_>>(),
        );
        if repair != Repair::Off {
            calibration.faults = match cache.read("faults", &faults_key) {
                Some(faults) => faults,
                None => {
                    let faults = calibration.find_faults(&looked_at, cache, watch)?;
                    cache.write("faults", &faults_key, &faults)?;
                    faults
                }
            };
            keys.push(faults_key);
        }
        calibration.key = Key::of("calibration", &1, &keys.iter().collect::<Vec<_>>());
        Ok(Some(calibration))
    }

    fn find_faults(
        &self,
        lights: &[&FrameInput],
        cache: &Cache,
        watch: &dyn Watch,
    ) -> Result<Defects, CoreError> {
        if let Some(dark) = &self.dark {
            let read = |region| dark.picture.read_region(region);
            let shape = Shape::of(&dark.picture);
            return Ok(defect_search::in_dark(shape, &read, dark.note.noise)?);
        }
        let mut frames: Vec<Recorded> = Vec::new();
        for input in lights {
            let stop = || match watch.cancelled() {
                true => Err(PictureError::Cancelled),
                false => Ok(()),
            };
            // A frame that cannot be read is reported when it is stacked.
            match Recorded::open(input, cache, &mut || stop()) {
                Ok(frame) if frames.first().is_none_or(|f| f.shape() == frame.shape()) => {
                    frames.push(frame);
                }
                Err(CoreError::Cancelled) => return Err(CoreError::Cancelled),
                Ok(_) | Err(_) => {}
            }
            watch.advance(1);
        }
        match frames.len() {
            0..FEWEST => Ok(vec![]),
            _ => Ok(defect_search::in_lights(&frames)?),
        }
    }
}

fn is_raw(input: &FrameInput) -> bool {
    PictureFile::open(&input.path).is_ok_and(|file| file.sensor().is_some())
}

/// Some frames, spread over the sequence.
fn spread(frames: &[FrameInput]) -> Vec<&FrameInput> {
    let few = frames.len().min(LOOKED_AT);
    if few < FEWEST {
        return vec![];
    }
    (0..few).map(|i| &frames[i * (frames.len() - 1) / (few - 1)]).collect()
}
