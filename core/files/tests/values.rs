//! Values and words go through files as they are: light is neither cut nor darkened nor of other colours, letters are kept.

use dome_files::exr_picture::{self, ExrMeta, ExrSpec, ExrStrips};
use dome_files::fingerprint::Description;
use dome_files::format::PictureFormat;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::rows::{Depth, PictureRows};
use dome_files::scratch::Scratch;
use dome_files::{eyes_in, radiance};
use dome_imaging::{LayeredStrip, Picture, Strip};

/// Written and read back by the usual readers, which take a mantissa at its word (m / 256), colours are as bright as before on
/// average: not darker by half a step, nor much darker in a channel that is dark beside others.
#[test]
fn rgbe_neither_darkens_nor_brightens() {
    let mut state = 11u64;
    let mut draw = || {
        state = state
            .wrapping_mul(6364136223846793005)
            .wrapping_add(1442695040888963407);
        (state >> 40) as f32 / (1u64 << 24) as f32
    };
    let (mut sums, mut dark) = ([0.0f64; 2], [0.0f64; 2]);
    for _ in 0..100_000 {
        let colour = [draw() * 3.0, draw(), 0.02 + 0.02 * draw()];
        let [r, g, b, e] = radiance::rgbe(colour);
        let step = f64::from(i32::from(e) - 136).exp2();
        for (byte, value) in [r, g, b].iter().zip(colour) {
            let (back, value) = (f64::from(*byte) * step, f64::from(value));
            assert!(
                (back - value).abs() <= step / 2.0 * 1.0001,
                "{value}: {back}"
            );
            sums[0] += back;
            sums[1] += value;
        }
        dark[0] += f64::from(b) * step;
        dark[1] += f64::from(colour[2]);
    }
    assert!((sums[0] / sums[1] - 1.0).abs() < 2e-4, "{sums:?}");
    assert!((dark[0] / dark[1] - 1.0).abs() < 1e-2, "{dark:?}");
    // Next to a power of two the nearest one is it.
    assert_eq!(radiance::rgbe([0.9999, 0.4999, 0.0]), [128, 64, 0, 129]);
}

/// Float pictures keep their brightest light, wherever they go before they are written: whole, and rows larger than memory. What half
/// floats cut is said.
#[test]
fn suns_are_not_cut_but_by_half_floats() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let mut picture = Picture::black(8, 4);
    picture.samples.fill(1.0);
    picture.samples[30..33].copy_from_slice(&[2.6e5, -7e4, 3e9]);
    let write = |name: &str, deep: bool| {
        let mut spec =
            PictureSpec::panorama(PictureFormat::from_path(&at(name)).unwrap(), 8, 4, 0.0);
        spec.deep = deep;
        let strips = [Ok(picture.strips(4).next().unwrap())];
        picture_file::write(&at(name), &spec, picture_file::plain(strips)).unwrap();
        spec.cut.note()
    };
    assert_eq!(write("float.exr", true), None);
    assert!(write("half.exr", false).is_some_and(|n| n.contains("65504")));
    assert_eq!(write("shared.hdr", false), None);
    let read = dome_files::linear_picture::read(&at("float.exr")).unwrap();
    assert_eq!(read.depth, Depth::Float);
    assert_eq!(read.picture.samples[30..33], [2.6e5, 0.0, 3e9]);
    let read = dome_files::linear_picture::read(&at("half.exr")).unwrap();
    assert_eq!(read.picture.samples[30..33], [65504.0, 0.0, 65504.0]);
    let read = dome_files::linear_picture::read(&at("shared.hdr")).unwrap();
    assert_eq!(read.depth, Depth::Float, "half floats would not hold it");
    assert!((read.picture.samples[32] / 3e9 - 1.0).abs() < 0.005);
    for name in ["float.exr", "shared.hdr"] {
        let rows = PictureRows::open(&at(name)).unwrap();
        let scratch = Scratch::of(rows, folder.path(), |_| true).unwrap();
        let row = scratch.rows(1..2, 0, 8).unwrap().remove(0).into_light();
        assert!((row[2].z / 3e9 - 1.0).abs() < 0.005, "{name}: {}", row[2]);
    }
}

/// Two eyes in the standard's other form: a part for each, with the attribute `view` (OpenEXR, "Multi-View" and "Multi-Part"), here the
/// right one first. They are read as any picture is: colours converted, what is no number black, the luminance of white told.
#[test]
fn eyes_in_parts_of_their_own_are_read_like_any_picture() {
    use exr::prelude::*;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pair.exr");
    // DCI-P3 with D65 (SMPTE EG 432-1): not our colours.
    let primaries = attribute::Chromaticities {
        red: Vec2(0.68, 0.32),
        green: Vec2(0.265, 0.69),
        blue: Vec2(0.15, 0.06),
        white: Vec2(0.3127, 0.3290),
    };
    let part = |view: &str, green: f32| {
        let channels = SpecificChannels::rgb(move |at: Vec2<usize>| match at {
            Vec2(1, 1) => (f32::NAN, green, 0.0),
            _ => (0.0, green, 0.0),
        });
        let mut attributes = LayerAttributes::named(view);
        attributes.view_name = Some(Text::from(view));
        attributes.white_luminance = Some(120.0);
        Layer::new((6, 4), attributes, Encoding::FAST_LOSSLESS, channels)
    };
    let mut image = Image::from_layers(
        ImageAttributes::new(IntegerBounds::from_dimensions((6, 4))),
        vec![part("right", 0.25), part("left", 0.5)],
    );
    image.attributes.chromaticities = Some(primaries);
    image.write().to_file(&path).unwrap();

    assert!(eyes_in::has_views(&path));
    let read = eyes_in::of_one(&path, None).unwrap();
    assert_eq!((read.depth, read.white_cd_m2), (Depth::Float, Some(120.0)));
    assert!(
        read.notices.iter().any(|n| n.contains("Rec. 709")),
        "{:?}",
        read.notices
    );
    // Green of DCI-P3 in Rec. 709 by the published primaries (matrix of ITU-R BT.709 by SMPTE RP 177): -0.2249, 1.0421, -0.0786.
    for (eye, green) in read.eyes.iter().zip([0.5, 0.25]) {
        for pixel in [0usize, 7] {
            let p = &eye.samples[pixel * 3..][..3];
            assert_eq!(p[0], 0.0, "no light is negative: {p:?}");
            assert!((p[1] / green - 1.0421).abs() < 0.002, "{p:?}");
        }
    }
    // Views of one part, in the order of their names, the right one as the default.
    let one = folder.path().join("views.exr");
    let channels = SpecificChannels::build()
        .with_channel("B")
        .with_channel("G")
        .with_channel("R")
        .with_channel("left.B")
        .with_channel("left.G")
        .with_channel("left.R")
        .with_pixel_fn(|_| {
            (
                f16::from_f32(3.0),
                f16::from_f32(2.0),
                f16::from_f32(1.0),
                0.3f32,
                0.2f32,
                f32::NAN,
            )
        });
    let mut layer = Layer::new(
        (6, 4),
        LayerAttributes::default(),
        Encoding::FAST_LOSSLESS,
        channels,
    );
    layer.attributes.multi_view_names = Some(vec![Text::from("right"), Text::from("left")]);
    Image::from_layer(layer).write().to_file(&one).unwrap();
    let read = eyes_in::of_one(&one, None).unwrap();
    assert_eq!(read.depth, Depth::Float);
    assert_eq!(read.eyes[0].samples[..3], [0.0, 0.2, 0.3]);
    assert_eq!(read.eyes[1].samples[..3], [1.0, 2.0, 3.0]);
}

/// Texts in an OpenEXR are UTF-8, in and out, so that what determines a picture is the same after it was written. What others wrote in
/// Latin-1 is read as that.
#[test]
fn letters_beyond_ascii_survive_in_an_exr() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("Tür.exr");
    let mut description = Description::default();
    description.line("lamp", "Leuchte über Bücherregal \u{1f989}.ies");
    description.line("object", "天文台");
    let mut spec = ExrSpec::whole(4, 2, ExrMeta::default());
    spec.meta.description = Some(description.clone());
    spec.meta.comments = Some("#ff0000 Großer Spiegel".into());
    let strip = LayeredStrip::from(Strip::black(0, 4, 2));
    exr_picture::write_file(&path, &spec, [Ok(strip)]).unwrap();
    let header = ExrStrips::open(&path).unwrap().header;
    assert_eq!(header.comments.as_deref(), Some("#ff0000 Großer Spiegel"));
    let read = header.description.unwrap();
    assert_eq!(read, description);
    assert_eq!(read.fingerprint(), description.fingerprint());
    // The same letters as an older program writes them.
    let bytes = std::fs::read(&path).unwrap();
    let (utf8, latin) = ("Großer".as_bytes(), b"Gro\xdfer ");
    let at = bytes.windows(utf8.len()).position(|w| w == utf8).unwrap();
    let mut old = bytes.clone();
    old[at..at + utf8.len()].copy_from_slice(&latin[..utf8.len()]);
    std::fs::write(&path, old).unwrap();
    let header = ExrStrips::open(&path).unwrap().header;
    assert_eq!(header.comments.as_deref(), Some("#ff0000 Großer  Spiegel"));
}
