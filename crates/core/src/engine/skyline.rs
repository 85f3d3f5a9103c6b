//! The skyline stage: where the sky ends.

use super::gallery::Gallery;
use super::{Request, decode, stages};
use crate::CoreError;
use crate::align::Motion;
use crate::skyline::{self, Evidence, Grid, View};
use rayon::prelude::*;

/// Frames that are looked at at most, spread over all of them.
const LOOKED_AT: usize = 8;

/// Parts sky and ground of frames that are aligned on the stars: how likely each cell of a grid over
/// the reference frame is sky.
///
/// # Errors
/// As for [`super::stack`].
pub fn skyline(request: &Request) -> Result<(Grid, Vec<f32>, Vec<u8>), CoreError> {
    super::pool(request.budget)?.install(|| {
        let mut gallery = Gallery::open(request)?;
        let reference = decode::settle(&mut gallery.frames, request.reference)?;
        let note = stages::aligned(request, &mut gallery, reference)?;
        let motions = note.alignment.frames.iter().enumerate();
        let used: Vec<(usize, &Motion)> =
            motions.filter_map(|(i, one)| Some((i, one.motion.as_ref()?))).collect();
        let count = used.len().min(LOOKED_AT);
        let some: Vec<(usize, &Motion)> =
            (0..count).map(|k| used[k * (used.len() - 1) / (count - 1).max(1)]).collect();
        let lights: Result<Vec<Vec<[f64; 2]>>, CoreError> = some
            .par_iter()
            .map(|&(i, _)| {
                let list = stages::stars_of(request, i, gallery.header(i))?;
                Ok(list.stars.iter().map(|star| [star.x, star.y]).collect())
            })
            .collect();
        let lights = lights?;
        let views: Vec<View> = some
            .iter()
            .zip(&lights)
            .map(|(&(i, motion), lights)| View { light: gallery.header(i), motion, lights })
            .collect();
        let stop = || request.watch.cancelled();
        let t = std::time::Instant::now();
        let evidence = Evidence::gather(&views, &stop)?;
        let t1 = t.elapsed().as_secs_f64();
        let sky = skyline::label(&evidence);
        let t2 = t.elapsed().as_secs_f64();
        let shares = skyline::refine(&views, &evidence, &sky, &stop)?;
        if std::env::var("SKY_TIME").is_ok() {
            eprintln!(
                "evidence {t1:.2} label {:.2} refine {:.2}",
                t2 - t1,
                t.elapsed().as_secs_f64() - t2
            );
        }
        Ok((evidence.grid, sky, shares))
    })
}
