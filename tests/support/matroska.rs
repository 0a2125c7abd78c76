//! A film in Matroska made by hand (RFC 9559, RFC 8794): everything that points into the file, check sums, a cluster without a size.

#![allow(dead_code)] // each test file uses its part

/// An element with its size in one byte, or in `width`.
pub fn element(id: &[u8], width: usize, parts: &[&[u8]]) -> Vec<u8> {
    let body = parts.concat();
    let size = (body.len() as u64 | 1 << (7 * width)).to_be_bytes();
    [id, &size[8 - width..], &body].concat()
}

pub fn with_sum(id: &[u8], parts: &[&[u8]]) -> Vec<u8> {
    let body = parts.concat();
    let sum = element(&[0xbf], 1, &[&crc32fast::hash(&body).to_le_bytes()]);
    element(id, 4, &[&sum, &body])
}

pub const CLUSTER: [u8; 4] = [0x1f, 0x43, 0xb6, 0x75];
pub const TRACKS: [u8; 4] = [0x16, 0x54, 0xae, 0x6b];
pub const CUES: [u8; 4] = [0x1c, 0x53, 0xbb, 0x6b];
pub const MEDIA: [&[u8]; 2] = [
    b"the first pictures",
    b"the second ones, which nobody may touch",
];

/// Places in the segment: of the tracks, the cues and both clusters.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Places(pub [u64; 4]);

pub fn tracks() -> Vec<u8> {
    let video = element(
        &[0xe0],
        1,
        &[
            &element(&[0xb0], 1, &[&[0x0f, 0x00]]),
            &element(&[0xba], 1, &[&[0x07, 0x80]]),
        ],
    );
    let entry = element(
        &[0xae],
        2,
        &[
            &element(&[0xd7], 1, &[&[1]]),
            &element(&[0x83], 1, &[&[1]]),
            &element(&[0x86], 1, &[b"V_AV1"]),
            // A name that puts what follows right below a place that needs two bytes.
            &element(&[0x53, 0x6e], 1, &[&[b'n'; 110]]),
            &video,
        ],
    );
    with_sum(&TRACKS, &[&entry])
}

/// A film; what points at places tells `said` in so few bytes as fit there.
pub fn film(said: Places) -> (Vec<u8>, Places) {
    let seek = |id: &[u8], place: u64| {
        let place = element(&[0x53, 0xac], 1, &[&[place as u8]]);
        element(
            &[0x4d, 0xbb],
            1,
            &[&element(&[0x53, 0xab], 1, &[id]), &place],
        )
    };
    let head = with_sum(
        &[0x11, 0x4d, 0x9b, 0x74],
        &[&seek(&TRACKS, said.0[0]), &seek(&CUES, said.0[1])],
    );
    let cue = |place: u64| {
        let at = element(
            &[0xb7],
            1,
            &[
                &element(&[0xf7], 1, &[&[1]]),
                &element(&[0xf1], 1, &[&(place as u16).to_be_bytes()]),
            ],
        );
        element(&[0xbb], 1, &[&element(&[0xb3], 1, &[&[0]]), &at])
    };
    let cues = with_sum(&CUES, &[&cue(said.0[2]), &cue(said.0[3])]);
    let block = |i: usize| element(&[0xa3], 1, &[MEDIA[i]]);
    let time = element(&[0xe7], 1, &[&[0]]);
    let first = with_sum(
        &CLUSTER,
        &[
            &time,
            &element(&[0xa7], 1, &[&(said.0[2] as u16).to_be_bytes()]),
            &block(0),
        ],
    );
    // The second one does not say how long it is.
    let second = [&CLUSTER[..], &[0xff], &time, &block(1)].concat();
    let tags = element(&[0x12, 0x54, 0xc3, 0x67], 1, &[b"words"]);
    let parts = [head, tracks(), cues, first, second, tags];
    let mut at = 0;
    let starts = parts.each_ref().map(|p| {
        at += p.len() as u64;
        at - p.len() as u64
    });
    // The segment has a sum of all of it, which nothing but reading all of it could keep right.
    let sum = element(&[0xbf], 1, &[&[1, 2, 3, 4]]);
    let shift = sum.len() as u64;
    let body = [&sum, &parts.concat()[..]].concat();
    let doc = element(&[0x42, 0x87], 1, &[&[2]]);
    let bytes = [
        element(&[0x1a, 0x45, 0xdf, 0xa3], 1, &[&doc]),
        element(&[0x18, 0x53, 0x80, 0x67], 8, &[&body]),
    ]
    .concat();
    (
        bytes,
        Places([starts[1], starts[2], starts[3], starts[4]].map(|s| s + shift)),
    )
}
