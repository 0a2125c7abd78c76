//! What is told to be left after denoising is what is left: rendered noise, which is neither even nor of one kind, against references.

mod common;

use common::{block, matt, scene};
use dome_imaging::LayeredStrip;
use dome_imaging::denoise::library::{DenoiseLibrary, LibraryFilter};
use dome_imaging::denoise::plain::PlainFilter;
use dome_imaging::denoise::told::Remaining;
use dome_imaging::denoise::{DenoiseFailed, Filtered, Guides, denoise};
use dome_imaging::transfer::{luminance, srgb_from_linear};
use dome_optics::neighbourhood::Edges;
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize, Shape};
use dome_trace::scene::MeshPart;
use dome_trace::{Control, Illumination, Pass, PassSet, Quality, Render, Sky, SunSky};
use glam::DVec3;
use std::path::Path;
use std::sync::Arc;

/// Rows of a picture that is 512 px wide: from the horizon down to where the ground is near.
const ROWS: (u32, u32) = (120, 64);
const WIDTH: u32 = 512;

/// A picture of its own that begins at row 0.
fn rows(render: &Render) -> LayeredStrip {
    let mut strip = render.strip(ROWS.0, ROWS.1, &Control::default()).unwrap();
    strip.beauty.top = 0;
    strip
}

fn shown(samples: &[f32]) -> Vec<f64> {
    (samples.as_chunks::<3>().0.iter())
        .map(|&rgb| f64::from(srgb_from_linear(luminance(rgb).clamp(0.0, 1.0))))
        .collect()
}

/// An open field of blocks under the sun. The truth is told by two references of other seeds: in the mean of the product of the differences
/// from both their own noise is not. Moving the picture all the way to its halves told 0.8 of what is left.
#[test]
fn what_is_told_to_be_left_is_left() {
    let mut parts: Vec<MeshPart> = vec![block([-60.0, -0.5, -60.0], [60.0, 0.0, 60.0], 0)];
    for i in 0..40i32 {
        let (x, z) = ((i * 37 % 41 - 20) as f32, (i * 53 % 43 - 21) as f32);
        if x.abs() + z.abs() > 4.0 {
            let high = [x + 2.0, 2.0 + (i % 5) as f32, z + 3.0];
            parts.push(block([x, 0.0, z], high, 0));
        }
    }
    let sun = Sky::Sun(SunSky {
        elevation_deg: 40.0,
        heading_deg: 165.0,
        ..SunSky::default()
    });
    let field = scene(&parts, vec![matt(0.6)], sun.clone());
    let light = Illumination::plain(&field, sun);
    let at = DVec3::new(0.0, 1.7, 0.0);
    let eye = MonoEye::new(at, Orientation::heading(0.0), Equirect);
    let size = PanoramaSize::from_width(WIDTH).unwrap();
    let render = |samples, seed| Render {
        passes: PassSet::new([Pass::Albedo, Pass::Normal, Pass::Halves]),
        ..Render::new(&field, &light, &eye, size, Quality::Samples(samples), seed)
    };
    let references = [101, 102].map(|seed| shown(&rows(&render(64, seed)).beauty.samples));
    let guides = Guides {
        albedo: 0,
        normal: 1,
        halves: Some(2),
    };
    let flat = Shape::Perspective {
        hfov_deg: 1.0,
        vfov_deg: None,
        shift: [0.0; 2],
    };
    let edges = Edges::of(&flat).unwrap();
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.fetched/denoiser/lib");
    let library = DenoiseLibrary::find(&folder).map(Arc::new);
    for samples in [16, 17] {
        let strip = rows(&render(samples, 1));
        let strips = || std::iter::once(Ok::<_, DenoiseFailed>(strip.clone()));
        let mut ways: Vec<(&str, Vec<Filtered>)> = Vec::new();
        let built_in = denoise(PlainFilter, strips(), ROWS.1, edges, guides);
        ways.push(("built in", built_in.collect::<Result<_, _>>().unwrap()));
        if let Some(library) = library.clone() {
            let go_on = || true;
            let filter = LibraryFilter { library, go_on };
            let filtered = denoise(filter, strips(), ROWS.1, edges, guides);
            ways.push(("library", filtered.collect::<Result<_, _>>().unwrap()));
        }
        for (name, filtered) in ways {
            let (mut told, mut picture) = (Remaining::default(), Vec::new());
            for part in filtered {
                told.add(part.remaining(&part.strip.layers[2], |_, _| 1.0).unwrap());
                picture.extend(shown(&part.strip.beauty.samples));
            }
            let wrong: f64 = (picture.iter().enumerate())
                .map(|(i, is)| {
                    let [a, b] = [0, 1].map(|r| is - references[r][i]);
                    a * b / is.max(0.05).powi(2)
                })
                .sum();
            let wrong = 100.0 * (wrong / picture.len() as f64).sqrt();
            let told = told.percent().unwrap();
            println!("{name}, {samples} samples: {told:.2} % told, {wrong:.2} % left");
            assert!(
                (0.85..1.15).contains(&(told / wrong)),
                "{name}, {samples} samples: {told} % told, {wrong} % left"
            );
        }
    }
}
