//! Formats against what they say of themselves, and damaged bytes against one sentence.

use dome_files::beside::Beside;
use dome_files::exr_picture::{self, ExrMeta, ExrSpec, ExrStrips, to_half};
use dome_files::format::PictureFormat;
use dome_files::inspect::inspect;
use dome_files::jpeg::{JpegParts, encode_small};
use dome_files::pano::{PanoProperties, Part, TagRequest};
use dome_files::picture_file::{self, PictureSpec};
use dome_files::png::PngParts;
use dome_files::{
    FileError, Fingerprint, Mark, archive, atomic, decode, exif, radiance, strip_file, xmp,
};
use dome_files::{join, linear_picture};
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum, Picture, Strip};
use proptest::prelude::*;
use rustix::fs::{Mode, OFlags};
use std::path::Path;

fn gradient(width: u32, height: u32) -> Picture {
    let mut p = Picture::black(width, height);
    for (i, s) in p.samples.iter_mut().enumerate() {
        *s = (i % 977) as f32 * 0.01;
    }
    p
}

fn strips(p: &Picture, rows: u32) -> Vec<Result<Strip, FileError>> {
    p.strips(rows).map(Ok).collect()
}

fn write_file(
    path: &Path,
    width: u32,
    height: u32,
    meta: ExrMeta,
    strips: impl IntoIterator<Item = Result<Strip, FileError>>,
) -> Result<(), FileError> {
    let spec = ExrSpec::whole(width, height, meta);
    exr_picture::write_file(path, &spec, picture_file::plain(strips))
}

/// A strip with a depth in single precision and a normal in half.
fn layered(top: u32, width: u32, rows: u32) -> (LayeredStrip, Vec<LayerSpec>) {
    let n = (width * rows) as usize;
    let value = |i: usize| (i as u32 + top * width) as f32;
    let layers = vec![
        LayerSpec::new("depth", "Z", true),
        LayerSpec::new("normal", "XYZ", false),
    ];
    let strip = LayeredStrip {
        beauty: Strip {
            top,
            width,
            samples: (0..n * 3).map(|i| (i % 64) as f32 * 0.5).collect(),
        },
        layers: vec![
            (0..n).map(|i| value(i) + 0.1).collect(),
            (0..n * 3).map(|i| (i % 3) as f32 - 1.0).collect(),
        ],
        noise: NoiseSum {
            squares: 3.25,
            weight: 0.5,
            samples: 1234,
        },
        counts: (0..rows).map(|row| 32 + 16 * row).collect(),
    };
    (strip, layers)
}

#[test]
fn parts_join_to_the_bytes_of_the_whole() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let (_, layers) = layered(0, 24, 16);
    let spec = ExrSpec {
        layers,
        ..ExrSpec::whole(
            24,
            40,
            ExrMeta {
                pose_heading_deg: Some(12.0),
                comments: Some("#ff0000 Desk".into()),
                ..ExrMeta::default()
            },
        )
    };
    let write = |name: &str, rows: std::ops::Range<u32>, cuts: &[u32]| {
        let mut tops: Vec<u32> = vec![rows.start];
        tops.extend(cuts);
        let ends = tops[1..].iter().copied().chain([rows.end]);
        let strips: Vec<_> = tops
            .iter()
            .zip(ends)
            .map(|(&top, end)| Ok(layered(top, 24, end - top).0))
            .collect();
        let part = ExrSpec {
            rows,
            ..spec.clone()
        };
        exr_picture::write_file(&at(name), &part, strips).unwrap();
        at(name)
    };
    // Values depend on where a strip starts, so all cuts are at the same places.
    let whole = write("whole.exr", 0..40, &[7, 16, 23, 32]);
    let parts = [
        write("b.exr", 7..23, &[16]),
        write("a.exr", 0..7, &[]),
        write("c.exr", 23..40, &[32]),
    ];
    join::join(&parts, &at("joined.exr")).unwrap();
    assert_eq!(
        std::fs::read(at("joined.exr")).unwrap(),
        std::fs::read(&whole).unwrap()
    );
    let message =
        |parts: &[std::path::PathBuf]| join::join(parts, &at("no.exr")).err().unwrap().to_string();
    assert!(message(&parts[..2]).contains("Rows 23 to 39 are missing"));
    assert!(message(&[parts[1].clone(), parts[2].clone()]).contains("Rows 7 to 22 are missing"));
    let twice = [parts.to_vec(), vec![parts[0].clone()]].concat();
    assert!(message(&twice).contains("there twice"));
    assert!(!at("no.exr").exists());
    // Distances keep single precision, and come out as a picture of their own.
    join::extract(
        &whole,
        &spec.layers[0],
        &at("depth.exr"),
        Default::default(),
    )
    .unwrap();
    let depth = ExrStrips::open_channels(&at("depth.exr"), ["depth.Z"; 3]).unwrap();
    let first = depth.into_iter().next().unwrap().unwrap();
    assert_eq!(first.samples[3], 1.0 + 0.1);
}

#[test]
fn pictures_are_read_as_light() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let mut p = gradient(16, 8);
    p.samples[5] = -7.0;
    write_file(&at("a.exr"), 16, 8, ExrMeta::default(), strips(&p, 8)).unwrap();
    let read = linear_picture::read(&at("a.exr")).unwrap();
    assert_eq!(read.picture.pixel(1, 0)[0], to_half(0.03).to_f32());
    assert_eq!(read.picture.samples[5], 0.0);
    assert!(read.notices[0].contains("1 values") && read.notices[0].contains("-7"));
    let spec = PictureSpec::panorama(PictureFormat::Hdr, 16, 8, 0.0);
    p.samples[5] = 0.0;
    picture_file::write(&at("a.hdr"), &spec, picture_file::plain(strips(&p, 8))).unwrap();
    let hdr = linear_picture::read(&at("a.hdr")).unwrap();
    assert!(hdr.notices.is_empty());
    // RGBE keeps eight bits of the brightest channel.
    for (a, b) in hdr.picture.samples.iter().zip(&p.samples) {
        assert!((a - b).abs() <= 0.01 * b.max(0.3), "{a} {b}");
    }
    std::fs::write(at("b.exr"), b"\x76\x2f\x31\x01junk").unwrap();
    assert!(linear_picture::read(&at("b.exr")).is_err());
    std::fs::write(at("b.txt"), b"hello").unwrap();
    let message = linear_picture::read(&at("b.txt"))
        .err()
        .unwrap()
        .to_string();
    assert!(message.contains("none of"), "{message}");
}

#[test]
fn an_exr_comes_back_whatever_the_strips_it_was_written_from() {
    let folder = tempfile::tempdir().unwrap();
    let p = gradient(64, 40);
    let meta = ExrMeta {
        pose_heading_deg: Some(12.5),
        ..ExrMeta::default()
    };
    let mut bytes = Vec::new();
    for rows in [1, 7, 16, 40] {
        let path = folder.path().join(format!("{rows}.exr"));
        write_file(&path, 64, 40, meta.clone(), strips(&p, rows)).unwrap();
        let reader = ExrStrips::open(&path).unwrap();
        assert_eq!(
            (
                reader.header.width,
                reader.header.height,
                reader.header.envmap
            ),
            (64, 40, Some("latlong"))
        );
        assert_eq!(reader.header.pose_heading_deg, Some(12.5));
        let mut back = Picture::black(64, 40);
        for strip in reader {
            back.place(&strip.unwrap()).unwrap();
        }
        let expected: Vec<f32> = p.samples.iter().map(|&v| to_half(v).to_f32()).collect();
        assert_eq!(back.samples, expected);
        bytes.push(std::fs::read(path).unwrap());
    }
    assert!(
        bytes.windows(2).all(|w| w[0] == w[1]),
        "the bytes depend on the strips"
    );
}

#[test]
fn light_beyond_half_is_held_at_its_largest_number() {
    // IEEE 754 binary16: the largest finite number is 65504.
    assert_eq!(to_half(1e9).to_f32(), 65504.0);
    assert_eq!(to_half(f32::INFINITY).to_f32(), 65504.0);
    assert_eq!(to_half(0.1).to_f32(), 0.099975586);
}

#[test]
fn missing_or_wrong_strips_leave_no_file() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.exr");
    let p = gradient(32, 32);
    let cases: [Vec<Result<Strip, FileError>>; 3] = [
        strips(&p, 8).into_iter().take(3).collect(),
        strips(&p, 8).into_iter().skip(1).collect(),
        vec![Err(FileError::Request("The render was stopped.".into()))],
    ];
    for case in cases {
        assert!(write_file(&path, 32, 32, ExrMeta::default(), case).is_err());
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
    }
    for format in [PictureFormat::Jpeg, PictureFormat::Png, PictureFormat::Hdr] {
        let spec = PictureSpec::panorama(format, 32, 16, 0.0);
        assert!(
            picture_file::write(
                &path,
                &spec,
                picture_file::plain(strips(&gradient(32, 16), 8).into_iter().take(1))
            )
            .is_err()
        );
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
    }
}

#[test]
fn an_existing_file_is_replaced_whole_or_stays() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.txt");
    atomic::write_bytes(&path, b"old").unwrap();
    let failed = atomic::write(&path, |w| {
        std::io::Write::write_all(w, b"half").unwrap();
        Err(FileError::Request("no".into()))
    });
    assert!(failed.is_err());
    assert_eq!(std::fs::read(&path).unwrap(), b"old");
    atomic::write_bytes(&path, b"new").unwrap();
    assert_eq!(std::fs::read(&path).unwrap(), b"new");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

/// The longest names that a file system takes (255 bytes, POSIX's NAME_MAX on Linux) are written, replaced, and told when they fail.
#[test]
fn the_longest_names_can_be_written() {
    let folder = tempfile::tempdir().unwrap();
    for bytes in [247, 248, 255] {
        let path = folder.path().join("n".repeat(bytes));
        for content in [b"old", b"new"] {
            atomic::write_bytes(&path, content).unwrap();
            assert_eq!(std::fs::read(&path).unwrap(), content, "{bytes} bytes");
        }
        let failed = atomic::write(&path, |_| Err(FileError::Request("no".into())));
        assert!(failed.is_err());
        assert_eq!(std::fs::read(&path).unwrap(), b"new");
    }
    let path = folder.path().join("n".repeat(256));
    let told = atomic::write_bytes(&path, b"new").unwrap_err().to_string();
    assert!(told.contains(path.to_str().unwrap()), "{told}");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 3);
}

/// What killed programs left beside a target goes when the next one works there; what somebody works in stays, and so does what is no
/// such folder.
#[test]
fn only_folders_that_nobody_works_in_are_cleared_away() {
    let folder = tempfile::tempdir().unwrap();
    // The second is what folders of films were called before.
    let left = ["work", "film"].map(|of| folder.path().join(format!(".unfinished-{of}-gone")));
    for left in &left {
        std::fs::create_dir(left).unwrap();
        std::fs::write(left.join("whole.exr"), b"half").unwrap();
    }
    let other = folder.path().join(".unfinished-7-strips");
    std::fs::create_dir(&other).unwrap();
    let one = Beside::new(folder.path()).unwrap();
    assert!(left.iter().all(|l| !l.exists()));
    std::fs::write(one.join("mine"), b"1").unwrap();
    let two = Beside::new(folder.path()).unwrap();
    assert!(one.join("mine").exists() && two.path().exists());
    drop((one, two));
    assert!(other.exists());
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

/// While a file is written nothing of it lies in its folder, so that a kill leaves nothing (where the system has files without names).
#[test]
fn a_file_has_no_name_until_it_is_whole() {
    let folder = tempfile::tempdir().unwrap();
    let there = || std::fs::read_dir(folder.path()).unwrap().count();
    let flags = OFlags::TMPFILE | OFlags::WRONLY;
    if rustix::fs::open(folder.path(), flags, Mode::RUSR).is_err() {
        eprintln!("The system has no files without names here.");
        return;
    }
    atomic::write(&folder.path().join("a.txt"), |w| {
        std::io::Write::write_all(w, b"half").unwrap();
        std::io::Write::flush(w).unwrap();
        assert_eq!(there(), 0);
        Ok(())
    })
    .unwrap();
    assert_eq!(there(), 1);
}

#[test]
fn strips_on_disk_know_when_they_are_damaged() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("s.strip");
    let strip = Strip {
        top: 48,
        width: 20,
        samples: vec![0.5; 20 * 3 * 16],
    };
    let plain = LayeredStrip::from(strip);
    let mark = Mark::still(Fingerprint::of(b"a picture"));
    strip_file::write(&path, &mark, &plain, &[]).unwrap();
    assert_eq!(strip_file::read(&path, &mark, &[]).unwrap(), plain);
    let (strip, layers) = layered(48, 20, 16);
    strip_file::write(&path, &mark, &strip, &layers).unwrap();
    assert_eq!(strip_file::read(&path, &mark, &layers).unwrap(), strip);
    // Made for other passes, it is rendered again.
    assert!(strip_file::read(&path, &mark, &[]).is_err());
    // Of another picture, another eye or another frame, too.
    for other in [
        Mark::still(Fingerprint::of(b"another picture")),
        Mark { eye: 1, ..mark },
        Mark { frame: -1, ..mark },
    ] {
        let said = strip_file::read(&path, &other, &layers).unwrap_err();
        assert!(said.to_string().contains("another picture"), "{said}");
    }
    let good = std::fs::read(&path).unwrap();
    assert_eq!(
        good.len() as u64,
        96 + 320 * strip_file::pixel_bytes(&layers) + 4 * strip.counts.len() as u64
    );
    for at in [0, 9, 41, 45, 49, 53, 57, 61, 65, 69, 77, 93, good.len() - 1] {
        let mut bad = good.clone();
        bad[at] ^= 0x40;
        std::fs::write(&path, &bad).unwrap();
        assert!(
            strip_file::read(&path, &mark, &layers).is_err(),
            "byte {at}"
        );
    }
    std::fs::write(&path, &good[..10]).unwrap();
    assert!(strip_file::read(&path, &mark, &layers).is_err());
}

/// Ward, "Real Pixels" (Graphics Gems II): the largest part has its mantissa in 128 to 255, the exponent
/// is biased by 128, so 1.0 is (128, 128, 128, 129).
#[test]
fn rgbe_is_the_published_code() {
    assert_eq!(radiance::rgbe([1.0; 3]), [128, 128, 128, 129]);
    assert_eq!(radiance::rgbe([0.5, 0.25, 0.0]), [128, 64, 0, 128]);
    assert_eq!(radiance::rgbe([0.0; 3]), [0; 4]);
    assert_eq!(radiance::rgbe([f32::NAN, -3.0, 2.0]), [0, 0, 128, 130]);
    for v in [1e-20f32, 0.003, 0.9999999, 1.0000001, 7.3, 5e4, 1e20] {
        let [m, _, _, e] = radiance::rgbe([v; 3]);
        let back = (f32::from(m) + 0.5) / 256.0 * ((i32::from(e) - 128) as f32).exp2();
        assert!((back / v - 1.0).abs() < 0.005, "{v}: {back}");
    }
}

fn request() -> TagRequest {
    TagRequest {
        heading_deg: Some(90.0),
        opening_deg: Some((-30.0, 10.0)),
        hfov_deg: Some(75.0),
        ..TagRequest::default()
    }
}

#[test]
fn packets_are_read_as_they_were_made() {
    let p = request().properties(200, 100).unwrap();
    assert_eq!(p.opening_heading_deg, Some(330.0));
    let packet = xmp::make(&p).unwrap();
    assert_eq!(xmp::read(&packet).unwrap(), p);
    assert!(packet.starts_with("<?xpacket begin=\"\u{feff}\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>"));
    assert!(packet.trim_end().ends_with("<?xpacket end=\"w\"?>"));
}

/// XMP allows properties as attributes and as elements, and any prefix (ISO 16684-1, clause 7).
#[test]
fn foreign_packets_are_understood_and_kept() {
    let packet = r#"<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
      <rdf:Description rdf:about="" xmlns:q="http://ns.google.com/photos/1.0/panorama/" xmlns:dc="http://purl.org/dc/elements/1.1/" dc:format="a &amp; b" q:FullPanoWidthPixels="64">
        <q:ProjectionType>equirectangular</q:ProjectionType><q:PoseHeadingDegrees> 12.5 </q:PoseHeadingDegrees>
        <dc:title><rdf:Alt><rdf:li xml:lang="x-default">Dusk &lt;1&gt;</rdf:li></rdf:Alt></dc:title>
      </rdf:Description></rdf:RDF></x:xmpmeta>"#;
    let found = xmp::read(packet).unwrap();
    assert_eq!(
        (
            found.projection.as_deref(),
            found.full_width,
            found.pose_heading_deg
        ),
        (Some("equirectangular"), Some(64), Some(12.5))
    );
    let merged = xmp::merge(packet, &request().properties(200, 100).unwrap()).unwrap();
    let again = xmp::read(&merged).unwrap();
    assert_eq!(
        (again.full_width, again.pose_heading_deg),
        (Some(200), Some(90.0))
    );
    for kept in [
        "dc:format=\"a &amp; b\"",
        "Dusk &lt;1&gt;",
        "xml:lang=\"x-default\"",
    ] {
        assert!(merged.contains(kept), "{kept} is gone from {merged}");
    }
    assert_eq!(merged.matches("PoseHeadingDegrees").count(), 1, "{merged}");
    // Padding gives way where room is short; too much of one's own is told.
    let padded = packet.replace(
        "</x:xmpmeta>",
        &format!("</x:xmpmeta>{}<?xpacket end='w'?>", " ".repeat(65_400)),
    );
    assert!(xmp::merge(&padded, &again).unwrap().len() < 5000);
    let full = packet.replace("Dusk", &"D".repeat(65_400));
    assert!(
        xmp::merge(&full, &again)
            .unwrap_err()
            .to_string()
            .contains("--clear")
    );
}

#[test]
fn odd_values_are_told_not_believed() {
    let with = |attribute: &str| {
        format!(
            r#"<r:RDF xmlns:r="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><r:Description xmlns:g="http://ns.google.com/photos/1.0/panorama/" g:ProjectionType="equirectangular" {attribute}/></r:RDF>"#
        )
    };
    for (attribute, word) in [
        ("g:FullPanoWidthPixels=\"-5\"", "FullPanoWidthPixels"),
        ("g:FullPanoWidthPixels=\"NaN\"", "NaN"),
        ("g:PoseHeadingDegrees=\"north\"", "north"),
        ("g:UsePanoramaViewer=\"False\"", "False"),
        ("g:CroppedAreaImageWidthPixels=\"10\"", "10"),
        (
            "g:FullPanoWidthPixels=\"200\" g:FullPanoHeightPixels=\"100\" g:CroppedAreaLeftPixels=\"150\"",
            "beyond",
        ),
    ] {
        let (sphere, reason) = xmp::read(&with(attribute)).unwrap().verdict(100, 50);
        assert!(!sphere && reason.contains(word), "{attribute}: {reason}");
    }
    assert!(xmp::read("<a><b></a>").is_err());
    assert!(xmp::read(&format!("{}x", "<a>".repeat(100))).is_err());
    assert!(
        PanoProperties::default()
            .verdict(100, 50)
            .1
            .contains("flat")
    );
}

#[test]
fn a_part_must_fit_its_sphere() {
    let part = |left, top, full_width, full_height| {
        Some(Part {
            left,
            top,
            full_width,
            full_height,
        })
    };
    assert!(Part::place(100, 50, None).is_ok());
    assert!(
        Part::place(101, 50, None)
            .unwrap_err()
            .to_string()
            .contains("100 x 50")
            || Part::place(101, 50, None).is_err()
    );
    assert!(Part::place(100, 100, part(50, 0, 200, 100)).is_ok());
    assert!(Part::place(100, 100, part(u32::MAX, 0, 200, 100)).is_err());
    assert!(Part::place(100, 100, part(0, 0, 200, 99)).is_err());
    for bad in [f64::NAN, f64::INFINITY, 1e9] {
        let r = TagRequest {
            heading_deg: Some(bad),
            ..TagRequest::default()
        };
        assert!(r.properties(100, 50).is_err());
    }
}

#[test]
fn exif_keeps_what_was_there_where_it_was() {
    let first = exif::set_make_model(&[], Some("Merlow"), Some("Dome")).unwrap();
    let second = exif::set_make_model(&first, None, Some("Another model")).unwrap();
    // The old block stands unmoved in the new one, but for the pointer to the first directory.
    assert_eq!(second[8..first.len()], first[8..]);
    let text = String::from_utf8_lossy(&second).into_owned();
    assert!(text.contains("Merlow\0") && text.contains("Another model\0"));
    for bad in [
        &b"II\x2a\0"[..],
        b"II\x2a\0\xff\xff\xff\xff",
        b"MM\0\x2a\0\0\0\x08\0\x09",
        b"junk",
    ] {
        assert!(
            exif::set_make_model(bad, Some("x"), None).is_err(),
            "{bad:?}"
        );
    }
    assert!(exif::set_make_model(&[], Some(""), None).is_err());
}

#[test]
fn archives_that_swell_or_climb_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let archive = folder.path().join("a.zip");
    let pack = |entries: &[(&str, &[u8])]| {
        let mut zip = zip::ZipWriter::new(std::fs::File::create(&archive).unwrap());
        for (name, bytes) in entries {
            zip.start_file(*name, zip::write::SimpleFileOptions::default())
                .unwrap();
            std::io::Write::write_all(&mut zip, bytes).unwrap();
        }
        zip.finish().unwrap();
    };
    let unpack = |files, bytes| {
        let inside = tempfile::tempdir().unwrap();
        archive::unpack(&archive, inside.path(), archive::Limits { files, bytes })
            .map_err(|e| e.to_string())
    };
    pack(&[("a/b.txt", &[0; 100_000]), ("c.txt", b"hi")]);
    assert_eq!(unpack(2, 100_002).unwrap().len(), 2);
    assert!(unpack(2, 100_001).unwrap_err().contains("swells"));
    assert!(unpack(1, 1 << 30).unwrap_err().contains("2 files"));
    for name in ["../x", "/etc/x", "a/../../x", "c:x", "a\\..\\x", ""] {
        assert_eq!(archive::safe_relative(name), None, "{name}");
    }
    assert_eq!(archive::safe_relative("./a/b.bin"), Some("a/b.bin".into()));
}

/// Sizes that the data cannot hold are a lie, told before anything is allocated.
#[test]
fn huge_pictures_with_little_data_are_refused() {
    let mut jpeg = encode_small(32, 16, &vec![90; 32 * 16 * 3], 90).unwrap();
    let frame = jpeg.windows(2).position(|w| w == [0xff, 0xc0]).unwrap();
    jpeg[frame + 5..frame + 9].copy_from_slice(&[0x7f, 0xfe, 0xff, 0xfc]);
    let message = JpegParts::read(jpeg, "big.jpg").err().unwrap().to_string();
    assert!(message.contains("65532 x 32766"), "{message}");
    let mut png = Vec::new();
    dome_files::png::encode(
        &mut png,
        32,
        16,
        dome_files::png::Kind::default(),
        None,
        |rows| rows(&[90; 32 * 16 * 3]),
    )
    .unwrap();
    png[16..24].copy_from_slice(&[0, 1, 0, 0, 0, 0, 0x80, 0]);
    let crc = crc32fast::hash(&png[12..29]);
    png[29..33].copy_from_slice(&crc.to_be_bytes());
    let message = PngParts::read(png, "big.png").err().unwrap().to_string();
    assert!(message.contains("65536 x 32768"), "{message}");
    // An EXR whose header lies about its width must not be believed with memory.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("big.exr");
    let strip = dome_imaging::Strip::black(0, 32, 16);
    write_file(&path, 32, 16, Default::default(), [Ok(strip)]).unwrap();
    let mut exr = std::fs::read(&path).unwrap();
    let window = b"dataWindow\0box2i\0";
    let at = exr.windows(window.len()).position(|w| w == window).unwrap() + window.len() + 4;
    exr[at + 8..at + 12].copy_from_slice(&0x1000_0000u32.to_le_bytes());
    std::fs::write(&path, exr).unwrap();
    let message = ExrStrips::open(&path).err().unwrap().to_string();
    assert!(message.contains("268435457"), "{message}");
}

#[test]
fn textures_have_limits() {
    let mut png = Vec::new();
    let header = b"\x89PNG\r\n\x1a\n\0\0\0\x0dIHDR\0\xff\xff\xff\0\xff\xff\xff\x08\x06\0\0\0";
    png.extend(header);
    png.extend(crc32fast::hash(&header[12..]).to_be_bytes());
    for bad in [&png[..], b"", b"GIF89a", &png[..20]] {
        assert!(decode::decode_texture(bad, "Picture x").is_err());
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Whatever happens to a file's bytes, reading it ends with content or one sentence.
    #[test]
    fn no_bytes_make_the_readers_panic(at in 0usize..2000, to in 0u8..=255, cut in 0usize..4000) {
        let p = request().properties(32, 16).unwrap();
        let rgb = vec![90; 32 * 16 * 3];
        let tagged = JpegParts::read(encode_small(32, 16, &rgb, 90).unwrap(), "a").unwrap().tagged(&request()).unwrap();
        let folder = tempfile::tempdir().unwrap();
        let exr = folder.path().join("a.exr");
        write_file(&exr, 32, 16, ExrMeta::default(), strips(&gradient(32, 16), 16)).unwrap();
        let mut files = [tagged, std::fs::read(&exr).unwrap(), xmp::make(&p).unwrap().into_bytes()];
        for (i, bytes) in files.iter_mut().enumerate() {
            let n = bytes.len();
            bytes[at % n] = to;
            bytes.truncate(cut.max(1));
            let path = folder.path().join(format!("{i}"));
            std::fs::write(&path, &bytes).unwrap();
            let _ = inspect(Path::new(&path)).map_err(|e| e.to_string());
            if let Ok(text) = std::str::from_utf8(bytes) {
                let _ = xmp::merge(text, &p);
            }
        }
    }
}
