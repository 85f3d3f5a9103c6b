//! The report of a run, in the present form; reports of the first form, which had the figures of all
//! stages side by side, are read too.

use super::combine::{CombineReport, NoiseGain, NoisePoint};
use super::finish::FinishReport;
use super::frame::FrameReport;
use super::frames::ExposureReport;
use super::merge::FocusReport;
use super::skyline::SkylineReport;
use super::stage::{Figures, StageReport, StageTime};
use crate::frame_id::FrameId;
use jade_optics::camera::Lens;
use serde::{Deserialize, Serialize};

/// The report of a run, as `--report` writes it.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(from = "Written")]
pub struct Report {
    /// Version of this form: 2.
    pub version: u32,
    /// File name of the reference frame.
    pub reference: String,
    /// The reference frame.
    pub reference_content: FrameId,
    /// Width and height of the result in pixels.
    #[cfg_attr(feature = "schema", schema(value_type = (u32, u32)))]
    pub size: [u32; 2],
    /// The result's top-left pixel in the reference frame.
    #[cfg_attr(feature = "schema", schema(value_type = (u32, u32)))]
    pub origin: [u32; 2],
    /// Every frame that was given, in order.
    pub frames: Vec<FrameReport>,
    /// The stages of the run, in order.
    pub stages: Vec<StageReport>,
    /// The process's largest resident memory so far in MiB.
    pub peak_memory_mib: u64,
}

impl Report {
    /// Version of the form that is written.
    pub const VERSION: u32 = 2;

    /// The report of a frame. Reports that were written before frames were named by their content
    /// find it by the name of its file.
    pub fn frame(&self, id: &FrameId, name: &str) -> Option<&FrameReport> {
        match self.frames.iter().any(|frame| frame.content.is_known()) {
            true => self.frames.iter().find(|frame| frame.content == *id),
            false => self.frames.iter().find(|frame| frame.file == name),
        }
    }

    /// Adds the figures of a stage, in place of those that it has.
    pub fn add(&mut self, figures: Figures) {
        let place = |stage: &StageReport| stage.figures.place();
        match self.stages.iter_mut().find(|stage| place(stage) == figures.place()) {
            Some(stage) => stage.figures = figures,
            None => {
                self.stages.push(StageReport { seconds: None, figures });
                self.stages.sort_by_key(place);
            }
        }
    }

    /// Adds the times of stages.
    pub fn time(&mut self, times: Vec<StageTime>) {
        for StageTime { name, seconds } in times {
            let is_it = |stage: &&mut StageReport| stage.figures.is_timed_as(&name);
            if let Some(stage) = self.stages.iter_mut().rfind(is_it) {
                stage.seconds = Some(stage.seconds.unwrap_or(0.0) + seconds);
            } else if let Some(figures) = Figures::none(&name) {
                self.add(figures);
                self.time(vec![StageTime { name, seconds }]);
            }
        }
    }

    fn find<'a, T>(&'a self, figures: impl Fn(&'a Figures) -> Option<T>) -> Option<T> {
        self.stages.iter().find_map(|stage| figures(&stage.figures))
    }

    /// Figures of the combine stage.
    pub fn combine(&self) -> Option<&CombineReport> {
        self.find(|figures| match figures {
            Figures::Combine(combine) => Some(combine),
            _ => None,
        })
    }

    /// Noise of the reference frame and of the result, where it could be measured.
    pub fn noise(&self) -> Option<NoiseGain> {
        self.combine()?.noise
    }

    /// Median full width at half maximum of the result's stars, in pixels.
    pub fn star_width_px(&self) -> Option<f32> {
        self.combine()?.star_width_px
    }

    /// Figures about sky and ground, where they were kept apart.
    pub fn skyline(&self) -> Option<&SkylineReport> {
        self.find(|figures| match figures {
            Figures::Skyline(skyline) => Some(skyline),
            _ => None,
        })
    }

    /// Figures about a focus sweep.
    pub fn focus(&self) -> Option<&FocusReport> {
        self.find(|figures| match figures {
            Figures::Merge(focus) => Some(focus),
            _ => None,
        })
    }

    /// Figures about finishing.
    pub fn finish(&self) -> Option<&FinishReport> {
        self.find(|figures| match figures {
            Figures::Finish(finish) => Some(finish),
            _ => None,
        })
    }

    /// Exposure times of the frames.
    pub fn exposures(&self) -> Option<&ExposureReport> {
        self.find(|figures| match figures {
            Figures::Frames { exposures } => exposures.as_ref(),
            _ => None,
        })
    }
}

/// A report of either form.
#[derive(Deserialize)]
struct Written {
    reference: String,
    #[serde(default)]
    reference_content: FrameId,
    size: [u32; 2],
    origin: [u32; 2],
    frames: Vec<FrameReport>,
    stages: Vec<Stage>,
    peak_memory_mib: u64,
    #[serde(flatten)]
    first: First,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum Stage {
    Now(StageReport),
    First(StageTime),
}

/// Figures of the first form.
#[derive(Deserialize)]
struct First {
    noise: Option<NoiseGain>,
    #[serde(default)]
    noise_by_frames: Vec<NoisePoint>,
    star_width_px: Option<f32>,
    skyline: Option<SkylineReport>,
    focus: Option<FocusReport>,
    finish: Option<FinishReport>,
    exposures: Option<ExposureReport>,
    lens: Option<Lens>,
}

impl First {
    fn figures(self) -> Vec<Figures> {
        let Self { noise, noise_by_frames, star_width_px, skyline, focus, .. } = self;
        let made = match focus {
            Some(focus) => Figures::Merge(focus),
            None => Figures::Combine(CombineReport { noise, noise_by_frames, star_width_px }),
        };
        let mut figures = vec![
            Figures::Frames { exposures: self.exposures },
            Figures::Align { lens: self.lens },
            made,
        ];
        figures.extend(skyline.map(Figures::Skyline));
        figures.extend(self.finish.map(Figures::Finish));
        figures
    }
}

impl From<Written> for Report {
    fn from(written: Written) -> Self {
        let Written { reference, reference_content, size, origin, frames, .. } = written;
        let mut report = Self {
            version: Self::VERSION,
            reference,
            reference_content,
            size,
            origin,
            frames,
            stages: vec![],
            peak_memory_mib: written.peak_memory_mib,
        };
        let mut times = vec![];
        let mut is_first = written.stages.is_empty();
        for stage in written.stages {
            match stage {
                Stage::Now(stage) => report.stages.push(stage),
                Stage::First(time) => {
                    is_first = true;
                    times.push(time);
                }
            }
        }
        if is_first {
            written.first.figures().into_iter().for_each(|figures| report.add(figures));
        }
        report.time(times);
        report
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const FIRST: &str = r#"{"version":1,"reference":"f2.tif","size":[90,60],"origin":[3,4],"frames":[],
        "noise":{"single":0.01,"result":0.005,"gain":2.0,"ideal_gain":2.1},"star_width_px":2.5,
        "skyline":{"sky":0.6,"ground_frames":4,"ground_noise":null,"ground_gain":[1,1,1],"left_out":[]},
        "lens":null,"stages":[{"name":"frames","seconds":1.5},{"name":"combine","seconds":2.0}],
        "peak_memory_mib":99}"#;

    #[test]
    fn reports_of_the_first_form_are_read() {
        let report: Report = serde_json::from_str(FIRST).unwrap();
        assert_eq!((report.version, report.noise().unwrap().gain), (2, 2.0));
        assert_eq!(report.star_width_px(), Some(2.5));
        assert_eq!(report.skyline().unwrap().ground_frames, 4);
        assert!(report.focus().is_none() && report.finish().is_none());
        let seconds: Vec<Option<f64>> = report.stages.iter().map(|stage| stage.seconds).collect();
        assert_eq!(seconds, [Some(1.5), None, None, Some(2.0)], "{:?}", report.stages);
    }

    #[test]
    fn what_is_written_is_read_again() {
        let mut report: Report = serde_json::from_str(FIRST).unwrap();
        report.add(Figures::Finish(FinishReport { uneven: Some([0.5, 0.1]), noise: None }));
        let times = [("finish", 0.5), ("prepare", 0.25), ("export", 1.0), ("finish", 0.25)];
        let time = |(name, seconds): (&str, f64)| StageTime { name: name.to_owned(), seconds };
        report.time(times.into_iter().map(time).collect());
        let text = serde_json::to_string(&report).unwrap();
        let again: Report = serde_json::from_str(&text).unwrap();
        assert_eq!(again.stages, report.stages);
        let names: Vec<String> = again
            .stages
            .iter()
            .map(|stage| serde_json::to_value(stage).unwrap()["stage"].as_str().unwrap().to_owned())
            .collect();
        let order = ["prepare", "frames", "align", "skyline", "combine", "finish", "export"];
        assert_eq!(names, order);
        assert_eq!(again.stages[5].seconds, Some(0.75));
    }

    #[test]
    fn a_stage_has_its_figures_once() {
        let mut report: Report = serde_json::from_str(FIRST).unwrap();
        let count = report.stages.len();
        report.add(Figures::Combine(CombineReport::default()));
        assert_eq!((report.stages.len(), report.noise()), (count, None));
    }
}
