//! Orders of many frames: how they are made one after the other, and what is told of them.

use super::distributions;
use super::eyes::Eyes;
use super::filing::Filing;
use super::frame_plan::FramePlan;
use super::frames::missing_told;
use super::recipe::Recipe;
use super::running::{Ended, FrameMeter, RenderMeter, Running};
use super::screen::{DISPLAY_WIDTH, FLAT_WIDTH, save_jpeg, shrink};
use super::shot::{Shot, Watcher};
use super::studio::Studio;
use super::told::jobs::FramesInfo;
use super::{App, Result, WorkError};
use crate::folder::{RenderFolder, remove};
use crate::model::jobs::JobState;
use crate::model::orders::{FrameOrder, OrderSpec};
use crate::store::{NoiseTold, OrderRow};
use dome_files::frame::Found;
use dome_files::rows::PictureRows;
use dome_files::{FileError, PictureFormat};
use dome_imaging::{LayeredStrip, NoiseSum, Picture, Strip};
use dome_optics::Shape;
use dome_optics::rig::Arrangement;
use dome_trace::{Control, Forecast, Illumination, LightScale, Render, Scene, Sky};
use std::collections::BTreeSet;
use std::path::Path;
use std::sync::{Arc, OnceLock};
use std::time::Instant;

/// Failures one after the other after which the rest is not tried.
const MOST_FAILURES: usize = 3;
/// Width of the small picture of a frame, pixels.
const SMALL_WIDTH: u32 = 192;
/// Most frames whose small pictures are shown together.
const MOST_SHOWN: usize = 160;

/// A scene with its light for the pictures of an order.
pub(super) fn studio(
    app: &App,
    project: i64,
    spec: &OrderSpec,
    recipe: &Recipe,
    written: (Filing, PictureFormat),
) -> Result<Studio> {
    let settings = spec.settings.clone();
    let opened = app.scenes.open(app, project, &settings)?;
    let scene = app.scenes.place(app, project, &settings)?;
    let picture = match &settings.surroundings.sky {
        Sky::Picture { file } => Some(app.scenes.picture(app, project, file)?),
        _ => None,
    };
    let tables = distributions::tables(app, project, &settings.lights)?;
    let scale = LightScale {
        white_cd_m2: recipe.white_cd_m2,
        file_cd_m2: settings.file_cd_m2,
        gain: recipe.stops.exp2(),
    };
    let sky_picture = app.scenes.sky_picture(app, project, &settings)?;
    let moves = settings.moves.clone();
    let lit_by = move |scene: &Scene| {
        Illumination::measured(
            scene,
            &settings.surroundings,
            picture.as_deref().map(|p| &p.0),
            (&settings.lights, &tables),
            scale,
        )
    };
    Ok(Studio::new(
        (Arc::clone(&opened.document), moves, scene),
        Box::new(lit_by),
        (recipe.clone(), sky_picture),
        written,
    ))
}

/// Makes the frames of an order that are not there yet.
pub(super) fn run(
    app: &Arc<App>,
    running: &Running,
    row: &OrderRow,
    order: &FrameOrder,
) -> Result<Ended> {
    let plan = Arc::new(FramePlan::new(
        app,
        (row.project, row.id),
        &row.spec,
        order,
    )?);
    let read = {
        let (app, plan) = (Arc::clone(app), Arc::clone(&plan));
        let (project, spec) = (row.project, row.spec.clone());
        move || {
            let written = (plan.filing.clone(), plan.format);
            studio(&app, project, &spec, &plan.recipe, written)
        }
    };
    let Some(studio) = running.unless_stopped(read) else {
        return Ok(Ended::Stopped);
    };
    let mut studio = studio?;
    let files = begin(app, running, row, order, &plan, &studio)?;
    running.begin_frames(FrameMeter {
        total: plan.count() as usize,
        there: BTreeSet::new(),
        current: None,
        part: (0.0, 1.0),
        rendered: (0, Instant::now()),
    });
    let forecast = OnceLock::new();
    let (mut noise, mut pixels) = (NoiseSum::default(), 0);
    let mut notes: BTreeSet<String> = BTreeSet::new();
    let mut failed: Vec<(u64, String)> = Vec::new();
    let (mut in_a_row, mut rendered) = (0, 0);
    for frame in plan.sequence.frames.coarse_first(plan.first_each) {
        if running.control.is_stopped() {
            return Ok(Ended::Stopped);
        }
        let name = plan.name(frame);
        let kept = |shot: &Shot| {
            let short = shot.description().fingerprint().short();
            files.frames().join(format!("{frame}-{short}"))
        };
        let found = plan.sequence.found(&mut studio, frame, &name, &kept)?;
        let ours = files.small_frame(frame).exists();
        if found == Found::Whole {
            if !ours {
                save_small(&plan, &files, frame);
            }
            running.with_frames(|f| f.there.insert(frame as u32));
            continue;
        }
        if found != Found::Missing && !ours {
            // All names were free when this was ordered, and what it made itself has its small picture.
            failed.push((frame, not_ours(&plan, frame)));
            continue;
        }
        if rendered == 0 {
            running.with_frames(|f| f.rendered.1 = Instant::now());
        }
        let mut watching = |part: f64, of_parts: f64| -> Box<dyn Watcher + '_> {
            running.with_frames(|f| {
                f.current = Some(frame as u32);
                f.part = (part, of_parts);
            });
            Box::new(FrameWatch {
                running,
                forecast: &forecast,
            })
        };
        let made = (plan.sequence).make(&mut studio, (frame, &name), &kept, &mut watching);
        running.with_render(|r| {
            noise.add(r.noise);
            pixels += r.pixels;
        });
        running.forget_meter();
        running.with_frames(|f| f.current = None);
        match made {
            Ok(made) => {
                notes.extend(made.notes);
                save_small(&plan, &files, frame);
                rendered += 1;
                in_a_row = 0;
                running.with_frames(|f| {
                    f.there.insert(frame as u32);
                    f.rendered.0 = rendered;
                });
                let _ = app.store.came_forward(row.job);
            }
            Err(_) if running.control.is_stopped() => return Ok(Ended::Stopped),
            // It waits for room or memory as a whole.
            Err(e) if e.is_disk_full() || e.memory_needed().is_some() => return Err(e),
            Err(e) => {
                failed.push((frame, e.to_string()));
                in_a_row += 1;
                if in_a_row == MOST_FAILURES {
                    break;
                }
            }
        }
        let alone = running.with_frames(|f| f.there.len() == 1) == Some(true);
        if plan.test_first && rendered == 1 && alone && plan.count() > 1 {
            return Ok(Ended::Held(format!(
                "Frame {frame} is there to be looked at; Release goes on with the other {}.",
                plan.count() - 1
            )));
        }
    }
    if let Some((frame, why)) = failed.first() {
        return Err(WorkError::Request(format!(
            "{} of {} frames failed, the first is {frame}: {why} Resume tries them again.",
            failed.len(),
            plan.count()
        )));
    }
    if pixels > 0 {
        let told = NoiseTold {
            percent: noise.percent(),
            left_percent: None,
            samples: noise.samples as f64 / pixels as f64,
        };
        running.patiently(|| app.store.set_noise(row.id, &told))?;
    }
    remove(&files.frames());
    Ok(Ended::Done(
        (!notes.is_empty()).then(|| notes.into_iter().collect::<Vec<_>>().join(" ")),
    ))
}

/// Makes some frames of an order, as a task of a farm does: what is there stays. Strips lie in a folder of the attempt's own. Gives what
/// is to be said.
pub(super) fn make_some(
    app: &App,
    row: &OrderRow,
    frames: &[u64],
    work: &Path,
    watcher: &dyn Watcher,
) -> Result<Vec<String>> {
    let plan = FramePlan::of_row(app, row)?;
    let plan = plan.ok_or_else(|| WorkError::Request("This order has no frames.".into()))?;
    let written = (plan.filing.clone(), plan.format);
    let mut studio = studio(app, row.project, &row.spec, &plan.recipe, written)?;
    let mut notes = BTreeSet::new();
    for frame in frames {
        let name = plan.name(*frame);
        let kept = |_: &Shot| work.join(frame.to_string());
        if plan.sequence.found(&mut studio, *frame, &name, &kept)? == Found::Whole {
            continue;
        }
        let mut watching = |_: f64, _: f64| -> Box<dyn Watcher + '_> { Box::new(Through(watcher)) };
        let made = (plan.sequence).make(&mut studio, (*frame, &name), &kept, &mut watching)?;
        notes.extend(made.notes);
    }
    Ok(notes.into_iter().collect())
}

/// The sentence for a frame whose name somebody else's file has taken.
fn not_ours(plan: &FramePlan, frame: u64) -> String {
    let files = plan.files(frame);
    let there = files.iter().find(|f| f.exists());
    format!(
        "{} is not of this order, and nothing is overwritten; move it away.",
        there.map_or_else(
            || plan.name(frame).display().to_string(),
            |f| f.display().to_string()
        )
    )
}

/// Hands on what another watcher hears.
struct Through<'a>(&'a dyn Watcher);

impl Watcher for Through<'_> {
    fn control(&self) -> &Control {
        self.0.control()
    }

    fn looks(&self, look: &mut dyn FnMut()) {
        self.0.looks(look);
    }

    fn aims_at(&self, percent: f32) {
        self.0.aims_at(percent);
    }

    fn begins(&self, eyes: &Eyes, rows: (u32, u32)) {
        self.0.begins(eyes, rows);
    }

    fn works(&self, work: &mut dyn FnMut()) {
        self.0.works(work);
    }

    fn strip_begins(&self, top: u32) {
        self.0.strip_begins(top);
    }

    fn strip_ends(&self, place: (u32, u32), strips: &[LayeredStrip]) {
        self.0.strip_ends(place, strips);
    }
}

/// Makes the place of what is unfinished, and remembers which sequence the order makes.
fn begin(
    app: &App,
    running: &Running,
    row: &OrderRow,
    order: &FrameOrder,
    plan: &FramePlan,
    studio: &Studio,
) -> Result<RenderFolder> {
    let mut description = plan.recipe.describe(studio.scene(), studio.sky_picture);
    let FrameOrder {
        asked, path, ride, ..
    } = order;
    let told = serde_json::to_string(&(asked, path, ride)).unwrap_or_default();
    description.line("frames", told);
    description.line("names", plan.first_file());
    let picture = description.fingerprint().to_string();
    let files = app.folder.render(Some(&picture));
    {
        // Not while what was given up is being removed: this may be the same sequence again.
        let _quiet = app.sweeping();
        running.patiently(|| app.store.set_order_picture(row.id, &picture))?;
        running.uses(&picture);
        let small = files.small_frames();
        std::fs::create_dir_all(&small).map_err(FileError::io("Making", &small))?;
    }
    if !files.description().exists() {
        dome_files::atomic::write_bytes(&files.description(), description.to_string().as_bytes())?;
    }
    Ok(files)
}

/// Watches a part of a frame for the queue.
struct FrameWatch<'a> {
    running: &'a Running,
    /// What a look at the first frame told.
    forecast: &'a OnceLock<Arc<Forecast>>,
}

impl Watcher for FrameWatch<'_> {
    fn control(&self) -> &Control {
        &self.running.control
    }

    fn looks(&self, look: &mut dyn FnMut()) {
        look();
    }

    fn aims_at(&self, _: f32) {}

    fn begins(&self, eyes: &Eyes, (from, to): (u32, u32)) {
        let look = || {
            let places: Vec<_> = Render::part_places(from, to).collect();
            Arc::new(eyes.forecast(&places, &self.running.control))
        };
        self.running.begin(RenderMeter {
            forecast: Some(Arc::clone(self.forecast.get_or_init(look))),
            rows: to - from,
            finished: BTreeSet::new(),
            current: None,
            earlier: (0.0, Instant::now()),
            noise: NoiseSum::default(),
            pixels: 0,
            told: 0.0,
        });
    }

    fn works(&self, work: &mut dyn FnMut()) {
        work();
    }

    fn strip_begins(&self, top: u32) {
        self.running.begins_strip(top);
    }

    fn strip_ends(&self, (top, rows): (u32, u32), strips: &[LayeredStrip]) {
        self.running.with_render(|r| {
            r.current = None;
            r.finished.insert(top);
            for strip in strips {
                r.noise.add(strip.noise);
                r.pixels += u64::from(rows) * u64::from(strip.beauty.width);
            }
        });
    }
}

/// Keeps a frame's small picture. It is a comfort: a frame is there without it.
fn save_small(plan: &FramePlan, files: &RenderFolder, frame: u64) {
    let _ = screen_picture(plan, frame, SMALL_WIDTH)
        .and_then(|picture| save_jpeg(&files.small_frame(frame), &picture));
}

/// A frame for the screen, of two eyes the first.
fn screen_picture(plan: &FramePlan, frame: u64, width: u32) -> Result<Picture> {
    let files = plan.files(frame);
    // The picture comes after its passes, and the first of several faces or eyes will do.
    let apart = plan.laying().arrangement == Arrangement::TwoFiles
        || matches!(plan.recipe.size.shape, Shape::CubeFaces(_));
    let file = match apart {
        true => files.first(),
        false => files.last(),
    };
    let file = file.ok_or_else(|| WorkError::Request("A frame has no file.".into()))?;
    let rows = PictureRows::open(file)?;
    let (wide, high) = (rows.width, rows.height);
    // Of packed eyes only the first is looked at: the upper or the left one.
    let packed = plan.recipe.rig.is_some() && plan.format != PictureFormat::Exr;
    let (wide, high) = match plan.laying().arrangement {
        Arrangement::TopBottom if packed => (wide, high / 2),
        Arrangement::SideBySide if packed => (wide / 2, high),
        _ => (wide, high),
    };
    let strips = (rows.light().take(high as usize).enumerate()).map(|(top, row)| {
        let row = row?;
        Ok(Strip {
            top: top as u32,
            width: wide,
            samples: (row.iter().take(wide as usize))
                .flat_map(|p| [p[0], p[1], p[2]])
                .collect(),
        })
    });
    shrink(strips, (wide, high), width)
}

/// A frame for the screen, large.
pub fn frame_picture(app: &App, id: i64, frame: u64) -> Result<Picture> {
    let row = app.store.order(id)?;
    let plan = FramePlan::of_row(app, &row)?;
    let plan = plan.ok_or_else(|| {
        WorkError::Request(format!("Order {id} is one picture; it has no frames."))
    })?;
    let width = match plan.recipe.size.shape {
        Shape::Equirect => DISPLAY_WIDTH,
        _ => FLAT_WIDTH,
    };
    screen_picture(&plan, frame, width)
}

/// In a sentence, which frames of an order are missing; nothing if none are.
pub(super) fn missing(app: &App, row: &OrderRow) -> Option<String> {
    let plan = FramePlan::of_row(app, row).ok()??;
    missing_told(&plan.missing(usize::MAX), "Resume renders them.")
}

/// Bytes that the frames of an order take on the disk by now.
pub(super) fn written(app: &App, order: i64) -> u64 {
    let plan = (app.store.order(order).ok()).and_then(|row| FramePlan::of_row(app, &row).ok()?);
    let Some(plan) = plan else {
        return 0;
    };
    let folders = plan.folders();
    let known = app.seen_frames.of(order, folders.as_deref());
    if let Some(bytes) = known.and_then(|k| k.bytes) {
        return bytes;
    }
    let files = plan.sequence.frames.numbers().flat_map(|n| plan.files(n));
    let bytes = files
        .filter_map(|f| Some(std::fs::metadata(f).ok()?.len()))
        .sum();
    app.seen_frames
        .keep(order, folders.as_deref(), |k| k.bytes = Some(bytes));
    bytes
}

/// What is told of an order's frames, and whether some of a finished one are missing.
pub(super) fn told(
    app: &App,
    row: &OrderRow,
    running: Option<&Running>,
) -> Option<(FramesInfo, Option<String>)> {
    let plan = FramePlan::of_row(app, row).ok()??;
    let files = row.files(&app.folder);
    let known = running.and_then(|r| {
        r.with_frames(|f| {
            let (rendered, since) = f.rendered;
            let frame_s = (rendered > 0).then(|| since.elapsed().as_secs_f64() / rendered as f64);
            (f.there.clone(), f.current, frame_s)
        })
    });
    let (there, current, frame_s) = known.unwrap_or_else(|| {
        let entries = std::fs::read_dir(files.small_frames())
            .into_iter()
            .flatten();
        let numbers = entries.flatten().filter_map(|e| {
            let name = e.file_name();
            name.to_str()?.strip_suffix(".jpg")?.parse().ok()
        });
        (numbers.collect(), None, None)
    });
    let missing = (row.state == JobState::Done)
        .then(|| {
            missing_told(
                &app.seen_frames.missing(row.id, &plan),
                "Resume renders them.",
            )
        })
        .flatten();
    let every = there.len().div_ceil(MOST_SHOWN).max(1);
    let folder = plan.name(0);
    let info = FramesInfo {
        total: plan.count() as u32,
        done: there.len() as u32,
        current,
        frame_s,
        lasts_s: plan.lasts_s(),
        shown: there.iter().copied().step_by(every).collect(),
        first_file: plan.first_file(),
        folder: (folder.parent().unwrap_or(&plan.root))
            .display()
            .to_string(),
    };
    Some((info, missing))
}
