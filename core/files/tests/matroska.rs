//! A film in Matroska made by hand: every word that points into the file follows when its tracks grow (RFC 9559, RFC 8794).

#[path = "../../../tests/support/matroska.rs"]
mod made;

use dome_files::film::{FilmProjection, FilmRequest, FilmStereo, Sphere, inspect, is_film, tag};
use made::{CLUSTER, CUES, MEDIA, Places, TRACKS, film};
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
    let number = |at: usize| {
        let size = usize::from(new[at] & 0x7f);
        new[at + 1..at + 1 + size]
            .iter()
            .fold(0, |v, b| v << 8 | u64::from(*b))
    };
    let told: Vec<u64> = [&[0x53, 0xac][..], &[0xf1]]
        .iter()
        .flat_map(|id| all(id, &new))
        .filter(|at| *at < clusters[0])
        .map(|at| number(at + if new[at] == 0x53 { 2 } else { 1 }))
        .collect();
    // Some of them by chance begin within others: what is told must hold each of the places.
    assert!(
        now.iter().all(|place| told.contains(place)),
        "{now:?} {told:?}"
    );
    let position = all(&[0xa7, 0x82], &new)[0];
    assert_eq!(number(position + 1), now[2]);
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
