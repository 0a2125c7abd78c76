//! Moving viewpoints: paths from files, and the picture of each moment.

use super::asked::{NodePathRequest, PathRequest};
use super::recipe::Recipe;
use super::told::paths::{PathFinding, PathInfo, PathMoment, PathNear};
use super::{App, Result, WorkError, at_once};
use crate::model::paths::{PathKey, ViewpointPath};
use crate::model::places::{NewViewpoint, Opening, Pose, Viewpoint};
use crate::model::rigs::{Rig as Eyes, RigKind};
use dome_files::FileError;
use dome_files::error::display_name;
use dome_optics::path::{EyePath, Moment};
use dome_optics::rig::Rig;
use dome_rules::motion::{self, MotionFacts};
use dome_trace::stand::clearance::{COMFORT, EYE_SEPARATION, nearest_and_floor};
use dome_trace::{Scene, TraceError, stand};
use glam::DVec3;
use rayon::prelude::*;
use std::io::Read;
use std::path::Path;

/// Largest file of a path, bytes: ten thousand keys with all they can say.
const LARGEST_FILE: u64 = 8 << 20;
/// Floors are averaged over the way of so many seconds before and after a moment, so that a stair is a ramp.
const FLOOR_S: f64 = 0.5;
/// Places on that way at which the floor is looked for, on either side.
const FLOOR_LOOKS: i32 = 8;

/// Reads a path that somebody wrote.
pub fn read(file: &Path) -> Result<ViewpointPath> {
    let name = display_name(file);
    let mut text = String::new();
    std::fs::File::open(file)
        .and_then(|f| f.take(LARGEST_FILE + 1).read_to_string(&mut text))
        .map_err(FileError::io("Reading", file))?;
    if text.len() as u64 > LARGEST_FILE {
        return Err(WorkError::Request(format!(
            "{name} is larger than 8 MiB, which no path is; name a path file."
        )));
    }
    serde_json::from_str(&text).map_err(|e| {
        WorkError::Request(format!(
            "{name} is no path: {e}. A path looks like {{\"keys\": [{{\"time_s\": 0, \"position\": [0, 1.6, 2]}}, ...]}}; correct the file."
        ))
    })
}

/// A path that moves a viewpoint.
pub struct Mover {
    path: EyePath,
    above_floor_m: Option<f64>,
}

impl Mover {
    /// The path, checked.
    pub fn new(path: &ViewpointPath) -> Result<Self> {
        let asked = |text: String| WorkError::Request(text);
        if path
            .above_floor_m
            .is_some_and(|h| !(0.01..=1000.0).contains(&h))
        {
            return Err(asked(
                "The height above the floor must lie between 1 cm and 1000 m; correct it.".into(),
            ));
        }
        let ease = |s: f64| (0.0..=86_400.0).contains(&s);
        if !ease(path.ease_in_s) || !ease(path.ease_out_s) {
            return Err(asked(
                "A path begins and ends gently over 0 to 86,400 s; correct it.".into(),
            ));
        }
        Ok(Self {
            path: path.ready().map_err(|e| asked(e.to_string()))?,
            above_floor_m: path.above_floor_m,
        })
    }

    /// The path.
    pub fn path(&self) -> &EyePath {
        &self.path
    }

    /// Where the viewpoint is at a moment in the scene as it is then.
    pub fn at(&self, scene: &Scene, time_s: f64) -> Moment {
        let mut moment = self.path.at(time_s);
        if let Some(above) = self.above_floor_m {
            let around = |i: i32| {
                let share = f64::from(i) / f64::from(FLOOR_LOOKS);
                self.path.at(time_s + share * FLOOR_S).position
            };
            let places = (-FLOOR_LOOKS..=FLOOR_LOOKS).map(around);
            moment.position = above_floor(scene, moment.position, above, places);
        }
        moment
    }
}

/// A place at a height above the floor: the mean of the floors below some places about it, so that steps are gone up smoothly. Where
/// there is no floor it stays as it is.
pub fn above_floor(
    scene: &Scene,
    place: DVec3,
    above: f64,
    about: impl Iterator<Item = DVec3>,
) -> DVec3 {
    let floors: Vec<f64> = about
        .filter_map(|p| Some(stand::floor_below(scene, p)?.y))
        .collect();
    if floors.is_empty() {
        return place;
    }
    let mean = floors.iter().sum::<f64>() / floors.len() as f64;
    DVec3::new(place.x, mean + above, place.z)
}

impl Recipe {
    /// The same picture at another moment, seen from where a path leads.
    #[must_use]
    pub fn moved(&self, moment: &Moment, time_s: f64) -> Self {
        let mut recipe = self.clone();
        recipe.time_s = time_s;
        recipe.at = moment.position;
        if let Some(heading) = moment.heading_deg {
            recipe.orientation.heading_deg = heading;
        }
        match &mut recipe.rig {
            Some(Rig::Panoramic(pair)) => {
                pair.separation = moment.separation_m.unwrap_or(pair.separation);
                pair.converge = moment.convergence_m.or(pair.converge);
            }
            Some(Rig::Flat(pair)) => {
                pair.separation = moment.separation_m.unwrap_or(pair.separation);
                pair.converge = moment.convergence_m.unwrap_or(pair.converge);
            }
            None => {}
        }
        recipe
    }

    /// The same picture with the noise of a frame: noise that stands still over frames looks like dirt on the glass.
    #[must_use]
    pub fn of_frame(mut self, frame: u64) -> Self {
        self.seed = self.seed.wrapping_add(frame as u32);
        self
    }
}

/// How far from a key's moment is still at it, seconds.
const AT_KEY_S: f64 = 0.005;

/// What was changed of the eyes of a viewpoint whose path sets them at its keys: it is the key's at the moment, or refused where there is
/// none; else the path would put it back without a word.
pub fn eyes_of_key(before: &Viewpoint, draft: &mut NewViewpoint, time_s: f64) -> Result<()> {
    let NewViewpoint {
        path: Some(path),
        rig,
        ..
    } = draft
    else {
        return Ok(());
    };
    if Some(&*path) != before.path.as_ref() || rig.kind == RigKind::Off {
        return Ok(());
    }
    let converge = |rig: &Eyes| match rig.kind {
        RigKind::Flat => Some(rig.flat.converge_m),
        _ => rig.converge_m,
    };
    let separation = rig.separation();
    let apart =
        separation != before.rig.separation() && path.keys.iter().any(|k| k.separation_m.is_some());
    let meet =
        converge(rig) != converge(&before.rig) && path.keys.iter().any(|k| k.converge_m.is_some());
    if !apart && !meet {
        return Ok(());
    }
    let times: Vec<String> = path
        .keys
        .iter()
        .map(|k| format!("{:.2}", k.time_s))
        .collect();
    let Some(key) = path
        .keys
        .iter_mut()
        .find(|k| (k.time_s - time_s).abs() < AT_KEY_S)
    else {
        return Err(WorkError::Conflict(format!(
            "The path sets the eyes at its keys, and there is none at {time_s:.2} s: go to the time of a key ({} s) and set them there, or add a key at this time.",
            times.join(", ")
        )));
    };
    if apart {
        key.separation_m = Some(separation);
    }
    if meet {
        key.converge_m = converge(rig);
    }
    Ok(())
}

/// A viewpoint with a path as it is at a moment: where it stands and, as far as keys say it, how it looks, opens and sees.
pub fn settled(mut draft: NewViewpoint, scene: &Scene, time_s: f64) -> Result<NewViewpoint> {
    let Some(path) = &draft.path else {
        return Ok(draft);
    };
    let moment = Mover::new(path)?.at(scene, time_s);
    draft.ride = None;
    draft.opening = moment.opening.map(Opening::from).or(draft.opening);
    go_to(&mut draft.pose, &mut draft.rig, &moment);
    Ok(draft)
}

/// Puts eyes where a path leads them, as far apart and meeting where its keys say so.
pub(super) fn go_to(pose: &mut Pose, rig: &mut Eyes, moment: &Moment) {
    pose.position = moment.position.to_array();
    pose.heading_deg = moment.heading_deg.unwrap_or(pose.heading_deg);
    if let Some(separation) = moment.separation_m {
        rig.separation_m = separation / rig.scale;
    }
    if let Some(metres) = moment.convergence_m {
        rig.converge_m = Some(metres);
        rig.flat.converge_m = metres;
    }
}

/// Moments at which a path is looked at: enough for a curve.
const MOMENTS: usize = 121;
/// Moments at which it is found what is near.
const NEAR_MOMENTS: usize = 41;

/// What a path does to whoever is led along it.
pub fn look(app: &App, project: i64, request: &PathRequest) -> Result<PathInfo> {
    let settings = app.store.settings(project)?;
    let mover = Mover::new(&request.path)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    let opened = app.scenes.open(app, project, &settings)?;
    let path = mover.path();
    let (from_s, to_s) = path.span_s();
    let moment_of = |i: usize, of: usize| match i + 1 == of {
        true => to_s,
        false => from_s + (to_s - from_s) * i as f64 / (of - 1) as f64,
    };
    let moments: Vec<PathMoment> = (0..MOMENTS)
        .map(|i| {
            let time_s = moment_of(i, MOMENTS);
            let (at, motion) = (mover.at(&scene, time_s), path.motion(time_s));
            let heading_deg = at.heading_deg.unwrap_or(request.pose.heading_deg);
            PathMoment {
                time_s,
                key_time_s: path.key_time_s(time_s),
                position: at.position.to_array(),
                heading_deg,
                travel_deg: motion.travel_deg,
                speed_m_s: motion.speed_m_s,
                turning_deg_s: motion.turning_deg_s,
                separation_m: at.separation_m,
                converge_m: at.convergence_m,
            }
        })
        .collect();
    let moves = opened.report.motion.length_s > 0.0;
    let near = at_once(|| {
        let found = (0..NEAR_MOMENTS).into_par_iter().map(|i| {
            let time_s = moment_of(i, NEAR_MOMENTS);
            let placed;
            let scene = match moves {
                true => {
                    placed = opened.document.place(time_s, &settings.moves)?;
                    &placed
                }
                false => &*scene,
            };
            let eye = mover.at(scene, time_s).position;
            let (nearest, floor) = nearest_and_floor(scene, eye);
            Ok(PathNear {
                time_s,
                nearest_m: nearest.map(|n| n.distance),
                object: nearest.and_then(|n| {
                    let object = scene.objects().get(n.object as usize)?;
                    Some(object.name.clone())
                }),
                above_floor_m: floor.map(|f| eye.y - f.y),
            })
        });
        found.collect::<std::result::Result<Vec<_>, TraceError>>()
    })?;
    let pair = (request.rig.as_ref()).filter(|rig| rig.kind == RigKind::Panoramic);
    let facts: Vec<MotionFacts> = (moments.iter().enumerate())
        .map(|(i, m)| {
            let beside = &near[i * (NEAR_MOMENTS - 1) / (MOMENTS - 1)];
            MotionFacts {
                time_s: m.time_s,
                speed_m_s: m.speed_m_s,
                turning_deg_s: m.turning_deg_s,
                heading_deg: m.heading_deg,
                travel_deg: m.travel_deg,
                nearest_m: beside.nearest_m,
                nearest: beside.object.clone(),
                separation_m: pair.map(|rig| m.separation_m.unwrap_or(rig.separation())),
            }
        })
        .collect();
    let findings = motion::check(&facts, settings.stand.beside_m);
    let keys = &request.path.keys;
    let key_moments_s: Vec<f64> = keys.iter().map(|k| path.moment_of(k.time_s)).collect();
    let nearest: Vec<_> = near.iter().map(|n| (n.time_s, n.nearest_m)).collect();
    Ok(PathInfo {
        length_m: path.length_m(),
        fitted_separations_m: pair.map(|rig| {
            let usual = EYE_SEPARATION * rig.scale;
            motion::fitted_separations(&key_moments_s, &nearest, usual)
        }),
        key_moments_s,
        travel_at_keys_deg: path.travel_at_keys(),
        walking_m_s: motion::WALKING_M_S,
        still_deg_s: motion::STILL_DEG_S,
        aside_deg: motion::ASIDE_DEG,
        free_m: (facts.iter().filter_map(|f| f.separation_m))
            .fold(settings.stand.beside_m, |free, b| free.max(COMFORT * b)),
        findings: (findings.into_iter())
            .map(|f| PathFinding {
                rule: f.rule.into(),
                level: f.level,
                what: f.what,
                remedy: f.remedy.into(),
                from_s: f.from_s,
                to_s: f.to_s,
            })
            .collect(),
        moments,
        near,
    })
}

/// A key is added to the way of a node wherever the path would leave it by more than this, metres.
const STRAYS_M: f64 = 0.01;
/// Most keys that the way of a node gets.
const MOST_NODE_KEYS: usize = 100;
/// Moments at which the way of a node is looked at.
const NODE_MOMENTS: usize = 241;

/// The way of something that moves in the scene, as a path of few keys; `offset` is from it to the eye in its own frame, metres.
pub fn of_node(app: &App, project: i64, request: &NodePathRequest) -> Result<ViewpointPath> {
    let settings = app.store.settings(project)?;
    let opened = app.scenes.open(app, project, &settings)?;
    let whole_s = opened.report.motion.length_s;
    let offset = DVec3::from(request.offset);
    if !offset.is_finite() || offset.length() > 1e6 {
        return Err(WorkError::Request(
            "The offset must be three numbers within 1000 km; correct it.".into(),
        ));
    }
    let mut way = Vec::new();
    for i in 0..NODE_MOMENTS {
        let time_s = whole_s * i as f64 / (NODE_MOMENTS - 1) as f64;
        let Some((now, turned)) = opened.document.node_at(request.node, time_s) else {
            return Err(WorkError::Request(
                "That does not move in this scene; choose something that does.".into(),
            ));
        };
        let place = DVec3::from(now) + turned.matrix() * offset;
        way.push((time_s, place, turned.heading_deg));
    }
    let key = |i: usize| {
        let (time_s, place, heading_deg): (f64, DVec3, f64) = way[i];
        PathKey {
            heading_deg: request.turn_along.then_some(heading_deg),
            ..PathKey::at(time_s, place.to_array())
        }
    };
    let mut chosen = vec![0, NODE_MOMENTS - 1];
    loop {
        let path = ViewpointPath {
            keys: chosen.iter().map(|i| key(*i)).collect(),
            ..ViewpointPath::default()
        };
        let ready = path
            .ready()
            .map_err(|e| WorkError::Request(e.to_string()))?;
        let strays = |i: &usize| ready.at(way[*i].0).position.distance(way[*i].1);
        let worst = (0..NODE_MOMENTS)
            .filter(|i| !chosen.contains(i))
            .max_by(|a, b| strays(a).total_cmp(&strays(b)));
        match worst {
            Some(i) if strays(&i) > STRAYS_M && chosen.len() < MOST_NODE_KEYS => {
                chosen.push(i);
                chosen.sort_unstable();
            }
            _ => return Ok(path),
        }
    }
}
