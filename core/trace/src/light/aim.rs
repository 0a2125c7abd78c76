//! Where lights shine to: cones of their directions, so that the tree of lights knows what gives nothing to a place (after Conty
//! Estevez and Kulla 2018, "Importance sampling of many lights with adaptive tree splitting", section 4.1).

use crate::lamp::{Lamp, LampKind};
use glam::Vec3;
use std::f32::consts::{FRAC_PI_2, PI};

/// A little more than the cone, so that rounding leaves no light out.
const SPARE: f32 = 1e-3;

/// Where some lights shine to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Aim {
    /// Everywhere, or nothing better is known.
    All,
    /// Surfaces that shine to both sides, with the cosine to their normals, which lie in a cone.
    Sides(Cone),
    /// Lamps that shine in cones round their axes, which lie in a cone; the largest of their half angles.
    Beams(Cone, Cut),
}

/// Directions about an axis.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Cone {
    axis: Vec3,
    /// Half angle, radians, with its cosine and sine.
    angle: f32,
    cos: f32,
    sin: f32,
}

/// A half angle beyond which a beam gives nothing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Cut {
    angle: f32,
    cos: f32,
}

impl Cone {
    fn new(axis: Vec3, angle: f32) -> Self {
        let (sin, cos) = angle.sin_cos();
        Self {
            axis,
            angle,
            cos,
            sin,
        }
    }

    /// The smallest cone round two.
    fn with(&self, other: &Self) -> Self {
        let (wide, narrow) = if self.angle >= other.angle {
            (self, other)
        } else {
            (other, self)
        };
        let between = wide.axis.angle_between(narrow.axis);
        if between + narrow.angle <= wide.angle {
            return *wide;
        }
        let angle = (wide.angle + between + narrow.angle) / 2.0;
        let turn = wide.axis.cross(narrow.axis);
        if angle >= PI || turn.length_squared() < 1e-12 {
            return Self::new(wide.axis, (between + narrow.angle).min(PI));
        }
        let by = angle - wide.angle;
        let turned = glam::Quat::from_axis_angle(turn.normalize(), by) * wide.axis;
        Self::new(turned.normalize(), angle + SPARE)
    }

    /// The cosine of the smallest angle between any direction of the cone and any within an angle `u` of a direction at cosine `cos`
    /// to the axis.
    fn best(&self, cos: f32, (sin_u, cos_u): (f32, f32)) -> f32 {
        let cos_both = self.cos * cos_u - self.sin * sin_u;
        let sin_both = self.sin * cos_u + self.cos * sin_u;
        // Together half a turn or more: any direction is within.
        if sin_both < 0.0 || cos >= cos_both {
            return 1.0;
        }
        let sin = (1.0 - cos * cos).max(0.0).sqrt();
        cos * cos_both + sin * sin_both
    }
}

impl Aim {
    /// A surface's that shines to both sides.
    pub(super) fn of_surface(normal: Vec3) -> Self {
        if normal == Vec3::ZERO {
            Self::All
        } else {
            Self::Sides(Cone::new(normal, 0.0))
        }
    }

    /// A lamp's.
    pub(super) fn of_lamp(lamp: &Lamp) -> Self {
        match lamp.kind {
            _ if lamp.beam.is_some() => Self::All,
            LampKind::Spot { outer_cos, .. } => {
                let angle = outer_cos.clamp(-1.0, 1.0).acos() + SPARE;
                let cos = angle.min(PI).cos();
                Self::Beams(Cone::new(lamp.direction, 0.0), Cut { angle, cos })
            }
            LampKind::Point | LampKind::Directional => Self::All,
        }
    }

    /// Both together.
    pub(super) fn with(&self, other: &Self) -> Self {
        match (self, other) {
            (Self::Sides(a), Self::Sides(b)) => {
                // Either side is as good as the other: the one that lies nearer.
                let b = if a.axis.dot(b.axis) < 0.0 {
                    Cone::new(-b.axis, b.angle)
                } else {
                    *b
                };
                let cone = a.with(&b);
                if cone.angle >= FRAC_PI_2 {
                    Self::All
                } else {
                    Self::Sides(cone)
                }
            }
            (Self::Beams(a, c), Self::Beams(b, d)) => {
                let cone = a.with(b);
                let cut = if c.angle >= d.angle { *c } else { *d };
                if cone.angle + cut.angle >= PI {
                    Self::All
                } else {
                    Self::Beams(cone, cut)
                }
            }
            _ => Self::All,
        }
    }

    /// The largest share of their strength that they may send towards a place in direction `towards` (unit), seen from which they
    /// fill half an angle of such a sine; 0 only if they can send nothing.
    #[inline]
    pub(super) fn share(&self, towards: Vec3, sin_u: f32) -> f32 {
        match self {
            Self::All => 1.0,
            // A little more than the exact bound, for the time of one root less.
            Self::Sides(cone) => (cone.axis.dot(towards).abs() + cone.sin + sin_u).min(1.0),
            Self::Beams(cone, cut) => {
                let seen = (sin_u, (1.0 - sin_u * sin_u).max(0.0).sqrt());
                if cone.best(cone.axis.dot(towards), seen) > cut.cos {
                    1.0
                } else {
                    0.0
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn random(seed: &mut u32) -> f32 {
        *seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (*seed >> 8) as f32 / 16_777_216.0
    }

    fn direction(seed: &mut u32) -> Vec3 {
        loop {
            let mut part = || random(seed) * 2.0 - 1.0;
            let v = Vec3::new(part(), part(), part());
            if (0.01..1.0).contains(&v.length_squared()) {
                return v.normalize();
            }
        }
    }

    fn spot(direction: Vec3, outer: f32) -> Lamp {
        Lamp {
            name: String::new(),
            kind: LampKind::Spot {
                inner_cos: 1.0,
                outer_cos: outer.cos(),
            },
            position: Vec3::ZERO,
            direction,
            intensity: [1.0; 3],
            range: None,
            beam: None,
        }
    }

    /// Of any lights together never less is promised than each gives, and alone they promise what they give.
    #[test]
    fn no_light_is_left_out() {
        let mut seed = 7;
        let point = 0.0;
        for round in 0..4000 {
            let middle = direction(&mut seed);
            let spread = random(&mut seed);
            let near = |seed: &mut u32| (middle + direction(seed) * spread).normalize_or(middle);
            let normals: Vec<Vec3> = (0..4).map(|_| near(&mut seed)).collect();
            let sides = (normals.iter().map(|n| Aim::of_surface(*n)))
                .reduce(|a, b| a.with(&b))
                .unwrap();
            let spots: Vec<Lamp> = (0..3)
                .map(|_| spot(near(&mut seed), 0.05 + random(&mut seed)))
                .collect();
            let beams = (spots.iter().map(Aim::of_lamp))
                .reduce(|a, b| a.with(&b))
                .unwrap();
            let towards = direction(&mut seed);
            for n in &normals {
                let gives = n.dot(towards).abs();
                assert!(sides.share(towards, point) >= gives - 1e-3, "round {round}");
                let alone = Aim::of_surface(*n).share(towards, point);
                assert!((alone - gives).abs() < 1e-3, "{alone} {gives}");
            }
            for s in &spots {
                if s.towards(towards) != Vec3::ZERO {
                    assert_eq!(beams.share(towards, point), 1.0, "round {round}");
                }
            }
            // Seen under an angle, any direction within it counts.
            let u = random(&mut seed) * 0.5;
            let aside = (towards + direction(&mut seed) * (u * 0.9).tan().min(0.5)).normalize();
            let u = u.max(towards.angle_between(aside) + 1e-3);
            for n in &normals {
                let gives = n.dot(aside).abs();
                assert!(
                    sides.share(towards, u.sin()) >= gives - 2e-3,
                    "round {round}"
                );
            }
        }
        // A beam that looks away gives nothing.
        let away = Aim::of_lamp(&spot(Vec3::X, 0.4));
        assert_eq!(away.share(Vec3::Y, point), 0.0);
    }
}
