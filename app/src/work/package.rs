//! Packages: a JPEG with panorama properties made from a master, read back and checked.

use super::convert::{self, Wanted};
use super::film_package;
use super::masters;
use super::packing::{self, Laying};
use super::recipe::picture_size;
use super::running::{Ended, Running};
use super::titles::Drawing;
use super::told::jobs::JobInfo;
use super::{App, Result, WorkError};
use crate::model::jobs::{JobKind, JobState, NewJob};
use crate::model::kept;
use crate::model::orders::OrderSpec;
use crate::model::packages::{CheckInfo, Package, PackageRequest};
use crate::model::rigs::RigKind;
use crate::store::{OrderRow, StoreError};
use dome_files::inspect::inspect;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{FileError, PictureFormat, archive, join};
use dome_imaging::convert::Kernel;
use dome_imaging::{Curve, LayeredStrip, Tone};
use dome_optics::rig::{Arrangement, Packing, Side};
use dome_optics::{Orientation, PictureSize, Shape};
use dome_trace::Pass;
use dome_trace::photometry::DAYLIGHT_WHITE_CD_M2;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes of a pixel of a JPEG of the highest quality, counted generously.
const PIXEL_BYTES: u64 = 4;

/// Orders a package of an order's master.
pub fn order(app: &App, order: i64, request: &PackageRequest) -> Result<JobInfo> {
    let row = app.store.order(order)?;
    if row.state != JobState::Done {
        return Err(WorkError::Conflict(format!(
            "Order {order} is not finished; hand it over when its master is there."
        )));
    }
    if !(-20.0..=20.0).contains(&request.exposure_stops) {
        return Err(WorkError::Request(
            "The exposure must lie between -20 and 20 stops.".into(),
        ));
    }
    if !(1..=100).contains(&request.quality) {
        return Err(WorkError::Request(
            "The JPEG quality must lie between 1 and 100.".into(),
        ));
    }
    match (&request.film, &row.spec.frames) {
        (Some(choice), _) => return film_package::order(app, &row, request, choice),
        (None, Some(_)) => {
            return Err(WorkError::Request(
                "These are frames; make a film of them, or take them from their folder.".into(),
            ));
        }
        (None, None) => {}
    }
    let (width, height) = match pair_of(&row.spec, request)? {
        Some(pair) => pair.file,
        None => {
            let size = size_of(&row.spec)?;
            let picture = picture(&row.spec, request, (size.width(), size.height()));
            // What cannot be written is refused now.
            picture.tags.properties(size.width(), size.height())?;
            (size.width(), size.height())
        }
    };
    if !is_png(request) && width.max(height) > dome_files::jpeg::MAX_SIDE {
        return Err(WorkError::Request(format!(
            "{width} x {height} px are more than a JPEG holds (65535 px a side); take PNG, or another packing."
        )));
    }
    let kind = if is_png(request) { "PNG" } else { "JPEG" };
    let what = format!("{kind} of {}, {width} x {height} px", row.spec.viewpoint);
    let disk = u64::from(width) * u64::from(height) * PIXEL_BYTES + (8 << 20);
    queue(app, &row, request, what, disk)
}

/// Queues a package that takes so many bytes at most.
pub(super) fn queue(
    app: &App,
    row: &OrderRow,
    request: &PackageRequest,
    what: String,
    disk: u64,
) -> Result<JobInfo> {
    app.room_on_disk(&what, disk)?;
    let job = NewJob {
        kind: JobKind::Package,
        project: Some(row.project),
        asked: kept::write(request).map_err(StoreError::from)?,
        what,
        // Readers claim what they take.
        held: false,
        memory: 0,
        disk,
        on_farm: false,
    };
    let (_, job) = app.store.add_package(row.id, &job)?;
    app.queued(job)
}

/// What is said of a file that cannot tell what is clear.
const NO_ALPHA: &str = "The order has no backdrop, and a JPEG cannot say where: it is black there. Take PNG to keep it clear.";

fn is_png(request: &PackageRequest) -> bool {
    request.png == Some(true)
}

fn format_of(request: &PackageRequest) -> PictureFormat {
    match is_png(request) {
        true => PictureFormat::Png,
        false => PictureFormat::Jpeg,
    }
}

/// How both eyes of a master are handed over.
struct PairPackage {
    laying: Laying,
    /// Shape and size of each eye as it is laid.
    eye: PictureSize,
    /// Width and height of the file, pixels.
    file: (u32, u32),
}

/// The pair that is asked for, of a master with both eyes; nothing for one eye alone.
fn pair_of(spec: &OrderSpec, request: &PackageRequest) -> Result<Option<PairPackage>> {
    let Some(rig) = &spec.rig else {
        return match request.packing.as_deref() {
            None | Some("mono") => Ok(None),
            Some(_) => Err(WorkError::Request(
                "This master has one eye; only a pair can be packed.".into(),
            )),
        };
    };
    let packing: Packing = match &request.packing {
        Some(packing) => packing.parse()?,
        None => Packing::TOP_BOTTOM,
    };
    let recorded = picture_size(Some(&spec.shape), spec.width)?;
    let flat = rig.kind == RigKind::Flat;
    if packing.arrangement == Arrangement::Mono && !flat {
        return Ok(None);
    }
    let crop = rig.crop(spec.width);
    let eye = match crop {
        0 => recorded,
        _ => PictureSize::new(
            rig.frame().shape(),
            Some(spec.width - crop),
            Some(spec.height),
        )?,
    };
    let cells = (eye.width(), eye.height());
    let file = packing.file_size(cells);
    packing.eye_size(file)?;
    let scale = f64::from(eye.width()) / f64::from(rig.flat.budget.final_width.max(1));
    let window = match flat {
        true => Side::BOTH.map(|side| rig.flat.window.of(side).map(|px| px * scale)),
        false => [[0.0; 2]; 2],
    };
    Ok(Some(PairPackage {
        laying: Laying {
            packing,
            crop,
            window,
        },
        eye,
        file,
    }))
}

/// The size of a package: viewers and hosts take spheres, so a master in another shape is unrolled for them.
fn size_of(spec: &OrderSpec) -> Result<PictureSize> {
    let size = picture_size(Some(&spec.shape), spec.width)?;
    if size.shape == Shape::Equirect {
        return Ok(size);
    }
    convert::natural_size(size.shape, size.width(), Shape::Equirect)
}

fn picture(spec: &OrderSpec, request: &PackageRequest, (width, height): (u32, u32)) -> PictureSpec {
    let mut picture =
        PictureSpec::panorama(format_of(request), width, height, spec.pose.heading_deg);
    picture.quality = request.quality;
    // Orders of before had the same white, but did not say so.
    picture.white_cd_m2 = Some(spec.white_cd_m2.unwrap_or(DAYLIGHT_WHITE_CD_M2));
    picture.tilted(&super::preview::orientation(&spec.pose));
    picture.tone = Tone {
        exposure_stops: request.exposure_stops,
        curve: if request.soft {
            Curve::Soft
        } else {
            Curve::Plain
        },
    };
    picture.tags.opening_deg = Some((request.opening_heading_deg, request.opening_pitch_deg));
    picture.tags.hfov_deg = Some(request.opening_hfov_deg);
    picture
}

/// The folder of a package, made and empty: whoever was killed at it before left what is of no use.
pub(super) fn folder_for(app: &App, id: i64) -> Result<PathBuf> {
    let folder = app.folder.package(id);
    crate::folder::remove(&folder);
    std::fs::create_dir_all(&folder).map_err(FileError::io("Making", &folder))?;
    Ok(folder)
}

/// Makes the package of a job from its order's master, reads it back and checks it.
pub(super) fn make(app: &Arc<App>, running: &Running) -> Result<Ended> {
    let id = running.job.makes;
    let request: PackageRequest = kept::read(&running.job.asked).map_err(StoreError::from)?;
    let order = running.patiently(|| app.store.order_of_package(id))?;
    let row = running.patiently(|| app.store.order(order))?;
    // One that was finished just before its worker was killed is not made again, nor gone meanwhile.
    if let Ok(there) = app.store.package(id)
        && std::fs::metadata(app.folder.package(id).join(&there.file))
            .is_ok_and(|m| m.len() == there.bytes)
    {
        return Ok(Ended::Done(None));
    }
    if let Some(choice) = &request.film {
        return film_package::make(app, running, &row, &request, choice);
    }
    let files = row.files(&app.folder);
    let master = files.master();
    if master.exists() && !masters::is_whole(&files)? {
        app.tell_job(row.job);
        return Err(WorkError::Conflict(masters::DAMAGED.into()));
    }
    let spec = row.spec;
    if let Some(pair) = pair_of(&spec, &request)? {
        return make_pair(
            app,
            running,
            (row.project, order),
            &master,
            (&spec, &request, &pair),
        );
    }
    let size = size_of(&spec)?;
    let (width, height) = (size.width(), size.height());
    let mut picture = picture(&spec, &request, (width, height));
    // What is clear stays so where the file can tell it.
    let clear = spec.passes.contains(&Pass::Alpha);
    let alpha = clear && is_png(&request);
    if alpha {
        picture.layers = vec![Pass::Alpha.layer()];
    }
    let asked = picture.tags.properties(width, height)?;
    let project = app.store.project_name(row.project)?;
    let file = format!(
        "{}.{}",
        file_name(&format!("{project} - {} - {width} px", spec.viewpoint)),
        format_of(&request).ending()
    );
    let path = folder_for(app, id)?.join(&file);
    let rows = f64::from(height);
    // One eye of a pair shows its titles too.
    let drawing = drawing(app, &spec, &size, &picture.tone)?;
    let titled = |mut strip: LayeredStrip| {
        if let Some(drawing) = &drawing {
            drawing.over(&mut strip, Side::Left, &[]);
        }
        strip
    };
    if picture_size(Some(&spec.shape), spec.width)?.shape == Shape::Equirect {
        let strips = join::with_layers(&master, &picture.layers)?.map(|strip| {
            let strip = strip?;
            if !running.share(f64::from(strip.beauty.top) / rows) {
                return Err(FileError::Request("The picture was stopped.".into()));
            }
            Ok(titled(strip))
        });
        picture_file::write(&path, &picture, strips)?;
    } else {
        let loaded = convert::load(&master, None, &mut |share| running.share(0.3 * share))?.held();
        let wanted = Wanted {
            size,
            turn: Orientation::default(),
            kernel: Kernel::Bicubic,
        };
        let strips = convert::strips(&loaded, &wanted, alpha, |row| {
            running.share(0.3 + 0.7 * f64::from(row) / rows)
        });
        picture_file::write(&path, &picture, strips.map(|s| Ok(titled(s?))))?;
    }
    let found = inspect(&path)?;
    let checks = checks(dome_rules::compare((width, height), &asked, &found));
    let package = Package {
        id,
        order,
        file,
        bytes: std::fs::metadata(&path)
            .map_err(FileError::io("Reading", &path))?
            .len(),
        width: found.width,
        height: found.height,
        pose_heading_deg: asked.pose_heading_deg.unwrap_or(0.0),
        request,
        checks,
        reason: found.reason,
        film: None,
    };
    running.patiently(|| app.store.set_package(&package))?;
    Ok(Ended::Done((clear && !alpha).then(|| NO_ALPHA.into())))
}

/// The titles of an order's pair over pictures of a size; nothing without any.
fn drawing(
    app: &App,
    spec: &OrderSpec,
    size: &PictureSize,
    tone: &Tone,
) -> Result<Option<Drawing>> {
    let Some((rig, pair)) = spec.rig.as_ref().and_then(|r| Some((r, r.pair()?))) else {
        return Ok(None);
    };
    super::titles::all_there(app, rig)?;
    let (at, turned) = (
        spec.pose.position.into(),
        super::preview::orientation(&spec.pose),
    );
    let eye = |side: Side| pair.eye(side, at, turned, size.shape);
    Drawing::new(app, &spec.pose, rig, size, tone, &eye)
}

fn checks(found: Vec<dome_rules::Check>) -> Vec<CheckInfo> {
    (found.into_iter())
        .map(|c| CheckInfo {
            what: c.what.into(),
            asked: c.asked,
            found: c.found,
            fine: c.fine,
        })
        .collect()
}

/// The package of a pair: both eyes laid into one file, or two files in an archive.
fn make_pair(
    app: &Arc<App>,
    running: &Running,
    (project, order): (i64, i64),
    master: &Path,
    (spec, request, pair): (&OrderSpec, &PackageRequest, &PairPackage),
) -> Result<Ended> {
    let id = running.job.makes;
    let folder = folder_for(app, id)?;
    let packing = pair.laying.packing;
    let project = app.store.project_name(project)?;
    let words = packing.to_string().replace(':', " ");
    let name = file_name(&format!(
        "{project} - {} - {words} - {} px",
        spec.viewpoint, pair.file.0
    ));
    let ending = format_of(request).ending();
    let path = folder.join(format!("{name}.{ending}"));
    let eye = (pair.eye.width(), pair.eye.height());
    let mut picture = picture(spec, request, eye);
    picture.shape = pair.eye.shape;
    // The master holds what was recorded; the crop is taken on the way.
    picture.width = eye.0 + pair.laying.crop;
    let recorded = picture_size(Some(&spec.shape), spec.width)?;
    let drawing = drawing(app, spec, &recorded, &picture.tone)?;
    let files = packing::write(
        master,
        &path,
        &picture,
        pair.laying,
        drawing.as_ref(),
        &|share| running.share(share),
    )?;
    let first = files.first().unwrap_or(&path);
    let found = inspect(first)?;
    let told = PictureSpec { packing, ..picture };
    let checks = checks(match told.layout() {
        Some(words) => dome_rules::compare_pair(pair.file, &words, &found),
        None => Vec::new(),
    });
    let file = match &files[..] {
        [_] => first.clone(),
        _ => {
            let zip = folder.join(format!("{name}.zip"));
            archive::pack(&files, &zip)?;
            files.iter().for_each(|f| crate::folder::remove(f));
            zip
        }
    };
    let package = Package {
        id,
        order,
        file: (file.file_name().unwrap_or_default().to_string_lossy()).into_owned(),
        bytes: std::fs::metadata(&file)
            .map_err(FileError::io("Reading", &file))?
            .len(),
        width: found.width,
        height: found.height,
        pose_heading_deg: spec.pose.heading_deg,
        request: request.clone(),
        checks,
        reason: told.layout().unwrap_or(found.reason),
        film: None,
    };
    running.patiently(|| app.store.set_package(&package))?;
    Ok(Ended::Done(None))
}

/// Longest name of a file without its ending, bytes: file systems take 255, and endings, numbers and marks of unfinished
/// files come on top.
const LONGEST_NAME: usize = 180;

/// A name that any file system takes: letters, digits and a few signs.
pub fn file_name(text: &str) -> String {
    let mut room = LONGEST_NAME;
    let clean: String = text
        .chars()
        .map(|c| {
            if c.is_alphanumeric() || " -_".contains(c) {
                c
            } else {
                '-'
            }
        })
        .take_while(|c| {
            let fits = c.len_utf8() <= room;
            room -= c.len_utf8().min(room);
            fits
        })
        .collect();
    let clean = clean.trim_matches([' ', '-', '.']).to_owned();
    if clean.is_empty() {
        "panorama".into()
    } else {
        clean
    }
}

#[cfg(test)]
mod tests {
    use super::file_name;

    #[test]
    fn names_cannot_climb() {
        assert_eq!(file_name("../../etc/passwd"), "etc-passwd");
        assert_eq!(file_name("Saal / Nord: \"3\"\n"), "Saal - Nord- -3");
        assert_eq!(file_name("..."), "panorama");
        for letter in ["a", "\u{5929}", "\u{e4}", "\u{20bb7}"] {
            let name = file_name(&letter.repeat(900));
            assert!(
                (177..=180).contains(&name.len()),
                "{letter}: {}",
                name.len()
            );
        }
    }
}
