//! The types that cross between server and browser, as TypeScript.

use crate::types::*;
use jade_align::noise::PatchFigures;
use jade_engine::LensFound;
use jade_engine::export::Colours;
use jade_pixels::facts::{Details, Facts, FileFormat, GpsEntry, GpsValue};
use jade_plan::progress::Stage;
use jade_plan::report::{
    CombineReport, ExposureReport, Figures, FinishReport, FocusReport, FocusStep, FrameReport,
    MovedPlace, NoiseGain, NoisePoint, Report, SkylineReport, StageReport,
};
use jade_plan::{
    AlignMode, AlignPlan, CombinePlan, Demosaic, Denoise, Edges, FinishPlan, FocusPlan,
    FrameDifference, FrameId, FrameRole, GroundFrom, GroundPlan, HandPairs, Highlights, Kind,
    KindRules, LensPlan, MergeMethod, Method, NamedFile, Paint, Patch, PatchFrom, PictureChange,
    PictureSource, Plan, PlanCalibration, PlanFrame, PlanRecord, PrepareChange, PreparePlan,
    Repair, SceneModel, SkylineMode, SkylinePlan, Step, Stroke, WhiteBalance,
};
use jade_survey::measures::Measures;
use jade_survey::sets::Purpose;
use ts_rs::{Config, TS};

/// The generated TypeScript, all of it.
pub fn typescript() -> String {
    let config = Config::new().with_large_int("number");
    let mut out =
        String::from("// Generated from the server's types by `cargo xtask types`; do not edit.\n");
    macro_rules! declare {
        ($($t:ty),* $(,)?) => {$(
            out.push_str("\nexport ");
            out.push_str(&<$t as TS>::decl(&config));
            out.push('\n');
        )*};
    }
    declare!(
        Kind,
        PictureSource,
        PictureChange,
        Step,
        KindRules,
        WhiteBalance,
        Demosaic,
        Highlights,
        Repair,
        Denoise,
        LensPlan,
        LensFound,
        LensFrom,
        LensWish,
        PreparePlan,
        PrepareChange,
        FrameDifference,
        AlignMode,
        SceneModel,
        HandPairs,
        Method,
        Edges,
        AlignPlan,
        SkylineMode,
        NamedFile,
        Paint,
        Stroke,
        GroundFrom,
        GroundPlan,
        SkylinePlan,
        SkylineSeen,
        SkylineReport,
        FinishReport,
        FocusStep,
        MovedPlace,
        FocusReport,
        CombinePlan,
        FinishPlan,
        MergeMethod,
        PatchFrom,
        Patch,
        FocusPlan,
        SharpFrame,
        Plan,
        PlanFrame,
        FrameId,
        FrameRole,
        PlanCalibration,
        PlanRecord,
        Stage,
        FileFormat,
        GpsValue,
        GpsEntry,
        Details,
        Facts,
        Measures,
        NoiseGain,
        NoisePoint,
        PatchFigures,
        CombineReport,
        Figures,
        StageReport,
        ExposureReport,
        FrameReport,
        Report,
        ShootState,
        ShootCard,
        NewShoot,
        ShootChange,
        Shoot,
        Role,
        Frame,
        Doubt,
        Watched,
        Check,
        ProposedReference,
        FrameSet,
        Purpose,
        ProposedSet,
        ProposedKind,
        Sort,
        SortFrames,
        SetChange,
        FrameLight,
        FrameColour,
        Grey,
        Added,
        AddFolder,
        FramesChange,
        FolderEntry,
        Folder,
        JobState,
        Job,
        ShootResult,
        PictureInfo,
        Histogram,
        Probe,
        NewProbe,
        Measured,
        HandTry,
        HandFound,
        ExportFormat,
        Colours,
        NewExport,
        Export,
        Event,
        Problem,
    );
    out
}
