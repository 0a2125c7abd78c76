//! The open denoising library (Open Image Denoise 2, Apache-2.0) where it is found at run time.
//!
//! The only place of this crate with `unsafe` code: calls through the library's published C interface
//! (oidn.h of version 2, from memory). It gets bands of whole rows with a margin all round: wrapped at the
//! sides, gone on over the poles, and other rows of the picture in between.
#![allow(unsafe_code)]

use super::{DenoiseFailed, Guides};
use crate::layers::LayeredStrip;
use crate::strip::CHANNELS;
use dome_optics::neighbourhood::{around, over_the_pole};
use libloading::{Library, Symbol};
use std::collections::VecDeque;
use std::ffi::{c_char, c_void};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Rows that are filtered at a time.
const BAND: u32 = 512;
/// Most rows and columns beyond the band that the filter sees: what lies farther has no visible influence.
const MARGIN: u32 = 96;

/// Rows that are in memory at a time at most: a band with its margins, and the strip that reaches beyond.
pub const MOST_ROWS: u32 = BAND + 2 * MARGIN + 16;

/// Rows and columns beyond the band for a picture of some width: small ones need less, and come sooner.
fn margin_of(width: usize) -> usize {
    (width / 8).clamp(16, MARGIN as usize)
}
/// `OIDN_FORMAT_FLOAT3`.
const FLOAT3: i32 = 3;

type Handle = *mut c_void;

/// The library, loaded.
pub struct DenoiseLibrary {
    library: Library,
    device: Handle,
}

// SAFETY: by the library's documentation its functions may be called from any thread at any time; calls
// for one device wait for each other.
unsafe impl Send for DenoiseLibrary {}
// SAFETY: as above.
unsafe impl Sync for DenoiseLibrary {}

impl DenoiseLibrary {
    /// Loads the library from a place: its file, or a folder with its file. `None` where it is not, or does not work.
    pub fn find(place: &Path) -> Option<Self> {
        if place.is_dir() {
            libraries_in(place).iter().find_map(|path| Self::load(path))
        } else {
            Self::load(place)
        }
    }

    fn load(path: &Path) -> Option<Self> {
        // SAFETY: the library's own start-up code runs; it is the one the user installed for this. The
        // functions have the types of the published header.
        unsafe {
            let library = Library::new(path).ok()?;
            let device = {
                let new: Symbol<unsafe extern "C" fn(i32) -> Handle> =
                    library.get(b"oidnNewDevice").ok()?;
                let commit: Symbol<unsafe extern "C" fn(Handle)> =
                    library.get(b"oidnCommitDevice").ok()?;
                let device = new(1); // OIDN_DEVICE_TYPE_CPU
                if device.is_null() {
                    return None;
                }
                commit(device);
                device
            };
            let found = Self { library, device };
            found.works().then_some(found)
        }
    }

    /// Whether no error is pending.
    fn works(&self) -> bool {
        // SAFETY: as in `load`; the message belongs to the library and is not kept.
        unsafe {
            let Ok(error) = self
                .library
                .get::<unsafe extern "C" fn(Handle, *mut *const c_char) -> i32>(
                    b"oidnGetDeviceError",
                )
            else {
                return false;
            };
            let mut message: *const c_char = std::ptr::null();
            error(self.device, &raw mut message) == 0
        }
    }

    /// Filters a picture in place; all three have `width` x `height` pixels of three values. It ends as a failure soon after
    /// `go_on` says no.
    fn filter<F: Fn() -> bool + Sync>(
        &self,
        go_on: &F,
        (width, height): (usize, usize),
        colour: &[f32],
        albedo: &[f32],
        normal: &[f32],
        out: &mut [f32],
    ) -> Option<()> {
        let wanted = width * height * CHANNELS;
        if [colour.len(), albedo.len(), normal.len(), out.len()] != [wanted; 4] {
            return None;
        }
        // SAFETY: the buffers have the sizes that are told, live until the filter is released, and only
        // `out` is written to.
        unsafe {
            type Image = unsafe extern "C" fn(
                Handle,
                *const c_char,
                *const c_void,
                i32,
                usize,
                usize,
                usize,
                usize,
                usize,
            );
            let l = &self.library;
            let new: Symbol<unsafe extern "C" fn(Handle, *const c_char) -> Handle> =
                l.get(b"oidnNewFilter").ok()?;
            let image: Symbol<Image> = l.get(b"oidnSetSharedFilterImage").ok()?;
            let set_bool: Symbol<unsafe extern "C" fn(Handle, *const c_char, bool)> =
                l.get(b"oidnSetFilterBool").ok()?;
            let set_float: Symbol<unsafe extern "C" fn(Handle, *const c_char, f32)> =
                l.get(b"oidnSetFilterFloat").ok()?;
            type Asked = unsafe extern "C" fn(*mut c_void, f64) -> bool;
            let watch: Symbol<unsafe extern "C" fn(Handle, Asked, *mut c_void)> =
                l.get(b"oidnSetFilterProgressMonitorFunction").ok()?;
            let commit: Symbol<unsafe extern "C" fn(Handle)> = l.get(b"oidnCommitFilter").ok()?;
            let execute: Symbol<unsafe extern "C" fn(Handle)> = l.get(b"oidnExecuteFilter").ok()?;
            let release: Symbol<unsafe extern "C" fn(Handle)> = l.get(b"oidnReleaseFilter").ok()?;
            let filter = new(self.device, c"RT".as_ptr());
            if filter.is_null() {
                return None;
            }
            let set = |name: *const c_char, data: *const f32| {
                image(filter, name, data.cast(), FLOAT3, width, height, 0, 0, 0);
            };
            set(c"color".as_ptr(), colour.as_ptr());
            set(c"albedo".as_ptr(), albedo.as_ptr());
            set(c"normal".as_ptr(), normal.as_ptr());
            set(c"output".as_ptr(), out.as_mut_ptr());
            set_bool(filter, c"hdr".as_ptr(), true);
            // The same for every band: exposure is fixed and never automatic.
            set_float(filter, c"inputScale".as_ptr(), 1.0);
            watch(
                filter,
                asked::<F>,
                std::ptr::from_ref(go_on).cast_mut().cast(),
            );
            commit(filter);
            execute(filter);
            release(filter);
        }
        self.works().then_some(())
    }
}

/// Whether a filter goes on; the library asks again and again, from whatever thread.
///
/// # Safety
/// `go_on` is the address of an `F` that lives for as long as the filter is executed.
unsafe extern "C" fn asked<F: Fn() -> bool + Sync>(go_on: *mut c_void, _share: f64) -> bool {
    // SAFETY: see above; it is only read.
    let go_on = unsafe { &*go_on.cast_const().cast::<F>() };
    go_on()
}

impl Drop for DenoiseLibrary {
    fn drop(&mut self) {
        // SAFETY: the device is released once, before the library is unloaded.
        unsafe {
            if let Ok(release) = self
                .library
                .get::<unsafe extern "C" fn(Handle)>(b"oidnReleaseDevice")
            {
                release(self.device);
            }
        }
    }
}

/// Files in a folder that may be the library.
fn libraries_in(folder: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = std::fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| e.path())
        .filter(|p| {
            let name = p.file_name().unwrap_or_default().to_string_lossy();
            name.starts_with("libOpenImageDenoise.so")
        })
        .collect();
    found.sort();
    found
}

/// Strips on their way through the library.
pub struct LibraryDenoised<I, F> {
    library: Arc<DenoiseLibrary>,
    strips: I,
    go_on: F,
    height: u32,
    guides: Guides,
    kept: VecDeque<LayeredStrip>,
    /// Filtered strips that wait to be taken.
    ready: VecDeque<LayeredStrip>,
    /// First row that is not filtered yet.
    next: u32,
    ended: bool,
}

/// Filters the strips of a picture of `height` rows, which must come in order from the top. Where the
/// library fails, an error takes the place of a strip: nothing passes unfiltered. Once `go_on` says no it fails soon.
pub fn denoise<I, E, F>(
    library: Arc<DenoiseLibrary>,
    strips: I,
    height: u32,
    guides: Guides,
    go_on: F,
) -> LibraryDenoised<I, F>
where
    I: Iterator<Item = Result<LayeredStrip, E>>,
    F: Fn() -> bool + Sync,
{
    LibraryDenoised {
        library,
        strips,
        go_on,
        height,
        guides,
        kept: VecDeque::new(),
        ready: VecDeque::new(),
        next: 0,
        ended: false,
    }
}

impl<I, E, F> Iterator for LibraryDenoised<I, F>
where
    I: Iterator<Item = Result<LayeredStrip, E>>,
    E: From<DenoiseFailed>,
    F: Fn() -> bool + Sync,
{
    type Item = Result<LayeredStrip, E>;

    fn next(&mut self) -> Option<Self::Item> {
        if let Some(strip) = self.ready.pop_front() {
            return Some(Ok(strip));
        }
        let wanted = (self.next + BAND + MARGIN).min(self.height);
        while !self.ended && self.kept.back().map_or(0, |s| s.beauty.end()) < wanted {
            match self.strips.next() {
                Some(Ok(strip)) => self.kept.push_back(strip),
                Some(Err(e)) => {
                    self.ended = true;
                    self.kept.clear();
                    return Some(Err(e));
                }
                None => self.ended = true,
            }
        }
        if let Err(e) = self.filter_band() {
            self.ended = true;
            self.kept.clear();
            return Some(Err(e.into()));
        }
        self.ready.pop_front().map(Ok)
    }
}

impl<I, F: Fn() -> bool + Sync> LibraryDenoised<I, F> {
    /// Filters the strips that start within the next band.
    fn filter_band(&mut self) -> Result<(), DenoiseFailed> {
        let band: Vec<LayeredStrip> = self
            .kept
            .iter()
            .filter(|s| (self.next..self.next + BAND).contains(&s.beauty.top))
            .cloned()
            .collect();
        let (Some(first), Some(last)) = (band.first(), band.last()) else {
            return Ok(());
        };
        let (top, end) = (first.beauty.top, last.beauty.end());
        let width = first.beauty.width as usize;
        let margin = margin_of(width);
        let padded = width + 2 * margin;
        let rows = (end - top) as usize + 2 * margin;
        let mut images = [(); 3].map(|()| Vec::with_capacity(padded * rows * CHANNELS));
        let from = i64::from(top) - margin as i64;
        for y in from..from + rows as i64 {
            self.extend_row(y, width, &mut images);
        }
        let [colour, albedo, normal] = images;
        let mut out = vec![0.0; colour.len()];
        self.library
            .filter(
                &self.go_on,
                (padded, rows),
                &colour,
                &albedo,
                &normal,
                &mut out,
            )
            .ok_or(DenoiseFailed)?;
        for mut strip in band {
            let rows = strip.beauty.rows() as usize;
            let skip = (strip.beauty.top - top) as usize + margin;
            for row in 0..rows {
                let at = ((skip + row) * padded + margin) * CHANNELS;
                strip.beauty.samples[row * width * CHANNELS..][..width * CHANNELS]
                    .copy_from_slice(&out[at..at + width * CHANNELS]);
            }
            self.ready.push_back(strip);
        }
        self.next = end;
        let needed = end.saturating_sub(MARGIN);
        while self.kept.front().is_some_and(|s| s.beauty.end() <= needed) {
            self.kept.pop_front();
        }
        Ok(())
    }

    /// Adds a row with its margins to colour, albedo and normal; beyond a pole the row on the other side.
    fn extend_row(&self, y: i64, width: usize, images: &mut [Vec<f32>; 3]) {
        let (y, turned) = over_the_pole(y, self.height);
        let turn = if turned { width / 2 } else { 0 };
        let strip = self
            .kept
            .iter()
            .find(|s| (s.beauty.top..s.beauty.end()).contains(&y))
            .or(self.kept.back());
        let Some(strip) = strip else { return };
        let row = y
            .saturating_sub(strip.beauty.top)
            .min(strip.beauty.rows() - 1) as usize;
        let margin = margin_of(width);
        for (image, values) in images.iter_mut().zip([
            &strip.beauty.samples,
            &strip.layers[self.guides.albedo],
            &strip.layers[self.guides.normal],
        ]) {
            let line = &values[row * width * CHANNELS..][..width * CHANNELS];
            for i in 0..width + 2 * margin {
                let column = around((i + turn) as i64 - margin as i64, width as u32) as usize;
                image.extend_from_slice(&line[column * CHANNELS..][..CHANNELS]);
            }
        }
    }
}
