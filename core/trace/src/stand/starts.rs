//! Where to stand first: the middle of every enclosed space, found by looking round from a grid of places.

use super::around::{free, free_around, headings, level, way_is_free};
use super::{STANDING_EYE_HEIGHT, directions, solid_around, walk};
use crate::accel::{Hit, TraceRay};
use crate::scene::Scene;
use glam::{DVec3, Vec3};
use rayon::prelude::*;
use std::collections::BTreeMap;

/// A place suggested to stand.
#[derive(Clone, Debug, PartialEq)]
pub struct Start {
    /// The eye, metres.
    pub position: DVec3,
    /// The object that is the floor.
    pub floor: u32,
    /// Height of the floor, metres.
    pub floor_y: f64,
    /// Free distance all round at the height of the eye, metres.
    pub free: f64,
    /// Share of the sphere that something of the scene covers, 0 to 1.
    pub enclosed: f64,
    /// Share of the headings in which something upright stands within 30 m at the height of the eye, 0 to 1.
    pub walled: f64,
    /// Ground that belongs to the space, square metres.
    pub area: f64,
    /// Heading of the widest view, degrees: the first look.
    pub heading_deg: f64,
    /// How good it is, for ranking only.
    pub value: f64,
}

/// Cells along the longer side of the grid.
const CELLS: usize = 72;
/// Finest cell, metres.
const FINEST: f32 = 0.2;
/// Side of the ground that is looked at closely when the scene is much larger, metres.
const CLOSE: f32 = 24.0;
/// An object as wide as this share of the scene, with its face up, is ground: nobody stands beneath it.
const GROUND: f32 = 0.5;
/// Thickest roof or floor, metres.
const SLAB: f32 = 1.5;
/// Free height that a person needs to stand, metres; with less one sits.
const STANDING_ROOM: f32 = 1.9;
/// Least free height of a place at all, metres.
const LEAST_ROOM: f32 = 1.3;
/// Least free distance of a place, metres.
const LEAST_FREE: f32 = 0.35;
/// Floors of neighbouring cells differ by no more than this, metres.
const STEP: f32 = 0.45;
/// Two middles are one space when the way between them is as free as this share of the narrower one.
const DOOR: f32 = 0.6;
/// Most suggestions.
const MOST: usize = 8;
/// Most of them in open country.
const OPEN: usize = 3;
/// A space is enclosed when walls stand in this share of all headings ...
const WALLED: f64 = 0.75;
/// ... no farther away than this, metres.
const WALL_REACH: f32 = 30.0;
/// Less ground than this is the top of something, square metres.
const LEAST_AREA: f64 = 0.6;

/// One place of the grid where one can stand.
struct Cell {
    x: i32,
    z: i32,
    eye: Vec3,
    floor: f32,
    object: u32,
    free: f32,
}

/// The suggestions, the best first: from a grid over the whole scene and, in a landscape, from a close one
/// over where most of its objects are.
pub fn suggest(scene: &Scene) -> Vec<Start> {
    let (low, high) = scene.bounds();
    let widest = (high.x - low.x).max(high.z - low.z);
    let mut starts = on_grid(scene, (low + high) / 2.0, widest);
    if widest > 2.0 * CLOSE {
        starts.extend(on_grid(scene, centre_of_interest(scene), CLOSE));
    }
    starts.sort_by(|a, b| b.value.total_cmp(&a.value));
    // Where there are rooms and yards, open country is no start.
    if starts.iter().any(|s| s.walled >= WALLED) {
        starts.retain(|s| s.walled >= WALLED && s.area >= LEAST_AREA);
    } else {
        starts.truncate(OPEN);
    }
    // Two spaces may lead to one middle.
    let mut kept: Vec<Start> = Vec::new();
    for s in starts {
        let near =
            |k: &Start| k.position.distance(s.position) < (0.6 * k.free.min(s.free)).max(0.8);
        if kept.len() < MOST && !kept.iter().any(near) {
            kept.push(s);
        }
    }
    kept
}

/// The middles found on a square grid of some width over the scene, metres.
fn on_grid(scene: &Scene, centre: Vec3, width: f32) -> Vec<Start> {
    let (low, high) = scene.bounds();
    let cell = (width / CELLS as f32).max(FINEST);
    let reach = width / 2.0;
    let span = |low: f32, high: f32, c: f32| {
        let (from, to) = (low.max(c - reach), high.min(c + reach));
        let n = ((to - from) / cell).ceil().max(1.0) as i32;
        (from + ((to - from) - n as f32 * cell) / 2.0, n)
    };
    let (x0, nx) = span(low.x, high.x, centre.x);
    let (z0, nz) = span(low.z, high.z, centre.z);
    let columns: Vec<(i32, i32)> = (0..nz).flat_map(|z| (0..nx).map(move |x| (x, z))).collect();
    let cells: Vec<Cell> = columns
        .par_iter()
        .flat_map_iter(|&(x, z)| {
            let px = x0 + (x as f32 + 0.5) * cell;
            let pz = z0 + (z as f32 + 0.5) * cell;
            standing_places(scene, px, pz, high.y + 1.0)
                .into_iter()
                .map(move |place| Cell { x, z, ..place })
        })
        .collect();
    // Only the most promising are worth the search for their very middle.
    let mut peaks = spaces(scene, &cells, cell);
    let promise = |&(peak, count): &(usize, usize)| {
        let c: &Cell = &cells[peak];
        let area = f64::from(cell * cell) * count as f64;
        let look = Look::round(scene, c.eye, 64);
        value(f64::from(c.free), look.covered, area, look.right)
    };
    peaks.sort_by_cached_key(|p| std::cmp::Reverse((promise(p) * 1e6) as i64));
    peaks.truncate(2 * MOST);
    peaks
        .into_par_iter()
        .filter_map(|(peak, count)| start(scene, &cells[peak], cell, count))
        .collect()
}

/// How good a place is: rooms before places under the open sky, larger ones before smaller ones; what is
/// seen from behind all round is the inside of something that was made to be seen from outside.
fn value(free: f64, enclosed: f64, area: f64, right: f64) -> f64 {
    let inside_out = if right < 0.6 { 0.1 } else { 1.0 };
    inside_out * enclosed.powi(4) * free.min(8.0) * area.clamp(0.5, 400.0).powf(0.25)
}

/// A look all round.
struct Look {
    /// Share of the sphere that something covers.
    covered: f64,
    /// Share of it that shows the same side as the floor does.
    right: f64,
}

impl Look {
    fn round(scene: &Scene, eye: Vec3, count: usize) -> Self {
        let front = |d: Vec3| {
            let hit = scene.hit(&TraceRay::new(eye, d))?;
            let [a, b, c] = scene.corners(hit.triangle);
            Some((b - a).cross(c - a).dot(d) < 0.0)
        };
        let floor = front(Vec3::NEG_Y);
        let seen: Vec<bool> = directions(count).filter_map(front).collect();
        let right = seen.iter().filter(|s| Some(**s) == floor).count();
        Self {
            covered: seen.len() as f64 / count as f64,
            right: right as f64 / seen.len().max(1) as f64,
        }
    }
}

/// Where most objects are: the median of their middles.
fn centre_of_interest(scene: &Scene) -> Vec3 {
    let middle = |axis: usize| {
        let mut all: Vec<f32> = scene
            .objects()
            .iter()
            .filter(|o| o.triangles > 0)
            .map(|o| (o.min[axis] + o.max[axis]) / 2.0)
            .collect();
        all.sort_by(f32::total_cmp);
        all.get(all.len() / 2).copied().unwrap_or(0.0)
    };
    Vec3::new(middle(0), 0.0, middle(2))
}

/// The places on an upright line where there is room to stand or sit.
fn standing_places(scene: &Scene, x: f32, z: f32, top: f32) -> Vec<Cell> {
    let (low, high) = scene.bounds();
    let wide = GROUND * (high - low);
    let mut above: Option<f32> = None;
    let mut buried = false;
    let mut places = Vec::new();
    let mut layers = walk(scene, Vec3::new(x, top, z), Vec3::NEG_Y).peekable();
    while let Some(hit) = layers.next() {
        let y = top - hit.distance;
        let [a, b, c] = scene.corners(hit.triangle);
        let up = (b - a).cross(c - a).normalize_or_zero().y;
        let object = scene.object_of(hit.triangle);
        let o = &scene.objects()[object as usize];
        let room = above.replace(y).map_or(f32::INFINITY, |a| a - y);
        // Everything beneath the ground is out of the question, whatever lies between.
        let under = buried;
        // A roof has an underside of its own; the ground has none.
        let slab = layers.peek().is_some_and(|next| {
            scene.object_of(next.triangle) == object && next.distance - hit.distance < SLAB
        });
        buried |= up > 0.0 && !slab && o.max.x - o.min.x > wide.x && o.max.z - o.min.z > wide.z;
        if under {
            break;
        }
        if room < LEAST_ROOM || up.abs() < 0.7 {
            continue;
        }
        let height = if room >= STANDING_ROOM {
            STANDING_EYE_HEIGHT as f32
        } else {
            room * 0.5
        };
        let eye = Vec3::new(x, y + height, z);
        let free = free_around(scene, eye, y, 16);
        if free >= LEAST_FREE && free.is_finite() {
            places.push(Cell {
                x: 0,
                z: 0,
                eye,
                floor: y,
                object,
                free,
            });
        }
    }
    places
}

/// The freest cell of every space, and how many cells the space has: water runs in from the peaks, and two
/// pools become one where the way between them is nearly as wide as the narrower of them.
fn spaces(scene: &Scene, cells: &[Cell], size: f32) -> Vec<(usize, usize)> {
    let mut at: BTreeMap<(i32, i32), Vec<usize>> = BTreeMap::new();
    for (i, c) in cells.iter().enumerate() {
        at.entry((c.x, c.z)).or_default().push(i);
    }
    let mut order: Vec<usize> = (0..cells.len()).collect();
    order.sort_by(|&a, &b| cells[b].free.total_cmp(&cells[a].free).then(a.cmp(&b)));
    let mut pool: Vec<Option<usize>> = vec![None; cells.len()];
    let mut parent: Vec<usize> = Vec::new();
    let mut peaks: Vec<usize> = Vec::new();
    fn root(parent: &mut [usize], mut i: usize) -> usize {
        while parent[i] != i {
            parent[i] = parent[parent[i]];
            i = parent[i];
        }
        i
    }
    for i in order {
        let c = &cells[i];
        for (dx, dz) in [
            (-1, 0),
            (1, 0),
            (0, -1),
            (0, 1),
            (-1, -1),
            (1, 1),
            (-1, 1),
            (1, -1),
        ] {
            for &j in at.get(&(c.x + dx, c.z + dz)).into_iter().flatten() {
                let Some(other) = pool[j] else { continue };
                if (cells[j].floor - c.floor).abs() > STEP
                    || !way_is_free(scene, c.eye, cells[j].eye)
                {
                    continue;
                }
                let other = root(&mut parent, other);
                match pool[i].map(|p| root(&mut parent, p)) {
                    None => pool[i] = Some(other),
                    Some(mine) if mine != other => {
                        let (a, b) = (cells[peaks[mine]].free, cells[peaks[other]].free);
                        // The grid tells a width to half a cell.
                        if c.free + size * 0.5 >= DOOR * a.min(b) {
                            let (keep, join) = if a >= b { (mine, other) } else { (other, mine) };
                            parent[join] = keep;
                            pool[i] = Some(keep);
                        }
                    }
                    Some(_) => {}
                }
            }
        }
        if pool[i].is_none() {
            pool[i] = Some(parent.len());
            parent.push(parent.len());
            peaks.push(i);
        }
    }
    let mut counts: BTreeMap<usize, usize> = BTreeMap::new();
    for p in pool.into_iter().flatten() {
        *counts.entry(root(&mut parent, p)).or_default() += 1;
    }
    counts.into_iter().map(|(p, n)| (peaks[p], n)).collect()
}

/// From the freest cell to the very middle: small steps that make it freer.
fn start(scene: &Scene, peak: &Cell, cell: f32, count: usize) -> Option<Start> {
    let measure = |eye: Vec3| free_around(scene, eye, peak.floor, 48);
    let mut eye = peak.eye;
    let mut free_here = measure(eye);
    let mut step = cell;
    while step > 0.01 {
        let best = headings(8)
            .map(|h| eye + level(h) * step)
            .filter(|p| {
                let down = free(scene, *p, Vec3::NEG_Y);
                (p.y - down - peak.floor).abs() < STEP && way_is_free(scene, eye, *p)
            })
            .map(|p| (measure(p), p))
            .max_by(|a, b| a.0.total_cmp(&b.0));
        match best {
            Some((free, p)) if free > free_here => (free_here, eye) = (free, p),
            _ => step *= 0.5,
        }
    }
    let on_furniture = super::clearance::ground(scene, eye.as_dvec3()).1.is_some();
    if on_furniture || solid_around(scene, eye).is_some() {
        return None;
    }
    let down = free(scene, eye, Vec3::NEG_Y);
    let floor_y = f64::from(eye.y - down);
    let position = DVec3::new(
        f64::from(eye.x),
        floor_y + f64::from(peak.eye.y - peak.floor),
        f64::from(eye.z),
    );
    let look = Look::round(scene, eye, 512);
    let area = f64::from(cell) * f64::from(cell) * count as f64;
    let look_at = |h: f32| scene.hit(&TraceRay::new(eye, level(h)));
    let (_, heading) = headings(36)
        .map(|h| (look_at(h).map_or(1e4, |hit| hit.distance), h))
        .max_by(|a, b| a.0.total_cmp(&b.0))?;
    // A hillside is no wall: only what stands upright counts.
    let upright = |hit: Hit| {
        let [a, b, c] = scene.corners(hit.triangle);
        hit.distance < WALL_REACH && (b - a).cross(c - a).normalize_or_zero().y.abs() < 0.5
    };
    let walls = headings(36)
        .filter(|h| look_at(*h).is_some_and(upright))
        .count();
    Some(Start {
        position,
        floor: peak.object,
        floor_y,
        free: f64::from(free_here),
        enclosed: look.covered,
        walled: walls as f64 / 36.0,
        area,
        value: value(f64::from(free_here), look.covered, area, look.right),
        heading_deg: f64::from(heading.to_degrees()),
    })
}
