//! Standing over HTTP: plan, section, clearance, what is seen, being square, moving objects, undo.

use super::sent::Sent;
use super::stand_types::{
    ClearanceInfo, FloorInfo, MoveRequest, Plan, PlanLine, SeenInfo, ShareInfo, SightLine,
    SquareAnswer, SquareRequest, StartInfo, ViewpointOrder,
};
use super::types::{Pose, Project};
use super::{Answer, Shared, blocking};
use crate::work::preview::quick_jpeg;
use crate::work::{App, Result, WorkError, at_once, history, standing};
use dome_trace::Up;
use dome_trace::plan::{Area, CutPlane, Outline, cut, shaded};
use dome_trace::portrait::portrait;
use dome_trace::stand::{ceiling_above, floor_below};
use glam::{DVec3, Vec2, Vec3};
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{FromForm, Responder, Route, get, post, put, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![
        plan,
        plan_picture,
        section,
        section_picture,
        floor,
        clearance,
        look,
        square,
        move_objects,
        shares,
        sight_lines,
        starts,
        start_picture,
        up_picture,
        reorder,
        copy,
        undo,
        redo
    ]
}

/// Largest picture of a plan, pixels a side.
const MAX_PLAN: u32 = 1024;
/// Size of the picture of a suggested start, pixels.
const START_WIDTH: u32 = 256;

/// The area of a drawing as it stands in a query, along both of its axes.
#[derive(Clone, Copy, FromForm)]
struct AreaQuery {
    x0: f64,
    z0: f64,
    x1: f64,
    z1: f64,
}

fn sane(numbers: &[f64]) -> bool {
    numbers.iter().all(|v| v.is_finite() && v.abs() < 1e7)
}

/// Refuses numbers that are none.
fn check(numbers: &[f64], what: &str) -> Result<()> {
    if sane(numbers) {
        return Ok(());
    }
    Err(WorkError::Request(format!(
        "{what} must be given in numbers within 10,000 km; correct it."
    )))
}

impl AreaQuery {
    fn checked(self) -> Result<Area> {
        let Self { x0, z0, x1, z1 } = self;
        if !sane(&[x0, z0, x1, z1]) || x0 >= x1 || z0 >= z1 {
            return Err(WorkError::Request(
                "The plan's area must be four numbers, low before high; correct it.".into(),
            ));
        }
        Ok(Area {
            low: Vec2::new(x0 as f32, z0 as f32),
            high: Vec2::new(x1 as f32, z1 as f32),
        })
    }
}

/// A section as it stands in a query: two points of its line, and the area along the line and in height.
#[derive(Clone, Copy, FromForm)]
struct SectionQuery {
    ax: f64,
    az: f64,
    bx: f64,
    bz: f64,
    x0: f64,
    z0: f64,
    x1: f64,
    z1: f64,
}

impl SectionQuery {
    fn plane(self) -> Result<CutPlane> {
        let Self { ax, az, bx, bz, .. } = self;
        check(&[ax, az, bx, bz], "The line of a section")?;
        Ok(CutPlane::through(
            Vec2::new(ax as f32, az as f32),
            Vec2::new(bx as f32, bz as f32),
        ))
    }

    fn area(self) -> AreaQuery {
        let Self { x0, z0, x1, z1, .. } = self;
        AreaQuery { x0, z0, x1, z1 }
    }
}

fn flat(outline: &Outline) -> Vec<f32> {
    let millimetres = |v: f32| (v * 1000.0).round() / 1000.0;
    outline
        .points
        .iter()
        .flat_map(|p| [millimetres(p.x), millimetres(p.y)])
        .collect()
}

fn drawing(app: &App, id: i64, plane: &CutPlane, area: AreaQuery, scale: f64) -> Result<Plan> {
    let area = area.checked()?;
    // A third of a pixel is sharp; what is finer is not sent.
    let detail = (0.33 / scale.clamp(1e-3, 1e5)) as f32;
    let scene = app.scenes.get(app, id)?;
    let cut = at_once(|| cut(&scene, plane, Some(area), detail));
    Ok(Plan {
        solids: cut
            .solids
            .iter()
            .map(|s| s.iter().map(flat).collect())
            .collect(),
        lines: cut
            .lines
            .iter()
            .map(|l| PlanLine {
                points: flat(l),
                closed: l.closed,
            })
            .collect(),
    })
}

/// The scene cut at a height; `scale` is in pixels per metre.
#[get("/projects/<id>/plan?<y>&<scale>&<area..>")]
async fn plan(app: &Shared, id: i64, y: f64, scale: f64, area: AreaQuery) -> Answer<Json<Plan>> {
    blocking(app, move |app| {
        check(&[y, scale], "The height of a plan")?;
        let plane = CutPlane::Level { y: y as f32 };
        Ok(Json(drawing(app, id, &plane, area, scale)?))
    })
    .await
}

/// The scene cut along a line of the ground: the first axis runs along it from its first point, the second
/// is the height.
#[get("/projects/<id>/section?<scale>&<cut..>")]
async fn section(app: &Shared, id: i64, scale: f64, cut: SectionQuery) -> Answer<Json<Plan>> {
    blocking(app, move |app| {
        check(&[scale], "The scale")?;
        Ok(Json(drawing(app, id, &cut.plane()?, cut.area(), scale)?))
    })
    .await
}

#[derive(Responder)]
struct Picture(Vec<u8>, ContentType);

/// The whole scene from outside, with one axis of its file upwards: for choosing between them.
#[get("/projects/<id>/up.png?<axis>")]
async fn up_picture(app: &Shared, id: i64, axis: &str) -> Answer<Picture> {
    const SIZE: (u32, u32) = (208, 136);
    let up = Up::from_sign(axis).ok_or_else(|| {
        WorkError::Request(format!(
            "\"{axis}\" is no axis that points up; ask for y or z."
        ))
    })?;
    blocking(app, move |app| {
        let row = app.store.project(id)?;
        let guess = row.summary.guess;
        let used = (row.settings.up).unwrap_or(guess.map_or(Up::Y, |g| g.used));
        let scene = app.scenes.get(app, id)?;
        // The scene is turned already: its file's other axis lies along z.
        let towards = match (used, up) {
            (Up::Y, Up::Y) | (Up::Z, Up::Z) => Vec3::Y,
            (Up::Y, Up::Z) => Vec3::Z,
            (Up::Z, Up::Y) => Vec3::NEG_Z,
        };
        let grey = at_once(|| portrait(&scene, towards, SIZE.0, SIZE.1));
        let png = dome_files::png::encode_grey(SIZE.0, SIZE.1, &grey)?;
        Ok(Picture(png, ContentType::PNG))
    })
    .await
}

fn background(
    app: &App,
    id: i64,
    plane: &CutPlane,
    area: AreaQuery,
    width: u32,
) -> Result<Picture> {
    let a = area.checked()?;
    let width = width.clamp(16, MAX_PLAN);
    let ratio = (area.z1 - area.z0) / (area.x1 - area.x0);
    let height = (ratio * f64::from(width))
        .round()
        .clamp(1.0, f64::from(MAX_PLAN)) as u32;
    let scene = app.scenes.get(app, id)?;
    let grey = at_once(|| shaded(&scene, plane, a, width, height));
    Ok(Picture(
        dome_files::png::encode_grey(width, height, &grey)?,
        ContentType::PNG,
    ))
}

#[get("/projects/<id>/plan.png?<y>&<width>&<area..>")]
async fn plan_picture(
    app: &Shared,
    id: i64,
    y: f64,
    width: u32,
    area: AreaQuery,
) -> Answer<Picture> {
    blocking(app, move |app| {
        check(&[y], "The height of a plan")?;
        background(app, id, &CutPlane::Level { y: y as f32 }, area, width)
    })
    .await
}

#[get("/projects/<id>/section.png?<width>&<cut..>")]
async fn section_picture(app: &Shared, id: i64, width: u32, cut: SectionQuery) -> Answer<Picture> {
    blocking(app, move |app| {
        background(app, id, &cut.plane()?, cut.area(), width)
    })
    .await
}

#[get("/projects/<id>/floor?<x>&<y>&<z>")]
async fn floor(app: &Shared, id: i64, x: f64, y: f64, z: f64) -> Answer<Json<FloorInfo>> {
    blocking(app, move |app| {
        check(&[x, y, z], "The place")?;
        let scene = app.scenes.get(app, id)?;
        let floor = floor_below(&scene, DVec3::new(x, y, z));
        Ok(Json(FloorInfo {
            floor_y: floor.map(|f| f.y),
            object: floor.map(|f| scene.objects()[f.object as usize].name.clone()),
            ceiling_y: ceiling_above(&scene, DVec3::new(x, y, z)),
        }))
    })
    .await
}

fn check_pose(p: &Pose) -> Result<()> {
    check(&p.position, "The place")?;
    check(&[p.heading_deg, p.pitch_deg, p.roll_deg], "The view")
}

/// What is round a pose of a viewpoint; quicker and without remedies while it is `moving`.
#[post(
    "/projects/<id>/viewpoints/<viewpoint>/clearance?<moving>",
    data = "<pose>"
)]
async fn clearance(
    app: &Shared,
    id: i64,
    viewpoint: i64,
    moving: Option<bool>,
    pose: Sent<Pose>,
) -> Answer<Json<ClearanceInfo>> {
    blocking(app, move |app| {
        check_pose(&pose)?;
        Ok(Json(standing::clearance(
            app,
            id,
            viewpoint,
            &pose,
            moving == Some(true),
        )?))
    })
    .await
}

/// What lies at a heading and pitch, degrees, seen from a place; null for the sky.
#[get("/projects/<id>/look?<x>&<y>&<z>&<heading>&<pitch>")]
async fn look(
    app: &Shared,
    id: i64,
    x: f64,
    y: f64,
    z: f64,
    heading: f64,
    pitch: f64,
) -> Answer<Json<Option<SeenInfo>>> {
    blocking(app, move |app| {
        check(&[x, y, z, heading, pitch], "The direction")?;
        let scene = app.scenes.get(app, id)?;
        Ok(Json(standing::look(
            &scene,
            DVec3::new(x, y, z),
            heading,
            pitch,
        )))
    })
    .await
}

#[post("/projects/<id>/square", data = "<request>")]
async fn square(app: &Shared, id: i64, request: Sent<SquareRequest>) -> Answer<Json<SquareAnswer>> {
    blocking(app, move |app| {
        check_pose(&request.pose)?;
        check(&[request.heading_deg, request.pitch_deg], "The direction")?;
        let scene = app.scenes.get(app, id)?;
        Ok(Json(standing::square_to(&scene, &request)?))
    })
    .await
}

#[post("/projects/<id>/move", data = "<request>")]
async fn move_objects(app: &Shared, id: i64, request: Sent<MoveRequest>) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        check_pose(&request.pose)?;
        history::change(
            app,
            id,
            || "Move an object".into(),
            || standing::move_here(app, id, &request),
        )?;
        Ok(Json(super::projects::describe(app, id)?))
    })
    .await
}

/// Everything seen from a pose, with its share of the sphere.
#[post("/projects/<id>/shares", data = "<pose>")]
async fn shares(app: &Shared, id: i64, pose: Sent<Pose>) -> Answer<Json<Vec<ShareInfo>>> {
    blocking(app, move |app| {
        check_pose(&pose)?;
        Ok(Json(standing::shares(app, id, &pose)?))
    })
    .await
}

#[get("/projects/<id>/sight-lines")]
async fn sight_lines(app: &Shared, id: i64) -> Answer<Json<Vec<SightLine>>> {
    blocking(app, move |app| Ok(Json(standing::sight_lines(app, id)?))).await
}

#[get("/projects/<id>/starts")]
async fn starts(app: &Shared, id: i64) -> Answer<Json<Vec<StartInfo>>> {
    blocking(app, move |app| Ok(Json(standing::starts(app, id)?))).await
}

/// The small unrolled picture of a suggested start.
#[get("/projects/<id>/start.jpg?<x>&<y>&<z>&<heading>")]
async fn start_picture(
    app: &Shared,
    id: i64,
    x: f64,
    y: f64,
    z: f64,
    heading: f64,
) -> Answer<Picture> {
    blocking(app, move |app| {
        check(&[x, y, z, heading], "The place")?;
        let pose = Pose {
            position: [x, y, z],
            heading_deg: heading,
            ..Pose::default()
        };
        let settings = app.store.settings(id)?;
        Ok(Picture(
            quick_jpeg(app, id, &settings, &pose, (START_WIDTH, 2))?,
            ContentType::JPEG,
        ))
    })
    .await
}

#[put("/projects/<id>/viewpoint-order", data = "<order>")]
async fn reorder(app: &Shared, id: i64, order: Sent<ViewpointOrder>) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        history::change(
            app,
            id,
            || "Order viewpoints".into(),
            || {
                Ok(app
                    .store
                    .order_viewpoints(id, &order.ids, order.seen.as_deref())?)
            },
        )?;
        Ok(Json(super::projects::describe(app, id)?))
    })
    .await
}

#[post("/projects/<id>/viewpoints/<viewpoint>/copy")]
async fn copy(app: &Shared, id: i64, viewpoint: i64) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        let draft = standing::copy_of(app, id, viewpoint)?;
        history::change(
            app,
            id,
            || format!("Copy {}", draft.name),
            || Ok(app.store.add_viewpoint(id, &draft)?),
        )?;
        Ok(Json(super::projects::describe(app, id)?))
    })
    .await
}

#[post("/projects/<id>/undo")]
async fn undo(app: &Shared, id: i64) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        history::step(app, id, true)?;
        Ok(Json(super::projects::describe(app, id)?))
    })
    .await
}

#[post("/projects/<id>/redo")]
async fn redo(app: &Shared, id: i64) -> Answer<Json<Project>> {
    blocking(app, move |app| {
        history::step(app, id, false)?;
        Ok(Json(super::projects::describe(app, id)?))
    })
    .await
}
