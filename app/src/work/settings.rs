//! A project's settings: surroundings, lights, unit, moment, moved objects, and what follows when they change.

use super::bring::summarise;
use super::{App, Result, WorkError, distributions, paths};
use crate::model::places::{NewViewpoint, Viewpoint};
use crate::model::settings::SceneSettings;
use dome_files::archive;
use dome_trace::{ObjectMove, Scene, Sky, Up, stand};
use glam::DVec3;

/// Most moved objects of a project.
const MOST_MOVES: usize = 1000;

/// Takes new settings for a project. In another unit the scene is read again, and viewpoints and moved
/// objects keep their place in it; turned so that another axis is up, viewpoints are turned along and stand on
/// the floor there, and moved objects are switched off; at another moment viewpoints go along with what they
/// ride on.
pub fn change_settings(app: &App, id: i64, new: &SceneSettings) -> Result<()> {
    let row = app.store.project(id)?;
    let old = row.settings;
    let factor = f64::from(new.unit.metres()) / f64::from(old.unit.metres());
    let mut new = new.clone();
    if factor != 1.0 {
        moves_of(&mut new).for_each(|m| *m = m.scaled(factor));
    }
    // Scenes that were read before anybody asked are Y up.
    let guess = row.summary.guess.as_ref().map_or(Up::Y, |g| g.up);
    let used = |s: &SceneSettings| s.up.unwrap_or(guess);
    let turned = used(&new) != used(&old);
    if turned {
        // They were turned about an upright line, which lies down now.
        moves_of(&mut new).for_each(|m| m.on = false);
    }
    let before = (factor != 1.0).then(|| app.scenes.get_as(app, id, &old));
    let after = apply(app, id, &old, &new)?;
    let Some(after) = after else { return Ok(()) };
    if let Some(before) = before {
        let before = before?;
        let scaled = |eye: DVec3| {
            let above = stand::floor_below(&before, eye).map_or(0.0, |f| eye.y - f.y);
            let mut place = eye * factor;
            if above > 0.0 {
                place.y = (eye.y - above) * factor + above;
            }
            place
        };
        for viewpoint in app.store.viewpoints(id)? {
            move_to(app, id, viewpoint, &scaled)?;
        }
    } else if turned {
        stand_again(app, id, &after, used(&new) == Up::Z)?;
    } else if new.time_s != old.time_s {
        ride_along(app, id, &after, new.time_s)?;
    }
    Ok(())
}

/// All moved objects, those that are kept for a later scene file too.
fn moves_of(settings: &mut SceneSettings) -> impl Iterator<Item = &mut ObjectMove> {
    let kept = settings.unmatched.iter_mut();
    (settings.moves.iter_mut()).chain(kept.filter_map(|u| u.moved.as_mut()))
}

/// Puts settings in place as they are, viewpoints untouched; gives the scene if it had to be read again.
pub fn apply(
    app: &App,
    id: i64,
    old: &SceneSettings,
    new: &SceneSettings,
) -> Result<Option<std::sync::Arc<Scene>>> {
    check_settings(new)?;
    let row = app.store.project(id)?;
    if let Sky::Picture { file } = &new.surroundings.sky
        && !(is_plain_name(file) && app.folder.surroundings(id).join(file).is_file())
    {
        return Err(WorkError::Request(format!(
            "There is no picture {file} among the project's surroundings; add it first."
        )));
    }
    distributions::check_files(app, id, &new.lights)?;
    if new.unit == old.unit
        && new.up == old.up
        && new.origin == old.origin
        && new.replaced == old.replaced
        && new.time_s == old.time_s
        && new.moves == old.moves
    {
        let scene = app.scenes.get_as(app, id, old)?;
        let unknown = dome_trace::stand::lights::unknown_keys(&scene, &new.lights);
        if let Some(key) = unknown.first() {
            return Err(WorkError::Request(format!(
                "The scene has no light \"{key}\"; ask for the list of lights."
            )));
        }
        if let Some(problem) = distributions::misplaced(&scene, &new.lights) {
            return Err(WorkError::Request(problem));
        }
        app.store.set_settings(id, new)?;
        return Ok(None);
    }
    let scene = app.scenes.place(app, id, new)?;
    known_moves(&scene, new)?;
    let report = &app.scenes.open(app, id, new)?.report;
    let name = match (&new.replaced, &old.replaced) {
        (Some(r), _) => r.name.clone(),
        (None, None) => row.summary.file,
        (None, Some(_)) => first_name(&row.scene_file),
    };
    let summary = summarise(name, &scene, report);
    app.store.set_scene(id, &row.scene_file, &summary, new)?;
    Ok(Some(app.scenes.put(id, new, scene)?))
}

/// What the first scene file of a project is called once another has taken its place.
fn first_name(scene_file: &str) -> String {
    let name = std::path::Path::new(scene_file).file_name();
    name.map_or_else(|| scene_file.into(), |n| n.to_string_lossy().into_owned())
}

/// Eye height above the floor of viewpoints in a scene that was turned, metres: a standing person's.
const EYE_HEIGHT: f64 = 1.6;

/// Turns viewpoints along with a scene whose up has changed, and puts them on the floor below; where there is none
/// they stand where anybody would first.
fn stand_again(app: &App, id: i64, scene: &Scene, z_up: bool) -> Result<()> {
    for viewpoint in app.store.viewpoints(id)? {
        let again = |at: DVec3| {
            let turned = if z_up {
                DVec3::new(at.x, at.z, -at.y)
            } else {
                DVec3::new(at.x, -at.z, at.y)
            };
            match stand::floor_below(scene, turned) {
                Some(floor) => DVec3::new(turned.x, floor.y + EYE_HEIGHT, turned.z),
                None => stand::middle(scene),
            }
        };
        move_to(app, id, viewpoint, &again)?;
    }
    Ok(())
}

/// Puts riding viewpoints where what they ride on is now, and those with a path where it has come to.
fn ride_along(app: &App, id: i64, scene: &Scene, time_s: f64) -> Result<()> {
    for viewpoint in app.store.viewpoints(id)? {
        if viewpoint.path.is_some() {
            let draft = paths::settled(NewViewpoint::of(&viewpoint), scene, time_s)?;
            app.store.settle_viewpoint(id, viewpoint.id, &draft)?;
            continue;
        }
        let now = viewpoint
            .ride
            .as_ref()
            .and_then(|r| scene.movers().iter().find(|m| m.node == r.node));
        if let (Some(mover), Some(ride)) = (now, viewpoint.ride.clone()) {
            let place = DVec3::from(mover.now) + DVec3::from(ride.offset);
            move_to(app, id, viewpoint, &|_| place)?;
        }
    }
    Ok(())
}

/// Moves a viewpoint, and its path with it.
fn move_to(app: &App, id: i64, viewpoint: Viewpoint, place: &dyn Fn(DVec3) -> DVec3) -> Result<()> {
    let mut draft = NewViewpoint::of(&viewpoint);
    let moved = |p: &mut [f64; 3]| *p = place((*p).into()).to_array();
    moved(&mut draft.pose.position);
    if let Some(path) = &mut draft.path {
        path.keys.iter_mut().for_each(|k| moved(&mut k.position));
    }
    Ok(app.store.set_viewpoint(id, viewpoint.id, &draft)?)
}

/// Whether a name leads nowhere but to a file of that name.
pub(super) fn is_plain_name(name: &str) -> bool {
    archive::safe_relative(name).is_some_and(|p| p.components().count() == 1)
}

/// Refuses settings that make no sense.
fn check_settings(s: &SceneSettings) -> Result<()> {
    let stops = |v: f32| (-20.0..=20.0).contains(&v);
    if !s.surroundings.is_valid() {
        return Err(WorkError::Request(
            "The surroundings' numbers are outside their limits: colours 0 or more, sun -5 to 90 degrees, turbidity 1 to 10, ground 0 to 1, brightness -20 to 20 stops, 1 of it 0.001 to 1000000000 cd/m²; correct them.".into(),
        ));
    }
    if !stops(s.exposure_stops) {
        return Err(WorkError::Request(
            "The exposure must lie between -20 and 20 stops; correct it.".into(),
        ));
    }
    if !(1e-3..=1e9).contains(&s.file_cd_m2) {
        return Err(WorkError::Request(
            "What 1 in the scene file is must lie between 0.001 and 1000000000 cd/m²; correct it."
                .into(),
        ));
    }
    let mut numbers: Vec<u32> = s.setups().iter().map(|s| s.number).collect();
    numbers.dedup();
    if numbers.len() != s.other_setups.len() + 1 {
        return Err(WorkError::Request(
            "Two light setups have the same number; ask for the project again.".into(),
        ));
    }
    if !stops(s.draft_stops) || !s.lights.values().all(|l| stops(l.stops)) {
        return Err(WorkError::Request(
            "The brightness of a light must lie between -20 and 20 stops; correct it.".into(),
        ));
    }
    let moves = |m: &ObjectMove| m.is_valid() && !m.objects.is_empty();
    if s.moves.len() > MOST_MOVES || !s.moves.iter().all(moves) {
        return Err(WorkError::Request(format!(
            "Moved objects need numbers within 10,000 km, and there may be {MOST_MOVES} of them; correct the list."
        )));
    }
    if !(0.0..=10.0).contains(&s.stand.beside_m)
        || !(0.0..=100_000.0).contains(&s.stand.eye_separation_mm)
    {
        return Err(WorkError::Request(
            "The space beside the viewer must be 0 to 10 m and the eye separation 0 to 100 m; correct them.".into(),
        ));
    }
    if !(0.0..=86_400.0).contains(&s.time_s) {
        return Err(WorkError::Request(
            "The time must lie between 0 and 86400 s; correct it.".into(),
        ));
    }
    Ok(())
}

/// Whether the moves of some settings name objects that the scene has.
fn known_moves(scene: &Scene, settings: &SceneSettings) -> Result<()> {
    let count = scene.objects().len() as u32;
    let unknown = |m: &&ObjectMove| m.objects.iter().any(|o| *o >= count);
    match settings.moves.iter().find(unknown) {
        Some(m) => Err(WorkError::Request(format!(
            "The scene has no object that \"{}\" could move; take it off the list.",
            m.name
        ))),
        None => Ok(()),
    }
}
