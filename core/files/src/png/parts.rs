//! The chunks of a PNG (W3C PNG, third edition): metadata in, metadata out, the picture's bytes untouched.

use crate::error::{FileError, Result};
use crate::pano::{PanoProperties, TagRequest};
use crate::{exif, xmp};
use img_parts::Bytes;
use img_parts::png::{Png, PngChunk};

const XMP_KEYWORD: &[u8] = b"XML:com.adobe.xmp\0";
/// Text and time chunks that `clear` drops; colour and gamma chunks stay.
const METADATA: [&[u8; 4]; 5] = [b"tEXt", b"zTXt", b"iTXt", b"eXIf", b"tIME"];

/// A PNG taken apart.
pub struct PngParts {
    png: Png,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
}

impl PngParts {
    /// Takes a PNG apart; refuses what is cut short.
    pub fn read(bytes: Vec<u8>, name: &str) -> Result<Self> {
        let png = Png::from_bytes(Bytes::from(bytes))
            .map_err(|e| FileError::damaged(name, format!("its PNG chunks do not add up ({e})")))?;
        let (width, height) = png
            .dimensions()
            .filter(|(w, h)| *w > 0 && *h > 0)
            .ok_or_else(|| FileError::damaged(name, "it has no header with a size"))?;
        if png.chunk_by_type(*b"IDAT").is_none() || png.chunk_by_type(*b"IEND").is_none() {
            return Err(FileError::damaged(
                name,
                "the picture's data end before its end chunk",
            ));
        }
        // Deflate packs at most 1032 to 1 (its own description, RFC 1951), and a pixel takes a bit at least.
        let coded: u64 = png
            .chunks_by_type(*b"IDAT")
            .map(|c| c.contents().len() as u64)
            .sum();
        let least = u64::from(height) * (u64::from(width) / 8 + 1) / 1032;
        if coded < least {
            return Err(FileError::damaged(
                name,
                format!("{width} x {height} px cannot fit its {coded} bytes of picture data"),
            ));
        }
        Ok(Self { png, width, height })
    }

    fn packet(&self) -> Option<Result<String>> {
        let chunk = self
            .png
            .chunks_by_type(*b"iTXt")
            .find(|c| c.contents().starts_with(XMP_KEYWORD))?;
        Some(text(&chunk.contents()[XMP_KEYWORD.len()..]))
    }

    /// The panorama properties told in the file.
    pub fn properties(&self) -> Result<PanoProperties> {
        self.packet()
            .map_or_else(|| Ok(PanoProperties::default()), |p| xmp::read(&p?))
    }

    /// The file with the metadata that `request` asks for. Every other chunk is as it was.
    pub fn tagged(mut self, request: &TagRequest) -> Result<Vec<u8>> {
        let properties = request.properties(self.width, self.height)?;
        if request.clear {
            self.png
                .chunks_mut()
                .retain(|c| !METADATA.contains(&&c.kind()));
        }
        let packet = match self.packet() {
            Some(old) => xmp::merge(&old?, &properties)?,
            None => xmp::make(&properties)?,
        };
        let old_exif = self
            .png
            .chunk_by_type(*b"eXIf")
            .map(|c| c.contents().clone());
        let chunks = self.png.chunks_mut();
        if request.make.is_some() || request.model.is_some() {
            let block = exif::set_make_model(
                old_exif.as_deref().unwrap_or_default(),
                request.make.as_deref(),
                request.model.as_deref(),
            )?;
            chunks.retain(|c| c.kind() != *b"eXIf");
            chunks.insert(1, PngChunk::new(*b"eXIf", Bytes::from(block)));
        }
        chunks.retain(|c| !(c.kind() == *b"iTXt" && c.contents().starts_with(XMP_KEYWORD)));
        // After the header: keyword, uncompressed, method 0, no language, no translated keyword, text.
        let contents = [XMP_KEYWORD, &[0, 0, 0, 0], packet.as_bytes()].concat();
        chunks.insert(1, PngChunk::new(*b"iTXt", Bytes::from(contents)));
        Ok(self.png.encoder().bytes().to_vec())
    }
}

/// The text of an international text chunk after its keyword.
fn text(rest: &[u8]) -> Result<String> {
    let bad = |d: &str| FileError::damaged("The picture's XMP packet", d);
    let (flags, rest) = rest
        .split_at_checked(2)
        .ok_or_else(|| bad("its chunk is too short"))?;
    if flags[0] != 0 {
        return Err(FileError::unsupported(
            "A compressed XMP packet in a PNG",
            "the XMP standard wants it uncompressed; drop it with --clear",
        ));
    }
    // Language and translated keyword, each ended by a zero byte.
    let mut parts = rest.splitn(3, |&b| b == 0);
    let (_, _, body) = (parts.next(), parts.next(), parts.next());
    let body = body.ok_or_else(|| bad("its chunk is too short"))?;
    String::from_utf8(body.to_vec()).map_err(|_| bad("it is not UTF-8 text"))
}
