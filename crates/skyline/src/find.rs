//! Finds the skyline.

use crate::evidence::Evidence;
use crate::label::label;
use crate::refine::Pixels;
use crate::strokes::{Labels, Regions};
use crate::view::View;
use jade_combine::mask::Mask;
use jade_optics::grid::Grid;
use jade_optics::space::InReference;
use jade_plan::{CoreError, Stroke};

/// Least distance that the sky must move somewhere between the first and the last frame, in pixels.
const LEAST_MOVED: f64 = 2.0;

/// A found skyline.
#[derive(Clone)]
pub struct Skyline {
    pub(crate) evidence: Evidence,
    pub(crate) regions: Regions,
    pub(crate) labels: Labels,
}

impl Skyline {
    /// Finds the skyline in frames of one size that are aligned on the stars; in a single frame it
    /// is less certain.
    ///
    /// # Errors
    /// [`CoreError::Frames`] when the sky does not move, or when there is no sky or no ground;
    /// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
    pub fn find(views: &[View], stop: &(dyn Fn() -> bool + Sync)) -> Result<Self, CoreError> {
        let moved = moved(views);
        if views.len() > 1 && moved < LEAST_MOVED {
            return Err(CoreError::Frames(format!(
                "The sky moves by {moved:.1} pixels over these frames, too little to tell it from the ground; choose frames over a longer time."
            )));
        }
        let evidence = Evidence::gather(views, stop)?;
        if evidence.stars.iter().sum::<f32>() < 5.0 {
            return Err(CoreError::Frames(
                "No stars are seen that go with the sky, so that it cannot be told from the ground; stack these frames without a skyline.".to_owned(),
            ));
        }
        let sky = label(&evidence);
        both(&sky)?;
        let labels = Labels { said: vec![None; sky.len()], sky };
        let r = Regions::of(&evidence);
        Ok(Self { regions: r, evidence, labels })
    }

    /// The grid on which it was found.
    pub fn grid(&self) -> Grid {
        self.evidence.grid
    }

    /// Probability that each cell of the grid is sky, 0 to 1.
    pub fn sky(&self) -> &[f32] {
        &self.labels.sky
    }

    /// Applies a sky stroke or a ground stroke.
    pub fn stroke(&mut self, stroke: &Stroke) {
        self.regions.stroke(&mut self.labels, self.evidence.grid, stroke);
    }

    /// The share of sky in every pixel of the reference frame. `views` are the frames in which the
    /// skyline was found.
    ///
    /// # Errors
    /// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
    pub fn mask(
        &self,
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Mask, CoreError> {
        Ok(Pixels::of(views, &self.evidence, &self.labels, stop)?.mask())
    }
}

/// Makes sure that there are both sky and ground.
fn both(sky: &[f32]) -> Result<(), CoreError> {
    let above = sky.iter().filter(|sky| **sky > 0.5).count() as f32 / sky.len() as f32;
    let none = match above {
        ..0.005 => "sky",
        0.995.. => "ground",
        _ => return Ok(()),
    };
    Err(CoreError::Frames(format!(
        "No {none} is seen in these frames; stack them without a skyline."
    )))
}

/// Largest distance that the sky moves between two of the frames, in pixels.
fn moved(views: &[View]) -> f64 {
    let (width, height) = views[0].light.size();
    let [right, low] = [width, height].map(|side| f64::from(side) - 1.0);
    let corners = [[0.0, 0.0], [right, 0.0], [0.0, low], [right, low]];
    let corners_of = |view: &View| corners.map(|at| view.motion.from_reference(InReference(at)).0);
    let there: Vec<[[f64; 2]; 4]> = views.iter().map(corners_of).collect();
    let apart = |a: &[[f64; 2]; 4], b: &[[f64; 2]; 4]| {
        a.iter().zip(b).map(|(a, b)| (a[0] - b[0]).hypot(a[1] - b[1])).fold(0.0, f64::max)
    };
    let pairs = there.iter().flat_map(|a| there.iter().map(move |b| apart(a, b)));
    pairs.fold(0.0, f64::max)
}

#[cfg(test)]
mod tests {
    use super::both;

    #[test]
    fn a_picture_of_one_side_alone_has_no_skyline() {
        let share = |sky: usize| -> Vec<f32> {
            (0..1000).map(|i| if i < sky { 0.9 } else { 0.1 }).collect()
        };
        let said = |sky| both(&share(sky)).unwrap_err().to_string();
        assert!(said(2).starts_with("No sky is seen"));
        assert!(said(998).starts_with("No ground is seen"));
        assert!(both(&share(6)).is_ok() && both(&share(994)).is_ok());
    }
}
