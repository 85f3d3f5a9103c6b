//! Names of the pictures that a page can ask for.

use crate::error::ApiError;
use jade_frames::cache::{LayerKind, MapKind};
use jade_plan::MergeMethod;

/// A picture that a page can ask for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Source {
    /// A frame by its number, under its treatment.
    Frame(i64),
    /// A frame, calibrated as in a run.
    Calibrated(i64),
    /// A frame as its file has it.
    Original(i64),
    /// A result by its number.
    Result(i64),
    /// A map of a result, as an overlay.
    Map(MapKind, i64),
    /// The skyline of a shoot, as an overlay over its frames.
    Skyline(i64),
    /// A layer of a result by its number.
    Layer(LayerKind, i64),
    /// A frame as it lies on the reference frame of a result: result and frame by number.
    Placed(i64, i64),
    /// A merged sweep by its number with what its shoot's plan has painted on it now.
    Painted(i64),
    /// A merged sweep, painted all over with what the brush offers.
    Offered(i64, Offer),
}

impl std::str::FromStr for Source {
    type Err = ApiError;

    fn from_str(text: &str) -> Result<Self, ApiError> {
        let parsed = text.split_once('-').and_then(|(kind, rest)| match kind {
            "placed" => {
                let (result, frame) = rest.split_once('-')?;
                Some(Self::Placed(result.parse().ok()?, frame.parse().ok()?))
            }
            "frame" => Some(Self::Frame(rest.parse().ok()?)),
            "calibrated" => Some(Self::Calibrated(rest.parse().ok()?)),
            "original" => Some(Self::Original(rest.parse().ok()?)),
            "result" => Some(Self::Result(rest.parse().ok()?)),
            "skyline" => Some(Self::Skyline(rest.parse().ok()?)),
            "sky" => Some(Self::Layer(LayerKind::Sky, rest.parse().ok()?)),
            "ground" => Some(Self::Layer(LayerKind::Ground, rest.parse().ok()?)),
            "merged" => Some(Self::Layer(LayerKind::Merged, rest.parse().ok()?)),
            "painted" => Some(Self::Painted(rest.parse().ok()?)),
            "offered" => {
                let (result, offer) = rest.split_once('-')?;
                let offer = match offer {
                    "fine" => Offer::Way(MergeMethod::Pyramid),
                    "smooth" => Offer::Way(MergeMethod::DepthMap),
                    frame => Offer::Frame(frame.parse().ok()?),
                };
                Some(Self::Offered(result.parse().ok()?, offer))
            }
            kind => {
                let map = MapKind::ALL.into_iter().find(|map| map.name() == kind)?;
                Some(Self::Map(map, rest.parse().ok()?))
            }
        });
        parsed.ok_or_else(|| ApiError::missing("This picture"))
    }
}

/// What a brush can paint with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Offer {
    /// A frame by its number.
    Frame(i64),
    /// The sweep merged by a method.
    Way(MergeMethod),
}
