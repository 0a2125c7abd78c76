//! Rendering an order: strips that survive anything, then the master, then what the screen shows of it.

use super::aim::{self, Aim};
use super::convert;
use super::denoise::{self, Remaining, Way, denoised, written_better};
use super::eyes::{self, Eyes};
use super::farm;
use super::finished::{Finished, Job, read_strip, take_over, taken};
use super::frame_orders;
use super::look::Look;
use super::masters;
use super::outputs;
use super::packing;
use super::preview::SCREEN_TONE;
use super::recipe::Recipe;
use super::running::{Ended, RenderMeter, Running};
use super::screen::{CARD_WIDTH, DISPLAY_WIDTH, FLAT_WIDTH, save_jpeg, shrink};
use super::told::Event;
use super::{App, Result, WorkError};
use crate::folder::{RenderFolder, remove};
use crate::model::orders::OrderSpec;
use crate::store::{NoiseTold, OrderRow};
use dome_files::exr_picture::ExrStrips;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{Description, FileError, Mark, PictureFormat, strip_file, views};
use dome_imaging::pair::Strips;
use dome_imaging::scale::Shrink;
use dome_imaging::{NoiseSum, Picture, Strip};
use dome_optics::Shape;
use dome_optics::rig::Side;
use dome_trace::{Control, Render, Stopped};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;

/// The strips that are on disk, of every eye that is rendered.
pub(super) fn finished_strips(files: &RenderFolder, spec: &OrderSpec) -> Vec<(u32, u32)> {
    let sides: Vec<Side> = match &spec.rig {
        Some(_) => (Side::BOTH.into_iter())
            .filter(|side| taken(files, *side).is_none())
            .collect(),
        None => vec![Side::Left],
    };
    Render::strip_places(spec.height)
        .filter(|(top, _)| sides.iter().all(|s| files.strip_of(*s, *top).exists()))
        .collect()
}

/// Renders the order of a job to its end or until it is stopped.
pub(super) fn run(app: &Arc<App>, running: &Running) -> Result<Ended> {
    let row = &running.patiently(|| app.store.order(running.job.makes))?;
    let ended = made(app, running, row)?;
    if let (Ended::Done(_), Some(farm)) = (&ended, &app.farm) {
        // It is made, whatever becomes of what a farm had begun of it.
        let _ = farm.forget(row);
    }
    Ok(ended)
}

fn made(app: &Arc<App>, running: &Running, row: &OrderRow) -> Result<Ended> {
    let spec = &row.spec;
    if let Some(frames) = &spec.frames {
        if let Some(farm) = app.farm.as_ref().filter(|_| running.job.on_farm)
            && frame_orders::missing(app, row).is_some()
            && let Some(ended) = farm::run(farm, app, running, row)?
        {
            return Ok(ended);
        }
        return frame_orders::run(app, running, row, frames);
    }
    let recipe = Recipe::of_order(spec)?;
    let read = {
        let (app, project) = (Arc::clone(app), row.project);
        let (settings, draft, white) = (spec.settings.clone(), spec.draft, recipe.white_cd_m2);
        move || -> Result<_> {
            let scene = app.scenes.get_as(&app, project, &settings)?;
            let light = app.scenes.light(&app, project, &settings, draft, white)?;
            let sky = app.scenes.sky_picture(&app, project, &settings)?;
            Ok((scene, light, sky))
        }
    };
    let Some(read) = running.unless_stopped(read) else {
        return Ok(Ended::Stopped);
    };
    let (scene, light, sky) = read?;
    let description = recipe.describe(&scene, sky);
    let job = Job {
        picture: description.fingerprint(),
        files: app
            .folder
            .render(Some(&description.fingerprint().to_string())),
        recipe: &recipe,
        scene: &scene,
    };
    let mut begun_anew = begin(app, row, running, &job, &description)?;
    if job.files.master().exists() && !masters::is_whole(&job.files)? {
        begun_anew = Some(masters::MADE_AGAIN.into());
    }
    if let Some(note) = &begun_anew {
        running.patiently(|| app.store.note_on_job(row.job, Some(note)))?;
        app.tell_job(row.job);
    }
    if recipe.rig.is_some() {
        let [left, right] = Side::BOTH
            .map(|side| (recipe.describe_eye(side, &scene, sky).fingerprint()).to_string());
        running.patiently(|| app.store.set_order_eyes(row.id, &left, &right))?;
        if !job.files.master().exists() {
            take_over(app, &job, [&left, &right])?;
        }
    }
    if let Some(farm) = app.farm.as_ref().filter(|_| running.job.on_farm)
        && !job.files.master().exists()
        && let Some(ended) = farm::run(farm, app, running, row)?
    {
        return Ok(ended);
    }
    if job.files.master().exists() {
        // Another order made this very picture.
        if let Some(told) = (app.store).noise_of(&description.fingerprint().to_string())? {
            running.patiently(|| app.store.set_noise(row.id, &told))?;
        }
        if !job.files.display().exists() {
            make_pictures(app, row.project, &job, &running.control)?;
        }
        let moved = outputs::deliver(app, row, &job.files.master(), &description)?;
        let notes: Vec<String> = begun_anew.into_iter().chain(moved).collect();
        return Ok(Ended::Done((!notes.is_empty()).then(|| notes.join(" "))));
    }

    let mut look = Look::kept_in(&job.files.look(), job.picture, true);
    running.control.expect_looks(look.to_come(&recipe));
    let both = eyes::of(&recipe);
    let Ok(learned) = look.learned(&recipe, (&scene, &light), &both, &running.control) else {
        return Ok(Ended::Stopped);
    };
    let mut eyes = Eyes::new(&recipe, &scene, &light, &both, &learned);
    let Some(aim) = aim(&job, &look, &mut eyes, &running.control)? else {
        return Ok(Ended::Stopped);
    };
    // A comfort for whoever goes on with it: without room for it there may still be some for strips.
    let _ = look.keep(&learned, &aim);
    if let Some(percent) = aim.percent {
        eyes.aim_at(percent);
    }
    let layers = recipe.strip_passes().layers();
    let places: Vec<_> = Render::strip_places(recipe.size.height()).collect();
    let mut done = Finished::new(&job, &layers)?;
    let (mut noise, mut pixels) = (NoiseSum::default(), 0);
    let mut finished = BTreeSet::new();
    for &place in &places {
        for strip in done.read(place) {
            noise.add(strip);
            pixels += job.pixels(place);
        }
        if done.missing(place.0).is_empty() {
            finished.insert(place.0);
        }
    }
    running.control.expect_looks(0);
    let missing: Vec<_> = places
        .iter()
        .filter(|(top, _)| !finished.contains(top))
        .copied()
        .collect();
    running.begin(RenderMeter {
        forecast: None,
        rows: recipe.size.height(),
        finished: finished.clone(),
        current: None,
        earlier: (0.0, Instant::now()),
        noise,
        pixels,
        told: 0.0,
    });
    let look = || {
        let forecast = eyes.forecast(&places, &running.control);
        let earlier = forecast.share(|top| finished.contains(&top), None);
        running.forecast(Arc::new(forecast), earlier);
    };
    if rayon::current_num_threads() == 1 {
        look();
    }
    let told = rayon::scope(|beside| {
        // How long it takes is looked for beside the first strips: they are waited for more. By the job's own threads: those of others
        // must not wait while a live picture holds the job, or that would wait for them.
        if rayon::current_num_threads() > 1 {
            beside.spawn(|_| look());
        }
        strips(app, running, (row, &job), &eyes, (&mut done, missing))
    })?;
    if told.is_none() {
        return Ok(Ended::Stopped);
    }
    // A stop leaves the strips; only the writing is given up.
    let (notes, left) = write_master(
        &job,
        (&description, aim.denoised),
        &places,
        &running.control,
    )?;
    let left_out = (recipe.denoise && !aim.denoised).then_some(aim::NOT_WORTH_IT);
    masters::seal(&job.files)?;
    done.keep_counts(&places)?;
    let (percent, samples) = running.noise();
    let told = NoiseTold {
        percent,
        left_percent: left.percent(),
        samples: samples.unwrap_or(0.0),
    };
    running.patiently(|| app.store.set_noise(row.id, &told))?;
    make_pictures(app, row.project, &job, &running.control)?;
    remove(&job.files.strips());
    let moved = outputs::deliver(app, row, &job.files.master(), &description)?;
    let notes: Vec<String> = begun_anew
        .into_iter()
        .chain(done.told())
        .chain(notes.into_iter().chain(left_out).map(String::from))
        .chain(moved)
        .collect();
    Ok(Ended::Done((!notes.is_empty()).then(|| notes.join(" "))))
}

/// Renders the strips that are missing, and writes each when it is finished. Nothing if it was stopped.
fn strips(
    app: &App,
    running: &Running,
    (row, job): (&OrderRow, &Job),
    eyes: &Eyes,
    (done, missing): (&mut Finished, Vec<(u32, u32)>),
) -> Result<Option<()>> {
    let layers = job.recipe.strip_passes().layers();
    let mut came_forward = false;
    for place in missing {
        let (top, _) = place;
        running.begins_strip(top);
        let Ok(strips) = done.render(eyes, place, &running.control) else {
            return Ok(None);
        };
        for (side, strip) in &strips {
            strip_file::write(
                &job.files.strip_of(*side, top),
                &job.mark(*side),
                strip,
                &layers,
            )?;
        }
        running.with_render(|r| {
            r.current = None;
            r.finished.insert(top);
            for (_, strip) in &strips {
                r.noise.add(strip.noise);
                r.pixels += job.pixels(place);
            }
        });
        running.finished(place);
        if !came_forward {
            // A comfort; a database that somebody else holds is not waited for.
            let _ = app.store.came_forward(row.job);
            came_forward = true;
        }
    }
    Ok(Some(()))
}

/// The noise at which blocks are to end. It is looked for once: strips that are finished and those still to come must go together.
/// Nothing if it was stopped.
fn aim(job: &Job, look: &Look, eyes: &mut Eyes, control: &Control) -> Result<Option<Aim>> {
    const PLAIN: &str = " plain";
    let kept = job.files.block_noise();
    let read = std::fs::read_to_string(&kept).unwrap_or_default();
    let (number, plain) = match read.trim().strip_suffix(PLAIN) {
        Some(number) => (number, true),
        None => (read.trim(), false),
    };
    let known = number.parse::<f32>().ok();
    if let Some(percent) = known.filter(|p| p.is_finite() && *p > 0.0) {
        return Ok(Some(Aim {
            percent: Some(percent),
            denoised: job.recipe.denoise && !plain,
        }));
    }
    let Ok(aim) = look.aim(job.recipe, eyes, &denoise::way(), control) else {
        return Ok(None);
    };
    if let Some(percent) = aim.percent {
        let plain = match job.recipe.denoise && !aim.denoised {
            true => PLAIN,
            false => "",
        };
        dome_files::atomic::write_bytes(&kept, format!("{percent}{plain}").as_bytes())?;
    }
    Ok(Some(aim))
}

/// Makes the picture's place and remembers that the order makes this picture. If it made another one before, what was
/// finished of that is of no use any more; the answer says why.
fn begin(
    app: &App,
    row: &OrderRow,
    running: &Running,
    job: &Job,
    description: &Description,
) -> Result<Option<String>> {
    let before = row.files(&app.folder);
    let another = before != job.files && !finished_strips(&before, &row.spec).is_empty();
    let strips = job.files.strips();
    {
        // Not while what was given up is being removed: this may be the same picture again.
        let _quiet = app.sweeping();
        let picture = description.fingerprint().to_string();
        running.patiently(|| app.store.set_order_picture(row.id, &picture))?;
        running.uses(&picture);
        std::fs::create_dir_all(&strips).map_err(FileError::io("Making", &strips))?;
    }
    if !job.files.description().exists() {
        let text = description.to_string();
        dome_files::atomic::write_bytes(&job.files.description(), text.as_bytes())?;
    }
    if !another {
        return Ok(None);
    }
    let told = std::fs::read_to_string(before.description()).ok();
    let changed = match told.and_then(|t| t.parse::<Description>().ok()) {
        Some(old) => format!("other now: {}", description.told_differences(&old)),
        None => "it was begun by an earlier version".into(),
    };
    Ok(Some(format!(
        "Begun anew, because the strips of before would not fit ({changed})."
    )))
}

/// Writes the master of finished strips; tells what is to be said of it, and the noise that denoising left.
fn write_master(
    job: &Job,
    (description, denoised_too): (&Description, bool),
    places: &[(u32, u32)],
    control: &Control,
) -> Result<(Vec<&'static str>, Remaining)> {
    let (made, wanted) = (job.recipe.strip_passes(), &job.recipe.passes);
    let layers = made.layers();
    let picture = PictureSpec {
        description: Some(description.clone()),
        ..job.recipe.file(PictureFormat::Exr, job.scene)
    };
    let left = Mutex::new(Remaining::default());
    let own = wanted.layers();
    let eye = |side: Side, way: &Way| -> dome_files::error::Result<Strips<'_, FileError>> {
        if let Some((path, view)) = taken(&job.files, side) {
            let strips = packing::eye(&path, view, &own, 0, None)?;
            return Ok(Box::new(strips.map(|strip| {
                if control.is_stopped() {
                    return Err(FileError::Request(Stopped.to_string()));
                }
                strip
            })));
        }
        let layers = layers.clone();
        let strips = places.iter().map(move |(top, _)| {
            if control.is_stopped() {
                return Err(FileError::Request(Stopped.to_string()));
            }
            let path = job.files.strip_of(side, *top);
            strip_file::read(&path, &job.mark(side), &layers).map_err(|e| match e {
                FileError::Damaged { .. } => FileError::Request(format!(
                    "The finished strip at row {top} was damaged on the disk; Resume renders it again."
                )),
                other => other,
            })
        });
        let what = denoise::Job {
            made: &made,
            wanted,
            size: job.recipe.size,
        };
        Ok(denoised(strips, what, way, &left, || !control.is_stopped()))
    };
    // It gets its name when it is known which of both it is: denoised, or as it was rendered.
    let master = job.files.master();
    let nameless = master.with_extension("unnamed");
    let write = |way: &Way| {
        let one = eye(Side::Left, way)?;
        if job.recipe.rig.is_none() {
            return picture_file::write(&nameless, &picture, one);
        }
        let both = one
            .zip(eye(Side::Right, way)?)
            .map(|(left, right)| Ok(views::both(left?, right?)));
        picture_file::write(&nameless, &picture, both)
    };
    let note = written_better(denoised_too, &left, write)?.1;
    dome_files::atomic::keep(&nameless, &master)?;
    Ok((
        note.into_iter().chain(picture.cut.note()).collect(),
        left.into_inner().unwrap_or_else(PoisonError::into_inner),
    ))
}

/// The picture for the screen and, for the project's newest master, the card. A master in another shape is
/// shown as the sphere that it holds, and flat beside it.
fn make_pictures(app: &App, project: i64, job: &Job, control: &Control) -> Result<()> {
    let master = job.files.master();
    let size = job.recipe.size;
    let smaller = |strips: ExrStrips, width| {
        let strips = strips.map(|strip| match control.is_stopped() {
            true => Err(FileError::Request(Stopped.to_string())),
            false => strip,
        });
        shrink(strips, (size.width(), size.height()), width)
    };
    let flat = |width| smaller(ExrStrips::open(&master)?, width);
    let small = if size.shape == Shape::Equirect {
        flat(DISPLAY_WIDTH)?
    } else {
        save_jpeg(&job.files.flat(), &flat(FLAT_WIDTH)?)?;
        let loaded = convert::load(&master, None, &mut |_| !control.is_stopped())?;
        let natural = convert::natural_size(
            loaded.source.shape(),
            loaded.source.size().0,
            Shape::Equirect,
        )?;
        convert::sphere(&loaded, natural.width().min(DISPLAY_WIDTH) & !1)
    };
    save_jpeg(&job.files.display(), &small)?;
    if job.recipe.rig.is_some() && size.shape == Shape::Equirect {
        let right = views::colour_channels(Side::Right);
        let right = smaller(ExrStrips::open_channels(&master, right)?, DISPLAY_WIDTH)?;
        save_jpeg(&job.files.display_right(), &right)?;
    }
    save_jpeg(
        &app.folder.card(project),
        &dome_imaging::scale::shrink_to_width(&small, CARD_WIDTH),
    )?;
    app.tell(Event::Project { project });
    Ok(())
}

/// The eye whose strips are shown while an order is made: the left one, unless it is taken over.
fn shown(files: &RenderFolder) -> Side {
    match taken(files, Side::Left) {
        Some(_) => Side::Right,
        None => Side::Left,
    }
}

/// The mark of an eye's strips of an order.
fn mark_of(row: &OrderRow, side: Side) -> Result<Mark> {
    let picture = row.picture.as_deref().unwrap_or_default();
    Ok(Mark {
        eye: side as u32,
        ..Mark::still(picture.parse()?)
    })
}

/// A finished strip of an order as the screen shows it, if it is there.
pub fn strip_of(app: &App, id: i64, top: u32) -> Result<Option<Strip>> {
    let row = app.store.order(id)?;
    let files = row.files(&app.folder);
    let side = shown(&files);
    let path = files.strip_of(side, top);
    if !path.exists() {
        return Ok(None);
    }
    let layers = Recipe::of_order(&row.spec)?.strip_passes().layers();
    let strip = strip_file::read(&path, &mark_of(&row, side)?, &layers)?;
    Ok(Some(strip.beauty))
}

/// What is finished of an order's picture, as the screen shows it; the rest is grey. One answer for hundreds of strips.
pub fn finished_picture(app: &App, id: i64) -> Result<Picture> {
    let row = app.store.order(id)?;
    let files = row.files(&app.folder);
    let side = shown(&files);
    let mark = mark_of(&row, side);
    let spec = row.spec;
    let layers = Recipe::of_order(&spec)?.strip_passes().layers();
    let across = spec.width.min(DISPLAY_WIDTH);
    let down = (u64::from(across) * u64::from(spec.height) / u64::from(spec.width.max(1))) as u32;
    let mut shown = app
        .shown_strips
        .0
        .lock()
        .unwrap_or_else(PoisonError::into_inner);
    let of = (id, side, row.picture);
    if shown.of != of || (shown.picture.width, shown.picture.height) != (across, down.max(1)) {
        *shown = ShownStrips {
            of,
            picture: Picture {
                width: across,
                height: down.max(1),
                samples: vec![NOT_YET; (across * down.max(1)) as usize * 3],
            },
            tops: BTreeSet::new(),
        };
    }
    // Each is read once: an order of a wide picture has gigabytes of them.
    for place in Render::strip_places(spec.height) {
        let path = files.strip_of(side, place.0);
        if shown.tops.contains(&place.0) || !path.exists() {
            continue;
        }
        let strip = (mark.as_ref().ok())
            .and_then(|mark| read_strip(&path, mark, place, spec.width, &layers));
        let Some(mut strip) = strip.map(|s| s.beauty) else {
            continue;
        };
        // Its own rows of the picture, where the screen's rows begin and end.
        let row_of =
            |row: u32| (u64::from(row) * u64::from(down) / u64::from(spec.height.max(1))) as u32;
        let (from, to) = (row_of(place.0), row_of(place.0 + place.1));
        if to > from {
            strip.top = 0;
            let mut shrink = Shrink::new((spec.width, place.1), (across, to - from));
            (shrink.add(&strip)).map_err(|e| WorkError::Request(e.to_string()))?;
            let wide = across as usize * 3;
            shown.picture.samples[from as usize * wide..to as usize * wide]
                .copy_from_slice(&shrink.finish().samples);
        }
        shown.tops.insert(place.0);
    }
    Ok(shown.picture.clone())
}

/// The picture of finished strips that was shown last.
#[derive(Default)]
pub(super) struct Shown(Mutex<ShownStrips>);

struct ShownStrips {
    /// The order, the eye, and the picture's fingerprint.
    of: (i64, Side, Option<String>),
    picture: Picture,
    /// First rows of the strips in it.
    tops: BTreeSet<u32>,
}

impl Default for ShownStrips {
    fn default() -> Self {
        Self {
            of: (0, Side::Left, None),
            picture: Picture::black(1, 1),
            tops: BTreeSet::new(),
        }
    }
}

/// The rows that are finished of the strip at `top` which is being made, as the screen shows them: width, height, and four bytes a pixel,
/// clear where there is nothing yet.
pub fn under_way(app: &App, id: i64, top: u32) -> Result<Option<(u32, u32, Vec<u8>)>> {
    let row = app.store.order(id)?;
    let Some(running) = app.jobs.running(row.job) else {
        return Ok(None);
    };
    let Some(strip) = running.under_way().filter(|u| u.top == top) else {
        return Ok(None);
    };
    let across = row.spec.width.min(DISPLAY_WIDTH);
    let mut pixels = vec![0u8; 4 * (across * strip.rows) as usize];
    for (number, line) in running.control.watched_rows() {
        let Some(to) = number.checked_sub(top).filter(|r| *r < strip.rows) else {
            continue;
        };
        let mut shrink = Shrink::new((row.spec.width, 1), (across, 1));
        let samples = line.iter().flat_map(|p| p.to_array()).collect();
        let (top, width) = (0, row.spec.width);
        (shrink.add(&Strip {
            top,
            width,
            samples,
        }))
        .map_err(|e| WorkError::Request(e.to_string()))?;
        let rgb = SCREEN_TONE.to_srgb8(&shrink.finish().samples);
        let own = &mut pixels[4 * (to * across) as usize..][..4 * across as usize];
        for (pixel, rgb) in own.chunks_exact_mut(4).zip(rgb.chunks_exact(3)) {
            pixel.copy_from_slice(&[rgb[0], rgb[1], rgb[2], 255]);
        }
    }
    Ok(Some((across, strip.rows, pixels)))
}

/// Light that the screen shows as the grey round pictures.
const NOT_YET: f32 = 0.185;
