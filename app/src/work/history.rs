//! Undo and redo: every change of where one stands and of the scene's settings is kept with the state
//! before and after it.

use super::told::Event;
use super::{App, Result, WorkError, settings};
use crate::model::kept;
use crate::model::places::Viewpoint;
use crate::model::settings::SceneSettings;
use serde::{Deserialize, Serialize};
use std::sync::{Mutex, PoisonError};
use std::time::SystemTime;

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

/// Changes come one after the other, or the states before and after would mix.
static ONE_AT_A_TIME: Mutex<()> = Mutex::new(());

/// Makes a change of a project and remembers it. `label` is called afterwards, and says what was done.
pub fn change<T>(
    app: &App,
    project: i64,
    label: impl FnOnce() -> String,
    make: impl FnOnce() -> Result<T>,
) -> Result<T> {
    let _alone = ONE_AT_A_TIME.lock().unwrap_or_else(PoisonError::into_inner);
    let before = state(app, project)?;
    let made = make()?;
    let after = state(app, project)?;
    if before != after {
        let now = SystemTime::now()
            .duration_since(SystemTime::UNIX_EPOCH)
            .map_or(0.0, |d| d.as_secs_f64());
        app.store.remember(
            project,
            &label(),
            now,
            &kept::write(&before).map_err(crate::store::StoreError::from)?,
            &kept::write(&after).map_err(crate::store::StoreError::from)?,
        )?;
        app.tell(Event::Project { project });
    }
    Ok(made)
}

/// Undoes the last change, or does the last undone one again.
pub fn step(app: &App, project: i64, undo: bool) -> Result<()> {
    let _alone = ONE_AT_A_TIME.lock().unwrap_or_else(PoisonError::into_inner);
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
    let now = app.store.settings(project)?;
    if wanted.settings != now {
        settings::apply(app, project, &now, &wanted.settings)?;
    }
    app.store.replace_viewpoints(project, &wanted.viewpoints)?;
    app.store.mark_undone(change.id, undo)?;
    app.tell(Event::Project { project });
    Ok(())
}
