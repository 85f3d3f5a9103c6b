//! The frames stage: every frame decoded to scratch once, or found in the cache.

use super::gallery::Decoded;
use super::{Request, memory};
use crate::CoreError;
use crate::frames::{Frame, Light};
use crate::progress::Stage;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::bytes_on_disk;
use rayon::prelude::*;

/// Decodes all frames of a request, in order.
///
/// # Errors
/// [`CoreError::Cancelled`], [`CoreError::Scratch`]; a frame that cannot be read is no error.
pub fn frames(request: &Request) -> Result<Vec<Decoded>, CoreError> {
    request.watch.begin(Stage::Frames, request.frames.len() as u64);
    let mut largest = 0;
    let mut scratch = 0;
    for input in request.frames {
        let Ok(file) = PictureFile::open(&input.path) else { continue };
        let (width, height) = (file.facts().width, file.facts().height);
        largest = largest.max(width as u64 * height as u64);
        if !request.cache.frame(&input.key()).exists() {
            scratch += bytes_on_disk::<u16>(width, height, 3);
        }
        // The combined picture takes twice the bytes of one frame; count it once.
        scratch = scratch.max(bytes_on_disk::<f32>(width, height, 3));
    }
    memory::check_scratch(request.cache.folder(), scratch)?;
    let stop = || match request.watch.cancelled() {
        true => Err(PictureError::Cancelled),
        false => Ok(()),
    };
    let mut decoded = Vec::with_capacity(request.frames.len());
    for few in request.frames.chunks(request.budget.decoders(largest)) {
        let some: Result<Vec<Decoded>, CoreError> = few
            .par_iter()
            .map(|input| {
                stop()?;
                let frame = match Frame::decode(input, request.cache, &mut || stop()) {
                    Ok(frame) => Ok(frame),
                    Err(CoreError::Cancelled) => return Err(CoreError::Cancelled),
                    Err(error) => Err(error.to_string()),
                };
                request.watch.advance(1);
                Ok(frame)
            })
            .collect();
        decoded.extend(some?);
    }
    Ok(decoded)
}

/// Reads the headers of all frames, in order; only the picture that will be made is counted as
/// scratch.
///
/// # Errors
/// [`CoreError::Scratch`]; a frame that cannot be read is no error.
pub fn headers(request: &Request) -> Result<Vec<Decoded>, CoreError> {
    request.watch.begin(Stage::Frames, request.frames.len() as u64);
    let read = |input| {
        request.watch.advance(1);
        Frame::undecoded(input).map_err(|error| error.to_string())
    };
    let frames: Vec<Decoded> = request.frames.iter().map(read).collect();
    let sizes = frames.iter().flatten().map(Light::size);
    let most = sizes.map(|(width, height)| bytes_on_disk::<f32>(width, height, 3)).max();
    memory::check_scratch(request.cache.folder(), most.unwrap_or(0))?;
    Ok(frames)
}

/// The reference frame: the chosen one, or the middle one of those that can be read. Frames that
/// cannot be combined with it lose their samples and get a reason.
///
/// # Errors
/// [`CoreError::Frames`] when the chosen one cannot be read, or fewer than two frames can.
pub fn settle(decoded: &mut [Decoded], chosen: Option<usize>) -> Result<usize, CoreError> {
    let readable: Vec<usize> = (0..decoded.len()).filter(|&i| decoded[i].is_ok()).collect();
    if decoded.len() < 2 {
        return Err(CoreError::Frames(
            "One frame alone cannot be stacked; choose at least two frames of the same scene."
                .to_owned(),
        ));
    }
    let reference = match chosen {
        Some(i) => i,
        None => *readable.get(readable.len() / 2).ok_or_else(|| {
            let first = decoded[0].as_ref().err().cloned().unwrap_or_default();
            CoreError::Frames(format!("None of the frames can be read; the first: {first}"))
        })?,
    };
    let (size, encoding) = match &decoded[reference] {
        Ok(frame) => (frame.size(), frame.encoding.clone()),
        Err(reason) => {
            return Err(CoreError::Frames(format!("The reference frame cannot be read: {reason}")));
        }
    };
    for frame in decoded.iter_mut() {
        let Ok(open) = frame else { continue };
        let own = open.size();
        if own != size {
            *frame = Err(format!(
                "It is {} x {} pixels, and the reference frame is {} x {}; only frames of one size can be combined.",
                own.0, own.1, size.0, size.1
            ));
        } else if !open.encoding.same_primaries(&encoding) {
            *frame = Err(format!(
                "Its colour profile is {}, and the reference frame's is {}; convert the frames to one profile.",
                open.encoding.name(),
                encoding.name()
            ));
        }
    }
    if decoded.iter().filter(|f| f.is_ok()).count() < 2 {
        return Err(CoreError::Frames(
            "Only the reference frame can be used, the others cannot be read or have another size; add more frames.".to_owned(),
        ));
    }
    Ok(reference)
}
