//! Nodes of a glTF scene with their animation, as a rig.

use super::gltf_buffers::{floats, is_kind};
use super::report::Tally;
use crate::error::TraceError;
use crate::scene::{Between, Motion, Property, Rest, Rig, Skin, Track};
use glam::{DMat4, DQuat, DVec3, Mat4};
use gltf::accessor::{DataType, Dimensions};
use gltf::animation::{Interpolation, Property as Target};
use serde_json::Value;
use std::collections::HashSet;

/// The nodes with their tracks. Every clip plays; where two move the same property of a node, the first one does.
pub(super) fn rig(
    document: &gltf::Document,
    json: &Value,
    buffers: &[Vec<u8>],
    name: &str,
    tally: &mut Tally,
) -> Result<(Rig, Motion), TraceError> {
    let mut motion = Motion::default();
    let mut tracks = Vec::new();
    let mut moved: HashSet<(u32, Property)> = HashSet::new();
    for animation in document.animations() {
        motion.clips += 1;
        for channel in animation.channels() {
            let track = track(&animation, &channel, buffers, name)?;
            let end = track.times.last().copied().unwrap_or(0.0);
            motion.length_s = motion.length_s.max(f64::from(end));
            if track.values.iter().any(|v| !v.is_finite()) {
                tally.add(
                    "animation whose keys are no numbers",
                    "what it moves stays where it is at rest",
                );
                continue;
            }
            if moved.insert((track.node, track.property)) {
                tracks.push(track);
            } else {
                tally.add(
                    "animation of a node that another clip moves already",
                    "the first clip plays",
                );
            }
        }
    }
    let rest = (document.nodes())
        .map(|node| rest(&node, &json["nodes"][node.index()]))
        .collect();
    let skins = document.skins().map(|s| skin(&s, buffers)).collect();
    Ok((Rig::new(rest, tracks, skins), motion))
}

fn track(
    animation: &gltf::Animation,
    channel: &gltf::animation::Channel,
    buffers: &[Vec<u8>],
    name: &str,
) -> Result<Track, TraceError> {
    let sampler = channel.sampler();
    let bad = |what: &str| {
        TraceError::damaged(
            name,
            format!(
                "channel {} of its animation {} {what}",
                channel.index(),
                animation.index()
            ),
        )
    };
    let (input, output) = (sampler.input(), sampler.output());
    if !is_kind(&input, &[Dimensions::Scalar], &[DataType::F32]) {
        return Err(bad("has times that are not plain numbers"));
    }
    let times = floats(&input, buffers);
    if times.iter().any(|t| !t.is_finite()) || times.windows(2).any(|w| w[0] >= w[1]) {
        return Err(bad("has times that do not grow"));
    }
    let between = match sampler.interpolation() {
        Interpolation::Step => Between::Step,
        Interpolation::Linear => Between::Straight,
        Interpolation::CubicSpline => Between::Cubic,
    };
    let values = floats(&output, buffers);
    let keys = times.len() * if between == Between::Cubic { 3 } else { 1 };
    let (property, width) = match channel.target().property() {
        Target::Translation => (Property::Translation, 3),
        Target::Scale => (Property::Scale, 3),
        Target::Rotation => (Property::Rotation, 4),
        Target::MorphTargetWeights => (Property::Weights, values.len() / keys.max(1)),
    };
    if width == 0 || values.len() != keys * width {
        return Err(bad("has not one value for each of its times"));
    }
    Ok(Track {
        node: channel.target().node().index() as u32,
        property,
        between,
        times,
        values,
        width,
    })
}

/// How a node stands within its parent, in the double precision of the file's text: places far from the origin keep
/// their fractions.
fn rest(node: &gltf::Node, json: &Value) -> Rest {
    let numbers = |key: &str, count: usize| -> Option<Vec<f64>> {
        let list = json[key].as_array().filter(|a| a.len() == count)?;
        list.iter()
            .map(|v| v.as_f64().filter(|v| v.is_finite()))
            .collect()
    };
    if let Some(m) = numbers("matrix", 16) {
        return Rest::Matrix(DMat4::from_cols_slice(&m));
    }
    let (t, r, s) = node.transform().decomposed();
    let three = |key: &str, usual: [f32; 3]| {
        numbers(key, 3).map_or(DVec3::from(usual.map(f64::from)), |v| DVec3::from_slice(&v))
    };
    let rotation = DQuat::from_array(r.map(f64::from));
    Rest::Parts {
        translation: three("translation", t),
        rotation: if rotation.length_squared() > 0.0 {
            rotation.normalize()
        } else {
            DQuat::IDENTITY
        },
        scale: three("scale", s),
    }
}

fn skin(skin: &gltf::Skin, buffers: &[Vec<u8>]) -> Skin {
    let matrices = skin
        .inverse_bind_matrices()
        .filter(|a| is_kind(a, &[Dimensions::Mat4], &[DataType::F32]));
    Skin {
        joints: skin.joints().map(|j| j.index() as u32).collect(),
        inverse: matrices
            .map(|a| {
                let values = floats(&a, buffers);
                values
                    .as_chunks::<16>()
                    .0
                    .iter()
                    .map(Mat4::from_cols_array)
                    .collect()
            })
            .unwrap_or_default(),
    }
}
