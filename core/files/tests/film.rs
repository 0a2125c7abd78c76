//! Films made by hand: what moves when the index grows, what stays to the letter, and what is refused.

#[path = "../../../tests/support/film.rs"]
mod film;

use dome_files::film::{FilmProjection, FilmRequest, FilmStereo, Sphere, inspect, is_film, tag};
use dome_files::{FileError, Fingerprint};
use film::{MEDIA, OTHER_UUID, UNKNOWN, Wish, boxed};
use std::path::{Path, PathBuf};

fn sphere(stereo: FilmStereo) -> Sphere {
    Sphere {
        projection: FilmProjection::FULL,
        stereo,
        pose_deg: [0.0; 3],
        opening_deg: None,
    }
}

fn request(sphere: Sphere) -> FilmRequest {
    FilmRequest {
        sphere: Some(sphere),
        ambisonic: false,
        verify: true,
    }
}

fn written(folder: &Path, bytes: &[u8]) -> PathBuf {
    let path = folder.join("film.mp4");
    std::fs::write(&path, bytes).unwrap();
    path
}

fn place(of: &[u8], within: &[u8]) -> usize {
    let found = within.windows(of.len()).position(|w| w == of);
    found.unwrap_or_else(|| panic!("{:?} is not there", String::from_utf8_lossy(of)))
}

fn times(of: &[u8], within: &[u8]) -> usize {
    within.windows(of.len()).filter(|w| *w == of).count()
}

fn u32_at(bytes: &[u8], at: usize) -> u64 {
    u64::from(u32::from_be_bytes(bytes[at..at + 4].try_into().unwrap()))
}

fn u64_at(bytes: &[u8], at: usize) -> u64 {
    u64::from_be_bytes(bytes[at..at + 8].try_into().unwrap())
}

/// With the index first, all that points behind it moves by its growth; nothing else changes. With the index last nothing moves.
#[test]
fn what_points_into_the_file_moves_with_it() {
    let folder = tempfile::tempdir().unwrap();
    // The first lies before the index, and stays where it is; those of the other film all do.
    for (first, chunks) in [(true, [20, 900, 1000]), (false, [20, 60, 70])] {
        let wish = Wish {
            size: (3840, 1920),
            chunks: chunks.to_vec(),
            first,
        };
        let old = film::film(&wish);
        let path = written(folder.path(), &old);
        let out = folder.path().join("out.mp4");
        let tagged = tag(&path, &out, &request(sphere(FilmStereo::TopBottom))).unwrap();
        let new = std::fs::read(&out).unwrap();
        assert_eq!(new.len() as i64 - old.len() as i64, tagged.growth);
        let by = if first { tagged.growth as u64 } else { 0 };
        assert!(tagged.growth > 0);
        let stco = place(b"stco", &new) + 4;
        let chunks = [8, 12, 16].map(|at| u32_at(&new, stco + at));
        let [a, b, c] = wish.chunks[..] else {
            panic!("three chunks")
        };
        let [a, b, c] = [a, b, c].map(u64::from);
        assert_eq!(chunks, [a, b + by, c + by], "{first}");
        // The chunk that notes beside it name is the first one.
        assert_eq!(u32_at(&new, place(b"saio", &new) + 12), 20);
        assert_eq!(u64_at(&new, place(b"tfhd", &new) + 12), 21);
        assert_eq!(u32_at(&new, place(b"tfra", &new) + 24), 20);
        for (kept, count) in [(UNKNOWN, 4), (OTHER_UUID, 1), (MEDIA, 1)] {
            assert_eq!(times(kept, &new), count);
        }
        assert_eq!(tagged.media, Some(Fingerprint::of(MEDIA)));
        let found = inspect(&out).unwrap();
        // 4:1 for each eye is two spheres, squeezed.
        assert!(found.problems.is_empty(), "{:?}", found.problems);
        assert_eq!((found.width, found.height), (3840, 1920));
        assert_eq!(found.lasts_s, Some(2.5));
        assert_eq!(found.sphere(), Some(sphere(FilmStereo::TopBottom)));
        // Marked otherwise it says the new thing alone, and cleared it is what it was.
        tag(&out, &out, &request(sphere(FilmStereo::Mono))).unwrap();
        let again = std::fs::read(&out).unwrap();
        assert_eq!((times(b"st3d", &again), times(b"sv3d", &again)), (1, 1));
        assert_eq!(times(b"SphericalVideo xmlns", &again), 1);
        tag(&out, &out, &FilmRequest::default()).unwrap();
        assert!(std::fs::read(&out).unwrap() == old);
    }
}

/// A fragment, a list of fragments and notes that point behind the index move too.
#[test]
fn fragments_move_with_the_index_before_them() {
    let folder = tempfile::tempdir().unwrap();
    let old = film::film(&Wish {
        size: (256, 128),
        chunks: vec![700],
        first: true,
    });
    let path = written(folder.path(), &old);
    let out = folder.path().join("out.mp4");
    let by = tag(&path, &out, &request(sphere(FilmStereo::Mono)))
        .unwrap()
        .growth as u64;
    let new = std::fs::read(&out).unwrap();
    assert_eq!(u32_at(&new, place(b"saio", &new) + 12), 700 + by);
    assert_eq!(u64_at(&new, place(b"tfhd", &new) + 12), 701 + by);
    assert_eq!(u32_at(&new, place(b"tfra", &new) + 24), 700 + by);
}

/// Still items beside the film (ISO/IEC 14496-12, 8.11.3: `meta` with `iloc`) are found where they went: by their own distance, by that of
/// their pieces, by both; what lies before the index, or in the list's own data, stays.
#[test]
fn still_items_move_with_the_index_before_them() {
    let folder = tempfile::tempdir().unwrap();
    let short = |v: &[u16]| -> Vec<u8> { v.iter().flat_map(|v| v.to_be_bytes()).collect() };
    let long = |v: &[u32]| -> Vec<u8> { v.iter().flat_map(|v| v.to_be_bytes()).collect() };
    let mut parts: Vec<Vec<u8>> = vec![long(&[1 << 24]), short(&[0x4440, 4])];
    // Number, method, source, base, pieces: distance and length of each.
    for (number, method, base, pieces) in [
        (1, 0, 900u32, &[0u32, 50][..]),
        (2, 0, 0, &[20, 950]),
        (3, 0, 10, &[2]),
        (4, 1, 0, &[900]),
    ] {
        parts.push(short(&[number, method, 0]));
        parts.push(long(&[base]));
        parts.push(short(&[pieces.len() as u16]));
        pieces.iter().for_each(|p| parts.push(long(&[*p, 7])));
    }
    let parts: Vec<&[u8]> = parts.iter().map(Vec::as_slice).collect();
    let hdlr = boxed(b"hdlr", &[&[0; 8], b"pict", &[0; 13]]);
    let meta = boxed(b"meta", &[&[0; 4], &hdlr, &boxed(b"iloc", &parts)]);
    let film = film::film(&Wish {
        size: (256, 128),
        chunks: vec![700],
        first: true,
    });
    let path = written(folder.path(), &[film, meta].concat());
    let out = folder.path().join("out.mp4");
    let by = tag(&path, &out, &request(sphere(FilmStereo::Mono)))
        .unwrap()
        .growth as u64;
    let new = std::fs::read(&out).unwrap();
    // Bases stand 6 bytes into an item, the first piece 12 and the second 20.
    let item = |i: usize| place(b"iloc", &new) + 12 + [0, 28, 56, 76][i];
    let told = |i: usize| (u32_at(&new, item(i) + 6), u32_at(&new, item(i) + 12));
    assert_eq!(told(0), (900 + by, 0));
    assert_eq!(told(1), (0, 20));
    assert_eq!(u32_at(&new, item(1) + 20), 950 + by);
    assert_eq!(told(2), (10, 2));
    assert_eq!(told(3), (0, 900));
}

/// A word about a picture whose ratio is not that of what is said: one eye is 2:1, and only of two may each be squeezed.
#[test]
fn a_ratio_that_does_not_fit_gets_a_word() {
    use FilmStereo::{Mono, SideBySide, TopBottom};
    let folder = tempfile::tempdir().unwrap();
    for (size, stereo, word) in [
        ((512, 256), Mono, None),
        ((512, 512), Mono, Some("say top-bottom")),
        ((1024, 256), Mono, Some("say side-by-side")),
        ((512, 288), Mono, Some("no sphere of 2:1")),
        ((512, 512), TopBottom, None),
        ((512, 256), TopBottom, None),
        ((1024, 256), SideBySide, None),
        ((512, 256), SideBySide, None),
        ((512, 512), SideBySide, Some("no sphere of 2:1")),
        ((1024, 256), TopBottom, Some("no sphere of 2:1")),
    ] {
        let old = film::film(&Wish {
            size,
            chunks: vec![700],
            first: true,
        });
        let path = written(folder.path(), &old);
        let notes = tag(&path, &path, &request(sphere(stereo))).unwrap().notes;
        let found = inspect(&path).unwrap().problems;
        assert_eq!(notes, found, "{size:?} {stereo:?}");
        match word {
            Some(word) => assert!(
                notes.iter().any(|n| n.contains(word)),
                "{size:?}: {notes:?}"
            ),
            None => assert!(notes.is_empty(), "{size:?} {stereo:?}: {notes:?}"),
        }
    }
}

/// Where 32 bits do not reach any more the table gets 64, and its own growth counts.
#[test]
fn chunks_beyond_four_gibibytes_get_wide_offsets() {
    let folder = tempfile::tempdir().unwrap();
    let last = u32::MAX - 40;
    let old = film::film(&Wish {
        size: (7680, 3840),
        chunks: vec![600, last],
        first: true,
    });
    let path = written(folder.path(), &old);
    // Notes beside the samples name the first chunk, which 32 bits reach.
    let tagged = tag(&path, &path, &request(sphere(FilmStereo::Mono))).unwrap();
    let new = std::fs::read(&path).unwrap();
    assert_eq!(times(b"stco", &new), 0);
    let co64 = place(b"co64", &new) + 4;
    let by = tagged.growth as u64;
    assert_eq!(u32_at(&new, co64 + 4), 2);
    assert_eq!(u64_at(&new, co64 + 8), 600 + by);
    assert_eq!(u64_at(&new, co64 + 16), u64::from(last) + by);
    assert_eq!(new.len() as u64, old.len() as u64 + by);
    // Notes beside samples have 32 bits alone: what they could not name any more is refused, and nothing is written.
    let beyond = film::film(&Wish {
        size: (7680, 3840),
        chunks: vec![last],
        first: true,
    });
    let other = written(folder.path(), &new);
    std::fs::write(folder.path().join("beyond.mp4"), beyond).unwrap();
    let from = folder.path().join("beyond.mp4");
    let why = tag(&from, &other, &request(sphere(FilmStereo::Mono))).unwrap_err();
    assert!(why.to_string().contains("beyond 4 GiB"), "{why}");
    assert!(std::fs::read(&other).unwrap() == new);
    // Taken off, the wide table stays and its entries go back.
    tag(&path, &path, &FilmRequest::default()).unwrap();
    let back = std::fs::read(&path).unwrap();
    let co64 = place(b"co64", &back) + 4;
    let wide = back.len() as u64 - old.len() as u64;
    assert_eq!(wide, 8, "two entries of four bytes more");
    assert_eq!(u64_at(&back, co64 + 16), u64::from(last) + wide);
}

/// The bytes of the newer form, number by number (Spherical Video V2 RFC; the values from memory).
#[test]
fn the_newer_form_has_the_bytes_that_players_expect() {
    let folder = tempfile::tempdir().unwrap();
    let path = written(
        folder.path(),
        &film::film(&Wish {
            size: (3840, 1920),
            chunks: vec![700],
            first: false,
        }),
    );
    let half = Sphere {
        projection: FilmProjection::FRONT_HALF,
        stereo: FilmStereo::SideBySide,
        pose_deg: [90.0, -45.5, 0.25],
        opening_deg: None,
    };
    tag(&path, &path, &request(half)).unwrap();
    let bytes = std::fs::read(&path).unwrap();
    assert_eq!(&bytes[place(b"st3d", &bytes) + 4..][..5], [0, 0, 0, 0, 2]);
    let prhd = place(b"prhd", &bytes) + 4;
    let turns = [4, 8, 12].map(|at| u32_at(&bytes, prhd + at) as u32);
    assert_eq!(
        turns,
        [90 << 16, (-45.5f64 * 65_536.0) as i32 as u32, 1 << 14]
    );
    let equi = place(b"equi", &bytes) + 4;
    let bounds = [4, 8, 12, 16].map(|at| u32_at(&bytes, equi + at));
    assert_eq!(
        bounds,
        [0, 0, 1 << 30, 1 << 30],
        "a quarter at the left and at the right"
    );
    let svhd = place(b"svhd", &bytes);
    let size = u32_at(&bytes, svhd - 4) as usize;
    assert_eq!(bytes[svhd - 4 + size - 1], 0, "its text ends with a NUL");
    assert_eq!(inspect(&path).unwrap().sphere(), Some(half));
}

/// Cut anywhere, or with a wrong size anywhere, it is a sentence or the whole truth; the output stays as it was.
#[test]
fn damaged_films_get_a_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let whole = film::film(&Wish {
        size: (256, 128),
        chunks: vec![700],
        first: true,
    });
    let out = folder.path().join("kept.mp4");
    std::fs::write(&out, "kept").unwrap();
    for end in 0..whole.len() {
        let path = written(folder.path(), &whole[..end]);
        let cut_media = end > place(b"mdat", &whole) + 4;
        match tag(&path, &out, &request(sphere(FilmStereo::Mono))) {
            Err(e) => assert!(e.to_string().ends_with('.'), "{end}: {e}"),
            // Cut between two boxes at the top it is a shorter film.
            Ok(_) => {
                assert!(cut_media || end == place(b"mdat", &whole) - 4, "{end}");
                std::fs::write(&out, "kept").unwrap();
            }
        }
        assert_eq!(std::fs::read(&out).unwrap(), b"kept", "{end}");
    }
    let refused = |bytes: &[u8], said: &str| {
        let path = written(folder.path(), bytes);
        let why = inspect(&path).unwrap_err().to_string();
        assert!(why.contains(said), "{why}");
    };
    refused(&boxed(b"ftyp", &[b"isom"]), "no index");
    refused(
        &[whole.clone(), boxed(b"moov", &[])].concat(),
        "two indices",
    );
    refused(&boxed(b"moov", &[]), "no moving picture");
    let mut deep = Vec::new();
    for _ in 0..100 {
        deep = boxed(b"trak", &[&deep]);
    }
    refused(&boxed(b"moov", &[&deep]), "nested too deep");
    // A box that tells a size of 64 bits beyond anything.
    let huge = [&1u32.to_be_bytes()[..], b"moov", &u64::MAX.to_be_bytes()].concat();
    refused(&huge, "are left");
    // A table that tells more than it holds, as soon as it would be moved.
    let mut lying = whole.clone();
    let stco = place(b"stco", &lying) + 8;
    lying[stco..stco + 4].copy_from_slice(&u32::MAX.to_be_bytes());
    let path = written(folder.path(), &lying);
    let why = tag(&path, &out, &request(sphere(FilmStereo::Mono))).unwrap_err();
    assert!(matches!(why, FileError::Damaged { .. }), "{why}");
    assert!(
        why.to_string().contains("tells 4294967295 entries"),
        "{why}"
    );
    let compressed = boxed(b"moov", &[&boxed(b"cmov", &[])]);
    let path = written(folder.path(), &compressed);
    let why = tag(&path, &out, &FilmRequest::default()).unwrap_err();
    assert!(why.to_string().contains("compressed"), "{why}");
    std::fs::write(&path, b"\x89PNG\r\n\x1a\n").unwrap();
    assert!(!is_film(&path));
}
