// Generated from the server's types by `cargo xtask types`; do not edit.

export type Kind = "night-sky" | "star-trails" | "low-light-burst" | "clear-the-scene" | "focus-sweep";

export type PictureSource = "combine" | "merge";

export type PictureChange = "paint" | "finish";

export type Step = "frames" | "prepare" | "align" | "skyline" | "combine" | "finish" | "export";

export type KindRules = { 
/**
 * The kind.
 */
kind: Kind, 
/**
 * The name, as inside a sentence.
 */
name: string, 
/**
 * The purpose, as one sentence.
 */
about: string, 
/**
 * The stage that makes the picture.
 */
source: PictureSource, 
/**
 * Stages that change the picture afterwards, in order.
 */
changes: Array<PictureChange>, 
/**
 * Steps that the page shows, in order.
 */
steps: Array<Step>, 
/**
 * Ways to align that make sense.
 */
align: Array<AlignMode>, 
/**
 * Treatments of edges that make sense.
 */
edges: Array<Edges>, 
/**
 * Whether the person chooses the reference frame; otherwise the run does.
 */
chooses_reference: boolean, 
/**
 * Whether the frames are taken for the sky and its stars.
 */
is_of_the_sky: boolean, 
/**
 * Whether stars are measured and used to judge frames.
 */
judges_stars: boolean, 
/**
 * Whether the scene is well lit, so that frames are shown as they are and not brightened.
 */
is_lit: boolean, 
/**
 * Whether each frame shows another plane sharp.
 */
has_planes: boolean, };

export type WhiteBalance = { "by": "as-shot" } | { "by": "light", 
/**
 * Colour temperature in kelvin, 1700 to 25000.
 */
kelvin: number, 
/**
 * Tint from -150 to 150: towards green above 0, towards magenta below.
 */
tint: number, } | { "by": "neutral", 
/**
 * Its linear light as shot: red, green, blue.
 */
grey: [number, number, number], };

export type Demosaic = "fast" | "fine";

export type Highlights = "clip" | "keep";

export type Repair = "auto" | "always" | "off";

export type Denoise = { 
/**
 * Amount for brightness, 0 to 1.
 */
luminance: number, 
/**
 * Amount for colour, 0 to 1.
 */
colour: number, };

export type LensPlan = { 
/**
 * Distortion `[a, b]`: without it, what stands at `r` would stand at `r (1 + a r^2 + b r^4)`;
 * -0.4 to 0.4 each.
 */
distortion: [number, number], 
/**
 * Lateral colour `[a, b]`: where green stands at `r`, red stands at `r (1 + a + b r^2)`; -0.02
 * to 0.02 each.
 */
red: [number, number], 
/**
 * Lateral colour of blue, as for red.
 */
blue: [number, number], 
/**
 * Vignetting `[a, b, c]`: the share of the light that reaches `r` is `1 + a r^2 + b r^4 + c
 * r^6`; at least 0.05.
 */
shading: [number, number, number], };

export type LensFound = { 
/**
 * The given flaws, with the measured ones in their place.
 */
lens: LensPlan, 
/**
 * Displacement of the corners in pixels, outward above 0, and its standard error.
 */
distortion_px: [number, number] | null, 
/**
 * Offsets of red and blue from green at the corners in pixels, outward above 0.
 */
colour_px: [number, number] | null, 
/**
 * Standard errors of those offsets, in pixels.
 */
colour_error_px: [number, number] | null, 
/**
 * Share of the middle's light that reaches the corners.
 */
corner_light: number | null, 
/**
 * Sentences about what could not be measured, and why.
 */
missing: Array<string>, };

export type LensFrom = "stars" | "flats";

export type LensWish = { 
/**
 * What the lens is measured from.
 */
from: LensFrom, };

export type PreparePlan = { 
/**
 * White balance.
 */
white_balance: WhiteBalance, 
/**
 * How the missing colours of a mosaic are found; raw frames only.
 */
demosaic: Demosaic, 
/**
 * How clipped highlights are treated; raw frames only.
 */
highlights: Highlights, 
/**
 * Exposure in stops, -5 to 5.
 */
gain_ev: number, 
/**
 * Noise reduction, before frames are combined.
 */
denoise: Denoise, 
/**
 * Which faulty samples are repaired.
 */
repair: Repair, 
/**
 * Flaws of the lens, the same for all frames.
 */
lens: LensPlan, };

export type PrepareChange = { 
/**
 * White balance.
 */
white_balance?: WhiteBalance, 
/**
 * How clipped highlights are treated; raw frames only.
 */
highlights?: Highlights, 
/**
 * Exposure in stops, -5 to 5.
 */
gain_ev?: number, 
/**
 * Noise reduction.
 */
denoise?: Denoise, };

export type FrameDifference = { 
/**
 * The frame.
 */
blake3: FrameId, 
/**
 * The settings that differ.
 */
change: PrepareChange, };

export type AlignMode = "stars" | "scene" | "none";

export type SceneModel = "auto" | "shift" | "similarity" | "homography";

export type HandPairs = { 
/**
 * The frame.
 */
blake3: FrameId, 
/**
 * `[x, y, X, Y]`: a place in the frame and the same place in the reference frame, in pixels.
 */
pairs: Array<[number, number, number, number]>, };

export type Method = "mean" | "median" | "clipped" | "lightest" | "darkest" | "spread";

export type Edges = "trim" | "keep" | "fill";

export type AlignPlan = { 
/**
 * What frames are aligned on.
 */
mode: AlignMode, 
/**
 * The family of motions, when aligning on the whole scene.
 */
model: SceneModel, 
/**
 * Frames that are placed by pairs set by hand.
 */
by_hand: Array<HandPairs>, };

export type SkylineMode = "none" | "auto" | "mask";

export type NamedFile = { 
/**
 * File name.
 */
file: string, 
/**
 * BLAKE3 of its content, as hexadecimal digits.
 */
blake3: string, };

export type Paint = "sky-stroke" | "ground-stroke" | "sky-brush" | "ground-brush";

export type Stroke = { 
/**
 * What it paints.
 */
paint: Paint, 
/**
 * `[x, y, radius]` along it, in pixels of the reference frame.
 */
points: Array<[number, number, number]>, 
/**
 * Share of the radius over which the stroke fades out, 0 to 1.
 */
soft: number, };

export type GroundFrom = { "by": "same" } | { "by": "frame", 
/**
 * The frame.
 */
blake3: FrameId, } | { "by": "set", 
/**
 * Number of the set in the shoot; 0 on the command line, where sets have no number.
 */
set: number, } | { "by": "picture" } & NamedFile;

export type GroundPlan = { 
/**
 * Its source.
 */
from: GroundFrom, 
/**
 * How several frames become one: mean, median or clipped mean.
 */
method: Method, 
/**
 * Share by which the brightness and colour of another source are brought to those of the sky's
 * frames, 0 to 1.
 */
matched: number, };

export type SkylinePlan = { 
/**
 * Where the mask comes from.
 */
mode: SkylineMode, 
/**
 * The mask that was loaded.
 */
mask: NamedFile | null, 
/**
 * Strokes, in order.
 */
strokes: Array<Stroke>, 
/**
 * Distance by which the ground's edge is moved into the sky, in pixels; negative into the
 * ground.
 */
margin_px: number, 
/**
 * Radius by which the mask is softened, in pixels.
 */
soft_px: number, 
/**
 * Settings of the ground.
 */
ground: GroundPlan, };

export type SkylineSeen = { 
/**
 * Changes whenever the mask does.
 */
version: string, 
/**
 * Share of the reference frame that is sky.
 */
sky: number, 
/**
 * Share of it that may be either.
 */
unsure: number, 
/**
 * Frames that it was found in; 0 for a mask that was loaded.
 */
frames: number, 
/**
 * Places along the skyline: `[x, y, unsure]`, in pixels, and 0 to 1.
 */
places: Array<[number, number, number]>, };

export type SkylineReport = { 
/**
 * Share of the result that is sky.
 */
sky: number, 
/**
 * Frames that the ground was made from.
 */
ground_frames: number, 
/**
 * Noise of the ground, in the reference frame and in the result; `noise` of the report is that
 * of the sky. `None` where the ground came from elsewhere.
 */
ground_noise: NoiseGain | null, 
/**
 * Factors that brought the ground's red, green and blue to the brightness of the sky's frames.
 */
ground_gain: [number, number, number], 
/**
 * Frames of the ground that were left out, each with the reason.
 */
left_out: Array<[string, string]>, };

export type FinishReport = { 
/**
 * Unevenness of the sky before and after. It is the difference between the 95th and the 5th
 * percentile of the medians of small squares, as a share of the median. `None` where no sky
 * glow was taken off.
 */
uneven: [number, number] | null, 
/**
 * Standard deviation of the sky's noise before and after, in linear light. `None` where it was
 * not smoothed, or no patch is even enough.
 */
noise: [number, number] | null, };

export type FocusStep = { 
/**
 * How far the focus moved; 1 is the usual step.
 */
length: number, 
/**
 * Whether a plane is missing between the two frames.
 */
wide: boolean, 
/**
 * Whether both frames show the same plane.
 */
double: boolean, };

export type MovedPlace = { 
/**
 * File name of the frame, or of the first frame that shows it.
 */
file: string, 
/**
 * That frame.
 */
content: FrameId, 
/**
 * Middle of the place in the reference frame, in pixels.
 */
at: [number, number], 
/**
 * Radius of the place, in pixels.
 */
radius_px: number, };

export type FocusReport = { 
/**
 * File names of the readable frames in the order of focus; from near to far where alignment
 * shows the direction.
 */
order: Array<string>, 
/**
 * The frames in that order.
 */
contents: Array<FrameId>, 
/**
 * Steps from each frame in that order to the next.
 */
steps: Array<FocusStep>, 
/**
 * For each frame in that order, the share of the picture in which it is the sharpest.
 */
shares: Array<number>, 
/**
 * Sentences about what to check: planes that are missing or shown twice, patches that are left
 * out.
 */
doubts: Array<string>, 
/**
 * Places where one frame shows something else than its neighbours.
 */
moved: Array<MovedPlace>, 
/**
 * Share of the picture in which it is known which frame is the sharpest.
 */
known: number, 
/**
 * Share of the picture that lies where a plane is missing, and is sharp in no frame.
 */
between: number, };

export type CombinePlan = { 
/**
 * The method.
 */
method: Method, 
/**
 * Standard deviations from the median beyond which the clipped mean rejects a sample.
 */
clip: number, 
/**
 * Bring the brightness of all frames to that of the reference frame first.
 */
level: boolean, 
/**
 * Let less noisy and sharper frames count more in a mean or clipped mean.
 */
weigh: boolean, 
/**
 * Fill the gaps that pauses between exposures leave in star trails. Only for the lightest of
 * frames that are not aligned.
 */
fill_gaps: boolean, 
/**
 * How edges are treated.
 */
edges: Edges, };

export type FinishPlan = { 
/**
 * Share of the sky's uneven brightness that is taken off, 0 (nothing) to 1 (all of it).
 */
glow: number, 
/**
 * Share of the remaining noise between the stars that is smoothed away, 0 to 1.
 */
smoothing: number, };

export type MergeMethod = "fine" | "smooth";

export type PatchFrom = { "by": "frame", 
/**
 * The frame.
 */
blake3: FrameId, } | { "by": "way", 
/**
 * The method.
 */
way: MergeMethod, };

export type Patch = { 
/**
 * Whose pixels it is painted with.
 */
from: PatchFrom, 
/**
 * `[x, y, radius]` along the stroke, in pixels of the reference frame.
 */
points: Array<[number, number, number]>, 
/**
 * Share of the radius over which the stroke fades out, 0 to 1.
 */
soft: number, };

export type FocusPlan = { 
/**
 * The method.
 */
way: MergeMethod, 
/**
 * Strokes over the merged sweep, the first of them lowest.
 */
patches: Array<Patch>, };

export type SharpFrame = { 
/**
 * The frame, by its number.
 */
frame_id: number, 
/**
 * Name of its file.
 */
file: string, 
/**
 * BLAKE3 of its file, as hexadecimal digits.
 */
blake3: FrameId, 
/**
 * Energy of its fine detail against that of the sharpest frame there.
 */
sharp: number, };

export type Plan = { 
/**
 * Version of this form: 1.
 */
version: number, 
/**
 * The kind of the shoot.
 */
kind: Kind, 
/**
 * The prepare step.
 */
prepare: PreparePlan, 
/**
 * Settings of the prepare step that differ for single frames.
 */
differences: Array<FrameDifference>, 
/**
 * The align step.
 */
align: AlignPlan, 
/**
 * The skyline step.
 */
skyline: SkylinePlan, 
/**
 * The combine step.
 */
combine: CombinePlan, 
/**
 * How a focus sweep is merged; used by kinds that merge frames.
 */
focus: FocusPlan, 
/**
 * The finish step.
 */
finish: FinishPlan, };

export type PlanFrame = { 
/**
 * File name.
 */
file: string, 
/**
 * The frame.
 */
blake3: FrameId, 
/**
 * Whether it went into the result.
 */
used: boolean, };

export type FrameId = string;

export type FrameRole = "dark" | "bias" | "flat";

export type PlanCalibration = { 
/**
 * Its role.
 */
shows: FrameRole, 
/**
 * File name.
 */
file: string, 
/**
 * The frame.
 */
blake3: FrameId, 
/**
 * Whether it went into the result.
 */
used: boolean, };

export type PlanRecord = { 
/**
 * The plan.
 */
plan: Plan, 
/**
 * File name of the reference frame.
 */
reference: string, 
/**
 * The reference frame; not known in plans that were saved before it was noted.
 */
reference_blake3: FrameId, 
/**
 * Every frame that was given to the run.
 */
frames: Array<PlanFrame>, 
/**
 * The frames or the picture that the ground came from, where those were others.
 */
ground: Array<PlanFrame>, 
/**
 * The calibration frames.
 */
calibration: Array<PlanCalibration>, };

export type Stage = "prepare" | "frames" | "align" | "skyline" | "combine" | "finish" | "export";

export type FileFormat = "tiff" | "png" | "jpeg" | "raw" | "exr" | "webp" | "fits";

export type GpsValue = { "text": string } | { "bytes": Array<number> } | { "ratios": Array<[number, number]> };

export type GpsEntry = { 
/**
 * Its number.
 */
tag: number, 
/**
 * Its value.
 */
value: GpsValue, };

export type Details = { 
/**
 * The camera's maker, as in the file.
 */
make?: string, 
/**
 * The camera's model, as in the file.
 */
model?: string, 
/**
 * The lens's maker.
 */
lens_make?: string, 
/**
 * The photographer.
 */
artist?: string, 
/**
 * The copyright.
 */
copyright?: string, 
/**
 * The description.
 */
description?: string, 
/**
 * Digits of the second after the point.
 */
subsecond?: string, 
/**
 * Offset of the camera's clock from UTC, such as `+01:00`.
 */
offset?: string, 
/**
 * Pixels for each inch across and down.
 */
per_inch?: [number, number], 
/**
 * The entries about the place where it was taken.
 */
gps?: Array<GpsEntry>, };

export type Facts = { 
/**
 * File format.
 */
format: FileFormat, 
/**
 * Width in pixels of the upright picture, also where it is stored turned or mirrored.
 */
width: number, 
/**
 * Height in pixels of the upright picture.
 */
height: number, 
/**
 * Bits of one sample.
 */
bits: number, 
/**
 * Whether samples are floating-point numbers.
 */
float: boolean, 
/**
 * Exposure time in seconds.
 */
exposure_s: number | null, 
/**
 * ISO speed.
 */
iso: number | null, 
/**
 * Aperture as f-number.
 */
aperture: number | null, 
/**
 * Focal length in millimetres, as engraved.
 */
focal_mm: number | null, 
/**
 * When it was taken, `YYYY-MM-DD HH:MM:SS` on the camera's clock.
 */
taken: string | null, 
/**
 * Camera maker and model.
 */
camera: string | null, 
/**
 * The lens by name.
 */
lens: string | null, 
/**
 * The name in the embedded colour profile.
 */
profile: string | null, 
/**
 * The raw values of grey by the camera's white balance: red, green and blue, green 1.
 */
neutral: [number, number, number] | null, 
/**
 * Further entries about how and by whom it was taken.
 */
details?: Details, };

export type Measures = { 
/**
 * Stars found; lamps and hot pixels may be among them.
 */
stars: number, 
/**
 * Median full width at half maximum of well measured stars in pixels.
 */
star_width_px: number | null, 
/**
 * Standard error of that in pixels.
 */
star_width_error_px: number | null, 
/**
 * Median of shorter by longer axis of bright stars, 0 to 1.
 */
roundness: number | null, 
/**
 * Median background in linear light; white is 1.
 */
level: number, 
/**
 * Contrast of the sharpest tenth of the picture over two pixels, minus the share of noise,
 * relative to the brightness there.
 */
sharpness: number, 
/**
 * Share of pixels with a colour at the white point, 0 to 1.
 */
clipped: number, 
/**
 * Share of stars that have a second one beside them, all in the same direction and at the same
 * distance, 0 to 1.
 */
doubled: number, 
/**
 * Light in red and in blue relative to green, of a typical patch; `None` if there is too
 * little light.
 */
colour: [number, number] | null, 
/**
 * Light of a ring around bright stars relative to their brightest pixel; below 0 if the frame
 * was sharpened.
 */
rim: number | null, 
/**
 * Additional correlation of noise between adjacent pixels, compared to pixels further apart,
 * as a share of its variance where the picture is smoothest: above 0 if colours were
 * interpolated or noise was reduced, below 0 if the frame was sharpened.
 */
grain: number | null, 
/**
 * Contrast over two pixels, including noise, of the most detailed patch in each of [`CELLS`]
 * parts of the picture, row by row, relative to the brightness there.
 */
detail: Array<number>, };

export type NoiseGain = { 
/**
 * Standard deviation in the reference frame, in linear light.
 */
single: number, 
/**
 * Standard deviation in the result at the same places.
 */
result: number, 
/**
 * `single / result`.
 */
gain: number, 
/**
 * The gain that the method reaches at best with this many frames.
 */
ideal_gain: number, };

export type NoisePoint = { 
/**
 * Number of frames.
 */
frames: number, 
/**
 * Measured standard deviation, in linear light.
 */
noise: number, 
/**
 * Standard deviation expected from one frame's noise and the method.
 */
expected: number, };

export type PatchFigures = { 
/**
 * Standard deviation of the noise of the mean of colours, in linear light (white is 1).
 */
noise: number, 
/**
 * Median of the mean of colours, in linear light.
 */
level: number, 
/**
 * Fine detail including noise: the root of its [`Sharpness`], as a share of the root of white.
 */
detail: number, };

export type CombineReport = { 
/**
 * Noise of the reference frame and of the result, where it could be measured.
 */
noise: NoiseGain | null, 
/**
 * Noise of growing numbers of combined frames, the reference frame first.
 */
noise_by_frames: Array<NoisePoint>, 
/**
 * Median full width at half maximum in the result, in pixels, of the stars that measure well
 * in the reference frame.
 */
star_width_px: number | null, };

export type Figures = { "stage": "prepare" } | { "stage": "frames", 
/**
 * Exposure times of the frames, where all of them are known.
 */
exposures: ExposureReport | null, } | { "stage": "align", 
/**
 * The lens that was found, where the camera model was used.
 */
lens: { focal_px: number; centre: [number, number]; k1: number; k2: number } | null, } | { "stage": "skyline" } & SkylineReport | { "stage": "combine" } & CombineReport | { "stage": "merge" } & FocusReport | { "stage": "paint" } | { "stage": "finish" } & FinishReport | { "stage": "export" };

export type StageReport = { 
/**
 * Seconds that it took; `None` where its product came from the cache.
 */
seconds: number | null, } & ({ "stage": "prepare" } | { "stage": "frames", 
/**
 * Exposure times of the frames, where all of them are known.
 */
exposures: ExposureReport | null, } | { "stage": "align", 
/**
 * The lens that was found, where the camera model was used.
 */
lens: { focal_px: number; centre: [number, number]; k1: number; k2: number } | null, } | { "stage": "skyline" } & SkylineReport | { "stage": "combine" } & CombineReport | { "stage": "merge" } & FocusReport | { "stage": "paint" } | { "stage": "finish" } & FinishReport | { "stage": "export" });

export type ExposureReport = { 
/**
 * Sum.
 */
total_s: [number, number], 
/**
 * Longest.
 */
longest_s: [number, number], 
/**
 * Shortest.
 */
shortest_s: [number, number], };

export type FrameReport = { 
/**
 * File name.
 */
file: string, 
/**
 * The frame.
 */
content: FrameId, 
/**
 * Whether it went into the result.
 */
used: boolean, 
/**
 * Why it did not go into the result: one sentence.
 */
reason: string | null, 
/**
 * Model of its motion: `still`, `shift`, `similarity`, `homography` or `camera`.
 */
model: string | null, 
/**
 * Its motion in full.
 */
motion: unknown, 
/**
 * The homography from the frame to the reference frame that comes nearest to its motion, row
 * by row.
 */
to_reference: [[number, number, number], [number, number, number], [number, number, number]] | null, 
/**
 * Its motion, sampled: `[x, y, X, Y]` from frame to reference frame, in pixels.
 */
grid: Array<[number, number, number, number]>, 
/**
 * Root mean square distance of the matched stars in pixels, weighted by how well their centres
 * are known.
 */
rms_px: number | null, 
/**
 * Stars matched with the reference frame.
 */
matched: number | null, 
/**
 * Stars found.
 */
stars: number | null, 
/**
 * Median full width at half maximum of its stars, in pixels.
 */
star_width_px: number | null, 
/**
 * Median level of its background in linear light (white is 1).
 */
sky_level: number | null, 
/**
 * Its weight in the result.
 */
weight: number, 
/**
 * Whether it was placed by pairs set by hand.
 */
by_hand: boolean, 
/**
 * Factor and offset that brought its green to the reference frame's brightness.
 */
level: [number, number] | null, 
/**
 * Share of its samples that the clipped mean rejected.
 */
rejected: number | null, 
/**
 * Residuals of up to 80 matches spread over the picture: `[X, Y, dX, dY]`, the place in the
 * reference frame and the offset of the matched place, in pixels.
 */
residuals: Array<[number, number, number, number]>, };

export type Report = { 
/**
 * Version of this form: 2.
 */
version: number, 
/**
 * File name of the reference frame.
 */
reference: string, 
/**
 * The reference frame.
 */
reference_content: FrameId, 
/**
 * Width and height of the result in pixels.
 */
size: [number, number], 
/**
 * The result's top-left pixel in the reference frame.
 */
origin: [number, number], 
/**
 * Every frame that was given, in order.
 */
frames: Array<FrameReport>, 
/**
 * The stages of the run, in order.
 */
stages: Array<StageReport>, 
/**
 * The process's largest resident memory so far in MiB.
 */
peak_memory_mib: number, };

export type ShootState = "empty" | "gathered" | "running" | "stopped" | "done";

export type ShootCard = { 
/**
 * Its number.
 */
id: number, 
/**
 * Its name.
 */
name: string, 
/**
 * What it is for.
 */
kind: Kind, 
/**
 * How far it is.
 */
state: ShootState, 
/**
 * Light frames.
 */
lights: number, 
/**
 * Number of dark frames.
 */
darks: number, 
/**
 * Number of results.
 */
results: number, 
/**
 * Milliseconds since 1970.
 */
touched: number, 
/**
 * Source of the picture to show, if there is one.
 */
picture: string | null, 
/**
 * The picture's version; its address carries it.
 */
version: string, };

export type NewShoot = { 
/**
 * Its name, 1 to 120 letters.
 */
name: string, 
/**
 * What it is for.
 */
kind: Kind, };

export type ShootChange = { 
/**
 * A new name.
 */
name?: string, 
/**
 * The settings to change, as an object of objects.
 */
plan?: object, 
/**
 * The values of all changed settings before the change. Where somebody else changed the shoot
 * meanwhile, both changes are merged, or this one is refused if both concern one setting.
 */
was?: { name?: string; kind?: Kind; plan?: object; reference_id?: number | null; stacked_set?: number | null }, 
/**
 * Brings the plan that such a shoot begins with, prepare left as it was, unless one is given.
 */
kind?: Kind, 
/**
 * The reference frame; 0 lets the proposed one be taken.
 */
reference_id?: number, 
/**
 * The set that is stacked; 0 lets all lights be.
 */
stacked_set?: number, };

export type Shoot = { 
/**
 * Its number.
 */
id: number, 
/**
 * Counts its changes; the same as its ETag.
 */
revision: number, 
/**
 * Its name.
 */
name: string, 
/**
 * What it is for.
 */
kind: Kind, 
/**
 * Its settings.
 */
plan: Plan, 
/**
 * The chosen reference frame, if one was chosen.
 */
reference_id: number | null, 
/**
 * The frame that is proposed as the reference frame, once frames are measured.
 */
proposed_reference: ProposedReference | null, 
/**
 * Its frames.
 */
frames: Array<Frame>, 
/**
 * The sets that have frames; those of frames in none are all others of their role.
 */
sets: Array<FrameSet>, 
/**
 * The set of lights that is stacked; all lights where there is none.
 */
stacked_set: number | null, 
/**
 * Doubts about frames that are used.
 */
doubts: Array<Doubt>, 
/**
 * What would spoil the stack, or should be known beforehand.
 */
checks: Array<Check>, 
/**
 * Where lights that are in no set seem to belong, once all are measured.
 */
proposed_sets: Array<ProposedSet>, 
/**
 * Another kind that the shoot seems to be.
 */
proposed_kind: ProposedKind | null, 
/**
 * The folder from which frames are added as they are written.
 */
watched: Watched | null, 
/**
 * What runs made of it, the newest first.
 */
results: Array<ShootResult>, 
/**
 * Its runs, the newest first.
 */
jobs: Array<Job>, 
/**
 * Its probes.
 */
probes: Array<Probe>, };

export type Role = "light" | "dark" | "flat" | "bias";

export type Frame = { 
/**
 * Its number.
 */
id: number, 
/**
 * Its name.
 */
name: string, 
/**
 * BLAKE3 of its content, as hexadecimal digits.
 */
blake3: FrameId, 
/**
 * Changes when its pixels do, as by another treatment; the address of its picture carries it.
 */
version: string, 
/**
 * Whether it stays in its own folder, rather than in the application's.
 */
linked: boolean, 
/**
 * Size of its file in bytes.
 */
bytes: number, 
/**
 * What it shows.
 */
role: Role, 
/**
 * Facts from its file; `None` where it cannot be read.
 */
facts: Facts | null, 
/**
 * Why it cannot be used.
 */
problem: string | null, 
/**
 * Whether it is left out of runs.
 */
left_out: boolean, 
/**
 * The set that it is in.
 */
set_id: number | null, 
/**
 * Its measures, once there are any.
 */
measures: Measures | null, };

export type Doubt = { 
/**
 * The frame, by its number.
 */
frame_id: number, 
/**
 * One sentence.
 */
reason: string, };

export type Watched = { 
/**
 * A path on the machine of the server.
 */
path: string, 
/**
 * What it shows.
 */
role: Role, 
/**
 * Whether the folder is there now.
 */
there: boolean, };

export type Check = { 
/**
 * One or two sentences.
 */
text: string, 
/**
 * The frames that it is about; none where it is about all.
 */
frame_ids: Array<number>, 
/**
 * Whether leaving them out would put it right.
 */
leave_out: boolean, 
/**
 * Whether one white balance for all would.
 */
balance: boolean, };

export type ProposedReference = { 
/**
 * The frame, by its number.
 */
frame_id: number, 
/**
 * One sentence.
 */
reason: string, };

export type FrameSet = { 
/**
 * Its number.
 */
id: number, 
/**
 * Its name.
 */
name: string, 
/**
 * What it shows.
 */
role: Role, };

export type Purpose = "sky" | "ground" | "bracket" | "focus" | "scene" | "dark" | "flat" | "bias";

export type ProposedSet = { 
/**
 * What the frames seem to be for.
 */
purpose: Purpose, 
/**
 * What it shows.
 */
role: Role, 
/**
 * Its name.
 */
name: string, 
/**
 * The set that has others like them, if there is one.
 */
into: number | null, 
/**
 * The frames, by their numbers.
 */
frame_ids: Array<number>, 
/**
 * Half a sentence.
 */
reason: string, };

export type ProposedKind = { 
/**
 * What it is for.
 */
kind: Kind, 
/**
 * Half a sentence.
 */
reason: string, };

export type Sort = { 
/**
 * Name of the set.
 */
name: string, 
/**
 * What it shows.
 */
role: Role, 
/**
 * A set to put them into, by its number, rather than a new one.
 */
into: number | null, 
/**
 * The frames, by their numbers.
 */
frame_ids: Array<number>, };

export type SortFrames = { 
/**
 * The sets to make.
 */
sets: Array<Sort>, };

export type SetChange = { 
/**
 * Its name.
 */
name: string, };

export type FrameLight = { 
/**
 * Colour temperature in kelvin.
 */
kelvin: number, 
/**
 * Towards green above 0, towards magenta below.
 */
tint: number, };

export type FrameColour = { 
/**
 * Whether it is raw.
 */
raw: boolean, 
/**
 * The light it was balanced for as shot, where the file tells.
 */
light: FrameLight | null, };

export type Grey = { 
/**
 * Its linear light as shot: red, green, blue.
 */
grey: [number, number, number], };

export type Added = { 
/**
 * Its name.
 */
name: string, 
/**
 * The frame that was added, or is there already.
 */
frame: Frame | null, 
/**
 * The name of the frame of this shoot that has the same content.
 */
same_as: string | null, 
/**
 * Why the file could not be added at all.
 */
problem: string | null, };

export type AddFolder = { 
/**
 * A path on the machine of the server.
 */
path: string, 
/**
 * What it shows.
 */
role: Role, 
/**
 * Add what is written there later, too.
 */
watch: boolean, };

export type FramesChange = { 
/**
 * The frames, by their numbers.
 */
ids: Array<number>, 
/**
 * Whether they are left out.
 */
left_out?: boolean, 
/**
 * What they show.
 */
role?: Role, 
/**
 * The set they are put into, which says what they are for; 0 takes them out of theirs.
 */
set_id?: number, 
/**
 * Keep them in spite of doubts.
 */
kept?: boolean, };

export type FolderEntry = { 
/**
 * A path on the machine of the server.
 */
path: string, 
/**
 * Its name.
 */
name: string, };

export type Folder = { 
/**
 * A path on the machine of the server.
 */
path: string, 
/**
 * Its name alone.
 */
name: string, 
/**
 * The folder above, unless that is out of bounds.
 */
above: string | null, 
/**
 * Folders in it.
 */
folders: Array<FolderEntry>, 
/**
 * Names of the picture files in it.
 */
pictures: Array<string>, };

export type JobState = "queued" | "running" | "done" | "failed" | "cancelled" | "interrupted";

export type Job = { 
/**
 * Its number.
 */
id: number, 
/**
 * The shoot, by its number.
 */
shoot_id: number, 
/**
 * How far it is.
 */
state: JobState, 
/**
 * Its settings.
 */
plan: Plan, 
/**
 * The stage that it is at.
 */
stage: Stage | null, 
/**
 * Steps of that stage that are done.
 */
done: number, 
/**
 * Steps of that stage.
 */
total: number, 
/**
 * Expected seconds until the run ends, once they can be estimated.
 */
remaining_s: number | null, 
/**
 * What went wrong, as a sentence for the person.
 */
problem: string | null, 
/**
 * When it was asked for, in milliseconds after the beginning of 1970.
 */
created: number, 
/**
 * When it ended, in milliseconds after the beginning of 1970.
 */
finished: number | null, };

export type ShootResult = { 
/**
 * Its number.
 */
id: number, 
/**
 * Names its pixels; the address of its picture carries it.
 */
version: string, 
/**
 * Its settings.
 */
plan: Plan, 
/**
 * BLAKE3 of the frames that it was calibrated with.
 */
calibration: Array<FrameId>, 
/**
 * The reference frame, by its number.
 */
reference_id: number, 
/**
 * The report.
 */
report: Report, 
/**
 * When it was made, in milliseconds after the beginning of 1970.
 */
made: number, 
/**
 * Files that were saved of it.
 */
exports: Array<Export>, };

export type PictureInfo = { 
/**
 * `frame-ID`, `calibrated-ID`, `original-ID`, `result-ID`, `placed-RESULT-FRAME`,
 * `rejected-RESULT` or `coverage-RESULT`; two of them with `~` between for their difference.
 */
source: string, 
/**
 * Changes when the pixels do.
 */
version: string, 
/**
 * Width in pixels.
 */
width: number, 
/**
 * Height in pixels.
 */
height: number, 
/**
 * Halved sizes that exist, the full one included.
 */
levels: number, 
/**
 * Left top in the reference frame in pixels.
 */
origin: [number, number], };

export type Histogram = { 
/**
 * Pixels by even steps of sRGB's code: red, green and blue.
 */
bins: [Array<number>, Array<number>, Array<number>], 
/**
 * Share of pixels with a colour at the white point.
 */
white: number, 
/**
 * Share of pixels without any light.
 */
black: number, };

export type Probe = { 
/**
 * Its number.
 */
id: number, 
/**
 * Its name.
 */
name: string, 
/**
 * Left column in the reference frame, in pixels.
 */
x: number, 
/**
 * Top row in the reference frame, in pixels.
 */
y: number, 
/**
 * Side in pixels.
 */
size: number, };

export type NewProbe = { 
/**
 * Its name.
 */
name: string, 
/**
 * Left column in the reference frame, in pixels.
 */
x: number, 
/**
 * Top row in the reference frame, in pixels.
 */
y: number, 
/**
 * Side of its square in pixels.
 */
size: number, };

export type Measured = { 
/**
 * `None` when the picture does not reach there.
 */
figures: PatchFigures | null, };

export type HandTry = { 
/**
 * The pairs.
 */
pairs: Array<[number, number, number, number]>, };

export type HandFound = { 
/**
 * `shift`, `similarity` or `homography`; `None` while the pairs tell no motion.
 */
model: string | null, 
/**
 * Distance of each pair under that motion, in pixels.
 */
off_px: Array<number>, 
/**
 * Root of the mean of their squares, in pixels.
 */
rms_px: number, };

export type ExportFormat = "tiff16" | "tiff32f" | "png16" | "jpeg" | "mask" | "focusmap" | "moving";

export type Colours = "input" | "srgb" | "display-p3" | "a98" | "prophoto" | "linear";

export type NewExport = { 
/**
 * The form.
 */
format: ExportFormat, 
/**
 * The colours of a picture.
 */
colours?: Colours, 
/**
 * Whether to say where the frames were taken.
 */
place?: boolean, };

export type Export = { 
/**
 * Its number.
 */
id: number, 
/**
 * Name of the file.
 */
file: string, 
/**
 * Name of the file with its plan.
 */
plan_file: string, 
/**
 * The folder on the server's machine.
 */
folder: string, 
/**
 * Size of its file in bytes.
 */
bytes: number, 
/**
 * When it was made, in milliseconds after the beginning of 1970.
 */
made: number, };

export type Event = { "type": "present", 
/**
 * All runs that are queued or under way.
 */
jobs: Array<Job>, } | { "type": "job", 
/**
 * The run as it is now.
 */
job: Job, } | { "type": "shoot", 
/**
 * The shoot, by its number.
 */
id: number, } | { "type": "finding", 
/**
 * The shoot, by its number.
 */
shoot_id: number, 
/**
 * The stage that it is at.
 */
stage: Stage | null, 
/**
 * Steps of that stage that are done.
 */
done: number, 
/**
 * Steps of that stage.
 */
total: number, } | { "type": "saving", 
/**
 * The result, by its number.
 */
result_id: number, 
/**
 * `None` when it ended.
 */
stage: Stage | null, 
/**
 * Steps of that stage that are done.
 */
done: number, 
/**
 * Steps of that stage.
 */
total: number, 
/**
 * Expected seconds until this stage ends, once they can be estimated.
 */
remaining_s: number | null, };

export type Problem = { 
/**
 * What is wrong and what to do, as one sentence.
 */
problem: string, 
/**
 * Settings that somebody else changed at the same time.
 */
clash?: Array<string>, };
