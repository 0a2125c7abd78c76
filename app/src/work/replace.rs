//! Another export of a scene in the place of a project's scene file: what was set stays with what it was set for, matched by
//! paths of names; what matches nothing is kept for a later export.

use super::bring::{lay_down, scene_ending};
use super::{App, Result, history, settings};
use crate::folder::remove;
use crate::model::places::NewViewpoint;
use crate::model::settings::{ReplacedScene, SceneSettings, Unmatched};
use dome_files::atomic;
use dome_trace::light::{lamp_key, object_key};
use dome_trace::scene::Paths;
use dome_trace::{LightSettings, ObjectMove, Scene};
use std::collections::HashMap;
use std::path::Path;

/// Takes an upload as the project's scene file. The old one stays beside it, so that this can be undone and orders made from
/// it stay what they are. Nothing is changed if the new one cannot be read.
pub fn replace_scene(
    app: &App,
    project: i64,
    upload: &Path,
    file: &str,
    inside: Option<&str>,
) -> Result<()> {
    let outcome = scene_ending(file).and_then(|ending| {
        let folder = app.folder.scene(project);
        let own = free_folder(&folder);
        let at = folder.join(&own);
        lay_down(&at, upload, (file, inside), ending)
            .and_then(|(scene_file, name)| {
                atomic::sync_folder(&folder)?;
                let replaced = ReplacedScene {
                    file: Path::new(&own)
                        .join(scene_file)
                        .to_string_lossy()
                        .into_owned(),
                    name,
                };
                // Each export is a step of its own, however quickly they follow.
                let label = || format!("Replace the scene file ({own})");
                history::change(app, project, label, || take(app, project, replaced))
            })
            .inspect_err(|_| {
                // The next one may lie in a folder of the same name.
                app.scenes.forget(project);
                remove(&at);
            })
    });
    remove(upload);
    outcome
}

/// A name for the folder of another export that no other has.
fn free_folder(folder: &Path) -> String {
    let names = (2u32..).map(|n| format!("export {n}"));
    let mut free = names.filter(|n| !folder.join(n).exists());
    free.next().unwrap_or_default()
}

fn take(app: &App, project: i64, replaced: ReplacedScene) -> Result<()> {
    let old = app.store.settings(project)?;
    let before = app.scenes.open(app, project, &old)?;
    let bare = SceneSettings {
        replaced: Some(replaced),
        moves: Vec::new(),
        ..old.clone()
    };
    let after = app.scenes.open(app, project, &bare)?;
    let new = matched(&bare, &old, before.document.paths(), after.document.paths());
    if let Some(scene) = settings::apply(app, project, &old, &new)? {
        ride_again(app, project, &scene)?;
    }
    Ok(())
}

/// Riding viewpoints find what they ride on by its name; where that is gone they stay where they are.
fn ride_again(app: &App, project: i64, scene: &Scene) -> Result<()> {
    for viewpoint in app.store.viewpoints(project)? {
        let Some(ride) = &viewpoint.ride else {
            continue;
        };
        let mover = scene.movers().iter().find(|m| m.name == ride.name);
        let node = mover.map_or(u32::MAX, |m| m.node);
        if node != ride.node {
            let mut draft = NewViewpoint::of(&viewpoint);
            draft.ride.iter_mut().for_each(|r| r.node = node);
            app.store.set_viewpoint(project, viewpoint.id, &draft)?;
        }
    }
    Ok(())
}

/// Where the things of another scene file are, by their paths.
struct Places<'a> {
    objects: HashMap<&'a str, u32>,
    lamps: HashMap<&'a str, u32>,
}

impl<'a> Places<'a> {
    fn of(paths: &'a Paths) -> Self {
        let numbered = |list: &'a [String]| list.iter().map(String::as_str).zip(0..).collect();
        Self {
            objects: numbered(&paths.objects),
            lamps: numbered(&paths.lamps),
        }
    }

    /// The key of a light here.
    fn light(&self, path: &str, lamp: bool) -> Option<String> {
        if lamp {
            Some(lamp_key(*self.lamps.get(path)? as usize))
        } else {
            Some(object_key(*self.objects.get(path)? as usize))
        }
    }
}

/// The path of what a light's key means, and whether it is a lamp; nothing for the sky and the sun, which belong to no file.
fn path_of<'a>(key: &str, paths: &'a Paths) -> Option<(&'a String, bool)> {
    let number = |kind: &str| key.strip_prefix(kind)?.parse::<usize>().ok();
    let object = number("object:").and_then(|n| paths.objects.get(n));
    let lamp = || number("lamp:").and_then(|n| paths.lamps.get(n));
    object
        .map(|p| (p, false))
        .or_else(|| lamp().map(|p| (p, true)))
}

/// `new` with what `old` had set, for the scene with the paths `to` instead of that with the paths `from`.
fn matched(new: &SceneSettings, old: &SceneSettings, from: &Paths, to: &Paths) -> SceneSettings {
    let places = Places::of(to);
    let mut new = new.clone();
    new.unmatched.clear();
    let mut lost = Vec::new();
    let mut carry = |setup: u32, lights: &LightSettings| -> LightSettings {
        let mut carried = LightSettings::new();
        for (key, setting) in lights {
            let Some((path, lamp)) = path_of(key, from) else {
                carried.insert(key.clone(), setting.clone());
                continue;
            };
            match places.light(path, lamp) {
                Some(key) => {
                    carried.insert(key, setting.clone());
                }
                None => lost.push(Unmatched {
                    path: path.clone(),
                    lamp,
                    setup,
                    light: Some(setting.clone()),
                    moved: None,
                }),
            }
        }
        carried
    };
    new.lights = carry(old.setup.number, &old.lights);
    for setup in &mut new.other_setups {
        setup.lights = carry(setup.setup.number, &setup.lights);
    }
    for change in &old.moves {
        let bare = ObjectMove {
            objects: Vec::new(),
            ..change.clone()
        };
        let mut moved = bare.clone();
        let paths = (change.objects.iter()).filter_map(|o| from.objects.get(*o as usize));
        for path in paths {
            match places.objects.get(path.as_str()) {
                Some(object) => moved.objects.push(*object),
                None => lost.push(Unmatched {
                    path: path.clone(),
                    lamp: false,
                    setup: 0,
                    light: None,
                    moved: Some(bare.clone()),
                }),
            }
        }
        if !moved.objects.is_empty() {
            new.moves.push(moved);
        }
    }
    for kept in &old.unmatched {
        if !found_again(&mut new, kept, &places) {
            new.unmatched.push(kept.clone());
        }
    }
    new.unmatched.append(&mut lost);
    new
}

/// Puts back what an earlier export lacked, if it is there again.
fn found_again(new: &mut SceneSettings, kept: &Unmatched, places: &Places) -> bool {
    if let (Some(light), Some(key)) = (kept.light.clone(), places.light(&kept.path, kept.lamp)) {
        let mut others = new.other_setups.iter_mut();
        let lights = match others.find(|s| s.setup.number == kept.setup) {
            Some(other) => &mut other.lights,
            None => &mut new.lights,
        };
        lights.entry(key).or_insert(light);
        return true;
    }
    let (Some(moved), Some(object)) = (&kept.moved, places.objects.get(kept.path.as_str())) else {
        return false;
    };
    let same = |m: &ObjectMove| ObjectMove {
        objects: Vec::new(),
        ..m.clone()
    };
    match new.moves.iter_mut().find(|m| same(m) == *moved) {
        Some(with_others) => with_others.objects.push(*object),
        None => new.moves.push(ObjectMove {
            objects: vec![*object],
            ..moved.clone()
        }),
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;
    use dome_trace::LightSetting;

    fn paths(objects: &[&str], lamps: &[&str]) -> Paths {
        let own = |list: &[&str]| list.iter().map(|s| (*s).to_owned()).collect();
        Paths {
            objects: own(objects),
            lamps: own(lamps),
        }
    }

    fn dimmed(stops: f32) -> LightSetting {
        LightSetting {
            stops,
            ..LightSetting::default()
        }
    }

    fn desk_moved(objects: Vec<u32>) -> ObjectMove {
        ObjectMove {
            name: "Desk".into(),
            objects,
            about: [1.0, 2.0],
            turn_deg: 30.0,
            by: [0.5, 0.0, 0.0],
            on: true,
        }
    }

    #[test]
    fn settings_follow_their_things_by_name_and_come_back() {
        let full = paths(&["Wall", "Desk/Top", "Desk/Lamp"], &["Hall/Spot"]);
        let mut old = SceneSettings {
            moves: vec![desk_moved(vec![1, 2])],
            ..SceneSettings::default()
        };
        old.lights.insert(object_key(2), dimmed(1.0));
        old.lights.insert(lamp_key(0), dimmed(2.0));
        old.lights.insert("sun".into(), dimmed(3.0));
        let mut old = old.with_copy("Evening".into());
        old.lights.insert(object_key(2), dimmed(-4.0));
        let bare = |s: &SceneSettings| SceneSettings {
            moves: Vec::new(),
            ..s.clone()
        };
        // The lamp on the desk is gone, the rest stands in another order.
        let less = paths(&["Desk/Top", "Wall"], &["New", "Hall/Spot"]);
        let new = matched(&bare(&old), &old, &full, &less);
        assert_eq!(new.moves, [desk_moved(vec![0])]);
        assert_eq!(new.lights.get(&lamp_key(1)), Some(&dimmed(2.0)));
        assert_eq!(new.lights.get("sun"), Some(&dimmed(3.0)));
        assert_eq!((new.lights.len(), new.other_setups[0].lights.len()), (2, 2));
        let lost: Vec<_> = (new.unmatched.iter())
            .map(|u| {
                let stops = u.light.as_ref().map(|l| l.stops);
                (u.path.as_str(), u.setup, stops, u.moved.is_some())
            })
            .collect();
        let wanted = [
            ("Desk/Lamp", 2, Some(-4.0), false),
            ("Desk/Lamp", 1, Some(1.0), false),
            ("Desk/Lamp", 0, None, true),
        ];
        assert_eq!(lost, wanted);
        // An export that has it again, in yet another order: all is as at first.
        let again = paths(&["Desk/Lamp", "Desk/Top", "Wall"], &["Hall/Spot"]);
        let back = matched(&bare(&new), &new, &less, &again);
        assert!(back.unmatched.is_empty(), "{:?}", back.unmatched);
        assert_eq!(back.moves, [desk_moved(vec![1, 0])]);
        let (own, other) = (&back.lights, &back.other_setups[0].lights);
        assert_eq!(own.get(&object_key(0)), Some(&dimmed(-4.0)));
        assert_eq!(other.get(&object_key(0)), Some(&dimmed(1.0)));
        assert_eq!(own.get(&lamp_key(0)), Some(&dimmed(2.0)));
    }
}
