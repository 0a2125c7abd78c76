//! Node animation of a glTF scene at one moment: where every node stands, and how far meshes are morphed.

use super::gltf_buffers::{floats, is_kind};
use super::report::Tally;
use crate::error::TraceError;
use glam::{Mat4, Quat, Vec3};
use gltf::accessor::{DataType, Dimensions};
use gltf::animation::{Interpolation, Property};
use std::collections::BTreeMap;

/// How a node is placed within its parent, and the weights of its morph targets if they are animated.
#[derive(Clone, Debug)]
pub(super) struct NodePose {
    pub(super) local: Mat4,
    pub(super) weights: Option<Vec<f32>>,
}

/// What is known of a scene's motion.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Motion {
    /// Number of clips.
    pub clips: usize,
    /// Length of the longest clip, seconds.
    pub length_s: f64,
}

/// All nodes at a time in seconds. Every clip plays; where two move the same property of a node, the
/// first one does. Before its first key and after its last a clip holds still.
pub(super) fn pose(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    time: f32,
    name: &str,
    tally: &mut Tally,
) -> Result<(Vec<NodePose>, Motion), TraceError> {
    let mut motion = Motion::default();
    let mut moved: BTreeMap<(usize, u8), Vec<f32>> = BTreeMap::new();
    for animation in document.animations() {
        motion.clips += 1;
        for channel in animation.channels() {
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
            motion.length_s = motion.length_s.max(f64::from(times[times.len() - 1]));
            let values = floats(&output, buffers);
            let keys = times.len()
                * if sampler.interpolation() == Interpolation::CubicSpline {
                    3
                } else {
                    1
                };
            let property = channel.target().property();
            let width = match property {
                Property::Translation | Property::Scale => 3,
                Property::Rotation => 4,
                Property::MorphTargetWeights => values.len() / keys.max(1),
            };
            if width == 0 || values.len() != keys * width {
                return Err(bad("has not one value for each of its times"));
            }
            let node = channel.target().node().index();
            let slot = match property {
                Property::Translation => 0,
                Property::Rotation => 1,
                Property::Scale => 2,
                Property::MorphTargetWeights => 3,
            };
            if moved.contains_key(&(node, slot)) {
                tally.add(
                    "animation of a node that another clip moves already",
                    "the first clip plays",
                );
                continue;
            }
            let value = at_time(
                &times,
                &values,
                width,
                sampler.interpolation(),
                time,
                property == Property::Rotation,
            );
            moved.insert((node, slot), value);
        }
    }
    let poses = document
        .nodes()
        .map(|node| {
            let of = |slot: u8| moved.get(&(node.index(), slot));
            let local = if (0..3).all(|slot| of(slot).is_none()) {
                Mat4::from_cols_array_2d(&node.transform().matrix())
            } else {
                let (t, r, s) = node.transform().decomposed();
                let three = |slot, usual: [f32; 3]| {
                    of(slot).map_or(Vec3::from(usual), |v| Vec3::from_slice(v))
                };
                let rotation = of(1).map_or(Quat::from_array(r), |v| Quat::from_slice(v));
                Mat4::from_scale_rotation_translation(
                    three(2, s),
                    rotation.normalize(),
                    three(0, t),
                )
            };
            NodePose {
                local,
                weights: of(3).cloned(),
            }
        })
        .collect();
    Ok((poses, motion))
}

/// The value at a time (glTF 2.0, appendix C).
fn at_time(
    times: &[f32],
    values: &[f32],
    width: usize,
    how: Interpolation,
    time: f32,
    rotation: bool,
) -> Vec<f32> {
    let cubic = how == Interpolation::CubicSpline;
    // Of a cubic key: 0 the tangent coming in, 1 the value, 2 the tangent going out.
    let key = |i: usize, part: usize| {
        let at = if cubic { 3 * i + part } else { i };
        &values[at * width..][..width]
    };
    let last = times.len() - 1;
    let after = times.partition_point(|&t| t <= time);
    if after == 0 {
        return key(0, 1).to_vec();
    }
    let i = after - 1;
    if i == last || how == Interpolation::Step {
        return key(i, 1).to_vec();
    }
    let length = times[i + 1] - times[i];
    let t = (time - times[i]) / length;
    match how {
        Interpolation::CubicSpline => {
            let (t2, t3) = (t * t, t * t * t);
            (0..width)
                .map(|c| {
                    (2.0 * t3 - 3.0 * t2 + 1.0) * key(i, 1)[c]
                        + length * (t3 - 2.0 * t2 + t) * key(i, 2)[c]
                        + (3.0 * t2 - 2.0 * t3) * key(i + 1, 1)[c]
                        + length * (t3 - t2) * key(i + 1, 0)[c]
                })
                .collect()
        }
        _ if rotation => {
            let (a, b) = (Quat::from_slice(key(i, 1)), Quat::from_slice(key(i + 1, 1)));
            // The short way round.
            let b = if a.dot(b) < 0.0 { -b } else { b };
            a.slerp(b, t).to_array().to_vec()
        }
        _ => (0..width)
            .map(|c| key(i, 1)[c] + (key(i + 1, 1)[c] - key(i, 1)[c]) * t)
            .collect(),
    }
}
