//! What two eyes cost beside one: a pair's rows beside two single eyes', and the live anaglyph beside the live mono picture, side
//! by side in one run.

use dome_files::jpeg;
use dome_imaging::Tone;
use dome_imaging::anaglyph::{Anaglyph, mixed};
use dome_optics::rig::{Anchor, PanoramicEye, PanoramicPair, Side};
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::preview::{LiveView, Preview};
use dome_trace::{Control, GlassLight, ImportOptions, Quality, Render, load, quick};
use glam::DVec3;
use std::time::Duration;

#[path = "common/timing.rs"]
mod timing;
use timing::in_turns;

const ROUNDS: usize = 9;

fn main() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("merlow.glb");
    std::fs::write(&file, merlow::build()).expect("the demo scene");
    let read = load(&file, &ImportOptions::default()).expect("a scene");
    let scene = read.scene;
    let light = read.report.light.illumination(&scene);
    let rig = PanoramicPair {
        separation: 0.063,
        anchor: Anchor::Middle,
        converge: None,
        close: Some([1.0, 1.4]),
    };
    println!(
        "| place | two singles | pair | ratio | live mono | live anaglyph | ratio | quick mono | quick anaglyph | ratio |"
    );
    println!("|---|---|---|---|---|---|---|---|---|---|");
    for place in merlow::PLACES {
        let at = DVec3::from(place.position.map(f64::from));
        let turned = Orientation::heading(place.heading_deg);
        let mono = MonoEye::new(at, turned, Equirect);
        let eyes = Side::BOTH.map(|side| PanoramicEye::new(at, turned, Equirect, rig, side));
        let size = PanoramaSize::from_width(512).expect("a size");
        let render = |eye, seed| Render::new(&scene, &light, eye, size, Quality::Samples(8), seed);
        let [left, right] = [render(&eyes[0], 0), render(&eyes[1], 1)];
        let control = Control::default();
        let [singles, pair, pair_share] = in_turns(
            ROUNDS,
            || [&left, &right].map(|eye| eye.strip(120, 16, &control).expect("a strip")),
            || Render::pair_strips([&left, &right], 120, 16, &control).expect("a pair"),
        );
        let live = |eye: &dyn dome_optics::Eye| {
            let mut preview = Preview::new(PanoramaSize::from_width(256).expect("a size"));
            let view = LiveView {
                scene: &scene,
                light: &light,
                eye,
                clay: false,
                glass: GlassLight::Straight,
                kept: None,
            };
            preview.refine(&view, Duration::ZERO);
            preview.picture()
        };
        let strip = |p: dome_imaging::Picture| dome_imaging::Strip {
            top: 0,
            width: p.width,
            samples: p.samples,
        };
        let small = PanoramaSize::from_width(192).expect("a size");
        let glasses = |[l, r]: [dome_imaging::Picture; 2]| {
            mixed(&strip(l), &strip(r), |l, r| Anaglyph::HalfColour.of(l, r))
        };
        // What a browser waits for: the picture as JPEG.
        let sent = |p: dome_imaging::Picture| {
            let rgb = Tone::default().to_srgb8(&p.samples);
            jpeg::encode_small(p.width, p.height, &rgb, 90).expect("a JPEG")
        };
        let seen = |strip: dome_imaging::Strip, size: &PanoramaSize| dome_imaging::Picture {
            width: size.width(),
            height: size.height(),
            samples: strip.samples,
        };
        let large = PanoramaSize::from_width(256).expect("a size");
        let [one, both, live_share] = in_turns(
            ROUNDS,
            || sent(live(&mono)),
            || sent(seen(glasses([live(&eyes[0]), live(&eyes[1])]), &large)),
        );
        let fast = |eye: &dyn dome_optics::Eye| quick::picture(&scene, &light, eye, small, 1);
        let [fast_one, fast_both, fast_share] = in_turns(
            5 * ROUNDS,
            || sent(fast(&mono)),
            || {
                let (left, right) = rayon::join(|| fast(&eyes[0]), || fast(&eyes[1]));
                sent(seen(glasses([left, right]), &small))
            },
        );
        println!(
            "| {} | {:.0} ms | {:.0} ms | {:.3} | {:.0} ms | {:.0} ms | {:.2} | {:.1} ms | {:.1} ms | {:.2} |",
            place.name,
            singles,
            pair,
            pair_share,
            one,
            both,
            live_share,
            fast_one,
            fast_both,
            fast_share
        );
    }
}
