//! Titles that lie behind what they cover: they are drawn over everything, and eyes that see them farther away than the thing
//! they hide cannot bring both together.

use dome_imaging::title::Stand;
use dome_trace::Scene;
use dome_trace::stand::sight;
use glam::DVec3;

/// Rays to a title, across and down.
const RAYS: (u32, u32) = (15, 7);
/// Nearer by less than this share is no nearer: a title may lie on a wall.
const SAME: f64 = 1e-3;

/// What a title covers although it is nearer.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Covered {
    /// The nearest such thing.
    pub object: u32,
    /// Its distance from the viewpoint, metres.
    pub distance: f64,
    /// How far away the title would have to be at most to lie in front of all of it, as a share of its distance.
    pub nearer: f64,
    /// Share of the title that lies behind something, 0 to 1.
    pub share: f64,
}

/// What a title covers although it is nearer to the viewpoint (metres).
pub fn covered(scene: &Scene, viewpoint: DVec3, stand: &Stand) -> Option<Covered> {
    let mut behind = 0u32;
    let mut nearest: Option<Covered> = None;
    for i in 0..RAYS.0 * RAYS.1 {
        let at = |i: u32, n: u32| (f64::from(i) + 0.5) / f64::from(n) * 2.0 - 1.0;
        let point = stand.point(at(i % RAYS.0, RAYS.0), at(i / RAYS.0, RAYS.1));
        let way = point - viewpoint;
        let Some(seen) = sight::look(scene, viewpoint, way.normalize_or_zero()) else {
            continue;
        };
        let nearer = seen.distance / way.length();
        if nearer >= 1.0 - SAME {
            continue;
        }
        behind += 1;
        if nearest.is_none_or(|n| nearer < n.nearer) {
            nearest = Some(Covered {
                object: seen.object,
                distance: seen.distance,
                nearer,
                share: 0.0,
            });
        }
    }
    nearest.map(|n| Covered {
        share: f64::from(behind) / f64::from(RAYS.0 * RAYS.1),
        ..n
    })
}
