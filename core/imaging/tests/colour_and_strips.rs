//! Colour against the standard, and the laws of strips and scaling.

use dome_imaging::scale::{Shrink, shrink_to_width};
use dome_imaging::transfer::{linear_from_srgb, linear_from_srgb8, quantise8, srgb_from_linear};
use dome_imaging::{Curve, Picture, Strip, StripError, Tone};
use proptest::prelude::*;

/// Values of IEC 61966-2-1's curve, computed from its formula.
#[test]
fn srgb_curve_has_the_standards_values() {
    for (linear, signal) in [(0.18, 0.461_356), (0.5, 0.735_357), (0.0, 0.0), (1.0, 1.0)] {
        assert!((srgb_from_linear(linear) - signal).abs() < 1e-5);
        assert!((linear_from_srgb(signal) - linear).abs() < 1e-5);
    }
    // The two pieces meet at the standard's threshold.
    assert!((srgb_from_linear(0.003_130_8) - 0.040_45).abs() < 1e-5);
    assert_eq!(
        (quantise8(0.735_357), quantise8(f32::NAN), quantise8(7.0)),
        (188, 0, 255)
    );
}

#[test]
fn tone_is_plain_or_soft() {
    let plain = Tone::default();
    assert_eq!(plain.to_srgb8(&[0.5, 1.0, 9.0]), [188, 255, 255]);
    let one_stop = Tone {
        exposure_stops: 1.0,
        curve: Curve::Plain,
    };
    assert_eq!(one_stop.to_srgb8(&[0.25]), plain.to_srgb8(&[0.5]));
    let soft = Tone {
        exposure_stops: 0.0,
        curve: Curve::Soft,
    };
    assert_eq!(soft.display(0.5), 0.5);
    assert!(soft.display(1.0) < 0.9 && soft.display(4.0) > soft.display(2.0));
    // No step in value or slope where the shoulder starts.
    let (below, at, above) = (soft.display(0.599), soft.display(0.6), soft.display(0.601));
    assert!(((above - at) - (at - below)).abs() < 1e-5);
}

fn ramp(width: u32, height: u32) -> Picture {
    let mut p = Picture::black(width, height);
    for (i, s) in p.samples.iter_mut().enumerate() {
        *s = ((i * 7919) % 1000) as f32 / 1000.0;
    }
    p
}

proptest! {
    #[test]
    fn eight_bits_survive_the_curve(v in 0u8..=255) {
        prop_assert_eq!(quantise8(srgb_from_linear(linear_from_srgb8(v))), v);
    }

    #[test]
    fn shrinking_keeps_the_mean(w in 2u32..70, h in 2u32..40, tw in 1u32..70, th in 1u32..40, rows in 1u32..9) {
        let picture = ramp(w, h);
        let mut shrink = Shrink::new((w, h), (tw, th));
        for strip in picture.strips(rows) {
            shrink.add(&strip).unwrap();
        }
        let small = shrink.finish();
        let mean = |p: &Picture| p.samples.iter().map(|&s| f64::from(s)).sum::<f64>() / p.samples.len() as f64;
        prop_assert!((mean(&small) - mean(&picture)).abs() < 1e-5);
    }
}

#[test]
fn shrinking_by_a_whole_number_is_a_box_mean() {
    let mut p = Picture::black(4, 2);
    p.samples
        .chunks_mut(3)
        .zip([0.0, 2.0, 4.0, 6.0, 8.0, 10.0, 12.0, 14.0])
        .for_each(|(px, v)| px.fill(v));
    let small = shrink_to_width(&p, 2);
    assert_eq!((small.width, small.height), (2, 1));
    assert_eq!((small.pixel(0, 0), small.pixel(1, 0)), ([5.0; 3], [9.0; 3]));
    assert_eq!(shrink_to_width(&p, 400), p);
}

#[test]
fn strips_must_follow_one_another() {
    let picture = ramp(6, 5);
    let strips: Vec<Strip> = picture.strips(2).collect();
    assert_eq!(
        strips.iter().map(Strip::rows).collect::<Vec<_>>(),
        [2, 2, 1]
    );
    let mut whole = Picture::black(6, 5);
    for s in strips.iter().rev() {
        whole.place(s).unwrap();
    }
    assert_eq!(whole, picture);
    assert_eq!(
        strips[2].check_follows(2),
        Err(StripError::OutOfOrder {
            expected: 2,
            found: 4
        })
    );
    let torn = Strip {
        top: 0,
        width: 6,
        samples: vec![0.0; 17],
    };
    assert!(matches!(
        torn.check_follows(0),
        Err(StripError::WrongLength { .. })
    ));
    assert!(whole.place(&Strip::black(4, 6, 2)).is_err());
}

/// The table gives what the formula gives, at every signal's border and all over the range.
#[test]
fn the_curve_by_table_is_the_formula() {
    use dome_imaging::transfer::{Srgb8, linear_from_srgb, quantise8, srgb_from_linear};
    let table = Srgb8::get();
    let mut v = 1e-6f32;
    while v < 1.5 {
        assert_eq!(table.encode(v), quantise8(srgb_from_linear(v)), "{v}");
        v *= 1.000_03;
    }
    for i in 0..255 {
        let border = linear_from_srgb((i as f32 + 0.5) / 255.0);
        for v in [border.next_down(), border, border.next_up()] {
            assert_eq!(table.encode(v), quantise8(srgb_from_linear(v)), "{v}");
        }
    }
    for (odd, signal) in [
        (f32::NAN, 0),
        (-3.0, 0),
        (0.0, 0),
        (1.0, 255),
        (f32::INFINITY, 255),
    ] {
        assert_eq!(table.encode(odd), signal);
    }
}
