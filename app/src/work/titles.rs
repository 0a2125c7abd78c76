//! Titles of a pair: where they stand, and how they are drawn over each eye's picture.

use super::pictures::path_of;
use super::preview::orientation;
use super::{App, Result, WorkError};
use crate::model::places::Pose;
use crate::model::rigs::{Rig, RigKind};
use crate::model::titles::Title;
use dome_files::decode::decode_texture;
use dome_files::error::FileError;
use dome_files::linear_picture;
use dome_imaging::title::{Card, Stand, Title as Drawn, draw, letters_ratio};
use dome_imaging::{LayerSpec, LayeredStrip, Tone};
use dome_optics::rig::Side;
use dome_optics::{Eye, PictureSize};
use glam::DVec3;
use std::sync::Arc;

/// Most pixels of a title's picture.
const MOST_PIXELS: u64 = 2048 * 2048;

/// Width of a title divided by its height.
fn ratio(app: &App, title: &Title) -> Result<f64> {
    Ok(match title.picture {
        Some(id) => {
            let picture = brought(app, title, id)?;
            f64::from(picture.width) / f64::from(picture.height.max(1))
        }
        None => letters_ratio(&title.text),
    })
}

fn brought(app: &App, title: &Title, id: i64) -> Result<crate::model::pictures::BroughtPicture> {
    app.store.picture(id).map_err(|_| {
        WorkError::Conflict(format!(
            "The picture of the title \"{}\" is not there any more; choose another one for it at Depth, or take the title out.",
            title.name()
        ))
    })
}

/// Who shows a picture as a title: a viewpoint, or an order, which holds a copy of its titles.
pub fn shown_by(app: &App, picture: i64) -> Result<Option<String>> {
    let shows = |rig: &Rig| rig.titles.iter().any(|t| t.picture == Some(picture));
    for card in app.store.project_cards()? {
        for viewpoint in app.store.viewpoints(card.id)? {
            if shows(&viewpoint.rig) {
                return Ok(Some(format!(
                    "The viewpoint \"{}\" of \"{}\"",
                    viewpoint.name, card.name
                )));
            }
        }
        for order in app.store.orders(card.id)? {
            if order.spec.rig.as_ref().is_some_and(shows) {
                return Ok(Some(format!("Order {} of \"{}\"", order.id, card.name)));
            }
        }
    }
    Ok(None)
}

/// Where a title stands before a pair at a viewpoint; nothing where a flat pair's frame looks away from it.
fn stand(title: &Title, pose: &Pose, rig: &Rig, ratio: f64) -> Option<Stand> {
    let at = DVec3::from(pose.position);
    let towards = [title.heading_deg, title.pitch_deg];
    let height = title.whole_height_deg();
    match rig.kind {
        RigKind::Flat => {
            let turned = Pose {
                pitch_deg: rig.flat.pitch_deg,
                ..*pose
            };
            let axes = orientation(&turned).matrix();
            Stand::in_frame(at, axes, towards, height, title.distance_m, ratio)
        }
        _ => Some(Stand::facing(at, towards, height, title.distance_m, ratio)),
    }
}

/// Where the titles of a pair stand; one whose picture is gone (an undo may bring it back) stands nowhere.
pub fn stands(app: &App, pose: &Pose, rig: &Rig) -> Vec<Option<Stand>> {
    (rig.titles.iter())
        .map(|t| stand(t, pose, rig, ratio(app, t).ok()?))
        .collect()
}

/// Refuses titles whose picture is gone: what is handed over must not lack them.
pub fn all_there(app: &App, rig: &Rig) -> Result<()> {
    (rig.titles.iter()).try_for_each(|t| ratio(app, t).map(|_| ()))
}

/// Whether a title's picture is there, if it shows one.
pub fn is_there(app: &App, title: &Title) -> bool {
    ratio(app, title).is_ok()
}

/// Titles ready to be drawn over both eyes' pictures.
pub struct Drawing {
    titles: Vec<Drawn>,
    eyes: [Box<dyn Eye>; 2],
    size: (u32, u32),
}

impl Drawing {
    /// The titles of a rig for pictures of a size that are delivered with `tone`; `eye` makes each eye. Nothing without titles.
    pub fn new(
        app: &App,
        pose: &Pose,
        rig: &Rig,
        size: &PictureSize,
        tone: &Tone,
        eye: &dyn Fn(Side) -> Box<dyn Eye>,
    ) -> Result<Option<Self>> {
        if rig.titles.is_empty() {
            return Ok(None);
        }
        let across = match rig.kind {
            RigKind::Flat => rig.flat.hfov_deg,
            _ => 360.0,
        };
        let px_per_deg = f64::from(size.width()) / across;
        let mut titles = Vec::new();
        for (title, stand) in rig.titles.iter().zip(stands(app, pose, rig)) {
            let Some(stand) = stand else { continue };
            let card = match title.picture {
                Some(id) => picture_card(app, title, id, tone)?,
                // Finer than the picture, so that edges are its own.
                None => {
                    let line = (2.0 * title.height_deg * px_per_deg) as f32;
                    Card::letters(&title.text, title.dark, line, tone)
                }
            };
            titles.push(Drawn {
                card: Arc::new(card),
                stand,
            });
        }
        Ok(Some(Self {
            titles,
            eyes: Side::BOTH.map(eye),
            size: (size.width(), size.height()),
        }))
    }

    /// Draws them over rows of one eye's picture.
    pub fn over(&self, strip: &mut LayeredStrip, side: Side, layers: &[LayerSpec]) {
        let alpha = (layers.iter()).position(|l| l.name.is_empty() && l.channels == ["A"]);
        let eye = &*self.eyes[side as usize];
        draw(&self.titles, strip, eye, self.size, alpha);
    }
}

fn picture_card(app: &App, title: &Title, id: i64, tone: &Tone) -> Result<Card> {
    let picture = brought(app, title, id)?;
    let (width, height) = (picture.width, picture.height);
    if u64::from(width) * u64::from(height) > MOST_PIXELS {
        return Err(WorkError::Request(format!(
            "{} is {width} x {height} px; the picture of a title has at most 2048 x 2048 px. Make it smaller and bring it again.",
            picture.file
        )));
    }
    let path = path_of(app, &picture);
    let ending = path.extension().unwrap_or_default().to_string_lossy();
    if matches!(&*ending, "exr" | "hdr") {
        let read = linear_picture::read(&path)?;
        let shown = Tone::default().to_srgb8(&read.picture.samples);
        let rgba: Vec<u8> = (shown.chunks_exact(3))
            .flat_map(|p| [p[0], p[1], p[2], 255])
            .collect();
        return Ok(Card::picture(width, height, &rgba, tone));
    }
    let bytes = std::fs::read(&path).map_err(FileError::io("Reading", &path))?;
    let read = decode_texture(&bytes, &picture.file)?;
    Ok(Card::picture(read.width, read.height, &read.bytes(), tone))
}
