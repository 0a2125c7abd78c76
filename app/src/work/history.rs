//! Undo and redo: every change of where one stands and of the scene's settings is kept with the state
//! before and after it. A change is several writes; one that fails or is killed between them is put back whole.

use super::told::Event;
use super::{App, Result, WorkError, settings};
use crate::model::kept;
use crate::model::places::Viewpoint;
use crate::model::settings::SceneSettings;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant, SystemTime};

/// Changes that are called the same and follow each other within this time are one.
const ONE: Duration = Duration::from_millis(600);

/// All that can be undone of a project.
#[derive(Clone, PartialEq, Serialize, Deserialize)]
struct State {
    settings: SceneSettings,
    viewpoints: Vec<Viewpoint>,
}

fn state(app: &App, project: i64) -> Result<State> {
    let mut viewpoints = app.store.viewpoints(project)?;
    for v in &mut viewpoints {
        // Versions tell that something changed, not what.
        v.version = 0;
    }
    Ok(State {
        settings: app.store.settings(project)?,
        viewpoints,
    })
}

/// Lets changes come one after the other, or the states before and after would mix; knows when each project's last one was made,
/// by a clock that nobody sets.
#[derive(Default)]
pub struct Changes(Mutex<HashMap<i64, Instant>>);

impl Changes {
    fn alone(&self) -> MutexGuard<'_, HashMap<i64, Instant>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Makes a change with what belongs to it, or puts back how the project was.
fn whole<T>(
    app: &App,
    project: i64,
    before: &State,
    make: impl FnOnce(&str) -> Result<T>,
) -> Result<T> {
    let kept = kept::write(before).map_err(crate::store::StoreError::from)?;
    app.store.begin_change(project, &kept)?;
    let made = make(&kept);
    if made.is_err() {
        // The reason why it failed is the one to tell. What cannot be put back now is put back at the next start.
        if let Err(e) = put_back(app, project, before) {
            eprintln!("Putting back a change of project {project}: {e}");
        }
    }
    made
}

/// Puts back how a project was before a change that did not come to its end.
fn put_back(app: &App, project: i64, before: &State) -> Result<()> {
    if state(app, project)? == *before {
        return Ok(app.store.end_change(project)?);
    }
    (app.store).give_up_change(project, &before.settings, &before.viewpoints)?;
    app.tell(Event::Project { project });
    Ok(())
}

/// Puts back what was being changed when the program was killed.
pub fn put_back_cut_off(app: &App) -> Result<()> {
    for (project, before) in app.store.changes_begun()? {
        match kept::read(&before) {
            // One project that cannot be put back must not keep the server from starting.
            Ok(before) => {
                if let Err(e) = put_back(app, project, &before) {
                    eprintln!("Putting back a change of project {project} that was cut off: {e}");
                }
            }
            Err(_) => app.store.end_change(project)?,
        }
    }
    Ok(())
}

/// Makes a change of a project and remembers it. `label` is called afterwards, and says what was done.
pub fn change<T>(
    app: &App,
    project: i64,
    label: impl FnOnce() -> String,
    make: impl FnOnce() -> Result<T>,
) -> Result<T> {
    let mut last = app.changes.alone();
    let before = state(app, project)?;
    whole(app, project, &before, |kept_before| {
        let made = make()?;
        let after = state(app, project)?;
        if before == after {
            app.store.end_change(project)?;
            return Ok(made);
        }
        let now = SystemTime::now()
            .duration_since(SystemTime::UNIX_EPOCH)
            .map_or(0.0, |d| d.as_secs_f64());
        let goes_on = last
            .insert(project, Instant::now())
            .is_some_and(|l| l.elapsed() < ONE);
        app.store.remember(
            project,
            &label(),
            (now, goes_on),
            kept_before,
            &kept::write(&after).map_err(crate::store::StoreError::from)?,
        )?;
        app.tell(Event::Project { project });
        Ok(made)
    })
}

/// Undoes the last change, or does the last undone one again.
pub fn step(app: &App, project: i64, undo: bool) -> Result<()> {
    let mut last = app.changes.alone();
    app.store.project_name(project)?;
    let change = if undo {
        app.store.to_undo(project)?
    } else {
        app.store.to_redo(project)?
    };
    let Some(change) = change else {
        return Err(WorkError::Conflict(
            if undo {
                "There is nothing to undo."
            } else {
                "There is nothing to do again."
            }
            .into(),
        ));
    };
    let wanted = if undo { &change.before } else { &change.after };
    let wanted: State = kept::read(wanted).map_err(crate::store::StoreError::from)?;
    // What is changed next begins a change of its own.
    last.remove(&project);
    let now = state(app, project)?;
    whole(app, project, &now, |_| {
        if wanted.settings != now.settings {
            settings::apply(app, project, &now.settings, &wanted.settings)?;
        }
        Ok((app.store).end_step(project, (change.id, undo), &wanted.viewpoints)?)
    })?;
    app.tell(Event::Project { project });
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::folder::DataFolder;
    use crate::model::places::NewViewpoint;
    use crate::model::scenes::SceneSummary;
    use dome_trace::Unit;

    fn label() -> String {
        "Change the unit".into()
    }

    /// Scene, settings and a viewpoint change together, each by a write of its own, up to a step where the change ends early.
    fn write(app: &App, project: i64, x: f64, steps: usize) -> Result<()> {
        let mut settings = app.store.settings(project)?;
        settings.unit = Unit::Centimetre;
        if steps > 0 {
            let summary = SceneSummary::unreadable("other.glb", "another one");
            app.store
                .set_scene(project, "other.glb", &summary, &settings)?;
        }
        for viewpoint in app
            .store
            .viewpoints(project)?
            .into_iter()
            .take(steps.saturating_sub(1))
        {
            let mut draft = NewViewpoint::of(&viewpoint);
            draft.pose.position = [x, 0.0, 0.0];
            app.store.settle_viewpoint(project, viewpoint.id, &draft)?;
        }
        match steps {
            3 => Ok(()),
            _ => Err(WorkError::Request("No more.".into())),
        }
    }

    fn seen(app: &App, project: i64) -> (State, String, String) {
        let row = app.store.project(project).unwrap();
        let summary = serde_json::to_string(&row.summary).unwrap();
        (state(app, project).unwrap(), row.scene_file, summary)
    }

    /// A change of several writes is there whole or not at all: one that fails at any of them, and one that a kill cuts off there.
    #[test]
    fn a_change_is_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let open = || App::open_idle(DataFolder::open(folder.path()).unwrap()).unwrap();
        let app = open();
        let project = app.store.add_project("Merlow", 0).unwrap();
        let summary = SceneSummary::unreadable("m.glb", "a stand-in");
        let settings = SceneSettings::default();
        (app.store.set_scene(project, "m.glb", &summary, &settings)).unwrap();
        for name in ["Desk", "Dome"] {
            let draft = NewViewpoint {
                name: name.into(),
                ..NewViewpoint::default()
            };
            app.store.add_viewpoint(project, &draft).unwrap();
        }
        let before = seen(&app, project);
        for steps in 0..3 {
            let failed = change(&app, project, label, || write(&app, project, 1.0, steps));
            assert!(failed.is_err());
            assert!(seen(&app, project) == before, "failed after {steps} writes");
            assert!(app.store.to_undo(project).unwrap().is_none());
            // What a kill leaves: the change is begun, and its writes are there.
            let kept = kept::write(&before.0).unwrap();
            app.store.begin_change(project, &kept).unwrap();
            assert!(write(&app, project, 1.0, steps).is_err());
            assert_eq!(seen(&app, project) != before, steps > 0);
            put_back_cut_off(&app).unwrap();
            assert!(seen(&app, project) == before, "killed after {steps} writes");
            assert!(app.store.changes_begun().unwrap().is_empty());
        }
        drop(app);
        let app = open();
        assert!(seen(&app, project) == before);
        change(&app, project, label, || write(&app, project, 1.0, 3)).unwrap();
        let after = seen(&app, project);
        // A second one of the same name follows at once, and is one with it.
        change(&app, project, label, || write(&app, project, 2.0, 3)).unwrap();
        let one = app.store.to_undo(project).unwrap().unwrap();
        assert!(kept::read::<State>(&one.before).unwrap() == before.0);
        app.store
            .begin_change(project, &kept::write(&after.0).unwrap())
            .unwrap();
        drop(app);
        let app = open();
        assert!(
            seen(&app, project) == after,
            "put back when the server starts"
        );
    }
}
