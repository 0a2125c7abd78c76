//! Lamps that shine as a laboratory measured: candela by direction (LM-63), for lamps without a body and for glowing objects.

use crate::accel::TraceRay;
use crate::departure::facing;
use crate::integrator::MAX_PASSED;
use crate::scene::Scene;
use dome_files::lm63::Distribution;
use dome_imaging::transfer::luminance;
use glam::{Mat3, Quat, Vec3};
use serde::{Deserialize, Serialize};
use std::f32::consts::{PI, TAU};
use std::sync::Arc;

/// How a light uses a measured distribution.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LightDistribution {
    /// The file among those that were brought.
    pub file: String,
    /// What the artist calls it.
    pub name: String,
    /// Where the plane of 0 degrees points, degrees clockwise from -Z.
    pub heading_deg: f32,
    /// How far it is tilted from hanging straight down towards that heading, degrees.
    pub tilt_deg: f32,
}

/// A measured table, ready to be looked up.
#[derive(Debug, PartialEq)]
pub struct IntensityTable {
    vertical: Vec<f32>,
    /// Planes as in the file, degrees.
    planes: Vec<f32>,
    candela: Vec<f32>,
    flux: f32,
    most: f32,
}

impl IntensityTable {
    /// The table of a file.
    pub fn new(file: &Distribution) -> Self {
        let mut table = Self {
            vertical: file.vertical_deg.clone(),
            planes: file.horizontal_deg.clone(),
            candela: file.candela.clone(),
            flux: 0.0,
            most: file.candela.iter().copied().fold(0.0, f32::max),
        };
        table.flux = table.integral();
        table
    }

    /// All its light, lumen.
    pub fn flux(&self) -> f32 {
        self.flux
    }

    /// Its strongest direction, candela.
    pub fn most(&self) -> f32 {
        self.most
    }

    /// Candela at an angle from straight down and in a plane round the vertical, degrees; straight between what was measured, and
    /// nothing beyond it.
    pub fn candela(&self, vertical: f32, horizontal: f32) -> f32 {
        let (v, share) = match between(&self.vertical, vertical) {
            Some(found) => found,
            None => return 0.0,
        };
        let step = self.vertical.len();
        let in_plane = |plane: usize| {
            let row = &self.candela[plane * step..][..step];
            let next = row.get(v + 1).copied().unwrap_or(row[v]);
            row[v] + (next - row[v]) * share
        };
        let last = self.planes[self.planes.len() - 1];
        let first = self.planes[0];
        let turn = horizontal.rem_euclid(360.0);
        // What was not measured is the mirror image of what was.
        let turn = match (first, last) {
            _ if self.planes.len() == 1 => return in_plane(0),
            (0.0, 90.0) => {
                let half = if turn > 180.0 { 360.0 - turn } else { turn };
                half.min(180.0 - half)
            }
            (0.0, 180.0) => turn.min(360.0 - turn),
            (90.0, _) => {
                if (90.0..=270.0).contains(&turn) {
                    turn
                } else {
                    (180.0 - turn).rem_euclid(360.0)
                }
            }
            _ => turn,
        };
        match between(&self.planes, turn) {
            Some((p, share)) => {
                let here = in_plane(p);
                let next = if p + 1 < self.planes.len() {
                    in_plane(p + 1)
                } else {
                    here
                };
                here + (next - here) * share
            }
            // Between the last plane and a whole turn, where the first stands again.
            None => {
                let share = (turn - last) / (360.0 - last);
                let here = in_plane(self.planes.len() - 1);
                here + (in_plane(0) - here) * share.clamp(0.0, 1.0)
            }
        }
    }

    /// The integral over all directions: in each zone between two measured angles of the same plane, candela change straight with
    /// the angle.
    fn integral(&self) -> f32 {
        const PLANES: usize = 720;
        let mut sum = 0.0_f64;
        for p in 0..PLANES {
            let plane = (p as f32 + 0.5) * 360.0 / PLANES as f32;
            for pair in self.vertical.windows(2) {
                let [a, b] = [pair[0], pair[1]].map(|v| f64::from(v).to_radians());
                let (ca, cb) = (
                    f64::from(self.candela(pair[0], plane)),
                    f64::from(self.candela(pair[1], plane)),
                );
                // The integral of (ca + (cb - ca) (t - a) / (b - a)) sin t.
                let slope = (cb - ca) / (b - a);
                sum += ca * a.cos() - cb * b.cos() + slope * (b.sin() - a.sin());
            }
        }
        (sum * std::f64::consts::TAU / PLANES as f64) as f32
    }
}

/// The last of rising values that is not above `x`, and how far towards the next `x` lies; nothing outside of them.
fn between(values: &[f32], x: f32) -> Option<(usize, f32)> {
    let next = values.partition_point(|v| *v <= x);
    if next == 0 {
        return None;
    }
    let at = next - 1;
    match values.get(next) {
        Some(to) => Some((at, (x - values[at]) / (to - values[at]))),
        None => (x <= values[at] + 1e-3).then_some((at, 0.0)),
    }
}

/// A table with its place in the world.
#[derive(Clone, Debug, PartialEq)]
pub struct Beam {
    table: Arc<IntensityTable>,
    /// From the world to the lamp's own axes: -Y straight down, -Z the plane of 0 degrees.
    to_lamp: Mat3,
}

impl Beam {
    /// A table turned as a light has it; `axis` is where "straight down" points for it.
    pub fn new(table: Arc<IntensityTable>, how: &LightDistribution, axis: Vec3) -> Self {
        let aimed = Quat::from_rotation_arc(Vec3::NEG_Y, axis.normalize_or(Vec3::NEG_Y));
        let turned = Quat::from_rotation_y(-how.heading_deg.to_radians())
            // Down moves towards -Z.
            * Quat::from_rotation_x(how.tilt_deg.to_radians());
        Self {
            table,
            to_lamp: Mat3::from_quat((aimed * turned).inverse()),
        }
    }

    /// Candela towards a direction away from the lamp (unit).
    pub fn candela(&self, away: Vec3) -> f32 {
        let d = self.to_lamp * away;
        let vertical = (-d.y).clamp(-1.0, 1.0).acos().to_degrees();
        // Counted against the clock as seen from above (as in CIE 121, from memory).
        let horizontal = (-d.x).atan2(-d.z).to_degrees();
        self.table.candela(vertical, horizontal)
    }

    /// The table.
    pub fn table(&self) -> &IntensityTable {
        &self.table
    }
}

/// Directions of the table of an object's own light, each way.
const ROWS: usize = 32;
const COLUMNS: usize = 64;
/// What an object seen edge on counts at least, of what it counts seen best: a flat lamp would glow without end there.
const EDGE: f32 = 0.02;
/// Most triangles of an object that are added up.
const LOOKS: usize = 4096;

/// A glowing object that shines as measured: its luminance changes with the direction so that it gives the table's candela.
#[derive(Debug)]
pub(crate) struct ObjectBeam {
    beam: Beam,
    /// Candela that the object would give by itself, by direction: luminance times the area that is seen, one over it.
    own: Vec<f32>,
    /// About the mean over all directions of candela by own candela, never 0.
    mean: f32,
}

impl ObjectBeam {
    /// `triangles` are the object's that glow.
    pub(crate) fn new(beam: Beam, scene: &Scene, triangles: &[u32]) -> Self {
        let step = triangles.len().div_ceil(LOOKS).max(1);
        let faces: Vec<Vec3> = triangles
            .iter()
            .step_by(step)
            .map(|&t| {
                let [a, b, c] = scene.corners(t);
                let glow = scene
                    .spot(t, 1.0 / 3.0, 1.0 / 3.0)
                    .emission(scene.material_of(t));
                (b - a).cross(c - a) * (0.5 * step as f32 * luminance(glow.to_array()))
            })
            .collect();
        let seen = SeenShare::new(scene, triangles);
        let mut own: Vec<f32> = (0..ROWS * COLUMNS)
            .map(|i| {
                let d = direction((i % COLUMNS) as f32, (i / COLUMNS) as f32);
                seen.towards(d) * faces.iter().map(|n| n.dot(d).abs()).sum::<f32>()
            })
            .collect();
        let most = own.iter().copied().fold(0.0, f32::max);
        for v in &mut own {
            *v = v.max(EDGE * most).max(1e-30).recip();
        }
        // From the flux: a narrow beam might fall between the directions of the table.
        let mean = beam.table().flux() / (4.0 * PI) * own.iter().sum::<f32>() / own.len() as f32;
        Self { beam, own, mean }
    }

    /// What the object's own luminance is multiplied with towards a direction, to be in candela by its file's unit.
    pub(crate) fn share(&self, away: Vec3) -> f32 {
        let candela = self.beam.candela(away);
        if candela == 0.0 {
            return 0.0;
        }
        let row = ((away.y + 1.0) * 0.5 * ROWS as f32).clamp(0.0, ROWS as f32 - 1e-3);
        let column = (away.z.atan2(away.x) / TAU + 0.5) * COLUMNS as f32;
        let (r, c) = (row as usize, column as usize);
        let (y, x) = (row - r as f32, column - c as f32);
        let at = |r: usize, c: usize| self.own[r.min(ROWS - 1) * COLUMNS + c % COLUMNS];
        let (a, b) = (
            at(r, c) * (1.0 - x) + at(r, c + 1) * x,
            at(r + 1, c) * (1.0 - x) + at(r + 1, c + 1) * x,
        );
        candela * (a * (1.0 - y) + b * y)
    }

    /// The table that it shines by.
    pub(crate) fn table(&self) -> &IntensityTable {
        self.beam.table()
    }

    /// Its mean over all directions.
    pub(crate) fn mean(&self) -> f32 {
        self.mean
    }
}

/// The direction of a place of the table; rows have even heights.
fn direction(column: f32, row: f32) -> Vec3 {
    let y = (row / ROWS as f32 * 2.0 - 1.0).clamp(-1.0, 1.0);
    let r = (1.0 - y * y).sqrt();
    let (sin, cos) = (column / COLUMNS as f32 * TAU - PI).sin_cos();
    Vec3::new(r * cos, y, r * sin)
}

/// How much of an object's glow is seen from outside, by direction, of all that lies along the lines of sight: half of a ball's,
/// all of a plate's, less where it stands before itself.
struct SeenShare {
    shares: Vec<f32>,
}

/// Directions of it, each way, and lines of sight for each, each way.
const SEEN: (usize, usize) = (8, 16);
const LINES: usize = 10;

impl SeenShare {
    fn new(scene: &Scene, triangles: &[u32]) -> Self {
        let corners = triangles.iter().flat_map(|t| scene.corners(*t));
        let (low, high) = corners.fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(l, h), p| {
            (l.min(p), h.max(p))
        });
        let object = triangles.first().map(|t| scene.object_of(*t));
        let (centre, radius) = ((low + high) / 2.0, (high - low).length() / 2.0 * 1.01);
        let share = |d: Vec3| {
            let (x, y) = d.any_orthonormal_pair();
            let (mut first, mut all) = (0.0, 0.0);
            for line in 0..LINES * LINES {
                let at = |i: usize| (i as f32 + 0.5) / LINES as f32 * 2.0 - 1.0;
                let aside = x * at(line % LINES) + y * at(line / LINES);
                let from = centre + (aside + d) * radius;
                let mut met = false;
                let mut ray = TraceRay::new(from, -d);
                for _ in 0..MAX_PASSED {
                    let Some(hit) = scene.hit(&ray) else { break };
                    let spot = scene.spot(hit.triangle, hit.u, hit.v);
                    let place = spot.departure();
                    if (from - place.position).dot(d) > 2.0 * radius {
                        break;
                    }
                    let [a, b, c] = scene.corners(hit.triangle);
                    let normal = (b - a).cross(c - a).normalize_or_zero();
                    // From the far side on: exact wherever the scene stands.
                    ray = place.ray(facing(normal, -d), -d);
                    if Some(scene.object_of(hit.triangle)) != object {
                        continue;
                    }
                    let glow = spot.emission(scene.material_of(hit.triangle));
                    let glow = luminance(glow.to_array());
                    if !met {
                        first += glow;
                        met = true;
                    }
                    all += glow;
                }
            }
            // A plate edge on meets no line: all of it is seen.
            if all > 0.0 { first / all } else { 1.0 }
        };
        let directions = (0..SEEN.0 * SEEN.1).map(|i| {
            let scale = (COLUMNS as f32 / SEEN.1 as f32, ROWS as f32 / SEEN.0 as f32);
            let (column, row) = ((i % SEEN.1) as f32 + 0.5, (i / SEEN.1) as f32 + 0.5);
            direction(column * scale.0, row * scale.1)
        });
        Self {
            shares: directions.map(share).collect(),
        }
    }

    fn towards(&self, d: Vec3) -> f32 {
        let row = (d.y + 1.0) * 0.5 * SEEN.0 as f32;
        let column = (d.z.atan2(d.x) / TAU + 0.5) * SEEN.1 as f32;
        let row = (row as usize).min(SEEN.0 - 1);
        self.shares[row * SEEN.1 + column as usize % SEEN.1]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table(
        vertical: &[f32],
        planes: &[f32],
        candela: impl Fn(f32, f32) -> f32,
    ) -> IntensityTable {
        IntensityTable::new(&Distribution {
            told: Vec::new(),
            vertical_deg: vertical.to_vec(),
            horizontal_deg: planes.to_vec(),
            candela: (planes.iter())
                .flat_map(|p| vertical.iter().map(|v| candela(*v, *p)))
                .collect(),
            lamp_lumen: None,
            input_watts: 0.0,
        })
    }

    fn degrees(step: usize, to: usize) -> Vec<f32> {
        (0..=to).step_by(step).map(|d| d as f32).collect()
    }

    /// A lamp of I candela all round gives 4 pi I lumen, one by the cosine downwards pi I (both by integration).
    #[test]
    fn flux_is_the_integral() {
        let even = table(&degrees(10, 180), &[0.0], |_, _| 100.0);
        assert!(
            (even.flux() / (400.0 * PI) - 1.0).abs() < 1e-4,
            "{}",
            even.flux()
        );
        let cosine = table(&degrees(1, 90), &[0.0], |v, _| 100.0 * v.to_radians().cos());
        assert!((cosine.flux() / (100.0 * PI) - 1.0).abs() < 1e-3);
        assert_eq!(
            cosine.candela(91.0, 0.0),
            0.0,
            "nothing above what was measured"
        );
    }

    #[test]
    fn planes_that_were_not_measured_are_mirrored() {
        let quarter = table(&[0.0, 90.0], &[0.0, 45.0, 90.0], |_, p| p);
        for (turn, want) in [
            (30.0, 30.0),
            (150.0, 30.0),
            (210.0, 30.0),
            (330.0, 30.0),
            (-90.0, 90.0),
        ] {
            assert!((quarter.candela(20.0, turn) - want).abs() < 1e-3, "{turn}");
        }
        let half = table(&[0.0, 90.0], &[0.0, 90.0, 180.0], |_, p| p);
        assert_eq!(
            (half.candela(9.0, 170.0), half.candela(9.0, 190.0)),
            (170.0, 170.0)
        );
        let aside = table(&[0.0, 90.0], &[90.0, 180.0, 270.0], |_, p| p);
        assert_eq!(
            (aside.candela(9.0, 100.0), aside.candela(9.0, 80.0)),
            (100.0, 100.0)
        );
        assert!((aside.candela(9.0, 280.0) - 260.0).abs() < 1e-3);
        let open = table(&[0.0, 90.0], &[0.0, 120.0, 240.0], |_, p| p);
        assert!((open.candela(9.0, 300.0) - 120.0).abs() < 1e-3);
    }

    #[test]
    fn a_lamp_is_turned_and_tilted() {
        let beam = Arc::new(table(&degrees(5, 180), &degrees(15, 345), |v, p| {
            if v < 12.0 {
                1000.0
            } else if (p - 0.0).abs() < 1.0 {
                10.0
            } else {
                0.0
            }
        }));
        let how = |heading_deg, tilt_deg| LightDistribution {
            file: String::new(),
            name: String::new(),
            heading_deg,
            tilt_deg,
        };
        let hung = Beam::new(beam.clone(), &how(0.0, 0.0), Vec3::NEG_Y);
        assert_eq!(hung.candela(Vec3::NEG_Y), 1000.0);
        assert_eq!(
            hung.candela(Vec3::NEG_Z),
            10.0,
            "its plane of 0 degrees points north"
        );
        assert_eq!(hung.candela(Vec3::X), 0.0);
        // Tilted by 90 degrees to the east it shines there.
        let east = Beam::new(beam.clone(), &how(90.0, 90.0), Vec3::NEG_Y);
        assert!(east.candela(Vec3::X) > 999.0 && east.candela(Vec3::NEG_Y) < 1.0);
        // A spot's own axis is its straight down.
        let aimed = Beam::new(beam, &how(0.0, 0.0), Vec3::new(0.0, 1.0, 1.0));
        assert!(aimed.candela(Vec3::new(0.0, 1.0, 1.0).normalize()) > 999.0);
    }
}
