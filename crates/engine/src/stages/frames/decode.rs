//! The frames stage: every frame decoded once, into what memory is left and then to scratch, or
//! found in the cache.

use crate::memory::{self, Budget};
use crate::request::Request;
use crate::stages::frames::decoded::Decoded;
use jade_frames as prepare;
use jade_frames::cache::Cache;
use jade_frames::{Frame, FrameInput, in_place};
use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::bytes_on_disk;
use jade_plan::CoreError;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use jade_plan::progress::{Stage, Watch};
use rayon::prelude::*;

/// What the header of a frame tells about decoding it.
struct Need {
    /// Bytes in memory and on scratch.
    memory: u64,
    scratch: u64,
    /// Bytes of a combined picture of its size.
    picture: u64,
    /// Bytes that decoding takes at most, beside what comes out.
    decoding: u64,
    in_place: bool,
}

impl Need {
    fn of(input: &FrameInput) -> Option<Self> {
        let mut file = PictureFile::open(&input.path).ok()?;
        let (width, height) = (file.facts().width, file.facts().height);
        Some(Self {
            memory: Frame::bytes_in_memory(file.facts()),
            scratch: match file.is_float() {
                true => bytes_on_disk::<f32>(width, height, 3),
                false => bytes_on_disk::<u16>(width, height, 3),
            },
            picture: bytes_on_disk::<f32>(width, height, 3),
            decoding: file.decoding_bytes()
                + file.sensor().map_or(0, |_| prepare::developing_bytes(width)),
            in_place: matches!(in_place(input, &mut file), Ok(Some(_))),
        })
    }
}

/// Where a frame's samples will be.
#[derive(Clone, Copy, PartialEq)]
enum Place {
    Scratch,
    Memory,
    File,
}

/// Decodes all frames, in order. Frames that can be read from their own files are left
/// there. Where the run may stream, the first of the others stay in memory while the budget has
/// room for them: that saves writing and reading them again.
///
/// # Errors
/// [`CoreError::Cancelled`], [`CoreError::Scratch`]; a frame that cannot be read is no error.
pub fn frames(
    inputs: &[FrameInput],
    cache: &Cache,
    (budget, stream): (Budget, bool),
    watch: &dyn Watch,
) -> Result<PerFrame<Given, Decoded>, CoreError> {
    watch.begin(Stage::Frames, inputs.len() as u64);
    let needs: Vec<Option<Need>> = inputs.iter().map(Need::of).collect();
    let decoding = needs.iter().flatten().map(|need| need.decoding).max().unwrap_or(0);
    let mut room = if stream { budget.room_for_frames(decoding) } else { 0 };
    let mut scratch = needs.iter().flatten().map(|need| need.picture).max().unwrap_or(0);
    let mut place = |(input, need): (&FrameInput, &Option<Need>)| {
        let Some(need) = need.as_ref().filter(|_| !cache.frame(&input.key()).exists()) else {
            return Place::Scratch;
        };
        let left = room.checked_sub(need.memory);
        match left {
            _ if need.in_place => Place::File,
            Some(left) => {
                room = left;
                Place::Memory
            }
            None => {
                scratch += need.scratch;
                Place::Scratch
            }
        }
    };
    let places: Vec<Place> = inputs.iter().zip(&needs).map(&mut place).collect();
    memory::check_scratch(cache.folder(), scratch)?;
    let stop = || match watch.cancelled() {
        true => Err(PictureError::Cancelled),
        false => Ok(()),
    };
    let mut decoded = Vec::with_capacity(inputs.len());
    let frames: Vec<(&FrameInput, Place)> = inputs.iter().zip(places).collect();
    let together = match budget.decoders(decoding) {
        few if few < budget.threads => few,
        _ => frames.len().max(1),
    };
    for few in frames.chunks(together) {
        let some: Result<Vec<Decoded>, CoreError> = few
            .par_iter()
            .with_max_len(1)
            .map(|&(input, place)| {
                stop()?;
                let frame = match place {
                    Place::Memory => Frame::load(input, &mut || stop()),
                    Place::Scratch | Place::File => Frame::decode(input, cache, &mut || stop()),
                };
                let frame = match frame {
                    Ok(frame) => Ok(frame),
                    Err(CoreError::Cancelled) => return Err(CoreError::Cancelled),
                    Err(error) => Err(error.to_string()),
                };
                watch.advance(1);
                Ok(frame)
            })
            .collect();
        decoded.extend(some?);
    }
    Ok(decoded.into())
}

/// Decodes one frame, into memory if the budget has room for it; one that can be read from its own
/// file or from the cache is left there.
///
/// # Errors
/// As for [`Frame::decode`].
pub fn one(
    input: &FrameInput,
    cache: &Cache,
    budget: Budget,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Frame, CoreError> {
    let watch = &mut || match stop() {
        true => Err(PictureError::Cancelled),
        false => Ok(()),
    };
    let fits = |need: &Need| need.memory <= budget.room_for_one(need.decoding);
    match Need::of(input).filter(fits) {
        Some(need) if !need.in_place && !cache.frame(&input.key()).exists() => {
            Frame::load(input, watch)
        }
        _ => Frame::decode(input, cache, watch),
    }
}

/// Reads the headers of all frames, in order; only the picture that will be made is counted as
/// scratch.
///
/// # Errors
/// [`CoreError::Scratch`]; a frame that cannot be read is no error.
pub fn headers(request: &Request) -> Result<PerFrame<Given, Decoded>, CoreError> {
    request.watch.begin(Stage::Frames, request.frames.len() as u64);
    let read = |input| {
        request.watch.advance(1);
        Frame::undecoded(input).map_err(|error| error.to_string())
    };
    let frames: PerFrame<Given, Decoded> = request.frames.iter().map(read).collect();
    let sizes = frames.iter().flatten().map(Light::size);
    let most = sizes.map(|(width, height)| bytes_on_disk::<f32>(width, height, 3)).max();
    memory::check_scratch(request.cache.folder(), most.unwrap_or(0))?;
    Ok(frames)
}

/// The reference frame: the chosen one, or the middle one of those that can be read and are of the
/// commonest size and colours. Frames that cannot be combined with it lose their samples and get a
/// reason.
///
/// # Errors
/// [`CoreError::Reference`] when the chosen one cannot be read, [`CoreError::Frames`] when none can.
pub fn settle(
    decoded: &mut PerFrame<Given, Decoded>,
    chosen: Option<FrameIndex<Given>>,
) -> Result<FrameIndex<Given>, CoreError> {
    let alike = most_alike(decoded);
    let reference = match chosen {
        Some(i) => i,
        None => *alike.get(alike.len() / 2).ok_or_else(|| {
            CoreError::Frames(match decoded.iter().next().and_then(|first| first.as_ref().err()) {
                Some(why) => format!("None of the frames can be read; the first: {why}"),
                None => "There are no frames; choose at least two of the same scene.".to_owned(),
            })
        })?,
    };
    let (size, encoding) = match &decoded[reference] {
        Ok(frame) => (frame.size(), frame.encoding.clone()),
        Err(reason) => {
            return Err(CoreError::Reference(reason.clone()));
        }
    };
    for frame in decoded.iter_mut() {
        let Ok(open) = frame else { continue };
        let found = open.size();
        if found != size {
            *frame = Err(format!(
                "It is {} x {} pixels, and the reference frame is {} x {}; only frames of one size can be combined.",
                found.0, found.1, size.0, size.1
            ));
        } else if !open.encoding.same_primaries(&encoding) {
            *frame = Err(format!(
                "Its colour profile is {}, and the reference frame's is {}; convert the frames to one profile.",
                open.encoding.name(),
                encoding.name()
            ));
        }
    }
    Ok(reference)
}

/// The largest group of frames that have one size and one profile's colours, in order.
fn most_alike(decoded: &PerFrame<Given, Decoded>) -> Vec<FrameIndex<Given>> {
    let mut groups: Vec<(&Frame, Vec<FrameIndex<Given>>)> = vec![];
    for (i, frame) in decoded.enumerate() {
        let Ok(frame) = frame else { continue };
        let is_like = |first: &Frame| {
            first.size() == frame.size() && first.encoding.same_primaries(&frame.encoding)
        };
        match groups.iter_mut().find(|(first, _)| is_like(first)) {
            Some((_, group)) => group.push(i),
            None => groups.push((frame, vec![i])),
        }
    }
    // The first of groups that are equally large.
    let largest = groups.into_iter().rev().max_by_key(|(_, group)| group.len());
    largest.map_or(vec![], |(_, group)| group)
}

/// Makes sure that there is more than the reference frame.
///
/// # Errors
/// [`CoreError::Frames`].
pub fn several(
    decoded: &PerFrame<Given, Decoded>,
    reference: FrameIndex<Given>,
) -> Result<(), CoreError> {
    let name = decoded[reference].as_ref().map_or("", |frame| frame.name.as_str());
    let others = || decoded.enumerate().filter(|(i, _)| *i != reference);
    let mut reasons = others().filter_map(|(_, frame)| frame.as_ref().err());
    let said = match (others().any(|(_, frame)| frame.is_ok()), reasons.next()) {
        (true, _) => return Ok(()),
        (false, None) => {
            "One frame alone cannot be stacked; choose at least two frames of the same scene."
                .to_owned()
        }
        (false, Some(reason)) => {
            format!("Only {name} can be used; the first of the others: {reason}")
        }
    };
    Err(CoreError::Frames(said))
}
