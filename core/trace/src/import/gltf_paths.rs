//! The ways of what moves during a scene's animation, for viewpoints that ride along.

use crate::scene::{Mover, Rig};
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

/// What moves, and how, in the file's frame.
pub(super) fn movers(
    document: &gltf::Document,
    scene: &gltf::Scene,
    rig: &Rig,
    length_s: f64,
) -> Vec<Mover> {
    let targets: BTreeSet<usize> = document
        .animations()
        .flat_map(|a| a.channels().collect::<Vec<_>>())
        .filter(|c| c.target().property() != Property::MorphTargetWeights)
        .map(|c| c.target().node().index())
        .collect();
    if targets.is_empty() || document.nodes().len() > MOST_NODES || length_s <= 0.0 {
        return Vec::new();
    }
    let mut movers = Vec::new();
    for node in scene.nodes() {
        gather(node, &targets, &mut movers);
    }
    movers.sort_by_key(|m| !m.camera);
    movers.truncate(MOST_MOVERS);
    for moment in 0..MOMENTS {
        let time = length_s * moment as f64 / (MOMENTS - 1) as f64;
        let poses = rig.poses(time);
        for mover in &mut movers {
            let Some(entry) = rig.entry(mover.node) else {
                continue;
            };
            mover.times.push(time);
            let place = rig.world(entry, &poses).w_axis.truncate();
            mover.points.push(place.to_array());
        }
    }
    movers.retain(|m| {
        m.points
            .iter()
            .any(|p| (0..3).any(|i| (p[i] - m.points[0][i]).abs() > STILL))
    });
    movers
}

fn gather(node: gltf::Node, targets: &BTreeSet<usize>, movers: &mut Vec<Mover>) {
    let mut open = vec![(node, false)];
    while let Some((node, carried)) = open.pop() {
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
                turned: dome_optics::Orientation::default(),
            });
        }
        let children: Vec<_> = node.children().collect();
        open.extend(children.into_iter().rev().map(|child| (child, moves)));
    }
}
