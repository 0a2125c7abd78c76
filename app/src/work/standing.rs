//! What the Stand stage asks: what is near, what lies in a direction, being square, moving objects.

use super::asked::{MoveRequest, SquareRequest};
use super::preflight::{Place, info, limits};
use super::settings::apply;
use super::told::standing::{
    ClearanceInfo, FloorInfo, NearInfo, SeenInfo, ShareInfo, SightLine, SquareAnswer, StartInfo,
};
use super::{App, Result, WorkError, at_once};
use crate::model::places::Ride;
use crate::model::places::{NewViewpoint, Pose};
use dome_rules::preflight::{Facts, StandFacts, check};
use dome_trace::Scene;
use dome_trace::light::object_key;
use dome_trace::stand::clearance::{Near, scan};
use dome_trace::stand::move_here::{self, Wanted};
use dome_trace::stand::square::{self, Front};
use dome_trace::stand::{direction, heading_pitch, sight};
use glam::DVec3;
use std::collections::BTreeMap;
use std::sync::Arc;

fn named(scene: &Scene, object: u32) -> String {
    scene
        .objects()
        .get(object as usize)
        .map_or_else(String::new, |o| o.name.clone())
}

fn near_info(scene: &Scene, near: &Near) -> NearInfo {
    NearInfo {
        object: named(scene, near.object),
        distance_m: near.distance,
        heading_deg: near.heading_deg,
        pitch_deg: near.pitch_deg,
        point: near.point.to_array(),
    }
}

/// What is round a pose; `viewpoint` is the one whose findings these are. While it is `moving` no remedies
/// are looked for.
pub fn clearance(
    app: &App,
    project: i64,
    viewpoint: i64,
    pose: &Pose,
    moving: bool,
) -> Result<ClearanceInfo> {
    let settings = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    let starts = match moving {
        true => Arc::default(),
        false => app.scenes.starts(app, project, &settings)?,
    };
    let found = at_once(|| scan(&scene, pose.position.into(), &limits(&settings)));
    let place = Place {
        name: app.store.viewpoint(project, viewpoint)?.name,
        pose: *pose,
        scene: &scene,
        settings: &settings,
        starts: &starts,
    };
    let facts = Facts {
        stand: Some(StandFacts {
            remedies: !moving,
            ..place.near(&found)
        }),
        ..Facts::default()
    };
    let findings = at_once(|| check(&facts))
        .into_iter()
        .map(|f| info(f, Some((viewpoint, pose)), None))
        .collect();
    Ok(ClearanceInfo {
        floor: FloorInfo {
            floor_y: found.floor.map(|f| f.y),
            object: found.floor.map(|f| named(&scene, f.object)),
            ceiling_y: found.ceiling.map(|c| c.y),
        },
        nearest: found.nearest.as_ref().map(|n| near_info(&scene, n)),
        ring: found.ring,
        findings,
    })
}

/// All objects of the group of an object, or the object alone, and the group's name.
fn group(scene: &Scene, object: u32) -> (Option<String>, Vec<u32>) {
    let of = |o: u32| scene.objects().get(o as usize).and_then(|o| o.group);
    match of(object) {
        Some(group) => (
            scene.groups().get(group as usize).map(|g| g.name.clone()),
            (0..scene.objects().len() as u32)
                .filter(|o| of(*o) == Some(group))
                .collect(),
        ),
        None => (None, vec![object]),
    }
}

/// What lies at a heading and pitch.
pub fn look(scene: &Scene, eye: DVec3, heading: f64, pitch: f64) -> Option<SeenInfo> {
    let seen = sight::look_at(scene, eye, heading, pitch)?;
    let (group, group_objects) = group(scene, seen.object);
    let middle = move_here::seen_at(scene, &[seen.object], eye)?;
    Some(SeenInfo {
        object: seen.object,
        name: named(scene, seen.object),
        material: seen.material,
        distance_m: seen.distance,
        point: seen.point.to_array(),
        group,
        group_objects,
        middle_heading_deg: middle.0,
        middle_pitch_deg: middle.1,
        middle_distance_m: middle.2,
    })
}

/// The pose that is square to what was picked.
pub fn square_to(scene: &Scene, request: &SquareRequest) -> Result<SquareAnswer> {
    let eye = DVec3::from(request.pose.position);
    let Some(seen) = sight::look_at(scene, eye, request.heading_deg, request.pitch_deg) else {
        return Err(WorkError::Request(
            "There is nothing in that direction; pick a surface of the scene.".into(),
        ));
    };
    let front = if request.whole {
        square::of_object(scene, eye, &seen)
    } else {
        square::of_triangle(&seen)
    };
    let Some(front) = front else {
        return Err(WorkError::Request(format!(
            "\"{}\" is level there and has no upright front; pick a wall or something that stands.",
            named(scene, seen.object)
        )));
    };
    let wanted = request.distance_m.filter(|d| d.is_finite());
    let position = match wanted {
        Some(d) if !(0.01..=100_000.0).contains(&d) => {
            return Err(WorkError::Request(
                "The distance must be 0.01 m to 100 km; correct it.".into(),
            ));
        }
        Some(d) => stand_off(scene, &front, eye, d),
        None => eye,
    };
    let ahead = direction(front.heading_deg, 0.0);
    Ok(SquareAnswer {
        pose: Pose {
            position: position.to_array(),
            heading_deg: front.heading_deg,
            ..request.pose
        },
        object: named(scene, seen.object),
        curved: front.curved,
        lean_deg: front.normal_pitch_deg,
        distance_m: (front.middle - position).dot(ahead),
    })
}

/// The place in front of a surface, at the same height above the floor that is there.
fn stand_off(scene: &Scene, front: &Front, eye: DVec3, distance: f64) -> DVec3 {
    use dome_trace::stand::floor_below;
    let mut place = square::stand_off(front, eye, distance);
    if let (Some(here), Some(there)) = (floor_below(scene, eye), floor_below(scene, place)) {
        // Not onto another storey: only small steps are followed.
        if (here.y - there.y).abs() < 1.0 {
            place.y += there.y - here.y;
        }
    }
    place
}

/// Moves objects to where they are wanted, as a change of its own on top of the scene.
pub fn move_here(app: &App, project: i64, request: &MoveRequest) -> Result<()> {
    let numbers = [
        request.heading_deg,
        request.pitch_deg.unwrap_or(0.0),
        request.distance_m,
    ];
    if !numbers.iter().all(|v| v.is_finite()) || !(0.01..=100_000.0).contains(&request.distance_m) {
        return Err(WorkError::Request(
            "Moving needs a heading, and a distance of 0.01 m to 100 km; correct them.".into(),
        ));
    }
    let old = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &old)?;
    let Some(&first) = request.objects.first() else {
        return Err(WorkError::Request("Pick an object first.".into()));
    };
    let name = match group(&scene, first) {
        (Some(name), _) if request.objects.len() > 1 => name,
        _ => named(&scene, first),
    };
    let wanted = Wanted {
        eye: request.pose.position.into(),
        heading_deg: request.heading_deg,
        pitch_deg: request.pitch_deg,
        distance: request.distance_m,
        face: request.face,
    };
    let Some(change) = move_here::move_here(&scene, &name, &request.objects, &wanted) else {
        return Err(WorkError::Request(
            "The scene has no such object; pick one on the Horizon.".into(),
        ));
    };
    let mut new = old.clone();
    new.moves.push(change);
    apply(app, project, &old, &new)?;
    Ok(())
}

/// What is seen from a pose with its share of the sphere: lights first, then the rest by size; what is
/// hidden from view follows.
pub fn shares(app: &App, project: i64, pose: &Pose) -> Result<Vec<ShareInfo>> {
    let settings = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    let light = app
        .scenes
        .light(app, project, &settings, false, settings.white_cd_m2())?;
    let eye = DVec3::from(pose.position);
    let found = at_once(|| sight::shares(&scene, Some(&light), eye));
    let hidden = |object: u32| {
        settings
            .lights
            .get(&object_key(object as usize))
            .is_some_and(|s| s.unseen)
    };
    let mut all: Vec<ShareInfo> = found
        .iter()
        .map(|s| ShareInfo {
            key: object_key(s.object as usize),
            name: named(&scene, s.object),
            light: scene.objects()[s.object as usize].emits,
            hidden: false,
            share: s.share,
            heading_deg: s.heading_deg,
            pitch_deg: s.pitch_deg,
            distance_m: s.distance,
        })
        .collect();
    all.sort_by_key(|s| !s.light);
    for (object, o) in (0u32..).zip(scene.objects()).filter(|(i, _)| hidden(*i)) {
        let middle = ((o.min + o.max) / 2.0).as_dvec3();
        let (heading_deg, pitch_deg) = heading_pitch(middle - eye);
        all.push(ShareInfo {
            key: object_key(object as usize),
            name: o.name.clone(),
            light: o.emits,
            hidden: true,
            share: 0.0,
            heading_deg,
            pitch_deg,
            distance_m: middle.distance(eye),
        });
    }
    Ok(all)
}

/// Which viewpoints see each other.
pub fn sight_lines(app: &App, project: i64) -> Result<Vec<SightLine>> {
    let scene = app.scenes.get(app, project)?;
    let viewpoints = app.store.viewpoints(project)?;
    let mut lines = Vec::new();
    for (i, a) in viewpoints.iter().enumerate() {
        for b in &viewpoints[i + 1..] {
            let (from, to) = (DVec3::from(a.pose.position), DVec3::from(b.pose.position));
            lines.push(SightLine {
                from: a.id,
                to: b.id,
                distance_m: from.distance(to),
                between: sight::between(&scene, from, to).map(|o| named(&scene, o)),
            });
        }
    }
    Ok(lines)
}

/// Where to stand first.
pub fn starts(app: &App, project: i64) -> Result<Vec<StartInfo>> {
    let settings = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    Ok(app
        .scenes
        .starts(app, project, &settings)?
        .iter()
        .map(|s| StartInfo {
            pose: Pose {
                position: s.position.to_array(),
                heading_deg: s.heading_deg,
                pitch_deg: 0.0,
                roll_deg: 0.0,
            },
            floor: named(&scene, s.floor),
            above_m: s.position.y - s.floor_y,
            free_m: s.free,
            enclosed: s.enclosed,
        })
        .collect())
}

/// A changed viewpoint with its place and its ride made to agree: one that is moved changes its offset, one
/// that is put on something else goes there.
pub fn riding(
    scene: &Scene,
    before: Option<&Option<Ride>>,
    mut draft: NewViewpoint,
) -> Result<NewViewpoint> {
    let Some(ride) = draft.ride.as_mut() else {
        return Ok(draft);
    };
    let same = before.is_some_and(|b| b.as_ref() == Some(&*ride));
    let Some(mover) = scene.movers().iter().find(|m| m.node == ride.node) else {
        // What it rode on went with an older scene file: it is kept for a later one, and hinders nothing.
        if same {
            return Ok(draft);
        }
        return Err(WorkError::Request(format!(
            "\"{}\" does not move in this scene; choose something that does.",
            ride.name
        )));
    };
    ride.name.clone_from(&mover.name);
    if same {
        let offset = DVec3::from(draft.pose.position) - DVec3::from(mover.now);
        ride.offset = offset.to_array();
    } else if ride.offset.iter().all(|v| v.is_finite()) {
        draft.pose.position = (DVec3::from(mover.now) + DVec3::from(ride.offset)).to_array();
    }
    Ok(draft)
}

/// A copy of a viewpoint with a free name.
pub fn copy_of(app: &App, project: i64, viewpoint: i64) -> Result<NewViewpoint> {
    let mut draft = NewViewpoint::of(&app.store.viewpoint(project, viewpoint)?);
    let taken: BTreeMap<String, ()> = app
        .store
        .viewpoints(project)?
        .into_iter()
        .map(|v| (v.name, ()))
        .collect();
    let stem: String = draft.name.chars().take(72).collect();
    draft.name = (2..)
        .map(|n| format!("{stem} {n}"))
        .find(|n| !taken.contains_key(n))
        .unwrap_or(stem);
    Ok(draft)
}
