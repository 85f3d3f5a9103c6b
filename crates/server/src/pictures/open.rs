//! Opening any picture.

use super::open_picture::OpenPicture;
use super::painted;
use super::source::Source;
use super::stored;
use crate::app::App;
use crate::error::ApiError;
use std::sync::Arc;

/// Opens a picture. Decodes it and makes its levels if that has not been done.
///
/// # Errors
/// [`ApiError`] when it is missing or cannot be read.
pub async fn open(app: &Arc<App>, source: Source) -> Result<Arc<OpenPicture>, ApiError> {
    match source {
        // Painted pictures change with every stroke.
        Source::Painted(id) => painted::open(app, id).await,
        Source::Offered(id, offer) => painted::offered(app, id, offer).await,
        source => stored::open(app, source).await,
    }
}
