//! From loose pieces of a cut to outlines: what closes round a solid, and what is a mere line.

use super::{Area, Drawing};
use crate::scene::Scene;
use crate::stand::is_shell;
use glam::Vec2;
use rayon::prelude::*;
use std::collections::HashMap;

/// A piece of the cut, the solid to its left.
#[derive(Clone, Copy, Debug)]
pub(super) struct Segment {
    pub(super) object: u32,
    pub(super) ends: [Vec2; 2],
}

/// A chain of points, metres.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline {
    /// The points; of a closed chain the first is not repeated.
    pub points: Vec<Vec2>,
    /// Whether the last point leads back to the first.
    pub closed: bool,
}

impl Outline {
    /// Twice the area enclosed; positive if the solid is inside.
    fn turning(&self) -> f32 {
        if !self.closed {
            return 0.0;
        }
        // Relative to its own first point: far from the origin the products would drown the area.
        let origin = self.points[0];
        (0..self.points.len())
            .map(|i| {
                let (a, b) = (self.points[i], self.points[(i + 1) % self.points.len()]);
                (a - origin).perp_dot(b - origin)
            })
            .sum()
    }

    fn bounds(&self) -> (Vec2, Vec2) {
        let far = Vec2::INFINITY;
        (self.points.iter()).fold((far, -far), |(low, high), p| (low.min(*p), high.max(*p)))
    }

    /// Whether a point lies within (by crossings, Shimrat 1962).
    fn holds(&self, p: Vec2) -> bool {
        let n = self.points.len();
        (0..n).fold(false, |inside, i| {
            let (a, b) = (self.points[i], self.points[(i + 1) % n]);
            let crosses =
                (a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x;
            inside != crosses
        })
    }
}

/// The drawing of sorted segments.
pub(super) fn drawing(
    scene: &Scene,
    segments: &[Segment],
    area: Option<Area>,
    detail: f32,
) -> Drawing {
    let per_object: Vec<(u32, &[Segment])> = segments
        .chunk_by(|a, b| a.object == b.object)
        .map(|s| (s[0].object, s))
        .collect();
    let (low, high) = scene.bounds();
    let gap = GAP.max((high - low).max_element() * 2e-6);
    let parts: Vec<(Vec<Vec<Outline>>, Vec<Outline>)> = per_object
        .into_par_iter()
        .map(|(object, segments)| {
            let outlines = joined(chains(segments), gap);
            sort_out(outlines, is_shell(scene, object))
        })
        .collect();
    let (mut solids, mut lines, mut open) = (Vec::new(), Vec::new(), Vec::new());
    for (more, rest) in parts {
        solids.extend(more);
        for line in rest {
            if line.closed { &mut lines } else { &mut open }.push(line);
        }
    }
    // A wall may be made of objects of its own for inside, outside and reveals.
    let (more, rest) = sort_out(joined(open, gap), false);
    solids.extend(more);
    lines.extend(rest);
    let thin = |outline: Outline| thinned(outline, area, detail);
    Drawing {
        solids: solids
            .into_iter()
            .map(|group| group.into_iter().filter_map(thin).collect::<Vec<_>>())
            .filter(|group| !group.is_empty())
            .collect(),
        lines: lines.into_iter().filter_map(thin).collect(),
    }
}

/// Ends nearer to each other than this belong together, metres: where a turned shape closes, its first and
/// last corner differ by rounding.
const GAP: f32 = 2e-4;

/// Joins open chains whose ends lie nearly on each other. A piece that is turned the wrong way round, as
/// happens in models that are shown from both sides, is turned over; the longer part has its way.
fn joined(outlines: Vec<Outline>, gap: f32) -> Vec<Outline> {
    let (mut done, open): (Vec<_>, Vec<_>) = outlines.into_iter().partition(|o| o.closed);
    if open.is_empty() {
        return done;
    }
    let cell = |p: Vec2| ((p.x / gap).floor() as i64, (p.y / gap).floor() as i64);
    let mut tips: HashMap<(i64, i64), Vec<usize>> = HashMap::with_capacity(2 * open.len());
    for (i, o) in open.iter().enumerate() {
        tips.entry(cell(o.points[0])).or_default().push(i);
        tips.entry(cell(o.points[o.points.len() - 1]))
            .or_default()
            .push(i);
    }
    let mut open: Vec<Option<Outline>> = open.into_iter().map(Some).collect();
    for first in 0..open.len() {
        let Some(mut chain) = open[first].take() else {
            continue;
        };
        let (mut right, mut wrong) = (length(&chain.points), 0.0);
        // Forwards from its end, then once more from its beginning.
        let mut turned = false;
        loop {
            let end = chain.points[chain.points.len() - 1];
            if chain.points.len() > 2 && end.distance(chain.points[0]) < gap {
                chain.points.pop();
                chain.closed = true;
                break;
            }
            let (x, y) = cell(end);
            let near = (-1..=1)
                .flat_map(|dx| (-1..=1).map(move |dy| (x + dx, y + dy)))
                .filter_map(|c| tips.get(&c))
                .flatten()
                .find_map(|&i| {
                    let points = &open[i].as_ref()?.points;
                    let starts = points[0].distance(end) < gap;
                    let ends = points[points.len() - 1].distance(end) < gap;
                    (starts || ends).then_some((i, starts))
                });
            let next = near.and_then(|(i, starts)| Some((open[i].take()?, starts)));
            let Some((mut next, starts)) = next else {
                if turned {
                    break;
                }
                chain.points.reverse();
                turned = true;
                continue;
            };
            if starts == turned {
                wrong += length(&next.points);
            } else {
                right += length(&next.points);
            }
            if !starts {
                next.points.reverse();
            }
            chain.points.extend_from_slice(&next.points[1..]);
        }
        if turned != (wrong > right) {
            chain.points.reverse();
        }
        done.push(chain);
    }
    done
}

fn length(points: &[Vec2]) -> f32 {
    points.windows(2).map(|w| w[0].distance(w[1])).sum()
}

/// Joins the segments of one object end to start.
fn chains(segments: &[Segment]) -> Vec<Outline> {
    // Equal places have equal bits; only the two zeros must be made one.
    let key = |p: Vec2| (p + 0.0).to_array().map(f32::to_bits);
    let mut from: HashMap<[u32; 2], Vec<u32>> = HashMap::with_capacity(segments.len());
    let mut entered: HashMap<[u32; 2], u32> = HashMap::with_capacity(segments.len());
    for (i, s) in segments.iter().enumerate().rev() {
        from.entry(key(s.ends[0])).or_default().push(i as u32);
        *entered.entry(key(s.ends[1])).or_default() += 1;
    }
    let mut used = vec![false; segments.len()];
    let mut outlines = Vec::new();
    // Open chains first, from their own beginnings; what is left then runs in circles.
    let starts = |open: bool| {
        let entered = &entered;
        (0..segments.len())
            .filter(move |&i| !open || !entered.contains_key(&key(segments[i].ends[0])))
    };
    for first in starts(true).chain(starts(false)) {
        if used[first] {
            continue;
        }
        used[first] = true;
        let mut points = segments[first].ends.to_vec();
        let start = key(points[0]);
        let mut end = key(points[1]);
        while end != start {
            let next = from.get_mut(&end).and_then(|all| {
                loop {
                    let i = all.pop()?;
                    if !used[i as usize] {
                        return Some(i as usize);
                    }
                }
            });
            let Some(next) = next else { break };
            used[next] = true;
            points.push(segments[next].ends[1]);
            end = key(segments[next].ends[1]);
        }
        let closed = end == start && points.len() > 3;
        if closed {
            points.pop();
        }
        outlines.push(Outline { points, closed });
    }
    outlines
}

/// Tells the outlines of solids, each with its holes, from mere lines.
///
/// A solid is closed with the surface turned outwards. An outline with another solid of the same object
/// within its own solid part is a room modelled as a box, and so is the outline of a `shell`.
fn sort_out(outlines: Vec<Outline>, shell: bool) -> (Vec<Vec<Outline>>, Vec<Outline>) {
    let mut outer = Vec::new();
    let mut holes = Vec::new();
    let mut lines = Vec::new();
    for outline in outlines {
        let turning = outline.turning();
        if turning > 0.0 && !shell {
            outer.push((outline.bounds(), turning, outline));
        } else if turning < 0.0 && !shell {
            holes.push((outline.bounds(), outline));
        } else {
            lines.push(outline);
        }
    }
    // Small ones first: a hole or an inner solid belongs to the smallest that holds it.
    outer.sort_by(|a, b| a.1.total_cmp(&b.1));
    let holder = |from: usize, (low, high): (Vec2, Vec2), inner: &Outline| {
        (from..outer.len()).find(|&i| {
            let ((l, h), _, outline) = &outer[i];
            l.cmple(low).all() && h.cmpge(high).all() && outline.holds(inner.points[0])
        })
    };
    let mut groups: Vec<Vec<Outline>> = outer.iter().map(|_| Vec::new()).collect();
    for (bounds, hole) in holes {
        match holder(0, bounds, &hole) {
            Some(i) => groups[i].push(hole),
            None => lines.push(hole),
        }
    }
    // A solid inside another one's solid part makes a room of that.
    let mut room = vec![false; outer.len()];
    for (i, (bounds, _, outline)) in outer.iter().enumerate() {
        if let Some(h) = holder(i + 1, *bounds, outline)
            && !groups[h].iter().any(|hole| hole.holds(outline.points[0]))
        {
            room[h] = true;
        }
    }
    let mut solids = Vec::new();
    for (((_, _, outline), mut group), room) in outer.into_iter().zip(groups).zip(room) {
        group.insert(0, outline);
        if room {
            lines.extend(group);
        } else {
            solids.push(group);
        }
    }
    (solids, lines)
}

/// The outline with what the drawing needs: nothing if it lies outside or is a speck.
fn thinned(outline: Outline, area: Option<Area>, detail: f32) -> Option<Outline> {
    let (low, high) = outline.bounds();
    if (high - low).max_element() < detail {
        return None;
    }
    let mut points = outline.points;
    if let Some(area) = area {
        if high.cmplt(area.low).any() || low.cmpgt(area.high).any() {
            return None;
        }
        points = outside_cut_short(points, outline.closed, area);
    }
    if detail > 0.0 {
        points = simplified(&points, outline.closed, detail);
    }
    (points.len() > 1).then_some(Outline {
        points,
        closed: outline.closed,
    })
}

/// Leaves out points between two others when all three lie beyond the same edge of the area: what is seen
/// and what is filled stays the same.
fn outside_cut_short(points: Vec<Vec2>, closed: bool, area: Area) -> Vec<Vec2> {
    let zone = |p: Vec2| {
        u8::from(p.x < area.low.x)
            | u8::from(p.x > area.high.x) << 1
            | u8::from(p.y < area.low.y) << 2
            | u8::from(p.y > area.high.y) << 3
    };
    let mut kept: Vec<Vec2> = Vec::with_capacity(points.len());
    for (i, &p) in points.iter().enumerate() {
        let next = match points.get(i + 1) {
            Some(n) => Some(*n),
            None => closed.then(|| points[0]),
        };
        if let (Some(&before), Some(next)) = (kept.last(), next)
            && zone(before) & zone(p) & zone(next) != 0
        {
            continue;
        }
        kept.push(p);
    }
    kept
}

/// Fewer points, nowhere farther than `detail` from the given ones (Ramer 1972; Douglas and Peucker 1973).
fn simplified(points: &[Vec2], closed: bool, detail: f32) -> Vec<Vec2> {
    let n = points.len();
    if n < 3 {
        return points.to_vec();
    }
    let at = |i: usize| points[i % n];
    let mut keep = vec![false; n + 1];
    let mut spans = Vec::new();
    if closed {
        // A closed chain is two halves between its first point and the one farthest from it.
        let far = (1..n)
            .max_by(|&a, &b| {
                let d = |i: usize| points[i].distance_squared(points[0]);
                d(a).total_cmp(&d(b))
            })
            .unwrap_or(n / 2);
        (keep[0], keep[far]) = (true, true);
        spans.extend([(0, far), (far, n)]);
    } else {
        (keep[0], keep[n - 1]) = (true, true);
        spans.push((0, n - 1));
    }
    while let Some((a, b)) = spans.pop() {
        let (start, end) = (at(a), at(b));
        let along = end - start;
        let length = along.length_squared();
        let away = |p: Vec2| {
            let t = if length > 0.0 {
                ((p - start).dot(along) / length).clamp(0.0, 1.0)
            } else {
                0.0
            };
            p.distance_squared(start + along * t)
        };
        let worst = (a + 1..b)
            .map(|i| (i, away(at(i))))
            .max_by(|x, y| x.1.total_cmp(&y.1));
        if let Some((i, d)) = worst
            && d > detail * detail
        {
            keep[i] = true;
            spans.extend([(a, i), (i, b)]);
        }
    }
    points
        .iter()
        .zip(&keep)
        .filter(|(_, k)| **k)
        .map(|(p, _)| *p)
        .collect()
}
