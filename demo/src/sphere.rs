//! An evening sphere round the observatory, painted by formula: a picture as if it had been made elsewhere.

use crate::pattern::noise;
use crate::{SLIT_HEADING_DEG, SUN_ELEVATION_DEG};
use image::{Rgb, RgbImage};

fn mix(a: [f32; 3], b: [f32; 3], t: f32) -> [f32; 3] {
    let t = t.clamp(0.0, 1.0);
    std::array::from_fn(|i| a[i] + (b[i] - a[i]) * t)
}

/// The sphere, 2:1, the middle looking north (heading 0).
pub fn evening_sphere(width: u32) -> RgbImage {
    let sun = (
        SLIT_HEADING_DEG.to_radians(),
        SUN_ELEVATION_DEG.to_radians(),
    );
    let sun = [
        sun.1.cos() * sun.0.sin(),
        sun.1.sin(),
        -sun.1.cos() * sun.0.cos(),
    ];
    RgbImage::from_fn(width, width / 2, |x, y| {
        let lon = ((x as f32 + 0.5) / width as f32 - 0.5) * std::f32::consts::TAU;
        let lat = (0.5 - (y as f32 + 0.5) / (width / 2) as f32) * std::f32::consts::PI;
        let d = [lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos()];
        let towards = (d[0] * sun[0] + d[1] * sun[1] + d[2] * sun[2]).clamp(-1.0, 1.0);
        // Noise by direction has no seam and no star at the poles.
        let grain = |scale: f32, seed: u32| {
            noise(
                d[0] * scale + 700.0,
                d[2] * scale + d[1] * 13.0 + 700.0,
                4096,
                seed,
            )
        };
        let zenith = mix([0.16, 0.24, 0.42], [0.30, 0.38, 0.55], towards * 0.5 + 0.5);
        let haze = mix(
            [0.55, 0.52, 0.58],
            [0.98, 0.72, 0.42],
            (towards * 0.5 + 0.5).powi(2),
        );
        let mut colour = mix(haze, zenith, (lat / 0.9).max(0.0).powf(0.6));
        let cloud =
            (grain(5.0, 11) + 0.5 * grain(11.0, 12) - 0.85).max(0.0) * (lat * 2.0).clamp(0.0, 1.0);
        colour = mix(colour, [0.96, 0.80, 0.70], cloud * 1.4);
        let ridge = 0.05 + 0.07 * (grain(4.0, 3) - 0.3) + 0.02 * grain(17.0, 5);
        if lat < ridge {
            let depth = ((ridge - lat) * 4.0).clamp(0.0, 1.0);
            let land = mix([0.36, 0.38, 0.44], [0.22, 0.27, 0.18], depth);
            colour = mix(land, [0.42, 0.36, 0.26], grain(23.0, 7) * 0.5 * depth);
        }
        if lat < -0.75 {
            // The flags of the terrace.
            let (u, v) = (d[0] / -d[1] * 4.0, d[2] / -d[1] * 4.0);
            let joint = (u - u.round()).abs().min((v - v.round()).abs()) < 0.03;
            let stone = 0.34 + 0.10 * noise(u.floor() + 90.0, v.floor() + 90.0, 4096, 9);
            colour = if joint {
                [0.2, 0.19, 0.18]
            } else {
                [stone * 1.06, stone, stone * 0.9]
            };
        }
        let glow = ((towards - 0.90) * 10.0).max(0.0);
        if lat > ridge - 0.02 {
            colour = mix(colour, [1.0, 0.93, 0.74], glow * glow);
        }
        Rgb(colour.map(|v| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8))
    })
}
