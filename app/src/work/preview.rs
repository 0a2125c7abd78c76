//! Live pictures: each request for the same view adds samples to what was gathered before.

use super::asked::{PairShown, PreviewRequest};
use super::denoise::calmed;
use super::running::Running;
use super::titles::Drawing;
use super::{App, Result, WorkError, at_once};
use crate::model::places::Pose;
use crate::model::rigs::{FloatingWindow, Rig, RigKind};
use crate::model::settings::SceneSettings;
use dome_files::{Fingerprint, jpeg};
use dome_imaging::anaglyph::{Anaglyph, difference, mixed};
use dome_imaging::pair::windowed;
use dome_imaging::{Curve, Picture, Strip, Tone};
use dome_optics::rig::Side;
use dome_optics::{Equirect, Eye, MonoEye, Orientation, PanoramaSize, PictureSize, rig};
use dome_trace::kept::KeptLight;
use dome_trace::photometry::white_at;
use dome_trace::preview::{ENOUGH, LiveView, Preview};
use dome_trace::quick;
use dome_trace::render::Hold;
use glam::DVec3;
use rayon::prelude::*;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::time::{Duration, Instant};

/// Views kept in memory.
const KEPT: usize = 6;
/// Widest live picture, pixels.
pub const MAX_WIDTH: u32 = 1536;
/// Time for refining one view per request.
const BUDGET: Duration = Duration::from_millis(450);
/// Pixels up to which a picture has its light at once; larger ones are drawn from the light of some pixels first.
const SMALL: u64 = 128 * 64;
/// Samples from which the denoising library does better than the light's own smoothing, and from which without it the picture is
/// shown as it is.
const LIBRARY_FROM: u32 = 2;
const PLAIN_FROM: u32 = 64;
/// Samples up to which a live picture makes the queue wait.
const URGENT: u32 = 8;

#[derive(Clone, PartialEq)]
struct View {
    project: i64,
    /// What the scene holds: after another file of the same project nothing of before is shown.
    content: Fingerprint,
    settings: SceneSettings,
    pose: Pose,
    width: u32,
    clay: bool,
    /// The frame of a flat picture: horizontal field of view, radians, and ratio.
    frame: Option<(f64, f64)>,
    /// The eye of a pair, unless it sees what one eye alone sees.
    eye: Option<(rig::Rig, Side)>,
}

/// What light in a scene depends on: the project, what the scene holds, its settings, and whether all is one grey.
type Lit = (i64, Fingerprint, SceneSettings, bool);

/// Scenes in a light whose light is kept for live pictures.
const KEPT_LIGHTS: usize = 3;

/// Views and what was gathered for each, most recently used last.
#[derive(Default)]
pub struct Previews {
    kept: Mutex<Vec<(View, Arc<Mutex<Preview>>)>>,
    /// The light that views of one scene share, likewise.
    lights: Mutex<Vec<(Lit, Arc<KeptLight>)>>,
    /// Quick pictures asked for so far.
    hurries: AtomicU64,
    patience: Mutex<Patience>,
    /// Samples after which they rest, if another number was asked for.
    rest: OnceLock<u32>,
}

impl Previews {
    /// Lets pictures rest after so many samples a pixel, 1 to 256; asked for once.
    pub fn rest_after(&self, samples: u32) {
        let _ = self.rest.set(samples.clamp(1, ENOUGH));
    }

    /// Samples a pixel after which pictures rest.
    pub(super) fn enough(&self) -> u32 {
        self.rest.get().copied().unwrap_or(ENOUGH)
    }

    /// The light that a view shares with others of its scene.
    fn light_of(&self, view: &View) -> Arc<KeptLight> {
        let lit: Lit = (view.project, view.content, view.settings.clone(), view.clay);
        let mut lights = self.lights.lock().unwrap_or_else(PoisonError::into_inner);
        let light = match lights.iter().position(|(l, _)| *l == lit) {
            Some(i) => lights.remove(i).1,
            None => Arc::default(),
        };
        lights.push((lit, Arc::clone(&light)));
        if lights.len() > KEPT_LIGHTS {
            lights.remove(0);
        }
        light
    }

    /// Ends what is gathering light.
    pub fn give_up(&self) {
        self.hurries.fetch_add(1, Ordering::Relaxed);
    }

    /// Makes the running order wait for a live picture, unless it has waited for its share already.
    fn hold<'a>(&'a self, running: &'a Running) -> Option<Held<'a>> {
        let mut patience = self.patience.lock().unwrap_or_else(PoisonError::into_inner);
        patience.may_hold(Instant::now()).then(|| Held {
            _hold: running.control.hold(),
            patience: &self.patience,
            since: Instant::now(),
        })
    }
}

/// How long an order may be made to wait, of each stretch of time: live pictures never stop a render for good.
const HELD_AT_MOST: Duration = Duration::from_secs(3);
const STRETCH: Duration = Duration::from_secs(6);

/// What the running order has waited for live pictures.
#[derive(Default)]
struct Patience {
    stretch: Option<Instant>,
    held: Duration,
}

impl Patience {
    fn may_hold(&mut self, now: Instant) -> bool {
        if self.stretch.is_none_or(|s| now.duration_since(s) > STRETCH) {
            *self = Self {
                stretch: Some(now),
                held: Duration::ZERO,
            };
        }
        self.held < HELD_AT_MOST
    }
}

/// The running order waits for as long as this lives.
struct Held<'a> {
    _hold: Hold<'a>,
    patience: &'a Mutex<Patience>,
    since: Instant,
}

impl Drop for Held<'_> {
    fn drop(&mut self) {
        let mut patience = self.patience.lock().unwrap_or_else(PoisonError::into_inner);
        patience.held += self.since.elapsed();
    }
}

/// A live picture.
pub struct Live {
    /// JPEG.
    pub jpeg: Vec<u8>,
    /// Samples per pixel so far.
    pub samples: u32,
    /// Samples at which it is finished.
    pub enough: u32,
    /// Whether noise was taken out.
    pub calm: bool,
    /// Share of the pixels that have light of their own.
    pub lit: f64,
}

/// The display tone of every screen: a picture's 1 is white, soft shoulder. Deliveries choose their own.
pub const SCREEN_TONE: Tone = Tone {
    exposure_stops: 0.0,
    curve: Curve::Soft,
};

/// The eye of a pose.
pub fn eye(pose: &Pose) -> MonoEye<Equirect> {
    shaped_eye(pose, Equirect)
}

/// The eye at a pose that draws with some projection.
pub fn shaped_eye<P: dome_optics::Projection>(pose: &Pose, projection: P) -> MonoEye<P> {
    MonoEye::new(DVec3::from(pose.position), orientation(pose), projection)
}

/// The orientation of a pose.
pub fn orientation(pose: &Pose) -> Orientation {
    Orientation {
        heading_deg: pose.heading_deg,
        pitch_deg: pose.pitch_deg,
        roll_deg: pose.roll_deg,
    }
}

/// Widest quick picture, pixels.
const MAX_QUICK: u32 = 512;

/// The quick picture of a pose as JPEG: its own colours without the scene's light. `rays` a side of a pixel.
pub fn quick_jpeg(
    app: &App,
    project: i64,
    settings: &SceneSettings,
    pose: &Pose,
    (width, rays): (u32, u32),
) -> Result<Vec<u8>> {
    let size = PanoramaSize::from_width(width.min(MAX_QUICK))?;
    let eyes: [Box<dyn Eye>; 1] = [Box::new(eye(pose))];
    let mut pictures = quick_pictures(
        app,
        project,
        (settings, settings.time_s),
        &eyes,
        (size.into(), rays),
    )?;
    let picture = pictures.pop().unwrap_or_else(|| Picture::black(1, 1));
    screen_jpeg(&picture, &SCREEN_TONE, 85)
}

/// The quick pictures of some eyes at the moment of some settings, in light of another, `own_s`; all at the same time: no thread waits for another eye's last rows.
fn quick_pictures(
    app: &App,
    project: i64,
    (settings, own_s): (&SceneSettings, f64),
    eyes: &[Box<dyn Eye>],
    (size, rays): (PictureSize, u32),
) -> Result<Vec<Picture>> {
    app.previews.hurries.fetch_add(1, Ordering::Relaxed);
    let scene = app.scenes.get_as(app, project, settings)?;
    let white = white_at(settings.gathered_stops());
    // Of the light only the sky and what glows are seen, the same at every moment: it is not made anew for each of those that fly by.
    let own = SceneSettings {
        time_s: own_s,
        ..settings.clone()
    };
    let light = app.scenes.light(app, project, &own, true, white)?;
    let running = app.jobs.rendering();
    let _hold = running.as_ref().and_then(|r| app.previews.hold(r));
    Ok(at_once(|| {
        (eyes.par_iter())
            .map(|eye| quick::picture(&scene, &light, eye, size, rays))
            .collect()
    }))
}

/// A picture as the screen shows it with a tone, as JPEG in memory.
pub fn screen_jpeg(picture: &Picture, tone: &Tone, quality: u8) -> Result<Vec<u8>> {
    let rgb = tone.to_srgb8(&picture.samples);
    Ok(jpeg::encode_small(
        picture.width,
        picture.height,
        &rgb,
        quality,
    )?)
}

/// What a request looks with: its pair if it has one, the size of each eye's picture, and the pose of a frame.
struct Looking {
    rig: Option<Rig>,
    size: PictureSize,
    pose: Pose,
}

impl Looking {
    fn of(request: &PreviewRequest, most: u32) -> Result<Self> {
        let rig = request.rig.clone().filter(|r| r.kind != RigKind::Off);
        let width = request.width.min(most);
        let mut pose = request.pose;
        if let Some(rig) = &rig {
            rig.check().map_err(WorkError::Request)?;
        }
        let size = match &rig {
            Some(rig) if rig.kind == RigKind::Flat => {
                pose.pitch_deg = rig.flat.pitch_deg;
                let frame = rig.frame();
                let height = (f64::from(width) / frame.ratio).round().max(4.0) as u32;
                PictureSize::new(frame.shape(), Some(width), Some(height))?
            }
            _ => PanoramaSize::from_width(width)?.into(),
        };
        Ok(Self { rig, size, pose })
    }

    /// The pair as it is seen on the screen: parallel cameras as they are after their crop.
    fn pair(&self) -> Option<rig::Rig> {
        self.rig.as_ref()?.pair().map(|pair| match pair {
            rig::Rig::Flat(flat) if flat.method == rig::Method::Parallel => {
                rig::Rig::Flat(rig::FlatPair {
                    method: rig::Method::OffAxis,
                    ..flat
                })
            }
            other => other,
        })
    }

    fn eye(&self, side: Side) -> Box<dyn Eye> {
        let (at, turned) = (DVec3::from(self.pose.position), orientation(&self.pose));
        match self.pair() {
            Some(pair) => pair.eye(side, at, turned, self.size.shape),
            None => Box::new(MonoEye::new(at, turned, self.size.shape)),
        }
    }

    /// The eyes that a picture is made of.
    fn sides(&self, show: Option<PairShown>) -> &'static [Side] {
        match show {
            _ if self.rig.is_none() => &[Side::Left],
            None | Some(PairShown::Left) => &[Side::Left],
            Some(PairShown::Right) => &[Side::Right],
            Some(_) => &Side::BOTH,
        }
    }

    /// The titles of the rig, for pictures that are shown with `tone`.
    fn drawing(&self, app: &App, tone: &Tone) -> Result<Option<Drawing>> {
        match &self.rig {
            Some(rig) => {
                let eye = |side| self.eye(side);
                Drawing::new(app, &self.pose, rig, &self.size, tone, &eye)
            }
            None => Ok(None),
        }
    }

    /// A picture of an eye with titles and the floating window over it.
    fn finished(&self, mut picture: Picture, side: Side, drawing: Option<&Drawing>) -> Picture {
        if let Some(drawing) = drawing {
            let strip = Strip {
                top: 0,
                width: picture.width,
                samples: picture.samples,
            };
            let mut strip = strip.into();
            drawing.over(&mut strip, side, &[]);
            picture.samples = strip.beauty.samples;
        }
        self.windowed(picture, side)
    }

    /// A picture of an eye with the floating window over it.
    fn windowed(&self, picture: Picture, side: Side) -> Picture {
        let Some(flat) = (self.rig.as_ref())
            .filter(|r| r.kind == RigKind::Flat)
            .map(|r| r.flat)
        else {
            return picture;
        };
        if flat.window == FloatingWindow::default() {
            return picture;
        }
        let scale = f64::from(picture.width) / f64::from(flat.budget.final_width.max(1));
        let edge = flat.window.of(side).map(|px| px * scale);
        let strip = Strip {
            top: 0,
            width: picture.width,
            samples: picture.samples,
        };
        Picture {
            samples: windowed(strip.into(), picture.height, side, edge)
                .beauty
                .samples,
            ..picture
        }
    }

    /// One picture of the eyes' pictures.
    fn shown(&self, mut pictures: Vec<Picture>, show: Option<PairShown>) -> Picture {
        let (Some(right), Some(left), Some(show)) = (pictures.pop(), pictures.pop(), show) else {
            return pictures.pop().unwrap_or_else(|| Picture::black(1, 1));
        };
        let strip = |p: Picture| Strip {
            top: 0,
            width: p.width,
            samples: p.samples,
        };
        let (width, height) = (left.width, left.height);
        let (left, right) = (strip(left), strip(right));
        let glasses = |kind: Anaglyph| mixed(&left, &right, |l, r| kind.of(l, r));
        let made = match show {
            PairShown::Left => left,
            PairShown::Right => right,
            PairShown::Grey => glasses(Anaglyph::Grey),
            PairShown::HalfColour => glasses(Anaglyph::HalfColour),
            PairShown::FullColour => glasses(Anaglyph::FullColour),
            PairShown::LeastSquares => glasses(Anaglyph::LeastSquares),
            PairShown::Difference => mixed(&left, &right, difference),
        };
        Picture {
            width,
            height,
            samples: made.samples,
        }
    }
}

/// Makes or refines the live picture of a view.
pub fn live(app: &App, project: i64, request: &PreviewRequest) -> Result<Live> {
    let settings = app.store.settings(project)?;
    let settings = match request.setup {
        None => settings,
        Some(number) => settings.with_setup(number).ok_or_else(|| {
            WorkError::Request(format!(
                "There is no light setup {number} in this project; choose one of the list."
            ))
        })?,
    };
    let own_s = settings.time_s;
    let settings = match request.moment_s {
        None => settings,
        Some(time_s) if (0.0..=86_400.0).contains(&time_s) => SceneSettings { time_s, ..settings },
        Some(_) => {
            return Err(WorkError::Request(
                "The moment must lie between 0 and 86400 s; correct it.".into(),
            ));
        }
    };
    if request.quick == Some(true) {
        let looking = Looking::of(request, MAX_QUICK)?;
        let sides = looking.sides(request.show);
        let drawing = looking.drawing(app, &SCREEN_TONE)?;
        let eyes: Vec<_> = sides.iter().map(|side| looking.eye(*side)).collect();
        let pictures = quick_pictures(app, project, (&settings, own_s), &eyes, (looking.size, 1))?;
        let pictures = (pictures.into_iter().zip(sides))
            .map(|(picture, side)| looking.finished(picture, *side, drawing.as_ref()))
            .collect();
        return Ok(Live {
            jpeg: screen_jpeg(&one_of(&looking, pictures, request.show), &SCREEN_TONE, 85)?,
            samples: 0,
            enough: app.previews.enough(),
            calm: true,
            lit: 0.0,
        });
    }
    let looking = Looking::of(request, MAX_WIDTH)?;
    let tone = Tone {
        exposure_stops: settings.exposure_stops - settings.gathered_stops(),
        ..SCREEN_TONE
    };
    let sides = looking.sides(request.show);
    let drawing = looking.drawing(app, &tone)?;
    let (mut pictures, mut samples, mut calm, mut lit) = (Vec::new(), ENOUGH, true, 1.0f64);
    for side in sides {
        let seen = refined(
            app,
            project,
            &settings,
            request,
            &looking,
            (*side, sides.len()),
        )?;
        samples = samples.min(seen.samples);
        calm &= seen.calm;
        lit = lit.min(seen.lit);
        pictures.push(looking.finished(seen.picture, *side, drawing.as_ref()));
    }
    Ok(Live {
        calm,
        lit,
        jpeg: screen_jpeg(&one_of(&looking, pictures, request.show), &tone, 90)?,
        samples,
        enough: app.previews.enough(),
    })
}

fn one_of(looking: &Looking, mut pictures: Vec<Picture>, show: Option<PairShown>) -> Picture {
    match pictures.len() {
        1 => pictures.remove(0),
        _ => looking.shown(pictures, show),
    }
}

/// What one eye sees so far.
struct SeenSoFar {
    picture: Picture,
    samples: u32,
    calm: bool,
    lit: f64,
}

/// Adds samples to what one eye sees; several eyes share the time.
fn refined(
    app: &App,
    project: i64,
    settings: &SceneSettings,
    request: &PreviewRequest,
    looking: &Looking,
    (side, eyes): (Side, usize),
) -> Result<SeenSoFar> {
    let size = looking.size;
    let scene = app.scenes.get_as(app, project, settings)?;
    let white = white_at(settings.gathered_stops());
    let light = app.scenes.light(app, project, settings, true, white)?;
    let clay = request.clay.unwrap_or(false);
    let view = View {
        project,
        content: scene.content(),
        settings: SceneSettings {
            exposure_stops: settings.gathered_stops(),
            ..settings.lit()
        },
        pose: looking.pose,
        width: size.width(),
        clay,
        frame: rig::Frame::of_shape(&size.shape).map(|f| (f.hfov, f.ratio)),
        eye: (looking.pair())
            .filter(|pair| pair.alone() != Some(side))
            .map(|pair| (pair, side)),
    };
    let shared = app.previews.light_of(&view);
    let preview = {
        let mut kept = app
            .previews
            .kept
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        match kept.iter().position(|(v, _)| *v == view) {
            Some(i) => {
                let entry = kept.remove(i);
                kept.push(entry);
            }
            None => {
                if kept.len() == KEPT {
                    kept.remove(0);
                }
                let small = u64::from(size.width()) * u64::from(size.height()) <= SMALL;
                let begun = if small {
                    Preview::new(size)
                } else {
                    Preview::sketched(size)
                };
                let begun = begun.resting_after(app.previews.enough());
                kept.push((view, Arc::new(Mutex::new(begun))));
            }
        }
        Arc::clone(&kept[kept.len() - 1].1)
    };
    let mut preview = preview.lock().unwrap_or_else(PoisonError::into_inner);
    // The first picture must come soon; later ones may take their time.
    let first = preview.lit_share() == 0.0;
    let budget = if first {
        Duration::ZERO
    } else {
        BUDGET / eyes as u32
    };
    // Whoever moves on does not wait for light that nobody will see.
    let hurries = app.previews.hurries.load(Ordering::Relaxed);
    let wanted = || app.previews.hurries.load(Ordering::Relaxed) == hurries;
    {
        let running = app.jobs.rendering();
        let _hold = running
            .as_ref()
            .filter(|_| preview.samples() < URGENT)
            .and_then(|r| app.previews.hold(r));
        let view = LiveView {
            scene: &scene,
            light: &light,
            eye: &*looking.eye(side),
            clay,
            glass: settings.glass,
            kept: Some(&shared),
        };
        preview.refine_unless(&view, budget, &|| !wanted());
    }
    // With enough samples the picture is calm by itself, and true to the last detail.
    let (picture, calm) = match preview.samples() {
        ENOUGH.. => None,
        LIBRARY_FROM.. => calmed(&preview, wanted),
        _ => None,
    }
    .or_else(|| (wanted() && preview.samples() < PLAIN_FROM).then(|| preview.drawn())?)
    .map_or_else(|| (preview.picture(), false), |calm| (calm, true));
    Ok(SeenSoFar {
        picture,
        samples: preview.samples(),
        calm,
        lit: preview.lit_share(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// However many live pictures are asked for, an order goes on for half of the time at least.
    #[test]
    fn orders_wait_for_their_share_only() {
        let mut patience = Patience::default();
        let start = Instant::now();
        let step = Duration::from_millis(100);
        let mut held = Duration::ZERO;
        for i in 0..600 {
            let now = start + step * i;
            if patience.may_hold(now) {
                patience.held += step;
                held += step;
            }
        }
        let share = held.as_secs_f64() / 60.0;
        assert!((0.4..0.55).contains(&share), "{share}");
    }
}
