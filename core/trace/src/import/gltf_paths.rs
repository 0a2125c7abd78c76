//! The ways of what moves during a scene's animation, for viewpoints that ride along.

use super::gltf_motion::{NodePose, pose};
use super::report::Tally;
use crate::error::TraceError;
use crate::scene::Mover;
use glam::Mat4;
use gltf::animation::Property;
use std::collections::BTreeSet;

/// Moments at which a way is looked at.
const MOMENTS: usize = 97;
/// Most things whose ways are told; cameras come first.
const MOST_MOVERS: usize = 64;
/// Largest scene whose ways are looked for, nodes.
const MOST_NODES: usize = 20_000;
/// What moves less than this stands still, scene units.
const STILL: f64 = 1e-6;

/// What moves, and how. `now` are the poses at the moment that the scene is read for.
pub(super) fn movers(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    scene: &gltf::Scene,
    now: &[NodePose],
    length_s: f64,
    name: &str,
) -> Result<Vec<Mover>, TraceError> {
    let targets: BTreeSet<usize> = document
        .animations()
        .flat_map(|a| a.channels().collect::<Vec<_>>())
        .filter(|c| c.target().property() != Property::MorphTargetWeights)
        .map(|c| c.target().node().index())
        .collect();
    if targets.is_empty() || now.len() > MOST_NODES || length_s <= 0.0 {
        return Ok(Vec::new());
    }
    let mut movers = Vec::new();
    for node in scene.nodes() {
        gather(&node, false, &targets, &mut movers);
    }
    movers.sort_by_key(|m| !m.camera);
    movers.truncate(MOST_MOVERS);
    for moment in 0..MOMENTS {
        let time = length_s * moment as f64 / (MOMENTS - 1) as f64;
        // What is odd about the animation was told when the scene itself was read.
        let (poses, _) = pose(document, buffers, time as f32, name, &mut Tally::default())?;
        let worlds = worlds(scene, &poses);
        for mover in &mut movers {
            mover.times.push(time);
            mover.points.push(place(&worlds, mover.node));
        }
    }
    let worlds = worlds(scene, now);
    for mover in &mut movers {
        mover.now = place(&worlds, mover.node);
    }
    movers.retain(|m| {
        m.points
            .iter()
            .any(|p| (0..3).any(|i| (p[i] - m.points[0][i]).abs() > STILL))
    });
    Ok(movers)
}

fn gather(node: &gltf::Node, carried: bool, targets: &BTreeSet<usize>, movers: &mut Vec<Mover>) {
    let moves = carried || targets.contains(&node.index());
    if moves {
        let camera = node.camera();
        let name = node
            .name()
            .or(camera.as_ref().and_then(gltf::Camera::name))
            .map_or_else(|| format!("node {}", node.index()), str::to_owned);
        movers.push(Mover {
            name,
            node: node.index() as u32,
            camera: camera.is_some(),
            times: Vec::new(),
            points: Vec::new(),
            now: [0.0; 3],
        });
    }
    for child in node.children() {
        gather(&child, moves, targets, movers);
    }
}

fn worlds(scene: &gltf::Scene, poses: &[NodePose]) -> Vec<Mat4> {
    fn stand(node: &gltf::Node, parent: Mat4, poses: &[NodePose], worlds: &mut [Mat4]) {
        let world = parent * poses[node.index()].local;
        worlds[node.index()] = world;
        for child in node.children() {
            stand(&child, world, poses, worlds);
        }
    }
    let mut worlds = vec![Mat4::IDENTITY; poses.len()];
    for node in scene.nodes() {
        stand(&node, Mat4::IDENTITY, poses, &mut worlds);
    }
    worlds
}

fn place(worlds: &[Mat4], node: u32) -> [f64; 3] {
    worlds[node as usize]
        .w_axis
        .truncate()
        .as_dvec3()
        .to_array()
}
