//! The frames of a run: on scratch, or decoded into memory whenever they are needed.

use crate::memory;
use crate::request::Request;
use crate::stages::frames::decode;
use crate::stages::frames::decoded::Decoded;
use crate::stages::frames::lost::NotMade;
use jade_frames::{Frame, FrameInput};
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Readable};
use jade_plan::{AlignMode, CoreError, Edges, Method};
use rayon::prelude::*;

/// All frames that were given, in order.
pub struct Gallery<'a> {
    request: &'a Request<'a>,
    pub frames: PerFrame<Given, Decoded>,
    /// How many frames are in memory together when there is no scratch.
    together: Option<usize>,
}

impl<'a> Gallery<'a> {
    /// Decodes the frames to scratch, or only reads their headers where the run needs none.
    ///
    /// # Errors
    /// [`CoreError::Cancelled`], [`CoreError::Scratch`]; a frame that cannot be read is no error.
    pub fn open(request: &'a Request<'a>) -> Result<Self, CoreError> {
        let together = together(request);
        let frames = match together {
            None => decode::frames(
                request.frames,
                request.cache,
                (request.budget, request.stream),
                request.watch,
            )?,
            Some(_) => decode::headers(request)?,
        };
        Ok(Self { request, frames, together })
    }

    /// Whether frames are decoded whenever they are needed; how many together.
    pub fn streamed(&self) -> Option<usize> {
        self.together
    }

    /// Indices of the frames that can be used so far.
    pub fn usable(&self) -> PerFrame<Readable, FrameIndex<Given>> {
        self.frames.indices().filter(|&i| self.frames[i].is_ok()).collect()
    }

    /// A usable frame's header.
    pub fn header(&self, index: FrameIndex<Given>) -> &Frame {
        self.frames[index].as_ref().expect("only usable frames are asked for")
    }

    /// Does `work` with the reference frame, decoded.
    ///
    /// # Errors
    /// Those of `work`; [`NotMade::ReferenceLost`] where it cannot be decoded;
    /// [`CoreError::Cancelled`].
    pub fn with_reference<T>(
        &self,
        reference: FrameIndex<Given>,
        work: impl FnOnce(&Frame) -> Result<T, CoreError>,
    ) -> Result<T, NotMade> {
        match self.header(reference) {
            frame if frame.is_decoded() => Ok(work(frame)?),
            _ => match self.load(reference) {
                Ok(frame) => Ok(work(&frame)?),
                Err(CoreError::Cancelled) => Err(CoreError::Cancelled.into()),
                Err(error) => Err(NotMade::ReferenceLost(error.to_string())),
            },
        }
    }

    /// Decodes a frame into memory.
    ///
    /// # Errors
    /// [`CoreError::Picture`], [`CoreError::Cancelled`].
    pub fn load(&self, index: FrameIndex<Given>) -> Result<Frame, CoreError> {
        Frame::load(self.request.frame(index), &mut || match self.request.watch.cancelled() {
            true => Err(PictureError::Cancelled),
            false => Ok(()),
        })
    }

    /// Does `work` with each usable frame, decoded, several at a time. Frames that turn out not to
    /// be readable are marked so, and left out of what is returned.
    ///
    /// # Errors
    /// The first error of `work`; [`CoreError::Cancelled`].
    pub fn each<T: Send>(
        &mut self,
        work: impl Fn(FrameIndex<Given>, &Frame) -> Result<T, CoreError> + Sync,
    ) -> Result<Vec<(FrameIndex<Given>, T)>, CoreError> {
        let usable = self.usable();
        let one = |&index: &FrameIndex<Given>| -> Result<(_, Result<T, String>), CoreError> {
            let frame = self.header(index);
            if frame.is_decoded() {
                return Ok((index, Ok(work(index, frame)?)));
            }
            match self.load(index) {
                Ok(frame) => Ok((index, Ok(work(index, &frame)?))),
                Err(CoreError::Cancelled) => Err(CoreError::Cancelled),
                Err(error) => Ok((index, Err(error.to_string()))),
            }
        };
        let mut done = Vec::with_capacity(usable.len());
        for few in usable.as_slice().chunks(self.together.unwrap_or(usable.len()).max(1)) {
            let some: Result<Vec<_>, CoreError> = few.par_iter().with_max_len(1).map(one).collect();
            done.extend(some?);
        }
        let mut kept = Vec::with_capacity(done.len());
        for (index, result) in done {
            match result {
                Ok(value) => kept.push((index, value)),
                Err(reason) => self.frames[index] = Err(reason),
            }
        }
        Ok(kept)
    }
}

/// How many frames at a time a run without scratch holds in memory; `None` when it cannot do
/// without: the method orders samples, something else than the frames' own light is needed, or the
/// picture that gathers does not fit into the memory together with a frame.
fn together(request: &Request) -> Option<usize> {
    let (align, combine) = (&request.plan.align, &request.plan.combine);
    let plain = matches!(combine.method, Method::Mean | Method::Lightest | Method::Darkest);
    let gaps = combine.fill_gaps && align.mode == AlignMode::None;
    if !request.stream
        || request.plan.skyline.is_on()
        || !plain
        || combine.level
        || combine.weigh
        || gaps
    {
        return None;
    }
    let facts = |input: &FrameInput| Some(PictureFile::open(&input.path).ok()?.facts().clone());
    let facts: Vec<Facts> = request.frames.iter().filter_map(facts).collect();
    let area = |facts: &Facts| u64::from(facts.width) * u64::from(facts.height);
    // Light that gathers, and for edges that not all frames cover, weights and numbers of frames.
    let pixel = if combine.edges == Edges::Trim { 12 } else { 18 };
    let gathered = facts.iter().map(area).max()? * pixel;
    let left = request.budget.memory.checked_sub(gathered + memory::APART)?;
    // A JPEG or PNG decoder may hold the picture a second time.
    let one = facts.iter().map(Frame::bytes_in_memory).max()?;
    let frames = (left / one.max(1)) as usize;
    (frames >= 2).then_some((frames - 1).min(request.budget.threads))
}
