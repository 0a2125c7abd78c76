//! Light setups of a project: several sets of surroundings, lights, brightness, exposure and moment.

use super::projects::describe;
use super::sent::Sent;
use super::types::{Project, SetupRequest};
use super::{Answer, Shared, blocking};
use crate::model::settings::SceneSettings;
use crate::work::bring::check_name;
use crate::work::settings::change_settings;
use crate::work::{App, Result, WorkError, history};
use rocket::serde::json::Json;
use rocket::{Route, delete, patch, post, routes};

/// Most light setups of a project.
const MOST: usize = 50;

pub(super) fn routes() -> Vec<Route> {
    routes![copy, choose, rename, remove]
}

fn missing(number: u32) -> WorkError {
    WorkError::Request(format!(
        "There is no light setup {number} in this project; choose one of the list."
    ))
}

/// A name that no other setup of the project has.
fn free_name(settings: &SceneSettings, name: &str, own: Option<u32>) -> Result<String> {
    let name = check_name(name, "light setup")?;
    let taken = |s: &&crate::model::settings::SetupName| s.name == name && Some(s.number) != own;
    if settings.setups().iter().any(taken) {
        return Err(WorkError::Request(format!(
            "There is a light setup \"{name}\" already; choose another name."
        )));
    }
    Ok(name)
}

/// Changes the setups of a project as one step of its history.
fn changed(
    app: &App,
    id: i64,
    verb: &str,
    new: impl FnOnce(&SceneSettings) -> Result<SceneSettings>,
) -> Result<Json<Project>> {
    // With its name: quick steps of one label count as one, and two setups one after the other are two.
    let label = || {
        let now = app.store.project(id).map(|p| p.settings.setup.name);
        format!("{verb} {}", now.unwrap_or_default())
            .trim_end()
            .to_owned()
    };
    history::change(app, id, label, || {
        let now = app.store.settings(id)?;
        change_settings(app, id, &new(&now)?)
    })?;
    Ok(Json(describe(app, id)?))
}

/// Copies the light setup in use under a new name; the copy is in use then.
#[post("/projects/<id>/setups", data = "<request>")]
async fn copy(app: &Shared, id: i64, request: Sent<SetupRequest>) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        changed(app, id, "Copy light setup to", |now| {
            if now.other_setups.len() + 1 >= MOST {
                return Err(WorkError::Request(format!(
                    "A project may have {MOST} light setups; remove one first."
                )));
            }
            Ok(now.with_copy(free_name(now, &request.name, None)?))
        })
    })
    .await
}

/// Puts a light setup in use.
#[post("/projects/<id>/setups/<number>/use")]
async fn choose(app: &Shared, id: i64, number: u32) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        changed(app, id, "Use light setup", |now| {
            now.with_setup(number).ok_or_else(|| missing(number))
        })
    })
    .await
}

#[patch("/projects/<id>/setups/<number>", data = "<request>")]
async fn rename(
    app: &Shared,
    id: i64,
    number: u32,
    request: Sent<SetupRequest>,
) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        changed(app, id, "Rename a light setup, in use", |now| {
            let name = free_name(now, &request.name, Some(number))?;
            let mut new = now.clone();
            let others = new.other_setups.iter_mut().map(|s| &mut s.setup);
            let setup = (others.chain([&mut new.setup]).find(|s| s.number == number))
                .ok_or_else(|| missing(number))?;
            setup.name = name;
            Ok(new)
        })
    })
    .await
}

#[delete("/projects/<id>/setups/<number>")]
async fn remove(app: &Shared, id: i64, number: u32) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        changed(app, id, "Remove a light setup, in use", |now| {
            if now.other_setups.is_empty() {
                return Err(WorkError::Request(
                    "The last light setup stays; copy it first.".into(),
                ));
            }
            now.without_setup(number).ok_or_else(|| missing(number))
        })
    })
    .await
}
