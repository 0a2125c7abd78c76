//! Maps for lighting, against the mathematics of matt and mirroring surfaces.

use dome_imaging::convert::{Pixel, Source};
use dome_imaging::light_maps::{basis, diffuse, harmonics, irradiance_of, specular_chain};
use dome_optics::{LonLat, PicturePoint, Projection, Shape};
use glam::DVec3;
use std::f64::consts::PI;

fn sky(light: impl Fn(DVec3) -> Pixel) -> Source {
    let (w, h) = (256, 128);
    let pixels: Vec<Pixel> = (0..w * h)
        .map(|i| {
            let p = PicturePoint::pixel_centre(i % w, i / w, w, h);
            light(Shape::Equirect.to_direction(p).unwrap())
        })
        .collect();
    Source::from_rows(Shape::Equirect, w, h, pixels.chunks(w as usize))
}

fn directions() -> impl Iterator<Item = DVec3> {
    [
        (0.0, 0.0),
        (90.0, 0.0),
        (-120.0, 35.0),
        (10.0, 88.0),
        (45.0, -60.0),
    ]
    .into_iter()
    .map(|(lon, lat)| LonLat::from_deg(lon, lat).to_vector())
}

/// The basis is orthonormal over the sphere (definition of real spherical harmonics).
#[test]
fn harmonics_are_orthonormal() {
    let (w, h) = (256, 128);
    let mut products = [[0.0; 9]; 9];
    for i in 0..w * h {
        let (x, y) = (i % w, i / w);
        let d = Shape::Equirect
            .to_direction(PicturePoint::pixel_centre(x, y, w, h))
            .unwrap();
        let angle = Shape::Equirect.solid_angle(x, y, w, h);
        let values = basis(d);
        for a in 0..9 {
            for b in 0..9 {
                products[a][b] += values[a] * values[b] * angle;
            }
        }
    }
    for (a, row) in products.iter().enumerate() {
        for (b, value) in row.iter().enumerate() {
            let wanted = if a == b { 1.0 } else { 0.0 };
            assert!((value - wanted).abs() < 2e-4, "{a} {b}: {value}");
        }
    }
}

/// Light of 1 from everywhere gives an irradiance of pi, and a matt white surface shows 1 (white furnace). Light
/// growing as 1 + cos of the angle from a pole is exact in the first two bands: pi + 2/3 pi cos (Ramamoorthi,
/// Hanrahan 2001).
#[test]
fn matt_surfaces_are_lit_as_the_integral_says() {
    let even = sky(|_| Pixel::ONE);
    let tilted = sky(|d| Pixel::new(1.0 + d.y as f32, 1.0 + d.x as f32, 1.0 - d.z as f32, 1.0));
    let (flat, bent) = (harmonics(&even), harmonics(&tilted));
    for n in directions() {
        for c in 0..3 {
            assert!((irradiance_of(&flat, n)[c] - PI).abs() < 1e-3);
            let wanted = PI + 2.0 * PI / 3.0 * [n.y, n.x, -n.z][c];
            assert!(
                (irradiance_of(&bent, n)[c] - wanted).abs() < 2e-3,
                "{n} {c}"
            );
        }
    }
    let map = diffuse(&tilted, Shape::Equirect, (32, 16));
    for (i, p) in map.iter().enumerate() {
        let at = PicturePoint::pixel_centre(i as u32 % 32, i as u32 / 32, 32, 16);
        let n = Shape::Equirect.to_direction(at).unwrap();
        let wanted = 1.0 + 2.0 / 3.0 * n.y;
        assert!((f64::from(p.x) - wanted).abs() < 2e-3, "{n}: {p}");
    }
    // A half sphere of light: a surface facing it gets half of it at a right angle, all straight on.
    let half = sky(|d| {
        if d.x > 0.0 {
            Pixel::ONE
        } else {
            Pixel::ZERO.with_w(1.0)
        }
    });
    let map = diffuse(&half, "cube-1x6".parse().unwrap(), (9, 54));
    let middle = |face: usize| map[(face * 9 + 4) * 9 + 4].x;
    for (face, wanted) in [(0, 0.0), (1, 0.5), (2, 1.0), (3, 0.5), (4, 0.5)] {
        assert!(
            (middle(face) - wanted).abs() < 0.01,
            "{face}: {}",
            middle(face)
        );
    }
}

/// Directions all over the sphere with the solid angles that they stand for, finely enough for the lamp.
fn for_directions(mut f: impl FnMut(DVec3, f64)) {
    let (width, height) = (2048, 1024);
    for row in 0..height {
        let lat = (0.5 - (f64::from(row) + 0.5) / f64::from(height)) * std::f64::consts::PI;
        let solid_angle =
            lat.cos() * std::f64::consts::PI.powi(2) * 2.0 / (f64::from(width) * f64::from(height));
        for column in 0..width {
            let lon = (f64::from(column) + 0.5) / f64::from(width) * 360.0 - 180.0;
            f(
                LonLat::from_deg(lon, lat.to_degrees()).to_vector(),
                solid_angle,
            );
        }
    }
}

/// Rough mirrors keep the energy, blur more the rougher they are, and stay centred on the lamp.
#[test]
fn the_specular_chain_blurs_and_keeps_its_place() {
    let even = specular_chain(&sky(|_| Pixel::splat(2.0).with_w(1.0)), 32);
    assert_eq!(
        even.iter().map(Vec::len).collect::<Vec<_>>(),
        [6144, 1536, 384, 96, 24, 6]
    );
    for (level, pixels) in even.iter().enumerate() {
        assert!(
            pixels.iter().all(|p| (p.x - 2.0).abs() < 1e-3),
            "level {level}"
        );
    }
    // A lamp 30 degrees to the right and 20 up.
    let lamp = LonLat::from_deg(30.0, 20.0).to_vector();
    let spot = sky(|d| {
        if d.dot(lamp) > 0.995 {
            Pixel::splat(100.0).with_w(1.0)
        } else {
            Pixel::ZERO.with_w(1.0)
        }
    });
    let chain = specular_chain(&spot, 64);
    let layout = Shape::Cube(dome_imaging::light_maps::chain_layout());
    let mut peak = f32::INFINITY;
    for (level, pixels) in chain.iter().enumerate().take(5) {
        let side = 64u32 >> level;
        let (best, _) = pixels
            .iter()
            .enumerate()
            .max_by(|a, b| a.1.x.total_cmp(&b.1.x))
            .unwrap();
        let (x, y) = (best as u32 % side, best as u32 / side);
        let d = layout
            .to_direction(PicturePoint::pixel_centre(x, y, side, side * 6))
            .unwrap();
        let apart = d.angle_between(lamp).to_degrees();
        assert!(
            apart < 140.0 / f64::from(side) + 3.0,
            "level {level}: {apart} degrees off"
        );
        assert!(pixels[best].x <= peak * 1.001, "level {level}");
        peak = pixels[best].x;
        if level == 0 {
            continue; // the light itself
        }
        // Against the integral that it stands for, taken over directions all round: light by the lobe of GGX (Walter and
        // others, EGSR 2007, eq. 33) seen straight on, D(h) / 4, times the cosine. The roughness grows evenly to 1 at 4
        // pixels a side.
        let alpha = (level as f64 / 4.0).powi(2);
        let (mut light, mut whole) = (0.0, 0.0);
        for_directions(|direction, solid_angle| {
            let cosine = direction.dot(d);
            if cosine > 0.0 {
                let half2 = (1.0 + cosine) / 2.0;
                let spread = half2 * (alpha * alpha - 1.0) + 1.0;
                let weight = cosine * (alpha / spread).powi(2) * solid_angle;
                whole += weight;
                light += if direction.dot(lamp) > 0.995 {
                    100.0 * weight
                } else {
                    0.0
                };
            }
        });
        let (found, wanted) = (f64::from(pixels[best].x), light / whole);
        assert!(
            (found / wanted - 1.0).abs() < 0.04,
            "level {level}: {found} for {wanted}"
        );
    }
}
