//! What was found about a lens, in lines.

use jade_engine::LensFound;

/// What was found about a lens, in lines.
pub fn lines(found: &LensFound) -> String {
    let mut said = String::new();
    if let Some([corner, error]) = found.distortion_px {
        said += &format!(
            "distortion: corners {corner:+.1} px ± {error:.1} px from where they belong\n"
        );
    }
    if let (Some(colours), Some(errors)) = (found.colour_px, found.colour_error_px) {
        for (name, (colour, error)) in ["red", "blue"].iter().zip(colours.iter().zip(errors)) {
            said +=
                &format!("{name}: {colour:+.2} px ± {error:.2} px beside green at the corners\n");
        }
    }
    if let Some(share) = found.corner_light {
        said += &format!("shading: {:.0} % of the light reaches the corners\n", share * 100.0);
    }
    for missing in &found.missing {
        said += &format!("{missing}\n");
    }
    said
}
