//! Projects and viewpoints over HTTP.

use super::files::jpeg;
use super::range::RangedFile;
use super::sent::Sent;
use super::types::{
    Event, ExposureInfo, NewViewpoint, Project, ProjectCard, ProjectChange, SceneSettings,
    Viewpoint, ViewpointDraft, ViewpointPath,
};
use super::{Answer, Failure, Shared, blocking};
use crate::folder::remove;
use crate::model::places::Ride;
use crate::store::StoreError;
use crate::work::bring::{bring, check_name, make_card, scene_ending};
use crate::work::replace::replace_scene;
use crate::work::settings::change_settings;
use crate::work::{App, Result, WorkError, history, paths, standing};
use dome_files::limits::MAX_FILE;
use rocket::data::{Data, ToByteUnit};
use rocket::http::Status;
use rocket::request::{FromRequest, Outcome, Request};
use rocket::serde::json::Json;
use rocket::tokio::io::{AsyncReadExt, AsyncWriteExt};
use rocket::tokio::time::timeout;
use rocket::{Route, async_trait, delete, get, patch, post, put, routes};
use std::io::ErrorKind::{QuotaExceeded, StorageFull};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

/// How long an upload may be silent.
const SILENCE: Duration = Duration::from_secs(60);
/// Farthest a viewpoint may stand from the origin, metres.
const FARTHEST: f64 = 1e7;

pub(super) fn routes() -> Vec<Route> {
    routes![
        cards,
        upload,
        replace,
        forget_unmatched,
        whole,
        change,
        discard,
        card,
        add_viewpoint,
        set_viewpoint,
        remove_viewpoint
    ]
}

#[get("/projects")]
async fn cards(app: &Shared) -> Answer<Json<Vec<ProjectCard>>> {
    blocking(app, |app| {
        let mut cards = app.store.project_cards()?;
        for card in &mut cards {
            card.has_picture = app.folder.card(card.id).exists();
        }
        Ok(Json(cards))
    })
    .await
}

pub(super) fn describe(app: &App, id: i64) -> Result<Project> {
    let row = app.store.project(id)?;
    Ok(Project {
        id,
        name: row.name,
        scene: row.summary,
        exposure: ExposureInfo::of(&row.settings),
        settings: row.settings,
        version: row.version,
        viewpoints: app.store.viewpoints(id)?,
        orders: app
            .store
            .orders(id)?
            .into_iter()
            .map(|o| app.describe_order(o))
            .collect(),
        packages: app.store.packages(id)?,
        undo: app.store.to_undo(id)?.map(|c| c.label),
        redo: app.store.to_redo(id)?.map(|c| c.label),
    })
}

/// How long a body says it is, bytes; 0 if it does not say.
pub(super) struct Length(u64);

#[async_trait]
impl<'r> FromRequest<'r> for Length {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Self::Error> {
        let told = request.headers().get_one("Content-Length");
        Outcome::Success(Self(told.and_then(|t| t.parse().ok()).unwrap_or(0)))
    }
}

/// Takes a body into a file among the incoming ones; one that is cut short or too large leaves nothing.
pub(super) async fn receive(
    app: &Shared,
    file: &str,
    ending: &str,
    most: u64,
    length: Length,
    body: Data<'_>,
) -> Answer<PathBuf> {
    // What cannot fit is refused before it is sent.
    let (what, needed) = (file.to_owned(), length.0.min(most));
    blocking(app, move |app| app.room_on_disk(&what, needed)).await?;
    static NUMBER: AtomicU64 = AtomicU64::new(0);
    let number = NUMBER.fetch_add(1, Ordering::Relaxed);
    let path = app
        .folder
        .incoming()
        .join(format!("upload-{number}.{ending}"));
    let sent = stored(body, most, &path).await;
    let problem = match &sent {
        Ok(true) => return Ok(path),
        Ok(false) => Failure::new(
            Status::PayloadTooLarge,
            format!(
                "{file} is larger than {}, the most that is taken of its kind; simplify the scene or its pictures, or export it smaller.",
                dome_files::words::told(most)
            ),
        ),
        Err(e) if matches!(e.kind(), StorageFull | QuotaExceeded) => Failure::new(
            Status::InsufficientStorage,
            format!(
                "There is no room for {file} on the disk of the data folder; make room and send it again."
            ),
        ),
        Err(_) => Failure::new(
            Status::BadRequest,
            format!("{file} did not arrive whole; send it again."),
        ),
    };
    remove(&path);
    Err(problem)
}

/// Writes a body to a file; false if it is longer than `most`. One that falls silent is not waited for.
async fn stored(body: Data<'_>, most: u64, path: &Path) -> std::io::Result<bool> {
    let mut stream = body.open((most + 1).bytes());
    let mut out = rocket::tokio::fs::File::create(path).await?;
    let mut buffer = vec![0; 256 << 10];
    let mut length = 0;
    loop {
        let n = timeout(SILENCE, stream.read(&mut buffer))
            .await
            .map_err(|_| std::io::Error::from(std::io::ErrorKind::TimedOut))??;
        if n == 0 {
            break;
        }
        length += n as u64;
        out.write_all(&buffer[..n]).await?;
    }
    out.flush().await?;
    Ok(length <= most)
}

/// Takes a scene file as the body; `file` is its name, `name` the project's. Of an archive with several scenes `inside`
/// says which.
#[post("/projects?<file>&<name>&<inside>", data = "<body>")]
async fn upload(
    app: &Shared,
    file: &str,
    name: &str,
    inside: Option<String>,
    length: Length,
    body: Data<'_>,
) -> Answer<Json<Project>> {
    // What can be refused before gigabytes are sent is refused now.
    let ending = scene_ending(file)?;
    check_name(name, "project")?;
    let path = receive(app, file, ending, MAX_FILE, length, body).await?;
    let (file, name) = (file.to_owned(), name.to_owned());
    let project = blocking(app, move |app| {
        let id = bring(app, &path, &file, inside.as_deref(), &name, &[])?;
        app.tell(Event::Project { project: id });
        describe(app, id)
    })
    .await?;
    let (background, id) = (Arc::clone(app), project.id);
    rocket::tokio::task::spawn_blocking(move || make_card(&background, id));
    Ok(Json(project))
}

/// Takes another export of the scene as the body, in the place of the project's scene file.
#[post("/projects/<id>/scene?<file>&<inside>", data = "<body>")]
async fn replace(
    app: &Shared,
    id: i64,
    file: &str,
    inside: Option<String>,
    length: Length,
    body: Data<'_>,
) -> Answer<Json<Project>> {
    let ending = scene_ending(file)?;
    let path = receive(app, file, ending, MAX_FILE, length, body).await?;
    let file = file.to_owned();
    let project = blocking(app, move |app| {
        replace_scene(app, id, &path, &file, inside.as_deref())?;
        describe(app, id)
    })
    .await?;
    let background = Arc::clone(app);
    rocket::tokio::task::spawn_blocking(move || make_card(&background, id));
    Ok(Json(project))
}

/// Forgets what was set for things that the present scene file does not have.
#[delete("/projects/<id>/unmatched")]
async fn forget_unmatched(app: &Shared, id: i64) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        let label = || "Forget what matches nothing".to_owned();
        history::change(app, id, label, || {
            let mut settings = app.store.settings(id)?;
            settings.unmatched.clear();
            change_settings(app, id, &settings)
        })?;
        Ok(Json(describe(app, id)?))
    })
    .await
}

#[get("/projects/<id>")]
async fn whole(app: &Shared, id: i64) -> Answer<Json<Project>> {
    blocking(app, move |app| Ok(Json(describe(app, id)?))).await
}

/// Refuses a change that was made on an older state.
fn unchanged(what: &str, seen: Option<i64>, now: i64) -> Result<()> {
    match seen {
        Some(seen) if seen != now => Err(StoreError::Changed { what: what.into() }.into()),
        _ => Ok(()),
    }
}

#[patch("/projects/<id>", data = "<change>")]
async fn change(app: &Shared, id: i64, change: Sent<ProjectChange>) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        if let Some(name) = &change.name {
            app.store
                .rename_project(id, &check_name(name, "project")?)?;
        }
        if let Some(settings) = &change.settings {
            let before = app.store.settings(id)?;
            history::change(
                app,
                id,
                || settings_label(&before, settings),
                || {
                    let now = app.store.project(id)?;
                    unchanged("The scene's settings", change.version, now.version)?;
                    // Light setups and the scene file have requests of their own, and the origin stays.
                    let settings = SceneSettings {
                        origin: now.settings.origin,
                        setup: now.settings.setup,
                        other_setups: now.settings.other_setups,
                        replaced: now.settings.replaced,
                        unmatched: now.settings.unmatched,
                        ..settings.clone()
                    };
                    change_settings(app, id, &settings)
                },
            )?;
        }
        if change.name.is_some() {
            app.tell(Event::Project { project: id });
        }
        Ok(Json(describe(app, id)?))
    })
    .await
}

#[delete("/projects/<id>")]
async fn discard(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        app.freeing(|| app.store.remove_project(id))?;
        app.jobs.stop_removed(&app.store);
        app.scenes.forget(id);
        app.sweep();
        app.tell(Event::Project { project: id });
        app.tell(Event::Jobs);
        Ok(Status::NoContent)
    })
    .await
}

#[get("/projects/<id>/card.jpg")]
async fn card(app: &Shared, id: i64) -> Option<RangedFile> {
    jpeg(app.folder.card(id))
}

/// A draft with angles wrapped and, unless unlocked, level.
fn checked(draft: &ViewpointDraft) -> Result<NewViewpoint> {
    let mut draft = draft.viewpoint();
    draft.name = check_name(&draft.name, "viewpoint")?;
    draft.rig.check().map_err(WorkError::Request)?;
    let p = &mut draft.pose;
    let angles = [p.heading_deg, p.pitch_deg, p.roll_deg];
    if !p
        .position
        .iter()
        .all(|v| v.is_finite() && v.abs() <= FARTHEST)
        || !angles.iter().all(|v| v.is_finite())
    {
        return Err(WorkError::Request(
            "A viewpoint's position and angles must be numbers, within 10,000 km; correct them."
                .into(),
        ));
    }
    p.heading_deg = dome_optics::angle::wrap_heading_deg(p.heading_deg);
    if let Some(o) = &mut draft.opening {
        let fine = [o.heading_deg, o.pitch_deg, o.hfov_deg]
            .iter()
            .all(|v| v.is_finite());
        if !fine || !(-90.0..=90.0).contains(&o.pitch_deg) || !(5.0..=150.0).contains(&o.hfov_deg) {
            return Err(WorkError::Request(
                "The opening view needs a pitch of -90 to 90 and a field of view of 5 to 150 degrees; correct them."
                    .into(),
            ));
        }
        o.heading_deg = dome_optics::angle::wrap_heading_deg(o.heading_deg);
    }
    let p = &mut draft.pose;
    if draft.unlocked {
        p.pitch_deg = p.pitch_deg.clamp(-90.0, 90.0);
        p.roll_deg = dome_optics::angle::wrap_signed_deg(p.roll_deg);
    } else {
        p.pitch_deg = 0.0;
        p.roll_deg = 0.0;
    }
    Ok(draft)
}

/// What a change of settings is called.
fn settings_label(before: &SceneSettings, after: &SceneSettings) -> String {
    let what = if before.moves != after.moves {
        "moved objects"
    } else if before.lights != after.lights {
        "lights"
    } else if before.surroundings != after.surroundings {
        "surroundings"
    } else if before.unit != after.unit {
        "unit"
    } else if before.up != after.up {
        "which way is up"
    } else if before.time_s != after.time_s {
        "time"
    } else if before.stand != after.stand {
        "limits"
    } else if before.exposure_stops != after.exposure_stops {
        "exposure"
    } else if before.glass != after.glass {
        "light through glass"
    } else if before.file_cd_m2 != after.file_cd_m2 {
        "light of the file"
    } else {
        "brightness"
    };
    format!("Change {what}")
}

/// A viewpoint where its path or its ride has it at the project's moment.
fn placed(
    app: &App,
    id: i64,
    before: Option<&Option<Ride>>,
    draft: NewViewpoint,
) -> crate::work::Result<NewViewpoint> {
    if draft.path.is_some() {
        let settings = app.store.settings(id)?;
        let scene = app.scenes.get_as(app, id, &settings)?;
        return paths::settled(draft, &scene, settings.time_s);
    }
    match draft.ride {
        Some(_) => standing::riding(&*app.scenes.get(app, id)?, before, draft),
        None => Ok(draft),
    }
}

/// What a change of a viewpoint is called.
fn viewpoint_label(before: &Viewpoint, after: &NewViewpoint) -> String {
    let verb = if before.name != after.name {
        "Rename"
    } else if before.ride != after.ride {
        "Ride of"
    } else if before.path != after.path {
        let keys = |path: &Option<ViewpointPath>| path.as_ref().map_or(0, |p| p.keys.len());
        // Steps of one kind that follow each other at once are one, and adding is another kind than taking away.
        match keys(&after.path).cmp(&keys(&before.path)) {
            std::cmp::Ordering::Greater => "New key on the path of",
            std::cmp::Ordering::Less => "Fewer keys on the path of",
            std::cmp::Ordering::Equal => "Path of",
        }
    } else if before.pose.position != after.pose.position {
        "Move"
    } else if before.rig != after.rig {
        "Depth of"
    } else if before.opening != after.opening {
        "Opening view of"
    } else if before.pose.heading_deg != after.pose.heading_deg {
        "Turn"
    } else {
        "Level of"
    };
    format!("{verb} {}", after.name)
}

#[post("/projects/<id>/viewpoints", data = "<draft>")]
async fn add_viewpoint(
    app: &Shared,
    id: i64,
    draft: Sent<ViewpointDraft>,
) -> Answer<Json<Viewpoint>> {
    blocking(app, move |app| {
        let mut draft = checked(&draft)?;
        draft = placed(app, id, None, draft)?;
        app.store.project_name(id)?;
        let viewpoint = history::change(
            app,
            id,
            || format!("Add {}", draft.name),
            || Ok(app.store.add_viewpoint(id, &draft)?),
        )?;
        Ok(Json(app.store.viewpoint(id, viewpoint)?))
    })
    .await
}

#[put("/projects/<id>/viewpoints/<viewpoint>", data = "<draft>")]
async fn set_viewpoint(
    app: &Shared,
    id: i64,
    viewpoint: i64,
    draft: Sent<ViewpointDraft>,
) -> Answer<Json<Viewpoint>> {
    blocking(app, move |app| {
        let seen = draft.version;
        let before = app.store.viewpoint(id, viewpoint)?;
        let untold = draft.rig.is_none();
        let mut draft = checked(&draft)?;
        if untold {
            draft.rig = before.rig.clone();
        }
        paths::eyes_of_key(&before, &mut draft, app.store.settings(id)?.time_s)?;
        draft = placed(app, id, Some(&before.ride), draft)?;
        history::change(
            app,
            id,
            || viewpoint_label(&before, &draft),
            || {
                let now = app.store.viewpoint(id, viewpoint)?;
                unchanged(&format!("The viewpoint {}", now.name), seen, now.version)?;
                Ok(app.store.set_viewpoint(id, viewpoint, &draft)?)
            },
        )?;
        Ok(Json(app.store.viewpoint(id, viewpoint)?))
    })
    .await
}

#[delete("/projects/<id>/viewpoints/<viewpoint>")]
async fn remove_viewpoint(app: &Shared, id: i64, viewpoint: i64) -> Answer<Status> {
    blocking(app, move |app| {
        let before = app.store.viewpoint(id, viewpoint)?;
        history::change(
            app,
            id,
            || format!("Remove {}", before.name),
            || Ok(app.store.remove_viewpoint(id, viewpoint)?),
        )?;
        Ok(Status::NoContent)
    })
    .await
}
