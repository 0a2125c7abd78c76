//! What is inside of what, told by how often rays leave and enter closed shapes.

use super::walk;
use crate::scene::Scene;
use glam::Vec3;
use std::collections::BTreeMap;

/// Directions that are asked; none lies along an axis, where rays would graze walls and edges.
const DIRECTIONS: usize = 13;
/// Share of the directions that must agree: a shape may have a hole.
const AGREE: usize = 10;
/// Most shapes looked at as shells, the largest ones; rooms are large.
const MOST_SHELLS: usize = 256;
/// Most things looked for inside of one shape.
const MOST_INNER: usize = 64;

fn directions() -> impl Iterator<Item = Vec3> {
    super::directions(DIRECTIONS)
}

/// How often each object is left more often than it is entered on the way from `p`, and the last object met.
fn crossings(scene: &Scene, p: Vec3, direction: Vec3) -> (BTreeMap<u32, i32>, Option<u32>) {
    let mut counts = BTreeMap::new();
    let mut last = None;
    for hit in walk(scene, p, direction) {
        let [a, b, c] = scene.corners(hit.triangle);
        let leaves = (b - a).cross(c - a).dot(direction) > 0.0;
        let object = scene.object_of(hit.triangle);
        *counts.entry(object).or_default() += if leaves { 1 } else { -1 };
        last = Some(object);
    }
    (counts, last)
}

/// The solid that a point lies in: a closed shape with its surface turned outwards, unless it is a room,
/// that is a shape with other things in it or with nothing outside.
pub fn solid_around(scene: &Scene, p: Vec3) -> Option<u32> {
    // How many directions find the point inside each object, and how many end with it.
    let mut votes: BTreeMap<u32, (usize, usize)> = BTreeMap::new();
    for direction in directions() {
        let (counts, last) = crossings(scene, p, direction);
        for (object, count) in counts {
            if count > 0 {
                let vote = votes.entry(object).or_default();
                vote.0 += 1;
                vote.1 += usize::from(last == Some(object));
            }
        }
    }
    votes
        .into_iter()
        .filter(|(object, (inside, last))| {
            *inside >= AGREE && *last < *inside && !scene.is_shell(*object)
        })
        .max_by_key(|(_, (inside, _))| *inside)
        .map(|(object, _)| object)
}

/// For each object, whether it is closed round another one.
pub(crate) fn shells(scene: &Scene) -> Vec<bool> {
    let objects = scene.objects();
    let volume = |i: usize| {
        let size = objects[i].max - objects[i].min;
        size.x * size.y * size.z
    };
    let mut first: Vec<Option<u32>> = vec![None; objects.len()];
    for t in 0..scene.triangle_count() as u32 {
        first[scene.object_of(t) as usize].get_or_insert(t);
    }
    let mut large: Vec<usize> = (0..objects.len()).filter(|&i| first[i].is_some()).collect();
    large.sort_by(|&a, &b| volume(b).total_cmp(&volume(a)));
    let mut shells = vec![false; objects.len()];
    for &outer in large.iter().take(MOST_SHELLS) {
        let (low, high) = (objects[outer].min, objects[outer].max);
        let inner = large.iter().filter(|&&i| {
            i != outer && objects[i].min.cmpgt(low).all() && objects[i].max.cmplt(high).all()
        });
        shells[outer] = inner.take(MOST_INNER).any(|&i| {
            let Some(triangle) = first[i] else {
                return false;
            };
            let [a, b, c] = scene.corners(triangle);
            let p = (a + b + c) / 3.0;
            let inside = directions()
                .filter(|d| crossings(scene, p, *d).0.get(&(outer as u32)) > Some(&0))
                .count();
            inside >= AGREE
        });
    }
    shells
}
