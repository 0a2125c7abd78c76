//! Mutated inputs for every reader of outside bytes, in this process: nothing panics and nothing asks for more memory than
//! the budget allows. `script/fuzz [SECONDS]` runs it for longer and with other seeds.

#[path = "support/film.rs"]
mod film_made;
#[path = "support/matroska.rs"]
mod matroska_made;
#[path = "support/scene.rs"]
mod scene;

use dome_files::decode::decode_texture;
use dome_files::exr_picture::{self, ExrMeta, ExrSpec};
use dome_files::picture_file::{self, PictureSpec, plain};
use dome_files::rows::PictureRows;
use dome_files::{
    Fingerprint, Mark, PictureFormat, archive, budget, film, inspect, join, linear_picture, lm63,
    strip_file, tag, xmp,
};
use dome_imaging::{LayeredStrip, NoiseSum, Strip};
use dome_trace::{ImportOptions, IntensityTable};
use peak_alloc::PeakAlloc;
use serde_json::json;
use std::io::Write;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Counts what is allocated, and the most of it.
#[global_allocator]
static ALLOCATED: PeakAlloc = PeakAlloc;

/// Memory that readers may claim here, bytes.
const BUDGET: u64 = 256 << 20;
/// What else this process holds: the inputs, libraries' own tables, small things that are not claimed.
const BESIDE: usize = 96 << 20;

/// Which picture the strip belongs to.
const MARK: Mark = Mark {
    picture: Fingerprint([7; 32]),
    eye: 0,
    frame: 0,
};

/// What is counted belongs to one test at a time.
static ALONE: Mutex<()> = Mutex::new(());

struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        // SplitMix64 (Steele, Lea and Flood 2014).
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }
}

/// A film that says already that it is a sphere.
fn made_film() -> Vec<u8> {
    let made = film_made::film(&film_made::Wish {
        size: (256, 128),
        chunks: vec![20, 700],
        first: true,
    });
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.mp4");
    std::fs::write(&path, made).unwrap();
    let sphere = film::Sphere {
        projection: film::FilmProjection::FRONT_HALF,
        stereo: film::FilmStereo::SideBySide,
        pose_deg: [1.0, 2.0, 3.0],
        opening_deg: Some([4.0, 5.0, 6.0]),
    };
    let request = film::FilmRequest {
        sphere: Some(sphere),
        ambisonic: false,
        verify: false,
    };
    film::tag(&path, &path, &request).unwrap();
    std::fs::read(&path).unwrap()
}

/// Numbers that break things.
const NUMBERS: [u64; 12] = [
    0,
    1,
    0x7f,
    0x80,
    0xff,
    0x7fff,
    0xffff,
    0x7fff_ffff,
    0x8000_0000,
    0xffff_ffff,
    0x4000_0000,
    u64::MAX,
];
/// Words that break texts.
const WORDS: [&str; 14] = [
    "-1",
    "0",
    "1e30",
    "NaN",
    "4294967295",
    "99999999999999999999",
    "null",
    "[]",
    "{}",
    "\"\"",
    "../../x",
    "\u{0}",
    "true",
    "v",
];

fn mutate(bytes: &mut Vec<u8>, random: &mut Random) {
    for _ in 0..=random.below(6) {
        if bytes.is_empty() {
            return;
        }
        let at = random.below(bytes.len());
        match random.below(9) {
            0 => bytes[at] = random.next() as u8,
            1 => bytes[at] ^= 1 << random.below(8),
            2 => bytes.truncate(at),
            3 => {
                let number = NUMBERS[random.below(NUMBERS.len())];
                let width = [1, 2, 4, 8][random.below(4)];
                let big = random.below(2) == 0;
                for i in 0..width.min(bytes.len() - at) {
                    let shift = if big { width - 1 - i } else { i };
                    bytes[at + i] = (number >> (8 * shift)) as u8;
                }
            }
            4 => {
                let n = random.below(64).min(bytes.len() - at);
                bytes.drain(at..at + n);
            }
            5 => {
                let n = random.below(64).min(bytes.len() - at);
                let copy = bytes[at..at + n].to_vec();
                let to = random.below(bytes.len());
                bytes.splice(to..to, copy);
            }
            6 => {
                let word = WORDS[random.below(WORDS.len())];
                bytes.splice(at..at, word.bytes());
            }
            7 => {
                // A number of a text becomes another one.
                let digit = |b: &u8| b.is_ascii_digit();
                if let Some(start) = bytes[at..].iter().position(digit).map(|p| at + p) {
                    let end = bytes[start..]
                        .iter()
                        .position(|b| !digit(b))
                        .map_or(bytes.len(), |p| start + p);
                    let word = WORDS[random.below(WORDS.len())];
                    bytes.splice(start..end, word.bytes());
                }
            }
            _ => {
                let n = random.below(16).min(bytes.len() - at);
                bytes[at..at + n].fill(random.next() as u8);
            }
        }
    }
}

/// Writes a file over what is there: one that is emptied and filled again waits for the disk on some systems.
fn put(path: &Path, bytes: &[u8]) {
    let mut open = std::fs::OpenOptions::new();
    let mut file = open
        .write(true)
        .create(true)
        .truncate(false)
        .open(path)
        .unwrap();
    file.write_all(bytes).unwrap();
    file.set_len(bytes.len() as u64).unwrap();
}

/// A kind of input, and what reads it.
struct Input {
    name: &'static str,
    bytes: Vec<u8>,
    read: fn(&Path, &[u8]),
}

fn as_picture(path: &Path, _: &[u8]) {
    let _ = inspect::inspect(path);
    if let Ok(rows) = PictureRows::open(path) {
        for row in rows.take(4096) {
            if row.is_err() {
                break;
            }
        }
    }
    let _ = linear_picture::read(path);
}

fn as_scene(path: &Path, _: &[u8]) {
    let _ = dome_trace::load(path, &ImportOptions::default());
}

fn strip() -> Strip {
    Strip {
        top: 0,
        width: 64,
        samples: (0..64 * 32 * 3).map(|i| (i % 97) as f32 / 90.0).collect(),
    }
}

fn picture(folder: &Path, format: PictureFormat, deep: bool) -> Vec<u8> {
    let path = folder.join(format!("made.{}", format.ending()));
    let spec = PictureSpec {
        deep,
        ..PictureSpec::panorama(format, 64, 32, 12.0)
    };
    picture_file::write(&path, &spec, plain([Ok(strip())])).unwrap();
    std::fs::read(path).unwrap()
}

/// An EXR in tiles, of two parts, or with falling rows.
fn odd_exr(folder: &Path, kind: usize) -> Vec<u8> {
    use exr::prelude::*;
    let path = folder.join("odd.exr");
    let encoding = |blocks, line_order| Encoding {
        compression: Compression::PIZ,
        blocks,
        line_order,
    };
    let channels =
        || SpecificChannels::rgb(|at: Vec2<usize>| (at.x() as f32, at.y() as f32, 0.5f32));
    let how = if kind == 0 {
        encoding(Blocks::Tiles(Vec2(16, 16)), LineOrder::Increasing)
    } else {
        encoding(Blocks::ScanLines, LineOrder::Decreasing)
    };
    let layer = Layer::new((48, 40), LayerAttributes::named("a"), how, channels());
    Image::from_layer(layer).write().to_file(&path).unwrap();
    std::fs::read(path).unwrap()
}

fn inputs(folder: &Path) -> Vec<Input> {
    let (mut document, binary) = scene::room();
    document["buffers"][0]["uri"] = json!("data:application/octet-stream;base64,AAAA");
    document["animations"] = json!([{"samplers": [{"input": 0, "output": 0}], "channels": [{"sampler": 0, "target": {"node": 0, "path": "scale"}}]}]);
    document["images"] = json!([{"bufferView": 0, "mimeType": "image/png"}]);
    document["textures"] = json!([{"source": 0}]);
    let obj = "mtllib a.mtl\no thing\nv 0 0 0\nv 1 0 0 1 0 0\nv 0 1 0\nv 0 0 1\nvt 0 0\nvn 0 0 1\nusemtl red\nf 1/1/1 2/1/1 3/1/1\nf -1 -2 -3\nf 1 2 3 4\n";
    let mtl = "newmtl red\nKd 0.8 0.1 0.1\nKs 0 0 0\nNs 10\nd 0.5\nillum 4\nTf 1 1 1\nPr 0.4\nPm 0\nmap_Kd -s 1 1 1 a.png\nKe 1 1 1\n";
    let ply = "ply\nformat ascii 1.0\ncomment x\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0 255 0 0\n1 0 0 0 255 0\n0 1 0 0 0 255\n3 0 1 2\n";
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in [
        ("a/room.glb", scene::room_glb()),
        ("a/note.txt", vec![b'x'; 2000]),
    ] {
        zip.start_file(name, zip::write::SimpleFileOptions::default())
            .unwrap();
        zip.write_all(&bytes).unwrap();
    }
    let layered = LayeredStrip {
        beauty: strip(),
        layers: Vec::new(),
        noise: NoiseSum::default(),
        counts: Vec::new(),
    };
    let strip_path = folder.join("made.strip");
    strip_file::write(&strip_path, &MARK, &layered, &[]).unwrap();
    let part = folder.join("part.exr");
    let spec = ExrSpec {
        rows: 0..32,
        ..ExrSpec::whole(64, 64, ExrMeta::default())
    };
    exr_picture::write_file(&part, &spec, [Ok(LayeredStrip::from(strip()))]).unwrap();
    let properties = tag_request().properties(64, 32).unwrap();
    let input = |name, bytes, read: fn(&Path, &[u8])| Input { name, bytes, read };
    vec![
        input(
            "a.png",
            picture(folder, PictureFormat::Png, false),
            as_picture,
        ),
        input(
            "deep.png",
            picture(folder, PictureFormat::Png, true),
            as_picture,
        ),
        input(
            "a.jpg",
            picture(folder, PictureFormat::Jpeg, false),
            as_picture,
        ),
        input(
            "a.hdr",
            picture(folder, PictureFormat::Hdr, false),
            as_picture,
        ),
        input(
            "a.exr",
            picture(folder, PictureFormat::Exr, false),
            as_picture,
        ),
        input("tiles.exr", odd_exr(folder, 0), as_picture),
        input("falling.exr", odd_exr(folder, 1), as_picture),
        input(
            "texture.png",
            picture(folder, PictureFormat::Png, false),
            |_, bytes| {
                let _ = decode_texture(bytes, "texture");
            },
        ),
        input(
            "tagged.jpg",
            picture(folder, PictureFormat::Jpeg, false),
            |path, _| {
                let _ = tag::tag(path, &path.with_extension("out"), &tag_request());
            },
        ),
        input(
            "tagged.png",
            picture(folder, PictureFormat::Png, false),
            |path, _| {
                let _ = tag::tag(path, &path.with_extension("out"), &tag_request());
            },
        ),
        input("a.mp4", made_film(), |path, _| {
            let _ = film::inspect(path);
            let request = film::FilmRequest {
                sphere: Some(film::Sphere {
                    projection: film::FilmProjection::FULL,
                    stereo: film::FilmStereo::Mono,
                    pose_deg: [0.0; 3],
                    opening_deg: None,
                }),
                ambisonic: false,
                verify: true,
            };
            let out = path.with_extension("out.mp4");
            if film::tag(path, &out, &request).is_ok() {
                // Read again: both forms of it are whole.
                let _ = film::inspect(&out).unwrap();
            }
        }),
        input("part.exr", std::fs::read(&part).unwrap(), |path, _| {
            let _ = join::join(&[path.to_owned()], &path.with_extension("out.exr"));
        }),
        input("a.strip", std::fs::read(&strip_path).unwrap(), |path, _| {
            let _ = strip_file::read(path, &MARK, &[]);
        }),
        input(
            "a.xmp",
            xmp::make(&properties).unwrap().into_bytes(),
            |_, bytes| {
                let text = String::from_utf8_lossy(bytes);
                if let Ok(found) = xmp::read(&text) {
                    let _ = xmp::merge(&text, &found);
                }
            },
        ),
        input(
            "a.ies",
            b"IESNA:LM-63-2002\n[LUMCAT] Lamp\nTILT=INCLUDE\n1\n2\n0 90\n1 0.9\n1 900 1 3 3 1 2 0 0 0 1 1 9\n0 45 90\n0 45 90\n90 50 1\n80 40 1\n70 30 1\n".into(),
            |_, bytes| {
                if let Ok(read) = lm63::parse(bytes, "a.ies") {
                    let table = IntensityTable::new(&read);
                    let most = table.most() * 1.001;
                    for i in 0..200 {
                        let found = table.candela(i as f32, 7.0 * i as f32);
                        assert!((0.0..=most).contains(&found), "{found} cd");
                    }
                }
            },
        ),
        input("a.zip", zip.finish().unwrap().into_inner(), |path, _| {
            let folder = tempfile::tempdir().unwrap();
            let limits = archive::Limits {
                files: 100,
                bytes: 8 << 20,
            };
            let _ = archive::unpack(path, folder.path(), limits);
            as_scene(path, &[]);
        }),
        input("a.glb", scene::pack(&document, &binary), as_scene),
        input("plain.glb", scene::room_glb(), as_scene),
        input("a.gltf", document.to_string().into_bytes(), as_scene),
        input("a.obj", obj.into(), as_scene),
        input("a.mtl", mtl.into(), |path, _| {
            let obj = path.with_file_name("with.obj");
            std::fs::write(
                &obj,
                "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n",
            )
            .unwrap();
            as_scene(&obj, &[]);
        }),
        input("a.ply", ply.into(), as_scene),
    ]
}

fn tag_request() -> dome_files::pano::TagRequest {
    dome_files::pano::TagRequest {
        heading_deg: Some(12.0),
        opening_deg: Some((30.0, -5.0)),
        hfov_deg: Some(80.0),
        make: Some("Owl Dome".into()),
        ..Default::default()
    }
}

fn number(name: &str) -> Option<u64> {
    std::env::var(name).ok().and_then(|v| v.parse().ok())
}

#[test]
fn no_bytes_break_a_reader() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let seconds = number("OWL_DOME_FUZZ_SECONDS").unwrap_or(60);
    let seed = number("OWL_DOME_FUZZ_SEED")
        .or_else(|| number("PROPTEST_RNG_SEED"))
        .unwrap_or(1);
    println!("fuzz: {seconds} s, seed {seed} (OWL_DOME_FUZZ_SEED)");
    budget::set_limit(BUDGET);
    let folder = tempfile::tempdir().unwrap();
    let inputs = inputs(folder.path());
    let start = Instant::now();
    let mut rounds = 0u64;
    while start.elapsed() < Duration::from_secs(seconds) {
        let input = &inputs[(rounds % inputs.len() as u64) as usize];
        let case = seed.wrapping_mul(1_000_003).wrapping_add(rounds);
        let mut bytes = input.bytes.clone();
        // The first round reads every input as it is.
        if rounds >= inputs.len() as u64 {
            mutate(&mut bytes, &mut Random(case));
        }
        let path = folder.path().join(input.name);
        put(&path, &bytes);
        ALLOCATED.reset_peak_usage();
        let outcome = catch_unwind(AssertUnwindSafe(|| (input.read)(&path, &bytes)));
        let most = ALLOCATED.peak_usage();
        let keep = || {
            let kept = std::env::temp_dir().join(format!("owl-dome-fuzz-{case}-{}", input.name));
            std::fs::write(&kept, &bytes).unwrap();
            kept.display().to_string()
        };
        assert!(outcome.is_ok(), "a panic; the input is kept as {}", keep());
        assert!(
            most < BUDGET as usize + BESIDE,
            "{} MB were allocated; the input is kept as {}",
            most >> 20,
            keep()
        );
        assert_eq!(
            budget::used(),
            0,
            "memory stays claimed; the input is kept as {}",
            keep()
        );
        rounds += 1;
    }
    println!("fuzz: {rounds} inputs");
    assert!(
        rounds > inputs.len() as u64,
        "only {rounds} inputs were read"
    );
}

/// A million films in MP4 and Matroska with a few bytes changed (`OWL_DOME_FILM_MUTATIONS` says how many): each is read or refused in a
/// sentence, with memory for what is there and not for what it claims to be.
#[test]
fn films_with_other_bytes_are_read_or_refused() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let count = number("OWL_DOME_FILM_MUTATIONS").unwrap_or(1_000_000);
    let seed = number("OWL_DOME_FUZZ_SEED").unwrap_or(7);
    println!("{count} films, seed {seed} (OWL_DOME_FUZZ_SEED)");
    budget::set_limit(BUDGET);
    let folder = tempfile::tempdir().unwrap();
    let (_, places) = matroska_made::film(matroska_made::Places::default());
    let films = [made_film(), matroska_made::film(places).0];
    let path = folder.path().join("film");
    let before = ALLOCATED.current_usage();
    ALLOCATED.reset_peak_usage();
    let (mut read, mut refused) = (0u64, 0u64);
    for i in 0..count {
        let mut bytes = films[(i % 2) as usize].clone();
        let case = seed.wrapping_mul(1_000_003).wrapping_add(i);
        mutate(&mut bytes, &mut Random(case));
        put(&path, &bytes);
        let outcome = catch_unwind(AssertUnwindSafe(|| film::inspect(&path)));
        match outcome.unwrap_or_else(|_| panic!("case {case} is a panic")) {
            Ok(_) => read += 1,
            Err(e) => {
                assert!(e.to_string().contains("film"), "case {case}: {e}");
                refused += 1;
            }
        }
    }
    let most = ALLOCATED.peak_usage() - before;
    println!("{read} read, {refused} refused, {} kB at most", most >> 10);
    assert!(
        read > count / 10 && refused > count / 10,
        "{read} {refused}"
    );
    // The films have a kilobyte each.
    assert!(most < 4 << 20, "{most} bytes");
}
