//! Files saved of a result.

use jade_engine::export::Colours;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A file form that results are saved in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ExportFormat {
    /// TIFF of 16 bit.
    Tiff16,
    /// TIFF of 32-bit floats: linear light, highlights beyond white included.
    Tiff32f,
    /// PNG of 16 bit.
    Png16,
    /// JPEG.
    Jpeg,
    /// Of a result with its sky and ground apart, the share of sky: grey PNG of 16 bit.
    Mask,
    /// Of a merged sweep, the depth map: grey PNG of 16 bit.
    DepthMap,
    /// Of a merged sweep, its frames one after the other: a small moving PNG.
    Moving,
}

/// A wish for a file.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct NewExport {
    /// The form.
    pub format: ExportFormat,
    /// The colours of a picture.
    #[serde(default)]
    pub colours: Colours,
    /// Whether to say where the frames were taken.
    #[serde(default = "yes")]
    pub place: bool,
}

fn yes() -> bool {
    true
}

/// A saved file with its plan beside it.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Export {
    /// Its number.
    pub id: i64,
    /// Name of the file.
    pub file: String,
    /// Name of the file with its plan.
    pub plan_file: String,
    /// The folder on the server's machine.
    pub folder: String,
    /// Size of its file in bytes.
    pub bytes: i64,
    /// When it was made, in milliseconds after the beginning of 1970.
    pub made: i64,
}
