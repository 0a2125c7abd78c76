//! Titles stand where geometry demands: their size, their parallax in both kinds of pairs, near and far from the origin, turned.

use dome_imaging::title::{Card, Stand, Title, draw};
use dome_imaging::{Curve, LayeredStrip, Strip, Tone};
use dome_optics::rig::{Anchor, FlatPair, Frame, Method, PanoramicPair, Rig, Side};
use dome_optics::{Equirect, Eye, MonoEye, Orientation, PanoramaSize, PictureSize, Shape};
use glam::DVec3;
use std::f64::consts::PI;
use std::sync::Arc;

fn white(width: u32, height: u32) -> Arc<Card> {
    let all = vec![255; (width * height * 4) as usize];
    Arc::new(Card::picture(width, height, &all, &Tone::default()))
}

fn drawn(titles: &[Title], eye: &dyn Eye, (width, height): (u32, u32), rows: u32) -> Vec<f32> {
    (0..height)
        .step_by(rows as usize)
        .flat_map(|top| {
            let rows = rows.min(height - top);
            let mut strip = LayeredStrip::from(Strip::black(top, width, rows));
            draw(titles, &mut strip, eye, (width, height), None);
            strip.beauty.samples
        })
        .collect()
}

/// The middle of the light of a picture, pixels.
fn middle(samples: &[f32], width: u32) -> (f64, f64) {
    let (mut x, mut y, mut sum) = (0.0, 0.0, 0.0);
    for (i, p) in samples.chunks_exact(3).enumerate() {
        let light = f64::from(p[0]);
        x += light * (f64::from(i as u32 % width) + 0.5);
        y += light * (f64::from(i as u32 / width) + 0.5);
        sum += light;
    }
    (x / sum, y / sum)
}

/// Where scenes stand: at the origin, and far from it, turned.
const PLACES: [([f64; 3], f64); 2] = [([0.0; 3], 0.0), ([12_000.0, -340.0, 8_500.0], 137.0)];

/// A rectangle that is seen under the angles a and b across its middles covers 4 asin(sin(a/2) sin(b/2)) (solid geometry).
#[test]
fn a_card_covers_its_solid_angle() {
    for (place, turn) in PLACES {
        for (heading, pitch, height, ratio) in [(20.0, 5.0, 12.0, 2.0), (200.0, -55.0, 20.0, 0.5)] {
            let at = DVec3::from(place);
            let card = white(64, (64.0 / ratio) as u32);
            let stand = Stand::facing(at, [heading + turn, pitch], height, 3.0, ratio);
            let eye = MonoEye::new(at, Orientation::default(), Equirect);
            let size = PanoramaSize::from_width(1024).unwrap();
            let title = Title { card, stand };
            let picture = drawn(&[title], &eye, (size.width(), size.height()), 512);
            let found: f64 = picture
                .chunks_exact(3)
                .enumerate()
                .map(|(i, p)| {
                    let row = (i as u32 / 1024) as f64;
                    let lat = (0.5 - (row + 0.5) / 512.0) * PI;
                    f64::from(p[0]) * lat.cos() * (2.0 * PI / 1024.0) * (PI / 512.0)
                })
                .sum();
            let half = (height.to_radians() / 2.0).tan();
            let [a, b] = [(half * ratio).atan(), half.atan()];
            let wanted = 4.0 * (a.sin() * b.sin()).asin();
            assert!((found / wanted - 1.0).abs() < 0.01, "{found} for {wanted}");
        }
    }
}

/// Parallax of a title in a flat pair is K b (1/C - 1/D), the same at its edges, whichever way the pair is brought together.
#[test]
fn parallax_in_a_frame_follows_the_distance() {
    let frame = Frame {
        hfov: 60f64.to_radians(),
        ratio: 16.0 / 9.0,
        shift: [0.0; 2],
    };
    let size = PictureSize::new(frame.shape(), Some(960), Some(540)).unwrap();
    let k = 960.0 / (2.0 * (frame.hfov / 2.0).tan());
    for (place, turn) in PLACES {
        for distance in [1.5, 3.0, 20.0] {
            let rig = Rig::Flat(FlatPair {
                separation: 0.065,
                anchor: Anchor::Middle,
                converge: 3.0,
                method: Method::OffAxis,
                keep_anchor: false,
                unlinked: None,
            });
            let turned = Orientation {
                heading_deg: turn,
                pitch_deg: 6.0,
                roll_deg: 0.0,
            };
            let at = DVec3::from(place);
            let stand = Stand::in_frame(at, turned.matrix(), [turn + 8.0, 2.0], 6.0, distance, 3.0)
                .unwrap();
            let title = Title {
                card: white(90, 30),
                stand,
            };
            let [left, right] = Side::BOTH.map(|side| {
                let eye = rig.eye(side, at, turned, size.shape);
                let picture = drawn(std::slice::from_ref(&title), &*eye, (960, 540), 540);
                middle(&picture, 960)
            });
            let wanted = k * 0.065 * (1.0 / 3.0 - 1.0 / distance);
            let found = right.0 - left.0;
            assert!((found - wanted).abs() < 0.1, "{found} px for {wanted} px");
            assert!((left.1 - right.1).abs() < 0.02, "{left:?} {right:?}");
        }
    }
}

/// In a panoramic pair the eyes' rays to a title at distance D are 2 asin(b / 2D) apart.
#[test]
fn parallax_all_round_follows_the_distance() {
    for (place, turn) in PLACES {
        let rig = Rig::Panoramic(PanoramicPair {
            separation: 0.063,
            anchor: Anchor::Middle,
            converge: None,
            close: None,
        });
        let at = DVec3::from(place);
        let card = white(20, 20);
        let stand = Stand::facing(at, [turn + 60.0, 0.0], 4.0, 1.0, 1.0);
        let title = Title { card, stand };
        let wide = 2048;
        let [left, right] = Side::BOTH.map(|side| {
            let turned = Orientation {
                heading_deg: turn,
                ..Orientation::default()
            };
            let eye = rig.eye(side, at, turned, Shape::Equirect);
            let picture = drawn(
                std::slice::from_ref(&title),
                &*eye,
                (wide, wide / 2),
                wide / 2,
            );
            middle(&picture, wide).0
        });
        let wanted = 2.0 * (0.063f64 / 2.0).asin() / (2.0 * PI) * f64::from(wide);
        assert!(
            (left - right - wanted).abs() < 0.1,
            "{left} {right} {wanted}"
        );
    }
}

/// However a picture is cut into strips, titles are the same to the last bit; the nearer one hides the farther one.
#[test]
fn strips_and_order_do_not_matter() {
    let eye = MonoEye::new(DVec3::ZERO, Orientation::default(), Equirect);
    let near = Title {
        card: Arc::new(Card::letters("Dome", true, 64.0, &Tone::default())),
        stand: Stand::facing(DVec3::ZERO, [10.0, 0.0], 20.0, 1.0, 2.5),
    };
    let far = Title {
        card: white(64, 64),
        stand: Stand::facing(DVec3::ZERO, [10.0, 0.0], 60.0, 4.0, 1.0),
    };
    let whole = drawn(&[near.clone(), far.clone()], &eye, (256, 128), 128);
    for rows in [16, 7, 50] {
        assert_eq!(
            whole,
            drawn(&[far.clone(), near.clone()], &eye, (256, 128), rows)
        );
    }
    // Black letters over white.
    let card = drawn(&[far], &eye, (256, 128), 128);
    let both = || whole.chunks_exact(3).zip(card.chunks_exact(3));
    let letters = both().filter(|(a, b)| a[0] < 0.05 && b[0] > 0.99).count();
    let paper = both().filter(|(a, b)| a[0] > 0.99 && b[0] > 0.99).count();
    assert!(letters > 20 && paper > 10 * letters, "{letters} {paper}");
}

/// What a delivery shows of a title is what was drawn, whatever its exposure and curve.
#[test]
fn titles_look_as_they_were_drawn() {
    for curve in [Curve::Plain, Curve::Soft] {
        for exposure_stops in [-3.0, 0.0, 2.5] {
            let tone = Tone {
                exposure_stops,
                curve,
            };
            for value in 0..=255u8 {
                let card = Arc::new(Card::picture(
                    4,
                    4,
                    &[value, value, value, 255].repeat(16),
                    &tone,
                ));
                let stand = Stand::facing(DVec3::ZERO, [0.0, 0.0], 120.0, 1.0, 1.0);
                let eye = MonoEye::new(DVec3::ZERO, Orientation::default(), Equirect);
                let picture = drawn(&[Title { card, stand }], &eye, (32, 16), 16);
                let middle = &picture[(8 * 32 + 16) * 3..][..3];
                let shown = tone.to_srgb8(middle);
                assert!(
                    shown.iter().all(|s| s.abs_diff(value) <= 1),
                    "{shown:?} {value}"
                );
            }
        }
    }
}
