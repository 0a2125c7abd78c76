//! Simple solids as triangle meshes with normals and texture coordinates in metres.

use glam::{Mat3, Mat4, Vec2, Vec3};
use std::f32::consts::{PI, TAU};

/// A triangle mesh.
#[derive(Clone, Debug, Default)]
pub struct Mesh {
    /// Corner positions, metres.
    pub positions: Vec<Vec3>,
    /// Corner normals.
    pub normals: Vec<Vec3>,
    /// Texture coordinates; solids use metres, so that a texture keeps its scale.
    pub uvs: Vec<Vec2>,
    /// Corners of the triangles, counter-clockwise from outside.
    pub indices: Vec<u32>,
}

/// A point at a heading (degrees clockwise from -Z), a distance from the axis and a height.
pub fn polar(heading_deg: f32, radius: f32, y: f32) -> Vec3 {
    let (sin, cos) = heading_deg.to_radians().sin_cos();
    Vec3::new(radius * sin, y, -radius * cos)
}

/// A turn that takes -Z to a heading.
pub fn facing(heading_deg: f32) -> Mat4 {
    Mat4::from_rotation_y(-heading_deg.to_radians())
}

/// A place at a heading whose own -Z looks outwards along it.
pub fn at_heading(heading_deg: f32, radius: f32, y: f32) -> Mat4 {
    Mat4::from_translation(polar(heading_deg, radius, y)) * facing(heading_deg)
}

impl Mesh {
    fn vertex(&mut self, p: Vec3, n: Vec3, uv: Vec2) -> u32 {
        self.positions.push(p);
        self.normals.push(n);
        self.uvs.push(uv);
        self.positions.len() as u32 - 1
    }

    /// A flat quad, corners counter-clockwise from its front; texture coordinates by side lengths.
    pub fn quad(&mut self, c: [Vec3; 4]) {
        let n = (c[1] - c[0]).cross(c[3] - c[0]).normalize_or_zero();
        let (w, h) = ((c[1] - c[0]).length(), (c[3] - c[0]).length());
        let uv = [
            Vec2::new(0.0, h),
            Vec2::new(w, h),
            Vec2::new(w, 0.0),
            Vec2::ZERO,
        ];
        let i: [u32; 4] = std::array::from_fn(|k| self.vertex(c[k], n, uv[k]));
        self.indices.extend([i[0], i[1], i[2], i[0], i[2], i[3]]);
    }

    /// The mesh moved, turned or scaled.
    pub fn transformed(mut self, m: Mat4) -> Self {
        let normal = Mat3::from_mat4(m).inverse().transpose();
        for p in &mut self.positions {
            *p = m.transform_point3(*p);
        }
        for n in &mut self.normals {
            *n = (normal * *n).normalize_or_zero();
        }
        if m.determinant() < 0.0 {
            for t in self.indices.chunks_exact_mut(3) {
                t.swap(1, 2);
            }
        }
        self
    }

    /// The mesh moved by an offset.
    pub fn at(self, x: f32, y: f32, z: f32) -> Self {
        self.transformed(Mat4::from_translation(Vec3::new(x, y, z)))
    }

    /// The mesh with its texture coordinates scaled.
    pub fn uv_scaled(mut self, u: f32, v: f32) -> Self {
        for uv in &mut self.uvs {
            *uv *= Vec2::new(u, v);
        }
        self
    }

    /// Adds another mesh.
    pub fn join(&mut self, other: Self) {
        let base = self.positions.len() as u32;
        self.positions.extend(other.positions);
        self.normals.extend(other.normals);
        self.uvs.extend(other.uvs);
        self.indices.extend(other.indices.iter().map(|i| i + base));
    }

    /// Several meshes as one.
    pub fn joined(parts: impl IntoIterator<Item = Self>) -> Self {
        let mut all = Self::default();
        for p in parts {
            all.join(p);
        }
        all
    }
}

/// A box with its middle at the origin; texture coordinates run along the longer side of each face.
pub fn block(w: f32, h: f32, d: f32) -> Mesh {
    let mut m = Mesh::default();
    let half = Vec3::new(w, h, d) / 2.0;
    let faces = [
        (Vec3::X, Vec3::NEG_Z, Vec3::Y),
        (Vec3::NEG_X, Vec3::Z, Vec3::Y),
        (Vec3::Y, Vec3::X, Vec3::NEG_Z),
        (Vec3::NEG_Y, Vec3::X, Vec3::Z),
        (Vec3::Z, Vec3::X, Vec3::Y),
        (Vec3::NEG_Z, Vec3::NEG_X, Vec3::Y),
    ];
    for (n, u, v) in faces {
        let (c, a, b) = (n * half, u * half, v * half);
        // The grain (u) goes along the longer side.
        let corners = if a.length() >= b.length() {
            [c - a - b, c + a - b, c + a + b, c - a + b]
        } else {
            [c + a - b, c + a + b, c - a + b, c - a - b]
        };
        m.quad(corners);
    }
    m
}

/// A solid of revolution about Y from a profile of (radius, height), bottom to top or along any path whose
/// left side is outside; `sharp` profiles get a crease at every point.
pub fn lathe(profile: &[(f32, f32)], segments: u32, sharp: bool) -> Mesh {
    lathe_part(profile, segments, sharp, 0.0, 360.0)
}

/// A part of a solid of revolution between two headings.
pub fn lathe_part(
    profile: &[(f32, f32)],
    segments: u32,
    sharp: bool,
    from_deg: f32,
    to_deg: f32,
) -> Mesh {
    let mut m = Mesh::default();
    let edges: Vec<(Vec2, Vec2, Vec2)> = profile
        .windows(2)
        .map(|w| {
            let (a, b) = (Vec2::from(w[0]), Vec2::from(w[1]));
            let t = (b - a).normalize_or_zero();
            (a, b, Vec2::new(t.y, -t.x))
        })
        .collect();
    let smooth = |i: usize, j: usize| {
        let n = if sharp {
            edges[i].2
        } else {
            edges[i].2 + edges[j].2
        };
        n.normalize_or_zero()
    };
    let widest = profile.iter().map(|p| p.0).fold(0.0, f32::max);
    let mut along = 0.0;
    for (e, &(a, b, _)) in edges.iter().enumerate() {
        let length = (b - a).length();
        let na = smooth(e, e.saturating_sub(1));
        let nb = smooth(e, (e + 1).min(edges.len() - 1));
        let base = m.positions.len() as u32;
        for s in 0..=segments {
            let heading = from_deg + (to_deg - from_deg) * s as f32 / segments as f32;
            let u = heading.to_radians() * widest;
            for (p, n, v) in [(a, na, along), (b, nb, along + length)] {
                let normal = polar(heading, n.x, n.y);
                m.vertex(polar(heading, p.x, p.y), normal, Vec2::new(u, -v));
            }
        }
        for s in 0..segments {
            let i = base + 2 * s;
            // Headings run clockwise from above, so the outside order is this.
            if a.x > 0.0 {
                m.indices.extend([i, i + 1, i + 2]);
            }
            if b.x > 0.0 {
                m.indices.extend([i + 1, i + 3, i + 2]);
            }
        }
        along += length;
    }
    m
}

/// A closed cylinder or cone standing on the ground.
pub fn cylinder(bottom: f32, top: f32, height: f32, segments: u32) -> Mesh {
    lathe(
        &[(0.0, 0.0), (bottom, 0.0), (top, height), (0.0, height)],
        segments,
        true,
    )
}

/// A ball about the origin.
pub fn ball(radius: f32, rings: u32) -> Mesh {
    let profile: Vec<_> = (0..=rings)
        .map(|i| {
            let a = PI * (i as f32 / rings as f32 - 0.5);
            let r = if i == 0 || i == rings {
                0.0
            } else {
                radius * a.cos()
            };
            (r, radius * a.sin())
        })
        .collect();
    let mut m = lathe(&profile, rings * 2, false);
    // Exact normals, and one turn of the texture round the ball.
    for ((n, p), uv) in m.normals.iter_mut().zip(&m.positions).zip(&mut m.uvs) {
        *n = p.normalize_or_zero();
        *uv = Vec2::new(
            uv.x / (TAU * radius),
            0.5 - (p.y / radius).clamp(-1.0, 1.0).asin() / PI,
        );
    }
    m
}

/// A round bar along a path.
pub fn tube(path: &[Vec3], radius: f32, sides: u32, closed: bool) -> Mesh {
    let mut m = Mesh::default();
    let n = path.len();
    let count = if closed { n + 1 } else { n };
    let mut along = 0.0;
    let mut side = Vec3::ZERO;
    for k in 0..count {
        let p = path[k % n];
        let before = if k > 0 || closed {
            path[(k + n - 1) % n]
        } else {
            p
        };
        let after = if k + 1 < n || closed {
            path[(k + 1) % n]
        } else {
            p
        };
        let forward = (after - before).normalize_or_zero();
        // The first side is free; later ones follow it, so that the bar does not twist.
        let hint = if k == 0 {
            forward.any_orthonormal_vector()
        } else {
            side
        };
        side = (hint - forward * hint.dot(forward)).normalize_or_zero();
        let up = forward.cross(side);
        if k > 0 {
            along += (p - path[(k - 1) % n]).length();
        }
        for s in 0..=sides {
            let (sin, cos) = (TAU * s as f32 / sides as f32).sin_cos();
            let normal = side * cos + up * sin;
            m.vertex(
                p + normal * radius,
                normal,
                Vec2::new(along, s as f32 / sides as f32 * TAU * radius),
            );
        }
    }
    let row = sides + 1;
    for k in 0..count as u32 - 1 {
        for s in 0..sides {
            let a = k * row + s;
            m.indices
                .extend([a, a + row, a + row + 1, a, a + row + 1, a + 1]);
        }
    }
    if !closed {
        for (centre, ring, flip) in [
            (path[0], 0, true),
            (path[n - 1], (n as u32 - 1) * row, false),
        ] {
            let normal = if flip {
                path[0] - path[1]
            } else {
                path[n - 1] - path[n - 2]
            }
            .normalize_or_zero();
            let c = m.vertex(centre, normal, Vec2::ZERO);
            for s in 0..sides {
                let rim: [u32; 2] = std::array::from_fn(|k| {
                    let at = m.positions[(ring + s + k as u32) as usize];
                    m.vertex(at, normal, Vec2::ZERO)
                });
                let [a, b] = if flip { [rim[1], rim[0]] } else { rim };
                m.indices.extend([c, a, b]);
            }
        }
    }
    m
}

/// A straight round bar.
pub fn bar(from: Vec3, to: Vec3, radius: f32) -> Mesh {
    tube(&[from, to], radius, 12, false)
}

/// A ring about Y.
pub fn ring(radius: f32, y: f32, thickness: f32, segments: u32) -> Mesh {
    let path: Vec<_> = (0..segments)
        .map(|i| polar(360.0 * i as f32 / segments as f32, radius, y))
        .collect();
    tube(&path, thickness, 10, true)
}

/// A solid part of a ring between two headings: inner and outer radius, bottom and top.
pub fn ring_part(
    inner: f32,
    outer: f32,
    bottom: f32,
    top: f32,
    from_deg: f32,
    to_deg: f32,
) -> Mesh {
    let segments = (((to_deg - from_deg).abs() / 3.0).ceil() as u32).max(1);
    let profile = [
        (inner, bottom),
        (outer, bottom),
        (outer, top),
        (inner, top),
        (inner, bottom),
    ];
    let mut m = lathe_part(&profile, segments, true, from_deg, to_deg);
    if (to_deg - from_deg).abs() < 359.9 {
        for (heading, first) in [(from_deg, true), (to_deg, false)] {
            let c = [
                polar(heading, inner, bottom),
                polar(heading, outer, bottom),
                polar(heading, outer, top),
                polar(heading, inner, top),
            ];
            m.quad(if first { [c[1], c[0], c[3], c[2]] } else { c });
        }
    }
    m
}

/// A flat round plate looking up, with texture coordinates 0 to 1 over its square.
pub fn disc(inner: f32, outer: f32, y: f32, segments: u32) -> Mesh {
    let mut m = Mesh::default();
    for s in 0..=segments {
        let heading = 360.0 * s as f32 / segments as f32;
        for r in [inner, outer] {
            let p = polar(heading, r, y);
            let uv = Vec2::new(0.5 + p.x / (2.0 * outer), 0.5 + p.z / (2.0 * outer));
            m.vertex(p, Vec3::Y, uv);
        }
    }
    for s in 0..segments {
        let i = 2 * s;
        m.indices.extend([i, i + 2, i + 1, i + 1, i + 2, i + 3]);
    }
    m
}

/// Ground over a square of `size` metres from a height for every place, smooth.
pub fn terrain(size: f32, steps: u32, height: impl Fn(f32, f32) -> f32) -> Mesh {
    let mut m = Mesh::default();
    // Closer steps towards the middle, where people stand.
    let place = |i: u32| {
        let t = 2.0 * i as f32 / steps as f32 - 1.0;
        t.abs().powf(1.8) * t.signum() * size / 2.0
    };
    for j in 0..=steps {
        for i in 0..=steps {
            let (x, z) = (place(i), place(j));
            let e = 0.5 + 0.01 * (x.abs() + z.abs());
            let slope = Vec2::new(
                height(x + e, z) - height(x - e, z),
                height(x, z + e) - height(x, z - e),
            ) / (2.0 * e);
            let n = Vec3::new(-slope.x, 1.0, -slope.y).normalize();
            m.vertex(Vec3::new(x, height(x, z), z), n, Vec2::new(x, z) * 0.05);
        }
    }
    let row = steps + 1;
    for j in 0..steps {
        for i in 0..steps {
            let a = j * row + i;
            m.indices
                .extend([a, a + row, a + row + 1, a, a + row + 1, a + 1]);
        }
    }
    m
}
