//! A film in Matroska made by hand: every word that points into the file follows when its tracks grow (RFC 9559, RFC 8794).

#[path = "../../../tests/support/matroska.rs"]
mod made;

use dome_files::film::{FilmProjection, FilmRequest, FilmStereo, Sphere, inspect, is_film, tag};
use made::{CLUSTER, CUES, MEDIA, Places, TRACKS, film};
use std::ops::Range;
use std::path::{Path, PathBuf};

fn request(sphere: Option<Sphere>) -> FilmRequest {
    FilmRequest {
        sphere,
        ambisonic: false,
        verify: true,
    }
}

const SPHERE: Sphere = Sphere {
    projection: FilmProjection::FULL,
    stereo: FilmStereo::TopBottom,
    pose_deg: [0.0; 3],
    opening_deg: None,
};

fn all(of: &[u8], within: &[u8]) -> Vec<usize> {
    (within.windows(of.len()).enumerate())
        .filter(|(_, w)| *w == of)
        .map(|(i, _)| i)
        .collect()
}

/// The elements within a place: their names, and where what is in them lies.
type Elements = Vec<(Vec<u8>, Range<usize>)>;

/// Where the name and the content of the element at a byte are (RFC 8794, sections 4 and 5).
fn element(bytes: &[u8], at: usize) -> (Range<usize>, Range<usize>) {
    let name = at..at + bytes[at].leading_zeros() as usize + 1;
    let from = name.end + bytes[name.end].leading_zeros() as usize + 1;
    let marked = value(&bytes[name.end..from]);
    let size = marked & !(1 << (7 * (from - name.end)));
    (name, from..from + size as usize)
}

fn elements(bytes: &[u8], place: Range<usize>) -> Elements {
    let (mut at, mut found) = (place.start, Vec::new());
    while at < place.end {
        let (name, content) = element(bytes, at);
        at = content.end;
        found.push((bytes[name].to_vec(), content));
    }
    found
}

/// What is within the element that begins at a byte.
fn children(bytes: &[u8], at: usize) -> Elements {
    elements(bytes, element(bytes, at).1)
}

/// Where the only part of a name is.
fn only(of: &[u8], among: &Elements) -> Range<usize> {
    let mut found = among.iter().filter(|(name, _)| name == of);
    let place = found.next().expect("one of that name").1.clone();
    assert!(found.next().is_none());
    place
}

/// What is within each part of a name of the element that begins at a byte.
fn parts(bytes: &[u8], at: usize, of: &[u8]) -> Vec<Elements> {
    (children(bytes, at).into_iter())
        .filter(|(name, _)| name == of)
        .map(|(_, place)| elements(bytes, place))
        .collect()
}

fn value(bytes: &[u8]) -> u64 {
    bytes.iter().fold(0, |v, b| v << 8 | u64::from(*b))
}

/// The list of the parts of a segment.
const LIST: [u8; 4] = [0x11, 0x4d, 0x9b, 0x74];

fn written(folder: &Path, bytes: &[u8]) -> PathBuf {
    let path = folder.join("film.mkv");
    std::fs::write(&path, bytes).unwrap();
    path
}

#[test]
fn what_points_into_the_file_follows() {
    let folder = tempfile::tempdir().unwrap();
    let (_, places) = film(Places::default());
    let (old, same) = film(places);
    assert_eq!(places, same);
    assert!(places.0[1] < 256, "{places:?}");
    let path = written(folder.path(), &old);
    assert!(is_film(&path));
    let out = folder.path().join("out.mkv");
    let tagged = tag(&path, &out, &request(Some(SPHERE))).unwrap();
    let new = std::fs::read(&out).unwrap();
    assert_eq!(new.len() as i64 - old.len() as i64, tagged.growth);
    // The head of the segment is as long as before: its data begin where they did.
    let start = all(&[0x18, 0x53, 0x80, 0x67], &new)[0] + 12;
    let clusters = all(&CLUSTER, &new);
    // The names stand in the list of parts too, before the parts themselves.
    let of = |id: &[u8]| (*all(id, &new).last().unwrap() - start) as u64;
    let now = [
        of(&TRACKS),
        of(&CUES),
        (clusters[0] - start) as u64,
        (clusters[1] - start) as u64,
    ];
    assert_eq!(
        now[0],
        places.0[0] + 1,
        "the second number there has grown by a byte"
    );
    // What the list of parts and the cues say, by their structure: which part is told to lie where.
    let list = all(&LIST, &new)[0];
    let seeks: Vec<(Vec<u8>, u64)> = (parts(&new, list, &[0x4d, 0xbb]).iter())
        .map(|seek| {
            (
                new[only(&[0x53, 0xab], seek)].to_vec(),
                value(&new[only(&[0x53, 0xac], seek)]),
            )
        })
        .collect();
    assert_eq!(seeks, [(TRACKS.to_vec(), now[0]), (CUES.to_vec(), now[1])]);
    let cues: Vec<u64> = (parts(&new, start + now[1] as usize, &[0xbb]).iter())
        .map(|cue| {
            let at = elements(&new, only(&[0xb7], cue));
            value(&new[only(&[0xf1], &at)])
        })
        .collect();
    assert_eq!(cues, [now[2], now[3]]);
    let cluster = children(&new, start + now[2] as usize);
    assert_eq!(value(&new[only(&[0xa7], &cluster)]), now[2]);
    // Sums: of the tracks, the list, the cues and the cluster.
    for (at, end) in [
        (start + now[0] as usize, start + now[1] as usize),
        (start + now[1] as usize, clusters[0]),
        (clusters[0], clusters[1]),
    ] {
        let sum = at + 8;
        assert_eq!(new[sum..sum + 2], [0xbf, 0x84]);
        let told = u32::from_le_bytes(new[sum + 2..sum + 6].try_into().unwrap());
        assert_eq!(told, crc32fast::hash(&new[sum + 6..end]), "{at}");
    }
    // That of the whole segment is gone, in as many bytes.
    assert_eq!(new[start..start + 6], [0xec, 0x84, 0, 0, 0, 0]);
    for media in MEDIA {
        assert_eq!(all(media, &new).len(), 1);
    }
    assert_eq!(inspect(&out).unwrap().sphere(), Some(SPHERE));
    // Its version is one that has spheres (RFC 9559: projections since version 4).
    assert_eq!(new[8], 4);
}

/// Cut anywhere or with any byte changed it is a sentence or a film, never a panic; the output stays as it was or is whole.
#[test]
fn damaged_films_get_a_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let (_, places) = film(Places::default());
    let (whole, _) = film(places);
    let out = folder.path().join("out.mkv");
    let mut refused = 0;
    for i in 0..whole.len() {
        for bytes in [
            whole[..i].to_vec(),
            [&whole[..i], &[whole[i] ^ 0xff], &whole[i + 1..]].concat(),
            [&whole[..i], &[0], &whole[i + 1..]].concat(),
        ] {
            let path = written(folder.path(), &bytes);
            if !is_film(&path) {
                continue;
            }
            match (inspect(&path), tag(&path, &out, &request(Some(SPHERE)))) {
                (_, Ok(_)) => assert_eq!(inspect(&out).unwrap().sphere(), Some(SPHERE), "{i}"),
                (_, Err(e)) => {
                    assert!(e.to_string().contains("film.mkv"), "{i}: {e}");
                    refused += 1;
                }
            }
        }
    }
    assert!(refused > whole.len() / 4, "{refused}");
}
