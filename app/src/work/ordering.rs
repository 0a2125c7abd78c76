//! Orders as they are asked for: made whole, checked, and queued.

use super::asked::{OrderRequest, OrdersRequest};
use super::estimate::estimated;
use super::frame_plan::FramePlan;
use super::recipe::picture_size;
use super::told::{Elsewhere, Estimate, FramesEstimate};
use super::{App, Result, WorkError};
use super::{convert, denoise, outputs};
use crate::model::jobs::{JobKind, NewJob};
use crate::model::orders::{FrameFormat, FrameOrder, OrderSpec, StillOut};
use crate::model::rigs::{Rig, RigKind};
use crate::store::{OrderRow, StoreError};
use dome_files::budget::told as bytes_told;
use dome_trace::{Pass, PassSet};
use std::cell::OnceCell;
use std::ops::RangeInclusive;

/// Most samples per pixel that an order may ask for.
const MAX_SAMPLES: u32 = 65_536;
/// Noise targets that an order may ask for, percent.
const NOISE: RangeInclusive<f32> = 0.1..=100.0;

/// An order that can be placed.
pub struct Asked {
    /// What is to be rendered.
    pub spec: OrderSpec,
    /// What it takes.
    pub estimate: Estimate,
    /// Of a sequence, what its frames are.
    pub frames: Option<FramesEstimate>,
    /// Of one picture, where it goes within the folder for outputs.
    pub out_file: Option<String>,
}

/// What orders that are asked for together are checked against, found once for all of them.
#[derive(Default)]
struct Others {
    /// Sequences that are not done, by their orders' numbers.
    open: OnceCell<Vec<(i64, FramePlan)>>,
    free: OnceCell<Option<u64>>,
}

impl Others {
    fn free(&self, app: &App) -> Result<Option<u64>> {
        if let Some(known) = self.free.get() {
            return Ok(*known);
        }
        let free = app.free_for_new()?;
        Ok(*self.free.get_or_init(|| free))
    }

    fn open(&self, app: &App) -> Result<&[(i64, FramePlan)]> {
        if let Some(known) = self.open.get() {
            return Ok(known);
        }
        let mut open = Vec::new();
        for job in app.store.open_jobs()? {
            if job.kind != JobKind::Order {
                continue;
            }
            let row = match app.store.order(job.makes) {
                Ok(row) => row,
                // One that cannot be read will write nothing.
                Err(StoreError::Unreadable(_) | StoreError::Missing { .. }) => continue,
                Err(e) => return Err(e.into()),
            };
            if let Some(plan) = FramePlan::of_row(app, &row)? {
                open.push((row.id, plan));
            }
        }
        Ok(self.open.get_or_init(|| open))
    }
}

/// What is asked, made whole and checked.
pub fn ask(app: &App, project: i64, request: &OrderRequest) -> Result<Asked> {
    ask_beside(app, project, request, &Others::default())
}

fn ask_beside(app: &App, project: i64, request: &OrderRequest, others: &Others) -> Result<Asked> {
    let (settings, name) = (
        app.store.settings(project)?,
        app.store.project_name(project)?,
    );
    let setup = request.setup.unwrap_or(settings.setup.number);
    let mut settings = settings.with_setup(setup).ok_or_else(|| {
        WorkError::Request(format!(
            "There is no light setup {setup} in this project; choose one of the list."
        ))
    })?;
    // An order shows one.
    settings.other_setups.clear();
    let viewpoint = app.store.viewpoint(project, request.viewpoint)?;
    let denoised = request.denoise.unwrap_or(false);
    // What denoising took is always told, and nothing was taken without.
    let asked = (request.passes.iter().flatten().copied()).filter(|p| *p != Pass::TakenOut);
    // Pictures of frames have no place for what nobody asked for.
    let kept = (request.frames.as_ref()).is_none_or(|f| f.format == FrameFormat::Exr);
    let taken_out = (denoised && kept).then_some(Pass::TakenOut);
    // Without a backdrop there must be something that says where it was.
    let clear = (settings.surroundings.transparent && (kept || viewpoint.rig.kind == RigKind::Off))
        .then_some(Pass::Alpha);
    let passes = PassSet::new(asked.chain(taken_out).chain(clear));
    let mut lens = request.lens;
    let rig = (request.mono != Some(true) && viewpoint.rig.kind != RigKind::Off)
        .then(|| viewpoint.rig.clone());
    let mut pose = viewpoint.pose;
    let size = match &rig {
        Some(rig) if rig.kind == RigKind::Flat => {
            pose.pitch_deg = rig.flat.pitch_deg;
            rig.recorded(request.width)?
        }
        _ => picture_size(request.shape.as_deref(), request.width)?,
    };
    if let (Some(lens), Some(rig)) = (&mut lens, &rig)
        && rig.focus_follows
        && let Some(distance) = rig.converge()
    {
        lens.focus_m = distance;
    }
    if let Some(pair) = rig.as_ref().and_then(Rig::pair) {
        pair.check(&size.shape)?;
        if request
            .shape
            .as_deref()
            .is_some_and(|s| s.starts_with("cube-faces"))
        {
            return Err(WorkError::Request(
                "Six files of two eyes would be twelve; order the cube in one picture.".into(),
            ));
        }
    }
    let eyes = if rig.is_some() { 2 } else { 1 };
    let mut estimate = Estimate {
        free_bytes: others.free(app)?,
        ..estimated(app, &size, &passes, denoised, eyes, Some(project))
    };
    let refuse = |sentence: String| Err(WorkError::Request(sentence));
    if denoised && let Some(why) = denoise::refused(&size.shape) {
        return refuse(why);
    }
    if !(1..=MAX_SAMPLES).contains(&request.samples) {
        return refuse(format!(
            "{} samples per pixel are outside 1 to {MAX_SAMPLES}; choose a number inside.",
            request.samples
        ));
    }
    if let Some(percent) = request.noise_percent.filter(|p| !NOISE.contains(p)) {
        return refuse(format!(
            "A noise of {percent} % is outside {} to {} %; choose a number inside.",
            NOISE.start(),
            NOISE.end()
        ));
    }
    if let Some(lens) = lens
        && !((0.5..=128.0).contains(&lens.fstop) && (0.01..=1e5).contains(&lens.focus_m))
    {
        return refuse(
            "The lens needs an f-number of 0.5 to 128 and a focus of 0.01 to 100000 m; correct them."
                .into(),
        );
    }
    if request.clamp.is_some_and(|c| !(0.01..=1e6).contains(&c)) {
        return refuse(
            "The brightest light of a sample must lie between 0.01 and 1000000; correct it.".into(),
        );
    }
    if request
        .occlusion_m
        .is_some_and(|r| !(0.001..=1e5).contains(&r))
    {
        return refuse(
            "The radius of the ambient occlusion must lie between 0.001 and 100000 m; correct it."
                .into(),
        );
    }
    let draft = request.draft.unwrap_or(false);
    if !draft {
        // What makes drafts brighter must never reach a final picture.
        settings.draft_stops = 0.0;
    }
    let mut spec = OrderSpec {
        white_cd_m2: Some(settings.white_cd_m2()),
        viewpoint: viewpoint.name,
        viewpoint_number: Some(viewpoint.id),
        pose,
        opening: viewpoint.opening,
        rig,
        shape: size.shape.to_string(),
        width: size.width(),
        height: estimate.height,
        samples: request.samples,
        noise_percent: request.noise_percent,
        seed: request.seed.unwrap_or(0),
        settings,
        draft,
        passes: passes.iter().collect(),
        clay: request.clay.unwrap_or(false),
        lens,
        denoise: denoised,
        clamp: request.clamp,
        occlusion_m: request.occlusion_m,
        here: request.here.unwrap_or(false),
        out: (request.out.as_ref())
            .filter(|_| request.frames.is_none())
            .map(|file| StillOut {
                name: file.trim().to_owned(),
                project: name.clone(),
            }),
        frames: request.frames.as_ref().map(|asked| FrameOrder {
            asked: asked.clone(),
            path: viewpoint.path,
            ride: viewpoint.ride,
            project: Some(name.clone()),
        }),
    };
    let out_file = outputs::still_file(app.store.next_order()?, &spec)?;
    if out_file.is_some() {
        // A file of its own.
        let bytes = estimate.master_bytes;
        written(app, &mut estimate, bytes);
    }
    let mut frames = None;
    if let Some(order) = &spec.frames {
        if request
            .shape
            .as_deref()
            .is_some_and(|s| s.starts_with("cube-faces"))
        {
            spec.shape = request.shape.clone().unwrap_or_default();
        }
        let number = app.store.next_order()?;
        let plan = FramePlan::new(app, (project, number), &spec, order)?;
        let frame = frame_bytes(order.asked.format, &estimate, u64::from(eyes));
        // The strips of one frame, and all frames.
        estimate.working_bytes -= estimate.master_bytes;
        written(app, &mut estimate, frame * plan.count());
        estimate.master_bytes = frame;
        frames = Some(FramesEstimate {
            count: plan.count() as u32,
            lasts_s: plan.lasts_s(),
            first_file: plan.first_file(),
            folder: app.folder.out().display().to_string(),
        });
        for (order, other) in others.open(app)? {
            if request.instead_of != Some(*order) && plan.collides(other) {
                return refuse(format!(
                    "Order {order} in the queue writes files of the same names; put {{order}} into the name, or take another folder."
                ));
            }
        }
        if let Some((count, file)) = plan.there_already() {
            return refuse(format!(
                "{count} of these frames have files already, the first is {}; put {{order}} into the name, or take another folder.",
                file.display()
            ));
        }
    }
    Ok(Asked {
        spec,
        estimate,
        frames,
        out_file: out_file.map(|f| f.display().to_string()),
    })
}

/// Counts what is written into the folder for outputs, on the disk where that lies.
fn written(app: &App, estimate: &mut Estimate, bytes: u64) {
    if !app.folder.out_is_elsewhere() {
        estimate.working_bytes += bytes;
        return;
    }
    estimate.elsewhere = Some(Elsewhere {
        folder: app.folder.out().display().to_string(),
        bytes,
        free_bytes: app.folder.out_free_bytes(),
    });
}

/// Refuses what does not fit where outputs go.
fn room_elsewhere(what: &str, asked: &[&Asked]) -> Result<()> {
    let all: Vec<&Elsewhere> = asked
        .iter()
        .filter_map(|a| a.estimate.elsewhere.as_ref())
        .collect();
    let needed: u64 = all.iter().map(|e| e.bytes).sum();
    match all.first().and_then(|e| Some((e, e.free_bytes?))) {
        Some((e, free)) if needed > free => Err(WorkError::NoRoom(format!(
            "{what} writes up to {} into {}, and {} are free on that disk; make room there, or ask for less.",
            bytes_told(needed),
            e.folder,
            bytes_told(free)
        ))),
        _ => Ok(()),
    }
}

/// Bytes that a frame takes at most.
fn frame_bytes(format: FrameFormat, estimate: &Estimate, eyes: u64) -> u64 {
    let pixels = (estimate.pixels_per_degree * 360.0) as u64 * u64::from(estimate.height) * eyes;
    match format {
        FrameFormat::Exr => estimate.master_bytes,
        FrameFormat::Png16 => 8 * pixels,
        FrameFormat::Png => 4 * pixels,
        // Of the highest quality, counted generously.
        FrameFormat::Jpeg => 3 * pixels,
    }
}

/// Most orders that are placed in one go.
const MOST_TOGETHER: usize = 1000;

/// The width at which another shape shows as much as the order's own.
fn same_detail(order: &OrderRequest, shape: &str) -> Result<u32> {
    let own = picture_size(order.shape.as_deref(), order.width)?;
    let wanted = picture_size(Some(shape), order.width).map(|s| s.shape);
    // One whose width must be a multiple of something is that shape all the same.
    let wanted = wanted.or_else(|_| shape.parse().map_err(WorkError::from))?;
    if wanted == own.shape {
        return Ok(order.width);
    }
    Ok(convert::natural_size(own.shape, order.width, wanted)?.width())
}

/// Orders of several viewpoints, shapes and light setups, all checked before the first is placed. Gives their numbers.
pub fn place_all(app: &App, project: i64, request: &OrdersRequest) -> Result<Vec<i64>> {
    let refuse = |sentence: String| Err(WorkError::Request(sentence));
    let OrdersRequest {
        order,
        viewpoints,
        shapes,
        setups,
    } = request;
    let count = viewpoints.len() * shapes.len() * setups.len();
    if !(1..=MOST_TOGETHER).contains(&count) {
        return refuse(format!(
            "{count} orders are none, or more than {MOST_TOGETHER}; choose at least one viewpoint, shape and light setup, and fewer of them."
        ));
    }
    let mut all: Vec<Asked> = Vec::new();
    let others = Others::default();
    for (viewpoint, shape, setup) in (viewpoints.iter()).flat_map(|v| {
        shapes
            .iter()
            .flat_map(move |s| setups.iter().map(move |l| (*v, s.clone(), *l)))
    }) {
        let one = OrderRequest {
            viewpoint,
            width: same_detail(order, &shape)?,
            shape: Some(shape.clone()),
            setup: Some(setup),
            ..order.clone()
        };
        let name =
            |v: i64| (app.store.viewpoint(project, v)).map_or_else(|_| v.to_string(), |v| v.name);
        let asked = ask_beside(app, project, &one, &others).map_err(|e| match e {
            WorkError::Store(e) => WorkError::Store(e),
            e => WorkError::Request(format!(
                "\u{201c}{}\u{201d} as {shape}: {e}",
                name(viewpoint)
            )),
        })?;
        // Before they are placed all have the same number.
        let same = |other: &&Asked| match (&asked.frames, &other.frames) {
            (Some(a), Some(b)) => a.first_file == b.first_file,
            _ => asked.out_file.is_some() && asked.out_file == other.out_file,
        };
        let name = (order.frames.as_ref().map(|f| &f.name)).or(order.out.as_ref());
        let apart = name.is_none_or(|name| name.contains("{order}"));
        if !apart && all.iter().any(|other| same(&other)) {
            return refuse(
                "Several of these orders would write files of the same names; put {order}, or {viewpoint}, {shape} and {setup}, into the name.".into(),
            );
        }
        all.push(asked);
    }
    let needed = all.iter().map(|a| a.estimate.working_bytes).sum();
    app.room_on_disk(&format!("Rendering {count} orders"), needed)?;
    room_elsewhere(
        &format!("Rendering {count} orders"),
        &all.iter().collect::<Vec<_>>(),
    )?;
    let held = order.held == Some(true);
    all.iter()
        .map(|asked| Ok(put(app, project, asked, (held, None))?.id))
        .collect()
}

/// Queues an order, or puts it in the place of one that has not begun.
pub fn place(app: &App, project: i64, asked: &Asked, held: bool) -> Result<OrderRow> {
    place_instead(app, project, asked, (held, None))
}

/// The same in place of another order that waits, if one is told.
pub fn place_instead(
    app: &App,
    project: i64,
    asked: &Asked,
    (held, instead_of): (bool, Option<i64>),
) -> Result<OrderRow> {
    let Asked { spec, estimate, .. } = asked;
    let room = match &asked.frames {
        Some(frames) => format!("Rendering {} frames of {} px", frames.count, spec.width),
        None => format!("Rendering {} px", spec.width),
    };
    app.room_on_disk(&room, estimate.working_bytes)?;
    room_elsewhere(&room, &[asked])?;
    put(app, project, asked, (held, instead_of))
}

/// Queues what there is room for.
fn put(
    app: &App,
    project: i64,
    asked: &Asked,
    (held, instead_of): (bool, Option<i64>),
) -> Result<OrderRow> {
    let Asked { spec, estimate, .. } = asked;
    let job = NewJob {
        kind: JobKind::Order,
        project: Some(project),
        asked: String::new(),
        what: spec.viewpoint.clone(),
        held,
        memory: estimate.job_bytes(),
        disk: estimate.working_bytes,
        on_farm: app.farm.is_some() && !spec.here,
    };
    let number = match instead_of {
        Some(old) => app.store.replace_order(old, project, spec, &job)?,
        None => app.store.add_order(project, spec, &job)?,
    };
    let order = app.store.order(number)?;
    app.tell_job(order.job);
    Ok(order)
}
