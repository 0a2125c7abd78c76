//! Films that are handed over: made of an order's frames, read back and checked.

use super::film::{Codec, FilmMaking, make as make_film};
use super::film_frames::{FilmFrames, Laid, RIGHT_FIRST};
use super::frame_plan::FramePlan;
use super::package::{file_name, folder_for, queue};
use super::running::{Ended, Running};
use super::told::jobs::JobInfo;
use super::{App, Result, WorkError};
use crate::model::packages::{CheckInfo, FilmChoice, FilmFacts, Package, PackageRequest};
use crate::store::OrderRow;
use dome_files::FileError;
use dome_files::film::{self, FilmFindings, FilmProjection, FilmStereo, Sphere};
use dome_optics::Shape;
use dome_optics::path::Rate;
use dome_optics::rig::Arrangement;
use std::path::{Path, PathBuf};

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// A film that can be made of an order's frames.
struct FilmPlan {
    frames: FilmFrames,
    making: FilmMaking,
    ending: &'static str,
}

impl FilmPlan {
    fn new(
        app: &App,
        row: &OrderRow,
        request: &PackageRequest,
        choice: &FilmChoice,
    ) -> Result<Self> {
        let plan = FramePlan::of_row(app, row)?;
        let plan = plan.ok_or_else(|| {
            WorkError::Request("A film is made of frames; this order is one picture.".into())
        })?;
        let named = Codec::ALL.iter().find(|(name, _)| *name == choice.codec);
        let Some((_, codec)) = named else {
            return refuse(format!(
                "\"{}\" is none of h264, h265, av1 and prores; choose one of them.",
                choice.codec
            ));
        };
        if choice.quality.is_some_and(|q| q > 63)
            || choice
                .kilobits
                .is_some_and(|k| !(100..=2_000_000).contains(&k))
        {
            return refuse(
                "The quality of a film lies between 0 and 63 and its bit rate between 100 and 2,000,000 kilobits a second; correct them.",
            );
        }
        let both = plan.has_both();
        let arrangement = both.then(|| plan.laying().arrangement);
        if plan.has_both()
            && plan.laying().right_first
            && arrangement != Some(Arrangement::TwoFiles)
        {
            return refuse(RIGHT_FIRST);
        }
        // What is not one picture becomes one on the way: eyes above each other, faces the whole sphere.
        let laid = match (arrangement, plan.shape()) {
            (None, Shape::CubeFaces(_)) => Laid::Faces,
            (Some(Arrangement::Mono), _) => Laid::Views { crop: plan.crop() },
            (Some(Arrangement::TwoFiles), _) => Laid::Eyes,
            _ => Laid::Alone,
        };
        let shape = match laid {
            Laid::Faces => Shape::Equirect,
            _ => plan.shape(),
        };
        let stereo = match arrangement {
            None => FilmStereo::Mono,
            Some(Arrangement::SideBySide) => FilmStereo::SideBySide,
            Some(_) => FilmStereo::TopBottom,
        };
        let frames = FilmFrames::of_order(plan.main_files(), laid)?;
        let sphere = projection_of(shape).map(|projection| Sphere {
            projection,
            stereo,
            pose_deg: [0.0; 3],
            opening_deg: Some([
                round(wrapped(
                    request.opening_heading_deg - row.spec.pose.heading_deg,
                )),
                round(request.opening_pitch_deg),
                0.0,
            ]),
        });
        let sound = match &choice.sound {
            Some(name) => Some(sound_of(app, row.project, name)?),
            None => None,
        };
        let making = FilmMaking {
            rate: film_rate(&plan)?,
            codec: *codec,
            quality: choice.quality,
            kilobits: choice.kilobits,
            sound,
            hold_s: None,
            stops: request.exposure_stops,
            sphere,
        };
        Ok(Self {
            frames,
            making,
            ending: match codec {
                Codec::ProRes => "mov",
                _ => "mp4",
            },
        })
    }

    fn seconds(&self) -> f64 {
        self.frames.frames.len() as f64 / self.making.rate.per_second()
    }

    fn level(&self) -> Option<&'static str> {
        let coding = self.making.codec.coding()?;
        dome_rules::levels::level(coding, self.frames.size, self.making.rate.per_second())
    }
}

/// Whole tenths of a degree.
fn round(degrees: f64) -> f64 {
    (degrees * 10.0).round() / 10.0
}

fn wrapped(degrees: f64) -> f64 {
    (degrees + 180.0).rem_euclid(360.0) - 180.0
}

/// The rate at which every so many frames show what happens as fast as it does.
fn film_rate(plan: &FramePlan) -> Result<Rate> {
    let (frames, seconds) = plan.rate().fraction();
    let step = u32::try_from(plan.step()).unwrap_or(u32::MAX);
    let rate = Rate::new(frames, seconds.saturating_mul(step));
    rate.map_err(|_| {
        WorkError::Request(format!(
            "Every {step}th of {} frames a second are less than one a second, which is no film; order more of them.",
            plan.rate()
        ))
    })
}

/// What a shape is for players; nothing for those that they do not know.
fn projection_of(shape: Shape) -> Option<FilmProjection> {
    match shape {
        Shape::Equirect => Some(FilmProjection::FULL),
        Shape::EquirectPart {
            hfov_deg,
            vfov_deg,
            heading_deg,
            pitch_deg,
        } => {
            let left = (180.0 + heading_deg - hfov_deg / 2.0) / 360.0;
            let top = (90.0 - pitch_deg - vfov_deg / 2.0) / 180.0;
            let bounds = [
                top,
                1.0 - top - vfov_deg / 180.0,
                left,
                1.0 - left - hfov_deg / 360.0,
            ];
            let sane = bounds.iter().all(|b| (0.0..1.0).contains(b));
            sane.then_some(FilmProjection::Equirect { bounds })
        }
        _ => None,
    }
}

/// A sound of a project by its name.
fn sound_of(app: &App, project: i64, name: &str) -> Result<PathBuf> {
    let path = app.folder.sounds(project).join(name);
    if super::settings::is_plain_name(name) && path.is_file() {
        return Ok(path);
    }
    refuse(format!(
        "There is no sound {name} in this project; add it first, or choose another one."
    ))
}

/// Queues a film of an order's frames.
pub(super) fn order(
    app: &App,
    row: &OrderRow,
    request: &PackageRequest,
    choice: &FilmChoice,
) -> Result<JobInfo> {
    let plan = FilmPlan::new(app, row, request, choice)?;
    let (width, height) = plan.frames.size;
    if plan.making.codec != Codec::ProRes && (width % 2 == 1 || height % 2 == 1) {
        return refuse(format!(
            "The frames are {width} x {height} px, and films need even sides; order them with an even width and height."
        ));
    }
    let what = format!(
        "Film of {}, {width} x {height} px, {:.1} s",
        row.spec.viewpoint,
        plan.seconds()
    );
    // Sixteen bits a pixel are more than any encoding takes that anybody looks at (ProRes 422 HQ has about nine).
    let pixels = u64::from(width) * u64::from(height) * plan.frames.frames.len() as u64;
    queue(app, row, request, what, 2 * pixels + (16 << 20))
}

/// Makes the film of a job, reads it back and checks it.
pub(super) fn make(
    app: &App,
    running: &Running,
    row: &OrderRow,
    request: &PackageRequest,
    choice: &FilmChoice,
) -> Result<Ended> {
    let id = running.job.makes;
    let plan = FilmPlan::new(app, row, request, choice)?;
    let project = app.store.project_name(row.project)?;
    let name = file_name(&format!(
        "{project} - {} - {} px",
        row.spec.viewpoint, plan.frames.size.0
    ));
    let file = format!("{name}.{}", plan.ending);
    let path = folder_for(app, id)?.join(&file);
    let made = make_film(&plan.frames, &path, &plan.making, &|done, total| {
        running.share(done as f64 / total.max(1) as f64)
    });
    if running.control.is_stopped() {
        return Ok(Ended::Stopped);
    }
    let made = made?;
    let found = film::inspect(&path)?;
    let stereo = plan.making.sphere.map_or(FilmStereo::Mono, |s| s.stereo);
    let package = Package {
        id,
        order: row.id,
        file,
        bytes: std::fs::metadata(&path)
            .map_err(FileError::io("Reading", &path))?
            .len(),
        width: found.width,
        height: found.height,
        pose_heading_deg: row.spec.pose.heading_deg,
        request: request.clone(),
        checks: checks(&plan, made.frames, &found),
        reason: reason(&path, &found),
        film: Some(FilmFacts {
            frames: made.frames as u32,
            seconds: plan.seconds(),
            rate: plan.making.rate.to_string(),
            level: plan.level().map(Into::into),
            stereo: stereo.name().into(),
            bounds: plan.making.sphere.and_then(|s| match s.projection {
                FilmProjection::Equirect { bounds } => Some(bounds),
                FilmProjection::Cube { .. } => None,
            }),
            sound: plan.making.sound.is_some(),
            ambisonic: found.sound.is_some_and(|s| s.ambisonic),
            notes: made.notes.clone(),
        }),
    };
    running.patiently(|| app.store.set_package(&package))?;
    Ok(Ended::Done(
        (!made.notes.is_empty()).then(|| made.notes.join(" ")),
    ))
}

fn projection_told(sphere: Option<&Sphere>) -> String {
    match sphere.map(|s| s.projection) {
        None => "none".into(),
        Some(FilmProjection::FULL) => "the whole sphere, unrolled".into(),
        Some(FilmProjection::Equirect {
            bounds: [t, b, l, r],
        }) => format!(
            "{:.0} x {:.0} degrees of the sphere, unrolled",
            360.0 * (1.0 - l - r),
            180.0 * (1.0 - t - b)
        ),
        Some(FilmProjection::Cube { .. }) => "a cube".into(),
    }
}

/// What was asked and what the film says, read back.
fn checks(plan: &FilmPlan, frames: u64, found: &FilmFindings) -> Vec<CheckInfo> {
    let same = |what: &str, asked: String, found: String| CheckInfo {
        what: what.into(),
        fine: asked == found,
        asked,
        found,
    };
    let (width, height) = plan.frames.size;
    let px = |w, h| format!("{w} × {h} px");
    let asked = plan.making.sphere.as_ref();
    let both = |sphere: Option<&Sphere>| match sphere {
        None => "none".to_owned(),
        Some(sphere) => sphere.stereo.name().to_owned(),
    };
    let opening = |sphere: Option<&Sphere>| match sphere.and_then(|s| s.opening_deg) {
        // The older form, which alone has it, takes whole degrees.
        Some([heading, pitch, _]) => format!("{:.0}°, {:.0}°", heading + 0.0, pitch + 0.0),
        None => "none".to_owned(),
    };
    let told = found.sphere();
    let lasts = found.lasts_s.unwrap_or(0.0);
    let seconds = plan.seconds();
    let mut all = vec![
        same("Size", px(width, height), px(found.width, found.height)),
        same(
            "Frames",
            plan.frames.frames.len().to_string(),
            frames.to_string(),
        ),
        CheckInfo {
            what: "Length".into(),
            asked: format!("{seconds:.2} s"),
            found: format!("{lasts:.2} s"),
            // Half a frame more or less.
            fine: (lasts - seconds).abs() <= 0.5 / plan.making.rate.per_second(),
        },
        same(
            "Projection",
            projection_told(asked),
            projection_told(told.as_ref()),
        ),
        same("Eyes", both(asked), both(told.as_ref())),
    ];
    if asked.is_some() {
        all.push(same("Opening view", opening(asked), opening(told.as_ref())));
    }
    all
}

/// What players will take it for.
fn reason(path: &Path, found: &FilmFindings) -> String {
    match (found.sphere(), found.problems.first()) {
        (_, Some(problem)) => problem.clone(),
        (Some(_), None) => "both forms say that it is a sphere.".into(),
        (None, None) => format!(
            "{} says nothing about a sphere; players show it flat.",
            dome_files::error::display_name(path)
        ),
    }
}
