//! Packages: a JPEG with panorama properties made from a master, read back and checked.

use super::convert::{self, Wanted};
use super::recipe::picture_size;
use super::{App, Result, WorkError};
use crate::api::types::{CheckInfo, OrderState, Package, PackageRequest};
use dome_files::exr_picture::ExrStrips;
use dome_files::inspect::inspect;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{FileError, PictureFormat};
use dome_imaging::convert::Kernel;
use dome_imaging::{Curve, Tone};
use dome_optics::{Orientation, Shape};

/// Makes a package from an order's master.
pub fn make(app: &App, order: i64, request: PackageRequest) -> Result<Package> {
    let row = app.store.order(order)?;
    if row.state != OrderState::Done {
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
    let master = row.files(&app.folder).master();
    let spec = row.spec;
    // Viewers and hosts take spheres: a master in another shape is unrolled for them.
    let unrolled = if picture_size(&spec)?.shape == Shape::Equirect {
        None
    } else {
        let loaded = convert::load(&master, None)?.held();
        let size = convert::natural_size(
            loaded.source.shape(),
            loaded.source.size().0,
            Shape::Equirect,
        )?;
        Some((
            loaded,
            Wanted {
                size,
                turn: Orientation::default(),
                kernel: Kernel::Bicubic,
            },
        ))
    };
    let (width, height) = (unrolled.as_ref()).map_or((spec.width, spec.height), |(_, w)| {
        (w.size.width(), w.size.height())
    });
    let mut picture =
        PictureSpec::panorama(PictureFormat::Jpeg, width, height, spec.pose.heading_deg);
    picture.quality = request.quality;
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
    let asked = picture.tags.properties(width, height)?;

    let project = app.store.project(row.project)?.name;
    let file = format!(
        "{}.jpg",
        file_name(&format!("{project} - {} - {width} px", spec.viewpoint))
    );
    let id = app.store.add_package(order)?;
    let folder = app.folder.package(id);
    let path = folder.join(&file);
    let written = std::fs::create_dir_all(&folder)
        .map_err(FileError::io("Making", &folder))
        .and_then(|()| match &unrolled {
            Some((loaded, wanted)) => {
                let strips = convert::strips(loaded, wanted, false, |_| true);
                picture_file::write(&path, &picture, strips)
            }
            None => picture_file::write(
                &path,
                &picture,
                picture_file::plain(ExrStrips::open(&master)?),
            ),
        });
    let found = written.and_then(|()| inspect(&path));
    let found = match found {
        Ok(found) => found,
        Err(e) => {
            app.store.remove_package(id)?;
            app.sweep();
            return Err(e.into());
        }
    };
    let checks = dome_rules::compare((width, height), &asked, &found)
        .into_iter()
        .map(|c| CheckInfo {
            what: c.what.into(),
            asked: c.asked,
            found: c.found,
            fine: c.fine,
        })
        .collect();
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
    };
    app.store.set_package(&package)?;
    Ok(package)
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
