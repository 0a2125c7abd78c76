//! Depth over time: what two eyes see in every frame of a way, and eyes that fit all of it.

use super::asked::{DepthFramesRequest, FitOverTimeRequest};
use super::depth::Deep;
use super::paths::{Mover, go_to};
use super::told::depth::{DepthFrame, KeyEyes};
use super::{App, Result, WorkError, at_once};
use crate::model::paths::ViewpointPath;
use crate::model::rigs::{Rig, RigKind};
use dome_optics::path::{Frames, Rate};
use dome_rules::fit::{self, Span};
use dome_rules::motion;
use dome_trace::Scene;
use dome_trace::stand::clearance::EYE_SEPARATION;
use glam::DVec3;
use rayon::prelude::*;

/// Most frames that are looked at for one request: the page asks for a few at a time, and so shows how far it is.
const MOST_FRAMES: u64 = 256;
/// Most frames that eyes are fitted to at once: ten minutes at 60 a second.
const MOST_SEEN: usize = 36_000;

/// How deep it is in each frame.
pub fn look(app: &App, project: i64, request: &DepthFramesRequest) -> Result<Vec<DepthFrame>> {
    let told = |e: dome_optics::path::FramesError| WorkError::Request(format!("{e}."));
    let rate = Rate::parse(&request.rate).map_err(told)?;
    let (first, last) = (request.first.into(), request.last.into());
    let frames = Frames::new(first, last, request.step.into()).map_err(told)?;
    if frames.count() > MOST_FRAMES {
        return Err(WorkError::Request(format!(
            "{} frames are too many at a time; ask for {MOST_FRAMES} at most, and for the others after them.",
            frames.count()
        )));
    }
    let settings = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    let opened = app.scenes.open(app, project, &settings)?;
    let moves = opened.report.motion.length_s > 0.0;
    let mover = request.path.as_ref().map(Mover::new).transpose()?;
    let numbers: Vec<u64> = frames.numbers().collect();
    at_once(|| {
        (numbers.into_par_iter())
            .map(|frame| {
                let time_s = rate.moment_s(frame);
                match moves {
                    true => {
                        let placed = opened.document.place(time_s, &settings.moves)?;
                        at_frame(&placed, request, mover.as_ref(), (frame, time_s))
                    }
                    false => at_frame(&scene, request, mover.as_ref(), (frame, time_s)),
                }
            })
            .collect()
    })
}

/// One frame in the scene as it stands then.
fn at_frame(
    scene: &Scene,
    request: &DepthFramesRequest,
    mover: Option<&Mover>,
    (frame, time_s): (u64, f64),
) -> Result<DepthFrame> {
    let (mut pose, mut rig) = (request.pose, request.rig.clone());
    match (mover, &request.ride) {
        (Some(mover), _) => go_to(&mut pose, &mut rig, &mover.at(scene, time_s)),
        (None, Some(ride)) => {
            if let Some(leads) = scene.movers().iter().find(|m| m.node == ride.node) {
                pose.position = (DVec3::from(leads.now) + DVec3::from(ride.offset)).to_array();
            }
        }
        (None, None) => {}
    }
    Ok(Deep::look(scene, &pose, &rig).told_of_frame((frame, time_s)))
}

/// Eyes at the keys of a path that fit all that was seen on the way: for a headset as far apart as the nearest allows, for a screen
/// within the budget of the shot. Nothing where there is nothing to fit.
pub fn fitted(request: &FitOverTimeRequest) -> Result<Option<Vec<KeyEyes>>> {
    let FitOverTimeRequest { path, rig, seen } = request;
    let told = |text: &str| Err(WorkError::Request(text.into()));
    if seen.is_empty() || seen.len() > MOST_SEEN {
        return told(
            "Eyes are fitted to 1 to 36,000 frames; check the way first, or a part of it.",
        );
    }
    let positive = |d: Option<f64>| d.is_none_or(|d| d > 0.0 && d < 1e12);
    let rising = seen.windows(2).all(|w| w[0].time_s < w[1].time_s);
    let sane = |s: &super::asked::SeenSpan| {
        s.time_s.is_finite() && positive(s.nearest_m) && positive(s.farthest_m)
    };
    if !rising || !seen.iter().all(sane) {
        return told("What was seen must be distances above 0 at rising moments; correct them.");
    }
    let mover = Mover::new(path)?;
    let way = mover.path();
    let keys_s: Vec<f64> = (path.keys.iter())
        .map(|k| way.moment_of(k.time_s))
        .collect();
    match rig.kind {
        RigKind::Off => Ok(None),
        RigKind::Panoramic => {
            let nearest: Vec<_> = seen.iter().map(|s| (s.time_s, s.nearest_m)).collect();
            let usual = EYE_SEPARATION * rig.scale;
            let fitted = motion::fitted_separations(&keys_s, &nearest, usual);
            // A hair less, so that rounding puts nothing beyond.
            let eyes = |separation_m: f64| KeyEyes {
                separation_m: separation_m * 0.999,
                convergence_m: None,
            };
            Ok(Some(fitted.into_iter().map(eyes).collect()))
        }
        RigKind::Flat => fitted_flat(path, rig, &keys_s, request),
    }
}

fn fitted_flat(
    path: &ViewpointPath,
    rig: &Rig,
    keys_s: &[f64],
    request: &FitOverTimeRequest,
) -> Result<Option<Vec<KeyEyes>>> {
    let plan = super::depth::flat_plan(rig);
    let spans: Vec<Span> = (request.seen.iter())
        .map(|s| Span {
            time_s: s.time_s,
            near: s.nearest_m.unwrap_or(f64::INFINITY),
            far: s.farthest_m.unwrap_or(f64::INFINITY),
        })
        .collect();
    let with = |eyes: &[(f64, f64)]| {
        let mut path = path.clone();
        for (key, (b, c)) in path.keys.iter_mut().zip(eyes) {
            (key.separation_m, key.converge_m) = (Some(*b), Some(*c));
        }
        path
    };
    // Values that a path refuses are found out before the curve is asked.
    let curve = |eyes: &[(f64, f64)]| match with(eyes).ready() {
        Ok(ready) => (spans.iter())
            .map(|s| {
                let at = ready.at(s.time_s);
                let usual = (plan.pair.separation, plan.pair.converge);
                (
                    at.separation_m.unwrap_or(usual.0),
                    at.convergence_m.unwrap_or(usual.1),
                )
            })
            .collect(),
        Err(_) => Vec::new(),
    };
    let Some(eyes) = fit::at_keys(plan.budget, plan.k(), (keys_s, &spans), curve) else {
        return Ok(None);
    };
    (with(&eyes).ready()).map_err(|e| WorkError::Request(e.to_string()))?;
    let eyes = eyes.into_iter().map(|(b, c)| KeyEyes {
        separation_m: b,
        convergence_m: Some(c),
    });
    Ok(Some(eyes.collect()))
}
