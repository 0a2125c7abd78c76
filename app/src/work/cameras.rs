//! Cameras that came with a scene, as frames for a flat pair.

use super::told::depth::{CameraFrame, FramedCamera};
use super::{App, Result};
use crate::model::places::Pose;
use dome_optics::rig::Frame;
use dome_trace::scene::SceneCamera;

/// What a camera is taken for that does not tell its ratio.
const USUAL_RATIO: f64 = 16.0 / 9.0;

/// A camera as a viewpoint with a frame. A lens that no frame has is left out.
pub fn framed(camera: &SceneCamera) -> FramedCamera {
    let frame = camera.lens.map(|lens| {
        let frame = Frame::of_vfov(lens.vfov, lens.ratio.unwrap_or(USUAL_RATIO));
        CameraFrame {
            hfov_deg: frame.hfov.to_degrees(),
            ratio: frame.ratio,
            ratio_told: lens.ratio.is_some(),
            pitch_deg: camera.orientation.pitch_deg,
        }
    });
    let usable =
        |f: &CameraFrame| (1.0..=170.0).contains(&f.hfov_deg) && (0.1..=10.0).contains(&f.ratio);
    FramedCamera {
        name: camera.name.clone(),
        node: camera.node,
        pose: Pose {
            position: camera.position,
            heading_deg: camera.orientation.heading_deg,
            // The frame looks up, the eyes stay level.
            pitch_deg: 0.0,
            roll_deg: camera.orientation.roll_deg,
        },
        frame: frame.filter(usable),
    }
}

/// The cameras of a project's scene as they stand at its moment.
pub fn of_project(app: &App, project: i64) -> Result<Vec<FramedCamera>> {
    let scene = app.scenes.get(app, project)?;
    Ok(scene.cameras().iter().map(framed).collect())
}
