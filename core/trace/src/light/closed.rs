//! Which glowing objects are closed bodies: their insides are seen by nothing outside, so light is not looked for there.

use crate::scene::Scene;
use std::collections::HashMap;

/// The bits of an edge's two ends, the lower one first.
type Edge = ([u32; 3], [u32; 3]);

/// Triangles up to which an object's edges are looked at, all glowing objects together.
const MOST: usize = 1 << 20;

/// The glowing triangles of closed bodies whose faces look outwards, by object: every edge has two faces, which go along it in
/// opposite directions, and the volume is positive.
pub(super) fn closed_objects(scene: &Scene) -> Vec<bool> {
    let mut edges: Vec<HashMap<Edge, i32>> = Vec::new();
    let mut found: HashMap<u32, usize> = HashMap::new();
    let mut volumes: Vec<f64> = Vec::new();
    for t in scene.emitting().take(MOST) {
        let object = scene.object_of(t);
        let at = *found.entry(object).or_insert_with(|| {
            edges.push(HashMap::new());
            volumes.push(0.0);
            edges.len() - 1
        });
        let corners = scene.corners(t);
        // About a corner of its own: far from the origin volumes would have no digits left.
        let around = scene.objects()[object as usize].min.as_dvec3();
        let [a, b, c] = corners.map(|p| p.as_dvec3() - around);
        volumes[at] += a.dot(b.cross(c));
        let key = corners.map(|p| p.to_array().map(f32::to_bits));
        for (from, to) in [(0, 1), (1, 2), (2, 0)] {
            if key[from] != key[to] {
                let (low, high, way) = if key[from] < key[to] {
                    (key[from], key[to], 1)
                } else {
                    (key[to], key[from], -1)
                };
                *edges[at].entry((low, high)).or_default() += way;
            }
        }
    }
    let mut closed = vec![false; scene.objects().len()];
    for (object, at) in found {
        closed[object as usize] = volumes[at] > 0.0 && edges[at].values().all(|n| *n == 0);
    }
    closed
}
