//! A film made by hand: an index with everything that points into the file, fragments, and boxes that nobody knows.

#![allow(dead_code)] // each test file uses its part

/// A box.
pub fn boxed(kind: &[u8; 4], parts: &[&[u8]]) -> Vec<u8> {
    let body: usize = parts.iter().map(|p| p.len()).sum();
    let mut out = (8 + body as u32).to_be_bytes().to_vec();
    out.extend(kind);
    parts.iter().for_each(|p| out.extend(*p));
    out
}

fn words(values: &[u32]) -> Vec<u8> {
    values.iter().flat_map(|v| v.to_be_bytes()).collect()
}

/// What the made film is to have.
pub struct Wish {
    /// Width and height of the picture.
    pub size: (u16, u16),
    /// Where its chunks are, from the file's beginning.
    pub chunks: Vec<u32>,
    /// The index comes before the media.
    pub first: bool,
}

pub const MEDIA: &[u8] = b"pictures and sound, which nobody may touch";
/// A box that nobody knows, in the sample entry, the track and at the top.
pub const UNKNOWN: &[u8] = b"\0\0\0\x0cqqqqWORD";
/// Another program's `uuid` box.
pub const OTHER_UUID: &[u8] = b"\0\0\0\x1cuuid0123456789abcdefWORD";

/// The film's bytes.
pub fn film(wish: &Wish) -> Vec<u8> {
    let ftyp = boxed(b"ftyp", &[b"isom", &words(&[512]), b"isomavc1"]);
    let mut entry = vec![0; 78];
    entry[7] = 1;
    entry[24..26].copy_from_slice(&wish.size.0.to_be_bytes());
    entry[26..28].copy_from_slice(&wish.size.1.to_be_bytes());
    // The list ends with zeros, as QuickTime's do.
    let avc1 = boxed(b"avc1", &[&entry, UNKNOWN, &[0; 4]]);
    let stsd = boxed(b"stsd", &[&words(&[0, 1]), &avc1]);
    let count = wish.chunks.len() as u32;
    let stco = boxed(b"stco", &[&words(&[0, count]), &words(&wish.chunks)]);
    let first = wish.chunks.first().copied().unwrap_or(0);
    let saio = boxed(b"saio", &[&words(&[0, 1, first])]);
    let stbl = boxed(b"stbl", &[&stsd, &stco, &saio]);
    let minf = boxed(b"minf", &[&stbl]);
    let hdlr = boxed(b"hdlr", &[&words(&[0, 0]), b"vide", &[0; 13]]);
    // The handler comes last, which is allowed.
    let mdia = boxed(b"mdia", &[&minf, &hdlr]);
    let trak = boxed(b"trak", &[OTHER_UUID, &mdia, UNKNOWN]);
    let mvhd = boxed(b"mvhd", &[&words(&[0, 0, 0, 1000, 2500]), &[0; 80]]);
    let moov = boxed(b"moov", &[&mvhd, &trak, UNKNOWN]);
    let mdat = boxed(b"mdat", &[MEDIA]);
    // A fragment whose base is told, a list of fragments, and a list of segments before them.
    let base = u64::from(first) + 1;
    let tfhd = boxed(b"tfhd", &[&words(&[1, 1]), &base.to_be_bytes()]);
    let moof = boxed(b"moof", &[&boxed(b"traf", &[&tfhd])]);
    let tfra = boxed(b"tfra", &[&words(&[0, 1, 0, 1, 7, first]), &[1, 1, 1]]);
    let mfra = boxed(b"mfra", &[&tfra]);
    let parts: Vec<&[u8]> = match wish.first {
        true => vec![&ftyp, &moov, &mdat, UNKNOWN, &moof, &mfra],
        false => vec![&ftyp, &mdat, UNKNOWN, &moof, &mfra, &moov],
    };
    parts.concat()
}
