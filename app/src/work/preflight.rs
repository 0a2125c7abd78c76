//! The preflight of a project: the rules of the core, asked about every viewpoint and every order that is
//! not done. What was found for a place that has not changed is kept.

use super::depth::Deep;
use super::estimate::working_bytes;
use super::told::standing::{FindingInfo, FixInfo};
use super::{App, Result};
use crate::model::jobs::JobState;
use crate::model::orders::OrderSpec;
use crate::model::places::{Pose, Viewpoint};
use crate::model::rigs::RigKind;
use crate::model::settings::SceneSettings;
use crate::store::OrderRow;
use dome_files::Fingerprint;
use dome_optics::{PictureSize, Shape};
use dome_rules::preflight::{
    Facts, Finding, Fix, LampInSight, OrderFacts, Purpose, StandFacts, check,
};
use dome_trace::light::object_key;
use dome_trace::scene::Mover;
use dome_trace::stand::clearance::{Clearance, Limits};
use dome_trace::stand::lights;
use dome_trace::stand::starts::Start;
use dome_trace::stand::{dark, heading_pitch, sight};
use dome_trace::{Illumination, PassSet, Scene};
use glam::DVec3;
use std::sync::{Arc, Mutex, PoisonError};

/// Places whose findings are kept at least.
const KEPT: usize = 64;

/// What findings of a place depend on.
type Key = (Fingerprint, SceneSettings, Viewpoint);
type Found = Arc<Vec<FindingInfo>>;

/// What was found before.
#[derive(Default)]
pub struct Preflight {
    kept: Mutex<Vec<(Key, Found)>>,
}

/// The artist's limits.
pub fn limits(settings: &SceneSettings) -> Limits {
    Limits {
        beside: settings.stand.beside_m,
        eye_separation: settings.stand.eye_separation_mm / 1000.0,
    }
}

/// A place to stand and what gives light there.
pub struct Place<'a> {
    /// What it is called.
    pub name: String,
    /// Where and how.
    pub pose: Pose,
    /// The scene.
    pub scene: &'a Scene,
    /// Its settings.
    pub settings: &'a SceneSettings,
    /// The middles of its spaces.
    pub starts: &'a [Start],
}

impl<'a> Place<'a> {
    /// Facts that rays alone tell: quick enough for every step of a drag.
    pub fn near(&self, clearance: &'a Clearance) -> StandFacts<'a> {
        StandFacts {
            name: self.name.clone(),
            scene: self.scene,
            eye: self.pose.position.into(),
            orientation: super::preview::orientation(&self.pose),
            clearance,
            limits: limits(self.settings),
            starts: self.starts,
            stereo: self.settings.stand.stereo,
            lamps: Vec::new(),
            open: 0.0,
            sky: 1.0,
            lit: true,
            transparent: self.settings.surroundings.transparent,
            dark: None,
            remedies: true,
            travel_deg: None,
        }
    }

    /// All facts, with what is seen and how the light falls.
    pub fn whole(&self, clearance: &'a Clearance, light: &Illumination) -> StandFacts<'a> {
        let eye = DVec3::from(self.pose.position);
        let shares = sight::shares(self.scene, Some(light), eye);
        let setting = |object: u32| {
            let key = object_key(object as usize);
            let setting = self.settings.lights.get(&key).cloned().unwrap_or_default();
            (key, setting)
        };
        let objects = self.scene.objects();
        let lamps = shares
            .iter()
            .filter(|s| objects[s.object as usize].emits)
            .map(|s| (s, setting(s.object)))
            .filter(|(_, (_, setting))| setting.on && !setting.unseen)
            .map(|(s, (key, _))| LampInSight {
                key,
                name: objects[s.object as usize].name.clone(),
                share: s.share,
                heading_deg: s.heading_deg,
                pitch_deg: s.pitch_deg,
            })
            .collect();
        let sky = lights::surroundings(self.scene, &light.environment, eye);
        let on = |key: &str| self.settings.lights.get(key).is_none_or(|s| s.on);
        let glowing = (0u32..)
            .zip(objects)
            .any(|(i, o)| o.emits && o.triangles > 0 && setting(i).1.on);
        let lamp = (0..self.scene.lamps().len()).any(|i| on(&dome_trace::light::lamp_key(i)));
        StandFacts {
            lamps,
            open: 1.0 - shares.iter().map(|s| s.share).sum::<f64>(),
            sky: sky
                .iter()
                .filter(|s| on(&s.key))
                .filter_map(|s| s.measures.first())
                .map(|m| f64::from(m.value))
                .sum(),
            lit: glowing || lamp,
            dark: (self.settings.surroundings.is_valid())
                .then(|| dark::dark_side(self.scene, light, eye))
                .flatten(),
            ..self.near(clearance)
        }
    }
}

/// Heading of a mover's way at a moment, degrees; nothing while it stands still or moves straight up.
pub fn travel(mover: &Mover, time_s: f64) -> Option<f64> {
    let after = mover.times.partition_point(|t| *t <= time_s);
    let last = mover.times.len().checked_sub(1)?;
    let (a, b) = (
        after.saturating_sub(1).min(last.saturating_sub(1)),
        after.clamp(1, last),
    );
    let way = DVec3::from(*mover.points.get(b)?) - DVec3::from(*mover.points.get(a)?);
    (way.x.hypot(way.z) > 1e-4).then(|| heading_pitch(way).0)
}

/// The purpose of an order: its shape says it, or the project does.
fn purpose(shape: Shape, said: Purpose) -> Purpose {
    match shape {
        Shape::Fisheye { .. } => Purpose::Dome,
        Shape::MirrorBall | Shape::AngularMap => Purpose::Light,
        _ => said,
    }
}

/// Whether two orders are from one viewpoint: by its number; of orders of before by its name.
fn same_viewpoint(a: &OrderSpec, b: &OrderSpec) -> bool {
    match (a.viewpoint_number, b.viewpoint_number) {
        (Some(a), Some(b)) => a == b,
        _ => a.viewpoint == b.viewpoint,
    }
}

fn order_facts(
    app: &App,
    settings: &SceneSettings,
    row: &OrderRow,
    all: &[OrderRow],
    viewpoints: &[Viewpoint],
) -> Option<OrderFacts> {
    let spec = &row.spec;
    let shape: Shape = spec.shape.parse().ok()?;
    let size = PictureSize::new(shape, Some(spec.width), None).ok();
    let others = || {
        all.iter()
            .filter(|o| o.id != row.id && same_viewpoint(&o.spec, spec))
    };
    let named = |o: &OrderSpec| o.shape == spec.shape;
    // What the viewpoint has by now, if it still has two eyes.
    let now = (viewpoints.iter())
        .find(|v| Some(v.id) == spec.viewpoint_number && v.rig.kind != RigKind::Off)
        .map(|v| v.rig.separation());
    Some(OrderFacts {
        name: format!(
            "Order {}, {} px from \"{}\"",
            row.id, spec.width, spec.viewpoint
        ),
        shape,
        width: Some(spec.width),
        height: None,
        purpose: purpose(shape, settings.stand.purpose),
        samples: spec.samples,
        noise_percent: spec.noise_percent.map(f64::from),
        denoise: spec.denoise,
        draft: spec.draft,
        separation: spec
            .rig
            .as_ref()
            .zip(now)
            .map(|(held, now)| (held.separation(), now)),
        double: others()
            .find(|o| named(&o.spec) && Some(o.spec.width) == spec.width.checked_mul(2))
            .map(|o| o.spec.width),
        clay: spec.clay,
        clash: others()
            .find(|o| o.spec.width == spec.width && o.id < row.id)
            .map(|o| format!("order {}", o.id)),
        need_bytes: size.map_or(0, |s| {
            working_bytes(&s, &PassSet::new(spec.passes.iter().copied()), spec.denoise)
        }),
        free_bytes: app.folder.free_bytes(),
    })
}

/// A finding as it goes over HTTP.
pub fn info(finding: Finding, viewpoint: Option<(i64, &Pose)>, order: Option<i64>) -> FindingInfo {
    let fix = finding.fix.and_then(|fix| {
        let pose = viewpoint.map(|(_, pose)| *pose);
        let (label, pose, hide) = match fix {
            Fix::LevelOut => ("Level it", pose.map(level), Vec::new()),
            Fix::MoveTo(p) => (
                "Move there",
                pose.map(|pose| Pose {
                    position: p.to_array(),
                    ..pose
                }),
                Vec::new(),
            ),
            Fix::Turn(heading_deg) => (
                "Turn it there",
                pose.map(|pose| Pose {
                    heading_deg,
                    ..pose
                }),
                Vec::new(),
            ),
            Fix::Hide(keys) => ("Hide from view", None, keys),
        };
        (pose.is_some() || !hide.is_empty()).then(|| FixInfo {
            label: label.into(),
            pose,
            hide,
        })
    });
    FindingInfo {
        rule: finding.rule.into(),
        level: finding.level,
        what: finding.what,
        place: finding.place,
        remedy: finding.remedy,
        viewpoint: viewpoint.map(|(id, _)| id),
        order,
        heading_deg: finding.direction.map(|d| d.0),
        pitch_deg: finding.direction.map(|d| d.1),
        fix,
    }
}

fn level(pose: Pose) -> Pose {
    Pose {
        pitch_deg: 0.0,
        roll_deg: 0.0,
        ..pose
    }
}

/// Everything that is found for a viewpoint.
pub fn of_viewpoint(
    app: &App,
    project: i64,
    settings: &SceneSettings,
    viewpoint: &Viewpoint,
) -> Result<Found> {
    // Another version of the same place is the same place.
    let place = Viewpoint {
        version: 0,
        ..viewpoint.clone()
    };
    let scene = app.scenes.get_as(app, project, settings)?;
    let key = (scene.content(), settings.clone(), place);
    {
        let mut kept = app
            .preflight
            .kept
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        if let Some(i) = kept.iter().position(|(k, _)| *k == key) {
            let entry = kept.remove(i);
            let found = Arc::clone(&entry.1);
            kept.push(entry);
            return Ok(found);
        }
    }
    let light = app
        .scenes
        .light(app, project, settings, false, settings.white_cd_m2())?;
    let starts = app.scenes.starts(app, project, settings)?;
    let place = Place {
        name: viewpoint.name.clone(),
        pose: viewpoint.pose,
        scene: &scene,
        settings,
        starts: &starts,
    };
    let clearance = dome_trace::stand::clearance::scan(
        &scene,
        viewpoint.pose.position.into(),
        &limits(settings),
    );
    let ride = viewpoint.ride.as_ref();
    let mover = ride.and_then(|r| scene.movers().iter().find(|m| m.node == r.node));
    let deep = (viewpoint.rig.kind != RigKind::Off)
        .then(|| Deep::look(&scene, &viewpoint.pose, &viewpoint.rig).with_titles(app));
    let facts = Facts {
        pair: deep.as_ref().and_then(|d| d.facts(&viewpoint.name)),
        stand: Some(StandFacts {
            stereo: settings.stand.stereo || viewpoint.rig.kind == RigKind::Panoramic,
            limits: match viewpoint.rig.kind {
                // Its own eyes say what is too near.
                RigKind::Panoramic => Limits {
                    eye_separation: viewpoint.rig.separation(),
                    ..limits(settings)
                },
                _ => limits(settings),
            },
            travel_deg: match &viewpoint.path {
                Some(path) => {
                    (path.ready().ok()).and_then(|p| p.motion(settings.time_s).travel_deg)
                }
                None => mover.and_then(|m| travel(m, settings.time_s)),
            },
            ..place.whole(&clearance, &light)
        }),
        ..Facts::default()
    };
    let at = Some((viewpoint.id, &viewpoint.pose));
    let found: Found = Arc::new(
        check(&facts)
            .into_iter()
            .map(|f| info(f, at, None))
            .collect(),
    );
    let mut kept = app
        .preflight
        .kept
        .lock()
        .unwrap_or_else(PoisonError::into_inner);
    kept.push((key, Arc::clone(&found)));
    Ok(found)
}

/// Everything that is found for a project, the worst first.
pub fn of_project(app: &App, project: i64) -> Result<Vec<FindingInfo>> {
    let row = app.store.project(project)?;
    let size = |i: usize| row.summary.max[i] - row.summary.min[i];
    let extent = size(0).max(size(1)).max(size(2));
    let general = Facts {
        extent: Some(extent),
        eye_separation: Some(row.settings.stand.eye_separation_mm / 1000.0),
        ..Facts::default()
    };
    let mut found: Vec<FindingInfo> = check(&general)
        .into_iter()
        .map(|f| info(f, None, None))
        .collect();
    let viewpoints = app.store.viewpoints(project)?;
    for viewpoint in &viewpoints {
        found.extend_from_slice(&of_viewpoint(app, project, &row.settings, viewpoint)?);
    }
    {
        // As many as this project has twice over, or the next look would find none of them.
        let mut kept = (app.preflight.kept.lock()).unwrap_or_else(PoisonError::into_inner);
        let beyond = kept.len().saturating_sub(KEPT.max(2 * viewpoints.len()));
        kept.drain(..beyond);
    }
    let orders = app.store.orders(project)?;
    for order in &orders {
        if matches!(order.state, JobState::Done | JobState::Failed) {
            continue;
        }
        let facts = Facts {
            order: order_facts(app, &row.settings, order, &orders, &viewpoints),
            ..Facts::default()
        };
        found.extend(
            check(&facts)
                .into_iter()
                .map(|f| info(f, None, Some(order.id))),
        );
    }
    found.sort_by_key(|f| std::cmp::Reverse(f.level));
    Ok(found)
}
