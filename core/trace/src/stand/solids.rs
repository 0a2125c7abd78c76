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

/// How often each object is left more often than it is entered on the way from `p`, and whether something is
/// met after it was left for the first time.
fn crossings(scene: &Scene, p: Vec3, direction: Vec3) -> BTreeMap<u32, (i32, bool)> {
    let mut counts: BTreeMap<u32, (i32, bool)> = BTreeMap::new();
    let mut out: Vec<u32> = Vec::new();
    for hit in walk(scene, p, direction) {
        let [a, b, c] = scene.corners(hit.triangle);
        let leaves = (b - a).cross(c - a).dot(direction) > 0.0;
        let object = scene.object_of(hit.triangle);
        for left in &out {
            counts.entry(*left).or_default().1 = true;
        }
        let count = &mut counts.entry(object).or_default().0;
        *count += if leaves { 1 } else { -1 };
        if *count == 1 && !out.contains(&object) {
            out.push(object);
        }
    }
    counts
}

/// The solid that a point lies in: a closed shape with its surface turned outwards, unless it is a room,
/// that is a shape with other things in it or with nothing outside.
pub fn solid_around(scene: &Scene, p: Vec3) -> Option<u32> {
    // How many directions find the point inside each object, and whether any finds something outside of it.
    let mut votes: BTreeMap<u32, (usize, bool)> = BTreeMap::new();
    for direction in directions() {
        for (object, (count, beyond)) in crossings(scene, p, direction) {
            if count > 0 {
                let vote = votes.entry(object).or_default();
                vote.0 += 1;
                vote.1 |= beyond;
            }
        }
    }
    let bounds = scene.bounds();
    votes
        .into_iter()
        .filter(|(object, (inside, beyond))| {
            let o = &scene.objects()[*object as usize];
            let all = (o.min, o.max) == bounds;
            *inside >= AGREE && (*beyond || !all) && !is_shell(scene, *object)
        })
        .max_by_key(|(_, (inside, _))| *inside)
        .map(|(object, _)| object)
}

/// Whether an object is a closed shape with other objects in it, such as a room that is one box turned outwards: standing in
/// it is no mistake.
pub fn is_shell(scene: &Scene, object: u32) -> bool {
    let known = scene.shells(shells).get(object as usize).copied();
    known.unwrap_or(false)
}

/// For each object, whether it is closed round another one.
fn shells(scene: &Scene) -> Vec<bool> {
    let objects = scene.objects();
    let volume = |i: usize| {
        let size = objects[i].max - objects[i].min;
        size.x * size.y * size.z
    };
    let mut large: Vec<usize> = (0..objects.len())
        .filter(|&i| objects[i].triangles > 0)
        .collect();
    large.sort_by(|&a, &b| volume(b).total_cmp(&volume(a)));
    let mut shells = vec![false; objects.len()];
    for &outer in large.iter().take(MOST_SHELLS) {
        let (low, high) = (objects[outer].min, objects[outer].max);
        // Furniture stands on the very floor of its room.
        let inner = large.iter().filter(|&&i| {
            let o = &objects[i];
            i != outer
                && (o.min, o.max) != (low, high)
                && o.min.cmpge(low).all()
                && o.max.cmple(high).all()
        });
        shells[outer] = inner.take(MOST_INNER).any(|&i| {
            let p = (objects[i].min + objects[i].max) / 2.0;
            let inside = directions()
                .filter(|d| {
                    let found = crossings(scene, p, *d);
                    found.get(&(outer as u32)).is_some_and(|c| c.0 > 0)
                })
                .count();
            inside >= AGREE
        });
    }
    shells
}
